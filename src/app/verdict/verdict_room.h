#pragma once

#include "app/verdict/verdict_model.h"
#include "report/filter_style.h"

#include <QWidget>

class QComboBox;
class QSplitter;
class QTabWidget;
class QTableWidget;
class QTextBrowser;

namespace caelumen {

class PayoffPlot;
class ProfilePanel;
class Prompts;
class RankingView;
class ReportPanel;

/// The Verdict: which filter, for whom, how sure, what it costs, and the report of it. The profile on the left; ranking, value, old against new and the report;
/// sentences on the right.
class VerdictRoom : public QWidget {
    Q_OBJECT

public:
    VerdictRoom(Session& session, Prompts& prompts, SkyGridModel& trials, QWidget* parent = nullptr);

    VerdictModel& model() { return m_model; }
    ProfilePanel& panel() { return *m_panel; }
    RankingView& ranking() { return *m_ranking; }
    PayoffPlot& payoff() { return *m_payoff; }
    ReportPanel& report() { return *m_report; }
    QTabWidget& tabs() { return *m_tabs; }
    QTextBrowser& page() { return *m_page; }
    QTextBrowser& oldNewView() { return *m_oldNewPage; }
    QComboBox& beforeBox() { return *m_before; }
    QComboBox& nowBox() { return *m_now; }
    void askExport(const QString& what); ///< html, pdf, zip, json, csv; card, tall, slides
    void copyText();
    void copyTable();
    void themeChanged();
    QByteArray saveLayout() const;
    void restoreLayout(const QByteArray& state);

signals:
    void problem(const QString& sentence);
    void told(const QString& sentence);
    void benchWanted(qint64 trial, const QString& run);

private:
    QWidget* buildValue();
    QWidget* buildOldNew();
    void openOnBench(const std::optional<std::pair<qint64, QString>>& where);
    void openProfile();
    void saveProfile();
    void startFrom(int ready);
    void fillProfile();
    void fill();
    void fillValue();
    void fillRuns();
    void fillOldNew();
    void writePage();
    FilterStyle styleOf(const std::string& filter) const;
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;

    Session& m_session;
    Prompts& m_prompts;
    VerdictModel m_model;
    ProfilePanel* m_panel;
    RankingView* m_ranking;
    PayoffPlot* m_payoff;
    ReportPanel* m_report;
    QTableWidget* m_value;
    QComboBox *m_before, *m_now;
    QTextBrowser *m_oldNewPage, *m_page;
    QTabWidget* m_tabs;
    QSplitter* m_across;
};

} // namespace caelumen

#pragma once

#include "app/job_service.h"
#include "core/base/json_fwd.h"
#include "core/merge/merge.h"
#include "core/model/results.h"

#include <QImage>
#include <QWidget>

#include <memory>

class QCheckBox;
class QCustomPlot;
class QLabel;
class QLineEdit;
class QListWidget;
class QPushButton;
class QTableWidget;

namespace caelumen {

class Prompts;
class Session;

/// Results of several testers or nights as one: the mean of each figure, the scatter between testers, who stands out and why. Files to share are written and
/// read here.
class MergePage : public QWidget {
    Q_OBJECT

public:
    MergePage(Session& session, Prompts& prompts, QWidget* parent = nullptr);

    void add(const QStringList& files); ///< results files or files that were shared
    void addTrial();                    ///< what is measured on the Bench
    void removeChosen();
    const std::vector<MergedFigure>& merged() const { return m_merged; }
    QListWidget& testers() { return *m_list; }
    QTableWidget& table() { return *m_table; }
    QLabel& words() { return *m_words; }
    QCheckBox& all() { return *m_all; }
    JobService& jobs() { return m_jobs; }
    QString text() const; ///< the table, tab-separated
    void save();          ///< merged figures as JSON or CSV
    void share();         ///< the trial on the Bench for others
    void themeChanged();

signals:
    void problem(const QString& sentence);
    void told(const QString& sentence);

private:
    struct Tester {
        TesterResults results;
        std::string content; ///< of the file, to know it again
        std::map<std::string, QImage> thumbnails;
    };
    static Result<Tester> read(const std::string& bytes, const std::string& name);
    void take(Tester tester);
    void fill();
    void fillFigure();
    void drawFigure(const MergedFigure& figure);
    QString wordsOf(const MergedFigure& figure) const;
    const MergedFigure* chosen() const;
    QString filterName(const std::string& id) const;
    std::vector<TesterResults> results() const;
    bool eventFilter(QObject* of, QEvent* event) override;
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;

    Session& m_session;
    Prompts& m_prompts;
    JobService m_jobs;
    int m_reads = 0; ///< each by itself: none replaces another
    std::vector<Tester> m_testers;
    std::vector<MergedFigure> m_merged;
    QListWidget* m_list;
    QPushButton *m_addTrial, *m_remove, *m_save, *m_share;
    QCheckBox* m_all;
    QTableWidget* m_table;
    QCustomPlot* m_plot;
    QLabel* m_words;
};

} // namespace caelumen

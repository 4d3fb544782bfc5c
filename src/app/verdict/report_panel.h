#pragma once

#include "app/job_service.h"
#include "report/report_extras.h"

#include <QImage>
#include <QTimer>
#include <QWidget>

#include <functional>

class QComboBox;
class QLabel;
class QLineEdit;
class QPlainTextEdit;
class QScrollArea;
class QVBoxLayout;

namespace caelumen {

class Prompts;
class Session;
class VerdictModel;

/// The report: what the person says in it (tester, disclosure, remarks), how it looks, a preview of its sheets, and what goes out. Words belong to the
/// campaign.
class ReportPanel : public QWidget {
    Q_OBJECT

public:
    ReportPanel(Session& session, Prompts& prompts, VerdictModel& model, QWidget* parent = nullptr);

    void setSeen(bool seen); ///< the preview is made only while it is looked at
    void refresh();          ///< the verdict or the results have changed
    void themeChanged() { showSheets(); }
    bool busy() const { return m_jobs.busy(); }
    JobService& jobs() { return m_jobs; }
    void askExport(const QString& what);
    /// What makes colour pictures for the report, in a worker; empty where none are there. Asked when a report is made.
    using PictureMaker = std::function<std::vector<LabelledPicture>()>;
    std::function<PictureMaker()> palettes;

    QLineEdit& tester() { return *m_tester; }
    QPlainTextEdit& disclosure() { return *m_disclosure; }
    QPlainTextEdit& remarks() { return *m_remarks; }
    QComboBox& paper() { return *m_paper; }
    QScrollArea& preview() { return *m_preview; }
    std::size_t sheets() const { return m_sheets.size(); }
    /// What makes all that a report holds beside the results, in a worker.
    std::function<ReportExtras()> extras() const;

signals:
    void problem(const QString& sentence);
    void told(const QString& sentence);

private:
    void load();
    ReportWords said() const;
    void keep();
    void makePreview();
    void showSheets(const QString& instead = {});
    void resizeEvent(QResizeEvent* event) override;
    void askTemplate();
    void saveTemplate();

    Session& m_session;
    Prompts& m_prompts;
    VerdictModel& m_model;
    JobService m_jobs;
    bool m_seen = false, m_stale = true, m_quiet = false;
    QLineEdit* m_tester;
    QPlainTextEdit *m_disclosure, *m_remarks;
    QComboBox *m_paper, *m_page;
    QScrollArea* m_preview;
    QVBoxLayout* m_column;
    std::vector<QImage> m_sheets;
    QTimer m_delay;     ///< a preview reads every frame: it waits for a pause in the typing
    QString m_template; ///< of the person; empty: our own
    QString m_templateName;
};

} // namespace caelumen

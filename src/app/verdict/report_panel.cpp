#include "app/verdict/report_panel.h"

#include "app/session.h"
#include "app/verdict/verdict_model.h"
#include "app/widgets/form_fields.h"
#include "app/widgets/paths.h"
#include "app/widgets/prompts.h"
#include "app/widgets/theme.h"
#include "core/base/file.h"
#include "core/base/json.h"
#include "report/html_report.h"
#include "report/page_template.h"
#include "report/pdf_report.h"
#include "report/report_bundle.h"
#include "report/slides.h"
#include "report/summary_card.h"

#include <QComboBox>
#include <QFileInfo>
#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPainter>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QResizeEvent>
#include <QScrollArea>
#include <QVBoxLayout>

#include <algorithm>
#include <map>

namespace caelumen {
namespace {

QPlainTextEdit* words(const QString& name, const QString& hint) {
    auto* edit = new QPlainTextEdit;
    edit->setAccessibleName(name);
    edit->setPlaceholderText(hint);
    edit->setTabChangesFocus(true);
    edit->setFixedHeight(3 * edit->fontMetrics().lineSpacing() + 14);
    return edit;
}

constexpr int kSheetWidth = 720;

/// A sheet of the preview; scaled when it is seen, for there may be dozens.
class Sheet : public QWidget {
public:
    Sheet(QImage image, int width)
        : m_image(std::move(image)) {
        setFixedSize(width, width * m_image.height() / std::max(1, m_image.width()));
    }

private:
    void paintEvent(QPaintEvent*) override {
        QPainter p(this);
        p.setRenderHint(QPainter::SmoothPixmapTransform);
        p.drawImage(rect(), inThemeLight(m_image));
    }
    QImage m_image;
};

} // namespace

ReportPanel::ReportPanel(Session& session, Prompts& prompts, VerdictModel& model, QWidget* parent)
    : QWidget(parent)
    , m_session(session)
    , m_prompts(prompts)
    , m_model(model)
    , m_tester(new QLineEdit)
    , m_disclosure(words(tr("Disclosure"), tr("Who paid, who lent, who gains by it")))
    , m_remarks(words(tr("Remarks"), tr("What a reader should know beside the figures")))
    , m_paper(new QComboBox)
    , m_page(new QComboBox)
    , m_preview(new QScrollArea) {
    m_tester->setAccessibleName(tr("Tester"));
    m_paper->addItems({"A4", "Letter"});
    m_paper->setAccessibleName(tr("Paper"));
    m_page->addItems({tr("our own page"), tr("a page of yours \u2026"), tr("save our page to change it \u2026")});
    m_page->setAccessibleName(tr("Page"));
    m_page->setToolTip(tr("The page is plain HTML with places like {{headline}}: save it, change it, and take it in again"));
    m_preview->setAccessibleName(tr("Preview of the report"));
    m_preview->setFrameShape(QFrame::NoFrame);
    auto* sheets = new QWidget;
    m_column = new QVBoxLayout(sheets);
    m_column->setSpacing(12);
    m_preview->setWidget(sheets);
    m_preview->setWidgetResizable(true);
    m_preview->setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOn); // else a sheet's width would depend on it
    auto* form = new QFormLayout;
    form->setContentsMargins(8, 8, 8, 4);
    form->setFieldGrowthPolicy(QFormLayout::AllNonFixedFieldsGrow);
    form->addRow(tr("Tested by"), m_tester);
    form->addRow(tr("Disclosure"), m_disclosure);
    form->addRow(tr("Remarks"), m_remarks);
    auto* row = new QHBoxLayout;
    row->addWidget(m_page, 1);
    row->addWidget(new QLabel(tr("Paper")));
    row->addWidget(m_paper);
    for (const auto& [text, what, tip] : {std::tuple{tr("Web page"), "html", tr("One file that needs nothing else")},
                                          {tr("PDF"), "pdf", tr("The same on paper")},
                                          {tr("Everything"), "zip", tr("Page, PDF, results, figures at full size and pictures in one archive")}}) {
        auto* b = new QPushButton(text);
        b->setToolTip(tip);
        connect(b, &QPushButton::clicked, this, [this, w = QString(what)] { askExport(w); });
        row->addWidget(b);
    }
    form->addRow(tr("Page"), row);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addLayout(form);
    layout->addWidget(m_preview, 1);
    connect(m_tester, &QLineEdit::editingFinished, this, &ReportPanel::keep);
    for (QPlainTextEdit* edit : {m_disclosure, m_remarks}) connect(edit, &QPlainTextEdit::textChanged, this, &ReportPanel::keep);
    connect(m_paper, &QComboBox::activated, this, &ReportPanel::keep);
    connect(m_page, &QComboBox::activated, this, [this](int i) {
        if (i == 1) return askTemplate();
        if (i == 2) return saveTemplate();
        m_template.clear(), m_templateName.clear();
        keep();
    });
    connect(&m_session, &Session::campaignChanged, this, &ReportPanel::load);
    connect(&m_session, &Session::resultsChanged, this, &ReportPanel::refresh);
    connect(&m_jobs, &JobService::failed, this, &ReportPanel::problem);
    m_delay.setSingleShot(true);
    m_delay.setInterval(500);
    connect(&m_delay, &QTimer::timeout, this, [this] {
        if (m_seen && m_stale) makePreview();
    });
    load();
}

void ReportPanel::load() {
    m_quiet = true;
    const ReportWords words = reportWordsFrom(m_session.kept("report").toStdString());
    m_tester->setText(QString::fromStdString(words.tester));
    m_disclosure->setPlainText(QString::fromStdString(words.disclosure));
    m_remarks->setPlainText(QString::fromStdString(words.remarks));
    m_paper->setCurrentIndex(words.letter ? 1 : 0);
    m_template = QString::fromStdString(words.page), m_templateName = QString::fromStdString(words.pageName);
    if (!m_template.isEmpty()) m_page->setItemText(1, tr("%1 (another \u2026)").arg(m_templateName));
    m_page->setCurrentIndex(m_template.isEmpty() ? 0 : 1);
    m_quiet = false;
    refresh();
}

void ReportPanel::keep() {
    if (m_quiet) return;
    if (m_session.canEdit()) m_session.keep("report", QString::fromStdString(reportWordsText(said())));
    refresh();
}

ReportWords ReportPanel::said() const {
    return {m_tester->text().trimmed().toStdString(),
            m_disclosure->toPlainText().toStdString(),
            m_remarks->toPlainText().toStdString(),
            m_template.toStdString(),
            m_templateName.toStdString(),
            m_paper->currentIndex() == 1};
}

void ReportPanel::askTemplate() {
    const QString path = m_prompts.openFile(this, tr("A page of yours"), tr("Page (*.html)"));
    const auto text = path.isEmpty() ? Result<std::string>(Error{{}}) : readText(toPath(path), 4U << 20U);
    if (!text) {
        if (!path.isEmpty()) emit problem(QString::fromStdString(text.error().message));
        m_page->setCurrentIndex(m_template.isEmpty() ? 0 : 1);
        return;
    }
    if (text->find("{{") == std::string::npos)
        emit problem(tr("%1 has no place like {{headline}}: nothing of the report would stand in it.").arg(QFileInfo(path).fileName()));
    m_template = QString::fromStdString(*text), m_templateName = QFileInfo(path).fileName();
    m_page->setItemText(1, tr("%1 (another \u2026)").arg(m_templateName));
    keep();
}

void ReportPanel::saveTemplate() {
    m_page->setCurrentIndex(m_template.isEmpty() ? 0 : 1);
    QString path = m_prompts.saveFile(this, tr("Save our page"), tr("report-page.html"), tr("Page (*.html)"));
    if (path.isEmpty()) return;
    if (QFileInfo(path).suffix().isEmpty()) path += ".html";
    if (const Status safe = m_session.mayWrite(path); !safe) return emit problem(QString::fromStdString(safe.error().message));
    if (const Status written = m_session.write(path, defaultPage()); !written) return emit problem(QString::fromStdString(written.error().message));
    emit told(tr("Exported to %1").arg(path));
}

std::function<ReportExtras()> ReportPanel::extras() const {
    ReportExtras out;
    static_cast<ReportWords&>(out) = said();
    out.profile = m_model.judgedProfile();
    out.verdict = m_model.shared();
    return [out, pictures = palettes ? palettes() : PictureMaker()] {
        ReportExtras whole = out;
        if (pictures) whole.palettes = pictures();
        return whole;
    };
}

void ReportPanel::setSeen(bool seen) {
    m_seen = seen;
    if (m_seen && m_stale) makePreview();
}

void ReportPanel::refresh() {
    m_stale = true;
    if (m_seen) m_delay.start();
}

void ReportPanel::makePreview() {
    m_stale = false;
    if (!m_session.results()) {
        m_sheets.clear();
        showSheets(tr("A report needs a measured trial. Drop stacked frames on the window."));
        return;
    }
    if (m_sheets.empty()) showSheets(tr("The report is being laid out \u2026"));
    m_jobs.run("preview", tr("Laying out the report"),
               [this, trial = m_session.trial(), results = m_session.sharedResults(), make = extras()](const Job& job) -> JobService::Finish {
                   const ReportExtras extras = make();
                   const auto page = htmlReport(trial, *results, {}, job, extras);
                   if (!page) return {};
                   auto sheets = reportSheets(*page, extras.letter, kSheetWidth);
                   return [this, sheets = std::move(sheets)] {
                       m_sheets = sheets;
                       showSheets();
                   };
               });
}

void ReportPanel::showSheets(const QString& instead) {
    while (QLayoutItem* item = m_column->takeAt(0)) {
        delete item->widget();
        delete item;
    }
    if (!instead.isEmpty()) {
        auto* label = new QLabel(instead);
        label->setObjectName("dim");
        label->setAlignment(Qt::AlignCenter);
        m_column->addWidget(label);
    }
    const int width = std::max(200, m_preview->viewport()->width() - 24);
    for (std::size_t i = 0; i < m_sheets.size(); ++i) {
        auto* sheet = new Sheet(m_sheets[i], std::min(width, m_sheets[i].width()));
        sheet->setAccessibleName(tr("Sheet %1").arg(i + 1));
        m_column->addWidget(sheet, 0, Qt::AlignHCenter);
    }
    m_column->addStretch(1);
}

void ReportPanel::resizeEvent(QResizeEvent* event) {
    QWidget::resizeEvent(event);
    if (m_seen && !m_sheets.empty() && event->size().width() != event->oldSize().width()) showSheets();
}

void ReportPanel::askExport(const QString& what) {
    if (!m_session.results()) return emit problem(tr("A report needs a measured trial."));
    const std::map<QString, std::pair<QString, QString>> kinds{
        {"html", {".html", tr("Web page (*.html)")}},       {"pdf", {".pdf", tr("Page (*.pdf)")}},
        {"zip", {".zip", tr("Archive (*.zip)")}},           {"card", {"-card.png", tr("Picture (*.png)")}},
        {"card-svg", {"-card.svg", tr("Drawing (*.svg)")}}, {"tall", {"-tall-card.png", tr("Picture (*.png)")}},
        {"json", {"-verdict.json", tr("Verdict (*.json)")}}};
    const Trial& trial = m_session.trial();
    const auto make = extras();
    if (what == "slides" || what == "slides-4k") {
        const QString folder = m_prompts.folder(this, tr("A folder for the figures"));
        if (folder.isEmpty()) return;
        m_jobs.run("export", tr("Exporting"),
                   [this, trial, results = m_session.sharedResults(), make, folder, large = what == "slides-4k"](const Job&) -> JobService::Finish {
                       const auto written = writeSlides(toPath(folder), reportFigures(trial, *results, make()), large ? QSize(3840, 2160) : QSize(1920, 1080),
                                                        conditionsLine(trial, *results));
                       if (!written) return [this, sentence = QString::fromStdString(written.error().message)] { emit problem(sentence); };
                       return [this, folder, n = written->size()] { emit told(tr("%1 figures exported to %2").arg(n).arg(folder)); };
                   });
        return;
    }
    const auto& [ending, filter] = kinds.at(what);
    if (what == "json" && !m_model.verdict()) return emit problem(tr("There is no verdict yet."));
    const QString title = QString::fromStdString(trial.title).replace('/', '-');
    QString path = m_prompts.saveFile(this, tr("Export"), (title.isEmpty() ? tr("report") : title) + ending, filter);
    if (path.isEmpty()) return;
    if (QFileInfo(path).suffix().isEmpty()) path += ending.mid(ending.lastIndexOf('.'));
    if (const Status safe = m_session.mayWrite(path); !safe) return emit problem(QString::fromStdString(safe.error().message));
    m_jobs.run("export", tr("Exporting"), [this, trial, results = m_session.sharedResults(), make, what, path](const Job& job) -> JobService::Finish {
        const ReportExtras extras = make();
        Result<std::string> bytes = std::string();
        if (what == "html" || what == "pdf") {
            bytes = htmlReport(trial, *results, {}, job, extras);
            if (bytes && what == "pdf") bytes = pdfReport(*bytes, trial.title, extras.letter);
        } else if (what == "zip") {
            bytes = reportBundle(trial, *results, {}, extras, job);
        } else if (what == "card-svg") {
            bytes = summaryCardSvg(trial, *results, extras, kWideCard).toStdString();
        } else if (what == "json") {
            bytes = jsonText(verdictToJson(*extras.profile, *extras.verdict), 1) + "\n";
        } else {
            bytes = pngOf(summaryCard(trial, *results, extras, what == "tall" ? kTallCard : kWideCard));
        }
        if (!bytes && bytes.error().message == kCancelled) return {};
        const Status written = bytes ? writeFile(toPath(path), *bytes) : Status(bytes.error());
        if (!written) return [this, sentence = QString::fromStdString(written.error().message)] { emit problem(sentence); };
        return [this, path] { emit told(tr("Exported to %1").arg(path)); };
    });
}

} // namespace caelumen

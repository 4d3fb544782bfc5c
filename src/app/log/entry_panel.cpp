#include "app/log/entry_panel.h"

#include "app/widgets/core_words.h"
#include "app/widgets/form_fields.h"
#include "app/widgets/page_ink.h"
#include "app/widgets/paths.h"
#include "app/widgets/theme.h"
#include "core/model/quantity.h"
#include "report/local_number.h"
#include "report/number_text.h"

#include <QEvent>
#include <QFileInfo>
#include <QLabel>
#include <QLineEdit>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QSignalBlocker>
#include <QTextBrowser>
#include <QVBoxLayout>

#include <algorithm>

namespace caelumen {
namespace {

QString text(const std::string& s) {
    return QString::fromStdString(s).toHtmlEscaped();
}

QString duration(double s) {
    return s < 3600 ? QObject::tr("%1 min").arg(localNumber(s / 60, 'f', 0)) : QObject::tr("%1 h").arg(localNumber(s / 3600, 'f', 2));
}

} // namespace

EntryPanel::EntryPanel(QWidget* parent)
    : QWidget(parent)
    , m_page(new QTextBrowser)
    , m_photo(new QLabel)
    , m_tagsLabel(headingLabel(tr("Tags")))
    , m_notesLabel(headingLabel(tr("Notes")))
    , m_tags(new QLineEdit)
    , m_notes(new QPlainTextEdit)
    , m_open(new QPushButton(tr("Open on the Bench")))
    , m_compare(new QPushButton)
    , m_target(new QPushButton(tr("All runs of this target"))) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(4, 0, 0, 0);
    m_page->setFrameShape(QFrame::NoFrame);
    m_page->setAccessibleName(tr("The run"));
    m_page->document()->setDocumentMargin(8);
    m_page->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    layout->addWidget(m_page, 1);
    m_photo->setAlignment(Qt::AlignCenter);
    layout->addWidget(m_photo);
    layout->addWidget(m_tagsLabel);
    m_tags->setAccessibleName(tr("Tags"));
    m_tags->setPlaceholderText(tr("words of your own, by commas"));
    layout->addWidget(m_tags);
    layout->addWidget(m_notesLabel);
    m_notes->setAccessibleName(tr("Notes"));
    m_notes->setTabChangesFocus(true);
    m_notes->setMaximumHeight(80);
    layout->addWidget(m_notes);
    layout->addWidget(m_open);
    layout->addWidget(m_compare);
    layout->addWidget(m_target);
    connect(m_open, &QPushButton::clicked, this, &EntryPanel::openWanted);
    connect(m_compare, &QPushButton::clicked, this, &EntryPanel::compareWanted);
    connect(m_target, &QPushButton::clicked, this, &EntryPanel::targetWanted);
    connect(m_tags, &QLineEdit::editingFinished, this, &EntryPanel::keepRemarks);
    m_notes->installEventFilter(this);
    m_photo->hide();
    show(nullptr, 0, false, false);
}

void EntryPanel::keepRemarks() {
    if (m_entry.uid.empty()) return;
    const QString tags = m_tags->text().trimmed(), notes = m_notes->toPlainText();
    if (tags.toStdString() == m_entry.tags && notes.toStdString() == m_entry.notes) return;
    m_entry.tags = tags.toStdString(), m_entry.notes = notes.toStdString();
    emit remarked(m_entry.uid, tags, notes);
}

bool EntryPanel::eventFilter(QObject* of, QEvent* event) {
    if (of == m_notes && event->type() == QEvent::FocusOut) keepRemarks();
    return QWidget::eventFilter(of, event);
}

void EntryPanel::show(const LogEntry* entry, int count, bool beside, bool sameTarget) {
    keepRemarks();
    m_entry = entry ? *entry : LogEntry{};
    {
        const QSignalBlocker quietTags(m_tags), quietNotes(m_notes);
        m_tags->setText(QString::fromStdString(m_entry.tags));
        if (m_notes->toPlainText().toStdString() != m_entry.notes) m_notes->setPlainText(QString::fromStdString(m_entry.notes));
    }
    m_compare->setText(count == 2 ? tr("Compare these two") : tr("Put it beside the trial in hand"));
    m_compare->setToolTip(count == 2 ? tr("A new trial of both runs, with all that differs besides the filter")
                                     : tr("Adds the run to the trial on the Bench; choose two runs here to compare them with each other"));
    m_compare->setEnabled(count == 2 || (count == 1 && beside));
    m_open->setEnabled(count == 1);
    m_target->setText(sameTarget ? tr("All targets again") : tr("All runs of this target"));
    m_target->setEnabled(sameTarget || (count == 1 && (!m_entry.target.name.empty() || m_entry.target.ra_deg)));
    for (QWidget* w : std::initializer_list<QWidget*>{m_tags, m_notes}) w->setEnabled(entry != nullptr);
    fillPage();
}

QList<std::pair<QString, QString>> EntryPanel::factsOf(const LogEntry& e) {
    QList<std::pair<QString, QString>> out;
    const auto row = [&](const QString& name, const QString& value) {
        if (!value.isEmpty()) out << std::pair(name, value);
    };
    row(tr("night"), text(e.night));
    row(tr("place"), text(e.place));
    row(tr("sky"), text(e.sky()) + (e.bortle && e.skyMag ? tr(", %1 mag").arg(localNumber(*e.skyMag, 'f', 1)) : QString()));
    if (!e.moon().empty())
        row(tr("moon"),
            coreWord(e.moon()) +
                (e.moon() == "none"
                     ? QString()
                     : tr(", %1 %, %2\u00B0 high").arg(localNumber(100 * *e.moonIlluminated, 'f', 0)).arg(localNumber(*e.moonAltitude_deg, 'f', 0))) +
                (e.moonSeparation_deg && e.moon() != "none" ? tr(", %1\u00B0 away").arg(localNumber(*e.moonSeparation_deg, 'f', 0)) : QString()));
    row(tr("rig"), text(e.rig));
    row(tr("camera"), text(e.camera));
    if (e.total_s)
        row(tr("exposure"), e.count && e.exposure_s ? tr("%1 \u00D7 %2 s, %3").arg(*e.count).arg(localNumber(*e.exposure_s, 'g', 6)).arg(duration(*e.total_s))
                                                    : duration(*e.total_s));
    row(tr("trial"), e.trial.empty()
                         ? QString()
                         : text(e.trial) + (e.run.empty() ? QString() : tr(", run %1%2").arg(text(e.run), e.baseline ? tr(" (baseline)") : QString())));
    row(tr("campaign"), e.campaign.empty() ? QString() : text(e.campaign.substr(e.campaign.rfind('/') + 1)));
    row(tr("stack"), text(e.stack.substr(e.stack.rfind('/') + 1)));
    return out;
}

QList<std::pair<QString, QString>> EntryPanel::figuresOf(const LogEntry& e) {
    QList<std::pair<QString, QString>> out;
    for (const LogFigure& f : e.figures) {
        const Quantity* q = quantity(f.quantity);
        if (!q) continue;
        const QString unit = q->unit == "1" ? QString()
                                            : " " + QString::fromUtf8(q->unit.data(), static_cast<qsizetype>(q->unit.size()))
                                                        .replace("e-", QString::fromUtf8("e\u207B"))
                                                        .replace("/", QString::fromUtf8("\u2060/\u2060"));
        const QString value = (f.limit ? QString("&lt; ") : QString()) + withError(f.value, f.limit ? 0 : f.sigma) + unit;
        out << std::pair(coreWord(q->label) + (f.channel.empty() ? QString() : " " + QString::fromStdString(f.channel)),
                         f.voided ? QString("<s>%1</s>").arg(value) : value);
    }
    return out;
}

void EntryPanel::fillPage() {
    const LogEntry& e = m_entry;
    TextPage page = screenPage();
    QPixmap photo;
    for (const std::string& file : e.photos)
        if (photo.isNull()) photo = QPixmap(fromPath(pathOf(file)));
    m_photo->setVisible(!photo.isNull());
    if (!photo.isNull()) m_photo->setPixmap(QPixmap::fromImage(inThemeLight(photo.scaled(280, 150, Qt::KeepAspectRatio, Qt::SmoothTransformation).toImage())));
    if (e.uid.empty()) {
        page.line(tr("Choose a run. Two can be compared with each other, of whatever years."), TextPage::Tone::Dim);
        m_page->setHtml(page.html());
        return;
    }
    page.paragraph(QString("<b>%1</b><br>%2").arg(text(e.filter.empty() ? "?" : e.filter), text(e.target.name)));
    page.facts(factsOf(e));
    const auto figures = figuresOf(e);
    if (figures.isEmpty())
        page.line(tr("Not measured."), TextPage::Tone::Dim);
    else
        page.add("<br>"), page.facts(figures);
    if (std::any_of(e.figures.begin(), e.figures.end(), [](const LogFigure& f) { return f.voided; }))
        page.line(tr("Struck through: something besides the filter explains it."), TextPage::Tone::Dim);
    m_page->setHtml(page.html());
}

void EntryPanel::themeChanged() {
    fillPage();
}

} // namespace caelumen

#include "app/night/night.h"
#include "app/night/night_chart.h"
#include "app/night/night_text.h"
#include "app/widgets/copied.h"
#include "app/widgets/form_fields.h"
#include "app/widgets/paths.h"
#include "app/widgets/prompts.h"
#include "app/widgets/theme.h"
#include "core/base/file.h"
#include "core/base/json.h"
#include "core/model/plan_json.h"

#include <QAbstractTextDocumentLayout>
#include <QBuffer>
#include <QComboBox>
#include <QDialog>
#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPainter>
#include <QPdfWriter>
#include <QRegularExpression>
#include <QTemporaryFile>
#include <QTextDocument>
#include <QUrl>

// What the Night's menu does: ask, take in, write out.

namespace caelumen {
namespace {

/// The picture of the night, then what is said of it, on as many pages as it takes: it is read in the dark.
QByteArray pdfOf(const NightModel& model, const NightChart& chart) {
    QBuffer buffer;
    buffer.open(QIODevice::WriteOnly);
    QPdfWriter writer(&buffer);
    writer.setPageSize(QPageSize(QPageSize::A4));
    writer.setPageMargins(QMarginsF(14, 12, 14, 12), QPageLayout::Millimeter);
    writer.setResolution(150);
    writer.setTitle(QObject::tr("Plan of %1").arg(QString::fromStdString(model.plan().date)));
    QPainter p(&writer);
    // One that draws a character as one glyph: what contextual forms and ligatures stand for is lost to who searches or copies the file.
    QFont font(QStringList{"DejaVu Sans", QFont().family()});
    font.setPointSizeF(9.2);
    font.setLetterSpacing(QFont::AbsoluteSpacing, 0.01);
    const double foot = 2 * QFontMetricsF(font, &writer).height(), w = writer.width(), h = writer.height() - foot;
    const Theme paper = makeTheme(ThemeKind::Light);
    const QSizeF picture(900, 420);
    const double scale = w / picture.width();
    QTextDocument text;
    text.setDefaultFont(font);
    text.setDocumentMargin(0);
    text.documentLayout()->setPaintDevice(&writer);
    QImage room(1, 1, QImage::Format_ARGB32_Premultiplied);
    room.fill(Qt::transparent);
    text.addResource(QTextDocument::ImageResource, QUrl("room"), room);
    text.setHtml(QString("<p style='margin:0'><img src='room' width='%1' height='%2'></p>").arg(w - 1).arg(picture.height() * scale + 12) +
                 nightPage(model, true));
    text.setPageSize(QSizeF(w, h));
    for (int page = 0; page < text.pageCount(); ++page) {
        if (page > 0) writer.newPage();
        p.save();
        p.translate(0, -page * h);
        text.drawContents(&p, QRectF(0, page * h, w, h));
        p.restore();
        p.setFont(font);
        p.drawText(QRectF(0, h, w, foot), Qt::AlignRight | Qt::AlignBottom,
                   QObject::tr("%1, page %2 of %3").arg(QString::fromStdString(model.plan().date)).arg(page + 1).arg(text.pageCount()));
        if (page > 0) continue;
        p.save();
        p.scale(scale, scale);
        QFont small = font;
        small.setPixelSize(letters(11));
        p.setFont(small);
        p.fillRect(QRectF(QPointF(), picture), paper.plot);
        chart.paintOn(p, QRectF(QPointF(), picture), paper);
        p.restore();
    }
    p.end();
    return buffer.data();
}

} // namespace

void Night::newNight() {
    if (!m_session.campaign()) return emit problem(tr("No campaign is open; open or save one first."));
    Plan plan = m_model.plan();
    plan.done.clear();
    if (!m_session.hasTrial()) plan.date = QDate::currentDate().toString(Qt::ISODate).toStdString();
    Trial fresh = trialOfPlan(plan, m_session.trial());
    if (const Status added = m_session.addTrial(fresh); !added) emit problem(QString::fromStdString(added.error().message));
}

void Night::askTargets() {
    const QString path = m_prompts.openFile(this, tr("Import targets"), tr("Tables (*.csv *.txt);;All files (*)"));
    if (!path.isEmpty()) takeTargets(path);
}

void Night::takeTargets(const QString& path) {
    if (const Status taken = m_model.addTargets(path); !taken) emit problem(QString::fromStdString(taken.error().message));
}

void Night::askSettings() {
    if (!m_session.hasTrial()) return emit problem(tr("There is no trial whose night could be planned; open one first."));
    const Plan& now = m_model.plan();
    QDialog dialog(this);
    dialog.setWindowTitle(tr("Pauses, power and clock"));
    auto* form = new QFormLayout;
    OptionalNumber swap = field(form, tr("Swapping a filter (s)"), now.swap_s, {}, 0, 36'000),
                   refocus = field(form, tr("Refocusing after it (s)"), now.refocus_s, {}, 0, 36'000),
                   settle = field(form, tr("Between subs: settling, reading (s)"), now.settle_s, {}, 0, 3600),
                   flip = field(form, tr("Meridian flip (s)"), now.flip_s, {}, 0, 36'000),
                   slew = field(form, tr("Slewing (degrees a second)"), now.slew_deg_s, {}, 0.01, 100),
                   slewSettle = field(form, tr("Settling after a slew (s)"), now.slewSettle_s, {}, 0, 3600),
                   starSubs = field(form, tr("Subs on the halo star"), now.starSubs, {}, 1, 1000),
                   starLength = field(form, tr("Each of (s)"), now.starExposure_s, {}, 0.001, 3600),
                   battery = field(form, tr("Battery (Wh)"), now.battery_Wh > 0 ? std::optional(now.battery_Wh) : std::nullopt, {}, 0, 1e6),
                   mount = field(form, tr("Mount (W)"), now.mount_W, {}, 0, 1e4), camera = field(form, tr("Camera and cooling (W)"), now.camera_W, {}, 0, 1e4),
                   heaters = field(form, tr("Dew heaters (W)"), now.heaters_W, {}, 0, 1e4);
    battery.edit->setPlaceholderText(tr("mains"));
    auto* darks = new QLineEdit(NightModel::darksText());
    darks->setPlaceholderText(tr("lengths in seconds: 10 180 300"));
    darks->setToolTip(tr("Of your dark library: what it lacks for a plan stands in the checklist"));
    form->addRow(tr("Darks at hand (s)"), darks);
    auto* zone = new QComboBox;
    zone->addItem(tr("this computer's (%1)").arg(QString::fromUtf8(QTimeZone::systemTimeZoneId())), QString());
    for (const QByteArray& id : QTimeZone::availableTimeZoneIds())
        if (id.contains('/')) zone->addItem(QString::fromUtf8(id), QString::fromUtf8(id));
    zone->setCurrentIndex(std::max(0, zone->findData(QString::fromStdString(m_model.trial().site.zone))));
    form->addRow(tr("Clock of the place"), zone);
    QLabel* trouble = problemLabel();
    finish(&dialog, form, trouble);
    while (dialog.exec() == QDialog::Accepted) {
        if (!check({{"Swapping", &swap},
                    {"Refocusing", &refocus},
                    {"Settling", &settle},
                    {"Flip", &flip},
                    {"Slewing", &slew},
                    {"Settling after a slew", &slewSettle},
                    {"Subs on the halo star", &starSubs},
                    {"Their length", &starLength},
                    {"Battery", &battery},
                    {"Mount", &mount},
                    {"Camera", &camera},
                    {"Heaters", &heaters}},
                   trouble))
            continue;
        if (!NightModel::setDarks(darks->text())) {
            trouble->setText(tr("\"%1\" holds something that is no length; write seconds with blanks between: 10 180 300.").arg(darks->text()));
            trouble->show();
            continue;
        }
        if (zone->currentData().toString().toStdString() != m_model.trial().site.zone) m_model.setZone(zone->currentData().toString());
        const Plan usual;
        Plan p = m_model.plan();
        p.swap_s = get(swap).value_or(usual.swap_s);
        p.refocus_s = get(refocus).value_or(usual.refocus_s);
        p.settle_s = get(settle).value_or(usual.settle_s);
        p.flip_s = get(flip).value_or(usual.flip_s);
        p.slew_deg_s = get(slew).value_or(usual.slew_deg_s);
        p.slewSettle_s = get(slewSettle).value_or(usual.slewSettle_s);
        p.starSubs = static_cast<int>(get(starSubs).value_or(usual.starSubs));
        p.starExposure_s = get(starLength).value_or(usual.starExposure_s);
        p.battery_Wh = get(battery).value_or(0);
        p.mount_W = get(mount).value_or(usual.mount_W);
        p.camera_W = get(camera).value_or(usual.camera_W);
        p.heaters_W = get(heaters).value_or(usual.heaters_W);
        m_model.edit(tr("Pauses and power"), p);
        return;
    }
}

QString Night::tableText() const {
    QString out;
    if (!m_model.ready()) return out;
    for (const std::vector<std::string>& row : csvRows(blocksToCsv(m_model.plan(), m_model.trial(), m_model.track()))) {
        QStringList cells;
        for (const std::string& cell : row) cells << copiedName(cell);
        out += copiedRow(cells);
    }
    return out;
}

void Night::askExport(const QString& ending) {
    if (!m_model.ready()) return emit problem(m_model.problem());
    if (m_model.plan().blocks.empty()) return emit problem(tr("No blocks are laid, so there is no plan to write; tick filters and lay them."));
    QString name = QString("plan-%1-%2").arg(QString::fromStdString(m_model.plan().date), QString::fromStdString(m_model.target().id).toLower());
    name.replace(QRegularExpression("[^\\w-]+"), "-");
    const QString kinds = ending == "pdf"   ? tr("Page (*.pdf)")
                          : ending == "ics" ? tr("Calendar (*.ics)")
                          : ending == "csv" ? tr("Table (*.csv)")
                                            : tr("Plan (*.json)");
    const QString path = m_prompts.saveFile(this, tr("Write the plan"), name + "." + ending, kinds);
    if (path.isEmpty()) return;
    std::string bytes;
    if (ending == "pdf")
        bytes = pdfOf(m_model, *m_chart).toStdString();
    else if (ending == "ics")
        bytes = planToCalendar(m_model.plan(), m_model.trial(), m_model.track());
    else if (ending == "csv")
        bytes = blocksToCsv(m_model.plan(), m_model.trial(), m_model.track());
    else
        bytes = jsonText(Json{{"caelumen_plan", 1},
                              {"target", m_model.target().id},
                              {"night_start", isoTime(m_model.track().start())},
                              {"plan", planToJson(m_model.plan())}},
                         1) +
                "\n";
    if (const Status written = m_session.write(path, bytes); !written) emit problem(QString::fromStdString(written.error().message));
}

} // namespace caelumen

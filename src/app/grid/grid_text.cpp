#include "app/grid/grid_text.h"

#include "app/widgets/core_words.h"
#include "app/widgets/page_ink.h"
#include "core/grid/grid_out.h"
#include "report/grid_picture.h"
#include "report/local_number.h"

#include <QObject>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

QString tr(const char* text) {
    return QObject::tr(text);
}

using Tone = TextPage::Tone;

QString safe(const std::string& text) {
    return TextPage::safe(text);
}

const char* lampName(std::size_t k) {
    constexpr std::array names{"high-pressure sodium", "low-pressure sodium", "metal halide", "LED 2700 K", "LED 4000 K"};
    return names[k];
}

} // namespace

namespace {

void addFigure(TextPage& page, const SkyGridModel& m, const GridCell& c) {
    const QString unit = gridQuantityUnit(m.question().quantity), name = coreWord(gridQuantityLabel(m.question().quantity)).toLower();
    page.add(QString("<p style='font-size:20px; margin:2px 0;'>%1 <span style='font-size:12px;'>%2</span></p>")
                 .arg(cellText(c, m.question().quantity), unit == "1" ? QString() : unit));
    const QString what = c.origin == CellOrigin::Measured ? tr("Measured")
                         : c.origin == CellOrigin::Scaled ? tr("Scaled from the nearest measurement by the model")
                                                          : tr("Modelled from its curve alone: nobody measured it");
    page.line(QString("%1 (%2, %3).").arg(what, name, coreWord(targetKindLabel(m.question().kind))));
    QList<std::pair<QString, QString>> facts;
    if (!c.channel.empty()) facts << std::pair(tr("channel"), safe(c.channel));
    if (c.modelSigma > 0) facts << std::pair(tr("the model's part of it"), withError(c.modelSigma, 0));
    if (c.minutesOfDark)
        facts << std::pair(tr("an hour here is worth"), tr("%1 minutes without this moon").arg(withError(c.minutesOfDark->value, c.minutesOfDark->sigma)));
    if (c.histogram_s)
        facts << std::pair(
            tr("by the histogram"),
            tr("%1 to %2 s (sky at 25 to 40 % of full scale)").arg(localNumber(c.histogram_s->first, 'g', 3)).arg(localNumber(c.histogram_s->second, 'g', 3)));
    QStringList levels;
    for (const auto& [channel, level] : c.background) levels << QString("%1 %2").arg(safe(channel)).arg(localNumber(level, 'g', 3));
    if (!levels.isEmpty()) facts << std::pair(tr("background (e-/s/px)"), levels.join(",&nbsp; "));
    page.facts(facts);
}

void addSite(TextPage& page, const SiteFit& s, const GridSite& site, const GridInput& input) {
    if (!s.fitted) return page.line(tr("%1: no background there could be used.").arg(QString::fromStdString(site.name)));
    QStringList lamps;
    for (std::size_t k = 0; k < kLamps; ++k)
        if (s.shares[k] > 0.03) lamps << QString("%1 %2 %").arg(tr(lampName(k))).arg(localNumber(100 * s.shares[k], 'f', 0));
    page.paragraph(QString("<b>%1</b>: %2 mag/arcsec\u00B2%3. %4")
                       .arg(safe(site.name), withError(s.sky_mag, s.sky_mag_sigma),
                            site.stated_mag ? tr(" (stated %1)").arg(localNumber(*site.stated_mag, 'f', 2)) : QString(), lamps.join(", ")));
    QList<QStringList> rows;
    for (const SkyResidual& r : s.residuals) {
        const GridRun& run = input.runs[r.run];
        const double off = 100 * (std::exp(r.ln()) - 1);
        rows << QStringList{QString::fromStdString(run.run + " " + run.filter), QString::fromStdString(r.channel), localNumber(r.measured, 'g', 3),
                            localNumber(r.modelled, 'g', 3),
                            (off < 0 ? QString::fromUtf8("\u2212") : QString("+")) + localNumber(std::abs(off), 'f', 0) + " %"};
    }
    page.table({{tr("run")}, {QString()}, {tr("measured"), true}, {tr("modelled"), true}, {tr("off"), true}}, rows);
    for (const Brighter& b : s.brighter) page.line(QString::fromStdString(b.text), Tone::Warn);
}

} // namespace

QString cellPage(const SkyGridModel& m, int index) {
    if (!m.grid() || index < 0 || index >= static_cast<int>(m.cells().size())) return {};
    const GridModel& g = *m.grid();
    const GridCell& c = m.cells()[static_cast<std::size_t>(index)];
    const GridFilter* f = g.input().filter(c.filter);
    TextPage page = screenPage();
    page.heading(QString::fromUtf8("%1 \u00A0\u00B7\u00A0 %2").arg(QString::fromStdString(f ? f->name : c.filter), QString::fromStdString(skyText(c.sky))));
    if (c.origin == CellOrigin::Empty)
        page.line(tr("Empty: %1.").arg(QString::fromStdString(c.reason)));
    else
        addFigure(page, m, c);
    page.lines(c.notes, Tone::Warn);
    for (const std::size_t r : c.runs) {
        const GridRun& run = g.input().runs[r];
        const qint64 trial = m.trialOf(run.trial);
        const QString label = QString("%1, %2").arg(QString::fromStdString(run.trial), tr("run %1").arg(QString::fromStdString(run.run)));
        page.paragraph((trial != 0 ? page.link(QString("bench:%1").arg(trial), label) : TextPage::safe(label)) +
                       (run.sky ? " " + page.toned("(" + safe(skyText(*run.sky)) + ")", Tone::Dim) : QString()));
    }
    return page.html();
}

QString gridPage(const SkyGridModel& m) {
    if (!m.grid()) return {};
    const GridModel& g = *m.grid();
    TextPage page = screenPage();
    page.heading(tr("Where no filter wins"));
    for (const Frontier& f : m.borders()) page.line(QString::fromStdString(f.text));
    page.heading(tr("What to measure next"));
    if (m.next().empty()) page.line(tr("Nothing would take away more than a trace of the doubt."));
    for (std::size_t i = 0; i < m.next().size(); ++i)
        page.paragraph(QString("%1. %2").arg(safe(m.next()[i].text), page.link(QString("plan:%1").arg(i), tr("Plan it"))));
    page.heading(tr("Places, and how the model meets them"));
    for (std::size_t i = 0; i < g.sites().size(); ++i) addSite(page, g.sites()[i], g.input().sites[i], g.input());
    page.line(tr("The model errs by %1 % for one source of light through one filter and by %2 % in what a filter leaves of a target, "
                 "judged by %n run(s), each left out in turn.")
                  .replace("%n", QString::number(g.runsBehind()))
                  .arg(localNumber(100 * g.backgroundError(), 'f', 0))
                  .arg(localNumber(100 * g.throughputError(), 'f', 0)),
              Tone::Dim);
    page.lines(g.input().notes, Tone::Dim);
    return page.html();
}

} // namespace caelumen

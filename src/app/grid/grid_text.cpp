#include "app/grid/grid_text.h"

#include "app/widgets/theme.h"
#include "core/grid/grid_out.h"
#include "report/grid_picture.h"

#include <QObject>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

QString tr(const char* text) {
    return QObject::tr(text);
}

QString safe(const std::string& text) {
    return QString::fromStdString(text).toHtmlEscaped();
}

QString heading(const QString& text) {
    return QString("<p style='margin-top:10px; margin-bottom:3px;'><b>%1</b></p>").arg(text);
}

QString row(const QString& name, const QString& value) {
    return QString("<tr><td style='padding-right:10px; color:%1;'>%2</td><td>%3</td></tr>").arg(theme().dim.name(), name, value);
}

const char* lampName(std::size_t k) {
    constexpr std::array names{"high-pressure sodium", "low-pressure sodium", "metal halide", "LED 2700 K", "LED 4000 K"};
    return names[k];
}

} // namespace

QString cellPage(const SkyGridModel& m, int index) {
    if (!m.grid() || index < 0 || index >= static_cast<int>(m.cells().size())) return {};
    const GridModel& g = *m.grid();
    const GridCell& c = m.cells()[static_cast<std::size_t>(index)];
    const GridFilter* f = g.input().filter(c.filter);
    const QString unit = gridQuantityUnit(m.question().quantity);
    QString out = heading(QString("%1 &nbsp;\u00B7&nbsp; %2").arg(safe(f ? f->name : c.filter), safe(skyText(c.sky))));
    if (c.origin == CellOrigin::Empty) {
        out += QString("<p>%1</p>").arg(tr("Empty: %1.").arg(safe(c.reason)));
    } else {
        out += QString("<p style='font-size:20px; margin:2px 0;'>%1 <span style='font-size:12px;'>%2</span></p>")
                   .arg(cellText(c, m.question().quantity), unit == "1" ? QString() : unit);
        const QString name = QString(gridQuantityLabel(m.question().quantity)).toLower();
        QString what = c.origin == CellOrigin::Measured ? tr("Measured")
                       : c.origin == CellOrigin::Scaled ? tr("Scaled from the nearest measurement by the model")
                                                        : tr("Modelled from its curve alone: nobody measured it");
        out += QString("<p style='margin:2px 0;'>%1 (%2, %3).</p>").arg(what, name, safe(targetKindLabel(m.question().kind)));
        out += "<table cellspacing=2>";
        if (!c.channel.empty()) out += row(tr("channel"), safe(c.channel));
        if (c.modelSigma > 0) out += row(tr("the model's part of it"), withError(c.modelSigma, 0));
        if (c.minutesOfDark)
            out += row(tr("an hour here is worth"), tr("%1 minutes without this moon").arg(withError(c.minutesOfDark->value, c.minutesOfDark->sigma)));
        if (c.histogram_s)
            out += row(tr("by the histogram"),
                       tr("%1 to %2 s (sky at 25 to 40 % of full scale)").arg(c.histogram_s->first, 0, 'g', 3).arg(c.histogram_s->second, 0, 'g', 3));
        QStringList levels;
        for (const auto& [channel, level] : c.background) levels << QString("%1 %2").arg(safe(channel)).arg(level, 0, 'g', 3);
        if (!levels.isEmpty()) out += row(tr("background (e-/s/px)"), levels.join(",&nbsp; "));
        out += "</table>";
    }
    for (const std::string& note : c.notes) out += QString("<p style='color:%1; margin:2px 0;'>%2</p>").arg(theme().warn.name(), safe(note));
    for (const std::size_t r : c.runs) {
        const GridRun& run = g.input().runs[r];
        const qint64 trial = m.trialOf(run.trial);
        const QString label = QString("%1, %2").arg(safe(run.trial), tr("run %1").arg(safe(run.run)));
        out += "<p style='margin:2px 0;'>" + (trial != 0 ? QString("<a href='bench:%1'>%2</a>").arg(trial).arg(label) : label);
        if (run.sky) out += QString(" <span style='color:%1;'>(%2)</span>").arg(theme().dim.name(), safe(skyText(*run.sky)));
        out += "</p>";
    }
    return out;
}

QString gridPage(const SkyGridModel& m) {
    if (!m.grid()) return {};
    const GridModel& g = *m.grid();
    QString out = heading(tr("Where no filter wins"));
    for (const Frontier& f : m.borders()) out += QString("<p style='margin:2px 0;'>%1</p>").arg(safe(f.text));
    out += heading(tr("What to measure next"));
    if (m.next().empty()) out += QString("<p style='margin:2px 0;'>%1</p>").arg(tr("Nothing would take away more than a trace of the doubt."));
    for (std::size_t i = 0; i < m.next().size(); ++i)
        out += QString("<p style='margin:2px 0;'>%1. <a href='plan:%2'>%3</a></p>").arg(safe(m.next()[i].text)).arg(i).arg(tr("Plan it"));
    out += heading(tr("Places, and how the model meets them"));
    for (std::size_t i = 0; i < g.sites().size(); ++i) {
        const SiteFit& s = g.sites()[i];
        const GridSite& site = g.input().sites[i];
        if (!s.fitted) {
            out += QString("<p style='margin:2px 0;'>%1</p>").arg(tr("%1: no background there could be used.").arg(safe(site.name)));
            continue;
        }
        QStringList lamps;
        for (std::size_t k = 0; k < kLamps; ++k)
            if (s.shares[k] > 0.03) lamps << QString("%1 %2 %").arg(tr(lampName(k))).arg(100 * s.shares[k], 0, 'f', 0);
        out += QString("<p style='margin:6px 0 2px 0;'><b>%1</b>: %2 mag/arcsec\u00B2%3. %4</p>")
                   .arg(safe(site.name), withError(s.sky_mag, s.sky_mag_sigma),
                        site.stated_mag ? tr(" (stated %1)").arg(*site.stated_mag, 0, 'f', 2) : QString(), lamps.join(", "));
        out +=
            QString(
                "<table cellspacing=1 style='color:%1;'><tr><td>%2</td><td>%3</td><td align=right>%4</td><td align=right>%5</td><td align=right>%6</td></tr>")
                .arg(theme().dim.name(), tr("run"), "", tr("measured"), tr("modelled"), tr("off"));
        for (const SkyResidual& r : s.residuals) {
            const GridRun& run = g.input().runs[r.run];
            const double off = 100 * (std::exp(r.ln()) - 1);
            out += QString(
                       "<tr><td>%1&nbsp;</td><td>%2&nbsp;</td><td align=right>&nbsp;%3</td><td align=right>&nbsp;%4</td><td align=right>&nbsp;%5%6 %</td></tr>")
                       .arg(safe(run.run + " " + run.filter), safe(r.channel))
                       .arg(r.measured, 0, 'g', 3)
                       .arg(r.modelled, 0, 'g', 3)
                       .arg(off < 0 ? QString::fromUtf8("\u2212") : QString("+"))
                       .arg(std::abs(off), 0, 'f', 0);
        }
        out += "</table>";
        for (const Brighter& b : s.brighter) out += QString("<p style='color:%1; margin:2px 0;'>%2</p>").arg(theme().warn.name(), safe(b.text));
    }
    out += QString("<p style='color:%1; margin-top:8px;'>%2</p>")
               .arg(theme().dim.name(), tr("The model errs by %1 % for one source of light through one filter and by %2 % in what a filter leaves of a target, "
                                           "judged by %n run(s), each left out in turn.")
                                            .replace("%n", QString::number(g.runsBehind()))
                                            .arg(100 * g.backgroundError(), 0, 'f', 0)
                                            .arg(100 * g.throughputError(), 0, 'f', 0));
    for (const std::string& note : g.input().notes) out += QString("<p style='color:%1; margin:2px 0;'>%2</p>").arg(theme().dim.name(), safe(note));
    return out;
}

} // namespace caelumen

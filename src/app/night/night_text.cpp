#include "app/night/night_text.h"

#include "app/widgets/place_zone.h"
#include "app/widgets/theme.h"
#include "core/plan/star_series.h"

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

QString tr(const char* text) {
    return QObject::tr(text);
}
QString number(double v, int digits) {
    return QString::number(v, 'f', digits);
}
QString seconds(double s) {
    return s <= 0 ? QString("\u2013") : s > 3 * 3600 ? tr("> 3 h") : s < 1 ? number(s, 2) + " s" : s < 600 ? number(s, 0) + " s" : number(s / 60, 0) + " min";
}
QString hours(double s) {
    return QString("%1 h %2").arg(static_cast<int>(s / 3600)).arg(static_cast<int>(std::fmod(s, 3600) / 60), 2, 10, QChar('0'));
}

struct Colours {
    QString text, dim, bad, warn;
};

QString table(const QList<QStringList>& rows, const Colours& c) {
    QString out = "<table width='100%' cellspacing='0' cellpadding='3'>";
    for (qsizetype r = 0; r < rows.size(); ++r) {
        out += "<tr>";
        for (qsizetype k = 0; k < rows[r].size(); ++k)
            out += QString("<td align='%1' style='color:%2'>%3</td>").arg(k == 0 ? "left" : "right", r == 0 ? c.dim : c.text, rows[r][k].toHtmlEscaped());
        out += "</tr>";
    }
    return out + "</table>";
}

QString headed(const QString& text, const QString& colour) {
    return QString("<p style='margin-top:12px; margin-bottom:3px; color:%2'><b>%1</b></p>").arg(text.toHtmlEscaped(), colour);
}
QString line(const QString& text, const QString& colour) {
    return QString("<p style='margin-top:3px; margin-bottom:3px; color:%1'>%2</p>").arg(colour, text.toHtmlEscaped());
}

/// Dusk and dawn, moon, meridian and the usable time, by the place's clock.
QString events(const NightModel& m) {
    const NightTrack& track = m.track();
    const auto at = [&](double s) { return m.timeAt(s).toString("HH:mm"); };
    QStringList said;
    if (const auto dark = track.sunBelow(m.plan().twilight_deg))
        said << tr("dark %1 to %2").arg(at(dark->from), at(dark->to));
    else
        said << tr("no darkness");
    for (const Span& up : track.moonUp()) {
        if (up.from > 0) said << tr("moon rises %1").arg(at(up.from));
        if (up.to < NightTrack::kLength) said << tr("moon sets %1").arg(at(up.to));
    }
    if (track.moonUp().empty()) said << tr("the moon stays down");
    if (const auto transit = track.transit()) said << tr("meridian %1").arg(at(*transit));
    double whole = 0;
    for (const Span& s : usable(m.plan(), m.trial().site, track)) whole += s.length(), said << tr("usable %1 to %2").arg(at(s.from), at(s.to));
    if (whole <= 0) said << tr("never usable");
    return said.join(QString::fromUtf8(" \u00B7 "));
}

/// Where, and with what.
QString placeAndTelescope(const NightModel& m) {
    const Site& site = m.trial().site;
    QStringList said;
    if (!site.name.empty()) said << QString::fromStdString(site.name);
    said << tr("%1\u00B0, %2\u00B0, %3 m")
                .arg(site.latitude_deg.value_or(0), 0, 'f', 3)
                .arg(site.longitude_deg.value_or(0), 0, 'f', 3)
                .arg(site.elevation_m, 0, 'f', 0);
    if (site.bortle) said << tr("class %1").arg(*site.bortle);
    if (const auto mag = skyBrightness(site)) said << tr("%1 mag/arcsec\u00B2 at the zenith").arg(number(*mag, 2));
    said << tr("clock of %1").arg(QString::fromUtf8(placeZone(site).zone.id()));
    const PlanRig& rig = m.rig();
    said << tr("%1 mm f/%2, %3 \u00B5m pixels, %4\u2033 each")
                .arg(number(rig.aperture_mm, 0), number(rig.fRatio(), 1), number(rig.pixel_um, 2), number(rig.scale_arcsec(), 2))
         << QString::fromStdString(m.camera().name);
    return said.join(QString::fromUtf8(" \u00B7 "));
}

} // namespace

QString nightPage(const NightModel& m, bool print) {
    const Theme& t = theme();
    const Colours c = print ? Colours{"#000000", "#555555", "#a00000", "#805000"} : Colours{t.text.name(), t.dim.name(), t.bad.name(), t.warn.name()};
    if (!m.ready()) return line(m.problem(), c.dim);
    const Plan& plan = m.plan();
    const Trial& trial = m.trial();
    const auto nameOf = [&](const std::string& id) {
        const Filter* f = trial.filter(id);
        return QString::fromStdString(f && !f->name.empty() ? f->name : id);
    };
    const auto heading = [&](const QString& text) { return headed(text, c.text); };
    const auto shortName = [&](const std::string& id) {
        const QString name = nameOf(id);
        return print || name.size() <= 24 ? name : name.left(22).trimmed() + QString::fromUtf8("\u2026");
    };
    QString out = QString("<h3 style='margin-bottom:2px; color:%3'>%1, %2</h3>")
                      .arg(QString::fromStdString(m.target().id + (m.target().name.empty() ? "" : " " + m.target().name)).toHtmlEscaped(),
                           QDate::fromString(QString::fromStdString(plan.date), Qt::ISODate).toString("d MMMM yyyy"), c.text);
    out += line(events(m), c.dim);
    if (print) out += line(placeAndTelescope(m), c.text);
    if (!m.problem().isEmpty()) out += line(m.problem(), c.bad);
    for (const std::string& s : m.blockTroubles()) out += line(QString::fromStdString(s), c.warn);
    if (const PlaceZone clock = placeZone(trial.site); std::abs(clock.offSun_h) > 3)
        out += line(tr("The clock of %1 runs %2 h off the sun of this place; choose its own under Plan, Pauses, power and clock.")
                        .arg(QString::fromUtf8(clock.zone.id()))
                        .arg(number(std::abs(clock.offSun_h), 0)),
                    c.warn);
    out += heading(tr("What this night can prove"));
    for (const std::string& s : proofSentences(m.forecasts(), m.balance(), plan, trial, m.target())) out += line(QString::fromStdString(s), c.text);
    if (plan.blocks.empty()) out += line(tr("Nothing yet: no blocks are laid."), c.dim);
    if (!m.forecasts().empty()) {
        QList<QStringList> rows{{tr("Foretold"), tr("sky"), tr("contrast"), tr("S/N"), tr("faster by")}};
        for (const Forecast& f : m.forecasts().filters) {
            if (f.channel.empty()) continue;
            rows << QStringList{
                tr("%1\u00A0(%2)").arg(shortName(f.filter), QString::fromStdString(f.channel)), number(f.background, f.background < 0.1 ? 4 : 2),
                number(f.contrast, f.contrast < 0.1 ? 3 : 2), number(f.snr, f.snr < 10 ? 1 : 0),
                f.filter == plan.filters.front() ? QString("1")
                : f.timeRatio > 0
                    ? QString("%1 \u00B1 %2").arg(number(f.timeRatio, 1), number(std::max(f.timeRatioSigma, 0.01), f.timeRatioSigma < 0.1 ? 2 : 1))
                    : QString("\u2013")};
        }
        out += table(rows, c);
    }
    out += heading(tr("How the filters share it"));
    QList<QStringList> rows{{tr("Filter"), tr("subs"), tr("light"), tr("airmass"), tr("sky"), tr("later by")}};
    for (const Balance& b : m.balance())
        rows << QStringList{shortName(b.filter),
                            QString::number(b.subs),
                            hours(b.total_s),
                            b.subs ? number(b.airmass, 2) : QString("\u2013"),
                            b.sky_nL > 0 ? (b.skyMore >= 0 ? "+" : "\u2212") + number(100 * std::abs(b.skyMore), 1) + " %" : QString("\u2013"),
                            b.subs ? number(b.later_s / 60, 0) + " min" : QString("\u2013")};
    out += table(rows, c);
    if (const auto lengths = m.subLengths(); !lengths.empty()) {
        out += heading(tr("How long a sub should be"));
        QList<QStringList> subs{{tr("Filter"), tr("sky-limited"), tr("histogram"), tr("6 mag full"), tr("noise")}};
        double fair = 0, least = 1e9;
        for (const SubLength& s : lengths) {
            subs << QStringList{shortName(s.filter), seconds(s.skyLimited_s),
                                s.histogramLow_s <= 0          ? QString("\u2013")
                                : s.histogramLow_s > 3 * 3600  ? seconds(s.histogramLow_s)
                                : s.histogramHigh_s > 3 * 3600 ? tr("from %1").arg(seconds(s.histogramLow_s))
                                                               : seconds(s.histogramLow_s) + "\u2013" + seconds(s.histogramHigh_s),
                                seconds(s.starLimit_s),
                                s.background > 0 ? "+" + number(100 * noiseAdded(s.background, m.rig().readNoise_e, plan.exposure_s), 0) + " %"
                                                 : QString("\u2013")};
            if (s.skyLimited_s > 0) fair = std::max(fair, s.skyLimited_s), least = std::min(least, s.skyLimited_s);
        }
        out += table(subs, c);
        if (fair > 0) {
            int files = 0;
            for (const PlanBlock& b : plan.blocks) files += b.subs;
            out += line(tr("One length for all is fair: %1 keeps read noise below 5 % in each. Its own length for each is faster (%2 for the brightest sky), "
                           "but then exposure differs and is normalised, not equal. Planned: %3 in %4 files; a lost sub costs that much.")
                            .arg(seconds(fair), seconds(least), seconds(plan.exposure_s))
                            .arg(files),
                        c.dim);
        }
    }
    if (m.virtualSky())
        out += line(tr("The virtual sensor sees clouds over %1 % of the blocks' light. It is made up: nothing is measured with it.")
                        .arg(number(100 * m.cloudedPart(), 0)),
                    m.cloudedPart() > 0.2 ? c.warn : c.dim);
    if (!plan.exposures.empty())
        out += line(
            tr("Lengths differ: the comparison will note the exposure and normalise it; only one length for all leaves the filter as the only difference."),
            c.warn);
    const Budget b = budgetOf(plan, m.frame().width(), m.frame().height(), NightModel::darksAtHand());
    out += heading(tr("What it costs"));
    out += line(tr("%1 h from the first block to the last, %2 Wh%3, %4 files, %5 GB.")
                    .arg(number(b.hours, 1), number(b.energy_Wh, 0), b.part > 0 ? tr(" (%1 % of the battery)").arg(number(100 * b.part, 0)) : QString())
                    .arg(b.files + b.calibrationFiles)
                    .arg(number(b.storage_GB, 1)),
                b.part > 0.8 ? c.warn : c.text);
    if (!plan.blocks.empty())
        out += line(tr("Among them %1 calibration frames: flats for each filter take some %2 min%3.")
                        .arg(b.calibrationFiles)
                        .arg(number(b.flats_min, 0), b.darks_min > 0 ? tr(", the darks that are missing %1 h").arg(number(b.darks_min / 60, 1)) : QString()),
                    c.dim);
    const std::vector<PlanProgress> progress = progressOf(plan, trial, m.results());
    if (trial.plan && std::any_of(progress.begin(), progress.end(), [](const PlanProgress& p) { return p.shot_s > 0; })) {
        out += heading(tr("Plan against what happened"));
        QList<QStringList> done{{tr("Filter"), tr("planned"), tr("shot"), tr("subs"), tr("missing")}};
        for (const PlanProgress& p : progress)
            done << QStringList{shortName(p.filter), hours(p.planned_s), hours(p.shot_s), tr("%1 of %2").arg(p.subs).arg(p.plannedSubs),
                                hours(std::max(0.0, p.planned_s - p.shot_s))};
        out += table(done, c);
    }
    if (const std::vector<StarBlock> series = starSeries(plan, m.track()); !series.empty()) {
        out += heading(tr("Halos: %1").arg(QString::fromStdString(plan.brightStar)));
        QList<QStringList> stars{{tr("Filter"), tr("from"), tr("to"), tr("altitude"), tr("moon away")}};
        for (const StarBlock& s : series)
            stars << QStringList{shortName(s.block.filter), m.timeAt(s.block.start_s).toString("HH:mm"), m.timeAt(blockEnd(plan, s.block)).toString("HH:mm"),
                                 number(s.star.alt_deg, 0) + "\u00B0", s.moonUp ? number(s.moonAway_deg, 0) + "\u00B0" : tr("down")};
        out += table(stars, c);
        const BrightStar* star = haloStar(plan);
        if (star)
            out += line(tr("%1 mag, B\u2212V %2; %3 subs of %4 s each time; %5 min there and as long back.")
                            .arg(number(star->magnitude, 1), number(star->colour, 1))
                            .arg(plan.starSubs)
                            .arg(plan.starExposure_s)
                            .arg(number(slewTime(plan, m.track()) / 60, 1)),
                        c.dim);
    }
    if (print) {
        out += heading(tr("Blocks"));
        QList<QStringList> blocks{{tr("Filter"), tr("from"), tr("to"), tr("UTC"), tr("subs"), tr("altitude")}};
        for (const PlanBlock& block : plan.blocks)
            blocks << QStringList{nameOf(block.filter),
                                  m.timeAt(block.start_s).toString("HH:mm"),
                                  m.timeAt(blockEnd(plan, block)).toString("HH:mm"),
                                  m.timeAt(block.start_s).toUTC().toString("HH:mm"),
                                  QString::fromUtf8("%1 \u00D7 %2 s").arg(block.subs).arg(block.exposure_s),
                                  number(m.track().at((block.start_s + blockEnd(plan, block)) / 2).target->alt_deg, 0) + "\u00B0"};
        out += table(blocks, c);
        out += heading(tr("Before and after"));
        for (const auto& [id, words] : checklist(plan, trial, NightModel::darksAtHand()))
            out += line(QString::fromUtf8("\u25A1 ") + QString::fromStdString(words), c.text);
    }
    QString assumed;
    for (const std::string& a : m.rig().assumed) assumed += (assumed.isEmpty() ? "" : ", ") + QString::fromStdString(a);
    if (!m.frameKnown()) assumed += (assumed.isEmpty() ? QString() : QString(", ")) + tr("size of the frame");
    if (!assumed.isEmpty()) out += line(tr("Not known and assumed: %1.").arg(assumed), c.dim);
    const QString continuum = m.target().continuum > 0 ? number(continuumBrightness(m.target().continuum), 1) : tr("none");
    if (!m.forecasts().empty())
        out += line(tr("Sky in e\u207B/s/px. Foretold for a region of %1 pixels, with the errors that the Bench will state; the target's lines count 5, 25 or "
                       "100 rayleighs in the mean of a region where the catalogue calls them faint, fair or strong, its starlight and dust 25.5, 24 or 22.5 "
                       "mag/arcsec\u00B2 (here: %2). Such continuum counts for the baseline and is lost in narrow bands: a target of pure lines gains more.")
                        .arg(std::round(m.forecasts().ground.nebula_px))
                        .arg(continuum),
                    c.dim);
    out += line(tr("None of these filters is a solar filter."), c.dim);
    return out;
}

} // namespace caelumen

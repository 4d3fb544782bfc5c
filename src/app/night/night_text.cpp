#include "app/night/night_text.h"

#include "app/widgets/page_ink.h"
#include "app/widgets/place_zone.h"
#include "core/plan/star_series.h"
#include "report/local_number.h"

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

QString tr(const char* text) {
    return QObject::tr(text);
}
QString number(double v, int digits) {
    return localNumber(v, 'f', digits);
}
QString seconds(double s) {
    return s <= 0 ? QString("\u2013") : s > 3 * 3600 ? tr("> 3 h") : s < 1 ? number(s, 2) + " s" : s < 600 ? number(s, 0) + " s" : number(s / 60, 0) + " min";
}
QString hours(double s) {
    return QString("%1 h %2").arg(static_cast<int>(s / 3600)).arg(static_cast<int>(std::fmod(s, 3600) / 60), 2, 10, QChar('0'));
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
                .arg(localNumber(site.latitude_deg.value_or(0), 'f', 3))
                .arg(localNumber(site.longitude_deg.value_or(0), 'f', 3))
                .arg(localNumber(site.elevation_m, 'f', 0));
    if (site.bortle) said << tr("class %1").arg(*site.bortle);
    if (const auto mag = skyBrightness(site)) said << tr("%1 mag/arcsec\u00B2 at the zenith").arg(number(*mag, 2));
    said << tr("clock of %1").arg(QString::fromUtf8(placeZone(site).zone.id()));
    const PlanRig& rig = m.rig();
    said << tr("%1 mm f/%2, %3 \u00B5m pixels, %4\u2033 each")
                .arg(number(rig.aperture_mm, 0), number(rig.fRatio(), 1), number(rig.pixel_um, 2), number(rig.scale_arcsec(), 2))
         << QString::fromStdString(m.camera().name);
    return said.join(QString::fromUtf8(" \u00B7 "));
}

using Tone = TextPage::Tone;

/// What stands beside the night's picture, section by section.
class NightPage {
public:
    NightPage(const NightModel& model, bool toPrint)
        : m(model)
        , plan(model.plan())
        , trial(model.trial())
        , print(toPrint)
        , page(toPrint ? paperPage() : screenPage()) {}

    QString html() {
        head();
        proof();
        shares();
        subLengths();
        caveats();
        costs();
        progress();
        halos();
        if (print) blocks();
        assumptions();
        return page.html();
    }

private:
    QString nameOf(const std::string& id) const {
        const Filter* f = trial.filter(id);
        return QString::fromStdString(f && !f->name.empty() ? f->name : id);
    }
    QString shortName(const std::string& id) const {
        const QString name = nameOf(id);
        return print || name.size() <= 24 ? name : name.left(22).trimmed() + QString::fromUtf8("\u2026");
    }
    QString clock(double s) const { return m.timeAt(s).toString("HH:mm"); }

    void head() {
        page.title(QString("%1, %2").arg(QString::fromStdString(m.target().id + (m.target().name.empty() ? "" : " " + m.target().name)),
                                         QLocale().toString(QDate::fromString(QString::fromStdString(plan.date), Qt::ISODate), "d MMMM yyyy")));
        page.line(events(m), Tone::Dim);
        if (print) page.line(placeAndTelescope(m));
        if (!m.problem().isEmpty()) page.line(m.problem(), Tone::Bad);
        page.lines(m.blockTroubles(), Tone::Warn);
        if (const PlaceZone clock = placeZone(trial.site); std::abs(clock.offSun_h) > 3)
            page.line(tr("The clock of %1 runs %2 h off the sun of this place; choose its own under Plan, Pauses, power and clock.")
                          .arg(QString::fromUtf8(clock.zone.id()))
                          .arg(number(std::abs(clock.offSun_h), 0)),
                      Tone::Warn);
    }

    void proof() {
        page.heading(tr("What this night can prove"));
        page.lines(proofSentences(m.forecasts(), m.balance(), plan, trial, m.target()));
        if (plan.blocks.empty()) page.line(tr("Nothing yet: no blocks are laid."), Tone::Dim);
        if (m.forecasts().empty()) return;
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
        page.table(rows);
    }

    void shares() {
        page.heading(tr("How the filters share it"));
        QList<QStringList> rows{{tr("Filter"), tr("subs"), tr("light"), tr("airmass"), tr("sky"), tr("later by")}};
        for (const Balance& b : m.balance())
            rows << QStringList{shortName(b.filter),
                                QString::number(b.subs),
                                hours(b.total_s),
                                b.subs ? number(b.airmass, 2) : QString("\u2013"),
                                b.sky_nL > 0 ? (b.skyMore >= 0 ? "+" : "\u2212") + number(100 * std::abs(b.skyMore), 1) + " %" : QString("\u2013"),
                                b.subs ? number(b.later_s / 60, 0) + " min" : QString("\u2013")};
        page.table(rows);
    }

    void subLengths() {
        const auto lengths = m.subLengths();
        if (lengths.empty()) return;
        page.heading(tr("How long a sub should be"));
        QList<QStringList> rows{{tr("Filter"), tr("sky-limited"), tr("histogram"), tr("6 mag full"), tr("noise")}};
        std::optional<double> fair, least;
        for (const SubLength& s : lengths) {
            rows << QStringList{shortName(s.filter), seconds(s.skyLimited_s),
                                s.histogramLow_s <= 0          ? QString("\u2013")
                                : s.histogramLow_s > 3 * 3600  ? seconds(s.histogramLow_s)
                                : s.histogramHigh_s > 3 * 3600 ? tr("from %1").arg(seconds(s.histogramLow_s))
                                                               : seconds(s.histogramLow_s) + "\u2013" + seconds(s.histogramHigh_s),
                                seconds(s.starLimit_s),
                                s.background > 0 ? "+" + number(100 * noiseAdded(s.background, m.rig().readNoise_e, plan.exposure_s), 0) + " %"
                                                 : QString("\u2013")};
            if (s.skyLimited_s > 0) fair = std::max(fair.value_or(0), s.skyLimited_s), least = std::min(least.value_or(s.skyLimited_s), s.skyLimited_s);
        }
        page.table(rows);
        if (!fair) return;
        int files = 0;
        for (const PlanBlock& b : plan.blocks) files += b.subs;
        page.line(tr("One length for all is fair: %1 keeps read noise below 5 % in each. Its own length for each is faster (%2 for the brightest sky), "
                     "but then exposure differs and is normalised, not equal. Planned: %3 in %4 files; a lost sub costs that much.")
                      .arg(seconds(*fair), seconds(*least), seconds(plan.exposure_s))
                      .arg(files),
                  Tone::Dim);
    }

    void caveats() {
        if (m.virtualSky())
            page.line(tr("The virtual sensor sees clouds over %1 % of the blocks' light. It is made up: nothing is measured with it.")
                          .arg(number(100 * m.cloudedPart(), 0)),
                      m.cloudedPart() > 0.2 ? Tone::Warn : Tone::Dim);
        if (!plan.exposures.empty())
            page.line(tr("Lengths differ: the comparison will note the exposure and normalise it; only one length for all leaves the filter as the only "
                         "difference."),
                      Tone::Warn);
    }

    void costs() {
        const Budget b = budgetOf(plan, m.frame().width(), m.frame().height(), NightModel::darksAtHand());
        page.heading(tr("What it costs"));
        page.line(tr("%1 h from the first block to the last, %2 Wh%3, %4 files, %5 GB.")
                      .arg(number(b.hours, 1), number(b.energy_Wh, 0), b.part > 0 ? tr(" (%1 % of the battery)").arg(number(100 * b.part, 0)) : QString())
                      .arg(b.files + b.calibrationFiles)
                      .arg(number(b.storage_GB, 1)),
                  b.part > 0.8 ? Tone::Warn : Tone::Plain);
        if (!plan.blocks.empty())
            page.line(tr("Among them %1 calibration frames: flats for each filter take some %2 min%3.")
                          .arg(b.calibrationFiles)
                          .arg(number(b.flats_min, 0), b.darks_min > 0 ? tr(", the darks that are missing %1 h").arg(number(b.darks_min / 60, 1)) : QString()),
                      Tone::Dim);
    }

    void progress() {
        const std::vector<PlanProgress> filters = progressOf(plan, trial, m.results());
        if (!trial.plan || std::none_of(filters.begin(), filters.end(), [](const PlanProgress& p) { return p.shot_s > 0; })) return;
        page.heading(tr("Plan against what happened"));
        QList<QStringList> rows{{tr("Filter"), tr("planned"), tr("shot"), tr("subs"), tr("missing")}};
        for (const PlanProgress& p : filters)
            rows << QStringList{shortName(p.filter), hours(p.planned_s), hours(p.shot_s), tr("%1 of %2").arg(p.subs).arg(p.plannedSubs),
                                hours(std::max(0.0, p.planned_s - p.shot_s))};
        page.table(rows);
    }

    void halos() {
        const std::vector<StarBlock> series = starSeries(plan, m.track());
        if (series.empty()) return;
        page.heading(tr("Halos: %1").arg(QString::fromStdString(plan.brightStar)));
        QList<QStringList> rows{{tr("Filter"), tr("from"), tr("to"), tr("altitude"), tr("moon away")}};
        for (const StarBlock& s : series)
            rows << QStringList{shortName(s.block.filter), clock(s.block.start_s), clock(blockEnd(plan, s.block)), number(s.star.alt_deg, 0) + "\u00B0",
                                s.moonUp ? number(s.moonAway_deg, 0) + "\u00B0" : tr("down")};
        page.table(rows);
        if (const BrightStar* star = haloStar(plan))
            page.line(tr("%1 mag, B\u2212V %2; %3 subs of %4 s each time; %5 min there and as long back.")
                          .arg(number(star->magnitude, 1), number(star->colour, 1))
                          .arg(plan.starSubs)
                          .arg(plan.starExposure_s)
                          .arg(number(slewTime(plan, m.track()) / 60, 1)),
                      Tone::Dim);
    }

    void blocks() {
        page.heading(tr("Blocks"));
        QList<QStringList> rows{{tr("Filter"), tr("from"), tr("to"), tr("UTC"), tr("subs"), tr("altitude")}};
        for (const PlanBlock& b : plan.blocks)
            rows << QStringList{nameOf(b.filter),
                                clock(b.start_s),
                                clock(blockEnd(plan, b)),
                                m.timeAt(b.start_s).toUTC().toString("HH:mm"),
                                QString::fromUtf8("%1 \u00D7 %2 s").arg(b.subs).arg(b.exposure_s),
                                number(m.track().at((b.start_s + blockEnd(plan, b)) / 2).target->alt_deg, 0) + "\u00B0"};
        page.table(rows);
        page.heading(tr("Before and after"));
        for (const auto& [id, words] : checklist(plan, trial, NightModel::darksAtHand()))
            page.line(QString::fromUtf8("\u25A1 ") + QString::fromStdString(words));
    }

    void assumptions() {
        QStringList assumed;
        for (const std::string& a : m.rig().assumed) assumed << QString::fromStdString(a);
        if (!m.frameKnown()) assumed << tr("size of the frame");
        if (!assumed.isEmpty()) page.line(tr("Not known and assumed: %1.").arg(assumed.join(", ")), Tone::Dim);
        const QString continuum = m.target().continuum > 0 ? number(continuumBrightness(m.target().continuum), 1) : tr("none");
        if (!m.forecasts().empty())
            page.line(tr("Sky in e\u207B/s/px. Foretold for a region of %1 pixels, with the errors that the Bench will state; the target's lines count 5, 25 "
                         "or 100 rayleighs in the mean of a region where the catalogue calls them faint, fair or strong, its starlight and dust 25.5, 24 or "
                         "22.5 mag/arcsec\u00B2 (here: %2). Such continuum counts for the baseline and is lost in narrow bands: a target of pure lines gains "
                         "more.")
                          .arg(std::round(m.forecasts().ground.nebula_px))
                          .arg(continuum),
                      Tone::Dim);
        page.line(tr("None of these filters is a solar filter."), Tone::Dim);
    }

    const NightModel& m;
    const Plan& plan;
    const Trial& trial;
    bool print;
    TextPage page;
};

} // namespace

QString nightPage(const NightModel& m, bool print) {
    if (m.ready()) return NightPage(m, print).html();
    TextPage page = print ? paperPage() : screenPage();
    page.line(m.problem(), Tone::Dim);
    return page.html();
}

} // namespace caelumen

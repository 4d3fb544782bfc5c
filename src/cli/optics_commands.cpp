#include "cli/optics_commands.h"

#include "cli/outcome.h"
#include "core/base/json.h"
#include "core/optics/passband_report.h"
#include "core/sky/ephemeris.h"

#include <fmt/format.h>

#include <cmath>

namespace caelumen::cli {

const Shape kPassbandShape{{"--f-ratio", "--obstruction", "--n-eff", "--tilt"}, {"--json"}, 1, 1};
const Shape kSkyShape{{"--lat", "--lon", "--elevation", "--time", "--ra", "--dec"}, {"--json"}, 0, 0};

namespace {

/// Options that are numbers, each asked for once; what is wrong with the first bad one.
class Numbers {
public:
    explicit Numbers(const Arguments& a)
        : m_arguments(a) {}

    double needed(const std::string& option, double low, double high) {
        if (m_arguments.has(option)) return optional(option, low, high, 0);
        complain(fmt::format("{} is missing", option));
        return 0;
    }
    double optional(const std::string& option, double low, double high, double otherwise) {
        if (!m_arguments.has(option)) return otherwise;
        const auto value = number(m_arguments.value(option), low, high);
        if (!value) complain(fmt::format("{} needs a number from {:g} to {:g}", option, low, high));
        return value.value_or(otherwise);
    }
    void complain(const std::string& text) {
        if (m_problem.empty()) m_problem = text;
    }
    const std::string& problem() const { return m_problem; }

private:
    const Arguments& m_arguments;
    std::string m_problem;
};

std::string densityText(const std::optional<double>& od) {
    return od ? fmt::format("{:.2f}", *od) : "-";
}

} // namespace

int passband(const Arguments& a) {
    Numbers numbers(a);
    LightCone cone;
    cone.fRatio = numbers.needed("--f-ratio", 0.7, 1000);
    cone.obstruction = numbers.optional("--obstruction", 0, 0.95, 0);
    cone.effectiveIndex = numbers.optional("--n-eff", 1.4, 2.2, cone.effectiveIndex);
    cone.tilt_deg = numbers.optional("--tilt", 0, 45, 0);
    if (!numbers.problem().empty()) return misuse(numbers.problem(), kPassbandUsage);
    const auto curve = readCurve(a.words[0]);
    if (!curve) return fail(a.words[0], curve.error().message);
    for (const std::string& note : curve->notes) fmt::print(stderr, "note: {}\n", note);
    const PassbandReport report = reportPassband(*curve, cone);
    if (a.has("--json")) {
        say("{}\n", jsonText(passbandToJson(report), 1));
        return kDone;
    }
    say("{}: {} points from {:g} to {:g} nm; f/{:g}, obstruction {:g}, effective index {:g}\n", a.words[0], curve->wavelength_nm.size(),
        curve->wavelength_nm.front(), curve->wavelength_nm.back(), cone.fRatio, cone.obstruction, cone.effectiveIndex);
    for (const PassbandReport::Row& row : report.bands) {
        say("  band {:8.2f} nm  FWHM {:7.2f} nm  peak {:.3f}", row.normal.center_nm, row.normal.fwhm_nm, row.normal.peak);
        if (row.effective)
            say("   in the cone {:8.2f} nm  FWHM {:7.2f} nm  peak {:.3f}\n", row.effective->center_nm, row.effective->fwhm_nm, row.effective->peak);
        else
            say("   no band is left in the cone\n");
    }
    if (report.bands.empty()) say("  no band: nothing passes 5 %\n");
    for (const PassbandReport::LineRow& row : report.lines) {
        if (!row.covered) {
            say("  {:<5}the curve does not reach it\n", lineName(row.line));
            continue;
        }
        say("  {:<5}{:.3f}   in the cone {:.3f}", lineName(row.line), row.normal, row.effective);
        say("   {}\n", row.fastest.fRatio ? fmt::format("keeps 90 % {}down to f/{:.1f}",
                                                        row.fastest.slowest ? fmt::format("from f/{:.1f} ", *row.fastest.slowest) : "", *row.fastest.fRatio)
                                          : row.fastest.note);
    }
    say("  leak 400-700 nm: optical density {} in the mean, {} at worst{}\n", densityText(report.leaks.meanDensity), densityText(report.leaks.worstDensity),
        report.leaks.worst_nm ? fmt::format(" (at {:.0f} nm)", *report.leaks.worst_nm) : "");
    say("  near infrared 700-1000 nm: {}\n",
        report.leaks.nearInfrared ? fmt::format("{:.1f} % in the mean", 100 * *report.leaks.nearInfrared) : "the curve does not cover it");
    return kDone;
}

int sky(const Arguments& a) {
    Numbers numbers(a);
    Observer observer;
    observer.latitude_deg = numbers.needed("--lat", -90, 90);
    observer.longitude_deg = numbers.needed("--lon", -180, 360);
    observer.elevation_m = numbers.optional("--elevation", -500, 9000, 0);
    const double ra = numbers.needed("--ra", 0, 360), dec = numbers.needed("--dec", -90, 90);
    if (!a.has("--time")) numbers.complain("--time is missing");
    const auto time = parseTime(a.value("--time"));
    if (!time) numbers.complain(time.error().message);
    if (!numbers.problem().empty()) return misuse(numbers.problem(), kSkyUsage);
    const SkyMoment s = skyAt(observer, *time, ra, dec);
    if (a.has("--json")) {
        Json json;
        const auto place = [](const Horizontal& h) { return Json{{"alt_deg", h.alt_deg}, {"az_deg", h.az_deg}}; };
        json["sun"] = place(s.sun);
        json["moon"] = place(s.moon);
        json["moon"]["illuminated"] = s.moonIlluminated;
        json["moon"]["phase_angle_deg"] = s.moonPhaseAngle_deg;
        json["moon"]["distance_km"] = s.moonDistance_km;
        json["moon"]["waxing"] = s.moonWaxing;
        json["target"] = place(*s.target);
        json["target"]["airmass"] = s.airmass ? Json(*s.airmass) : Json(nullptr);
        json["moon_separation_deg"] = *s.moonSeparation_deg;
        json["twilight"] = s.twilight;
        say("{}\n", jsonText(json, 1));
        return kDone;
    }
    say("sun     altitude {:7.2f}  azimuth {:7.2f}  ({})\n", s.sun.alt_deg, s.sun.az_deg, s.twilight);
    say("moon    altitude {:7.2f}  azimuth {:7.2f}  {:.1f} % lit, {}, phase angle {:.1f}, {:.0f} km\n", s.moon.alt_deg, s.moon.az_deg, 100 * s.moonIlluminated,
        s.moonWaxing ? "waxing" : "waning", s.moonPhaseAngle_deg, s.moonDistance_km);
    say("target  altitude {:7.2f}  azimuth {:7.2f}  {}, {:.1f} degrees from the moon\n", s.target->alt_deg, s.target->az_deg,
        s.airmass ? fmt::format("airmass {:.2f}", *s.airmass) : "below the horizon", *s.moonSeparation_deg);
    return kDone;
}

} // namespace caelumen::cli

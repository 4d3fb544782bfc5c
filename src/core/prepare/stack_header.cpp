#include "core/prepare/stack_header.h"

#include "core/base/text.h"
#include "core/image/name_facts.h"
#include "core/model/results.h"
#include "core/prepare/moon_response.h"

#include <fmt/format.h>

namespace caelumen {
namespace fs = std::filesystem;

std::vector<HeaderCard> stackHeader(const SubsRecipe& recipe, const SubMeasurer& measurer, const JudgedRun& run, const StackPlan& plan) {
    const FrameFacts& facts = measurer.like().facts;
    const Rig rig = factsOf(recipe, facts).rig;
    const bool half = plan.width < measurer.like().width;
    const auto first = [](auto a, const auto& b) { return a ? a : b; };
    std::vector<HeaderCard> out;
    double exposure = 0, temperature = 0;
    bool timed = true; // a guess must not look like a fact
    int temperatures = 0;
    std::string start;
    for (const StackInput& in : plan.inputs) {
        const SubFigures& f = in.sub->figures;
        timed = timed && f.exposure_s;
        exposure += f.exposure_s.value_or(0) / static_cast<double>(plan.inputs.size());
        if (f.temperature_c) temperature += *f.temperature_c, ++temperatures;
        if (!f.start.empty() && (start.empty() || f.start < start)) start = f.start;
    }
    out.push_back({"NCOMBINE", static_cast<long long>(plan.inputs.size()), "subs combined"});
    if (timed) {
        const auto named = facts.sources.find("sub_exposure_s");
        out.push_back(
            {"EXPTIME", exposure, named != facts.sources.end() && named->second == kFromName ? "s, each sub, by the names of the files" : "s, each sub"});
        out.push_back({"TOTALEXP", exposure * static_cast<double>(plan.inputs.size()), "s, all subs"});
    }
    if (const auto clear = run.transparency()) {
        out.push_back({"TRANSP", clear->mean, "starlight kept, of the clearest subs'; mean"});
        if (const auto& night = recipe.nightScale)
            out.push_back({"TRANSNGT", clear->mean * night->factor, "the same, of the night's clearest subs'"}),
                out.push_back({"TRANSERR", clear->mean * night->sigma, "its error"});
    }
    // In electrons alone: slopes of two runs are held against each other.
    if (measurer.gain())
        for (const auto& [channel, level] : run.subs[run.reference].figures->level)
            if (const auto moon = channel.size() == 1 ? moonResponse(run, channel, measurer.gain()) : Result<MoonResponse>(Error{""});
                moon && moon->slopeSigma > 0)
                out.push_back({"MOONSL_" + channel, moon->slope, "e-/s/px of sky for each nL of moonlight"}),
                    out.push_back({"MOONER_" + channel, moon->slopeSigma, "its error"});
    if (measurer.gain()) out.push_back({"EGAIN", *measurer.gain(), "e-/ADU"});
    if (facts.gain_setting) out.push_back({"GAIN", *facts.gain_setting, "camera setting"});
    if (facts.offset_setting) out.push_back({"OFFSET", *facts.offset_setting, "camera setting"});
    if (measurer.calibration().zeroKnown) out.push_back({"PEDESTAL", 0.0, "ADU, has been taken away"});
    if (const auto pixel = rig.pixel_um) out.push_back({"XPIXSZ", *pixel * (half ? 2 : 1), "um, of a pixel of this picture"});
    if (const auto focal = rig.focal_length_mm) out.push_back({"FOCALLEN", *focal, "mm"});
    if (const auto aperture = rig.aperture_mm) out.push_back({"APTDIA", *aperture, "mm"});
    if (temperatures) out.push_back({"CCD-TEMP", temperature / temperatures, "C, mean of the subs"});
    const std::string filter = recipe.run.filter != "unknown" ? recipe.run.filter : "";
    if (facts.filter || !filter.empty()) out.push_back({"FILTER", facts.filter.value_or(filter), ""});
    if (!recipe.target.name.empty() || facts.target) out.push_back({"OBJECT", recipe.target.name.empty() ? *facts.target : recipe.target.name, ""});
    if (const auto ra = first(recipe.target.ra_deg, facts.ra_deg)) out.push_back({"RA", *ra, "deg, ICRS"});
    if (const auto dec = first(recipe.target.dec_deg, facts.dec_deg)) out.push_back({"DEC", *dec, "deg, ICRS"});
    if (const auto lat = first(recipe.site.latitude_deg, facts.site_latitude_deg)) out.push_back({"SITELAT", *lat, "deg"});
    if (const auto lon = first(recipe.site.longitude_deg, facts.site_longitude_deg)) out.push_back({"SITELONG", *lon, "deg, east positive"});
    if (facts.camera) out.push_back({"INSTRUME", *facts.camera, ""});
    if (facts.telescope) out.push_back({"TELESCOP", *facts.telescope, ""});
    if (!start.empty()) out.push_back({"DATE-OBS", start.back() == 'Z' ? start.substr(0, start.size() - 1) : start, "UTC, first sub"});
    if (measurer.like().mosaic)
        out.push_back({"CAELMOS", std::string(half ? "half" : "full"), half ? "each 2x2 cell: R, mean of G, B" : "colours interpolated to every pixel"});
    const auto say = [&](const std::string& line) { out.push_back({"HISTORY", line, ""}); };
    say(fmt::format("{}: {} of {} subs kept", programName(), run.kept(), run.subs.size()));
    for (const std::string& line : measurer.calibration().history) say(line);
    if (measurer.like().mosaic)
        say(half ? fmt::format("mosaic {}: each 2x2 cell gives R, the mean of both G, and B", measurer.like().mosaic->name)
                 : fmt::format("mosaic {}: each colour interpolated from its own sites at every pixel", measurer.like().mosaic->name));
    if (plan.channels.front().dropReach > 0)
        say(fmt::format("drizzled: where two subs or more have a site of a colour within {:.2f} pixels, these alone count", plan.channels.front().dropReach));
    say(fmt::format("aligned on {}", shown(pathOf(run.subs[run.reference].figures->file).filename())));
    say("resampled once (Lanczos, six pixels); whole-pixel shifts copied");
    if (const auto clear = run.transparency())
        say(fmt::format("transparency {:.2f} to {:.2f}, mean {:.3f}, of the clearest subs", clear->least, clear->most, clear->mean));
    const CombineOptions& c = recipe.combine;
    say(c.normalise == Normalising::None    ? "not normalised"
        : c.normalise == Normalising::Level ? "sky level and slope of each sub brought to their mean"
                                            : "sky level and slope brought to their mean, stars to the mean transparency");
    say(c.method == Combination::Median ? "median" : c.weightByNoise ? "mean, weighted by the noise of the sky" : "mean, all subs alike");
    if (c.reject != Rejection::None)
        say(fmt::format("{} rejection below {:g} and above {:g} sigma", c.reject == Rejection::Winsor ? "winsorised" : "sigma", c.low, c.high));
    return out;
}

} // namespace caelumen

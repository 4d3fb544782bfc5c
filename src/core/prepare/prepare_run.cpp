#include "core/prepare/prepare_run.h"

#include "core/base/file.h"
#include "core/base/json.h"
#include "core/base/phrase.h"
#include "core/base/statistics.h"
#include "core/base/text.h"
#include "core/model/results.h"
#include "core/prepare/moon_response.h"

#include <fmt/format.h>

#include <algorithm>
#include <sstream>

namespace caelumen {
namespace fs = std::filesystem;
namespace {

/// What tells one file from another of the same name.
std::string stampOf(const fs::path& file) {
    std::error_code failed;
    const auto size = fs::file_size(file, failed);
    const auto time = fs::last_write_time(file, failed);
    return fmt::format("{}|{}|{}", nameText(file), size, time.time_since_epoch().count());
}

/// Figures hold for one set of masters and facts, and one way to measure.
std::string stampOf(const SubsRecipe& recipe, const SubMeasurer& measurer) {
    SubsRecipe plain = recipe;
    plain.lights.clear();
    plain.combine = {};
    plain.cull = {};
    plain.reference.clear();
    plain.halves = plain.maps = false;
    plain.nightScale.reset();
    plain.mosaic = MosaicMode::Half;
    std::string text = jsonText(subsRecipeToJson(plain));
    for (const auto* list : {&recipe.darks, &recipe.flats, &recipe.biases, &recipe.flatDarks})
        for (const fs::path& p : *list) text += stampOf(p);
    text += fmt::format("{}|{}|{}", nameText(measurer.like().path), measurer.how().channel, measurer.how().apertureRadius);
    return fmt::format("{:016x}", std::hash<std::string>{}(text));
}

double rounded(double v) {
    return std::isfinite(v) ? std::strtod(fmt::format("{:.6g}", v).c_str(), nullptr) : 0;
}

Json alignmentToJson(const Alignment& a) {
    return {{"dx", rounded(a.dx)},         {"dy", rounded(a.dy)}, {"rotation_deg", rounded(a.rotation_deg)}, {"scale", a.scale}, {"mirrored", a.mirrored},
            {"rms_px", rounded(a.rms_px)}, {"matched", a.matched}};
}

/// Thin cloud that was kept: good enough for a picture, but its light is missing in a comparison.
std::string veilOf(const JudgedRun& run) {
    constexpr double kVeiled = 0.92;
    const auto veiled = std::count_if(run.subs.begin(), run.subs.end(), [](const JudgedSub& s) { return s.keep && s.transparency.value_or(1) < kVeiled; });
    const auto clear = run.transparency();
    if (veiled == 0 || !clear) return {};
    return phrase("{} of {} kept {} less than {:.0f} % of the clearest starlight (down to {:.0f} %, {}): the stack has {:.1f} % of it. For a fair test "
                  "leave them out (cull limit \"transparency\").",
                  veiled, run.kept(), veiled == 1 ? phrase("sub shows") : phrase("subs show"), 100 * kVeiled, 100 * clear->least,
                  shown(pathOf(clear->dimmest).filename()), 100 * clear->mean);
}

/// No sky is darker than nothing: the darks hold light, or are of another offset.
std::string belowZero(const JudgedRun& run) {
    std::map<std::string, std::vector<double>> levels, noises;
    for (const JudgedSub& s : run.subs)
        if (s.keep)
            for (const auto& [channel, level] : s.figures->level) levels[channel].push_back(level), noises[channel].push_back(s.figures->noise.at(channel));
    for (auto& [channel, level] : levels) {
        const double middle = median(std::span<double>(level)), noise = median(std::span<double>(noises[channel]));
        if (middle < -0.05 * noise)
            return phrase("The sky lies {:.1f} ADU below zero in {} once the dark is taken away: light leaked into the darks, or they are of another "
                          "offset, gain or length. No background can be told from this stack.",
                          -middle, channel);
    }
    return {};
}

/// One stack is of one filter, gain and scale. The odd ones are the fewer.
Status areAlike(const std::vector<SharedFigures>& subs, const FrameInfo& like) {
    const auto others = static_cast<std::size_t>(std::count_if(subs.begin(), subs.end(), [](const SubFigures& f) { return f.foreign; }));
    if (others == 0) return Done{};
    const auto odd = std::find_if(subs.begin(), subs.end(), [](const SubFigures& f) { return f.foreign; });
    if (2 * others > subs.size()) return Error{phrase("{} The odd one may be {}: all others are compared with it.", (*odd)->problem, shown(like.path))};
    return Error{others == 1 ? (*odd)->problem
                             : phrase("{} {} more {} unlike the others too.", (*odd)->problem, others - 1, others == 2 ? phrase("is") : phrase("are"))};
}

} // namespace

std::shared_ptr<SubNotebook> notebookOf(const SubsRecipe& recipe, const SubMeasurer& measurer, const fs::path& file) {
    return SubNotebook::open(file, stampOf(recipe, measurer));
}

Result<std::vector<SharedFigures>> measureSubs(const std::vector<fs::path>& lights, const SubMeasurer& measurer, SubNotebook& notebook, const Job& job,
                                               const std::function<void(const SharedFigures&)>& each) {
    std::vector<SharedFigures> out;
    std::vector<Plane> spare;
    for (std::size_t i = 0; i < lights.size(); ++i) {
        if (job.cancelled()) return Error{kCancelled};
        job.report(static_cast<double>(i) / static_cast<double>(lights.size()), "Measuring " + shown(lights[i].filename()));
        const std::string stamp = stampOf(lights[i]);
        auto known = notebook.find(stamp);
        out.push_back(known ? std::move(*known) : notebook.keep(stamp, measurer.measure(lights[i], &spare)));
        if (each) each(out.back());
    }
    return out;
}

Result<PreparedRun> prepareRun(const SubsRecipe& recipe, const fs::path& out, const Job& job) {
    try {
        if (const Status safe = outputsAreSafe(stackOutputs(recipe, out), filesOf(recipe)); !safe) return safe.error();
        const auto part = [&](double from, double to) {
            Job inner = job;
            inner.progress = [&job, from, to](double done, const std::string& what) { job.report(from + (to - from) * done, what); };
            return inner;
        };
        const auto measurer = SubMeasurer::make(recipe, part(0, 0.2));
        if (!measurer) return measurer.error();
        const fs::path notebook = workBeside(out, "work");
        auto figures = measureSubs(recipe.lights, *measurer, *notebookOf(recipe, *measurer, notebook), part(0.2, 0.6));
        if (!figures) return figures.error();
        if (const Status alike = areAlike(*figures, measurer->like()); !alike) return alike.error();
        auto judged = judgeRun(std::move(*figures), recipe.cull, recipe.reference);
        if (!judged) return judged.error();
        PreparedRun prepared;
        prepared.run = std::move(*judged);
        prepared.history = measurer->calibration().history;
        prepared.warnings = measurer->calibration().warnings;
        for (const std::string& note : prepared.run.notes) prepared.warnings.push_back(note);
        if (measurer->calibration().zeroKnown)
            if (const std::string below = belowZero(prepared.run); !below.empty()) prepared.warnings.push_back(below);
        if (const std::string veiled = veilOf(prepared.run); !veiled.empty()) prepared.warnings.push_back(veiled);
        prepared.gain_e_per_adu = measurer->gain();
        prepared.nightScale = recipe.nightScale;
        auto stack = stackSubs(recipe, *measurer, prepared.run, out, part(0.6, 1));
        if (!stack) return stack.error();
        prepared.stack = std::move(*stack);
        std::error_code ignored;
        fs::remove(notebook, ignored);
        return prepared;
    } catch (const std::bad_alloc&) {
        return Error{phrase("The subs need more memory than there is; close other programs.")};
    }
}

Json preparedToJson(const PreparedRun& p) {
    Json subs = Json::array();
    for (const JudgedSub& s : p.run.subs) {
        const SubFigures& f = s.figures;
        Json j = {{"file", f.file}, {"verdict", s.keep ? "keep" : "reject"}, {"reason", reasonName(s.reason)}, {"text", s.words}, {"by_hand", s.byHand}};
        j["transform"] = s.alignment ? alignmentToJson(*s.alignment) : Json(nullptr);
        j["start"] = f.start;
        j["exposure_s"] = f.exposure_s ? Json(*f.exposure_s) : Json(nullptr);
        if (f.problem.empty()) {
            const double toRate = p.gain_e_per_adu && f.exposure_s ? *p.gain_e_per_adu / *f.exposure_s : 0;
            Json background = Json::object(), noise = Json::object();
            for (const auto& [c, level] : f.level) background[c] = rounded(toRate > 0 ? level * toRate : level);
            for (const auto& [c, sigma] : f.noise) noise[c] = rounded(toRate > 0 ? sigma * toRate : sigma);
            j["unit"] = toRate > 0 ? "e-/s/px" : "ADU";
            j["background"] = background;
            j["pixel_noise"] = noise;
            j["star_channel"] = f.channel;
            j["stars"] = f.stars;
            j["fwhm_px"] = f.fwhm_px ? Json(rounded(*f.fwhm_px)) : Json(nullptr);
            j["eccentricity"] = f.eccentricity ? Json(rounded(*f.eccentricity)) : Json(nullptr);
            j["tilt"] = f.tilt ? Json(rounded(*f.tilt)) : Json(nullptr);
            j["transparency"] = s.transparency ? Json(rounded(*s.transparency)) : Json(nullptr);
            j["gradient"] = rounded(f.gradient);
            j["vignette"] = rounded(f.vignette);
            j["trails"] = f.trails;
            if (f.airmass) j["airmass"] = rounded(*f.airmass);
            if (f.moonAltitude_deg) j["moon_altitude_deg"] = rounded(*f.moonAltitude_deg);
        }
        subs.push_back(std::move(j));
    }
    Json out = {{"caelumen_stack", 1},
                {"program", programName()},
                {"subs", subs},
                {"kept", p.run.kept()},
                {"total_s", p.run.kept_s() > 0 ? Json(p.run.kept_s()) : Json(nullptr)},
                {"reference", p.run.subs.empty() ? "" : p.run.subs[p.run.reference].figures->file}};
    Json lost = Json::object();
    for (const auto& [reason, seconds] : p.run.lost_s()) lost[reasonName(reason)] = seconds;
    out["lost_s"] = lost;
    Json moon = Json::object();
    if (!p.run.subs.empty())
        for (const auto& [channel, level] : p.run.subs[p.run.reference].figures->level)
            if (const auto m = moonResponse(p.run, channel, p.gain_e_per_adu))
                moon[channel] = {{"intercept", rounded(m->intercept)},
                                 {"intercept_sigma", rounded(m->interceptSigma)},
                                 {"slope_per_nl", rounded(m->slope)},
                                 {"slope_sigma", rounded(m->slopeSigma)},
                                 {"subs", m->subs}};
    out["moon_response"] = moon;
    if (const auto clear = p.run.transparency()) {
        out["transparency"] = {{"mean", rounded(clear->mean)}, {"least", rounded(clear->least)}, {"most", rounded(clear->most)}};
        if (p.nightScale)
            out["transparency"]["in_the_night"] = {{"mean", rounded(clear->mean * p.nightScale->factor)},
                                                   {"sigma", rounded(clear->mean * p.nightScale->sigma)}};
    }
    out["history"] = p.history;
    out["warnings"] = p.warnings;
    if (p.stack) {
        out["width"] = p.stack->width;
        out["height"] = p.stack->height;
        out["rejected_part"] = p.stack->rejectedPart;
        out["noise_adu"] = p.stack->noise;
        out["covered_part"] = rounded(p.stack->coveredPart);
        Json files = Json::array();
        for (const fs::path& f : p.stack->files) files.push_back(nameText(f));
        out["files"] = files;
    }
    return out;
}

} // namespace caelumen

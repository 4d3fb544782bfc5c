#include "core/prepare/intake.h"

#include "core/base/phrase.h"
#include "core/base/text.h"
#include "core/image/frame_file.h"
#include "core/image/name_facts.h"
#include "core/image/raw_reader.h"
#include "core/sky/ephemeris.h"
#include "core/sky/night_track.h"

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <atomic>
#include <cmath>
#include <map>
#include <mutex>

namespace caelumen {
namespace fs = std::filesystem;
namespace {

/// What words say: a header's, a file's or a folder's.
std::optional<FrameKind> kindIn(const std::string& text) {
    const auto has = [&](const char* word) { return text.find(word) != std::string::npos; };
    if (has("flat") && has("dark")) return FrameKind::FlatDark;
    if (has("bias") || has("zero") || text == "offset") return FrameKind::Bias;
    if (has("dark")) return FrameKind::Dark;
    if (has("flat")) return FrameKind::Flat;
    if (has("light") || has("object") || has("science")) return FrameKind::Light;
    return std::nullopt;
}

std::string near(std::optional<double> v, double step) {
    return v ? fmt::format("{:.0f}", std::round(*v / step)) : std::string("?");
}

} // namespace

const char* frameKindName(FrameKind kind) {
    switch (kind) {
    case FrameKind::Light:
        return "light";
    case FrameKind::Dark:
        return "dark";
    case FrameKind::Flat:
        return "flat";
    case FrameKind::Bias:
        return "bias";
    case FrameKind::FlatDark:
        return "flat dark";
    }
    return "";
}

IntakeFrame takeIn(const fs::path& path) {
    IntakeFrame out;
    out.path = path;
    const auto file = FrameFile::open(path);
    if (!file) {
        out.problem = file.error().message;
        return out;
    }
    const FrameInfo& info = file->info();
    FrameFacts f = info.facts;
    completeFromName(f, nameText(path.filename()));
    for (const auto& [fact, source] : f.sources) out.fromName = out.fromName || source == kFromName;
    out.width = info.width, out.height = info.height;
    out.planes = info.mosaic ? 1 : info.channels.size();
    if (info.mosaic) out.mosaic = info.mosaic->name;
    out.filter = f.filter.value_or("");
    out.target = f.target.value_or("");
    out.camera = f.camera.value_or("");
    out.start = f.start.value_or("");
    out.exposure_s = f.sub_exposure_s;
    out.gain = f.gain_setting;
    out.offset = f.offset_setting;
    out.temperature_c = f.sensor_temperature_c;
    out.longitude_deg = f.site_longitude_deg;
    if (!out.start.empty()) out.night = nightOf(out.start, f.site_longitude_deg);
    std::optional<FrameKind> kind = f.frame_kind ? kindIn(lowered(*f.frame_kind)) : std::nullopt;
    if (!kind) {
        out.guessed = true;
        kind = kindIn(lowered(path.filename().native()));
        if (!kind && path.has_parent_path()) kind = kindIn(lowered(path.parent_path().filename().native()));
    }
    out.kind = kind.value_or(FrameKind::Light);
    if (f.sub_count && *f.sub_count > 1 && out.kind == FrameKind::Light)
        out.problem = phrase("{} is a stack of {} subs already; drop it on the Bench.", shown(path), *f.sub_count);
    return out;
}

std::vector<fs::path> framesBeneath(const fs::path& place) {
    const auto mayBe = [](const fs::path& p) {
        const std::string name = lowered(p.filename().native());
        if (name.empty() || name.front() == '.' || name.find(".part") != std::string::npos || name.find(".tmp") != std::string::npos) return false;
        for (const char* ending : {".fits", ".fit", ".fts", ".fits.fz", ".fz", ".fits.gz", ".fit.gz", ".tif", ".tiff"})
            if (name.ends_with(ending)) return true;
        return looksRaw(p);
    };
    std::error_code failed;
    std::vector<fs::path> out;
    if (fs::is_regular_file(place, failed)) {
        if (mayBe(place)) out.push_back(place);
        return out;
    }
    for (fs::recursive_directory_iterator it(place, fs::directory_options::skip_permission_denied, failed), end; !failed && it != end; it.increment(failed)) {
        std::error_code odd;
        if (it->is_regular_file(odd) && mayBe(it->path())) out.push_back(it->path());
        if (out.size() >= 500'000) break;
    }
    std::sort(out.begin(), out.end());
    return out;
}

std::vector<IntakeFrame> takeInAll(const std::vector<fs::path>& files, const Job& job) {
    std::vector<IntakeFrame> out(files.size());
    std::atomic<std::size_t> done{0};
    tbb::parallel_for(std::size_t{0}, files.size(), [&](std::size_t i) {
        if (job.cancelled()) return;
        out[i] = takeIn(files[i]);
        if (const std::size_t n = ++done; n % 50 == 0)
            job.report(static_cast<double>(n) / static_cast<double>(files.size()), phrase("Reading headers, {} of {}", n, files.size()));
    });
    if (job.cancelled()) out.clear();
    return out;
}

std::string FrameGroup::title() const {
    const auto with = [](std::string text, const std::string& more) { return more.empty() ? text : text.empty() ? more : text + ", " + more; };
    std::string out;
    if (kind == FrameKind::Light)
        out = with(filter.empty() ? phrase("no filter named") : filter, target);
    else if (kind == FrameKind::Flat)
        out = with("flats", filter);
    else
        out = plural(frameKindName(kind));
    if (exposure_s && kind != FrameKind::Bias) out = with(out, fmt::format("{:g} s", *exposure_s));
    if (gain) out = with(out, fmt::format("gain {:g}", *gain));
    if (temperature_c) out = with(out, fmt::format("{:.0f} C", *temperature_c));
    if (kind == FrameKind::Light || kind == FrameKind::Flat) out = with(out, night);
    if (fromName) out += phrase(" (by the names)");
    return out;
}

std::vector<FrameGroup> groupFrames(const std::vector<IntakeFrame>& frames) {
    std::map<std::string, FrameGroup> groups;
    for (std::size_t i = 0; i < frames.size(); ++i) {
        const IntakeFrame& f = frames[i];
        if (!f.problem.empty()) continue;
        // Exposures of a camera's clock differ in the third digit; temperatures drift by a degree.
        std::string key = fmt::format("{} {}x{} {} {}", static_cast<int>(f.kind), f.width, f.height, f.mosaic, near(f.gain, 1));
        const bool light = f.kind == FrameKind::Light, flat = f.kind == FrameKind::Flat;
        if (light || flat) key += "|" + f.filter + "|" + f.night;
        if (light) key += "|" + f.target;
        if (!flat && f.kind != FrameKind::Bias) key += "|" + (f.exposure_s ? fmt::format("{:.0f}", 30 * std::log(*f.exposure_s)) : std::string("?"));
        FrameGroup& g = groups[key];
        if (g.frames.empty()) {
            g.kind = f.kind;
            if (light || flat) g.filter = f.filter, g.night = f.night;
            if (light) g.target = f.target;
            g.exposure_s = f.exposure_s, g.gain = f.gain, g.temperature_c = f.temperature_c;
            g.width = f.width, g.height = f.height;
        }
        g.frames.push_back(i);
        g.fromName = g.fromName || f.fromName;
        g.total_s += f.exposure_s.value_or(0);
    }
    std::vector<FrameGroup> out;
    std::vector<FrameGroup> parted;
    for (auto& [key, g] : groups) { // sensors drift by a degree or two; a gap of more is another setting
        std::stable_sort(g.frames.begin(), g.frames.end(),
                         [&](std::size_t a, std::size_t b) { return frames[a].temperature_c.value_or(-300) < frames[b].temperature_c.value_or(-300); });
        FrameGroup part = g;
        part.frames.clear(), part.total_s = 0;
        for (std::size_t k = 0; k < g.frames.size(); ++k) {
            const IntakeFrame& f = frames[g.frames[k]];
            if (k > 0 && g.kind != FrameKind::Flat && f.temperature_c.value_or(-300) - frames[g.frames[k - 1]].temperature_c.value_or(-300) > 3) {
                parted.push_back(part);
                part.frames.clear(), part.total_s = 0;
            }
            if (part.frames.empty()) part.temperature_c = f.temperature_c;
            part.frames.push_back(g.frames[k]);
            part.total_s += f.exposure_s.value_or(0);
        }
        parted.push_back(std::move(part));
    }
    for (FrameGroup& g : parted) {
        std::stable_sort(g.frames.begin(), g.frames.end(), [&](std::size_t a, std::size_t b) { return frames[a].start < frames[b].start; });
        out.push_back(std::move(g));
    }
    std::stable_sort(out.begin(), out.end(), [&](const FrameGroup& a, const FrameGroup& b) {
        return a.kind != b.kind ? a.kind < b.kind : frames[a.frames.front()].start < frames[b.frames.front()].start;
    });
    return out;
}

SubsRecipe recipeFor(const FrameGroup& lights, const std::vector<IntakeFrame>& frames, const std::vector<IntakeFrame>& library) {
    SubsRecipe out;
    std::vector<const IntakeFrame*> calibration;
    for (const auto* list : {&frames, &library})
        for (const IntakeFrame& f : *list)
            if (f.kind != FrameKind::Light) calibration.push_back(&f);
    const IntakeFrame& first = frames[lights.frames.front()];
    for (const std::size_t i : lights.frames) out.lights.push_back(frames[i].path);
    out.run.id = "A";
    out.run.filter = lights.filter.empty() ? "unknown" : lights.filter;
    out.run.sub_exposure_s = lights.exposure_s;
    out.target.name = lights.target;
    const auto suits = [&](const IntakeFrame& f) {
        const bool alike = f.problem.empty() && f.width == first.width && f.height == first.height && f.mosaic == first.mosaic && f.planes == first.planes;
        return alike && (!f.gain || !first.gain || std::abs(*f.gain - *first.gain) < 0.5);
    };
    // Flats of the nearest night.
    const auto day = [](const std::string& night) -> std::optional<double> {
        const auto t = parseTime(night + "T12:00:00Z");
        return t ? std::optional(t->day + t->fraction) : std::nullopt;
    };
    double nearest = 1e9;
    const auto away = [&](const IntakeFrame& f) {
        const auto a = day(f.night), b = day(lights.night);
        return a && b ? std::abs(*a - *b) : 1e6;
    };
    const bool named = std::any_of(calibration.begin(), calibration.end(),
                                   [&](const IntakeFrame* f) { return f->kind == FrameKind::Flat && suits(*f) && f->filter == lights.filter; });
    const auto flat = [&](const IntakeFrame& f) {
        return f.kind == FrameKind::Flat && f.width == first.width && f.height == first.height && f.mosaic == first.mosaic && f.problem.empty() &&
               (!named || f.filter == lights.filter);
    };
    for (const IntakeFrame* f : calibration)
        if (flat(*f)) nearest = std::min(nearest, away(*f));
    std::optional<double> flatExposure;
    for (const IntakeFrame* c : calibration) {
        const IntakeFrame& f = *c;
        if (flat(f) && away(f) <= nearest + 0.5) out.flats.push_back(f.path), flatExposure = f.exposure_s;
        if (!suits(f)) continue;
        if (f.kind == FrameKind::Dark) out.darks.push_back(f.path);
        if (f.kind == FrameKind::Bias) out.biases.push_back(f.path);
    }
    std::vector<fs::path> all;
    for (const IntakeFrame* c : calibration) {
        const IntakeFrame& f = *c;
        if (f.kind != FrameKind::FlatDark || f.width != first.width || f.height != first.height || !f.problem.empty()) continue;
        all.push_back(f.path);
        if (flatExposure && f.exposure_s && std::abs(*f.exposure_s / *flatExposure - 1) < 0.1) out.flatDarks.push_back(f.path);
    }
    if (out.flatDarks.empty()) out.flatDarks = all;
    if (out.flats.empty()) out.flatDarks.clear();
    return out;
}

} // namespace caelumen

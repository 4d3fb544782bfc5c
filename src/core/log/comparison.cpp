#include "core/log/comparison.h"

#include "core/base/phrase.h"
#include "core/compare/same_field.h"

#include <fmt/format.h>

#include <algorithm>

namespace caelumen {
namespace {

template<class T>
void overrideWhere(std::optional<T>& own, const std::optional<T>& trial, const std::optional<T>& is) {
    if (is && is != trial) own = is;
}

/// What the run's telescope and camera are, said where the new trial's differ.
Rig overridesFor(const Rig& trial, const Rig& is) {
    Rig out;
    overrideWhere(out.focal_length_mm, trial.focal_length_mm, is.focal_length_mm);
    overrideWhere(out.aperture_mm, trial.aperture_mm, is.aperture_mm);
    overrideWhere(out.obstruction, trial.obstruction, is.obstruction);
    overrideWhere(out.pixel_um, trial.pixel_um, is.pixel_um);
    overrideWhere(out.gain_e_per_adu, trial.gain_e_per_adu, is.gain_e_per_adu);
    overrideWhere(out.read_noise_e, trial.read_noise_e, is.read_noise_e);
    overrideWhere(out.full_well_e, trial.full_well_e, is.full_well_e);
    overrideWhere(out.pedestal_adu, trial.pedestal_adu, is.pedestal_adu);
    overrideWhere(out.full_scale_adu, trial.full_scale_adu, is.full_scale_adu);
    overrideWhere(out.filter_thickness_mm, trial.filter_thickness_mm, is.filter_thickness_mm);
    if (is.gaps_mm != trial.gaps_mm) out.gaps_mm = is.gaps_mm;
    if (is.camera != trial.camera) out.camera = is.camera;
    if (is.name != trial.name) out.name = is.name;
    return out;
}

std::string freeRunId(const Trial& t) {
    for (char c = 'A'; c <= 'Z'; ++c)
        if (!t.run(std::string(1, c))) return std::string(1, c);
    for (int i = 1;; ++i)
        if (const std::string id = fmt::format("R{}", i); !t.run(id)) return id;
}

/// Whether both are known well enough to say that they differ, and do.
bool areDifferent(const Target& a, const Target& b) {
    const bool places = a.ra_deg && a.dec_deg && b.ra_deg && b.dec_deg, names = !a.name.empty() && !b.name.empty();
    return (places || names) && !sameTarget(a, b);
}

} // namespace

std::string addRunOf(Trial& to, const Trial& from, const std::string& id, std::vector<std::string>& cautions) {
    const Run* run = from.run(id);
    if (!run) return {};
    Run added = *run;
    added.id = freeRunId(to);
    added.baseline = to.runs.empty();
    added.rig = overridesFor(to.rig, effectiveRig(from, *run));
    if (const Filter* f = from.filter(run->filter)) {
        // One filter of the same name is the same; another one of the same id is not.
        const auto same = std::find_if(to.filters.begin(), to.filters.end(), [&](const Filter& o) { return o.name == f->name && o.kind == f->kind; });
        if (same != to.filters.end()) {
            added.filter = same->id;
        } else {
            Filter filter = *f;
            for (int i = 2; to.filter(filter.id); ++i) filter.id = fmt::format("{}-{}", f->id, i);
            added.filter = filter.id;
            to.filters.push_back(std::move(filter));
        }
    }
    if (from.site.name != to.site.name || from.site.latitude_deg != to.site.latitude_deg || from.site.longitude_deg != to.site.longitude_deg) {
        added.note += (added.note.empty() ? "" : " ") + phrase("Taken at {}.", from.site.name.empty() ? phrase("another place") : from.site.name);
        cautions.push_back(phrase("Run {} was taken at {}: what depends on the sky compares the places too.", added.id,
                                  from.site.name.empty() ? phrase("another place") : from.site.name));
    }
    if (areDifferent(from.target, to.target)) cautions.push_back(phrase("Run {} shows {}, not {}.", added.id, from.target.name, to.target.name));
    to.runs.push_back(std::move(added));
    return to.runs.back().id;
}

Trial comparisonOf(const Trial& a, const std::string& runA, const Trial& b, const std::string& runB, std::vector<std::string>& cautions) {
    const Run *first = a.run(runA), *second = b.run(runB);
    const bool turned = first && second && second->baseline && !first->baseline;
    const Trial &base = turned ? b : a, &other = turned ? a : b;
    const std::string &baseRun = turned ? runB : runA, &otherRun = turned ? runA : runB;
    Trial out;
    out.site = base.site, out.target = base.target, out.rig = base.rig;
    // Regions lie in the pixels of their trial's baseline.
    if (const Run* r = base.run(baseRun); r && r->baseline) out.regions = base.regions;
    addRunOf(out, base, baseRun, cautions);
    addRunOf(out, other, otherRun, cautions);
    const auto named = [&](std::size_t i) {
        const Filter* f = i < out.runs.size() ? out.filter(out.runs[i].filter) : nullptr;
        const std::string night = i < out.runs.size() ? out.runs[i].start.substr(0, 10) : "";
        return (f ? f->name : phrase("run")) + (night.empty() ? "" : " " + night);
    };
    out.title = phrase("{}{} against {}", out.target.name.empty() ? "" : out.target.name + ": ", named(1), named(0));
    return out;
}

} // namespace caelumen

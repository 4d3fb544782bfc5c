#include "core/model/trial.h"

#include "core/base/file.h"
#include "core/base/text.h"

#include <algorithm>

namespace caelumen {

const Filter* Trial::filter(const std::string& id) const {
    const auto it = std::find_if(filters.begin(), filters.end(), [&](const Filter& f) { return f.id == id; });
    return it == filters.end() ? nullptr : &*it;
}

const Run* Trial::run(const std::string& id) const {
    const auto it = std::find_if(runs.begin(), runs.end(), [&](const Run& r) { return r.id == id; });
    return it == runs.end() ? nullptr : &*it;
}

const Run* Trial::baseline() const {
    const auto it = std::find_if(runs.begin(), runs.end(), [](const Run& r) { return r.baseline; });
    return it == runs.end() ? nullptr : &*it;
}

Rig effectiveRig(const Trial& trial, const Run& run) {
    return effectiveRig(trial.rig, run.rig);
}

Rig effectiveRig(Rig rig, const Rig& own) {
    const auto take = [](auto& to, const auto& from) {
        if (from) to = from;
    };
    if (!own.name.empty()) rig.name = own.name;
    take(rig.focal_length_mm, own.focal_length_mm);
    take(rig.aperture_mm, own.aperture_mm);
    take(rig.obstruction, own.obstruction);
    take(rig.pixel_um, own.pixel_um);
    take(rig.gain_e_per_adu, own.gain_e_per_adu);
    take(rig.read_noise_e, own.read_noise_e);
    take(rig.full_well_e, own.full_well_e);
    take(rig.pedestal_adu, own.pedestal_adu);
    take(rig.full_scale_adu, own.full_scale_adu);
    take(rig.filter_thickness_mm, own.filter_thickness_mm);
    take(rig.reducer, own.reducer);
    take(rig.back_focus_mm, own.back_focus_mm);
    take(rig.gain_setting, own.gain_setting);
    if (!own.camera.empty()) rig.camera = own.camera;
    if (!own.gaps_mm.empty()) rig.gaps_mm = own.gaps_mm;
    return rig;
}

Halves halvesOf(const Run& run, const std::filesystem::path& folder) {
    if (!run.odd_stack.empty()) return {folder / pathOf(run.odd_stack), folder / pathOf(run.even_stack), true};
    const std::filesystem::path stack = folder / pathOf(run.stack), odd = besideStack(stack, "odd"), even = besideStack(stack, "even");
    return isFileToRead(odd) && isFileToRead(even) ? Halves{odd, even, false} : Halves{};
}

Trial measuredPart(Trial t) {
    t.title.clear();
    t.plan.reset();
    t.site.horizon.clear();
    t.site.zone.clear();
    t.site.lamps.reset();
    t.rig.camera.clear(); // foretells; what was photographed has its own facts
    t.rig.gain_setting.reset();
    for (Filter& f : t.filters) {
        Filter kept;
        kept.id = f.id;
        kept.curve = f.curve;
        f = kept;
    }
    return t;
}

bool measuredAlike(const Trial& a, const Trial& b) {
    return measuredPart(a) == measuredPart(b);
}

std::vector<std::filesystem::path> filesOf(const Trial& trial, const std::filesystem::path& folder) {
    std::vector<std::filesystem::path> out;
    eachFile(trial, [&](const std::string& file) {
        if (!file.empty()) out.push_back(folder / pathOf(file));
    });
    for (const Run& run : trial.runs)
        if (const Halves halves = halvesOf(run, folder); !halves.odd.empty() && !halves.named) out.insert(out.end(), {halves.odd, halves.even});
    return out;
}

void resolveFiles(Trial& trial, const std::filesystem::path& folder) {
    eachFile(trial, [&](std::string& file) {
        if (!file.empty()) file = nameText((folder / pathOf(file)).lexically_normal());
    });
}

bool awaitsStacks(const Trial& trial) {
    return trial.plan && std::any_of(trial.plan->filters.begin(), trial.plan->filters.end(), [&](const std::string& id) {
               return std::none_of(trial.runs.begin(), trial.runs.end(), [&](const Run& r) { return r.filter == id; });
           });
}

} // namespace caelumen

#include "app/palette/palette_recipe.h"

#include "core/image/frame_file.h"
#include "core/optics/camera.h"
#include "core/optics/claim.h"

#include <QObject>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

QString tr(const char* text) {
    return QObject::tr(text);
}

/// Whether a filter is made for sulphur, by its claims.
bool claimsSulphur(const Filter& f) {
    return std::any_of(f.claims.begin(), f.claims.end(), [](const BandClaim& c) { return std::abs(c.center_nm - 672) < 6; });
}

} // namespace

Result<Recipe> recipeOf(const Trial& trial, const PaletteWish& wish, const std::string& id) {
    const Run* run = trial.run(id);
    if (!run) return Error{tr("There is no run %1.").arg(QString::fromStdString(id)).toStdString()};
    const auto inputOf = [&](const Run& r) {
        PaletteInput in;
        in.stack = r.stack;
        const Rig rig = effectiveRig(trial, r);
        in.sub_exposure_s = r.sub_exposure_s, in.sub_count = r.sub_count, in.sum = r.combine == "sum";
        in.gain_e_per_adu = rig.gain_e_per_adu, in.pedestal_adu = rig.pedestal_adu;
        return in;
    };
    const auto channels = [](const Run& r) -> std::size_t {
        const auto file = FrameFile::open(r.stack, r.bayer);
        return file ? file->info().channels.size() : 0;
    };
    const auto line = [&](const Run& r, const char* name, std::size_t planes) {
        PaletteInput in = inputOf(r);
        in.line = name;
        if (planes == 3) {
            if (const Filter* f = trial.filter(r.filter)) in.curve = f->curve;
            in.camera = trial.rig.camera;
            const auto& typical = typicalCameras();
            if (std::none_of(typical.begin(), typical.end(), [&](const Camera& c) { return c.id == in.camera && c.channels.size() == 3; })) in.camera.clear();
        }
        return in;
    };
    const std::size_t planes = channels(*run);
    if (planes == 0) return Error{tr("%1 cannot be read.").arg(QString::fromStdString(run->stack)).toStdString()};
    Recipe out;
    const auto& starts = recipeStarts();
    const auto start = std::find_if(starts.begin(), starts.end(), [&](const RecipeStart& s) { return QString::fromStdString(s.id) == wish.start; });
    out.map = start == starts.end() ? wish.map : start->map;
    out.name = start == starts.end() ? "Own" : start->name;
    for (const auto& channel : out.map)
        for (const auto& [light, part] : channel) {
            if (out.inputs.count(light)) continue;
            if (light == "R" || light == "G" || light == "B") {
                if (planes != 3) return Error{tr("A mono run has no colours of its own; choose \"One line as brightness\".").toStdString()};
                out.inputs[light] = inputOf(*run), out.inputs[light].channel = light;
            } else if (light == "L") {
                out.inputs[light] = planes == 3 ? line(*run, "Ha", planes) : inputOf(*run);
            } else if (light == "S") {
                const Run* sulphur = nullptr;
                for (const Run& r : trial.runs)
                    if (const Filter* f = trial.filter(r.filter); f && claimsSulphur(*f) && (!sulphur || r.id == id)) sulphur = &r;
                if (!sulphur) return Error{tr("No run of this trial holds sulphur: none of its filters claims a band at 672 nm.").toStdString()};
                out.inputs[light] = line(*sulphur, "SII", channels(*sulphur));
            } else if (planes == 3) {
                out.inputs[light] = line(*run, light == "H" ? "Ha" : "OIII", planes);
            } else {
                return Error{tr("A mono run holds one line; choose \"One line as brightness\".").toStdString()};
            }
        }
    if (out.inputs.empty()) return Error{tr("The matrix takes nothing: give it a part of some light.").toStdString()};
    out.first = out.inputs.count("H") ? "H" : out.inputs.count("R") ? "R" : out.inputs.begin()->first;
    out.background = wish.background, out.scale = wish.scale;
    out.stars = wish.stars, out.starsAmount = wish.starsAmount, out.starsOnGalaxy = wish.starsOnGalaxy;
    const Run* base = trial.baseline();
    if (!base && !trial.runs.empty()) base = &trial.runs.front();
    if (out.stars == PaletteStars::Replace) {
        if (channels(*base) != 3) return Error{tr("Stars of all colours come from a baseline of three channels.").toStdString()};
        out.starsFrom = inputOf(*base);
    }
    if (wish.detail && base->id != id) {
        out.detail = inputOf(*base);
        out.detailShare = wish.detailShare;
    }
    return out;
}

} // namespace caelumen

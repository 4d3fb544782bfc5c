#include "app/palette/palette_recipe.h"

#include "core/image/frame_file.h"
#include "core/model/filter_kinds.h"
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

/// Finds the lights of one run's picture in a trial.
class LightFinder {
public:
    LightFinder(const Trial& trial, const PaletteWish& wish, const Run& run)
        : m_trial(trial)
        , m_wish(wish)
        , m_run(run)
        , m_planes(channelsOf(run)) {}

    std::size_t planes() const { return m_planes; }

    static std::size_t channelsOf(const Run& r) {
        const auto file = FrameFile::open(r.stack, r.bayer);
        return file ? file->info().channels.size() : 0;
    }

    PaletteInput inputOf(const Run& r) const {
        PaletteInput in;
        in.stack = r.stack;
        const Rig rig = effectiveRig(m_trial, r);
        in.sub_exposure_s = r.sub_exposure_s, in.sub_count = r.sub_count, in.sum = r.combine == combined_by::sum;
        in.gain_e_per_adu = rig.gain_e_per_adu, in.pedestal_adu = rig.pedestal_adu;
        return in;
    }

    PaletteInput lineOf(const Run& r, const char* name) const {
        PaletteInput in = inputOf(r);
        in.line = name;
        if (channelsOf(r) != 3) return in;
        if (const Filter* f = m_trial.filter(r.filter)) in.curve = f->curve;
        in.camera = m_trial.rig.camera;
        const auto& typical = typicalCameras();
        if (std::none_of(typical.begin(), typical.end(), [&](const Camera& c) { return c.id == in.camera && c.channels.size() == 3; })) in.camera.clear();
        return in;
    }

    const Run* sulphur() const {
        const Run* found = nullptr;
        for (const Run& r : m_trial.runs)
            if (const Filter* f = m_trial.filter(r.filter); f && claimsSulphur(*f) && (!found || r.id == m_run.id)) found = &r;
        return found;
    }

    Result<PaletteInput> light(const std::string& name) const {
        if (name == "R" || name == "G" || name == "B") {
            if (m_planes != 3) return Error{tr("A mono run has no colours of its own; choose \"One line as brightness\".").toStdString()};
            PaletteInput in = inputOf(m_run);
            in.channel = name;
            return in;
        }
        if (name == "L") return m_planes == 3 ? lineOf(m_run, "Ha") : inputOf(m_run);
        if (name == "S") {
            const Run* from = sulphur();
            if (!from) return Error{tr("No run of this trial holds sulphur: none of its filters claims a band at 672 nm.").toStdString()};
            return lineOf(*from, "SII");
        }
        if (m_planes != 3) return Error{tr("A mono run holds one line; choose \"One line as brightness\".").toStdString()};
        if (name == "H") return lineOf(m_run, "Ha");
        PaletteInput oxygen = lineOf(m_run, "OIII");
        if (const Run* other = m_trial.run(m_wish.oxygenRun.toStdString()); other && other->id != m_run.id) oxygen.also.push_back(lineOf(*other, "OIII"));
        return oxygen;
    }

private:
    const Trial& m_trial;
    const PaletteWish& m_wish;
    const Run& m_run;
    std::size_t m_planes;
};

const RecipeStart* startOf(const PaletteWish& wish) {
    const auto& starts = recipeStarts();
    const auto start = std::find_if(starts.begin(), starts.end(), [&](const RecipeStart& s) { return QString::fromStdString(s.id) == wish.start; });
    return start == starts.end() ? nullptr : &*start;
}

std::string nameOf(const PaletteWish& wish) {
    const RecipeStart* start = startOf(wish);
    return start ? start->name : wish.name.isEmpty() ? tr("Own matrix").toStdString() : wish.name.toStdString();
}

} // namespace

Result<Recipe> recipeOf(const Trial& trial, const PaletteWish& wish, const std::string& id) {
    const Run* run = trial.run(id);
    if (!run) return Error{tr("There is no run %1.").arg(QString::fromStdString(id)).toStdString()};
    const LightFinder finder(trial, wish, *run);
    if (finder.planes() == 0) return Error{tr("%1 cannot be read.").arg(QString::fromStdString(run->stack)).toStdString()};
    Recipe out;
    takeParts(out, wish);
    for (const auto& channel : out.map)
        for (const auto& [name, part] : channel) {
            if (out.inputs.count(name)) continue;
            auto input = finder.light(name);
            if (!input) return input.error();
            out.inputs[name] = std::move(*input);
        }
    if (out.inputs.empty()) return Error{tr("The matrix takes nothing: give it a part of some light.").toStdString()};
    if (!startOf(wish)) // what a slider may ask for next
        for (const char* name : {"H", "O", "S"})
            if (!out.inputs.count(name) && finder.planes() == 3)
                if (auto input = finder.light(name)) out.inputs[name] = std::move(*input);
    out.first = out.inputs.count("H") ? "H" : out.inputs.count("R") ? "R" : out.inputs.begin()->first;
    out.background = wish.background, out.scale = wish.scale;
    out.stars = wish.stars, out.starsOnGalaxy = wish.starsOnGalaxy;
    if (out.stars == PaletteStars::Replace) {
        const Run* from = trial.run(wish.starsRun.toStdString());
        if (!from) from = trial.baseline() ? trial.baseline() : &trial.runs.front();
        if (LightFinder::channelsOf(*from) != 3)
            return Error{tr("Stars of all colours come from a run of three channels; run %1 has not.").arg(QString::fromStdString(from->id)).toStdString()};
        out.starsFrom = finder.inputOf(*from);
    }
    if (const Run* detail = trial.run(wish.detailRun.toStdString()); detail && detail->id != id) out.detail = finder.inputOf(*detail);
    return out;
}

bool mixesAlike(const PaletteWish& a, const PaletteWish& b) {
    PaletteWish x = a;
    x.starsAmount = b.starsAmount, x.detailShare = b.detailShare, x.name = b.name;
    // Of one's own matrix every line is at hand; other lights that are new to it are not.
    if (x.start == b.start) {
        const auto strange = [](const PaletteWish& of, const PaletteWish& than) {
            for (const auto& channel : of.map)
                for (const auto& [light, part] : channel)
                    if (light != "H" && light != "O" && std::none_of(than.map.begin(), than.map.end(), [&l = light](const auto& m) { return m.count(l) > 0; }))
                        return true;
            return false;
        };
        const auto empty = [](const PaletteWish& w) { return std::all_of(w.map.begin(), w.map.end(), [](const auto& m) { return m.empty(); }); };
        if (!strange(b, a) && !strange(a, b) && !empty(a) && !empty(b)) x.map = b.map;
    }
    return x == b;
}

void takeParts(Recipe& recipe, const PaletteWish& wish) {
    const RecipeStart* start = startOf(wish);
    recipe.map = start ? start->map : wish.map;
    recipe.name = nameOf(wish);
    recipe.starsAmount = wish.starsAmount, recipe.detailShare = wish.detailShare;
}

Recipe ideaOf(const PaletteWish& wish, double light, double depth) {
    Recipe out;
    takeParts(out, wish);
    out.background = wish.background, out.scale = wish.scale, out.stars = wish.stars, out.starsOnGalaxy = wish.starsOnGalaxy;
    out.light = light, out.depth = depth;
    return out;
}

PaletteWish wishOf(const Recipe& idea) {
    PaletteWish w;
    w.start = "own", w.name = QString::fromStdString(idea.name), w.map = idea.map;
    w.background = idea.background, w.scale = idea.scale, w.stars = idea.stars, w.starsAmount = idea.starsAmount, w.starsOnGalaxy = idea.starsOnGalaxy;
    w.detailShare = idea.detailShare;
    return w;
}

} // namespace caelumen

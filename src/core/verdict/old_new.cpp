#include "core/verdict/old_new.h"

#include "core/base/phrase.h"
#include "core/grid/grid.h"
#include "core/grid/grid_out.h"
#include "core/verdict/notice.h"
#include "core/verdict/profile.h"
#include "core/verdict/run_merits.h"

#include <fmt/format.h>

#include <cmath>

namespace caelumen {
namespace {

struct Side {
    const GridTrial& trial;
    const Run& run;
    GridModel model;
    const GridRun* gridRun() const {
        for (const GridRun& r : model.input().runs)
            if (r.run == run.id) return &r;
        return nullptr;
    }
    std::string name() const {
        const Filter* f = trial.trial.filter(run.filter);
        return f ? f->name : run.filter;
    }
};

Result<Side> sideOf(const GridTrial& t, const std::string& run) {
    const Run* r = t.trial.run(run);
    if (!r) return Error{phrase("{} has no run {}.", t.name, run)};
    auto input = gridInput({t}, {});
    if (!input) return input.error();
    return Side{t, *r, GridModel(std::move(*input))};
}

/// Under one sky, for the target that the new trial was made with.
std::optional<GridCell> cellUnder(const Side& s, const GridSky& sky, TargetKind kind, GridQuantity quantity) {
    const GridFilter* f = s.model.input().filter(s.run.filter);
    if (!f) return std::nullopt;
    GridQuestion q;
    q.kind = kind, q.quantity = quantity;
    GridCell c = gridCell(s.model, q, *f, sky);
    return c.origin == CellOrigin::Empty ? std::nullopt : std::optional(std::move(c));
}

/// Fills the difference from both values in steps that somebody would notice, more being better.
void finish(OldNewRow& row, double stepBefore, double stepNow, double sigmaBefore, double sigmaNow) {
    row.difference = stepNow - stepBefore;
    row.sigma = std::hypot(sigmaBefore, sigmaNow);
    row.toldApart = std::abs(*row.difference) > kCertain * *row.sigma;
}

OldNewRow timeRow(const Side& before, const Side& now, const GridSky& sky, TargetKind kind) {
    OldNewRow row{meritLabel(Merit::Nebula), "times", {}, {}, {}, {}, {}, {}, {}, false, {}};
    const auto a = cellUnder(before, sky, kind, GridQuantity::TimeRatio), b = cellUnder(now, sky, kind, GridQuantity::TimeRatio);
    if (a) row.before = a->value, row.beforeSigma = a->sigma, row.beforeOrigin = cellOriginName(a->origin);
    if (b) row.now = b->value, row.nowSigma = b->sigma;
    if (!a || !b || a->value <= 0 || b->value <= 0) {
        row.why = phrase("the time ratio of {} is not known", a ? now.name() : before.name());
        return row;
    }
    const double unit = std::log(kTimeNotice);
    finish(row, std::log(a->value) / unit, std::log(b->value) / unit, a->sigma / a->value / unit, b->sigma / b->value / unit);
    return row;
}

OldNewRow darkRow(const Side& before, const Side& now, const GridSky& sky, TargetKind kind) {
    OldNewRow row{meritLabel(Merit::Background), "mag", {}, {}, {}, {}, {}, {}, {}, false, {}};
    const auto below = [&](const Side& s) -> std::optional<Darker> {
        const GridFilter* own = s.model.input().filter(s.run.filter);
        return own ? darkerThanBaseline(s.model, *own, sky, kind) : std::nullopt;
    };
    const auto a = below(before), b = below(now);
    if (a) row.before = a->mag, row.beforeSigma = a->sigma, row.beforeOrigin = cellOriginName(a->cell.origin);
    if (b) row.now = b->mag, row.nowSigma = b->sigma;
    if (!a || !b) {
        row.why = phrase("the background of {} is not known", a ? now.name() : before.name());
        return row;
    }
    finish(row, a->mag / kMagNotice, b->mag / kMagNotice, a->sigma / kMagNotice, b->sigma / kMagNotice);
    return row;
}

OldNewRow plainRow(Merit merit, const std::optional<MeritFigure>& a, const std::optional<MeritFigure>& b, bool voidA, bool voidB, double notice,
                   const Side& before, const Side& now) {
    OldNewRow row{meritLabel(merit), "1", {}, {}, {}, {}, "measured", {}, {}, false, {}};
    // Where nothing is seen there is none, as far as the star tells.
    const auto value = [](const MeritFigure& f) { return f.limit ? 0 : f.value; };
    if (a) row.before = value(*a), row.beforeSigma = a->sigma;
    if (b) row.now = value(*b), row.nowSigma = b->sigma;
    if (!a || !b) {
        const Side& missing = a ? now : before;
        row.why =
            phrase("{} of {}, run {}, {}",
                   merit == Merit::Halo         ? phrase("halos")
                   : merit == Merit::StarColour ? phrase("star colours")
                                                : phrase("the gradient"),
                   missing.trial.name, missing.run.id, (a ? voidB : voidA) ? phrase("are void by what else differed there") : phrase("were not measured"));
        return row;
    }
    finish(row, -value(*a) / notice, -value(*b) / notice, a->sigma / notice, b->sigma / notice);
    return row;
}

void compareTrials(const Side& before, const Side& now, OldNew& out) {
    const Trial &a = before.trial.trial, &b = now.trial.trial;
    const auto say = [&](std::string text) { out.fairness.push_back(std::move(text)); };
    const std::string baseA = before.model.input().baseline, baseB = now.model.input().baseline;
    const auto nameOf = [](const Side& s, const std::string& id) {
        const Filter* f = s.trial.trial.filter(id);
        return f ? f->name : id;
    };
    if (baseA != baseB && nameOf(before, baseA) != nameOf(now, baseB)) {
        out.isVoid = true;
        say(phrase("The trials have different baselines ({} and {}): nothing joins them.", nameOf(before, baseA), nameOf(now, baseB)));
    }
    if (a.target.name != b.target.name)
        say(phrase("Other targets ({} and {}): the time ratio is carried over for the kind of light, not for this nebula's own lines.",
                   a.target.name.empty() ? "unknown" : a.target.name, b.target.name.empty() ? "unknown" : b.target.name));
    if (a.site.name != b.site.name)
        say(phrase("Other places ({} and {}): time ratio and background are carried to the new one's sky by the model, its error is in them.",
                   a.site.name.empty() ? "unknown" : a.site.name, b.site.name.empty() ? "unknown" : b.site.name));
    const auto ratio = [](const Rig& r) { return r.focal_length_mm && r.aperture_mm ? *r.focal_length_mm / *r.aperture_mm : 0.0; };
    if (ratio(a.rig) > 0 && ratio(b.rig) > 0 && std::abs(std::log(ratio(a.rig) / ratio(b.rig))) > 0.1)
        say(phrase("Other telescopes (f/{:.1f} and f/{:.1f}): narrow bands lie elsewhere in another cone, and halos are of another size.", ratio(a.rig),
                   ratio(b.rig)));
    if (a.rig.camera != b.rig.camera && !a.rig.camera.empty() && !b.rig.camera.empty()) say(phrase("Other cameras ({} and {}).", a.rig.camera, b.rig.camera));
    for (const Side* s : {&before, &now})
        for (const Unfairness& u : s->trial.results->fairness)
            if (u.run == s->run.id && u.grade != Grade::Note && !u.normalised) say(fmt::format("{}, run {}: {}", s->trial.name, s->run.id, u.text));
}

} // namespace

Result<OldNew> compareOldNew(const GridTrial& before, const std::string& beforeRun, const GridTrial& now, const std::string& nowRun) {
    const auto a = sideOf(before, beforeRun), b = sideOf(now, nowRun);
    if (!a) return a.error();
    if (!b) return b.error();
    OldNew out;
    compareTrials(*a, *b, out);
    if (out.isVoid) {
        out.sentences.push_back(out.fairness.front());
        return out;
    }
    const GridRun* newRun = b->gridRun();
    if (newRun && newRun->sky) {
        out.rows.push_back(timeRow(*a, *b, *newRun->sky, newRun->kind));
        out.rows.push_back(darkRow(*a, *b, *newRun->sky, newRun->kind));
    } else {
        for (const Merit m : {Merit::Nebula, Merit::Background}) {
            OldNewRow row;
            row.label = meritLabel(m);
            row.why = newRun && !newRun->whyNoSky.empty() ? newRun->whyNoSky : phrase("the sky of the new run is not known");
            out.rows.push_back(row);
        }
    }
    const RunMerits x = runMerits(before, beforeRun), y = runMerits(now, nowRun);
    out.rows.push_back(plainRow(Merit::Halo, x.halo, y.halo, x.haloVoid, y.haloVoid, kHaloNotice, *a, *b));
    out.rows.push_back(plainRow(Merit::StarColour, x.colour, y.colour, x.colourVoid, y.colourVoid, kColourNotice, *a, *b));
    out.rows.push_back(plainRow(Merit::Gradient, x.gradient, y.gradient, x.gradientVoid, y.gradientVoid, kGradientNotice, *a, *b));
    for (const OldNewRow& row : out.rows) {
        if (!row.difference) continue;
        const std::string size = phrase("{:+.1f} \u00B1{:.1f} steps", *row.difference, *row.sigma);
        out.sentences.push_back(row.toldApart ? phrase("{}: {} is better than {} ({}).", row.label, *row.difference > 0 ? b->name() : a->name(),
                                                       *row.difference > 0 ? a->name() : b->name(), size)
                                              : phrase("{}: not told apart ({}).", row.label, size));
    }
    return out;
}

} // namespace caelumen

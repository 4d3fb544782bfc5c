#include "core/prepare/stack_plan.h"

#include "core/base/phrase.h"
#include "core/base/statistics.h"
#include "core/measure/surface.h"
#include "core/prepare/drizzle.h"
#include "core/prepare/resample.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>

namespace caelumen {
namespace {

using Affine = Alignment::Affine;

Affine toStored(const PlaneGeometry& g) {
    return {g.pitch, 0, 0, g.pitch, g.origin.x, g.origin.y};
}
Affine toPlane(const PlaneGeometry& g) {
    return {1 / g.pitch, 0, 0, 1 / g.pitch, -g.origin.x / g.pitch, -g.origin.y / g.pitch};
}
/// First a, then b.
Affine after(const Affine& a, const Affine& b) {
    return {b.xx * a.xx + b.xy * a.yx, b.xx * a.xy + b.xy * a.yy,        b.yx * a.xx + b.yy * a.yx,
            b.yx * a.xy + b.yy * a.yy, b.xx * a.dx + b.xy * a.dy + b.dx, b.yx * a.dx + b.yy * a.dy + b.dy};
}

SkyPlane skyOn(const StackPlan& plan, const StackChannel& c, const JudgedSub& sub, const PlaneGeometry& judged, int planeWidth, int planeHeight) {
    const auto& s = sub.figures->sky.at(c.name);
    const Affine map = after(after(toStored(c.output), sub.alignment->forward()), toPlane(judged));
    const auto at = [&](double x, double y) {
        const SurfaceBasis b = SurfaceBasis::at(map({x, y}), planeWidth, planeHeight);
        return s[0] + s[1] * b.u + s[2] * b.v + s[3] * b.rr;
    };
    const double w = plan.width - 1, h = plan.height - 1;
    return {at(w / 2, h / 2), (at(w, 0) - at(0, 0) + at(w, h) - at(0, h)) / (2 * w), (at(0, h) - at(0, 0) + at(w, h) - at(w, 0)) / (2 * h)};
}

/// The lattices that each channel of the stack is taken from.
void planChannels(StackPlan& plan, const FrameInfo& info, bool half) {
    for (std::size_t c = 0; c < info.channels.size(); ++c) {
        StackChannel channel;
        channel.name = info.channels[c];
        for (const Lattice& l : latticesOf(info, c, plan.together)) {
            channel.lattices.push_back(plan.lattices.size());
            plan.lattices.push_back(l);
            if (half) channel.output = l.geometry;
        }
        plan.channels.push_back(std::move(channel));
    }
}

Status planInputs(StackPlan& plan, const SubMeasurer& measurer, const JudgedRun& run) {
    for (const JudgedSub& s : run.subs) {
        if (!s.keep) continue;
        auto pixels = measurer.pixels(s.figures->file);
        if (!pixels) return pixels.error();
        StackInput in{&s, std::move(*pixels), {}};
        for (const StackChannel& c : plan.channels) {
            std::vector<Affine> to;
            for (const std::size_t l : c.lattices) to.push_back(after(after(toStored(c.output), s.alignment->forward()), toPlane(plan.lattices[l].geometry)));
            in.to.push_back(std::move(to));
        }
        plan.inputs.push_back(std::move(in));
    }
    if (plan.inputs.empty()) return Error{phrase("No sub is kept, so there is nothing to stack; loosen the limits or name subs to keep.")};
    return Done{};
}

/// Variance of a resampled sky pixel of each sub.
std::vector<double> variancesOf(const StackPlan& plan, std::size_t c) {
    std::vector<double> out;
    for (const StackInput& in : plan.inputs) {
        const double own = in.sub->figures->noise.at(plan.channels[c].name);
        const bool two = in.to[c].size() == 2;
        double kept = 0; // variance of the mean of the lattices
        if (plan.channels[c].dropReach > 0)
            kept = 1;
        else
            for (const Affine& a : in.to[c]) kept += noiseKept(a, plan.width, plan.height) / static_cast<double>(in.to[c].size() * in.to[c].size());
        const double single = two ? 2 : 1; // the greens' noise was measured on the mean of the two
        out.push_back(own * own * single * kept);
    }
    return out;
}

/// What stars are multiplied by, to the mean transparency of what is kept.
std::vector<double> scalesOf(const StackPlan& plan, Normalising how) {
    std::vector<double> out(plan.inputs.size(), 1);
    if (how != Normalising::LevelAndScale) return out;
    double all = 0;
    for (std::size_t i = 0; i < out.size(); ++i) {
        const double clear = std::max(0.1, plan.inputs[i].sub->transparency.value_or(1));
        out[i] = 1 / clear;
        all += clear;
    }
    for (double& s : out) s *= all / static_cast<double>(out.size());
    return out;
}

/// Sky of each sub less that of all, or nothing where nothing is made alike; the mean's middle is the level of the model.
void planOffsets(StackPlan& plan, StackChannel& channel, const PlaneGeometry& judged, Normalising how) {
    double all = 0;
    SkyPlane mean;
    for (std::size_t i = 0; i < plan.inputs.size(); ++i) {
        channel.offset.push_back(skyOn(plan, channel, *plan.inputs[i].sub, judged, plan.latticeWidth, plan.latticeHeight));
        const double w = channel.weights.empty() ? 1 : channel.weights[i];
        const SkyPlane& o = channel.offset.back();
        all += w, mean.middle += w * o.middle, mean.x += w * o.x, mean.y += w * o.y;
    }
    mean.middle /= all, mean.x /= all, mean.y /= all;
    for (SkyPlane& o : channel.offset) o = how == Normalising::None ? SkyPlane{} : SkyPlane{o.middle - mean.middle, o.x - mean.x, o.y - mean.y};
    channel.model.level = mean.middle;
}

} // namespace

Result<StackPlan> planStack(const SubsRecipe& recipe, const SubMeasurer& measurer, const JudgedRun& run) {
    const FrameInfo& info = measurer.like();
    StackPlan plan;
    const bool mosaic = info.mosaic.has_value(), half = mosaic && recipe.mosaic == MosaicMode::Half;
    plan.together = !mosaic || half;
    plan.latticeWidth = mosaic ? info.width / 2 : info.width, plan.latticeHeight = mosaic ? info.height / 2 : info.height;
    plan.width = half ? info.width / 2 : info.width, plan.height = half ? info.height / 2 : info.height;
    planChannels(plan, info, half);
    if (const Status found = planInputs(plan, measurer, run); !found) return found.error();
    std::vector<double> found;
    for (const StackInput& in : plan.inputs)
        if (in.sub->figures->fwhm_px) found.push_back(*in.sub->figures->fwhm_px);
    std::map<std::size_t, double> biases; // channels that gather as many values are clipped alike
    const auto biasOf = [&](std::size_t values) {
        const auto known = biases.find(values);
        return known != biases.end() ? known->second : biases.emplace(values, clippingBias(values, recipe.combine)).first->second;
    };
    const auto usualWidth = found.empty() ? std::nullopt : std::optional(median(std::span<double>(found)));
    for (std::size_t c = 0; c < plan.channels.size(); ++c) {
        StackChannel& channel = plan.channels[c];
        // Of well dithered subs a quarter has a red site in any one pixel, less where drops are small.
        const double reach = dropReach(usualWidth), drops = static_cast<double>(plan.inputs.size() * channel.lattices.size()) * reach * reach;
        if (mosaic && !half && drops >= kFewestDrops) channel.dropReach = reach;
        const std::vector<double> variance = variancesOf(plan, c);
        channel.scale = scalesOf(plan, recipe.combine.normalise);
        if (recipe.combine.weightByNoise)
            for (const double v : variance) channel.weights.push_back(v > 0 ? 1 / v : 0);
        planOffsets(plan, channel, info.geometry(c), recipe.combine.normalise);
        channel.model.sky = std::sqrt(std::accumulate(variance.begin(), variance.end(), 0.0) / static_cast<double>(variance.size()));
        channel.model.photon = measurer.gain() ? 1 / *measurer.gain() : 0;
        channel.model.part = 0.08;
        channel.model.bias = biasOf(channel.dropReach > 0 ? static_cast<std::size_t>(std::lround(drops)) : plan.inputs.size());
        std::vector<std::optional<double>> widths;
        for (const StackInput& in : plan.inputs)
            widths.push_back(in.sub->figures->fwhm_px ? std::optional(*in.sub->figures->fwhm_px / channel.output.pitch) : std::nullopt);
        channel.spread = spreadsOf(widths);
    }
    return plan;
}

} // namespace caelumen

#include "core/prepare/stack.h"

#include "core/base/file.h"
#include "core/base/json.h"
#include "core/base/pixel_rows.h"
#include "core/base/statistics.h"
#include "core/base/text.h"
#include "core/image/fits_bands.h"
#include "core/measure/surface.h"
#include "core/model/results.h"
#include "core/prepare/band_shelf.h"
#include "core/prepare/combine.h"
#include "core/prepare/resample.h"

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <mutex>
#include <numeric>

namespace caelumen {
namespace fs = std::filesystem;
namespace {

using Affine = Alignment::Affine;

Affine toStored(const PlaneGeometry& g) { return {g.pitch, 0, 0, g.pitch, g.origin.x, g.origin.y}; }
Affine toPlane(const PlaneGeometry& g) { return {1 / g.pitch, 0, 0, 1 / g.pitch, -g.origin.x / g.pitch, -g.origin.y / g.pitch}; }
/// First a, then b.
Affine after(const Affine& a, const Affine& b) {
    return {b.xx * a.xx + b.xy * a.yx, b.xx * a.xy + b.xy * a.yy, b.yx * a.xx + b.yy * a.yx, b.yx * a.xy + b.yy * a.yy, b.xx * a.dx + b.xy * a.dy + b.dx, b.yx * a.dx + b.yy * a.dy + b.dy};
}

/// A sub's sky on the stack's grid, as a plane: what is made alike before values are compared.
struct SkyPlane {
    double middle = 0, x = 0, y = 0; ///< at the stack's centre, and by pixel
};

/// One channel of the stack.
struct Channel {
    std::string name;
    PlaneGeometry output;             ///< stack pixel to the reference's stored pixel
    std::vector<std::size_t> lattices; ///< of Plan::lattices; their mean
    std::vector<SkyPlane> offset;     ///< by kept sub: taken away from its values
    std::vector<double> scale;        ///< by kept sub
    NoiseModel model;
    std::vector<double> weights;      ///< by kept sub; empty: equal
};

struct Input {
    const JudgedSub* sub;
    SubPixels pixels;
    std::vector<std::vector<Affine>> to; ///< by channel and its lattice: stack pixel to lattice pixel
};

struct StackPlan {
    int width = 0, height = 0;
    bool together = true;
    int latticeWidth = 0, latticeHeight = 0;
    std::vector<Lattice> lattices;
    std::vector<Channel> channels;
    std::vector<Input> inputs;
};

SkyPlane skyOn(const StackPlan& plan, const Channel& c, const JudgedSub& sub, const PlaneGeometry& judged, int planeWidth, int planeHeight) {
    const auto& s = sub.figures.sky.at(c.name);
    const Affine map = after(after(toStored(c.output), sub.alignment->forward()), toPlane(judged));
    const auto at = [&](double x, double y) {
        const SurfaceBasis b = SurfaceBasis::at(map({x, y}), planeWidth, planeHeight);
        return s[0] + s[1] * b.u + s[2] * b.v + s[3] * b.rr;
    };
    const double w = plan.width - 1, h = plan.height - 1;
    return {at(w / 2, h / 2), (at(w, 0) - at(0, 0) + at(w, h) - at(0, h)) / (2 * w), (at(0, h) - at(0, 0) + at(w, h) - at(w, 0)) / (2 * h)};
}

Result<StackPlan> planStack(const SubsRecipe& recipe, const SubMeasurer& measurer, const JudgedRun& run) {
    const FrameInfo& info = measurer.like();
    StackPlan plan;
    const bool mosaic = info.mosaic.has_value(), half = mosaic && recipe.mosaic == MosaicMode::Half;
    plan.together = !mosaic || half;
    plan.latticeWidth = mosaic ? info.width / 2 : info.width, plan.latticeHeight = mosaic ? info.height / 2 : info.height;
    plan.width = half ? info.width / 2 : info.width, plan.height = half ? info.height / 2 : info.height;
    for (std::size_t c = 0; c < info.channels.size(); ++c) {
        Channel channel;
        channel.name = info.channels[c];
        for (const Lattice& l : latticesOf(info, c, plan.together)) {
            channel.lattices.push_back(plan.lattices.size());
            plan.lattices.push_back(l);
            if (half) channel.output = l.geometry;
        }
        plan.channels.push_back(std::move(channel));
    }
    for (const JudgedSub& s : run.subs) {
        if (!s.keep) continue;
        auto pixels = measurer.pixels(s.figures.file);
        if (!pixels) return pixels.error();
        Input in{&s, std::move(*pixels), {}};
        for (const Channel& c : plan.channels) {
            std::vector<Affine> to;
            for (const std::size_t l : c.lattices) to.push_back(after(after(toStored(c.output), s.alignment->forward()), toPlane(plan.lattices[l].geometry)));
            in.to.push_back(std::move(to));
        }
        plan.inputs.push_back(std::move(in));
    }
    if (plan.inputs.empty()) return Error{"No sub is kept, so there is nothing to stack; loosen the limits or name subs to keep."};
    const auto n = static_cast<double>(plan.inputs.size());
    const double clipping = clippingBias(plan.inputs.size(), recipe.combine);
    for (std::size_t c = 0; c < plan.channels.size(); ++c) {
        Channel& channel = plan.channels[c];
        std::vector<double> variance;
        for (const Input& in : plan.inputs) {
            const double own = in.sub->figures.noise.at(channel.name);
            double kept = 0; // variance of the mean of the lattices
            for (const Affine& a : in.to[c]) kept += noiseKept(a, plan.width, plan.height) / static_cast<double>(in.to[c].size() * in.to[c].size());
            // The greens' noise was measured on the mean of the two.
            const double single = in.to[c].size() == 2 ? 2 : 1;
            variance.push_back(own * own * single * kept);
            channel.scale.push_back(recipe.combine.normalise == Normalising::LevelAndScale && in.sub->figures.transparency ? 1 / std::max(0.1, *in.sub->figures.transparency) : 1);
            channel.offset.push_back(skyOn(plan, channel, *in.sub, info.geometry(c), plan.latticeWidth, plan.latticeHeight));
        }
        if (recipe.combine.normalise == Normalising::LevelAndScale) { // to the mean transparency of what is kept
            const double mean = n / std::accumulate(channel.scale.begin(), channel.scale.end(), 0.0, [](double sum, double s) { return sum + 1 / s; });
            for (double& s : channel.scale) s /= mean;
        }
        if (recipe.combine.weightByNoise)
            for (const double v : variance) channel.weights.push_back(v > 0 ? 1 / v : 0);
        double all = 0, level = 0;
        SkyPlane mean;
        for (std::size_t i = 0; i < plan.inputs.size(); ++i) {
            const double w = channel.weights.empty() ? 1 : channel.weights[i];
            all += w;
            mean.middle += w * channel.offset[i].middle, mean.x += w * channel.offset[i].x, mean.y += w * channel.offset[i].y;
        }
        mean.middle /= all, mean.x /= all, mean.y /= all;
        level = mean.middle;
        for (SkyPlane& o : channel.offset) o = recipe.combine.normalise == Normalising::None ? SkyPlane{} : SkyPlane{o.middle - mean.middle, o.x - mean.x, o.y - mean.y};
        channel.model.level = level;
        channel.model.sky = std::sqrt(std::accumulate(variance.begin(), variance.end(), 0.0) / n);
        channel.model.photon = measurer.gain() > 0 ? 1 / measurer.gain() : 0;
        channel.model.part = 0.08;
        channel.model.bias = clipping;
    }
    return plan;
}

/// The resampled rows of a band, of every channel and kept sub.
struct RowBlock {
    int y = 0, rows = 0;
    std::vector<std::vector<float>> values; ///< by channel: sub after sub, row after row
};

Status fillBand(const StackPlan& plan, RowBlock& band) {
    const auto row = static_cast<std::size_t>(plan.width), size = row * static_cast<std::size_t>(band.rows);
    for (std::size_t c = 0; c < plan.channels.size(); ++c) band.values[c].assign(plan.inputs.size() * size, 0);
    std::mutex guard;
    std::optional<Error> failure;
    tbb::parallel_for(std::size_t{0}, plan.inputs.size(), [&](std::size_t i) {
        const Input& in = plan.inputs[i];
        int low = plan.latticeHeight, high = 0;
        for (const auto& channel : in.to)
            for (const Affine& a : channel) {
                const auto [from, to] = rowsNeeded(a, plan.width, band.y, band.y + band.rows, plan.latticeHeight);
                low = std::min(low, from), high = std::max(high, to);
            }
        const auto latticeSize = static_cast<std::size_t>(plan.latticeWidth) * static_cast<std::size_t>(std::max(0, high - low));
        thread_local std::vector<float> stored;
        stored.resize(std::max<std::size_t>(1, latticeSize) * plan.lattices.size());
        std::vector<float*> to;
        for (std::size_t l = 0; l < plan.lattices.size(); ++l) to.push_back(stored.data() + l * latticeSize);
        if (high > low)
            if (const Status read = in.pixels.read(plan.lattices, plan.together, low, high - low, to); !read) {
                const std::scoped_lock lock(guard);
                if (!failure) failure = read.error();
                return;
            }
        for (std::size_t c = 0; c < plan.channels.size(); ++c) {
            const Channel& channel = plan.channels[c];
            const auto weight = 1.0F / static_cast<float>(channel.lattices.size());
            for (int r = 0; r < band.rows; ++r) {
                float* out = band.values[c].data() + i * size + static_cast<std::size_t>(r) * row;
                for (std::size_t l = 0; l < channel.lattices.size(); ++l)
                    resampleRow({to[channel.lattices[l]], plan.latticeWidth, low, std::max(0, high - low)}, in.to[c][l], band.y + r, plan.width, weight, out);
                const SkyPlane& o = channel.offset[i];
                const double scale = channel.scale[i], start = o.middle + o.x * (-0.5 * (plan.width - 1)) + o.y * (band.y + r - 0.5 * (plan.height - 1));
                const double pivot = scale == 1 ? 0 : channel.model.level;
                rows::level(out, plan.width, static_cast<float>(start + pivot), static_cast<float>(o.x), static_cast<float>(scale), static_cast<float>(pivot));
            }
        }
    });
    if (failure) return *failure;
    return Done{};
}

std::vector<HeaderCard> cardsOf(const SubsRecipe& recipe, const SubMeasurer& measurer, const JudgedRun& run, const StackPlan& plan) {
    const FrameFacts& facts = measurer.like().facts;
    const Rig rig = factsOf(recipe, facts).rig;
    const bool half = plan.width < measurer.like().width;
    const auto first = [](auto a, const auto& b) { return a ? a : b; };
    std::vector<HeaderCard> out;
    double exposure = 0, temperature = 0;
    int temperatures = 0;
    std::string start;
    for (const Input& in : plan.inputs) {
        const SubFigures& f = in.sub->figures;
        exposure += f.exposure_s / static_cast<double>(plan.inputs.size());
        if (f.temperature_c) temperature += *f.temperature_c, ++temperatures;
        if (!f.start.empty() && (start.empty() || f.start < start)) start = f.start;
    }
    out.push_back({"NCOMBINE", static_cast<long long>(plan.inputs.size()), "subs combined"});
    out.push_back({"EXPTIME", exposure, "s, each sub"});
    out.push_back({"TOTALEXP", exposure * static_cast<double>(plan.inputs.size()), "s, all subs"});
    if (measurer.gain() > 0) out.push_back({"EGAIN", measurer.gain(), "e-/ADU"});
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
    if (measurer.like().mosaic) out.push_back({"CAELMOS", std::string(half ? "half" : "full"), half ? "each 2x2 cell: R, mean of G, B" : "colours interpolated to every pixel"});
    const auto say = [&](const std::string& line) { out.push_back({"HISTORY", line, ""}); };
    say(fmt::format("{}: {} of {} subs kept", programName(), run.kept(), run.subs.size()));
    for (const std::string& line : measurer.calibration().history) say(line);
    if (measurer.like().mosaic) say(half ? fmt::format("mosaic {}: each 2x2 cell gives R, the mean of both G, and B", measurer.like().mosaic->name) : fmt::format("mosaic {}: each colour interpolated from its own sites at every pixel", measurer.like().mosaic->name));
    say(fmt::format("aligned on {}", shown(pathOf(run.subs[run.reference].figures.file).filename())));
    say("resampled once (Lanczos, six pixels); whole-pixel shifts copied");
    const CombineOptions& c = recipe.combine;
    say(c.normalise == Normalising::None ? "not normalised" : c.normalise == Normalising::Level ? "sky level and slope of each sub brought to their mean" : "sky level and slope brought to their mean, stars to the mean transparency");
    say(c.method == Combination::Median ? "median" : c.weightByNoise ? "mean, weighted by the noise of the sky" : "mean, all subs alike");
    if (c.reject != Rejection::None) say(fmt::format("{} rejection below {:g} and above {:g} sigma", c.reject == Rejection::Winsor ? "winsorised" : "sigma", c.low, c.high));
    return out;
}

/// What the bands of a stack depend on.
std::string stampOf(const SubsRecipe& recipe, const SubMeasurer& measurer, const StackPlan& plan) {
    SubsRecipe plain = recipe;
    plain.lights.clear();
    plain.cull = {};
    std::string out = jsonText(subsRecipeToJson(plain));
    for (const std::string& line : measurer.calibration().history) out += line;
    for (const Input& in : plan.inputs) {
        const Alignment& a = *in.sub->alignment;
        std::error_code failed;
        const auto written = fs::last_write_time(in.sub->figures.file, failed).time_since_epoch().count();
        out += fmt::format("|{} {} {:.9g} {:.9g} {:.9g}", in.sub->figures.file, written, a.dx, a.dy, a.rotation_deg);
    }
    return out;
}

} // namespace

std::vector<fs::path> stackOutputs(const SubsRecipe& recipe, const fs::path& out) {
    std::vector<fs::path> all{out, workBeside(out, "work"), workBeside(out, "bands")};
    if (recipe.halves) all.insert(all.end(), {besideStack(out, "odd"), besideStack(out, "even")});
    if (recipe.maps) all.insert(all.end(), {besideStack(out, "coverage"), besideStack(out, "rejected"), besideStack(out, "noise")});
    return all;
}

Result<StackSummary> stackSubs(const SubsRecipe& recipe, const SubMeasurer& measurer, const JudgedRun& run, const fs::path& out, const Job& job, double worthKeeping) {
    auto planned = planStack(recipe, measurer, run);
    if (!planned) return planned.error();
    const StackPlan& plan = *planned;
    StackSummary summary;
    summary.width = plan.width, summary.height = plan.height, summary.planes = static_cast<int>(plan.channels.size()), summary.subs = plan.inputs.size();
    for (const Input& in : plan.inputs) summary.total_s += in.sub->figures.exposure_s;
    const std::vector<HeaderCard> cards = cardsOf(recipe, measurer, run, plan);

    // The stack, and what is wanted beside it: each through a temporary name of its own.
    enum Product { Stack, Odd, Even, Coverage, Rejected, Noise };
    std::vector<std::pair<Product, fs::path>> products{{Stack, out}};
    if (recipe.halves && plan.inputs.size() >= 2) products.push_back({Odd, besideStack(out, "odd")}), products.push_back({Even, besideStack(out, "even")});
    if (recipe.maps) products.push_back({Coverage, besideStack(out, "coverage")}), products.push_back({Rejected, besideStack(out, "rejected")}), products.push_back({Noise, besideStack(out, "noise")});

    const auto n = plan.inputs.size();
    const double rowBytes = 4.0 * static_cast<double>(n * plan.channels.size()) * plan.width;
    const int bandRows = static_cast<int>(std::clamp(160.0 * (1 << 20) / rowBytes, 4.0, 64.0));
    const auto least = static_cast<std::uint16_t>(std::max<std::size_t>(1, (n + 1) / 2));

    BandShelf shelf(workBeside(out, "bands"), stampOf(recipe, measurer, plan));
    const bool keeps = static_cast<double>(n * plan.channels.size()) * plan.width * plan.height >= worthKeeping;
    std::function<Status(std::size_t, std::vector<FitsBandWriter>&)> open;
    const auto work = [&](std::vector<FitsBandWriter>& writers) -> Status {
        std::vector<std::vector<double>> differences(plan.channels.size());
        std::vector<double> rejected(plan.channels.size(), 0), values(plan.channels.size(), 0);
        double covered = 0;
        RowBlock band;
        band.values.resize(plan.channels.size());
        const auto row = static_cast<std::size_t>(plan.width);
        std::vector<float> result, odd, even, cover, reject, spread, record;
        for (band.y = 0; band.y < plan.height; band.y += bandRows) {
            if (job.cancelled()) return Error{kCancelled};
            band.rows = std::min(bandRows, plan.height - band.y);
            if (shelf.take(record)) { // finished before
                const std::size_t pixels = row * static_cast<std::size_t>(band.rows);
                std::size_t at = 0;
                for (std::size_t c = 0; c < plan.channels.size(); ++c) {
                    for (std::size_t p = 0; p < products.size(); ++p, at += pixels)
                        if (const Status written = writers[p].write(static_cast<int>(c), band.y, band.rows, record.data() + at); !written) return written;
                    rejected[c] += static_cast<double>(record[at]), values[c] += static_cast<double>(record[at + 1]);
                    if (c == 0) covered += static_cast<double>(record[at + 2]);
                    const auto many = static_cast<std::size_t>(record[at + 3]);
                    differences[c].insert(differences[c].end(), record.begin() + static_cast<std::ptrdiff_t>(at + 4), record.begin() + static_cast<std::ptrdiff_t>(at + 4 + many));
                    at += 4 + many;
                }
                continue;
            }
            record.clear();
            job.report(static_cast<double>(band.y) / plan.height, "Stacking");
            if (const Status filled = fillBand(plan, band); !filled) return filled;
            const std::size_t size = row * static_cast<std::size_t>(band.rows);
            for (std::size_t c = 0; c < plan.channels.size(); ++c) {
                const Channel& channel = plan.channels[c];
                const double rejectedBefore = rejected[c], valuesBefore = values[c], coveredBefore = covered;
                const std::size_t differencesBefore = differences[c].size();
                result.resize(size), odd.assign(size, kNoData), even.assign(size, kNoData), cover.resize(size), reject.resize(size), spread.assign(recipe.maps ? size : 0, kNoData);
                std::mutex guard;
                tbb::parallel_for(0, band.rows, [&](int r) {
                    std::vector<const float*> all, first, second;
                    std::vector<double> w1, w2;
                    for (std::size_t i = 0; i < n; ++i) {
                        const float* p = band.values[c].data() + i * size + static_cast<std::size_t>(r) * row;
                        all.push_back(p);
                        (i % 2 ? second : first).push_back(p);
                        if (!channel.weights.empty()) (i % 2 ? w2 : w1).push_back(channel.weights[i]);
                    }
                    std::vector<std::uint16_t> there(row), low(row), high(row);
                    const auto at = static_cast<std::size_t>(r) * row;
                    combineRows(all, plan.width, channel.model, recipe.combine, channel.weights, result.data() + at, {there, low, high});
                    double lost = 0, seen = 0, full = 0;
                    for (std::size_t x = 0; x < row; ++x) {
                        seen += there[x], lost += low[x] + high[x], full += there[x] >= least;
                        cover[at + x] = there[x], reject[at + x] = static_cast<float>(low[x] + high[x]);
                        if (there[x] < least) result[at + x] = kNoData;
                    }
                    for (std::size_t x = 0; x < spread.size() / static_cast<std::size_t>(band.rows); ++x) { // the mean's error, from the values that are not rejected
                        const double middle = static_cast<double>(result[at + x]), limit = 4 * std::max(channel.model.sky, channel.model.part * (middle - channel.model.level));
                        double squares = 0;
                        int used = 0;
                        for (const float* p : all)
                            if (const double d = static_cast<double>(p[x]) - middle; std::abs(d) < limit) squares += d * d, ++used;
                        if (used > 1) spread[at + x] = static_cast<float>(std::sqrt(squares / (used - 1) / used));
                    }
                    const bool sampled = n >= 2 && (band.y + r) % 16 == 0;
                    if (n >= 2 && (recipe.halves || sampled)) {
                        combineRows(first, plan.width, channel.model, recipe.combine, w1, odd.data() + at);
                        combineRows(second, plan.width, channel.model, recipe.combine, w2, even.data() + at);
                        for (std::size_t x = 0; x < row; ++x)
                            if (there[x] < least) odd[at + x] = even[at + x] = kNoData;
                    }
                    const std::scoped_lock lock(guard);
                    rejected[c] += lost, values[c] += seen;
                    if (c == 0) covered += full;
                    if (sampled)
                        for (std::size_t x = 0; x < row; x += 3)
                            if (const float d = odd[at + x] - even[at + x]; d == d) differences[c].push_back(d);
                });
                for (std::size_t p = 0; p < products.size(); ++p) {
                    const std::vector<float>& from = products[p].first == Stack ? result : products[p].first == Odd ? odd : products[p].first == Even ? even : products[p].first == Coverage ? cover : products[p].first == Rejected ? reject : spread;
                    if (const Status written = writers[p].write(static_cast<int>(c), band.y, band.rows, from.data()); !written) return written;
                    if (keeps) record.insert(record.end(), from.begin(), from.begin() + static_cast<std::ptrdiff_t>(size));
                }
                const std::size_t many = differences[c].size() - differencesBefore;
                for (const double v : {rejected[c] - rejectedBefore, values[c] - valuesBefore, covered - coveredBefore, static_cast<double>(many)}) record.push_back(static_cast<float>(v));
                for (std::size_t k = differencesBefore; k < differences[c].size(); ++k) record.push_back(static_cast<float>(differences[c][k]));
            }
            if (keeps) shelf.put(record);
        }
        std::vector<HeaderCard> last;
        for (std::size_t c = 0; c < plan.channels.size(); ++c) {
            const std::string& name = plan.channels[c].name;
            summary.rejectedPart[name] = values[c] > 0 ? rejected[c] / values[c] : 0;
            // The halves' difference has the noise of both: with n subs half and half, twice that of the stack.
            const auto na = static_cast<double>((n + 1) / 2), nb = static_cast<double>(n / 2);
            if (differences[c].size() > 100) summary.noise[name] = robustSigma(differences[c]) / std::sqrt((1 / na + 1 / nb) * static_cast<double>(n));
            last.push_back({"HISTORY", fmt::format("{}: {:.3f} % of the values rejected", name, 100 * summary.rejectedPart[name]), ""});
        }
        summary.coveredPart = covered / (static_cast<double>(plan.width) * plan.height);
        for (std::size_t p = 0; p < products.size(); ++p)
            if (const Status finished = writers[p].finish(products[p].first == Stack ? last : std::vector<HeaderCard>{}); !finished) return finished;
        job.report(1, "Stacking");
        return Done{};
    };
    // Nested, so that no name becomes final before all are whole.
    open = [&](std::size_t p, std::vector<FitsBandWriter>& writers) -> Status {
        if (p == products.size()) return work(writers);
        return writeThrough(products[p].second, [&](const fs::path& part) -> Status {
            std::vector<HeaderCard> own = cards;
            if (products[p].first == Odd || products[p].first == Even)
                for (HeaderCard& card : own) {
                    const auto half = static_cast<long long>(products[p].first == Odd ? (n + 1) / 2 : n / 2);
                    if (card.keyword == "NCOMBINE") card.value = half;
                    if (card.keyword == "TOTALEXP") card.value = summary.total_s * static_cast<double>(half) / static_cast<double>(n);
                }
            auto writer = FitsBandWriter::create(part, products[p].second, plan.width, plan.height, summary.planes, own);
            if (!writer) return writer.error();
            writers.push_back(std::move(*writer));
            return open(p + 1, writers);
        });
    };
    std::vector<FitsBandWriter> writers;
    if (const Status done = open(0, writers); !done) return done.error();
    shelf.remove();
    for (const auto& [kind, path] : products) summary.files.push_back(path);
    return summary;
}

} // namespace caelumen

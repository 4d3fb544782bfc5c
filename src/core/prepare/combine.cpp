#include "core/prepare/combine.h"

#include "core/base/pixel_rows.h"
#include "core/base/statistics.h"
#include "core/image/plane.h"

#include <algorithm>
#include <cmath>
#include <vector>

namespace caelumen {
namespace {

struct Value {
    double v;
    double weight;
};

double medianOf(std::vector<float>& values) { return median(std::span<float>(values)); }

/// The values' own sigma about their median.
double scatter(const std::vector<Value>& kept, double centre, Rejection how, std::vector<float>& room) {
    room.clear();
    for (const Value& k : kept) room.push_back(static_cast<float>(std::abs(k.v - centre)));
    // Of few values the median deviation comes out too small (Croux & Rousseeuw 1992, table 1).
    static constexpr double kFew[] = {0, 0, 1.196, 1.495, 1.363, 1.206, 1.200, 1.140, 1.129, 1.107};
    double s = kMadToSigma * medianOf(room) * (kept.size() < 10 ? kFew[kept.size()] : static_cast<double>(kept.size()) / (static_cast<double>(kept.size()) - 0.8));
    if (how != Rejection::Winsor || kept.size() < 4) return s;
    for (int round = 0; round < 5; ++round) {
        double sum = 0, squares = 0;
        for (const Value& k : kept) {
            const double w = std::clamp(k.v, centre - 1.5 * s, centre + 1.5 * s) - centre;
            sum += w, squares += w * w;
        }
        const auto n = static_cast<double>(kept.size());
        const double next = 1.134 * std::sqrt(std::max(0.0, (squares - sum * sum / n) / (n - 1)));
        if (std::abs(next - s) < 0.005 * s) break;
        s = next;
    }
    return s;
}

} // namespace

double clippingBias(std::size_t n, const CombineOptions& options) {
    if (options.reject == Rejection::None || options.method == Combination::Median || options.low == options.high || n < 3) return 0;
    const std::size_t width = std::max<std::size_t>(500, 400'000 / n);
    Random random(11);
    std::vector<std::vector<float>> values(n, std::vector<float>(width));
    std::vector<const float*> rows;
    double before = 0, after = 0;
    for (auto& row : values) {
        for (float& v : row) v = static_cast<float>(random.normal()), before += static_cast<double>(v) / static_cast<double>(n);
        rows.push_back(row.data());
    }
    std::vector<float> out(width);
    combineRows(rows, static_cast<int>(width), {1, 0, 0, 0, 0}, options, {}, out.data());
    for (const float v : out) after += static_cast<double>(v);
    return (after - before) / static_cast<double>(width); // the same noise before and after: only the clipping differs
}

void combineRows(std::span<const float* const> subs, int width, const NoiseModel& model, const CombineOptions& options, std::span<const double> weights, float* out, RowFates fates) {
    const auto n = static_cast<std::size_t>(width);
    thread_local std::vector<float> sum, weight, count, low, high, room;
    thread_local std::vector<std::uint8_t> doubtful;
    thread_local std::vector<Value> kept;
    for (auto* v : {&sum, &weight, &count}) v->assign(n, 0);
    low.assign(n, std::numeric_limits<float>::infinity());
    high.assign(n, -std::numeric_limits<float>::infinity());
    doubtful.resize(n);
    const auto pivot = static_cast<float>(model.level); // sums of small numbers keep their digits
    const rows::Gathered gathered{sum.data(), weight.data(), count.data(), low.data(), high.data()};
    for (std::size_t s = 0; s < subs.size(); ++s) rows::gather(subs[s], width, pivot, weights.empty() ? 1.0F : static_cast<float>(weights[s]), gathered);

    const double lowest = options.low, highest = options.high;
    const bool rejects = options.reject != Rejection::None, median = options.method == Combination::Median;
    const double bias = rejects && !median ? model.bias : 0;
    // Where stars may differ by more than noise, the limits lie too far out for clipping to bias the mean.
    const double partLimit = model.part > 0 ? 0.3 * model.sky / model.part : 1e30;
    const auto f = [](double v) { return static_cast<float>(v); };
    constexpr double kNever = 1e30;
    rows::screen(gathered, width, {pivot, f(model.sky * model.sky), f(model.photon), f(model.part * model.part), f(rejects ? lowest : kNever), f(rejects ? highest : kNever), f(bias), f(partLimit)}, out, doubtful.data());
    for (std::size_t x = 0; x < n; ++x) {
        if (!fates.covered.empty()) fates.covered[x] = static_cast<std::uint16_t>(count[x]);
        if (!fates.rejectedLow.empty()) fates.rejectedLow[x] = fates.rejectedHigh[x] = 0;
        if (count[x] == 0) {
            out[x] = kNoData;
            continue;
        }
        if (!median && (!rejects || !doubtful[x])) continue;
        const auto all = static_cast<std::size_t>(count[x]);
        const double above = std::max(0.0, static_cast<double>(sum[x]) / static_cast<double>(weight[x]));
        const double correction = all > 2 && above < partLimit ? bias * std::sqrt(model.sky * model.sky + model.photon * above) : 0;
        kept.clear();
        for (std::size_t s = 0; s < subs.size(); ++s)
            if (const float v = subs[s][x] - pivot; v == v) kept.push_back({static_cast<double>(v), weights.empty() ? 1.0 : weights[s]});
        std::uint16_t tooLow = 0, tooHigh = 0;
        const auto middle = [&] {
            room.clear();
            for (const Value& k : kept) room.push_back(static_cast<float>(k.v));
            return medianOf(room);
        };
        for (int round = 0; rejects && round < 5 && kept.size() > 1; ++round) {
            const double centre = middle();
            const double here = std::max(0.0, centre), expected = std::sqrt(model.sky * model.sky + model.photon * here + model.part * model.part * here * here);
            if (kept.size() == 2) { // nobody can tell which: light of a trail is more likely than its lack
                const bool apart = expected > 0 && std::abs(kept[0].v - kept[1].v) > (lowest + highest) * expected;
                if (apart) kept.erase(kept.begin() + (kept[0].v > kept[1].v ? 0 : 1)), ++tooHigh;
                break;
            }
            const double s = std::max(expected, kept.size() > 3 || expected <= 0 ? scatter(kept, centre, options.reject, room) : 0.0);
            if (s <= 0) break;
            const std::size_t before = kept.size();
            std::erase_if(kept, [&](const Value& k) {
                const bool down = k.v < centre - lowest * s, up = k.v > centre + highest * s;
                tooLow = static_cast<std::uint16_t>(tooLow + down), tooHigh = static_cast<std::uint16_t>(tooHigh + up);
                return down || up;
            });
            if (kept.size() == before) break;
        }
        if (!fates.rejectedLow.empty()) fates.rejectedLow[x] = tooLow, fates.rejectedHigh[x] = tooHigh;
        double total = 0, by = 0;
        if (median) total = middle(), by = 1;
        else
            for (const Value& k : kept) total += k.weight * k.v, by += k.weight;
        out[x] = static_cast<float>(model.level + total / by - (median ? 0 : correction));
    }
}

} // namespace caelumen

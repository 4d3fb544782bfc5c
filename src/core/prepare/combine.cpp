#include "core/prepare/combine.h"

#include "core/base/stack_rows.h"
#include "core/base/statistics.h"
#include "core/image/plane.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <vector>

namespace caelumen {
namespace {

struct Value {
    float v; ///< less the pivot
    std::uint32_t sub;
};

double medianOf(std::vector<float>& values) {
    return median(std::span<float>(values));
}

void putInOrder(std::vector<Value>& kept) {
    if (kept.size() > 24) return std::sort(kept.begin(), kept.end(), [](const Value& a, const Value& b) { return a.v < b.v; });
    for (std::size_t i = 1; i < kept.size(); ++i) {
        const Value k = kept[i];
        std::size_t to = i;
        for (; to > 0 && kept[to - 1].v > k.v; --to) kept[to] = kept[to - 1];
        kept[to] = k;
    }
}

/// The middle of values in order.
double middleOf(const std::vector<Value>& kept) {
    const std::size_t n = kept.size(), mid = n / 2;
    const double upper = static_cast<double>(kept[mid].v);
    return n % 2 == 1 ? upper : 0.5 * (static_cast<double>(kept[mid - 1].v) + upper);
}

/// The median distance of values in order from their middle: the nearest half of them lies around it, so that the next one is always at one of two ends.
double medianDistance(const std::vector<Value>& kept, double centre) {
    const std::size_t n = kept.size();
    const auto v = [&](std::size_t i) { return static_cast<double>(kept[i].v); };
    std::size_t right = 0;
    while (right < n && v(right) < centre) ++right;
    std::size_t left = right;
    double last = 0, before = 0;
    for (std::size_t taken = 0; taken <= n / 2; ++taken) {
        before = last;
        const bool fromLeft = left > 0 && (right == n || centre - v(left - 1) < v(right) - centre);
        const double distance = fromLeft ? centre - v(--left) : v(right++) - centre;
        last = static_cast<double>(static_cast<float>(distance));
    }
    return n % 2 == 1 ? last : 0.5 * (before + last);
}

/// The values' own sigma about their median.
double scatter(const std::vector<Value>& kept, double centre, Rejection how) {
    // Of few values the median deviation comes out too small (Croux & Rousseeuw 1992, table 1).
    static constexpr double kFew[] = {0, 0, 1.196, 1.495, 1.363, 1.206, 1.200, 1.140, 1.129, 1.107};
    double s = kMadToSigma * medianDistance(kept, centre) *
               (kept.size() < 10 ? kFew[kept.size()] : static_cast<double>(kept.size()) / (static_cast<double>(kept.size()) - 0.8));
    if (how != Rejection::Winsor || kept.size() < 4) return s;
    for (int round = 0; round < 5; ++round) {
        double sum = 0, squares = 0;
        for (const Value& k : kept) {
            const double w = std::clamp(static_cast<double>(k.v), centre - 1.5 * s, centre + 1.5 * s) - centre;
            sum += w, squares += w * w;
        }
        const auto n = static_cast<double>(kept.size());
        const double next = 1.134 * std::sqrt(std::max(0.0, (squares - sum * sum / n) / (n - 1)));
        if (std::abs(next - s) < 0.005 * s) break;
        s = next;
    }
    return s;
}

/// How steep the picture is about a pixel, from the medians of its neighbours, which hits and trails do not reach.
class Steepness {
public:
    Steepness(std::span<const float* const> subs, int width, const StarImages& images, float pivot)
        : m_subs(subs)
        , m_width(width)
        , m_images(images)
        , m_pivot(pivot) {}

    void lookAt(int x, double centre) {
        const auto at = [&](int to, std::ptrdiff_t row, bool there) { return there ? medianAt(to, row, centre) : centre; };
        const double left = at(x - 1, 0, x > 0), right = at(x + 1, 0, x + 1 < m_width), up = at(x, m_images.above, m_images.above != 0),
                     down = at(x, m_images.below, m_images.below != 0);
        m_laplacian = left + right + up + down - 4 * centre;
        m_gradient = 0.5 * std::hypot(right - left, down - up);
    }
    /// How far a sub may lie from the others for its star image and its place, as a sigma.
    double of(std::size_t sub) const { return std::hypot(kImage * m_images.spread[sub] * m_laplacian, kPlace * m_gradient); }

private:
    static constexpr double kImage = 0.8;  ///< three sigmas of it are more than twice the first-order difference: wings go beyond that order
    static constexpr double kPlace = 0.12; ///< pixels that alignment and interpolation leave
    double medianAt(int x, std::ptrdiff_t row, double otherwise) {
        m_room.clear();
        for (const float* sub : m_subs)
            if (const float v = (sub + row)[x] - m_pivot; v == v) m_room.push_back(v);
        return m_room.empty() ? otherwise : medianOf(m_room);
    }

    std::span<const float* const> m_subs;
    int m_width;
    const StarImages& m_images;
    float m_pivot;
    double m_laplacian = 0, m_gradient = 0;
    std::vector<float> m_room;
};

/// What the values of a row come to, pixel by pixel.
struct Gathering {
    std::vector<float> sum, weight, count, low, high;

    void makeRoom(std::size_t n) {
        for (auto* v : {&sum, &weight, &count, &low, &high}) v->resize(n);
    }
    rows::Gathered rows() { return {sum.data(), weight.data(), count.data(), low.data(), high.data()}; }
};

/// One row of all subs, of which stacks are made: of all values, or of one half.
class Row {
public:
    enum class Part { All, Odd, Even };

    Row(std::span<const float* const> subs, int width, const NoiseModel& model, const CombineOptions& options, std::span<const double> weights,
        const StarImages& images, const RowHalves& halves)
        : m_subs(subs)
        , m_width(width)
        , m_model(model)
        , m_options(options)
        , m_weights(weights)
        , m_images(images)
        , m_halves(halves)
        , m_pivot(static_cast<float>(model.level)) // sums of small numbers keep their digits
        , m_rejects(options.reject != Rejection::None)
        , m_median(options.method == Combination::Median)
        , m_bias(m_rejects && !m_median ? model.bias : 0)
        // Where stars may differ by more than noise, the limits lie too far out for clipping to bias the mean.
        , m_partLimit(model.part > 0 ? 0.3 * model.sky / model.part : 1e30)
        , m_steepness(subs, width, images, m_pivot)
        , m_sumWeights(subs.size(), 1.0F) {
        for (std::size_t s = 0; s < weights.size(); ++s) m_sumWeights[s] = static_cast<float>(weights[s]);
    }

    void gather(Gathering& all) const {
        all.makeRoom(static_cast<std::size_t>(m_width));
        rows::gather(m_subs.data(), m_sumWeights.data(), count(m_subs), m_width, m_pivot, all.rows());
    }
    void gather(Gathering& all, Gathering& odd, Gathering& even) const {
        for (Gathering* g : {&all, &odd, &even}) g->makeRoom(static_cast<std::size_t>(m_width));
        if (!m_halves.byValue.empty()) {
            rows::gatherByTurns(m_subs.data(), m_sumWeights.data(), count(m_subs), m_width, m_pivot, m_halves.byValue.data(), odd.rows(), even.rows());
        } else {
            for (const std::size_t first : {std::size_t{0}, std::size_t{1}}) {
                thread_local std::vector<const float*> half;
                thread_local std::vector<float> weights;
                half.clear(), weights.clear();
                for (std::size_t s = first; s < m_subs.size(); s += 2) half.push_back(m_subs[s]), weights.push_back(m_sumWeights[s]);
                rows::gather(half.data(), weights.data(), count(half), m_width, m_pivot, (first == 0 ? odd : even).rows());
            }
        }
        rows::join(odd.rows(), even.rows(), m_width, all.rows());
    }

    void combine(Gathering& from, Part part, float* out, RowFates fates) {
        const auto n = static_cast<std::size_t>(m_width);
        thread_local std::vector<std::uint8_t> doubtful;
        doubtful.resize(n);
        const auto f = [](double v) { return static_cast<float>(v); };
        constexpr double kNever = 1e30;
        rows::screen(from.rows(), m_width,
                     {m_pivot, f(m_model.sky * m_model.sky), f(m_model.photon), f(m_model.part * m_model.part), f(m_rejects ? m_options.low : kNever),
                      f(m_rejects ? m_options.high : kNever), f(m_bias), f(m_partLimit)},
                     out, doubtful.data());
        if (!fates.covered.empty())
            for (std::size_t x = 0; x < n; ++x) fates.covered[x] = static_cast<std::uint16_t>(static_cast<std::int32_t>(from.count[x]));
        if (!fates.rejectedLow.empty()) {
            std::fill_n(fates.rejectedLow.begin(), n, std::uint16_t{0});
            std::fill_n(fates.rejectedHigh.begin(), n, std::uint16_t{0});
        }
        if (m_median) std::fill_n(doubtful.begin(), n, std::uint8_t{1}); // each is looked at
        const auto next = [&](std::size_t x) {                           // the next doubtful one; most are not
            for (std::uint64_t eight = 0; x + sizeof eight <= n; x += sizeof eight) {
                std::memcpy(&eight, doubtful.data() + x, sizeof eight);
                if (eight != 0) return x + static_cast<std::size_t>(std::countr_zero(eight)) / 8;
            }
            while (x < n && !doubtful[x]) ++x;
            return x;
        };
        for (std::size_t x = next(0); x < n; x = next(x + 1)) {
            if (from.count[x] == 0)
                out[x] = kNoData;
            else if (m_median || m_rejects)
                out[x] = lookAt(from, part, x, fates);
        }
    }

private:
    static int count(const auto& of) { return static_cast<int>(of.size()); }

    void take(std::size_t x, Part part, std::vector<Value>& kept) const {
        const bool byValue = !m_halves.byValue.empty() && m_halves.byValue[x] != 0;
        std::size_t turn = 0;
        for (std::size_t s = 0; s < m_subs.size(); ++s) {
            const float v = m_subs[s][x] - m_pivot;
            if (v != v) continue;
            const bool even = (byValue ? turn++ : s) % 2 == 1;
            if (part == Part::All || even == (part == Part::Even)) kept.push_back({v, static_cast<std::uint32_t>(s)});
        }
    }

    /// The value of a pixel some of whose values may have to go.
    float lookAt(const Gathering& from, Part part, std::size_t x, RowFates fates) {
        constexpr double kOnStar = 1; // sigmas of the sky: below that the picture is flat
        const auto count = static_cast<std::size_t>(from.count[x]);
        const double above = std::max(0.0, static_cast<double>(from.sum[x]) / static_cast<double>(from.weight[x]));
        const double correction = count > 2 && above < m_partLimit ? m_bias * std::sqrt(m_model.sky * m_model.sky + m_model.photon * above) : 0;
        thread_local std::vector<Value> kept;
        kept.clear();
        take(x, part, kept);
        putInOrder(kept); // once for all rounds
        bool steep = false;
        if (m_rejects && m_images.differ() && kept.size() > 2)
            if (const double centre = middleOf(kept); centre > kOnStar * m_model.sky) m_steepness.lookAt(static_cast<int>(x), centre), steep = true;
        const auto [tooLow, tooHigh] = m_rejects ? reject(kept, steep) : std::pair<int, int>{};
        if (!fates.rejectedLow.empty()) fates.rejectedLow[x] = static_cast<std::uint16_t>(tooLow), fates.rejectedHigh[x] = static_cast<std::uint16_t>(tooHigh);
        double total = 0, by = 0;
        if (m_median)
            total = middleOf(kept), by = 1;
        else
            for (const Value& k : kept) {
                const double weight = m_weights.empty() ? 1 : m_weights[k.sub];
                total += weight * static_cast<double>(k.v), by += weight;
            }
        return static_cast<float>(m_model.level + total / by - (m_median ? 0 : correction));
    }

    /// Takes out what lies too far from the middle, farther where the picture is steep; how many below and above.
    std::pair<int, int> reject(std::vector<Value>& kept, bool steep) const {
        int tooLow = 0, tooHigh = 0;
        for (int round = 0; round < 5 && kept.size() > 1; ++round) {
            const double centre = middleOf(kept);
            const double here = std::max(0.0, centre),
                         expected = std::sqrt(m_model.sky * m_model.sky + m_model.photon * here + m_model.part * m_model.part * here * here);
            if (kept.size() == 2) { // nobody can tell which: light of a trail is more likely than its lack
                const bool apart =
                    expected > 0 && std::abs(static_cast<double>(kept[0].v) - static_cast<double>(kept[1].v)) > (m_options.low + m_options.high) * expected;
                if (apart) kept.erase(kept.begin() + (kept[0].v > kept[1].v ? 0 : 1)), ++tooHigh;
                break;
            }
            const double s = std::max(expected, kept.size() > 3 || expected <= 0 ? scatter(kept, centre, m_options.reject) : 0.0);
            if (s <= 0) break;
            const std::size_t before = kept.size();
            std::erase_if(kept, [&](const Value& k) {
                const double allowed = steep ? std::hypot(s, m_steepness.of(k.sub)) : s, v = static_cast<double>(k.v);
                const bool down = v<centre - m_options.low * allowed, up = v> centre + m_options.high * allowed;
                tooLow += down, tooHigh += up;
                return down || up;
            });
            if (kept.size() == before) break;
        }
        return {tooLow, tooHigh};
    }

    std::span<const float* const> m_subs;
    int m_width;
    const NoiseModel& m_model;
    const CombineOptions& m_options;
    std::span<const double> m_weights;
    const StarImages& m_images;
    const RowHalves& m_halves;
    float m_pivot;
    bool m_rejects, m_median;
    double m_bias, m_partLimit;
    Steepness m_steepness;
    std::vector<float> m_sumWeights;
};

} // namespace

std::vector<double> spreadsOf(const std::vector<std::optional<double>>& fwhm_px) {
    const auto squared = [](double fwhm) { return std::pow(fwhm / kSigmaToFwhm, 2); };
    std::vector<double> known;
    for (const auto& f : fwhm_px)
        if (f) known.push_back(squared(*f));
    if (known.size() < 2) return {};
    const double middle = median(std::span<double>(known));
    std::vector<double> out;
    for (const auto& f : fwhm_px)
        out.push_back(f ? 0.5 * (squared(*f) - middle) * std::max(1.0, middle / squared(*f)) : 0); // the top of a sharper star is exact so
    return out;
}

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

void combineRows(std::span<const float* const> subs, int width, const NoiseModel& model, const CombineOptions& options, std::span<const double> weights,
                 float* out, RowFates fates, const StarImages& images, RowHalves halves) {
    thread_local Gathering all, odd, even;
    Row row(subs, width, model, options, weights, images, halves);
    if (!halves.odd) {
        row.gather(all);
        return row.combine(all, Row::Part::All, out, fates);
    }
    row.gather(all, odd, even);
    row.combine(all, Row::Part::All, out, fates);
    row.combine(odd, Row::Part::Odd, halves.odd, {});
    row.combine(even, Row::Part::Even, halves.even, {});
}

} // namespace caelumen

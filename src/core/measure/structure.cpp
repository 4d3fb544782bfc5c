#include "core/measure/structure.h"

#include "core/base/statistics.h"
#include "core/measure/box_sum.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <span>

namespace caelumen {

StructureGrid StructureGrid::over(int width, int height, int apart) {
    constexpr double kMost = 100'000;
    const double each = std::max(1.0, static_cast<double>(apart) / kApart), stride = std::max(1.0, std::ceil(std::sqrt(width / each * height / each / kMost)));
    StructureGrid grid;
    grid.step = each * stride;
    grid.across = static_cast<int>(width / grid.step);
    grid.down = static_cast<int>(height / grid.step);
    return grid;
}

std::vector<float> structureBoxes(const Plane& plane, const Mask& mask, int k, const PlaneView& view, const StructureGrid& grid,
                                  const UnmaskedStarlight& starlight) {
    std::vector<float> out(grid.size(), std::numeric_limits<float>::quiet_NaN());
    const Alignment::Affine toPlane = view.forward();
    tbb::parallel_for(0, grid.down, [&](int j) {
        const auto corner = [&](int i) {
            const Point centre = toPlane(grid.centre(i, j));
            return std::pair(static_cast<int>(std::lround(centre.x - 0.5 * (k - 1))), static_cast<int>(std::lround(centre.y - 0.5 * (k - 1))));
        };
        const auto fetch = [&](int i) __attribute__((always_inline)) {
            const auto [x0, y0] = corner(i);
            fetchBox(plane, x0, y0, k);
        };
        for (int i = 0; i < std::min(grid.across, kBoxesAhead); ++i) fetch(i);
        for (int i = 0; i < grid.across; ++i) {
            fetch(i + kBoxesAhead);
            const auto [x0, y0] = corner(i);
            if (x0 < 0 || y0 < 0 || x0 + k > plane.width() || y0 + k > plane.height()) continue;
            const double sum = boxSum(plane, mask, x0, y0, k);
            if (!std::isfinite(sum)) continue;
            out[static_cast<std::size_t>(j) * static_cast<std::size_t>(grid.across) + static_cast<std::size_t>(i)] =
                static_cast<float>(sum / (k * k) - starlight.at(x0 + k / 2, y0 + k / 2));
        }
    });
    return out;
}

namespace {

/// Each box less the mean of those around it, as large as the scatter of one box; and the scatter of that.
struct Stands {
    std::vector<float> value;
    double sigma = 0;
};

constexpr std::size_t kFewest = 30;

/// Sums over rectangles of a grid, of boxes that are known and of how many these are.
class Totals {
public:
    Totals(const std::vector<float>& boxes, const StructureGrid& grid)
        : m_across(grid.across)
        , m_down(grid.down)
        , m_sum(static_cast<std::size_t>((m_across + 1) * (m_down + 1)), 0)
        , m_count(m_sum.size(), 0) {
        for (int j = 0; j < m_down; ++j)
            for (int i = 0; i < m_across; ++i) {
                const float v = boxes[static_cast<std::size_t>(j * m_across + i)];
                const bool known = std::isfinite(v);
                m_sum[at(i + 1, j + 1)] = m_sum[at(i, j + 1)] + m_sum[at(i + 1, j)] - m_sum[at(i, j)] + (known ? static_cast<double>(v) : 0);
                m_count[at(i + 1, j + 1)] = m_count[at(i, j + 1)] + m_count[at(i + 1, j)] - m_count[at(i, j)] + (known ? 1 : 0);
            }
    }
    struct Total {
        double sum, count;
    };
    /// Of the places up to `reach` steps from one.
    Total around(int i, int j, int reach) const {
        const int x0 = std::max(0, i - reach), x1 = std::min(m_across, i + reach + 1), y0 = std::max(0, j - reach), y1 = std::min(m_down, j + reach + 1);
        const auto over = [&](const std::vector<double>& t) { return t[at(x1, y1)] - t[at(x0, y1)] - t[at(x1, y0)] + t[at(x0, y0)]; };
        return {over(m_sum), over(m_count)};
    }

private:
    std::size_t at(int i, int j) const { return static_cast<std::size_t>(j * (m_across + 1) + i); }
    int m_across, m_down;
    std::vector<double> m_sum, m_count;
};

Stands standsOf(const std::vector<float>& boxes, const StructureGrid& grid) {
    constexpr int kReach = 6;                     // steps: what is smooth over that cancels
    constexpr double kEnough = 8, kOverlap = 1.3; // boxes around it; they overlap each other
    Stands out{std::vector<float>(grid.size(), std::numeric_limits<float>::quiet_NaN()), 0};
    const Totals totals(boxes, grid);
    std::vector<float> seen;
    for (int j = 0; j < grid.down; ++j)
        for (int i = 0; i < grid.across; ++i) {
            const auto at = static_cast<std::size_t>(j * grid.across + i);
            const auto wide = totals.around(i, j, kReach), near = totals.around(i, j, StructureGrid::kApart - 1); // those share pixels with it
            const double count = wide.count - near.count;
            if (!std::isfinite(boxes[at]) || count < kEnough) continue;
            out.value[at] = static_cast<float>((static_cast<double>(boxes[at]) - (wide.sum - near.sum) / count) / std::sqrt(1 + kOverlap / count));
            seen.push_back(out.value[at]);
        }
    if (seen.size() >= kFewest) out.sigma = clippedStats(std::span<float>(seen)).sigma;
    return out;
}

/// How two planes go together, from the places where neither stands out.
struct Together {
    double one = 0, other = 0, covariance = 0; ///< variances, and what they share
    double places = 0;                         ///< independent ones
};

std::optional<Together> together(const Stands& a, const Stands& b) {
    double n = 0, aa = 0, bb = 0, ab = 0;
    const auto la = static_cast<float>(3 * a.sigma), lb = static_cast<float>(3 * b.sigma);
    for (std::size_t k = 0; k < a.value.size(); ++k)
        if (std::abs(a.value[k]) < la && std::abs(b.value[k]) < lb) { // false where either is not known
            const double x = static_cast<double>(a.value[k]), y = static_cast<double>(b.value[k]);
            aa += x * x, bb += y * y, ab += x * y;
            n += 1;
        }
    if (n < kFewest) return std::nullopt;
    constexpr double kCut = kSigmaCutAt3 * kSigmaCutAt3; // what clipping takes from a variance; from a covariance it takes it twice
    constexpr double kShared = 2.2;                      // boxes overlap by half, and what interpolation spreads
    return Together{aa / n / kCut, bb / n / kCut, ab / n / (kCut * kCut), n / kShared};
}

constexpr double kOtherColours = 0.06; ///< part of the structure by which it repeats more or less than starlight in the mean

/// One fellow's word on a plane.
struct Word {
    double repeats = 0, error = 0, noise = 0, places = 0;
};

std::optional<Structure> agreed(const std::vector<Word>& words) {
    if (words.empty()) return std::nullopt;
    double sum = 0, left = 0, weight = 0, chi = 0, places = 0;
    for (const Word& w : words) {
        const double v = 1 / (w.error * w.error);
        sum += v * w.repeats, left += v * w.noise, weight += v;
        places = std::max(places, w.places);
    }
    Structure out{sum / weight, 0, left / weight, 0};
    for (const Word& w : words) chi += std::pow((w.repeats - out.variance) / w.error, 2);
    const double inflation = std::max(1.0, std::sqrt(chi / std::max(1.0, static_cast<double>(words.size()) - 1)));
    out.sigma = length(inflation / std::sqrt(weight), kOtherColours * out.variance);
    out.noiseSigma = length(out.sigma, out.noise * std::sqrt(2 / places));
    return out;
}

} // namespace

std::vector<std::optional<Structure>> findStructure(const std::vector<StructurePlane>& planes, const StructureGrid& grid) {
    std::vector<Stands> stands(planes.size());
    tbb::parallel_for(std::size_t{0}, planes.size(), [&](std::size_t i) {
        if (planes[i].light > 0 && planes[i].boxes && planes[i].boxes->size() == grid.size() && grid.size() > 0) stands[i] = standsOf(*planes[i].boxes, grid);
    });
    std::vector<std::pair<std::size_t, std::size_t>> pairs;
    for (std::size_t i = 0; i < planes.size(); ++i)
        for (std::size_t j = i + 1; j < planes.size(); ++j)
            if (planes[i].run != planes[j].run && (planes[i].channel == planes[j].channel || planes[i].channel < 0 || planes[j].channel < 0) &&
                stands[i].sigma > 0 && stands[j].sigma > 0)
                pairs.emplace_back(i, j);
    std::vector<std::optional<Together>> found(pairs.size());
    tbb::parallel_for(std::size_t{0}, pairs.size(), [&](std::size_t k) { found[k] = together(stands[pairs[k].first], stands[pairs[k].second]); });
    std::vector<std::vector<Word>> words(planes.size());
    for (std::size_t k = 0; k < pairs.size(); ++k) {
        if (!found[k]) continue;
        const auto [i, j] = pairs[k];
        const Together& t = *found[k];
        const double ratio = planes[i].light / planes[j].light, error = std::sqrt((t.one * t.other + t.covariance * t.covariance) / t.places);
        words[i].push_back({t.covariance * ratio, error * ratio, t.one - t.covariance * ratio, t.places});
        words[j].push_back({t.covariance / ratio, error / ratio, t.other - t.covariance / ratio, t.places});
    }
    std::vector<std::optional<Structure>> out(planes.size());
    for (std::size_t i = 0; i < planes.size(); ++i) out[i] = agreed(words[i]);
    return out;
}

} // namespace caelumen

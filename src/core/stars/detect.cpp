#include "core/stars/detect.h"

#include "core/base/fetch_ahead.h"
#include "core/base/statistics.h"
#include "core/image/plane_scan.h"
#include "core/stars/deblend.h"
#include "core/stars/defects.h"

#include <tbb/blocked_range.h>
#include <tbb/enumerable_thread_specific.h>
#include <tbb/parallel_for.h>
#include <tbb/parallel_sort.h>

#include <algorithm>
#include <limits>
#include <numeric>
#include <tuple>

namespace caelumen {
namespace {

/// Runs that touch, corners included, as ranges of a reordered list.
struct Groups {
    std::vector<BrightRun> runs;
    std::vector<std::size_t> begin; ///< of each group; one more at the end
};

Groups connected(const std::vector<BrightRun>& all) {
    std::vector<std::uint32_t> parent(all.size());
    std::iota(parent.begin(), parent.end(), 0U);
    const auto root = [&](std::uint32_t i) {
        while (parent[i] != i) i = parent[i] = parent[parent[i]];
        return i;
    };
    std::size_t above = 0; // first run of the row above that can still touch
    for (std::size_t i = 0; i < all.size(); ++i) {
        const BrightRun& s = all[i];
        while (above < i && (all[above].y < s.y - 1 || (all[above].y == s.y - 1 && all[above].x1 < s.x0))) ++above;
        for (std::size_t k = above; k < i && all[k].y == s.y - 1 && all[k].x0 <= s.x1; ++k) {
            const std::uint32_t a = root(static_cast<std::uint32_t>(k)), b = root(static_cast<std::uint32_t>(i));
            parent[std::max(a, b)] = std::min(a, b);
        }
    }
    // Counting sort by root.
    std::vector<std::uint32_t> number(all.size(), 0);
    std::uint32_t groups = 0;
    for (std::uint32_t i = 0; i < all.size(); ++i) {
        const std::uint32_t r = root(i);
        number[i] = r == i ? groups++ : number[r];
    }
    Groups out;
    out.begin.assign(groups + std::size_t{1}, 0);
    for (const std::uint32_t n : number) ++out.begin[n + std::size_t{1}];
    std::partial_sum(out.begin.begin(), out.begin.end(), out.begin.begin());
    out.runs.resize(all.size());
    std::vector<std::size_t> next(out.begin.begin(), out.begin.end() - 1);
    for (std::size_t i = 0; i < all.size(); ++i) out.runs[next[number[i]]++] = all[i];
    return out;
}

struct Tally {
    double flux = 0, weight = 0, x = 0, y = 0, xx = 0, xy = 0, yy = 0;
    float peak = -std::numeric_limits<float>::infinity();
    int px = 0, py = 0, pixels = 0, above5 = 0;
    int x0 = std::numeric_limits<int>::max(), x1 = std::numeric_limits<int>::min(), y0 = x0, y1 = x1;
};

class Describer {
public:
    Describer(const Plane& plane, const SmoothSky& sky, double saturation)
        : m_plane(plane)
        , m_sky(sky)
        , m_saturation(saturation) {}

    void describe(const BrightRun* first, const BrightRun* last, std::vector<Star>& stars) {
        collect(first, last);
        if (m_pixels.size() < kLeastPixels) return;
        const BrightPixel& middle = m_pixels[m_pixels.size() / 2];
        const double sigma = m_sky.sigma(middle.x, middle.y);
        int count = 0;
        const std::vector<int> object = deblend(m_pixels, {0.005, sigma, kLeastPixels}, count);
        std::vector<Tally> tallies(static_cast<std::size_t>(count));
        const int x0 = m_pixels[0].x, y0 = m_pixels[0].y; // moments about a place near by keep their digits
        for (std::size_t i = 0; i < m_pixels.size(); ++i) add(tallies[static_cast<std::size_t>(object[i])], m_pixels[i], x0, y0, 5 * sigma);
        for (const Tally& t : tallies) {
            if (t.pixels < static_cast<int>(kLeastPixels) || !(t.flux > 0) || !(t.weight > 0)) continue;
            Star s;
            const double mx = t.x / t.weight, my = t.y / t.weight;
            s.x = x0 + mx;
            s.y = y0 + my;
            s.level = m_sky.level(s.x, s.y);
            s.saturated = static_cast<double>(m_plane.at(t.px, t.py)) >= m_saturation;
            if (!s.saturated && isHotPixel(m_plane, s.level, t.px, t.py)) continue;
            s.flux = t.flux;
            s.peak = static_cast<double>(t.peak);
            s.area = t.pixels;
            s.reach = std::max({s.x - t.x0, t.x1 - s.x, s.y - t.y0, t.y1 - s.y});
            s.rim = kDetected * sigma;
            const double xx = t.xx / t.weight - mx * mx, yy = t.yy / t.weight - my * my, xy = t.xy / t.weight - mx * my;
            const double half = 0.5 * (xx + yy), spread = length(0.5 * (xx - yy), xy);
            s.a = std::sqrt(std::max(1.0 / 12, half + spread));
            s.b = std::sqrt(std::max(1.0 / 12, half - spread));
            s.blended = count > 1;
            s.above5 = t.above5 >= static_cast<int>(kLeastPixels);
            stars.push_back(s);
        }
    }

private:
    static constexpr std::size_t kLeastPixels = 5;

    void collect(const BrightRun* first, const BrightRun* last) {
        m_pixels.clear();
        for (; first != last; ++first) {
            const int y = first->y;
            const float* row = m_plane.row(y);
            const float *above = m_plane.row(std::max(0, y - 1)), *below = m_plane.row(std::min(m_plane.height() - 1, y + 1));
            // The sky is smooth: a straight line along a run of at most a few pixels.
            const double start = m_sky.level(first->x0, y), slope = (m_sky.level(first->x1, y) - start) / (first->x1 - first->x0);
            for (int x = first->x0; x < first->x1; ++x) {
                const int l = std::max(0, x - 1), r = std::min(m_plane.width() - 1, x + 1);
                const float level = static_cast<float>(start + slope * (x - first->x0));
                const float sum = above[l] + 2 * above[x] + above[r] + 2 * row[l] + 4 * row[x] + 2 * row[r] + below[l] + 2 * below[x] + below[r];
                m_pixels.push_back({x, y, row[x] - level, sum / 16 - level});
            }
        }
    }

    void add(Tally& t, const BrightPixel& p, int x0, int y0, double limit5) const {
        const double w = static_cast<double>(p.smoothed), x = p.x - x0, y = p.y - y0;
        t.flux += static_cast<double>(p.value);
        t.weight += w;
        t.x += w * x;
        t.y += w * y;
        t.xx += w * x * x;
        t.xy += w * x * y;
        t.yy += w * y * y;
        ++t.pixels;
        t.x0 = std::min(t.x0, p.x), t.x1 = std::max(t.x1, p.x);
        t.y0 = std::min(t.y0, p.y), t.y1 = std::max(t.y1, p.y);
        t.above5 += w >= limit5;
        if (p.value > t.peak) {
            t.peak = p.value;
            t.px = p.x;
            t.py = p.y;
        }
    }

    const Plane& m_plane;
    const SmoothSky& m_sky;
    double m_saturation;
    std::vector<BrightPixel> m_pixels;
};

/// Leaves out what is far larger than the stars of its own brightness are: knots of nebula and halos cut to pieces.
void dropNebula(std::vector<Star>& stars) {
    std::vector<double> sizes;
    for (const Star& s : stars)
        if (!s.saturated && s.above5) sizes.push_back(std::sqrt(s.a * s.b));
    if (sizes.size() < 10) return;
    const double typical = quantile(sizes, 0.4);
    std::erase_if(stars, [&](const Star& s) {
        const double concentration = s.peak * 2 * M_PI * typical * typical / s.flux; // about 1 for a star, whatever its brightness
        return !s.saturated && s.a > 3 * typical && concentration < 0.4;
    });
}

} // namespace

std::vector<Star> detectStars(const Plane& plane, const SmoothSky& sky, const std::vector<BrightRun>& bright, double saturation) {
    if (!(sky.typicalSigma() > 0)) return {};
    const Groups groups = connected(bright);
    tbb::enumerable_thread_specific<std::vector<Star>> found;
    tbb::parallel_for(tbb::blocked_range<std::size_t>(0, groups.begin.size() - 1, 64), [&](const tbb::blocked_range<std::size_t>& part) {
        Describer describer(plane, sky, saturation);
        const auto fetch = [&](std::size_t g) __attribute__((always_inline)) { // else it would be taken for one without effect
            for (std::size_t i = groups.begin[g]; i < groups.begin[g + 1]; ++i) {
                const BrightRun& s = groups.runs[i];
                for (int y = std::max(0, s.y - 1); y <= std::min(plane.height() - 1, s.y + 1); ++y)
                    fetchRow(plane.row(y), std::max(0, s.x0 - 1), std::min(plane.width(), s.x1 + 1));
            }
        };
        constexpr std::size_t kAhead = 6; // most are small
        for (std::size_t g = part.begin(); g < std::min(part.end(), part.begin() + kAhead); ++g) fetch(g);
        for (std::size_t g = part.begin(); g < part.end(); ++g) {
            if (g + kAhead < part.end()) fetch(g + kAhead);
            describer.describe(groups.runs.data() + groups.begin[g], groups.runs.data() + groups.begin[g + 1], found.local());
        }
    });
    std::vector<Star> stars;
    for (const auto& part : found) stars.insert(stars.end(), part.begin(), part.end());
    // A total order, so that the number of threads does not show.
    tbb::parallel_sort(stars.begin(), stars.end(), [](const Star& a, const Star& b) { return std::tie(b.flux, a.y, a.x) < std::tie(a.flux, b.y, b.x); });
    dropNebula(stars);
    return stars;
}

const Star* starNear(const std::vector<Star>& stars, Point place, double reach) {
    const Star* nearest = nullptr;
    for (const Star& s : stars) {
        const double d = length(s.x - place.x, s.y - place.y) - (s.saturated ? 4 : 0);
        if (d >= reach) continue;
        reach = d;
        nearest = &s;
    }
    return nearest;
}

double saturationLevel(const Plane& plane, double known, const BlockMaxima& maxima) {
    const float top = maxima.maximum();
    if (!std::isfinite(top)) return known;
    if (static_cast<double>(top) >= 0.97 * known) return 0.9 * std::min(known, static_cast<double>(top)); // burnt to the limit that is known
    // A plateau: many pixels within 2 % of the top, which an unsaturated profile with a sharp peak never has.
    const rows::Counts counts = countAbove(plane, maxima, 0.90F * top, 0.98F * top);
    const double plateau = counts.high >= 12 && 2 * counts.high > counts.low ? 0.9 * static_cast<double>(top) : std::numeric_limits<double>::infinity();
    return std::min(0.9 * known, plateau);
}

} // namespace caelumen

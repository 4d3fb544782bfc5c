#include "core/prepare/trails.h"

#include "core/base/pixel_rows.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

constexpr int kAngles = 360;
constexpr double kVote = 2.5; ///< sigmas of the coarse picture

struct Coarse {
    int width = 0, height = 0;
    std::vector<char> bright, hidden;
};

Coarse coarsen(const Plane& plane, const SmoothSky& sky, const std::vector<Star>& stars, double fwhm) {
    const int bin = std::max(2, static_cast<int>(std::ceil(std::max(plane.width(), plane.height()) / 1600.0)));
    Coarse out;
    out.width = plane.width() / bin, out.height = plane.height() / bin;
    const auto size = static_cast<std::size_t>(out.width) * static_cast<std::size_t>(out.height);
    out.bright.assign(size, 0), out.hidden.assign(size, 0);
    tbb::parallel_for(0, out.height, [&](int j) {
        thread_local std::vector<float> limit, sum;
        limit.resize(static_cast<std::size_t>(plane.width()));
        sky.row(j * bin + bin / 2, kVote / bin, 0, plane.width(), limit.data());
        sum.assign(plane.row(j * bin), plane.row(j * bin) + plane.width());
        for (int y = 1; y < bin; ++y) rows::add(plane.row(j * bin + y), plane.width(), sum.data());
        char* const bright = out.bright.data() + static_cast<std::size_t>(j) * static_cast<std::size_t>(out.width);
        const auto pixels = static_cast<float>(bin * bin);
        for (int i = 0; i < out.width; ++i) {
            const float* const from = sum.data() + static_cast<std::ptrdiff_t>(i) * bin;
            float all = 0;
            for (int x = 0; x < bin; ++x) all += from[x];
            bright[i] = all > pixels * limit[static_cast<std::size_t>(i * bin + bin / 2)];
        }
    });
    for (const Star& s : stars) { // stars and their wings vote for nothing; what is long and thin is no star, and the faintest may be knots of a trail
        if (s.faint) continue;
        if (s.b > 0 && s.a > 3.5 * s.b && s.a > 2.5 * fwhm) continue;
        const double radius = (1.5 * fwhm + 1.2 * std::sqrt(static_cast<double>(s.area) / M_PI)) / bin + 0.7, cx = s.x / bin, cy = s.y / bin;
        for (int j = std::max(0, static_cast<int>(cy - radius)); j <= std::min(out.height - 1, static_cast<int>(cy + radius)); ++j)
            for (int i = std::max(0, static_cast<int>(cx - radius)); i <= std::min(out.width - 1, static_cast<int>(cx + radius)); ++i)
                if ((i - cx) * (i - cx) + (j - cy) * (j - cy) <= radius * radius)
                    out.hidden[static_cast<std::size_t>(j) * static_cast<std::size_t>(out.width) + static_cast<std::size_t>(i)] = 1;
    }
    return out;
}

} // namespace

int countTrails(const Plane& plane, const SmoothSky& sky, const std::vector<Star>& stars, double fwhm) {
    Coarse c = coarsen(plane, sky, stars, fwhm);
    struct Vote {
        int x, y;
    };
    std::vector<Vote> votes;
    std::size_t seen = 0;
    for (int j = 0; j < c.height; ++j)
        for (int i = 0; i < c.width; ++i) {
            const auto at = static_cast<std::size_t>(j) * static_cast<std::size_t>(c.width) + static_cast<std::size_t>(i);
            seen += !c.hidden[at];
            if (c.bright[at] && !c.hidden[at]) votes.push_back({i, j});
        }
    if (seen < 1000) return 0;
    const double crowd = static_cast<double>(votes.size()) / static_cast<double>(seen); // of the pixels
    if (crowd > 0.12) return 0;                                                         // nebula or noise beyond telling
    const int reach = static_cast<int>(std::ceil(std::hypot(c.width, c.height)));
    const auto bins = static_cast<std::size_t>(2 * reach + 1);
    const auto lengthOf = [&](double cosine, double sine, double rho) { // of the line within the frame
        double low = -1e9, high = 1e9;
        const auto cut = [&](double at, double step, double limit) {
            if (std::abs(step) < 1e-9) {
                if (at < 0 || at > limit) low = 1, high = 0;
                return;
            }
            const double a = -at / step, b = (limit - at) / step;
            low = std::max(low, std::min(a, b)), high = std::min(high, std::max(a, b));
        };
        cut(rho * cosine, -sine, c.width - 1.0);
        cut(rho * sine, cosine, c.height - 1.0);
        return std::max(0.0, high - low);
    };
    int found = 0;
    for (int round = 0; round < 12 && votes.size() > 20; ++round) {
        struct Best {
            double score = 0;
            int angle = 0, rho = 0;
        };
        std::vector<Best> best(kAngles);
        tbb::parallel_for(0, kAngles, [&](int k) {
            const double angle = M_PI * k / kAngles, cosine = std::cos(angle), sine = std::sin(angle);
            std::vector<int> count(bins, 0);
            const double middle = reach + 0.5;
            for (const Vote& v : votes) ++count[static_cast<std::size_t>(static_cast<int>(v.x * cosine + v.y * sine + middle))];
            for (std::size_t r = 1; r + 1 < bins; ++r) {
                const int n = count[r - 1] + count[r] + count[r + 1];
                if (n < 30) continue;
                const double along = lengthOf(cosine, sine, static_cast<double>(r) - reach);
                if (along < 60) continue;
                // What lies beside the line tells what nebula and chance give there.
                double beside = 0;
                for (std::size_t off = 4; off <= 9; ++off) beside += (r >= off ? count[r - off] : 0) + (r + off < bins ? count[r + off] : 0);
                const double expected = std::max(3 * along * crowd, 3 * beside / 12);
                if (n < expected + 0.12 * along) continue;
                const double score = (n - expected) / std::sqrt(expected + 4);
                if (score > best[static_cast<std::size_t>(k)].score) best[static_cast<std::size_t>(k)] = {score, k, static_cast<int>(r) - reach};
            }
        });
        const Best top = *std::max_element(best.begin(), best.end(), [](const Best& a, const Best& b) { return a.score < b.score; });
        if (top.score < 10) break;
        const double angle = M_PI * top.angle / kAngles, cosine = std::cos(angle), sine = std::sin(angle);
        // Its votes lie along it, not in one knot.
        std::vector<char> filled(static_cast<std::size_t>(2 * reach / 16 + 2), 0);
        std::vector<Vote> rest;
        for (const Vote& v : votes) {
            const double off = v.x * cosine + v.y * sine - top.rho;
            if (std::abs(off) <= 1.6) filled[static_cast<std::size_t>((-v.x * sine + v.y * cosine + reach) / 16)] = 1;
            if (std::abs(off) > 5) rest.push_back(v);
        }
        // A weak one must cross a good part of the frame: filaments of nebula do not.
        const auto pieces = static_cast<double>(std::count(filled.begin(), filled.end(), 1));
        if (pieces >= 8 && (top.score > 40 || 16 * pieces > 0.6 * lengthOf(cosine, sine, top.rho))) ++found;
        votes = std::move(rest);
    }
    return found;
}

} // namespace caelumen

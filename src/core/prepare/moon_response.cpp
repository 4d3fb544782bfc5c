#include "core/prepare/moon_response.h"

#include "core/base/phrase.h"
#include "core/base/statistics.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <tuple>

namespace caelumen {
namespace {

struct Line {
    double intercept, slope;
};

/// Of many points, the pairs that lie far apart alone, and a good number of those: near ones tell little of a slope (Theil's incomplete method, 1950).
std::optional<Line> theilSen(std::vector<Point> points) {
    constexpr std::size_t kFew = 100, kPairs = kFew * (kFew - 1) / 2;
    const std::size_t n = points.size();
    std::vector<double> slopes;
    const auto compare = [&](std::size_t i, std::size_t j) {
        if (const double d = points[j].x - points[i].x; std::abs(d) > 1e-9) slopes.push_back((points[j].y - points[i].y) / d);
    };
    if (n <= kFew) {
        for (std::size_t i = 0; i < n; ++i)
            for (std::size_t j = i + 1; j < n; ++j) compare(i, j);
    } else {
        std::sort(points.begin(), points.end(), [](const Point& a, const Point& b) { return std::tie(a.x, a.y) < std::tie(b.x, b.y); });
        for (std::size_t lag = n / 2; lag < n && slopes.size() < kPairs; ++lag)
            for (std::size_t i = 0; i + lag < n; ++i) compare(i, i + lag);
    }
    if (slopes.empty()) return std::nullopt;
    const double slope = median(std::span<double>(slopes));
    std::vector<double> rest;
    for (const Point& p : points) rest.push_back(p.y - slope * p.x);
    return Line{median(std::span<double>(rest)), slope};
}

} // namespace

Result<MoonResponse> moonResponse(const JudgedRun& run, const std::string& channel, std::optional<double> gain) {
    std::vector<Point> points;
    for (const JudgedSub& s : run.subs) {
        const auto level = s.figures->level.find(channel);
        if (!s.keep || level == s.figures->level.end() || !s.figures->moonlight_nL || !s.figures->exposure_s) continue;
        points.push_back({*s.figures->moonlight_nL, level->second / *s.figures->exposure_s * gain.value_or(1)});
    }
    if (points.empty()) return Error{phrase("Where the moon stood is not known: the subs need times, and the run its place and target.")};
    if (points.size() < 6) return Error{phrase("Only {} subs are kept; six are needed to follow the moon.", points.size())};
    const auto [least, most] = std::minmax_element(points.begin(), points.end(), [](const Point& a, const Point& b) { return a.x < b.x; });
    if (most->x - least->x < 3) return Error{phrase("The moon's light changed by {:.1f} nanolamberts only; that shows in no background.", most->x - least->x)};
    const auto fit = theilSen(points);
    if (!fit) return Error{phrase("The moon's light did not change over the subs.")};
    Random random(7);
    std::vector<double> intercepts, slopes;
    for (int k = 0; k < 100; ++k) {
        std::vector<Point> drawn;
        for (std::size_t i = 0; i < points.size(); ++i) drawn.push_back(points[random.index(points.size())]);
        if (const auto f = theilSen(std::move(drawn))) intercepts.push_back(f->intercept), slopes.push_back(f->slope);
    }
    MoonResponse out;
    out.intercept = fit->intercept, out.slope = fit->slope;
    out.interceptSigma = intercepts.size() > 10 ? robustSigma(intercepts) : 0;
    out.slopeSigma = slopes.size() > 10 ? robustSigma(slopes) : 0;
    out.subs = points.size();
    return out;
}

std::optional<MoonRejection> moonRejection(const MoonResponse& filter, const MoonResponse& baseline) {
    if (baseline.slope <= 2 * baseline.slopeSigma) return std::nullopt;
    const double ratio = filter.slope / baseline.slope;
    return MoonRejection{ratio, std::hypot(filter.slopeSigma / baseline.slope, ratio * baseline.slopeSigma / baseline.slope)};
}

} // namespace caelumen

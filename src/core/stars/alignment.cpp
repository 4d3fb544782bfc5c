#include "core/stars/alignment.h"

#include "core/base/phrase.h"
#include "core/base/statistics.h"
#include "core/stars/chance_match.h"
#include "core/stars/star_grid.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cstdint>
#include <numeric>
#include <optional>
#include <tuple>
#include <utility>

namespace caelumen {
namespace {

struct Triangle {
    double middle, small;         ///< sides over the longest one
    double longest;               ///< pixels
    std::array<std::size_t, 3> v; ///< opposite the longest, the middle and the shortest side
    bool clockwise;
};

std::vector<Triangle> trianglesOf(const std::vector<Point>& p) {
    std::vector<Triangle> out;
    for (std::size_t i = 0; i < p.size(); ++i) {
        for (std::size_t j = i + 1; j < p.size(); ++j) {
            for (std::size_t k = j + 1; k < p.size(); ++k) {
                std::array<std::pair<double, std::size_t>, 3> side{{{length(p[j].x - p[k].x, p[j].y - p[k].y), i},
                                                                    {length(p[i].x - p[k].x, p[i].y - p[k].y), j},
                                                                    {length(p[i].x - p[j].x, p[i].y - p[j].y), k}}};
                std::sort(side.begin(), side.end(), std::greater<>());
                const double longest = side[0].first;
                if (longest < 15) continue;
                Triangle t{side[1].first / longest, side[2].first / longest, longest, {side[0].second, side[1].second, side[2].second}, false};
                if (t.small < 0.1 || t.middle - t.small < 0.02 || t.middle > 0.98) continue; // no order of vertices to rely on
                const Point &a = p[t.v[0]], &b = p[t.v[1]], &c = p[t.v[2]];
                t.clockwise = (b.x - a.x) * (c.y - a.y) - (b.y - a.y) * (c.x - a.x) < 0;
                out.push_back(t);
            }
        }
    }
    return out;
}

/// Triangles in bins of their middle side and sorted by their small one within each, so that those of nearly one shape are found at once.
class Shapes {
public:
    Shapes(std::vector<Triangle> triangles, double tolerance)
        : m_all(std::move(triangles))
        , m_tolerance(tolerance) {
        std::sort(m_all.begin(), m_all.end(), [this](const Triangle& x, const Triangle& y) { return std::pair(bin(x), x.small) < std::pair(bin(y), y.small); });
        for (const Triangle& t : m_all) m_begin.resize(std::max(m_begin.size(), bin(t) + 2), 0), ++m_begin[bin(t) + 1];
        std::partial_sum(m_begin.begin(), m_begin.end(), m_begin.begin());
    }

    template<class Visit>
    void like(const Triangle& t, Visit visit) const {
        const std::size_t here = bin(t), bins = m_begin.empty() ? 0 : m_begin.size() - 1;
        for (std::size_t i = here > 0 ? here - 1 : 0; i < std::min(here + 2, bins); ++i) {
            const auto end = m_all.begin() + static_cast<std::ptrdiff_t>(m_begin[i + 1]);
            auto at = std::lower_bound(m_all.begin() + static_cast<std::ptrdiff_t>(m_begin[i]), end, t.small - m_tolerance,
                                       [](const Triangle& x, double v) { return x.small < v; });
            for (; at != end && at->small <= t.small + m_tolerance; ++at)
                if (std::abs(at->middle - t.middle) <= m_tolerance) visit(*at);
        }
    }

private:
    std::size_t bin(const Triangle& t) const { return static_cast<std::size_t>(t.middle / m_tolerance); }
    std::vector<Triangle> m_all;
    double m_tolerance;
    std::vector<std::size_t> m_begin;
};

using Pairs = std::vector<std::pair<Point, Point>>;

std::vector<Point> brightest(const std::vector<AlignStar>& stars, std::size_t n) {
    std::vector<Point> out;
    for (std::size_t i = 0; i < std::min(n, stars.size()); ++i) out.push_back(stars[i].at);
    return out;
}

struct Candidate {
    Alignment transform;
    int hits = 0;
    double tried = 0; ///< different transforms that the triangles asked for
};

int countHits(const Alignment& t, const std::vector<Point>& baseline, const StarGrid& run, double reach) {
    int hits = 0;
    const auto to = t.forward();
    for (const Point& p : baseline) hits += run.nearest(to(p), reach) >= 0;
    return hits;
}

struct Proposal {
    Alignment transform;
    int votes = 0;
};

Point middleOf(const std::vector<Point>& points) {
    Point sum;
    for (const Point& p : points) sum = {sum.x + p.x / static_cast<double>(points.size()), sum.y + p.y / static_cast<double>(points.size())};
    return sum;
}

/// The same for transforms that differ by a degree, two per cent and a dozen pixels at most.
std::uint64_t keyOf(const Alignment& t, Point middle) {
    const Point there = t.map(middle);
    const auto part = [](double v, double step) { return static_cast<std::uint64_t>(static_cast<std::int64_t>(std::floor(v / step)) & 0x3fff); };
    return part(there.x, 12) << 44 | part(there.y, 12) << 30 | part(t.rotation_deg + 180, 1) << 16 | part(std::log(t.scale) + 3, 0.02) << 2 |
           (t.mirrored ? 1U : 0U);
}

/// How many of `tried` places would find a star within `reach` by chance alone, and how many more than that are needed to believe in a match.
int convincing(std::size_t tried, const std::vector<Point>& among, double reach) {
    double x0 = 1e300, x1 = -1e300, y0 = 1e300, y1 = -1e300;
    for (const Point& p : among) {
        x0 = std::min(x0, p.x), x1 = std::max(x1, p.x);
        y0 = std::min(y0, p.y), y1 = std::max(y1, p.y);
    }
    const double area = std::max(1.0, (x1 - x0) * (y1 - y0));
    const double chance = static_cast<double>(tried) * std::min(1.0, static_cast<double>(among.size()) * M_PI * reach * reach / area);
    return static_cast<int>(std::ceil(chance + 5 * std::sqrt(chance) + 4));
}

/// Stated scales are right to a few per cent: reducers and spacings change them by no more.
constexpr double kScaleTolerance = 0.07;

Candidate search(const std::vector<AlignStar>& baseline, const std::vector<AlignStar>& run, std::size_t depth, std::optional<double> scale) {
    const std::vector<Point> a = brightest(baseline, depth), b = brightest(run, depth);
    const std::vector<Triangle> from = trianglesOf(a);
    constexpr double kTolerance = 0.006;
    const Shapes to(trianglesOf(b), kTolerance);
    const std::vector<Point> check = brightest(baseline, 4 * depth), among = brightest(run, 8 * depth);
    constexpr double kReach = 3;
    const StarGrid grid(among, kReach);
    const int needed = convincing(check.size(), among, kReach);
    const std::vector<Point> quick(check.begin(), check.begin() + static_cast<std::ptrdiff_t>(std::min<std::size_t>(check.size(), depth)));
    // Triangles of the same three stars all ask for the same transform: those asked for most often are tried, best first.
    const Point middle = middleOf(check);
    std::vector<Alignment> asked;
    std::vector<std::pair<std::uint64_t, std::size_t>> ballot; ///< key of each, and which it is
    const double least = scale ? *scale * (1 - kScaleTolerance) : 0.28, most = scale ? *scale * (1 + kScaleTolerance) : 3.2;
    Pairs pairs(3);
    for (const Triangle& t : from) {
        to.like(t, [&](const Triangle& u) {
            const double ratio = u.longest / t.longest; // the scale, nearly
            if (ratio < least || ratio > most) return;
            for (std::size_t i = 0; i < 3; ++i) pairs[i] = {a[t.v[i]], b[u.v[i]]};
            const auto transform = fitSimilarity(pairs, t.clockwise != u.clockwise);
            if (!transform || transform->scale < least || transform->scale > most || transform->rms_px > 2) return;
            ballot.emplace_back(keyOf(*transform, middle), asked.size());
            asked.push_back(*transform);
        });
    }
    std::vector<Proposal> order;
    std::sort(ballot.begin(), ballot.end());
    for (std::size_t i = 0; i < ballot.size(); ++i) {
        if (i == 0 || ballot[i].first != ballot[i - 1].first) order.push_back({asked[ballot[i].second], 0});
        ++order.back().votes;
    }
    const std::size_t tries = std::min<std::size_t>(order.size(), 3000);
    std::partial_sort(order.begin(), order.begin() + static_cast<std::ptrdiff_t>(tries), order.end(), [](const Proposal& x, const Proposal& y) {
        return std::tie(y.votes, x.transform.dx, x.transform.dy, x.transform.rotation_deg) <
               std::tie(x.votes, y.transform.dx, y.transform.dy, y.transform.rotation_deg);
    });
    Candidate best;
    best.tried = static_cast<double>(order.size());
    for (std::size_t i = 0; i < tries; ++i) {
        const Alignment& transform = order[i].transform;
        if (countHits(transform, quick, grid, kReach) < 5) continue;
        const int hits = countHits(transform, check, grid, kReach);
        if (hits > best.hits && hits >= needed) best.transform = transform, best.hits = hits;
        if (best.hits >= 25 && best.hits > static_cast<int>(check.size()) / 2) break;
    }
    return best;
}

} // namespace

std::optional<Alignment> fitSimilarity(const std::vector<std::pair<Point, Point>>& pairs, bool mirrored) {
    if (pairs.size() < 2) return std::nullopt;
    const double m = mirrored ? -1 : 1, n = static_cast<double>(pairs.size());
    double sx = 0, sy = 0, tx = 0, ty = 0;
    for (const auto& [s, t] : pairs) {
        sx += m * s.x;
        sy += s.y;
        tx += t.x;
        ty += t.y;
    }
    sx /= n, sy /= n, tx /= n, ty /= n;
    double dot = 0, cross = 0, norm = 0;
    for (const auto& [s, t] : pairs) {
        const double a = m * s.x - sx, b = s.y - sy, c = t.x - tx, d = t.y - ty;
        dot += a * c + b * d;
        cross += a * d - b * c;
        norm += a * a + b * b;
    }
    if (!(norm > 0)) return std::nullopt;
    const double cosine = dot / norm, sine = cross / norm; // scale included
    Alignment out;
    out.mirrored = mirrored;
    out.scale = length(cosine, sine);
    if (!(out.scale > 0)) return std::nullopt;
    out.rotation_deg = std::atan2(sine, cosine) * 180 / M_PI;
    out.dx = tx - (cosine * sx - sine * sy);
    out.dy = ty - (sine * sx + cosine * sy);
    double sum = 0;
    const Alignment::Affine to{cosine * m, -sine, sine * m, cosine, out.dx, out.dy};
    for (const auto& [s, t] : pairs) {
        const Point q = to(s);
        sum += (q.x - t.x) * (q.x - t.x) + (q.y - t.y) * (q.y - t.y);
    }
    out.rms_px = std::sqrt(sum / n);
    out.matched = static_cast<int>(pairs.size());
    return out;
}

Alignment::Affine Alignment::forward() const {
    const double r = rotation_deg * M_PI / 180, c = scale * std::cos(r), s = scale * std::sin(r), m = mirrored ? -1 : 1;
    return {c * m, -s, s * m, c, dx, dy};
}

Alignment::Affine Alignment::backward() const {
    const double r = rotation_deg * M_PI / 180, c = std::cos(r) / scale, s = std::sin(r) / scale, m = mirrored ? -1 : 1;
    return {m * c, m * s, -s, c, -m * (c * dx + s * dy), s * dx - c * dy};
}

Point Alignment::map(Point p) const {
    return forward()(p);
}
Point Alignment::unmap(Point p) const {
    return backward()(p);
}

namespace {

/// What of a match counts for its odds.
struct Match {
    int matched = 0; ///< stars of the run that are met, each once
    int tested = 0;  ///< places of the baseline's stars that lie within the run's stars
    double p = 0;    ///< chance of such a place to meet a star
};

/// Counts a match, and how often the same places would meet stars elsewhere: a little aside, where clusters and chains of stars are as dense as here, and on
/// the whole.
Match weigh(const Alignment& t, const std::vector<Point>& baseline, const std::vector<Point>& run, double reach) {
    double x0 = 1e300, x1 = -1e300, y0 = 1e300, y1 = -1e300;
    for (const Point& p : run) {
        x0 = std::min(x0, p.x), x1 = std::max(x1, p.x);
        y0 = std::min(y0, p.y), y1 = std::max(y1, p.y);
    }
    const StarGrid grid(run, reach);
    const auto to = t.forward();
    Match out;
    std::vector<Point> places;
    std::vector<char> met(run.size(), 0);
    for (const Point& b : baseline) {
        const Point p = to(b);
        if (p.x < x0 - reach || p.x > x1 + reach || p.y < y0 - reach || p.y > y1 + reach) continue;
        places.push_back(p);
        const auto k = grid.nearest(p, reach);
        if (k < 0 || met[static_cast<std::size_t>(k)]) continue;
        met[static_cast<std::size_t>(k)] = 1;
        ++out.matched;
    }
    out.tested = static_cast<int>(places.size());
    constexpr int kAsides = 16;
    const double aside = std::max(12 * reach, 25.0);
    int elsewhere = 0;
    for (int i = 0; i < kAsides; ++i) {
        const double angle = 2 * M_PI * i / kAsides, dx = aside * std::cos(angle), dy = aside * std::sin(angle);
        for (const Point& p : places) elsewhere += grid.nearest({p.x + dx, p.y + dy}, reach) >= 0;
    }
    const double area = std::max(1.0, (x1 - x0) * (y1 - y0)), even = static_cast<double>(run.size()) * M_PI * reach * reach / area;
    out.p = std::min(1.0, std::max(even, places.empty() ? 0.0 : elsewhere / (kAsides * static_cast<double>(places.size()))));
    return out;
}

/// So many matches as good as this one would be expected among all that chance offers: one in a hundred million, and stricter where the stated scales speak
/// against it.
constexpr double kBelieved_log10 = -8, kBelievedAgainstScale_log10 = -13;

Result<Alignment> alignAt(const std::vector<AlignStar>& baseline, const std::vector<AlignStar>& run, std::optional<double> scale, double believed_log10) {
    const Error refused{phrase("the stars do not match: it is probably not the same field")};
    Candidate best;
    double tried = 0;
    for (const std::size_t depth : {16, 28, 45, 65}) {
        best = search(baseline, run, depth, scale);
        tried += best.tried;
        if (best.hits >= 12 || (best.hits >= 7 && depth >= 28)) break;
        if (depth >= std::max(baseline.size(), run.size())) break;
    }
    if (best.hits < 6) return refused;

    // Refine on everything in common, with a reach that closes in.
    Alignment now = best.transform;
    constexpr std::size_t kMost = 3000;
    const std::vector<Point> all = brightest(baseline, kMost), among = brightest(run, kMost);
    double reach = 3;
    Pairs pairs, before;
    for (int round = 0; round < 8; ++round) {
        const StarGrid grid(among, reach);
        const auto to = now.forward();
        pairs.swap(before);
        pairs.clear();
        for (const Point& p : all)
            if (const auto k = grid.nearest(to(p), reach); k >= 0) pairs.emplace_back(p, among[static_cast<std::size_t>(k)]);
        if (pairs.size() < 6) return refused;
        if (pairs == before) break; // and so for ever
        const auto better = fitSimilarity(pairs, now.mirrored);
        if (!better) break;
        now = *better;
        reach = std::clamp(3 * now.rms_px, 0.5, 3.0);
    }
    const Match m = weigh(now, all, among, reach);
    if (m.matched < 6 || now.rms_px > 1.5 || chanceMatches_log10(m.matched, m.tested, m.p, tried) > believed_log10) return refused;
    return now;
}

} // namespace

Result<Alignment> align(std::vector<AlignStar> baseline, std::vector<AlignStar> run, std::optional<double> scale) {
    const auto byFlux = [](const AlignStar& a, const AlignStar& b) { return a.flux > b.flux; };
    std::sort(baseline.begin(), baseline.end(), byFlux);
    std::sort(run.begin(), run.end(), byFlux);
    if (baseline.size() < 6 || run.size() < 6)
        return Error{phrase("there are too few stars to align by ({} and {}; at least 6 each are needed)", baseline.size(), run.size())};
    if (!scale) return alignAt(baseline, run, scale, kBelieved_log10);
    auto found = alignAt(baseline, run, scale, kBelieved_log10);
    return found ? found : alignAt(baseline, run, std::nullopt, kBelievedAgainstScale_log10); // a header can be wrong
}

} // namespace caelumen

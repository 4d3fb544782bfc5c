#include "core/prepare/night_scale.h"

#include "core/base/linear_algebra.h"
#include "core/base/statistics.h"
#include "core/sky/ephemeris.h"

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

struct Sight {
    double second = 0, light = 0; ///< middle of the sub; logarithm of its transparency in its run
    std::size_t run = 0;
};

/// Subs of one run in a row.
using Block = std::vector<Sight>;

std::vector<Block> blocksOf(const std::vector<const JudgedRun*>& runs, double longestGap_s) {
    std::vector<Sight> all;
    std::optional<double> day;
    for (std::size_t r = 0; r < runs.size(); ++r)
        for (const JudgedSub& s : runs[r]->subs) {
            const SubFigures& f = s.figures;
            const auto t = f.start.empty() ? Result<JulianDate>(Error{""}) : parseTime(f.start);
            if (!s.keep || !s.transparency || *s.transparency <= 0 || !t) continue;
            if (!day) day = t->day;
            all.push_back({86400 * (t->day - *day + t->fraction) + f.exposure_s.value_or(0) / 2, std::log(*s.transparency), r});
        }
    std::stable_sort(all.begin(), all.end(), [](const Sight& a, const Sight& b) { return a.second < b.second; });
    std::vector<Block> out;
    for (const Sight& s : all) {
        if (out.empty() || out.back().back().run != s.run || s.second - out.back().back().second > longestGap_s) out.emplace_back();
        out.back().push_back(s);
    }
    return out;
}

/// Variance of one sub's own noise, and of the air's walk per second, from steps of one and of three subs within blocks.
struct Wander {
    double own = 0.01 * 0.01, perSecond = 1e-7;
};
Wander wanderOf(const std::vector<Block>& blocks) {
    std::vector<double> near, far, gaps;
    for (const Block& b : blocks)
        for (std::size_t i = 0; i + 1 < b.size(); ++i) {
            near.push_back(b[i + 1].light - b[i].light), gaps.push_back(b[i + 1].second - b[i].second);
            if (i + 3 < b.size()) far.push_back(b[i + 3].light - b[i].light);
        }
    Wander out;
    if (near.size() < 6 || far.size() < 4) return out; // a usual night's
    const auto square = [](std::vector<double> v) {    // around nothing: a steady drift is a walk too
        for (double& x : v) x = std::abs(x);
        return std::pow(1.4826 * median(std::span<double>(v)), 2);
    };
    const double one = square(near), three = square(far), gap = median(std::span<double>(gaps));
    out.perSecond = std::max(1e-9, (three - one) / (2 * gap));
    out.own = std::max(1e-6, (one - out.perSecond * gap) / 2);
    return out;
}

struct Link {
    std::size_t from = 0, to = 0;
    double step = 0, variance = 1;
};

std::vector<Link> linksOf(const std::vector<Block>& blocks, const Wander& wander, double longestGap_s) {
    constexpr std::ptrdiff_t kEach = 3;
    std::vector<Link> out;
    for (std::size_t i = 0; i + 1 < blocks.size(); ++i) {
        const Block &a = blocks[i], &b = blocks[i + 1];
        if (a.back().run == b.front().run || b.front().second - a.back().second > longestGap_s) continue;
        const auto mean = [](auto begin, auto end) {
            Sight m;
            const auto n = static_cast<double>(end - begin);
            for (auto it = begin; it != end; ++it) m.second += it->second / n, m.light += it->light / n;
            return m;
        };
        const auto na = std::min<std::ptrdiff_t>(kEach, std::ssize(a)), nb = std::min<std::ptrdiff_t>(kEach, std::ssize(b));
        const Sight before = mean(a.end() - na, a.end()), after = mean(b.begin(), b.begin() + nb);
        out.push_back({a.back().run, b.front().run, after.light - before.light,
                       wander.own * (1.0 / static_cast<double>(na) + 1.0 / static_cast<double>(nb)) + wander.perSecond * (after.second - before.second)});
    }
    return out;
}

} // namespace

std::vector<std::optional<NightScale>> nightScales(const std::vector<const JudgedRun*>& runs, double longestGap_s) {
    std::vector<std::optional<NightScale>> out(runs.size());
    const auto blocks = blocksOf(runs, longestGap_s);
    if (blocks.empty()) return out;
    const auto links = linksOf(blocks, wanderOf(blocks), longestGap_s);
    // Runs that swaps lead to from the first one of the night.
    std::vector<int> place(runs.size(), -1);
    std::vector<std::size_t> linked{blocks.front().front().run};
    place[linked.front()] = 0;
    for (bool more = true; more;) {
        more = false;
        for (const Link& l : links)
            for (const auto& [a, b] : {std::pair{l.from, l.to}, {l.to, l.from}})
                if (place[a] >= 0 && place[b] < 0) place[b] = static_cast<int>(linked.size()), linked.push_back(b), more = true;
    }
    if (linked.size() < 2) return out;
    const auto n = static_cast<Eigen::Index>(linked.size()) - 1; // the first one's constant is 0
    Eigen::MatrixXd weight = Eigen::MatrixXd::Zero(n, n);
    Eigen::VectorXd right = Eigen::VectorXd::Zero(n);
    for (const Link& l : links) {
        if (place[l.from] < 0 || place[l.to] < 0) continue;
        Eigen::VectorXd row = Eigen::VectorXd::Zero(n);
        if (place[l.to] > 0) row[place[l.to] - 1] += 1;
        if (place[l.from] > 0) row[place[l.from] - 1] -= 1;
        weight += row * row.transpose() / l.variance;
        right += row * l.step / l.variance;
    }
    const Eigen::MatrixXd covariance = inverted(weight);
    const Eigen::VectorXd constant = covariance * right;
    const auto constantOf = [&](std::size_t run) { return place[run] > 0 ? constant[place[run] - 1] : 0.0; };
    std::vector<double> air;
    for (const Block& b : blocks)
        for (const Sight& s : b)
            if (place[s.run] >= 0) air.push_back(s.light - constantOf(s.run));
    const double clearest = quantile(air, 0.9);
    for (const std::size_t r : linked)
        out[r] = NightScale{std::exp(-constantOf(r) - clearest),
                            place[r] > 0 ? std::exp(-constantOf(r) - clearest) * std::sqrt(covariance(place[r] - 1, place[r] - 1)) : 0};
    return out;
}

} // namespace caelumen

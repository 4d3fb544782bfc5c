#include "core/live/evidence.h"

#include "core/base/linear_algebra.h"

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

struct Block {
    std::vector<LivePoint> points;
    std::size_t head = 0; ///< points that are used at its beginning
};

std::vector<Block> blocksOf(std::vector<LivePoint> points, double longestGap_s) {
    std::stable_sort(points.begin(), points.end(), [](const LivePoint& a, const LivePoint& b) { return a.second < b.second; });
    std::vector<Block> out;
    for (const LivePoint& p : points) {
        if (out.empty() || out.back().points.back().filter != p.filter || p.second - out.back().points.back().second > longestGap_s) out.emplace_back();
        out.back().points.push_back(p);
    }
    return out;
}

LivePoint meanOf(const std::vector<LivePoint>& points, std::size_t from, std::size_t to) {
    LivePoint out = points[from];
    out.second = out.value = 0;
    const auto n = static_cast<double>(to - from);
    for (std::size_t i = from; i < to; ++i) out.second += points[i].second / n, out.value += points[i].value / n;
    return out;
}

/// Sums that a least squares fit needs, for effects of filters (up to a constant) and a drift.
class Fit {
public:
    explicit Fit(std::size_t filters)
        : m_size(static_cast<Eigen::Index>(filters) + 1)
        , m_normal(Eigen::MatrixXd::Zero(m_size, m_size))
        , m_right(Eigen::VectorXd::Zero(m_size)) {}

    void add(const LiveStep& s) {
        Eigen::VectorXd row = Eigen::VectorXd::Zero(m_size);
        row[static_cast<Eigen::Index>(s.to)] += 1;
        row[static_cast<Eigen::Index>(s.from)] -= 1;
        row[m_size - 1] = s.seconds / 1000;
        m_normal += row * row.transpose() / s.spread;
        m_right += row * s.change / s.spread;
        m_squares += s.change * s.change / s.spread;
        ++m_steps;
    }

    struct Contrast {
        double difference = 0, information = 0, residual = 0, freedom = 0; ///< information: inverse variance in units of the noise
        int steps = 0;
    };
    /// b less a; nothing where the steps do not link the two or nothing is left for the noise.
    std::optional<Contrast> contrast(std::size_t a, std::size_t b) const {
        const EigenSystem system = eigenSystemOf(m_normal);
        const double least = 1e-9 * std::max(1e-30, system.values.maxCoeff());
        Eigen::VectorXd c = Eigen::VectorXd::Zero(m_size);
        c[static_cast<Eigen::Index>(b)] = 1, c[static_cast<Eigen::Index>(a)] = -1;
        Eigen::VectorXd solved = Eigen::VectorXd::Zero(m_size), told = solved, fitted = solved;
        int rank = 0;
        for (Eigen::Index i = 0; i < m_size; ++i) {
            if (system.values[i] <= least) continue;
            const Eigen::VectorXd v = system.vectors.col(i);
            told += v * v.dot(c), solved += v * (v.dot(c) / system.values[i]), fitted += v * (v.dot(m_right) / system.values[i]);
            ++rank;
        }
        if ((told - c).norm() > 1e-6 || m_steps <= rank) return std::nullopt;
        Contrast out;
        out.difference = c.dot(fitted);
        out.information = 1 / c.dot(solved);
        out.residual = std::max(m_squares - fitted.dot(m_right), 1e-18 * m_squares + 1e-300);
        out.freedom = m_steps - rank;
        out.steps = m_steps;
        return out;
    }

private:
    Eigen::Index m_size;
    Eigen::MatrixXd m_normal;
    Eigen::VectorXd m_right;
    double m_squares = 0;
    int m_steps = 0;
};

/// Logarithm of the odds for a difference of `effect` sigmas or so against none. `ratio`: t squared over the freedom.
double logOdds(double ratio, double freedom, double information, double effect) {
    const double k = 1 + effect * effect * information;
    return -0.5 * std::log(k) + (freedom + 1) / 2 * (std::log1p(ratio) - std::log1p(ratio / k));
}

std::size_t filtersIn(const std::vector<LiveStep>& steps, std::size_t a, std::size_t b) {
    std::size_t most = std::max(a, b);
    for (const LiveStep& s : steps) most = std::max({most, s.from, s.to});
    return most + 1;
}

} // namespace

std::vector<LiveStep> stepsOf(std::vector<LivePoint> points, bool within, double longestGap_s) {
    std::vector<Block> blocks = blocksOf(std::move(points), longestGap_s);
    std::vector<LiveStep> out;
    if (blocks.size() < 2) return out;
    // How many subs make one side of a step, and how long a step usually takes: from the first block, so that later ones change nothing.
    const auto& first = blocks.front().points;
    const std::size_t each = std::clamp<std::size_t>(first.size() / 4, 1, 6);
    const double cadence = first.size() > 1 ? (first.back().second - first.front().second) / static_cast<double>(first.size() - 1)
                                            : blocks[1].points.front().second - first.front().second;
    const double usual = std::max(1.0, cadence * static_cast<double>(each));
    const auto step = [&](const Block& from, std::size_t f0, std::size_t f1, const Block& to, std::size_t t0, std::size_t t1) {
        const LivePoint before = meanOf(from.points, f0, f1), after = meanOf(to.points, t0, t1);
        LiveStep s{before.filter, after.filter, after.value - before.value, after.second - before.second, 1, to.points[t1 - 1].second};
        const double own = (1 / static_cast<double>(f1 - f0) + 1 / static_cast<double>(t1 - t0)) / (2 / static_cast<double>(each));
        s.spread = std::max({1.0, own, s.seconds / usual}); // as if all noise were the sky's: never too sure of a step that took long
        out.push_back(s);
    };
    for (std::size_t k = 0; k + 1 < blocks.size(); ++k) {
        Block &block = blocks[k], &next = blocks[k + 1];
        const std::size_t n = block.points.size(), tail = std::min(each, n - block.head);
        if (within)
            for (std::size_t i = block.head; i + 2 * each + tail <= n; i += 2 * each) step(block, i, i + each, block, i + each, i + 2 * each);
        const bool whole = k + 2 < blocks.size(); // the next block will not grow
        const std::size_t head = std::min(each, next.points.size());
        if (tail == 0 || next.points.front().filter == block.points.back().filter || next.points.front().second - block.points.back().second > longestGap_s)
            continue;
        if (head < each && !whole) continue; // more of it is to come
        // Blocks of one sub: all steps in one direction could not tell a filter from a drift.
        if (n == 1 && !out.empty() && out.back().from == block.points.back().filter && out.back().to == next.points.front().filter) continue;
        step(block, n - tail, n, next, 0, head);
        next.head = head;
    }
    return out;
}

std::vector<LiveEvidence> evidenceOf(const std::vector<LiveStep>& steps, std::size_t a, std::size_t b, double alpha, double effect) {
    std::vector<LiveEvidence> out;
    Fit fit(filtersIn(steps, a, b));
    for (const LiveStep& s : steps) {
        fit.add(s);
        const auto c = fit.contrast(a, b);
        if (!c) continue;
        LiveEvidence e;
        e.steps = c->steps, e.difference = c->difference, e.second = s.second;
        const double noise = c->residual / c->freedom;
        e.sigma = std::sqrt(noise / c->information);
        e.logEvidence = logOdds(c->difference * c->difference * c->information / c->residual, c->freedom, c->information, effect);
        // Differences whose odds are below 1 / alpha.
        const double k = 1 + effect * effect * c->information, r = std::pow(k / (alpha * alpha), 1 / (c->freedom + 1));
        if (r < k) {
            const double half = std::sqrt((r - 1) / (1 - r / k) * c->residual / c->information);
            e.low = c->difference - half, e.high = c->difference + half;
        }
        out.push_back(e);
    }
    return out;
}

std::optional<int> blocksToTell(const std::vector<LiveStep>& steps, std::size_t a, std::size_t b, double alpha, double difference, double effect) {
    Fit fit(filtersIn(steps, a, b));
    int swaps = 0;
    for (const LiveStep& s : steps) fit.add(s), swaps += s.from != s.to;
    const auto c = fit.contrast(a, b);
    if (!c || swaps == 0) return std::nullopt;
    const double noise = c->residual / c->freedom;
    for (int more = 0; more <= 200; ++more) {
        const double grown = 1 + static_cast<double>(more) / swaps, information = c->information * grown,
                     freedom = c->freedom + static_cast<double>(c->steps) * more / swaps;
        if (logOdds(difference * difference * information / (noise * freedom), freedom, information, effect) >= -std::log(alpha)) return more;
    }
    return std::nullopt;
}

} // namespace caelumen

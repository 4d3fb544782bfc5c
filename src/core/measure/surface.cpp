#include "core/measure/surface.h"

#include "core/base/linear_algebra.h"
#include "core/base/statistics.h"

#include <algorithm>
#include <array>

namespace caelumen {
namespace {

struct Cell {
    Eigen::Vector4d basis;
    double level, weight; ///< weight = 1 / variance of the level
    double error;
    std::size_t index;
};

std::vector<Cell> usable(const BackgroundMesh& mesh, const std::vector<char>& excluded, int width, int height) {
    std::vector<Cell> cells;
    for (std::size_t i = 0; i < mesh.cells.size(); ++i) {
        const MeshCell& c = mesh.cells[i];
        if (c.used == 0 || (!excluded.empty() && excluded[i])) continue;
        const SurfaceBasis s = SurfaceBasis::at(c.centre, width, height);
        const double variance = std::max(1e-30, c.sigma * c.sigma / static_cast<double>(c.used));
        cells.push_back({{1, s.u, s.v, s.rr}, c.level, 1 / variance, std::sqrt(variance), i});
    }
    // No cell may outweigh the typical one: their errors are never only photon noise.
    std::vector<double> weights;
    for (const Cell& c : cells) weights.push_back(c.weight);
    const double cap = 1.5 * median(std::span<double>(weights));
    for (Cell& c : cells) c.weight = std::min(c.weight, cap) / cap;
    return cells;
}

Eigen::Vector4d solve(const std::vector<Cell>& cells, const std::vector<double>& extra, Eigen::Matrix4d* normal = nullptr) {
    Eigen::Matrix4d a = Eigen::Matrix4d::Zero();
    Eigen::Vector4d g = Eigen::Vector4d::Zero();
    for (std::size_t i = 0; i < cells.size(); ++i) {
        const double w = cells[i].weight * extra[i];
        a.noalias() += w * cells[i].basis * cells[i].basis.transpose();
        g.noalias() += w * cells[i].level * cells[i].basis;
    }
    if (normal) *normal = a;
    a.diagonal().array() += 1e-12 * a(0, 0);
    return solveNormal(a, g);
}

double typicalError(const std::vector<Cell>& cells) {
    std::vector<double> errors;
    for (const Cell& c : cells) errors.push_back(c.error);
    return median(std::span<double>(errors));
}

/// How much neighbouring cells differ where the sky is smooth: the lower quarter of their differences, as a normal sigma.
double neighbourScatter(const BackgroundMesh& mesh, const std::vector<char>& excluded) {
    std::vector<double> steps;
    const auto free = [&](std::size_t i) { return mesh.cells[i].used > 0 && (excluded.empty() || !excluded[i]); };
    for (int j = 0; j < mesh.down; ++j) {
        for (int i = 0; i + 1 < mesh.across; ++i) {
            const auto at = static_cast<std::size_t>(j * mesh.across + i);
            if (free(at) && free(at + 1)) steps.push_back(std::abs(mesh.cells[at].level - mesh.cells[at + 1].level));
        }
    }
    return steps.size() < 10 ? 0 : quantile(steps, 0.25) / (0.3186 * std::sqrt(2.0));
}

/// Means of 5 x 5 cells: quiet enough to span a surface from a few, and to tell faint nebula from free sky.
std::vector<Cell> quietCells(const BackgroundMesh& mesh, const std::vector<Cell>& cells) {
    std::vector<double> level(mesh.cells.size(), 0);
    std::vector<char> known(mesh.cells.size(), 0);
    std::vector<Eigen::Vector4d> bases(mesh.cells.size());
    for (const Cell& c : cells) {
        level[c.index] = c.level;
        bases[c.index] = c.basis;
        known[c.index] = 1;
    }
    std::vector<Cell> quiet;
    for (const Cell& c : cells) {
        const auto x = static_cast<int>(c.index) % mesh.across, y = static_cast<int>(c.index) / mesh.across;
        double sum = 0;
        int n = 0;
        Eigen::Vector4d basis = Eigen::Vector4d::Zero();
        for (int b = std::max(0, y - 2); b <= std::min(mesh.down - 1, y + 2); ++b) {
            for (int a = std::max(0, x - 2); a <= std::min(mesh.across - 1, x + 2); ++a) {
                const auto at = static_cast<std::size_t>(b * mesh.across + a);
                if (!known[at]) continue;
                sum += level[at];
                basis += bases[at];
                ++n;
            }
        }
        Cell q = c;
        q.level = sum / n;
        q.basis = basis / n;
        q.error = 1 / std::sqrt(static_cast<double>(n)); // in units of a single cell's
        quiet.push_back(q);
    }
    return quiet;
}

/// The surface with which most cells agree within their noise while hardly any lies below it (after Fischler & Bolles 1981, CACM 24, 381; scored as in
/// Torr & Zisserman 2000, CVIU 78, 138). Nebula only adds light and has texture, so it never agrees on a smooth surface as free sky does.
Eigen::Vector4d consensus(const std::vector<Cell>& cells, const std::vector<Cell>& quiet, double noise, double floor) {
    Random random(cells.size());
    const std::vector<double> even(cells.size(), 1);
    Eigen::Vector4d best = solve(cells, even);
    // A thousand cells judge as well as ten thousand.
    struct Judge {
        Eigen::Vector4d basis;
        double level, limit;
    };
    std::vector<Judge> judges;
    for (std::size_t i = 0; i < quiet.size(); i += 1 + quiet.size() / 1000)
        judges.push_back({quiet[i].basis, quiet[i].level, 3 * length(noise * quiet[i].error, floor)});
    // Each judge counts for one at most: what cannot come above `top` any more is left.
    const auto score = [&](const Eigen::Vector4d& p, double top) {
        constexpr std::size_t kTogether = 64;
        double sum = 0;
        for (std::size_t first = 0; first < judges.size() && sum + static_cast<double>(judges.size() - first) > top - 1e-6; first += kTogether)
            for (std::size_t i = first; i < std::min(judges.size(), first + kTogether); ++i) {
                const Judge& c = judges[i];
                const double r = c.level - c.basis.dot(p);
                if (r < -c.limit)
                    sum -= 1;
                else if (r < c.limit)
                    sum += 1 - r * r / (c.limit * c.limit);
            }
        return sum;
    };
    double top = score(best, -static_cast<double>(judges.size()) - 1);
    constexpr std::size_t kSample = 6;
    std::vector<Cell> sample(kSample);
    const std::vector<double> sampleWeights(kSample, 1);
    for (int trial = 0; trial < 800; ++trial) {
        for (Cell& c : sample) c = quiet[random.index(quiet.size())];
        const Eigen::Vector4d p = solve(sample, sampleWeights);
        if (!p.allFinite()) continue;
        if (const double s = score(p, top); s > top) {
            top = s;
            best = p;
        }
    }
    return best;
}

/// Drops kept cells that lie in a patch whose mean residual stands out on the bright side.
std::vector<double> withoutFaintPatches(const BackgroundMesh& mesh, const std::vector<Cell>& cells, const std::vector<double>& kept,
                                        const std::vector<double>& residual, double scatter) {
    // Sums over rectangles from a table of running sums.
    const auto across = static_cast<std::size_t>(mesh.across) + 1, down = static_cast<std::size_t>(mesh.down) + 1;
    std::vector<double> sum(across * down, 0), count(across * down, 0);
    for (std::size_t i = 0; i < cells.size(); ++i) {
        if (kept[i] <= 0) continue;
        const std::size_t x = cells[i].index % (across - 1), y = cells[i].index / (across - 1);
        sum[(y + 1) * across + x + 1] = residual[i];
        count[(y + 1) * across + x + 1] = 1;
    }
    for (auto* table : {&sum, &count}) {
        for (std::size_t y = 1; y < down; ++y) {
            double row = 0;
            for (std::size_t x = 1; x < across; ++x) {
                row += (*table)[y * across + x];
                (*table)[y * across + x] = row + (*table)[(y - 1) * across + x];
            }
        }
    }
    std::vector<double> next = kept;
    for (const int reach : {1, 2, 4, 7}) {
        for (std::size_t i = 0; i < cells.size(); ++i) {
            if (kept[i] <= 0) continue;
            const auto x = static_cast<int>(cells[i].index % (across - 1)), y = static_cast<int>(cells[i].index / (across - 1));
            const auto x0 = static_cast<std::size_t>(std::max(0, x - reach)), x1 = static_cast<std::size_t>(std::min(mesh.across, x + reach + 1));
            const auto y0 = static_cast<std::size_t>(std::max(0, y - reach)), y1 = static_cast<std::size_t>(std::min(mesh.down, y + reach + 1));
            const auto over = [&](const std::vector<double>& t) {
                return t[y1 * across + x1] - t[y0 * across + x1] - t[y1 * across + x0] + t[y0 * across + x0];
            };
            const double n = over(count);
            if (n >= 3 && over(sum) / n > 3 * scatter / std::sqrt(n)) next[i] = 0;
        }
    }
    return next;
}

/// Covariance by leaving out blocks of the frame, 4 across and 2 down (Quenouille 1956, Biometrika 43, 353).
Eigen::Matrix4d jackknife(const BackgroundMesh& mesh, const std::vector<Cell>& cells, const std::vector<double>& kept, const Eigen::Vector4d& whole) {
    Eigen::Matrix4d sum = Eigen::Matrix4d::Zero();
    int groups = 0;
    for (int block = 0; block < 8; ++block) {
        std::vector<double> left = kept;
        std::size_t removed = 0;
        for (std::size_t i = 0; i < cells.size(); ++i) {
            const int x = static_cast<int>(cells[i].index) % mesh.across, y = static_cast<int>(cells[i].index) / mesh.across;
            if (4 * x / mesh.across + 4 * (2 * y / mesh.down) != block || left[i] <= 0) continue;
            left[i] = 0;
            ++removed;
        }
        if (removed == 0) continue;
        const Eigen::Vector4d d = solve(cells, left) - whole;
        sum += d * d.transpose();
        ++groups;
    }
    if (groups < 3) return Eigen::Matrix4d::Constant(std::numeric_limits<double>::quiet_NaN());
    return sum * (groups - 1.0) / groups;
}

/// The surface through the cells kept, with its errors.
Surface finished(const BackgroundMesh& mesh, const std::vector<Cell>& cells, const std::vector<double>& kept, const Eigen::Vector4d& p) {
    Surface out;
    double sum = 0, square = 0;
    std::size_t n = 0;
    for (std::size_t i = 0; i < cells.size(); ++i) {
        if (kept[i] <= 0) continue;
        const double residual = cells[i].level - cells[i].basis.dot(p);
        sum += cells[i].weight * residual * residual;
        square += residual * residual;
        ++n;
    }
    if (n < 8) return out;
    Eigen::Matrix4d normal;
    solve(cells, kept, &normal);
    // Cutting at 3 sigma takes 1.3 % of a normal's variance away.
    const double unitVariance = sum / static_cast<double>(n - 4) / 0.987;
    Eigen::Matrix4d covariance = inverted(normal) * unitVariance;
    // What the scatter of cells does not tell: faint nebula that stayed. Leaving out one eighth of the sky at a time shows it.
    if (const Eigen::Matrix4d blocks = jackknife(mesh, cells, kept, p); blocks.allFinite()) {
        double ratio = 0;
        for (int i = 0; i < 4; ++i) ratio += blocks(i, i) / covariance(i, i) / 4;
        if (ratio > 2) covariance = blocks;
    }
    if (!covariance.allFinite() || !p.allFinite()) return out;
    out.b0 = p[0], out.bx = p[1], out.by = p[2], out.q = p[3];
    for (int i = 0; i < 4; ++i)
        for (int j = 0; j < 4; ++j) out.covariance[static_cast<std::size_t>(i)][static_cast<std::size_t>(j)] = covariance(i, j);
    out.residual = std::sqrt(square / static_cast<double>(n));
    if (const double expected = typicalError(cells); expected > 0) out.excess = std::max(1.0, out.residual / expected);
    out.cells = n;
    out.coverage = static_cast<double>(cells.size()) / static_cast<double>(mesh.cells.size());
    out.valid = true;
    return out;
}

} // namespace

double Surface::differenceVariance(const SurfaceBasis& a, const SurfaceBasis& b) const {
    const std::array<double, 4> d{0, a.u - b.u, a.v - b.v, a.rr - b.rr};
    double sum = 0;
    for (std::size_t i = 1; i < 4; ++i)
        for (std::size_t j = 1; j < 4; ++j) sum += d[i] * d[j] * covariance[i][j];
    return std::max(0.0, sum);
}

Surface fitSurface(const BackgroundMesh& mesh, const std::vector<char>& excluded, int width, int height, std::vector<char>* rejectedHigh) {
    Surface out;
    if (rejectedHigh) rejectedHigh->assign(mesh.cells.size(), 0);
    const std::vector<Cell> cells = usable(mesh, excluded, width, height);
    if (cells.size() < 8) return out;

    std::vector<double> residual(cells.size()), kept(cells.size(), 1);
    Eigen::Vector4d p = solve(cells, kept);
    const auto residuals = [&] {
        for (std::size_t i = 0; i < cells.size(); ++i) residual[i] = cells[i].level - cells[i].basis.dot(p);
    };
    // The noise of a cell: not less than its pixels say, and as large as neighbours differ where the sky is smooth.
    // Few flat fields are flatter than a thousandth, and a gradient seen through vignetting is no plane: that is not nebula. But where a good part of the
    // cells agrees more closely than that, the closer surface is the sky, and what bends it would be nebula.
    constexpr std::array kFlatness{0.0002, 0.0004, 0.0007, 0.0012};
    std::vector<double> levels;
    for (const Cell& c : cells) levels.push_back(c.level);
    double noise = std::max(typicalError(cells), neighbourScatter(mesh, excluded)), level = std::abs(median(std::span<double>(levels)));
    if (!(noise > 0)) return out;
    const std::vector<Cell> quiet = quietCells(mesh, cells);
    double scatter = 0;
    // A sky that the model does not follow keeps too few cells: then the tolerance grows until it holds a good part.
    for (std::size_t widening = 0; widening < 14; ++widening) {
        const bool strict = widening + 1 < kFlatness.size();
        if (widening >= kFlatness.size()) noise *= 1.6;
        const double floor = level * (widening < kFlatness.size() ? kFlatness[widening]
                                                                  : kFlatness.back() * std::pow(1.6, static_cast<double>(widening - kFlatness.size() + 1)));
        scatter = length(noise, floor);
        p = consensus(cells, quiet, noise, floor);
        residuals();
        for (int round = 0; round < 25; ++round) {
            std::vector<double> next(cells.size());
            for (std::size_t i = 0; i < cells.size(); ++i)
                next[i] = std::abs(residual[i]) <= 3 * scatter && quiet[i].level - quiet[i].basis.dot(p) <= 3 * length(noise * quiet[i].error, floor) ? 1 : 0;
            if (std::count(next.begin(), next.end(), 1.0) < 8) break;
            const bool same = round > 0 && next == kept;
            kept = next;
            p = solve(cells, kept);
            residuals();
            if (same) break;
        }
        if (static_cast<double>(std::count(kept.begin(), kept.end(), 1.0)) >= (strict ? 0.4 : 0.15) * static_cast<double>(cells.size())) break;
    }
    // Nebula too faint for one cell shows in the mean of many: patches of 3, 5, 9 and 15 cells, until none stands out or too little is left.
    const double least = 0.2 * static_cast<double>(cells.size());
    for (int round = 0; round < 12; ++round) {
        const std::vector<double> next = withoutFaintPatches(mesh, cells, kept, residual, scatter);
        const auto left = static_cast<double>(std::count(next.begin(), next.end(), 1.0));
        if (next == kept || left < std::max(12.0, least)) break;
        kept = next;
        p = solve(cells, kept);
        residuals();
    }
    if (rejectedHigh)
        for (std::size_t i = 0; i < cells.size(); ++i)
            if (kept[i] <= 0 && residual[i] > 0) (*rejectedHigh)[cells[i].index] = 1;
    return finished(mesh, cells, kept, p);
}

Surface refitSurface(const BackgroundMesh& mesh, const std::vector<char>& excluded, int width, int height, const Surface& start) {
    const std::vector<Cell> cells = usable(mesh, excluded, width, height);
    if (cells.size() < 24 || !start.valid) return {};
    Eigen::Vector4d p{start.b0, start.bx, start.by, start.q};
    std::vector<double> kept(cells.size());
    for (std::size_t i = 0; i < cells.size(); ++i) kept[i] = std::abs(cells[i].level - cells[i].basis.dot(p)) <= 3.3 * start.residual ? 1 : 0;
    p = solve(cells, kept);
    return finished(mesh, cells, kept, p);
}

namespace {

std::array<double, 4> differenceOf(const Surface& part, const Surface& first) {
    return {part.b0 - first.b0, part.bx - first.bx, part.by - first.by, part.q - first.q};
}

} // namespace

bool disagree(const Surface& first, const Surface& part) {
    const std::array<double, 4> difference = differenceOf(part, first);
    for (std::size_t i = 0; i < 4; ++i)
        if (std::abs(difference[i]) > 2 * std::sqrt(std::max(part.covariance[i][i] - first.covariance[i][i], 0.2 * part.covariance[i][i]))) return true;
    return false;
}

Surface withDoubt(Surface fit, const Surface& other) {
    constexpr double kLeft = 0.6; // what an exponential that halves within two cells leaves behind all further steps
    const std::array<double, 4> difference = differenceOf(fit, other);
    for (std::size_t i = 0; i < 4; ++i)
        for (std::size_t j = 0; j < 4; ++j) fit.covariance[i][j] += kLeft * kLeft * difference[i] * difference[j];
    return fit;
}

bool hasRing(const BackgroundMesh& mesh, const std::vector<char>& excluded, const Surface& surface, int width, int height) {
    if (!surface.valid) return false;
    std::array<std::vector<double>, 10> rings;
    for (std::size_t i = 0; i < mesh.cells.size(); ++i) {
        const MeshCell& c = mesh.cells[i];
        if (c.used == 0 || (!excluded.empty() && excluded[i])) continue;
        const SurfaceBasis s = SurfaceBasis::at(c.centre, width, height);
        const double r = c.level - surface.at(s);
        if (std::abs(r) > 4 * surface.residual) continue;
        rings[static_cast<std::size_t>(std::min(9.0, std::sqrt(s.rr) * 10))].push_back(r);
    }
    for (auto& ring : rings) {
        if (ring.size() < 8) continue;
        double mean = 0;
        for (const double r : ring) mean += r / static_cast<double>(ring.size());
        if (std::abs(mean) > 3 * surface.residual / std::sqrt(static_cast<double>(ring.size()))) return true;
    }
    return false;
}

} // namespace caelumen

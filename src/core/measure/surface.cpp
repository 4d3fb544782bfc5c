#include "core/measure/surface.h"

#include "core/base/statistics.h"

#include <Eigen/Dense>

#include <algorithm>

namespace caelumen {
namespace {

struct Cell {
    Eigen::Vector4d basis;
    double level, weight; ///< weight = 1 / variance of the level
    std::size_t index;
};

std::vector<Cell> usable(const BackgroundMesh& mesh, const std::vector<char>& excluded, int width, int height) {
    std::vector<Cell> cells;
    for (std::size_t i = 0; i < mesh.cells.size(); ++i) {
        const MeshCell& c = mesh.cells[i];
        if (c.used == 0 || (!excluded.empty() && excluded[i])) continue;
        const SurfaceBasis s = SurfaceBasis::at(c.centre, width, height);
        const double variance = std::max(1e-30, c.sigma * c.sigma / static_cast<double>(c.used));
        cells.push_back({{1, s.u, s.v, s.rr}, c.level, 1 / variance, i});
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
    return a.ldlt().solve(g);
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

    // Start: quantile regression a little below the middle, by reweighting. Nebula pulls a mean up but not this.
    std::vector<double> weight(cells.size(), 1), residual(cells.size());
    Eigen::Vector4d p = solve(cells, weight);
    const auto residuals = [&] {
        for (std::size_t i = 0; i < cells.size(); ++i) residual[i] = cells[i].level - cells[i].basis.dot(p);
    };
    residuals();
    constexpr double kQuantile = 0.35;
    for (int round = 0; round < 25; ++round) {
        std::vector<double> copy = residual;
        const double floor = std::max(1e-12, 0.05 * robustSigma(copy));
        for (std::size_t i = 0; i < cells.size(); ++i) weight[i] = (residual[i] > 0 ? kQuantile : 1 - kQuantile) / std::max(std::abs(residual[i]), floor);
        p = solve(cells, weight);
        residuals();
    }

    // The lower half about the crest of the residuals tells the noise; then plain least squares on what lies within 3 sigma.
    std::vector<double> kept(cells.size(), 1);
    double scatter = 0;
    Eigen::Matrix4d normal;
    for (int round = 0; round < 20; ++round) {
        double centre = 0;
        if (round == 0) {
            std::vector<double> copy = residual;
            centre = quantile(copy, 0.4);
            std::vector<double> below;
            for (const double r : residual)
                if (r < centre) below.push_back(centre - r);
            scatter = kMadToSigma * median(std::span<double>(below));
        } else {
            std::vector<double> inside;
            for (std::size_t i = 0; i < cells.size(); ++i)
                if (kept[i] > 0) inside.push_back(residual[i]);
            std::vector<double> below;
            for (const double r : inside)
                if (r < 0) below.push_back(-r);
            const double lower = kMadToSigma * median(std::span<double>(below));
            scatter = std::min(lower > 0 ? lower : 1e300, std::max(robustSigma(inside), 0.7 * lower));
        }
        if (!(scatter > 0)) break;
        std::vector<double> next(cells.size());
        for (std::size_t i = 0; i < cells.size(); ++i) next[i] = std::abs(residual[i] - centre) <= 3 * scatter ? 1 : 0;
        if (std::count(next.begin(), next.end(), 1.0) < 8) break;
        const bool same = round > 0 && next == kept;
        kept = next;
        p = solve(cells, kept, &normal);
        residuals();
        if (same) break;
    }
    double sum = 0;
    std::size_t n = 0;
    for (std::size_t i = 0; i < cells.size(); ++i) {
        if (kept[i] <= 0) {
            if (rejectedHigh && residual[i] > 0) (*rejectedHigh)[cells[i].index] = 1;
            continue;
        }
        sum += cells[i].weight * residual[i] * residual[i];
        ++n;
    }
    if (n < 8) return out;
    solve(cells, kept, &normal);
    const double unitVariance = sum / static_cast<double>(n - 4);
    const Eigen::Matrix4d covariance = normal.inverse() * unitVariance;
    if (!covariance.allFinite() || !p.allFinite()) return out;
    out.b0 = p[0], out.bx = p[1], out.by = p[2], out.q = p[3];
    for (int i = 0; i < 4; ++i)
        for (int j = 0; j < 4; ++j) out.covariance[static_cast<std::size_t>(i)][static_cast<std::size_t>(j)] = covariance(i, j);
    double square = 0;
    for (std::size_t i = 0; i < cells.size(); ++i) square += kept[i] > 0 ? residual[i] * residual[i] : 0;
    out.residual = std::sqrt(square / static_cast<double>(n));
    out.cells = n;
    out.coverage = static_cast<double>(n) / static_cast<double>(mesh.cells.size());
    out.valid = true;
    return out;
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

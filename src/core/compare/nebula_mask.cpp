#include "core/compare/nebula_mask.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

int cellAt(const BackgroundMesh& mesh, Point plane) {
    if (plane.x < -0.5 || plane.y < -0.5) return -1;
    const int i = static_cast<int>((plane.x + 0.5) / mesh.cell), j = static_cast<int>((plane.y + 0.5) / mesh.cell);
    // The last row and column take what is left over.
    const int a = i == mesh.across ? i - 1 : i, b = j == mesh.down ? j - 1 : j;
    return a < mesh.across && b < mesh.down ? b * mesh.across + a : -1;
}

Point centreOf(const BackgroundMesh& mesh, std::size_t index) {
    const auto across = static_cast<std::size_t>(mesh.across);
    return {(static_cast<double>(index % across) + 0.5) * mesh.cell - 0.5, (static_cast<double>(index / across) + 0.5) * mesh.cell - 0.5};
}

/// Cells under what a person called nebula, and under halo stars.
std::vector<char> knownCells(const Trial& trial, const PlaneHarvest& h) {
    std::vector<char> out(h.mesh.cells.size(), 0);
    for (std::size_t i = 0; i < out.size(); ++i) {
        const Point c = centreOf(h.mesh, i);
        const double half = 0.5 * h.mesh.cell;
        for (const Region& r : trial.regions) {
            if (r.role == RegionRole::Sky) continue;
            if (r.role == RegionRole::HaloStar) {
                const Point p = h.view.toPlane(r.points[0]);
                const auto it = h.halos.find(r.id);
                const double reach = it != h.halos.end() && it->second ? it->second->blind + half : 2.0 * h.mesh.cell;
                if (std::hypot(p.x - c.x, p.y - c.y) < reach) out[i] = 1;
                continue;
            }
            for (const Point d : {Point{0, 0}, Point{-half, -half}, Point{half, -half}, Point{-half, half}, Point{half, half}})
                if (r.contains(h.view.toBaseline({c.x + d.x, c.y + d.y}))) out[i] = 1;
        }
    }
    return out;
}

/// Without lonely cells: noise rejects one cell in a thousand, nebula comes in patches.
std::vector<char> patches(const BackgroundMesh& mesh, const std::vector<char>& bright) {
    std::vector<char> out(bright.size(), 0);
    for (int j = 0; j < mesh.down; ++j) {
        for (int i = 0; i < mesh.across; ++i) {
            const auto at = static_cast<std::size_t>(j * mesh.across + i);
            if (!bright[at]) continue;
            int company = 0;
            for (int b = std::max(0, j - 1); b <= std::min(mesh.down - 1, j + 1); ++b)
                for (int a = std::max(0, i - 1); a <= std::min(mesh.across - 1, i + 1); ++a) company += bright[static_cast<std::size_t>(b * mesh.across + a)];
            out[at] = company >= 3;
        }
    }
    return out;
}

double freePart(const BackgroundMesh& mesh, const std::vector<char>& hidden) {
    std::size_t free = 0;
    for (std::size_t i = 0; i < hidden.size(); ++i) free += mesh.cells[i].used > 0 && !hidden[i];
    return static_cast<double>(free) / static_cast<double>(std::max<std::size_t>(1, hidden.size()));
}

/// Grown by so many cells around; less where that would leave less than a part of the sky.
std::vector<char> grown(const BackgroundMesh& mesh, const std::vector<char>& bright, int steps, double leave) {
    std::vector<char> out = bright;
    for (int step = 0; step < steps; ++step) {
        std::vector<char> next = out;
        for (int j = 0; j < mesh.down; ++j)
            for (int i = 0; i < mesh.across; ++i)
                if (out[static_cast<std::size_t>(j * mesh.across + i)])
                    for (int b = std::max(0, j - 1); b <= std::min(mesh.down - 1, j + 1); ++b)
                        for (int a = std::max(0, i - 1); a <= std::min(mesh.across - 1, i + 1); ++a) next[static_cast<std::size_t>(b * mesh.across + a)] = 1;
        if (freePart(mesh, next) < leave) break;
        out = std::move(next);
    }
    return out;
}

/// Nebula that fades on slowly beyond where it is seen bends the sky's model: cells around it are given up until the model no longer changes, or too little sky
/// is left.
Surface beyondFadingNebula(const PlaneHarvest& h, std::vector<char>& excluded, Surface surface) {
    for (int round = 0; round < 4 && surface.valid; ++round) {
        std::vector<char> wider = grown(h.mesh, excluded, 2, 0.3);
        if (wider == excluded) break;
        const Surface next = refitSurface(h.mesh, wider, h.view.width, h.view.height, surface);
        if (!next.valid) break;
        if (!disagree(surface, next)) return withDoubt(surface, next); // what is left may hide in the errors
        excluded = std::move(wider);
        surface = withDoubt(next, surface);
    }
    return surface;
}

struct PlaneOf {
    std::size_t run;
    const PlaneHarvest* harvest;
    std::vector<char> onGrid;   ///< cells of the baseline's grid that this plane finds bright
    std::vector<char> excluded; ///< cells of its own
};

} // namespace

void fitSurfaces(const Trial& trial, std::vector<RunEvidence>& runs, std::size_t baseline) {
    if (runs.empty() || runs[baseline].planes.empty()) return;
    const PlaneHarvest& grid = runs[baseline].planes.front();
    std::vector<PlaneOf> planes;
    for (std::size_t k = 0; k < runs.size(); ++k)
        for (const PlaneHarvest& h : runs[k].planes) planes.push_back({k, &h, {}, {}});
    // Each plane's own verdict on its own grid, seen on the baseline's.
    tbb::parallel_for(std::size_t{0}, planes.size(), [&](std::size_t n) {
        PlaneOf& plane = planes[n];
        const PlaneHarvest& h = *plane.harvest;
        std::vector<char> bright, known = knownCells(trial, h);
        fitSurface(h.mesh, known, h.view.width, h.view.height, &bright);
        bright = patches(h.mesh, bright);
        plane.onGrid.assign(grid.mesh.cells.size(), 0);
        for (std::size_t i = 0; i < plane.onGrid.size(); ++i) {
            const int at = cellAt(h.mesh, h.view.toPlane(grid.view.toBaseline(centreOf(grid.mesh, i))));
            plane.onGrid[i] = at >= 0 && bright[static_cast<std::size_t>(at)];
        }
        for (std::size_t i = 0; i < known.size(); ++i) known[i] = known[i] || bright[i];
        plane.excluded = std::move(known);
    });
    // How many runs find a cell of the baseline's grid bright.
    std::vector<int> votes(grid.mesh.cells.size(), 0);
    std::vector<std::vector<char>> onGrid(runs.size(), std::vector<char>(votes.size(), 0));
    for (const PlaneOf& plane : planes)
        for (std::size_t i = 0; i < votes.size(); ++i) onGrid[plane.run][i] |= plane.onGrid[i];
    int voters = 0;
    for (std::size_t k = 0; k < runs.size(); ++k) {
        for (std::size_t i = 0; i < votes.size(); ++i) votes[i] += onGrid[k][i];
        voters += !runs[k].planes.empty();
    }
    // What one run sees, the others have too, beneath their noise. But one spoiled run (fog, a halo) must not take the sky away from them all.
    int needed = 1;
    for (; needed < std::min(2, voters - 1); ++needed) {
        const auto free = std::count_if(votes.begin(), votes.end(), [&](int v) { return v < needed; });
        if (static_cast<double>(free) >= 0.6 * static_cast<double>(votes.size())) break;
    }
    std::vector<Surface> surfaces(planes.size());
    tbb::parallel_for(std::size_t{0}, planes.size(), [&](std::size_t n) {
        PlaneOf& plane = planes[n];
        const PlaneHarvest& h = *plane.harvest;
        for (std::size_t i = 0; i < plane.excluded.size(); ++i) {
            const int at = cellAt(grid.mesh, grid.view.toPlane(h.view.toBaseline(centreOf(h.mesh, i))));
            if (at >= 0 && (votes[static_cast<std::size_t>(at)] >= needed || onGrid[plane.run][static_cast<std::size_t>(at)])) plane.excluded[i] = 1;
        }
        plane.excluded = grown(h.mesh, plane.excluded, 3, 0.4); // nebula fades on beyond where it is seen
        const std::vector<char> known = knownCells(trial, h);
        std::size_t free = 0;
        for (std::size_t i = 0; i < known.size(); ++i) free += h.mesh.cells[i].used > 0 && !known[i];
        Surface s = fitSurface(h.mesh, plane.excluded, h.view.width, h.view.height);
        // Hardly any cell is free of nebula in all runs: then each run for itself.
        if (!s.valid || s.coverage < 0.12)
            s = fitSurface(h.mesh, known, h.view.width, h.view.height);
        else
            s = beyondFadingNebula(h, plane.excluded, s);
        s.coverage = static_cast<double>(free) / static_cast<double>(std::max<std::size_t>(1, known.size()));
        surfaces[n] = s;
    });
    for (std::size_t n = 0; n < planes.size(); ++n) {
        RunEvidence& run = runs[planes[n].run];
        run.excludedCells[planes[n].harvest->channel] = std::move(planes[n].excluded);
        run.surfaces[planes[n].harvest->channel] = surfaces[n];
    }
}

} // namespace caelumen

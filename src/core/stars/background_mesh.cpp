#include "core/stars/background_mesh.h"

#include "core/base/statistics.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <array>

namespace caelumen {

double BackgroundMesh::coverage() const {
    if (cells.empty()) return 0;
    const auto used = std::count_if(cells.begin(), cells.end(), [](const MeshCell& c) { return c.used > 0; });
    return static_cast<double>(used) / static_cast<double>(cells.size());
}

int defaultCell(const Plane& plane) { return std::clamp(std::min(plane.width(), plane.height()) / 32, 24, 128); }

BackgroundMesh buildMesh(const Plane& plane, const Mask& mask, int cell, double minPart) {
    BackgroundMesh mesh;
    mesh.cell = cell;
    mesh.across = std::max(1, (plane.width() + cell / 2) / cell);
    mesh.down = std::max(1, (plane.height() + cell / 2) / cell);
    mesh.cells.resize(static_cast<std::size_t>(mesh.across) * static_cast<std::size_t>(mesh.down));
    tbb::parallel_for(0, mesh.down, [&](int j) {
        std::vector<float> values;
        for (int i = 0; i < mesh.across; ++i) {
            const int x0 = i * cell, y0 = j * cell;
            const int x1 = i + 1 == mesh.across ? plane.width() : x0 + cell, y1 = j + 1 == mesh.down ? plane.height() : y0 + cell;
            values.clear();
            double sx = 0, sy = 0;
            for (int y = y0; y < y1; ++y) {
                const float* row = plane.row(y);
                const std::uint8_t* hidden = mask.empty() ? nullptr : mask.data() + static_cast<std::size_t>(y) * static_cast<std::size_t>(plane.width());
                for (int x = x0; x < x1; ++x) {
                    if ((hidden && hidden[x]) || !(std::isfinite(row[x]))) continue;
                    values.push_back(row[x]);
                    sx += x;
                    sy += y;
                }
            }
            const auto n = static_cast<double>(values.size());
            if (n < 16 || n < minPart * (x1 - x0) * (y1 - y0)) continue;
            const ClippedStats s = clippedStats(std::span<float>(values));
            mesh.cells[static_cast<std::size_t>(j) * static_cast<std::size_t>(mesh.across) + static_cast<std::size_t>(i)] = {{sx / n, sy / n}, s.mean, s.sigma, s.count};
        }
    });
    return mesh;
}

namespace {

/// Fills unused cells with the mean of used neighbours, spreading outwards until all are filled.
void fill(std::vector<double>& map, std::vector<char> known, int across, int down) {
    for (bool open = true; open;) {
        open = false;
        bool changed = false;
        std::vector<char> next = known;
        for (int j = 0; j < down; ++j) {
            for (int i = 0; i < across; ++i) {
                const auto at = static_cast<std::size_t>(j * across + i);
                if (known[at]) continue;
                double sum = 0;
                int n = 0;
                for (int dj = -1; dj <= 1; ++dj) {
                    for (int di = -1; di <= 1; ++di) {
                        const int a = i + di, b = j + dj;
                        if (a < 0 || b < 0 || a >= across || b >= down) continue;
                        const auto from = static_cast<std::size_t>(b * across + a);
                        if (!known[from]) continue;
                        sum += map[from];
                        ++n;
                    }
                }
                if (n == 0) {
                    open = true;
                    continue;
                }
                map[at] = sum / n;
                next[at] = 1;
                changed = true;
            }
        }
        known = next;
        if (!changed) break;
    }
}

std::vector<double> medianFiltered(const std::vector<double>& map, int across, int down) {
    std::vector<double> out(map.size());
    std::array<double, 9> window{};
    for (int j = 0; j < down; ++j) {
        for (int i = 0; i < across; ++i) {
            std::size_t n = 0;
            for (int b = std::max(0, j - 1); b <= std::min(down - 1, j + 1); ++b)
                for (int a = std::max(0, i - 1); a <= std::min(across - 1, i + 1); ++a) window[n++] = map[static_cast<std::size_t>(b * across + a)];
            out[static_cast<std::size_t>(j * across + i)] = median(std::span<double>(window.data(), n));
        }
    }
    return out;
}

} // namespace

SmoothSky::SmoothSky(const BackgroundMesh& mesh) : m_cell(mesh.cell), m_across(mesh.across), m_down(mesh.down) {
    std::vector<char> known(mesh.cells.size());
    m_level.resize(mesh.cells.size());
    m_sigma.resize(mesh.cells.size());
    std::vector<double> sigmas;
    for (std::size_t i = 0; i < mesh.cells.size(); ++i) {
        known[i] = mesh.cells[i].used > 0;
        if (!known[i]) continue;
        m_level[i] = mesh.cells[i].level;
        m_sigma[i] = mesh.cells[i].sigma;
        sigmas.push_back(m_sigma[i]);
    }
    m_typicalSigma = median(std::span<double>(sigmas));
    fill(m_level, known, m_across, m_down);
    fill(m_sigma, known, m_across, m_down);
    m_level = medianFiltered(m_level, m_across, m_down);
    m_sigma = medianFiltered(m_sigma, m_across, m_down);
}

double SmoothSky::interpolate(const std::vector<double>& map, double x, double y) const {
    const double fx = std::clamp((x + 0.5) / m_cell - 0.5, 0.0, static_cast<double>(m_across - 1));
    const double fy = std::clamp((y + 0.5) / m_cell - 0.5, 0.0, static_cast<double>(m_down - 1));
    const int i = std::min(static_cast<int>(fx), std::max(0, m_across - 2)), j = std::min(static_cast<int>(fy), std::max(0, m_down - 2));
    const int i1 = std::min(i + 1, m_across - 1), j1 = std::min(j + 1, m_down - 1);
    const double tx = fx - i, ty = fy - j;
    const auto v = [&](int a, int b) { return map[static_cast<std::size_t>(b * m_across + a)]; };
    return (1 - ty) * ((1 - tx) * v(i, j) + tx * v(i1, j)) + ty * ((1 - tx) * v(i, j1) + tx * v(i1, j1));
}

void SmoothSky::levelRow(int x0, int y, int n, float* to) const {
    for (int k = 0; k < n; ++k) to[k] = static_cast<float>(level(x0 + k, y));
}

} // namespace caelumen

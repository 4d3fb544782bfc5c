#include "core/stars/background_mesh.h"

#include "core/base/fetch_ahead.h"
#include "core/base/number_rows.h"
#include "core/base/pixel_rows.h"
#include "core/base/statistics.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <array>
#include <cstdint>
#include <limits>

namespace caelumen {

double BackgroundMesh::coverage() const {
    if (cells.empty()) return 0;
    const auto used = std::count_if(cells.begin(), cells.end(), [](const MeshCell& c) { return c.used > 0; });
    return static_cast<double>(used) / static_cast<double>(cells.size());
}

int defaultCell(const Plane& plane) {
    return std::clamp(std::min(plane.width(), plane.height()) / 32, 24, 128);
}

namespace {

BackgroundMesh emptyMesh(const Plane& plane, int cell) {
    BackgroundMesh mesh;
    mesh.cell = cell;
    mesh.width = plane.width();
    mesh.height = plane.height();
    mesh.across = std::max(1, (plane.width() + cell / 2) / cell);
    mesh.down = std::max(1, (plane.height() + cell / 2) / cell);
    mesh.cells.resize(static_cast<std::size_t>(mesh.across) * static_cast<std::size_t>(mesh.down));
    return mesh;
}

/// The pixels x0 <= x < x1, y0 <= y < y1 of a cell; the last row and column take what is left over.
struct Square {
    int x0, y0, x1, y1;
    int area() const { return (x1 - x0) * (y1 - y0); }
};

Square squareOf(const BackgroundMesh& mesh, const Plane& plane, int i, int j) {
    return {i * mesh.cell, j * mesh.cell, i + 1 == mesh.across ? plane.width() : (i + 1) * mesh.cell,
            j + 1 == mesh.down ? plane.height() : (j + 1) * mesh.cell};
}

/// About `wanted` pixels of a cell, every other one of evenly spaced rows (so that most of the memory need not be touched).
class Sample {
public:
    std::vector<float> values;
    std::int64_t x = 0, y = 0; ///< sums of the places

    void begin(const Square& of, int wanted) {
        m_of = of;
        const int across = std::max(1, (of.x1 - of.x0) / 2);
        m_step = std::max(1, (of.y1 - of.y0) * across / wanted);
        m_next = of.y0 + (m_step - 1) / 2;
        m_odd = false;
        values.clear();
        x = y = 0;
        m_tried = 0;
    }
    /// Its part of the next row, if that is wanted.
    void see(const float* row, const Flags& hidden, int at) {
        if (at != m_next) return;
        fetchOn(row + m_of.x0, m_of.x1 - m_of.x0);
        const int first = m_of.x0 + (m_step > 1 && m_odd ? 1 : 0), by = m_step > 1 ? 2 : 1;
        std::size_t n = values.size();
        const std::size_t before = n, most = static_cast<std::size_t>((m_of.x1 - first + by - 1) / by);
        values.resize(n + most);
        for (int i = first; i < m_of.x1; i += by) { // no guessing at each
            values[n] = row[i];
            const bool counts = std::isfinite(row[i]) && !hidden[i];
            n += counts;
            x += counts ? i : 0;
        }
        values.resize(n);
        m_tried += most;
        y += static_cast<std::int64_t>(n - before) * at;
        m_next += m_step;
        m_odd = !m_odd; // of the row taken, not of its place: even steps would see every other column only
    }
    bool enough(double part) const { return values.size() >= 16 && static_cast<double>(values.size()) >= part * static_cast<double>(m_tried); }

private:
    Square m_of{};
    int m_step = 1, m_next = 0;
    bool m_odd = false;
    std::size_t m_tried = 0; ///< usable or not
};

/// Samples of a row of cells, taken along the rows of pixels as they lie in memory.
std::vector<Sample>& samplesOf(const BackgroundMesh& mesh, const Plane& plane, const Mask& mask, int j, int wanted) {
    thread_local std::vector<Sample> samples;
    samples.resize(static_cast<std::size_t>(mesh.across));
    for (int i = 0; i < mesh.across; ++i) samples[static_cast<std::size_t>(i)].begin(squareOf(mesh, plane, i, j), wanted);
    const Square all = squareOf(mesh, plane, 0, j);
    for (int y = all.y0; y < all.y1; ++y)
        for (Sample& s : samples) s.see(plane.row(y), mask.row(y), y);
    return samples;
}

} // namespace

BackgroundMesh buildMesh(const Plane& plane, const Mask& mask, int cell, double minPart) {
    BackgroundMesh mesh = emptyMesh(plane, cell);
    struct Cut {
        float low = 0, high = 0, pivot = 0;
        double n = 0, sum = 0, squares = 0;
        double rows = 0; ///< sum of the rows of all pixels within
    };
    tbb::parallel_for(0, mesh.down, [&](int j) {
        std::vector<Cut> cuts(static_cast<std::size_t>(mesh.across));
        MeshCell* cells = mesh.cells.data() + static_cast<std::size_t>(j) * static_cast<std::size_t>(mesh.across);
        auto& samples = samplesOf(mesh, plane, mask, j, 300);
        for (int i = 0; i < mesh.across; ++i) {
            Sample& sample = samples[static_cast<std::size_t>(i)];
            if (!sample.enough(minPart)) continue;
            const auto taken = static_cast<double>(sample.values.size());
            const ClippedStats rough = clippedStats(std::span<float>(sample.values));
            const auto pivot = static_cast<float>(rough.median), reach = static_cast<float>(3 * rough.sigma);
            cuts[static_cast<std::size_t>(i)] = {pivot - reach, std::nextafter(pivot + reach, std::numeric_limits<float>::infinity()), pivot};
            cells[i].centre = {static_cast<double>(sample.x) / taken, static_cast<double>(sample.y) / taken};
        }
        // A few rows at a time through all cells, as the pixels lie in memory.
        constexpr int kTogether = 8;
        const Square first = squareOf(mesh, plane, 0, j);
        for (int y = first.y0; y < first.y1; y += kTogether) {
            const int down = std::min(kTogether, first.y1 - y);
            const Flags hidden = mask.row(y);
            for (int i = 0; i < mesh.across; ++i) {
                Cut& c = cuts[static_cast<std::size_t>(i)];
                if (!(c.high > c.low)) continue;
                const int x0 = i * cell, x1 = i + 1 == mesh.across ? plane.width() : x0 + cell;
                const rows::RectangleSums part =
                    rows::rectangleSums(plane.row(y) + x0, plane.width(), hidden + x0, mask.stride(), down, x1 - x0, c.low, c.high, c.pivot);
                c.n += static_cast<double>(part.count);
                c.rows += static_cast<double>(part.count) * y + static_cast<double>(part.rows);
                c.sum += part.sum;
                c.squares += part.squares;
            }
        }
        for (int i = 0; i < mesh.across; ++i) {
            const Cut& c = cuts[static_cast<std::size_t>(i)];
            if (c.n < 8) continue;
            cells[i].level = static_cast<double>(c.pivot) + c.sum / c.n;
            cells[i].sigma = std::sqrt(std::max(0.0, (c.squares - c.sum * c.sum / c.n) / (c.n - 1))) / kSigmaCutAt3;
            cells[i].used = static_cast<std::size_t>(c.n);
            cells[i].centre.y = c.rows / c.n; // the columns' mean is good enough from the sample, whose rows are few
        }
    });
    return mesh;
}

BackgroundMesh sampleMesh(const Plane& plane, int cell) {
    BackgroundMesh mesh = emptyMesh(plane, cell);
    tbb::parallel_for(0, mesh.down, [&](int j) {
        auto& samples = samplesOf(mesh, plane, {}, j, 128);
        for (int i = 0; i < mesh.across; ++i) {
            const Square s = squareOf(mesh, plane, i, j);
            Sample& sample = samples[static_cast<std::size_t>(i)];
            if (!sample.enough(0.3)) continue;
            const ClippedStats rough = clippedStats(std::span<float>(sample.values));
            mesh.cells[static_cast<std::size_t>(j) * static_cast<std::size_t>(mesh.across) + static_cast<std::size_t>(i)] = {
                {0.5 * (s.x0 + s.x1 - 1), 0.5 * (s.y0 + s.y1 - 1)}, rough.mean, rough.sigma, rough.count};
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
    const auto inside = [&](int x, int y) { return x >= 0 && y >= 0 && x < across && y < down; };
    const auto at = [&](int x, int y) { return map[static_cast<std::size_t>(y * across + x)]; };
    const auto atBorder = [&](int i, int j) {
        std::array<double, 9> window{};
        std::size_t n = 0;
        for (int y = j - 1; y <= j + 1; ++y)
            for (int x = i - 1; x <= i + 1; ++x) {
                // Beyond the border the slope goes on, or a gradient would bend there.
                if (inside(x, y))
                    window[n++] = at(x, y);
                else if (inside(2 * i - x, 2 * j - y))
                    window[n++] = 2 * at(i, j) - at(2 * i - x, 2 * j - y);
            }
        out[static_cast<std::size_t>(j * across + i)] = median(std::span<double>(window.data(), n));
    };
    for (int j = 0; j < down; ++j) {
        const bool within = j > 0 && j < down - 1;
        const std::ptrdiff_t first = static_cast<std::ptrdiff_t>(j) * across;
        const double* const row = map.data() + first;
        if (within) rows::mediansOfNine(row - across, row, row + across, across, out.data() + first);
        for (int i = 0; i < across; i += within ? std::max(1, across - 1) : 1) atBorder(i, j);
    }
    return out;
}

} // namespace

SmoothSky::SmoothSky(const BackgroundMesh& mesh)
    : m_cell(mesh.cell)
    , m_across(mesh.across)
    , m_down(mesh.down) {
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
    // The last row and column are cut or stretched, so their middles lie off the even spacing: what would stand there, on the line from the cell before.
    const auto at = [&](int i, int j) -> double& { return m_level[static_cast<std::size_t>(j * m_across + i)]; };
    const auto evened = [&](int size, int cells) { return m_cell / (0.5 * m_cell + 0.5 * (size - (cells - 1) * m_cell)); };
    if (m_across > 1 && mesh.width > 0)
        for (int j = 0; j < m_down; ++j) at(m_across - 1, j) = at(m_across - 2, j) + (at(m_across - 1, j) - at(m_across - 2, j)) * evened(mesh.width, m_across);
    if (m_down > 1 && mesh.height > 0)
        for (int i = 0; i < m_across; ++i) at(i, m_down - 1) = at(i, m_down - 2) + (at(i, m_down - 1) - at(i, m_down - 2)) * evened(mesh.height, m_down);
}

double SmoothSky::interpolate(const std::vector<double>& map, double x, double y) const {
    // Beyond the outermost centres the lines go on.
    const double fx = (x + 0.5) / m_cell - 0.5, fy = (y + 0.5) / m_cell - 0.5;
    const int i = std::clamp(static_cast<int>(fx), 0, std::max(0, m_across - 2)), j = std::clamp(static_cast<int>(fy), 0, std::max(0, m_down - 2));
    const int i1 = std::min(i + 1, m_across - 1), j1 = std::min(j + 1, m_down - 1);
    const double tx = fx - i, ty = fy - j;
    const auto v = [&](int a, int b) { return map[static_cast<std::size_t>(b * m_across + a)]; };
    return (1 - ty) * ((1 - tx) * v(i, j) + tx * v(i1, j)) + ty * ((1 - tx) * v(i, j1) + tx * v(i1, j1));
}

void SmoothSky::pieces(int y, double sigmas, int from, int end, std::vector<rows::Piece>& to) const {
    // Straight lines between the middles of the cells, as `interpolate` has them.
    const double fy = (y + 0.5) / m_cell - 0.5;
    const int j = std::clamp(static_cast<int>(fy), 0, std::max(0, m_down - 2)), j1 = std::min(j + 1, m_down - 1);
    const double ty = fy - j;
    const int first = std::clamp((from - m_cell / 2) / m_cell, 0, std::max(0, m_across - 2));
    const int nodes = std::min(m_across - first, (end - from) / m_cell + 3); // as many middles as there may be ends of lines
    thread_local std::vector<double> level;
    level.resize(static_cast<std::size_t>(nodes));
    const auto rowOf = [&](const std::vector<double>& map, int row) { return map.data() + static_cast<std::ptrdiff_t>(row) * m_across + first; };
    const double *levelA = rowOf(m_level, j), *levelB = rowOf(m_level, j1), *sigmaA = rowOf(m_sigma, j), *sigmaB = rowOf(m_sigma, j1);
    double* const node = level.data();
    for (int i = 0; i < nodes; ++i) node[i] = (1 - ty) * (levelA[i] + sigmas * sigmaA[i]) + ty * (levelB[i] + sigmas * sigmaB[i]);
    if (m_across == 1) {
        to.assign(1, {from, end - from, {static_cast<float>(node[0]), 0}});
        return;
    }
    to.resize(static_cast<std::size_t>(nodes));
    rows::Piece* const out = to.data();
    const auto straight = [&](int i, int x, int next) { // the line from middle i on
        const double left = node[i - first], slope = (node[i - first + 1] - left) / m_cell, middle = (i + 0.5) * m_cell - 0.5;
        return rows::Piece{x, next - x, {static_cast<float>(left + slope * (x - middle)), static_cast<float>(slope)}};
    };
    const auto begin = [&](int i) { return i * m_cell + m_cell / 2; }; // of all but the first and the last, which go on to the borders
    const int last = std::min(m_across - 2, std::max(first, (end - 1 - m_cell / 2) / m_cell));
    out[0] = straight(first, from, last == first ? end : begin(first + 1));
    const double offset = begin(0) - (0.5 * m_cell - 0.5); // from each one's own middle to where it begins
    for (int i = first + 1; i < last; ++i) {
        const double left = node[i - first], slope = (node[i - first + 1] - left) / m_cell;
        out[i - first] = {begin(i), m_cell, {static_cast<float>(left + slope * offset), static_cast<float>(slope)}};
    }
    if (last > first) out[last - first] = straight(last, begin(last), end);
    to.resize(static_cast<std::size_t>(last - first) + 1);
}

int SmoothSky::lastOfPiece(int y) const {
    if (m_down < 3) return std::numeric_limits<int>::max();
    // A piece ends below the middle of a cell, which lies between two rows where cells are even.
    const int j = std::clamp(static_cast<int>((y + 0.5) / m_cell - 0.5), 0, m_down - 2);
    return j + 2 == m_down ? std::numeric_limits<int>::max() : (j + 1) * m_cell + (m_cell + 1) / 2 - 1;
}

void SmoothSky::row(int y, double sigmas, int from, int end, float* to) const {
    thread_local std::vector<rows::Piece> straight;
    pieces(y, sigmas, from, end, straight);
    for (const rows::Piece& p : straight)
        for (int i = 0; i < p.n; ++i) to[p.x - from + i] = p.ramp.at(i); // too short to be worth a call
}

SkyLevel sampledSky(const Plane& plane) {
    const BackgroundMesh mesh = sampleMesh(plane, defaultCell(plane));
    std::vector<double> levels;
    for (const MeshCell& c : mesh.cells)
        if (c.used) levels.push_back(c.level);
    return {levels.empty() ? 0 : median(std::span<double>(levels)), SmoothSky(mesh).typicalSigma()};
}

} // namespace caelumen

#include "core/stars/first_look.h"

#include "core/base/pixel_rows.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <limits>
#include <tuple>

namespace caelumen {
namespace {

constexpr int kRows = BlockMaxima::kRows;

int blocksOf(const Plane& plane) {
    return (plane.height() + kRows - 1) / kRows;
}

/// Finds bright runs of one row after the other.
class BrightRows {
public:
    BrightRows(const Plane& plane, const SmoothSky& sky, double threshold)
        : m_plane(plane)
        , m_sky(sky)
        , m_threshold(threshold)
        , m_bright(static_cast<std::size_t>(plane.width())) {}

    void take(int y, std::vector<BrightRun>& to) {
        const int w = m_plane.width();
        const float *above = m_plane.row(std::max(0, y - 1)), *row = m_plane.row(y), *below = m_plane.row(std::min(m_plane.height() - 1, y + 1));
        m_sky.pieces(y, m_threshold, 0, w, m_limits);
        int n = 0;
        for (const SmoothSky::Piece& p : m_limits) n += rows::smoothReaching(above, row, below, w, p.x, p.n, p.ramp, m_bright.data() + n);
        for (int i = 0; i < n;) {
            const int first = i, x = m_bright[static_cast<std::size_t>(i)];
            while (i < n && m_bright[static_cast<std::size_t>(i)] == x + i - first) ++i;
            to.push_back({y, x, x + i - first});
        }
    }

private:
    const Plane& m_plane;
    const SmoothSky& m_sky;
    double m_threshold;
    std::vector<SmoothSky::Piece> m_limits;
    std::vector<int> m_bright;
};

/// Finds defects of one row after the other, and the highest of what is none.
class DefectRows {
public:
    DefectRows(const Plane& plane, const SmoothSky& sky)
        : m_plane(plane)
        , m_sky(sky)
        , m_far(static_cast<std::size_t>(plane.width())) {}

    void take(int y, std::vector<std::size_t>& to) {
        constexpr double kLimit = 8; // sigmas
        constexpr int kSame = 8;     // rows, in which the sky changes by far less than that
        static_assert(kRows % kSame == 0);
        const int w = m_plane.width(), h = m_plane.height();
        if (y % kSame == 0) {
            m_sky.pieces(y + kSame / 2, -kLimit, 0, w, m_low);
            m_sky.pieces(y + kSame / 2, kLimit, 0, w, m_high);
            m_ends.resize(m_low.size());
        }
        const float* row = m_plane.row(y);
        int all = 0;
        for (std::size_t p = 0; p < m_low.size(); ++p) {
            m_ends[p] = all += rows::outside(row + m_low[p].x, m_low[p].ramp, m_high[p].ramp, m_low[p].n, m_far.data() + all);
            for (int i = p == 0 ? 0 : m_ends[p - 1]; i < all && y + 1 < h; ++i)
                __builtin_prefetch(m_plane.row(y + 1) + m_low[p].x + m_far[static_cast<std::size_t>(i)]);
        }
        for (std::size_t p = 0; p < m_low.size(); ++p) {
            for (int i = p == 0 ? 0 : m_ends[p - 1]; i < m_ends[p]; ++i) {
                const int at = m_far[static_cast<std::size_t>(i)], x = m_low[p].x + at;
                const float least = m_low[p].ramp.at(at), most = m_high[p].ramp.at(at);
                const double level = 0.5 * (static_cast<double>(least) + static_cast<double>(most));
                if (row[x] < least || isHotPixel(m_plane, level, x, y))
                    to.push_back(static_cast<std::size_t>(y) * static_cast<std::size_t>(w) + static_cast<std::size_t>(x));
                else
                    m_top = std::max(m_top, row[x]);
            }
        }
    }
    float top() const { return m_top; }

private:
    const Plane& m_plane;
    const SmoothSky& m_sky;
    std::vector<SmoothSky::Piece> m_low, m_high; ///< the same pieces of a row
    std::vector<int> m_far, m_ends;              ///< of the places in each piece
    float m_top = -std::numeric_limits<float>::infinity();
};

template<class T>
std::vector<T> joined(const std::vector<std::vector<T>>& parts) {
    std::vector<T> all;
    for (const auto& part : parts) all.insert(all.end(), part.begin(), part.end());
    return all;
}

/// The runs without what a defect is part of: a 3x3 mean is not known beside one.
std::vector<BrightRun> withoutNeighbours(const std::vector<BrightRun>& all, const std::vector<std::size_t>& defects, int width) {
    if (defects.empty()) return all;
    std::vector<BrightRun> cuts;
    cuts.reserve(3 * defects.size());
    for (const std::size_t at : defects) {
        const int x = static_cast<int>(at % static_cast<std::size_t>(width)), y = static_cast<int>(at / static_cast<std::size_t>(width));
        for (int row = y - 1; row <= y + 1; ++row) cuts.push_back({row, x - 1, x + 2});
    }
    std::ranges::sort(cuts, {}, [](const BrightRun& s) { return std::tuple(s.y, s.x0); });
    std::vector<BrightRun> out;
    out.reserve(all.size());
    auto cut = cuts.begin();
    for (const BrightRun& s : all) {
        while (cut != cuts.end() && (cut->y < s.y || (cut->y == s.y && cut->x1 <= s.x0))) ++cut;
        int x = s.x0;
        for (auto c = cut; c != cuts.end() && c->y == s.y && c->x0 < s.x1; ++c) {
            if (x < c->x0) out.push_back({s.y, x, c->x0});
            x = std::max(x, c->x1);
        }
        if (x < s.x1) out.push_back({s.y, x, s.x1});
    }
    return out;
}

} // namespace

std::vector<BrightRun> brightRuns(const Plane& plane, const SmoothSky& sky, double threshold) {
    if (!(sky.typicalSigma() > 0)) return {};
    std::vector<std::vector<BrightRun>> parts(static_cast<std::size_t>(blocksOf(plane)));
    tbb::parallel_for(0, blocksOf(plane), [&](int block) {
        BrightRows bright(plane, sky, threshold);
        for (int y = block * kRows; y < std::min(plane.height(), (block + 1) * kRows); ++y) bright.take(y, parts[static_cast<std::size_t>(block)]);
    });
    return joined(parts);
}

FirstLook lookOver(Plane& plane, const SmoothSky& sky, double threshold) {
    if (!(sky.typicalSigma() > 0)) return {};
    FirstLook out;
    const auto blocks = static_cast<std::size_t>(blocksOf(plane));
    out.maxima.ofBlock.resize(blocks);
    std::vector<std::vector<std::size_t>> places(blocks);
    std::vector<std::vector<BrightRun>> bright(blocks);
    tbb::parallel_for(std::size_t{0}, blocks, [&](std::size_t block) {
        DefectRows defects(plane, sky);
        BrightRows runs(plane, sky, threshold);
        const int top = static_cast<int>(block) * kRows;
        for (int y = top; y < std::min(plane.height(), top + kRows); ++y) {
            defects.take(y, places[block]);
            runs.take(y, bright[block]);
        }
        out.maxima.ofBlock[block] = defects.top();
    });
    out.defects.places = joined(places);
    out.bright = withoutNeighbours(joined(bright), out.defects.places, plane.width());
    markDefects(plane, out.defects); // only now, so that neighbours were judged by what was there
    return out;
}

} // namespace caelumen

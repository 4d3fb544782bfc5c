#include "core/stars/first_look.h"

#include "core/base/star_rows.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <bit>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <limits>
#include <tuple>

namespace caelumen {
namespace {

constexpr int kRows = BlockMaxima::kRows;

int blocksOf(const Plane& plane) {
    return (plane.height() + kRows - 1) / kRows;
}

constexpr int kSame = 8; ///< rows, in which the sky changes by little
static_assert(kRows % kSame == 0);

/// Calls take(block, lower, upper) for each block of a row that a piece has a part in, with the ends of what it comes to there.
template<class Take>
void inBlocks(const rows::Piece& p, Take take) {
    for (int x = p.x, end = p.x + p.n; x < end;) {
        const int block = x / rows::kLook, next = std::min(end, (block + 1) * rows::kLook);
        const auto [lower, upper] = std::minmax({p.ramp.at(x - p.x), p.ramp.at(next - 1 - p.x)});
        take(static_cast<std::size_t>(block), lower, upper);
        x = next;
    }
}

/// Looks at one row after the other: first at whole blocks, then at the pixels of those where there may be something.
class RowsPassing {
public:
    RowsPassing(const Plane& plane, const SmoothSky& sky, double threshold)
        : m_plane(plane)
        , m_sky(sky)
        , m_threshold(threshold)
        , m_bright(blocks())
        , m_low(blocks())
        , m_high(blocks())
        , m_found(blocks() + sizeof(std::uint64_t))
        , m_places(static_cast<std::size_t>(plane.width())) {}

    /// Of some `kSame` rows after the other the first one must come first.
    void goTo(int y) {
        if (y % kSame == 0) makeLimits(y, std::min(m_plane.height(), y + kSame));
        m_y = y;
        m_above = m_plane.row(std::max(0, y - 1)), m_row = m_plane.row(y), m_below = m_plane.row(std::min(m_plane.height() - 1, y + 1));
        rows::look(m_above, m_row, m_below, m_plane.width(), {m_bright.data(), m_low.data(), m_high.data()}, m_found.data());
    }

    void takeBright(std::vector<BrightRun>& to) {
        int n = 0;
        m_sky.pieces(m_y, m_threshold, 0, m_plane.width(), m_pieces);
        auto p = m_pieces.begin();
        forAll(rows::kBright, [&](int from, int end) {
            while (p->x + p->n <= from) ++p;
            for (;; ++p) {
                n += rows::smoothReaching(m_above, m_row, m_below, m_plane.width(), *p, std::max(from, p->x), std::min(end, p->x + p->n), m_places.data() + n);
                if (p->x + p->n >= end) break;
            }
        });
        for (int i = 0; i < n;) {
            const int first = i, x = m_places[static_cast<std::size_t>(i)];
            while (i < n && m_places[static_cast<std::size_t>(i)] == x + i - first) ++i;
            to.push_back({m_y, x, x + i - first});
        }
    }

    /// Defects, and the highest of what is none.
    void takeDefects(std::vector<std::size_t>& to, float& top) {
        auto low = m_lowest.begin(), high = m_highest.begin();
        forAll(rows::kFar, [&](int from, int end) {
            while (low->x + low->n <= from) ++low, ++high;
            for (;; ++low, ++high) {
                const int n = rows::outside(m_row, *low, *high, std::max(from, low->x), std::min(end, low->x + low->n), m_places.data());
                for (int i = 0; i < n; ++i) {
                    const int x = m_places[static_cast<std::size_t>(i)];
                    const float least = low->ramp.at(x - low->x), most = high->ramp.at(x - low->x);
                    const double level = 0.5 * (static_cast<double>(least) + static_cast<double>(most));
                    if (m_row[x] < least || isHotPixel(m_plane, level, x, m_y))
                        to.push_back(static_cast<std::size_t>(m_y) * static_cast<std::size_t>(m_plane.width()) + static_cast<std::size_t>(x));
                    else
                        top = std::max(top, m_row[x]);
                }
                if (low->x + low->n >= end) break;
            }
        });
    }

private:
    std::size_t blocks() const { return static_cast<std::size_t>(rows::blocksOf(m_plane.width())); }

    void makeLimits(int top, int bottom) {
        constexpr double kFarOff = 8; // sigmas
        constexpr float kInfinite = std::numeric_limits<float>::infinity();
        // Between these rows the sky goes straight on, but for the last digits.
        std::vector<int> ends{top, bottom - 1};
        if (const int last = m_sky.lastOfPiece(top); last < bottom - 1) ends.insert(ends.end(), {last, last + 1});
        std::ranges::fill(m_bright, kInfinite);
        for (const int y : ends) {
            m_sky.pieces(y, m_threshold, 0, m_plane.width(), m_pieces);
            for (const rows::Piece& p : m_pieces) {
                const float digits = 1e-5F * std::max(std::abs(p.ramp.at(0)), std::abs(p.ramp.at(p.n)));
                inBlocks(p, [&](std::size_t block, float lower, float) { m_bright[block] = std::min(m_bright[block], lower - digits); });
            }
        }
        m_sky.pieces(top + kSame / 2, -kFarOff, 0, m_plane.width(), m_lowest);
        m_sky.pieces(top + kSame / 2, kFarOff, 0, m_plane.width(), m_highest);
        std::ranges::fill(m_low, -kInfinite);
        std::ranges::fill(m_high, kInfinite);
        for (const rows::Piece& p : m_lowest) inBlocks(p, [&](std::size_t block, float, float upper) { m_low[block] = std::max(m_low[block], upper); });
        for (const rows::Piece& p : m_highest) inBlocks(p, [&](std::size_t block, float lower, float) { m_high[block] = std::min(m_high[block], lower); });
    }

    /// Calls take(from, end) for the pixels of blocks side by side in which that was found.
    template<class Take>
    void forAll(std::uint8_t what, Take take) {
        static_assert(std::endian::native == std::endian::little);
        const std::uint64_t each = what * std::uint64_t{0x0101010101010101};
        for (std::size_t block = 0; block < blocks();) { // eight at a time, nearly all of which hold nothing
            std::uint64_t eight;
            std::memcpy(&eight, m_found.data() + block, sizeof eight);
            const int before = std::countr_zero(eight & each) / 8;
            block += static_cast<std::size_t>(before);
            if (before == 8) continue;
            const std::size_t first = block;
            while (block < blocks() && m_found[block] & what) ++block;
            take(static_cast<int>(first) * rows::kLook, std::min(m_plane.width(), static_cast<int>(block) * rows::kLook));
        }
    }

    const Plane& m_plane;
    const SmoothSky& m_sky;
    double m_threshold;
    std::vector<float> m_bright, m_low, m_high;             ///< limits of blocks
    std::vector<rows::Piece> m_pieces, m_lowest, m_highest; ///< the last two: the same pieces of a row
    std::vector<std::uint8_t> m_found; ///< in each block; after the last one some that hold nothing
    std::vector<int> m_places;
    int m_y = 0;
    const float *m_above = nullptr, *m_row = nullptr, *m_below = nullptr;
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
        RowsPassing passing(plane, sky, threshold);
        for (int y = block * kRows; y < std::min(plane.height(), (block + 1) * kRows); ++y) {
            passing.goTo(y);
            passing.takeBright(parts[static_cast<std::size_t>(block)]);
        }
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
        RowsPassing passing(plane, sky, threshold);
        float highest = -std::numeric_limits<float>::infinity();
        const int top = static_cast<int>(block) * kRows;
        for (int y = top; y < std::min(plane.height(), top + kRows); ++y) {
            passing.goTo(y);
            passing.takeDefects(places[block], highest);
            passing.takeBright(bright[block]);
        }
        out.maxima.ofBlock[block] = highest;
    });
    out.defects.places = joined(places);
    out.bright = withoutNeighbours(joined(bright), out.defects.places, plane.width());
    markDefects(plane, out.defects); // only now, so that neighbours were judged by what was there
    return out;
}

} // namespace caelumen

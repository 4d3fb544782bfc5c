#include "core/stars/first_look.h"

#include "core/base/fetch_ahead.h"
#include "core/base/star_rows.h"
#include "core/base/wide.h"

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

/// The most that a row's part (1 2 1)/4 of a 3x3 mean comes to in each stretch: at its ends a neighbour has a share.
CAELUMEN_FAST void mostAcross(const float* highs, int n, float* out) {
    const auto at = [&](int i, float before, float after) __attribute__((always_inline)) {
        const float own = highs[i], beside = 0.75F * own + 0.25F * (before > after ? before : after);
        return beside > own ? beside : own;
    };
    for (int i = 1; i < n - 1; ++i) out[i] = at(i, highs[i - 1], highs[i + 1]);
    out[0] = at(0, highs[0], highs[std::min(1, n - 1)]);
    out[n - 1] = at(n - 1, highs[std::max(0, n - 2)], highs[n - 1]);
}

/// What each stretch of a row must have for a look to be worth it.
struct StretchLimits {
    std::vector<float> bright, low, high;
};

CAELUMEN_FAST void findWorth(const float* above, const float* here, const float* below, const float* lows, const float* highs, const StretchLimits& limits,
                             std::uint8_t* worth) {
    const auto n = static_cast<int>(limits.bright.size());
    const float *const bright = limits.bright.data(), *const low = limits.low.data(), *const high = limits.high.data();
    for (int i = 0; i < n; ++i) {
        constexpr float kDigits = 1e-6F; // the last of sums
        const float most = 0.25F * above[i] + 0.5F * here[i] + 0.25F * below[i];
        const float digits = kDigits * (std::abs(above[i]) + std::abs(here[i]) + std::abs(below[i]));
        worth[i] = (most + digits >= bright[i]) | (highs[i] > high[i]) | (lows[i] < low[i]);
    }
}

/// Looks at one row after the other: first at whole blocks, or only at those in whose stretches there may be something, where the extremes of these are known;
/// then at the pixels of blocks where there may be something.
class RowsPassing {
public:
    RowsPassing(const Plane& plane, const SmoothSky& sky, double threshold, const RowExtremes& known)
        : m_plane(plane)
        , m_sky(sky)
        , m_threshold(threshold)
        , m_known(known)
        , m_bright(blocks())
        , m_low(blocks())
        , m_high(blocks())
        , m_found(blocks() + sizeof(std::uint64_t))
        , m_stretches(static_cast<std::size_t>(known.stretches()))
        , m_limits{std::vector<float>(m_stretches), std::vector<float>(m_stretches), std::vector<float>(m_stretches)}
        , m_worth(m_stretches * kSame)
        , m_most(m_stretches * (kSame + 2))
        , m_places(static_cast<std::size_t>(plane.width())) {}

    /// Of some `kSame` rows after the other the first one must come first.
    void goTo(int y) {
        if (const int bottom = std::min(m_plane.height(), y + kSame); y % kSame == 0) {
            makeLimits(y, bottom);
            if (m_stretches > 0) findStretches(y, bottom);
        }
        m_y = y;
        m_above = m_plane.row(std::max(0, y - 1)), m_row = m_plane.row(y), m_below = m_plane.row(std::min(m_plane.height() - 1, y + 1));
        if (m_stretches == 0) return look(0, static_cast<int>(blocks()));
        std::ranges::fill(m_found, std::uint8_t{0});
        if (y % kSame + kAhead < kSame && y + kAhead < m_plane.height()) fetchStretches(y + kAhead);
        forStretches(y, [&](int first, int end) { look(first * kBlocks, std::min(end * kBlocks, static_cast<int>(blocks()))); });
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

    void look(int from, int end) {
        rows::look(m_above, m_row, m_below, m_plane.width(), from, end, {m_bright.data(), m_low.data(), m_high.data()}, m_found.data());
    }

    /// Which stretches of these rows are worth a look, and asks for their pixels.
    void findStretches(int top, int bottom) {
        const auto n = static_cast<int>(m_stretches);
        for (std::size_t i = 0; i < m_stretches; ++i) {
            const std::size_t first = i * kBlocks, second = std::min(first + 1, blocks() - 1);
            static_assert(kBlocks == 2);
            m_limits.bright[i] = std::min(m_bright[first], m_bright[second]);
            m_limits.low[i] = std::max(m_low[first], m_low[second]);
            m_limits.high[i] = std::min(m_high[first], m_high[second]);
        }
        const auto most = [&](int y) { return m_most.data() + static_cast<std::ptrdiff_t>(y - top + 1) * n; };
        for (int y = top - 1; y <= bottom; ++y) mostAcross(m_known.highs(std::clamp(y, 0, m_plane.height() - 1)), n, most(y));
        for (int y = top; y < bottom; ++y) findWorth(most(y - 1), most(y), most(y + 1), m_known.lows(y), m_known.highs(y), m_limits, worth(y));
        for (int y = top; y < std::min(bottom, top + kAhead); ++y) fetchStretches(y);
    }
    static constexpr int kAhead = 2; ///< rows
    __attribute__((always_inline)) void fetchStretches(int y) {
        forStretches(
            y, [&](int first, int end) __attribute__((always_inline)) {
                const int row = std::min(m_plane.height() - 1, y + 1); // as a rule those above were looked at
                fetchRow(m_plane.row(row), first * rows::kStretch, std::min(m_plane.width(), end * rows::kStretch));
                fetchRow(m_plane.row(y), first * rows::kStretch, std::min(m_plane.width(), end * rows::kStretch));
            });
    }
    std::uint8_t* worth(int y) { return m_worth.data() + static_cast<std::size_t>(y % kSame) * m_stretches; }

    /// Calls take(first, end) for those side by side that are worth a look.
    template<class Take>
    __attribute__((always_inline)) void forStretches(int y, Take take) {
        const std::uint8_t* const is = worth(y);
        const auto n = static_cast<int>(m_stretches);
        for (int i = 0; i < n; ++i) {
            if (!is[i]) continue;
            const int first = i;
            while (i < n && is[i]) ++i;
            take(first, i);
        }
    }

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
    const RowExtremes& m_known;
    std::vector<float> m_bright, m_low, m_high;             ///< limits of blocks
    std::vector<rows::Piece> m_pieces, m_lowest, m_highest; ///< the last two: the same pieces of a row
    std::vector<std::uint8_t> m_found;                      ///< in each block; after the last one some that hold nothing
    static constexpr int kBlocks = rows::kStretch / rows::kLook;
    std::size_t m_stretches; ///< of a row whose extremes are known
    StretchLimits m_limits;
    std::vector<std::uint8_t> m_worth; ///< of kSame rows
    std::vector<float> m_most;         ///< of these, of the one above and the one below
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
    const RowExtremes none;
    tbb::parallel_for(0, blocksOf(plane), [&](int block) {
        RowsPassing passing(plane, sky, threshold, none);
        for (int y = block * kRows; y < std::min(plane.height(), (block + 1) * kRows); ++y) {
            passing.goTo(y);
            passing.takeBright(parts[static_cast<std::size_t>(block)]);
        }
    });
    return joined(parts);
}

FirstLook lookOver(Plane& plane, const SmoothSky& sky, double threshold, const RowExtremes& known) {
    if (!(sky.typicalSigma() > 0)) return {};
    FirstLook out;
    const auto blocks = static_cast<std::size_t>(blocksOf(plane));
    out.maxima.ofBlock.resize(blocks);
    std::vector<std::vector<std::size_t>> places(blocks);
    std::vector<std::vector<BrightRun>> bright(blocks);
    tbb::parallel_for(std::size_t{0}, blocks, [&](std::size_t block) {
        RowsPassing passing(plane, sky, threshold, known);
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

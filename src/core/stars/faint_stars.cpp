#include "core/stars/faint_stars.h"

#include "core/base/fetch_ahead.h"
#include "core/base/shared_pieces.h"
#include "core/base/star_rows.h"
#include "core/base/statistics.h"
#include "core/stars/defects.h"
#include "core/stars/psf.h"
#include "core/stars/star_grid.h"

#include <tbb/parallel_for.h>
#include <tbb/parallel_sort.h>
#include <tbb/task_arena.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <memory>
#include <new>
#include <optional>
#include <tuple>

namespace caelumen {
namespace {

struct Offset {
    int x, y;
};

/// The filter, and the ring around a place that its light is held against.
struct StarFilter {
    explicit StarFilter(const Psf* psf) {
        fwhm = psf ? psf->fwhm : 3.0;
        const double s = fwhm / kSigmaToFwhm;
        half = std::clamp(static_cast<int>(std::ceil(1.25 * fwhm)), 2, rows::kMostHalf);
        double sum = 0;
        for (int i = 0; i <= half; ++i) taps.push_back(static_cast<float>(std::exp(-0.5 * i * i / (s * s))));
        for (int i = -half; i <= half; ++i) sum += static_cast<double>(taps[static_cast<std::size_t>(std::abs(i))]);
        for (float& t : taps) t = static_cast<float>(static_cast<double>(t) / sum);
        for (int i = -half; i <= half; ++i) across.push_back(tap(i));
        const int straight = std::max(2, static_cast<int>(std::lround(1.6 * fwhm))), slant = std::max(2, static_cast<int>(std::lround(1.6 * fwhm * M_SQRT1_2)));
        ring = {{{straight, 0}, {0, straight}, {slant, slant}, {slant, -slant}, {-straight, 0}, {0, -straight}, {-slant, -slant}, {-slant, slant}}};
        reach = straight;
        const auto caught = [&](double dx, double dy) { // of a star of flux 1 whose centre lies there
            double light = 0;
            for (int y = -half; y <= half; ++y)
                for (int x = -half; x <= half; ++x)
                    light += tap(x) * tap(y) *
                             (psf ? psf->light(x - dx, y - dy) : std::exp(-0.5 * ((x - dx) * (x - dx) + (y - dy) * (y - dy)) / (s * s)) / (2 * M_PI * s * s));
            return light;
        };
        middle = caught(0, 0);
        for (const Offset& o : ring) aside += caught(o.x, o.y) / static_cast<double>(ring.size());
    }
    double tap(int i) const { return static_cast<double>(taps[static_cast<std::size_t>(std::abs(i))]); }

    double fwhm = 3;
    int half = 4, reach = 5;
    std::vector<float> taps;    ///< from the middle outwards
    std::vector<double> across; ///< the same from one end to the other
    std::array<Offset, 8> ring;
    double middle = 1, aside = 0; ///< light of a star of flux 1 at its centre, and on the ring
};

/// Mean of the middle four of eight numbers; sorted without branches (Knuth, The Art of Computer Programming 3, 5.3.4: 19 comparisons).
double middleHalf(std::array<double, 8> v) {
    const auto order = [&](std::size_t a, std::size_t b) {
        const double low = std::min(v[a], v[b]), high = std::max(v[a], v[b]);
        v[a] = low, v[b] = high;
    };
    order(0, 1), order(2, 3), order(4, 5), order(6, 7);
    order(0, 2), order(1, 3), order(4, 6), order(5, 7);
    order(1, 2), order(5, 6), order(0, 4), order(3, 7);
    order(1, 5), order(2, 6);
    order(1, 4), order(3, 6);
    order(2, 4), order(3, 5);
    order(3, 4);
    return 0.25 * (v[2] + v[3] + v[4] + v[5]);
}

/// What the filtered frame less its ring comes to at places strewn over it, in sigmas of single pixels.
struct Sample {
    Point at;
    double value = 0;
};

std::vector<Sample> filteredSamples(const Plane& plane, const SmoothSky& sky, const StarFilter& f) {
    const int margin = f.half + f.reach, w = plane.width(), h = plane.height();
    const int across = w - 2 * margin, down = h - 2 * margin;
    if (across < 1 || down < 1) return {};
    const double wanted = std::clamp(2e6 / (9.0 * (2 * f.half + 1) * (2 * f.half + 1)), 3000.0, 6000.0);
    std::vector<Sample> out(static_cast<std::size_t>(std::min(wanted, static_cast<double>(across) * down)));
    const auto placeOf = [&](std::size_t n) {
        Random random(0x5ca7 + n);
        const int x = margin + static_cast<int>(random.index(static_cast<std::size_t>(across)));
        return Offset{x, margin + static_cast<int>(random.index(static_cast<std::size_t>(down)))};
    };
    tbb::parallel_for(std::size_t{0}, out.size(), [&](std::size_t n) {
        const auto [cx, cy] = placeOf(n);
        const auto [nextX, nextY] = placeOf(n + 1);
        fetchAround(plane.data(), w, h, {static_cast<double>(nextX), static_cast<double>(nextY)}, margin);
        const double level = sky.level(cx, cy);
        const auto filtered = [&](int x, int y) { return rows::filtered(plane.row(y) + x, w, f.across.data(), f.half) - level; };
        std::array<double, 8> around;
        for (std::size_t i = 0; i < 8; ++i) around[i] = filtered(cx + f.ring[i].x, cy + f.ring[i].y);
        const bool known = std::ranges::all_of(around, [](double v) { return std::isfinite(v); }); // no order among what is no number
        out[n] = {{static_cast<double>(cx), static_cast<double>(cy)},
                  known ? (filtered(cx, cy) - middleHalf(around)) / sky.sigma(cx, cy) : std::numeric_limits<double>::quiet_NaN()};
    });
    std::erase_if(out, [](const Sample& s) { return !std::isfinite(s.value); });
    return out;
}

/// Scatter of the samples that lie farther than `clear` from any of these places, of all where too few do: from the values below the median, since stars that
/// nobody finds are all above it.
double scatterOf(const std::vector<Sample>& samples, const std::vector<Point>& stars, double clear) {
    const StarGrid grid(stars, clear);
    std::vector<char> alone(samples.size());
    tbb::parallel_for(std::size_t{0}, samples.size(), [&](std::size_t i) { alone[i] = grid.nearest(samples[i].at, clear) < 0; });
    std::vector<double> values;
    for (std::size_t i = 0; i < samples.size(); ++i)
        if (alone[i]) values.push_back(samples[i].value);
    if (values.size() < 400) {
        values.clear();
        for (const Sample& s : samples) values.push_back(s.value);
    }
    if (values.size() < 100) return 0;
    const double centre = quantile(std::span<double>(values), 0.5);
    return centre - quantile(std::span<double>(values), 0.1587);
}

constexpr int kSame = 16; ///< rows whose limit is the same

/// Rows, of which the last so many are kept: written before they are read, and each begins where a line of the cache does, so that wide loads do not cross two.
class RowRing {
public:
    static constexpr int kLine = 16; ///< floats
    RowRing(int rows, int width)
        : m_rows(rows)
        , m_stride(static_cast<std::size_t>((width + kLine - 1) / kLine * kLine))
        , m_values(static_cast<float*>(::operator new(static_cast<std::size_t>(rows) * m_stride * sizeof(float), kAligned))) {}
    int rows() const { return m_rows; }
    std::size_t slot(int y) const { return static_cast<std::size_t>((y % m_rows + m_rows) % m_rows); }
    float* row(int y) const { return m_values.get() + slot(y) * m_stride; }

private:
    static constexpr std::align_val_t kAligned{kLine * sizeof(float)};
    struct Free {
        void operator()(float* values) const { ::operator delete(values, kAligned); }
    };
    int m_rows;
    std::size_t m_stride;
    std::unique_ptr<float, Free> m_values;
};

/// The frame through the filter, row by row: those around one row at a time; and the limit that light is held against there.
class FilteredRows {
public:
    /// From row `top` on, which is one of every kSame. `limit`: in sigmas of single pixels.
    FilteredRows(const Plane& plane, const SmoothSky& sky, const StarFilter& f, int top, double limit)
        : m_plane(plane)
        , m_sky(sky)
        , m_filter(f)
        , m_width(plane.width())
        , m_top(top)
        , m_nextLine(top - f.reach - f.half)
        , m_nextRow(top - f.reach)
        , m_sigmas(limit)
        , m_ownLine(1, m_width + 2 * kBeside)
        , m_level(static_cast<std::size_t>(m_width))
        , m_across(2 * f.half + kTogether, m_width)
        , m_light(2 * f.reach + kTogether, m_width)
        , m_limit((m_light.rows() + kSame - 1) / kSame + 2, m_width)
        , m_blocks(rows::blocksOf(m_width))
        , m_reaches(static_cast<std::size_t>(m_light.rows()) * static_cast<std::size_t>(m_blocks))
        , m_window(static_cast<std::size_t>(m_across.rows()))
        , m_held(static_cast<std::size_t>(2 * f.reach + 1)) {
        std::fill_n(m_ownLine.row(0), m_width + 2 * kBeside, 0.0F);
    }

    /// Those within the filter's reach of `y` can be had now; `y` only grows.
    void goTo(int y) {
        m_first = y - m_filter.reach;
        for (; m_nextRow <= y + m_filter.reach; m_nextRow += kTogether) {
            for (; m_nextLine < m_nextRow + kTogether + m_filter.half; ++m_nextLine) takeLine();
            for (int k = 0; k < m_across.rows(); ++k) m_window[static_cast<std::size_t>(k)] = m_across.row(m_nextRow - m_filter.half + k);
            std::array<float*, kTogether> to;
            std::array<const float*, kTogether> limits;
            std::array<std::uint8_t*, kTogether> reaches;
            for (std::size_t k = 0; k < kTogether; ++k) {
                const int row = m_nextRow + static_cast<int>(k);
                makeLimit(row);
                to[k] = m_light.row(row), limits[k] = limit(row), reaches[k] = m_reaches.data() + m_light.slot(row) * static_cast<std::size_t>(m_blocks);
            }
            rows::blurDown(m_window.data(), m_width, m_filter.taps.data(), m_filter.half, to.data(), kTogether, {limits.data(), reaches.data()});
        }
        for (std::size_t k = 0; k < m_held.size(); ++k) m_held[k] = m_light.row(m_first + static_cast<int>(k));
    }
    const float* row(int y) const { return m_held[static_cast<std::size_t>(y - m_first)]; }
    float at(int x, int y) const { return x < 0 || x >= m_width ? 0.0F : row(y)[x]; }
    /// Of the light of row `y`; of the noise alone, which changes slowly: the rings are looked at later.
    const float* limit(int y) const { return m_limit.row(limitOf(y)); }
    const std::uint8_t* reaches(int y) const { return m_reaches.data() + m_light.slot(y) * static_cast<std::size_t>(m_blocks); }

private:
    static constexpr int kTogether = 4;                                                                      ///< rows made at a time
    static constexpr int kBeside = (rows::kMostHalf + RowRing::kLine - 1) / RowRing::kLine * RowRing::kLine; ///< before a line and after it

    /// Which limit a row has; those that only rings reach may have any.
    int limitOf(int y) const { return (std::clamp(y, m_top, m_plane.height() - 1) - m_top) / kSame; }
    void makeLimit(int y) {
        const int which = limitOf(y);
        if (which == m_madeLimit) return;
        m_madeLimit = which;
        float* const to = m_limit.row(which);
        const int middle = std::min(m_plane.height() - 1, m_top + which * kSame + kSame / 2);
        m_sky.row(middle, m_sigmas, 0, m_width, to);
        m_sky.row(middle, 0, 0, m_width, m_level.data());
        for (int x = 0; x < m_width; ++x) to[x] -= m_level[static_cast<std::size_t>(x)];
    }

    void takeLine() {
        float* const to = m_across.row(m_nextLine);
        if (m_nextLine < 0 || m_nextLine >= m_plane.height()) { // no light from beyond the frame
            std::fill(to, to + m_width, 0.0F);
            return;
        }
        float* const line = m_ownLine.row(0) + kBeside;
        m_sky.pieces(m_nextLine, 0, 0, m_width, m_pieces);
        rows::aboveRamps(m_plane.row(m_nextLine), m_pieces.data(), static_cast<int>(m_pieces.size()), line);
        rows::blurAcross(line, m_width, m_filter.taps.data(), m_filter.half, to, m_plane.row(std::min(m_nextLine + 1, m_plane.height() - 1)));
    }

    const Plane& m_plane;
    const SmoothSky& m_sky;
    const StarFilter& m_filter;
    int m_width, m_top, m_nextLine, m_nextRow;
    double m_sigmas;
    RowRing m_ownLine; ///< what stands above the sky in the next one
    std::vector<float> m_level;
    std::vector<rows::Piece> m_pieces;
    RowRing m_across, m_light, m_limit;
    int m_madeLimit = -1;
    int m_blocks;
    std::vector<std::uint8_t> m_reaches;
    std::vector<const float*> m_window, m_held;
    int m_first = 0;
};

/// What a place stands out of its ring by, and whether it is as narrow as a star: neither the rim of something larger nor a line. A neighbour on the ring is no
/// part of the sky: its middle half counts.
struct Stand {
    double above = 0;
    bool narrow = false;
};
Stand standOf(const FilteredRows& light, const StarFilter& f, int x, int y) {
    const double v = static_cast<double>(light.at(x, y));
    std::array<double, 8> ring;
    for (std::size_t i = 0; i < 8; ++i) ring[i] = static_cast<double>(light.at(x + f.ring[i].x, y + f.ring[i].y));
    int lines = 0; // of opposite places that are both bright
    for (std::size_t i = 0; i < 4; ++i) lines += 0.5 * (ring[i] + ring[i + 4]) > 0.65 * v && std::min(ring[i], ring[i + 4]) > 0.4 * v;
    const double level = middleHalf(ring);
    return {v - level, level < 0.4 * v && lines == 0};
}

Offset brightestNear(const Plane& plane, int x, int y) {
    Offset top{x, y};
    for (int j = std::max(0, y - 1); j <= std::min(plane.height() - 1, y + 1); ++j)
        for (int i = std::max(0, x - 1); i <= std::min(plane.width() - 1, x + 1); ++i)
            if (!(plane.at(i, j) <= plane.at(top.x, top.y)) && std::isfinite(plane.at(i, j))) top = {i, j};
    return top;
}

/// Top of a parabola through three values, from the middle one.
double vertex(double before, double here, double after) {
    const double bend = before - 2 * here + after;
    return bend < 0 ? std::clamp(0.5 * (before - after) / bend, -0.5, 0.5) : 0;
}

/// Places that stars found before already hold.
class Taken {
public:
    Taken(const std::vector<Star>& stars, double fwhm)
        : m_stars(stars)
        , m_fwhm(fwhm)
        , m_grid(places(stars), kGrid) {
        for (std::size_t i = 0; i < stars.size(); ++i)
            if (radius(stars[i]) > kGrid) m_large.push_back(i);
    }
    bool at(Point p) const {
        bool taken = false;
        const auto look = [&](std::size_t i) { taken = taken || length(m_stars[i].x - p.x, m_stars[i].y - p.y) < radius(m_stars[i]); };
        m_grid.around(p, look);
        if (!taken)
            for (const std::size_t i : m_large) look(i);
        return taken;
    }

private:
    static constexpr double kGrid = 16;
    double radius(const Star& s) const { return std::max(1.2 * m_fwhm, std::max(s.reach, std::sqrt(s.area / M_PI)) + 1); }
    static std::vector<Point> places(const std::vector<Star>& stars) {
        std::vector<Point> out;
        for (const Star& s : stars) out.push_back({s.x, s.y});
        return out;
    }
    const std::vector<Star>& m_stars;
    double m_fwhm;
    StarGrid m_grid;
    std::vector<std::size_t> m_large;
};

} // namespace

void addFaintStars(const Plane& plane, const SmoothSky& sky, const Psf* psf, std::vector<Star>& stars) {
    const StarFilter f(psf);
    const std::vector<Sample> samples = filteredSamples(plane, sky, f);
    std::vector<Point> places;
    for (const Star& s : stars) places.push_back({s.x, s.y});
    const double clear = 3 * f.fwhm, scatter = scatterOf(samples, places, clear);
    if (!(scatter > 0)) return;
    constexpr double kLookedAt = 0.7 * kFaintestStar; // before the noise is known from where no star is
    const int w = plane.width(), h = plane.height(), together = 4 * kSame, blocks = (h + together - 1) / together;
    const Taken taken(stars, f.fwhm);
    std::vector<std::vector<std::size_t>> known(static_cast<std::size_t>(blocks)); // stars by block
    const auto rowOf = [&](const Star& s) { return std::clamp(static_cast<int>(std::lround(s.y)), 0, h - 1); };
    for (std::size_t i = 0; i < stars.size(); ++i) known[static_cast<std::size_t>(rowOf(stars[i]) / together)].push_back(i);
    std::vector<std::vector<Star>> found(known.size());
    const double area = M_PI * std::pow(0.6 * f.fwhm, 2), rms = f.fwhm / kSigmaToFwhm;
    const auto lookAt = [&](int block, FilteredRows& light) {
        const int top = block * together, bottom = std::min(h, top + together);
        auto& here = known[static_cast<std::size_t>(block)];
        std::stable_sort(here.begin(), here.end(), [&](std::size_t a, std::size_t b) { return rowOf(stars[a]) < rowOf(stars[b]); });
        auto star = here.begin();
        const auto end = here.end();
        std::vector<int> peaks(static_cast<std::size_t>(w));
        for (int y = top; y < bottom; ++y) {
            light.goTo(y);
            for (; star != end && rowOf(stars[*star]) == y; ++star) {
                Star& s = stars[*star];
                const int x = std::clamp(static_cast<int>(std::lround(s.x)), 0, w - 1);
                s.snr = static_cast<double>(light.at(x, y)) / (scatter * sky.sigma(x, y));
            }
            const int n = rows::peaks(light.row(y - 1), light.row(y), light.row(y + 1), light.limit(y), light.reaches(y), w, peaks.data());
            for (int i = 0; i < n; ++i) {
                const int x = peaks[static_cast<std::size_t>(i)];
                const Stand stand = standOf(light, f, x, y);
                const double snr = stand.above / (scatter * sky.sigma(x, y));
                if (snr < kLookedAt || !stand.narrow) continue;
                const auto v = [&](int dx, int dy) { return static_cast<double>(light.at(x + dx, y + dy)); };
                Star s;
                s.x = x + vertex(v(-1, 0), v(0, 0), v(1, 0));
                s.y = y + vertex(v(0, -1), v(0, 0), v(0, 1));
                if (taken.at({s.x, s.y})) continue;
                const Offset peak = brightestNear(plane, x, y);
                if (isHotPixel(plane, sky.level(x, y), peak.x, peak.y)) continue;
                s.snr = snr;
                s.flux = stand.above / (f.middle - f.aside);
                s.level = sky.level(s.x, s.y);
                s.peak = s.flux * (psf ? psf->lightAt(0) : 1 / (2 * M_PI * rms * rms));
                s.area = static_cast<int>(std::lround(area));
                s.reach = 0.6 * f.fwhm;
                s.a = s.b = rms;
                s.faint = true;
                found[static_cast<std::size_t>(block)].push_back(s);
            }
        }
    };
    SharedPieces pieces(blocks);
    tbb::parallel_for(0, tbb::this_task_arena::max_concurrency(), [&](int) {
        std::optional<FilteredRows> light; // goes on from block to block: rows at the ends of what one worker does are filtered twice
        for (int last = -1, block = pieces.take(last); block >= 0; last = block, block = pieces.take(last)) {
            if (!light || block != last + 1) light.emplace(plane, sky, f, block * together, kLookedAt * scatter);
            lookAt(block, *light);
        }
    });
    for (const auto& part : found)
        for (const Star& s : part)
            if (s.snr > kCountedStar) places.push_back({s.x, s.y});
    const double quiet = scatterOf(samples, places, clear), closer = quiet > 0 ? scatter / quiet : 1;
    for (Star& s : stars) s.snr *= closer;
    for (const auto& part : found)
        for (Star s : part)
            if ((s.snr *= closer) >= kFaintestStar) stars.push_back(s);
    tbb::parallel_sort(stars.begin(), stars.end(), [](const Star& a, const Star& b) { return std::tie(b.flux, a.y, a.x) < std::tie(a.flux, b.y, b.x); });
}

} // namespace caelumen

#include "core/optics/chart.h"

#include "core/base/phrase.h"
#include "core/base/statistics.h"

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

double distance(const std::array<double, 3>& a, const std::array<double, 3>& b) {
    return std::sqrt(std::pow(a[0] - b[0], 2) + std::pow(a[1] - b[1], 2) + std::pow(a[2] - b[2], 2));
}

/// The commonest colour: what the chart is printed on.
std::array<double, 3> paperOf(const ChartPicture& picture) {
    std::array<std::size_t, 16 * 16 * 16> count{};
    std::array<std::array<double, 3>, 16 * 16 * 16> sum{};
    const std::size_t pixels = picture.rgb.size() / 3, step = 1 + pixels / 200'000;
    for (std::size_t i = 0; i < pixels; i += step) {
        const std::uint8_t* p = picture.rgb.data() + 3 * i;
        const std::size_t bin = (p[0] >> 4U) * 256U + (p[1] >> 4U) * 16U + (p[2] >> 4U);
        ++count[bin];
        for (std::size_t c = 0; c < 3; ++c) sum[bin][c] += p[c];
    }
    const auto most = static_cast<std::size_t>(std::max_element(count.begin(), count.end()) - count.begin());
    if (count[most] == 0) return {255, 255, 255};
    for (double& c : sum[most]) c /= static_cast<double>(count[most]);
    return sum[most];
}

/// How much of a place the line covers: 1 at its colour, 0 at `reach` from it and beyond, on the straight way to the paper.
class Ink {
public:
    Ink(const ChartPicture& picture, std::array<double, 3> colour, double reach)
        : m_picture(picture)
        , m_colour(colour)
        , m_reach(2 * reach) {}
    double at(ChartPoint p) const { return std::clamp(1 - distance(m_picture.at(p), m_colour) / m_reach, 0.0, 1.0); }

private:
    const ChartPicture& m_picture;
    std::array<double, 3> m_colour;
    double m_reach;
};

/// Where the line lies in one column of the straightened chart, in steps upwards.
struct Stretch {
    double low = 0, high = 0;
};

/// The stretch of ink that comes closest to `near` and to `height` steps around.
std::optional<Stretch> stretchIn(const std::vector<double>& ink, const Stretch& near, double reach) {
    std::optional<Stretch> best;
    double closest = reach;
    const auto crossing = [&](std::size_t i) { return static_cast<double>(i) + (0.5 - ink[i]) / (ink[i + 1] - ink[i]); };
    for (std::size_t i = 0; i + 1 < ink.size(); ++i) {
        if (ink[i] >= 0.5 || ink[i + 1] < 0.5) continue;
        std::size_t end = i + 1;
        while (end + 1 < ink.size() && ink[end + 1] >= 0.5) ++end;
        if (end + 1 >= ink.size()) break;
        const Stretch s{crossing(i), crossing(end)};
        const double away = std::max({0.0, s.low - near.high, near.low - s.high});
        if (away < closest || (away == closest && best && s.high - s.low > best->high - best->low)) {
            closest = away;
            best = s;
        }
        i = end - 1;
    }
    return best;
}

/// Rim `r` moved by a disc of radius `w`: sign +1 lowers an upper rim to the line's middle, -1 lifts a lower one.
std::vector<double> takenBack(const std::vector<double>& rim, double w, int sign) {
    std::vector<double> out(rim.size());
    const int reach = static_cast<int>(w);
    for (std::size_t i = 0; i < rim.size(); ++i) {
        double best = 1e300;
        for (int d = -reach; d <= reach; ++d) {
            const auto k = static_cast<long long>(i) + d;
            if (k < 0 || k >= static_cast<long long>(rim.size())) continue;
            best = std::min(best, sign * rim[static_cast<std::size_t>(k)] - std::sqrt(std::max(0.0, w * w - d * d)));
        }
        out[i] = sign * best;
    }
    return out;
}

double awayFromLine(ChartPoint p, ChartPoint a, ChartPoint b) {
    const double dx = b.x - a.x, dy = b.y - a.y, size = std::hypot(dx, dy);
    return size > 0 ? std::abs((p.x - a.x) * dy - (p.y - a.y) * dx) / size : std::hypot(p.x - a.x, p.y - a.y);
}

} // namespace

std::array<double, 3> ChartPicture::at(ChartPoint p) const {
    std::array<double, 3> out{};
    const double fx = std::floor(p.x), fy = std::floor(p.y);
    for (int dy = 0; dy < 2; ++dy) {
        for (int dx = 0; dx < 2; ++dx) {
            const double weight = (dx ? p.x - fx : 1 - p.x + fx) * (dy ? p.y - fy : 1 - p.y + fy);
            const bool inside = fx + dx >= 0 && fy + dy >= 0 && fx + dx < width && fy + dy < height;
            const std::size_t i = inside ? 3 * (static_cast<std::size_t>(fy + dy) * static_cast<std::size_t>(width) + static_cast<std::size_t>(fx + dx)) : 0;
            for (std::size_t c = 0; c < 3; ++c) out[c] += weight * (inside ? rgb[i + c] : 255);
        }
    }
    return out;
}

Result<ChartScale> ChartScale::from(const std::array<AxisMark, 2>& wavelength, const std::array<AxisMark, 2>& transmission, ChartRun run) {
    const auto between = [](const std::array<AxisMark, 2>& m) { return ChartPoint{m[1].at.x - m[0].at.x, m[1].at.y - m[0].at.y}; };
    ChartPoint x = between(wavelength), y = between(transmission);
    if (run == ChartRun::Logarithmic && !(transmission[0].value > 0 && transmission[1].value > 0))
        return Error{phrase("A logarithmic axis has no zero; give both marks of the transmission axis a value above it.")};
    const auto evenly = [&](double t) { return run == ChartRun::Logarithmic ? std::log10(t) : t; };
    double nm = wavelength[1].value - wavelength[0].value, part = evenly(transmission[1].value) - evenly(transmission[0].value);
    if (std::hypot(x.x, x.y) < 10) return Error{phrase("The two marks of the wavelength axis lie on top of each other; set them farther apart.")};
    if (std::hypot(y.x, y.y) < 10) return Error{phrase("The two marks of the transmission axis lie on top of each other; set them farther apart.")};
    if (std::abs(nm) < 1) return Error{phrase("Both marks of the wavelength axis have the same wavelength; give each its own.")};
    if (std::abs(part) < 0.001) return Error{phrase("Both marks of the transmission axis have the same value; give each its own.")};
    for (ChartPoint* p : {&x, &y}) {
        const double size = std::hypot(p->x, p->y);
        (p == &x ? nm : part) /= size;
        *p = {p->x / size, p->y / size};
    }
    if (std::abs(x.x * y.y - x.y * y.x) < 0.5)
        return Error{phrase(
            "The two axes run in nearly the same direction; set the marks of the wavelengths along the one, those of the transmission along the other.")};
    ChartScale s;
    s.m_origin = wavelength[0].at;
    s.m_along = nm > 0 ? x : ChartPoint{-x.x, -x.y};
    s.m_up = part > 0 ? y : ChartPoint{-y.x, -y.y};
    s.m_nm0 = wavelength[0].value;
    s.m_nmPerStep = std::abs(nm);
    s.m_tPerStep = std::abs(part);
    s.m_t0 = evenly(transmission[0].value) - s.steps(transmission[0].at).second * s.m_tPerStep;
    s.m_lowest = std::min(transmission[0].value, transmission[1].value);
    s.m_run = run;
    return s;
}

std::pair<double, double> ChartScale::steps(ChartPoint p) const {
    const double dx = p.x - m_origin.x, dy = p.y - m_origin.y, det = m_along.x * m_up.y - m_along.y * m_up.x;
    return {(dx * m_up.y - dy * m_up.x) / det, (m_along.x * dy - m_along.y * dx) / det};
}

double ChartScale::wavelength(ChartPoint p) const {
    return m_nm0 + steps(p).first * m_nmPerStep;
}
double ChartScale::transmission(ChartPoint p) const {
    const double t = m_t0 + steps(p).second * m_tPerStep;
    return m_run == ChartRun::Logarithmic ? std::pow(10, t) : t;
}

std::pair<double, double> ChartScale::span() const {
    if (m_run == ChartRun::Logarithmic) return {0.3 * m_lowest, 2};
    return {-0.05, 1.15};
}

ChartPoint ChartScale::place(double nm, double transmission) const {
    const double evenly = m_run == ChartRun::Logarithmic ? std::log10(std::max(transmission, 1e-12)) : transmission;
    const double a = (nm - m_nm0) / m_nmPerStep, b = (evenly - m_t0) / m_tPerStep;
    return {m_origin.x + a * m_along.x + b * m_up.x, m_origin.y + a * m_along.y + b * m_up.y};
}

namespace {

/// The line's two rims by column, from where it is lost on the left to where it is on the right; what is hidden lies on the way between its ends.
struct Rims {
    std::vector<double> low, high;
    std::vector<char> seen;
};

/// Follows one line of a chart, column by column along the wavelength axis, through the part of the picture in which transmissions make sense.
class LineFollower {
public:
    LineFollower(const ChartPicture& picture, const ChartScale& scale, const TraceOptions& options)
        : m_picture(picture)
        , m_scale(scale)
        , m_options(options)
        , m_along(scale.along())
        , m_up(scale.up()) {}

    Result<std::vector<ChartPoint>> follow(ChartPoint start) {
        const std::array<double, 3> paper = paperOf(m_picture);
        const ChartPoint heart = heartNear(start, paper);
        const std::array<double, 3> colour = m_picture.at(heart);
        if (distance(colour, paper) < 60) return Error{phrase("There is no line at that place; point at the line itself.")};
        m_ink.emplace(m_picture, colour, std::min(m_options.colourReach, 0.5 * distance(colour, paper)));

        const auto [lowest, highest] = m_scale.span();
        m_foot = m_scale.place(m_scale.wavelength(heart), lowest);
        const ChartPoint head = m_scale.place(m_scale.wavelength(heart), highest);
        m_tall = static_cast<std::size_t>(std::hypot(head.x - m_foot.x, head.y - m_foot.y));
        if (m_tall < 20 || m_tall > 20'000) return Error{phrase("The transmission axis is too short or too long in this picture; check its two marks.")};
        const double height = (heart.x - m_foot.x) * m_up.x + (heart.y - m_foot.y) * m_up.y;
        const auto first = stretchIn(column(0), {height - 1, height + 1}, 4);
        if (!first) return Error{phrase("There is no line at that place; point at the line itself, within the marks of the axes.")};

        const auto left = seenTowards(-1, *first), right = seenTowards(1, *first);
        std::vector<std::optional<Stretch>> all(left.rbegin(), left.rend());
        all.push_back(first);
        all.insert(all.end(), right.begin(), right.end());
        // Half the line's width, from where it runs level.
        std::vector<double> widths;
        for (const auto& s : all)
            if (s) widths.push_back(s->high - s->low);
        if (widths.size() < 5) return Error{phrase("The line is lost at once; point at a place where nothing crosses it.")};
        return middleOf(rimsOf(all), 0.5 * quantile(widths, 0.15), -static_cast<int>(left.size()));
    }

private:
    /// What differs most from the paper within three pixels.
    ChartPoint heartNear(ChartPoint start, const std::array<double, 3>& paper) const {
        ChartPoint heart = start;
        double strongest = -1;
        for (int dy = -3; dy <= 3; ++dy) {
            for (int dx = -3; dx <= 3; ++dx) {
                const ChartPoint p{std::round(start.x) + dx, std::round(start.y) + dy};
                const double strength = distance(m_picture.at(p), paper) - 60 * std::hypot(p.x - start.x, p.y - start.y); // an axis close by may be darker
                if (strength > strongest) strongest = strength, heart = p;
            }
        }
        return heart;
    }

    std::vector<double> column(int step) const {
        std::vector<double> out(m_tall);
        for (std::size_t i = 0; i < m_tall; ++i) {
            const auto k = static_cast<double>(i);
            out[i] = m_ink->at({m_foot.x + step * m_along.x + k * m_up.x, m_foot.y + step * m_along.y + k * m_up.y});
        }
        return out;
    }

    /// Column after column to one side, until the line is lost for good.
    std::vector<std::optional<Stretch>> seenTowards(int sign, Stretch last) const {
        const int most = m_picture.width + m_picture.height;
        std::vector<std::optional<Stretch>> out;
        int missing = 0;
        for (int step = 1; step < most && missing <= m_options.mostGap; ++step) {
            const double x = m_foot.x + sign * step * m_along.x, y = m_foot.y + sign * step * m_along.y;
            if (x < -m_picture.width || y < -m_picture.height || x > 2 * m_picture.width || y > 2 * m_picture.height) break;
            const auto s = stretchIn(column(sign * step), last, missing == 0 ? 3 : 3 + missing);
            out.push_back(s);
            missing = s ? 0 : missing + 1;
            if (s) last = *s;
        }
        while (!out.empty() && !out.back()) out.pop_back();
        return out;
    }

    static Rims rimsOf(const std::vector<std::optional<Stretch>>& all) {
        Rims out;
        for (std::size_t i = 0; i < all.size(); ++i) {
            std::size_t next = i;
            while (!all[next]) ++next;
            const bool seen = next == i;
            const double t = 1.0 / static_cast<double>(next - i + 1);
            out.low.push_back(seen ? all[i]->low : out.low.back() + t * (all[next]->low - out.low.back()));
            out.high.push_back(seen ? all[i]->high : out.high.back() + t * (all[next]->high - out.high.back()));
            out.seen.push_back(seen);
        }
        return out;
    }

    /// On a crest the upper rim tells where the line is, in a trough the lower one, in between both do.
    std::vector<ChartPoint> middleOf(const Rims& rims, double half, int offset) const {
        const std::vector<double> above = takenBack(rims.high, half, 1), below = takenBack(rims.low, half, -1);
        std::vector<ChartPoint> line;
        const int reach = std::max(2, static_cast<int>(std::lround(half)) + 1);
        const auto at = [&](long long k) {
            const auto j = static_cast<std::size_t>(std::clamp<long long>(k, 0, static_cast<long long>(above.size()) - 1));
            return 0.5 * (above[j] + below[j]);
        };
        for (std::size_t i = 0; i < above.size(); ++i) {
            if (!rims.seen[i]) continue;
            const auto k = static_cast<long long>(i);
            const double bend = at(k) - 0.5 * (at(k - reach) + at(k + reach)), apart = std::abs(above[i] - below[i]);
            const double weight = apart > 0 ? std::clamp(bend / (0.5 * apart + 0.25), -1.0, 1.0) : 0;
            const double middle = 0.5 * (above[i] + below[i]) + 0.5 * weight * (above[i] - below[i]);
            const double step = offset + static_cast<double>(i);
            line.push_back({m_foot.x + step * m_along.x + middle * m_up.x, m_foot.y + step * m_along.y + middle * m_up.y});
        }
        return line;
    }

    const ChartPicture& m_picture;
    const ChartScale& m_scale;
    const TraceOptions& m_options;
    ChartPoint m_along, m_up;
    ChartPoint m_foot{};    ///< of the column that was pointed at, at the lowest transmission
    std::size_t m_tall = 0; ///< pixels of a column
    std::optional<Ink> m_ink;
};

} // namespace

Result<std::vector<ChartPoint>> followLine(const ChartPicture& picture, const ChartScale& scale, ChartPoint start, const TraceOptions& options) {
    return LineFollower(picture, scale, options).follow(start);
}

Curve curveFrom(const std::vector<ChartPoint>& points, const ChartScale& scale) {
    std::vector<std::pair<double, double>> sorted;
    for (const ChartPoint& p : points) sorted.emplace_back(scale.wavelength(p), std::clamp(scale.transmission(p), 0.0, 1.0));
    std::sort(sorted.begin(), sorted.end());
    Curve out;
    for (std::size_t i = 0; i < sorted.size();) {
        std::size_t end = i;
        double sum = 0;
        while (end < sorted.size() && sorted[end].first - sorted[i].first < 1e-6) sum += sorted[end++].second;
        out.wavelength_nm.push_back(sorted[i].first);
        out.transmission.push_back(sum / static_cast<double>(end - i));
        i = end;
    }
    return out;
}

std::vector<ChartPoint> thinnedLine(const std::vector<ChartPoint>& line, double tolerance) {
    if (line.size() < 3) return line;
    std::vector<char> keep(line.size(), 0);
    keep.front() = keep.back() = 1;
    std::vector<std::pair<std::size_t, std::size_t>> open{{0, line.size() - 1}};
    while (!open.empty()) {
        const auto [a, b] = open.back();
        open.pop_back();
        std::size_t farthest = a;
        double most = tolerance;
        for (std::size_t i = a + 1; i < b; ++i)
            if (const double d = awayFromLine(line[i], line[a], line[b]); d > most) most = d, farthest = i;
        if (farthest == a) continue;
        keep[farthest] = 1;
        open.emplace_back(a, farthest);
        open.emplace_back(farthest, b);
    }
    std::vector<ChartPoint> out;
    for (std::size_t i = 0; i < line.size(); ++i)
        if (keep[i]) out.push_back(line[i]);
    return out;
}

} // namespace caelumen

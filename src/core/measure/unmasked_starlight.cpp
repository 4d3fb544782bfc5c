#include "core/measure/unmasked_starlight.h"

#include "core/base/fetch_ahead.h"
#include "core/base/number_rows.h"
#include "core/base/statistics.h"
#include "core/base/wide.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <utility>

namespace caelumen {
namespace {

constexpr double kNear = 38; ///< pixels within which light is placed finely

/// Part of a star's light beyond the reach of its measured wings, by the power law on which they end: the aureole of optics and air falls with the square of
/// the radius, an empty star image much faster.
double farLight(const Psf& psf, double reach) {
    if (psf.wings.size() < 12) return 0;
    const double last = static_cast<double>(psf.wings.size()) - 1, middle = std::floor(0.6 * last);
    const double fall = std::log(psf.lightAt(middle) / psf.lightAt(last)) / std::log(last / middle);
    const double index = std::clamp(fall, 2.4, 12.0);
    const double end = std::max(reach, last);
    return 2 * M_PI * psf.lightAt(last) * last * last / (index - 2) * std::pow(end / last, 2 - index);
}

/// 1 where the flag of every fourth pixel is not set, else 0.
CAELUMEN_FAST void everyFourth(const Flags& hidden, std::vector<double>& seen) {
    constexpr int kTogether = 8; // of a word's flags
    const auto n = static_cast<int>(seen.size());
    for (int first = 0; first < n; first += kTogether) {
        const int count = std::min(kTogether, n - first);
        const auto flags = static_cast<std::uint32_t>(hidden.bits(4 * first, 4 * count - 3));
        std::array<double, kTogether> each;
        for (unsigned k = 0; k < kTogether; ++k) each[k] = static_cast<double>(~flags >> (4 * k) & 1U);
        if (count == kTogether)
            std::memcpy(seen.data() + first, each.data(), sizeof each);
        else
            std::copy_n(each.data(), count, seen.data() + first);
    }
}

CAELUMEN_FAST void sumTo(std::vector<double>& sum, const float* a, const std::vector<double>& b) {
    for (std::size_t k = 0; k < sum.size(); ++k) sum[k] = static_cast<double>(a[k]) + b[k];
}

} // namespace

UnmaskedStarlight::UnmaskedStarlight(const std::vector<Star>& stars, const std::vector<double>& hidden, const std::optional<Psf>& psf, int width, int height,
                                     double nothing) {
    if (!psf || width < 1 || height < 1) return;
    const auto grid = [&](int side) {
        Grid g{(width + side - 1) / side, (height + side - 1) / side, {}};
        g.light.assign(static_cast<std::size_t>(g.across) * static_cast<std::size_t>(g.down), 0);
        return g;
    };
    m_near = grid(kFine);
    m_wide = grid(kCoarse);
    // Only as far as the star image was seen: what an extrapolated power law holds farther out is anybody's guess, and sky by definition.
    const double reach = std::clamp(psf->reach(), kNear, 100.0);
    constexpr double kStep = 0.25;
    std::vector<float> wing; // against the radius, once
    for (double r = 0; r <= reach + kStep; r += kStep) wing.push_back(static_cast<float>(psf->wingAt(r)));
    std::vector<float> fromThere = wing; // the most from a radius on
    for (std::size_t i = wing.size() - 1; i-- > 0;) fromThere[i] = std::max(fromThere[i], fromThere[i + 1]);
    const auto fadesAt = [&](double flux) {
        const auto faint = std::partition_point(fromThere.begin(), fromThere.end(), [&](float w) { return flux * static_cast<double>(w) > nothing; });
        return static_cast<double>(faint - fromThere.begin()) * kStep;
    };
    // Adds a star's light between two radii to the middles of the squares of some rows.
    const auto add = [&](Grid& g, int side, int begin, int end, double x, double y, double flux, double from, double to) {
        const auto first = [&](double c) { return std::max(0, static_cast<int>(std::floor((c - to) / side))); };
        const int left = first(x), right = std::min(g.across, static_cast<int>((x + to) / side) + 1);
        const int top = std::max(begin, first(y)), bottom = std::min(end, static_cast<int>((y + to) / side) + 1);
        const double middle = 0.5 * (side - 1);
        rows::addFading({wing.data(), 1 / kStep, static_cast<float>(flux), from, to},
                        {left * side + middle, top * side + middle, static_cast<double>(side), right - left, bottom - top, g.across}, x, y, g.row(top) + left);
    };
    const double worthwhile =
        stars.empty() ? 0 : 1e-4 * std::max_element(stars.begin(), stars.end(), [](const Star& a, const Star& b) { return a.flux < b.flux; })->flux;
    const double near = std::min(reach, kNear);
    // What there is to place, and the strips that it reaches, each of which writes its own rows.
    struct Light {
        double x, y, flux, hidden, end; ///< where it fades, within what is placed finely
    };
    constexpr int kStrip = 8 * kCoarse;
    std::vector<std::vector<Light>> strips(static_cast<std::size_t>((height + kStrip - 1) / kStrip));
    double everything = 0;
    for (std::size_t k = 0; k < stars.size(); ++k) {
        const Star& s = stars[k];
        // A saturated star's own sum misses light: its isophote, four sigma of the noise there, tells more.
        const double isophote = std::sqrt(s.area / M_PI), rim = psf->lightAt(isophote);
        const double flux = s.saturated && rim > 0 && s.rim > 0 ? std::max(s.flux, s.rim / rim) : s.flux;
        const Light light{s.x, s.y, flux, hidden[k], std::min(near, fadesAt(flux))};
        everything += flux;
        const auto stripOf = [&](double y) { return std::clamp(static_cast<int>(std::floor(y / kStrip)), 0, static_cast<int>(strips.size()) - 1); };
        const double farthest = flux >= worthwhile ? reach : light.end;
        for (int strip = stripOf(s.y - farthest); strip <= stripOf(s.y + farthest); ++strip) strips[static_cast<std::size_t>(strip)].push_back(light);
    }
    tbb::parallel_for(std::size_t{0}, strips.size(), [&](std::size_t strip) {
        const int top = static_cast<int>(strip) * kStrip, bottom = std::min(height, top + kStrip);
        for (std::size_t i = 0; i < strips[strip].size(); ++i) {
            if (i + 1 < strips[strip].size()) // the next one lies elsewhere
                if (const Light& next = strips[strip][i + 1]; next.hidden < next.end)
                    fetchAround(m_near.light.data(), m_near.across, m_near.down, {next.x / kFine, next.y / kFine}, static_cast<int>(next.end / kFine) + 1);
            const Light& s = strips[strip][i];
            if (s.hidden < s.end) add(m_near, kFine, top / kFine, (bottom + kFine - 1) / kFine, s.x, s.y, s.flux, s.hidden, s.end);
            if (s.flux >= worthwhile) // the far wings of faint stars are nothing
                add(m_wide, kCoarse, top / kCoarse, (bottom + kCoarse - 1) / kCoarse, s.x, s.y, s.flux, std::max(near, s.hidden), reach);
        }
    });
    m_far = everything * farLight(*psf, reach) / (static_cast<double>(width) * height);
}

std::vector<double> UnmaskedStarlight::over(const BackgroundMesh& mesh, const Mask& mask) const {
    std::vector<double> out(mesh.cells.size(), 0);
    if (m_near.empty()) return out;
    const auto squaresBefore = [](int x) { return static_cast<std::size_t>(std::max(0, x - kFine / 2 + kFine - 1) / kFine); }; // whose middles lie there
    const std::size_t squares = squaresBefore(mesh.width);
    const std::vector<double> ones(squares, 1);
    tbb::parallel_for(0, mesh.down, [&](int band) {
        double* light = out.data() + static_cast<std::size_t>(band) * static_cast<std::size_t>(mesh.across);
        std::vector<double> count(static_cast<std::size_t>(mesh.across), 0), seen(squares), wide(squares), both(squares);
        const int bottom = band + 1 == mesh.down ? mesh.height : (band + 1) * mesh.cell;
        int coarse = -1;
        for (int y = band * mesh.cell + kFine / 2; y < bottom; y += kFine) {
            if (std::exchange(coarse, y / kCoarse) != y / kCoarse)
                for (std::size_t k = 0; k < squares; ++k) wide[k] = static_cast<double>(m_wide.row(coarse)[k * kFine / kCoarse]);
            static_assert(kFine == 4);
            everyFourth(mask.row(y) + kFine / 2, seen);
            sumTo(both, m_near.row(y / kFine), wide);
            for (int i = 0; i < mesh.across; ++i) {
                const std::size_t first = squaresBefore(i * mesh.cell), end = i + 1 == mesh.across ? squares : squaresBefore((i + 1) * mesh.cell);
                const auto n = static_cast<int>(end - first);
                light[i] += rows::dot(seen.data() + first, both.data() + first, n);
                count[static_cast<std::size_t>(i)] += rows::dot(seen.data() + first, ones.data(), n);
            }
        }
        for (int i = 0; i < mesh.across; ++i)
            if (const double n = count[static_cast<std::size_t>(i)]; n > 0) light[i] = light[i] / n * m_scale + m_far;
    });
    return out;
}

std::vector<double> UnmaskedStarlight::calibrate(const BackgroundMesh& mesh, const Mask& mask) {
    std::vector<double> light = over(mesh, mask);
    if (m_near.empty()) return light;
    // Each cell less the mean of its two neighbours: sky and nebula, which vary smoothly, cancel.
    std::vector<double> sky, starlight;
    const auto bend = [&](std::size_t before, std::size_t here, std::size_t after) {
        if (mesh.cells[before].used == 0 || mesh.cells[here].used == 0 || mesh.cells[after].used == 0) return;
        sky.push_back(mesh.cells[here].level - 0.5 * (mesh.cells[before].level + mesh.cells[after].level));
        starlight.push_back(light[here] - 0.5 * (light[before] + light[after]));
    };
    const auto across = static_cast<std::size_t>(mesh.across), down = static_cast<std::size_t>(mesh.down);
    for (std::size_t j = 0; j < down; ++j)
        for (std::size_t i = 0; i < across; ++i) {
            const std::size_t at = j * across + i;
            if (i > 0 && i + 1 < across) bend(at - 1, at, at + 1);
            if (j > 0 && j + 1 < down) bend(at - across, at, at + across);
        }
    if (sky.size() < 100) return light;
    double slope = 1, error = 0;
    for (int round = 0; round < 5; ++round) {
        std::vector<double> left;
        for (std::size_t k = 0; k < sky.size(); ++k) left.push_back(sky[k] - slope * starlight[k]);
        const double spread = robustSigma(left);
        double xy = 0, xx = 0;
        for (std::size_t k = 0; k < sky.size(); ++k) {
            if (std::abs(sky[k] - slope * starlight[k]) > 3 * spread) continue;
            xy += starlight[k] * sky[k], xx += starlight[k] * starlight[k];
        }
        if (!(xx > 0)) return light;
        const double before = std::exchange(slope, xy / xx);
        error = 1.4 * spread / std::sqrt(xx); // bends share cells
        if (std::abs(slope - before) < 0.01 * error) break;
    }
    // The prediction itself is worth something: an error as large as it counts for half.
    constexpr double kDoubt = 0.5;
    const double trust = kDoubt * kDoubt / (kDoubt * kDoubt + error * error);
    m_scale = std::clamp(1 + trust * (slope - 1), 1.0 / 3, 3.0);
    for (double& l : light) l = l > 0 ? (l - m_far) * m_scale + m_far : 0; // 0: wholly hidden
    return light;
}

} // namespace caelumen

#include "core/measure/unmasked_starlight.h"

#include "core/base/fetch_ahead.h"
#include "core/base/statistics.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <cstdint>
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
    const auto add = [&](Grid& g, int side, int begin, int end, const Star& s, double flux, double from, double to) {
        const auto first = [&](double c) { return std::max(0, static_cast<int>(std::floor((c - to) / side))); };
        const int right = std::min(g.across - 1, static_cast<int>((s.x + to) / side)), bottom = std::min(end - 1, static_cast<int>((s.y + to) / side));
        const double middle = 0.5 * (side - 1);
        for (int j = std::max(begin, first(s.y)); j <= bottom; ++j) {
            const double dy = j * side + middle - s.y;
            float* row = g.light.data() + static_cast<std::size_t>(j) * static_cast<std::size_t>(g.across);
            for (int i = first(s.x); i <= right; ++i) {
                const double dx = i * side + middle - s.x, rr = dx * dx + dy * dy;
                if (rr > from * from && rr <= to * to) row[i] += static_cast<float>(flux) * wing[static_cast<std::size_t>(std::sqrt(rr) / kStep + 0.5)];
            }
        }
    };
    const double worthwhile =
        stars.empty() ? 0 : 1e-4 * std::max_element(stars.begin(), stars.end(), [](const Star& a, const Star& b) { return a.flux < b.flux; })->flux;
    const double near = std::min(reach, kNear);
    double everything = 0;
    std::vector<double> fluxes, ends; // where they fade, within what is placed finely
    for (const Star& s : stars) {
        // A saturated star's own sum misses light: its isophote, four sigma of the noise there, tells more.
        const double isophote = std::sqrt(s.area / M_PI), rim = psf->lightAt(isophote);
        fluxes.push_back(s.saturated && rim > 0 && s.rim > 0 ? std::max(s.flux, s.rim / rim) : s.flux);
        ends.push_back(std::min(near, fadesAt(fluxes.back())));
        everything += fluxes.back();
    }
    // Strips side by side, each writing its own rows.
    constexpr int kStrip = 8 * kCoarse;
    tbb::parallel_for(0, (height + kStrip - 1) / kStrip, [&](int strip) {
        const int top = strip * kStrip, bottom = std::min(height, top + kStrip);
        std::vector<std::size_t> here;
        for (std::size_t k = 0; k < stars.size(); ++k)
            if (stars[k].y + reach >= top && stars[k].y - reach <= bottom) here.push_back(k);
        for (std::size_t i = 0; i < here.size(); ++i) {
            if (i + 1 < here.size()) // the next one lies elsewhere
                if (const std::size_t next = here[i + 1]; hidden[next] < ends[next])
                    fetchAround(m_near.light.data(), m_near.across, m_near.down, {stars[next].x / kFine, stars[next].y / kFine},
                                static_cast<int>(ends[next] / kFine) + 1);
            const std::size_t k = here[i];
            if (hidden[k] < ends[k]) add(m_near, kFine, top / kFine, (bottom + kFine - 1) / kFine, stars[k], fluxes[k], hidden[k], ends[k]);
            if (fluxes[k] >= worthwhile)
                add(m_wide, kCoarse, top / kCoarse, (bottom + kCoarse - 1) / kCoarse, stars[k], fluxes[k], std::max(near, hidden[k]),
                    reach); // the far wings of faint stars are nothing
        }
    });
    m_far = everything * farLight(*psf, reach) / (static_cast<double>(width) * height);
}

std::vector<double> UnmaskedStarlight::over(const BackgroundMesh& mesh, const Mask& mask) const {
    std::vector<double> out(mesh.cells.size(), 0);
    if (m_near.empty()) return out;
    constexpr unsigned kEach = kCoarse / kFine;
    static_assert(kCoarse <= Flags::kTogether);
    tbb::parallel_for(0, mesh.down, [&](int band) {
        double* light = out.data() + static_cast<std::size_t>(band) * static_cast<std::size_t>(mesh.across);
        std::vector<int> count(static_cast<std::size_t>(mesh.across), 0);
        const int bottom = band + 1 == mesh.down ? mesh.height : (band + 1) * mesh.cell;
        for (int y = band * mesh.cell + kFine / 2; y < bottom; y += kFine) {
            const Flags hidden = mask.row(y);
            const float *near = m_near.row(y / kFine), *wide = m_wide.row(y / kCoarse);
            for (int i = 0, x = kFine / 2; i < mesh.across; ++i) {
                const int end = i + 1 == mesh.across ? mesh.width : (i + 1) * mesh.cell;
                double sum = 0;
                int n = 0;
                while (x < end) { // the squares of one coarse square at a time
                    const auto first = static_cast<unsigned>(x) / kFine, coarse = first / kEach;
                    const int next = std::min(end, static_cast<int>((coarse + 1) * kEach * kFine));
                    std::uint64_t flags = hidden.bits(x, next - x);
                    for (unsigned square = first; x < next; x += kFine, flags >>= kFine, ++square) { // no guessing at each
                        const bool seen = !(flags & 1);
                        sum += seen ? lightOf(near[square], wide[coarse]) : 0;
                        n += seen;
                    }
                }
                light[i] += sum, count[static_cast<std::size_t>(i)] += n;
            }
        }
        for (int i = 0; i < mesh.across; ++i)
            if (const int n = count[static_cast<std::size_t>(i)]; n > 0) light[i] /= n;
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

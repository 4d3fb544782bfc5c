#include "core/base/fetch_ahead.h"
#include "core/base/phrase.h"
#include "core/base/pixel_rows.h"
#include "core/base/statistics.h"
#include "core/measure/halo.h"
#include "core/measure/halo_sectors.h"
#include "core/stars/scaled_star.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <limits>
#include <tuple>

namespace caelumen {
namespace {

/// Neighbours small enough not to hide the halo itself: discs that follow the star image, not the detection isophote.
PatchMask neighbourMask(const std::vector<Star>& stars, const Psf& psf, double noise, Point centre, double own, double reach) {
    PatchMask mask(centre, static_cast<int>(std::ceil(reach)) + 2);
    for (const Star& s : stars) {
        const double away = length(s.x - centre.x, s.y - centre.y);
        if (away < own || away > 1.5 * reach + 20 * psf.fwhm) continue;
        double r = 1.2 * psf.fwhm;
        while (r < 10 * psf.fwhm && s.flux * psf.lightAt(r) > 0.2 * noise) r *= 1.1;
        if (away < r) r = std::max(1.2 * psf.fwhm, 0.5 * away); // its flux is borrowed from the bright star
        mask.hide({s.x, s.y}, r);
    }
    return mask;
}

/// Radius out to which the star is saturated.
double saturatedRadius(const Plane& plane, Point c, double saturation, double limit) {
    double radius = 0;
    const int reach = static_cast<int>(limit);
    const int cx = static_cast<int>(std::lround(c.x)), cy = static_cast<int>(std::lround(c.y));
    for (int y = std::max(0, cy - reach); y <= std::min(plane.height() - 1, cy + reach); ++y)
        for (int x = std::max(0, cx - reach); x <= std::min(plane.width() - 1, cx + reach); ++x)
            if (static_cast<double>(plane.at(x, y)) >= saturation) radius = std::max(radius, length(x - c.x, y - c.y));
    return std::min(radius, limit);
}

/// Which sixteenth of the circle an offset points to, counted from +x towards +y, without an arc tangent for every pixel.
std::size_t sectorOf(double dx, double dy) {
    static_assert(kHaloSectors == 16);
    const std::size_t quarter = dy >= 0 ? (dx > 0 ? 0 : 1) : (dx < 0 ? 2 : 3);
    const double along = quarter % 2 == 0 ? std::abs(dx) : std::abs(dy), across = quarter % 2 == 0 ? std::abs(dy) : std::abs(dx);
    constexpr double kEighth = 0.41421356237309503; // tan 22.5 degrees
    const std::size_t part = across < along ? (across < kEighth * along ? 0 : 1) : (along > kEighth * across ? 2 : 3);
    return 4 * quarter + part;
}

/// Where sectors begin along a row that lies one below the centre or above it, as offsets from there.
constexpr std::array kSectorBorders{-2.414213562373095, -1.0, -0.41421356237309503, 0.0, 0.41421356237309503, 1.0, 2.414213562373095};
constexpr int kMostBorders = static_cast<int>(kSectorBorders.size());

} // namespace

Result<HaloProfile> measureHaloProfile(const Plane& plane, Point guess, double reach, const std::optional<Psf>& psf, const std::vector<Star>& stars,
                                       double noise, double saturation, double pitch) {
    if (!psf) return Error{phrase("there are too few unsaturated stars to know the star image")};
    if (guess.x < 0 || guess.y < 0 || guess.x > plane.width() - 1 || guess.y > plane.height() - 1) return Error{phrase("the star lies outside this frame")};
    // The catalogue knows the star's place better than the mouse does.
    const Star* nearest = starNear(stars, guess, std::max(12.0, 4 * psf->fwhm));
    if (!nearest) return Error{phrase("no star is found at that place in this frame")};
    const Point start{nearest->x, nearest->y};
    HaloProfile out;
    out.pitch = pitch;
    out.fwhm = psf->fwhm;
    const double burnt = saturatedRadius(plane, start, saturation, 60);
    const double own = std::max(2 * psf->fwhm, burnt + psf->fwhm);
    const double fitRadius = std::max({2.5 * psf->fwhm, 5.0, burnt > 0 ? burnt + std::max(1.5 * psf->fwhm, 4.0) : 0.0});
    const auto bins = static_cast<std::size_t>(std::max(12.0, reach));
    // As far as rings go about wherever the fit may put the centre.
    const PatchMask mask = neighbourMask(stars, *psf, noise, start, own, std::max(static_cast<double>(bins), fitRadius) + 0.5 * fitRadius);
    const auto star = scalePsf(plane, *psf, start, fitRadius, saturation, mask);
    if (!star) return Error{phrase("the star image could not be fitted to the star's unsaturated pixels")};
    out.centre = star->centre;
    out.flux = star->flux;
    out.fluxSigma = star->sigma;
    out.blind = std::max(3 * psf->fwhm, burnt + 1.5 * psf->fwhm);

    // Along a row, rings follow one another.
    std::array<std::vector<rows::Counted>, kHaloSectors> tally, other;
    for (auto* list : {&tally, &other})
        for (auto& sector : *list) sector.resize(bins + 3); // some corners lie beyond the last ring
    std::vector<std::uint32_t> bin(2 * bins + 3);
    const int c0 = static_cast<int>(std::lround(out.centre.x)), c1 = static_cast<int>(std::lround(out.centre.y)), r = static_cast<int>(bins);
    for (int y = std::max(0, c1 - r); y <= std::min(plane.height() - 1, c1 + r); ++y) {
        const float* row = plane.row(y);
        const double dy = y - out.centre.y, across = std::sqrt(std::max(0.0, static_cast<double>(bins * bins) - dy * dy));
        const int first = std::max({0, c0 - r, static_cast<int>(out.centre.x - across)}),
                  last = std::min({plane.width() - 1, c0 + r, static_cast<int>(out.centre.x + across) + 1});
        if (y + 1 < plane.height()) fetchRow(plane.row(y + 1), first, last + 1);
        const auto sectorAt = [&](int x) { return sectorOf(x - out.centre.x, dy); };
        rows::wholeDistances(first - out.centre.x, dy, last - first + 1, bin.data());
        for (int x = first, end = x, border = 0; x <= last; x = end) { // a stretch of one sector; along a row each comes once
            const std::size_t sector = sectorAt(x);
            const auto borderAt = [&] { return out.centre.x + kSectorBorders[static_cast<std::size_t>(border)] * std::abs(dy); };
            while (border < kMostBorders && borderAt() <= x) ++border;
            end = border < kMostBorders ? static_cast<int>(std::clamp(borderAt(), x + 1.0, last + 1.0)) : last + 1;
            while (end > x + 1 && sectorAt(end - 1) != sector) --end;
            while (end <= last && sectorAt(end) == sector) ++end;
            rows::addTo(row + x, mask.row(x, y), bin.data() + (x - first), end - x, tally[sector].data(), other[sector].data());
        }
    }
    constexpr std::size_t kShapely = 15;
    for (std::size_t i = 0; i < bins && psf->stars >= kShapely; ++i) out.core.push_back(psf->core(static_cast<double>(i) + 0.5));
    out.value.assign(bins, 0);
    out.sigma.assign(bins, 0);
    out.sectors.resize(bins);
    for (std::size_t i = 0; i < bins; ++i) {
        out.sectors[i].fill(std::numeric_limits<float>::quiet_NaN());
        for (std::size_t s = 0; s < kHaloSectors; ++s)
            if (const rows::Counted a = tally[s][i], b = other[s][i]; a.count + b.count >= 1)
                out.sectors[i][s] = static_cast<float>((a.value + b.value) / (a.count + b.count));
        std::tie(out.value[i], out.sigma[i]) = meanOverSectors(out.sectors[i]);
    }
    // The far sky, from the outer eighth.
    std::vector<double> far;
    for (std::size_t i = bins * 7 / 8; i < bins; ++i)
        if (out.sigma[i] > 0) far.push_back(out.value[i]);
    if (far.size() < 2) return Error{phrase("the star stands too close to the edge of the frame for its surroundings to be measured")};
    const double sky = median(std::span<double>(far));
    for (std::size_t i = 0; i < bins; ++i) {
        out.value[i] -= sky;
        for (float& v : out.sectors[i]) v -= static_cast<float>(sky);
    }
    return out;
}

} // namespace caelumen

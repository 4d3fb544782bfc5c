#include "core/compare/reference.h"

#include <algorithm>

namespace caelumen {
namespace {

/// How far halo profiles go: beyond the ghosts of the rig's gaps, and of common ones whether or not they are known.
double haloReachPixels(const OpenRun& run) {
    constexpr double kUsual_arcsec = 300, kLeast = 270, kMost = 700;
    const RunConditions& c = run.conditions;
    const double side = std::min(c.width, c.height);
    double reach = std::max(c.scale_arcsec ? kUsual_arcsec / *c.scale_arcsec : 0, kLeast);
    if (c.focal_ratio && run.rig.pixel_um) {
        for (const auto& [name, mm] : run.rig.gaps_mm) {
            const double px = mm / *c.focal_ratio / (*run.rig.pixel_um / 1000);
            if (px < 0.3 * side) reach = std::max(reach, 1.5 * px);
        }
    }
    return std::min(reach, kMost);
}

} // namespace

std::vector<AlignStar> alignStars(const PlaneStars& found, const PlaneGeometry& geometry) {
    constexpr std::size_t kMost = 4000;
    std::vector<AlignStar> out;
    for (const Star& s : found.stars) {
        if (out.size() >= kMost) break;
        out.push_back({geometry.toStored({s.x, s.y}), s.flux});
    }
    return out;
}

void Reference::learn(const PlaneStars& found, const PlaneView& view, const std::string& channel, const OpenRun& baseline) {
    stars[channel] = alignStars(found, view.geometry);
    if (!photometry.empty() || !found.psf) return;
    photometry = photometryStars(found, view);
    apertureRadius = 1.5 * found.psf->fwhm * view.geometry.pitch;
    haloReach = haloReachPixels(baseline);
}

const std::vector<AlignStar>* Reference::starsFor(const std::string& channel) const {
    for (const std::string& name : {channel, std::string("G")})
        if (const auto it = stars.find(name); it != stars.end()) return &it->second;
    return stars.empty() ? nullptr : &stars.begin()->second;
}

} // namespace caelumen

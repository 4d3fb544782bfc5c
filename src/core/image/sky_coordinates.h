#pragma once

#include "core/base/point.h"

#include <memory>
#include <optional>
#include <string>

struct wcsprm;

namespace caelumen {

/// Where a frame lies on the sky, from its header: any projection and distortion that wcslib knows (Greisen & Calabretta 2002, A&A 395, 1061; Calabretta &
/// Greisen 2002, A&A 395, 1077; SIP, TPV and TPD distortions). Pixels are 0-based, sky degrees right ascension and declination as the header counts them.
/// Copies share what was read; may be used from several threads.
class SkyCoordinates {
public:
    /// `cards`: the header's lines of 80 characters each, one after the other. Nothing where they hold no equatorial coordinates, or such as do not lead from a
    /// pixel to the sky and back.
    static std::optional<SkyCoordinates> read(const std::string& cards);

    std::optional<Point> toSky(Point pixel) const; ///< {ra, dec}; nothing outside of the projection
    std::optional<Point> toPixel(Point sky) const; ///< nothing for places that the projection does not show, or too far away for its distortion
    Point reference() const;                       ///< the pixel that the header hangs the sky on
    bool mirrored() const;                         ///< whether the sky is seen from outside: east to the right of north at the reference
    /// Position angle (north through east, 0 to 360) at the reference of a direction given in pixels, counter-clockwise from +x towards +y.
    double positionAngle(double direction_deg) const;

    /// The lines that it was read from, those alone that speak of coordinates.
    const std::string& cards() const { return m_cards; }

private:
    SkyCoordinates() = default;
    std::string m_cards;
    std::shared_ptr<wcsprm> m_wcs;
};

} // namespace caelumen

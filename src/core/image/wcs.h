#pragma once

#include "core/base/point.h"

#include <array>
#include <optional>

namespace caelumen {

/// A gnomonic (TAN) world coordinate system (Calabretta & Greisen 2002, A&A 395, 1077): sky to pixel and back. Pixels are 0-based, sky degrees ICRS.
/// Distortion terms are not used: they matter by a pixel or so, which a check does not need.
struct TanWcs {
    Point reference; ///< pixel of the tangent point
    double ra_deg = 0, dec_deg = 0;
    std::array<double, 4> cd{}; ///< degrees per pixel: {xi by x, xi by y, eta by x, eta by y}

    Point toSky(Point pixel) const;                ///< {ra, dec}
    std::optional<Point> toPixel(Point sky) const; ///< nothing for places more than 80 degrees away
    /// Position angle (north through east) of a direction given in pixels, counter-clockwise from +x towards +y.
    double positionAngle(double direction_deg) const;
};

} // namespace caelumen

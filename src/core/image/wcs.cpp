#include "core/image/wcs.h"

namespace caelumen {
namespace {

constexpr double kDegree = M_PI / 180;

} // namespace

Point TanWcs::toSky(Point p) const {
    const double x = p.x - reference.x, y = p.y - reference.y;
    const double xi = (cd[0] * x + cd[1] * y) * kDegree, eta = (cd[2] * x + cd[3] * y) * kDegree;
    const double d = dec_deg * kDegree, down = std::cos(d) - eta * std::sin(d);
    const double ra = ra_deg + std::atan2(xi, down) / kDegree;
    const double dec = std::atan2(std::sin(d) + eta * std::cos(d), std::hypot(xi, down)) / kDegree;
    return {ra - 360 * std::floor(ra / 360), dec};
}

std::optional<Point> TanWcs::toPixel(Point sky) const {
    const double a = (sky.x - ra_deg) * kDegree, d = sky.y * kDegree, d0 = dec_deg * kDegree;
    const double along = std::sin(d) * std::sin(d0) + std::cos(d) * std::cos(d0) * std::cos(a);
    if (along < 0.17) return std::nullopt;
    const double xi = std::cos(d) * std::sin(a) / along / kDegree,
                 eta = (std::sin(d) * std::cos(d0) - std::cos(d) * std::sin(d0) * std::cos(a)) / along / kDegree;
    const double det = cd[0] * cd[3] - cd[1] * cd[2];
    return Point{reference.x + (cd[3] * xi - cd[1] * eta) / det, reference.y + (cd[0] * eta - cd[2] * xi) / det};
}

double TanWcs::positionAngle(double direction_deg) const {
    const double x = std::cos(direction_deg * kDegree), y = std::sin(direction_deg * kDegree);
    const double angle = std::atan2(cd[0] * x + cd[1] * y, cd[2] * x + cd[3] * y) / kDegree; // east over north
    return angle < 0 ? angle + 360 : angle;
}

} // namespace caelumen

#include "core/base/phrase.h"
#include "core/base/tables.h"
#include "core/model/trial.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <sstream>

namespace caelumen {

double horizonAt(const std::vector<HorizonPoint>& horizon, double azimuth_deg) {
    if (horizon.empty()) return 0;
    const double azimuth = azimuth_deg - 360 * std::floor(azimuth_deg / 360);
    const auto next = std::upper_bound(horizon.begin(), horizon.end(), azimuth, [](double a, const HorizonPoint& p) { return a < p.azimuth_deg; });
    // Around the circle: past the last point comes the first again.
    const HorizonPoint to = next == horizon.end() ? HorizonPoint{horizon.front().azimuth_deg + 360, horizon.front().altitude_deg} : *next;
    const HorizonPoint from = next == horizon.begin() ? HorizonPoint{horizon.back().azimuth_deg - 360, horizon.back().altitude_deg} : *(next - 1);
    const double span = to.azimuth_deg - from.azimuth_deg;
    return span > 0 ? from.altitude_deg + (to.altitude_deg - from.altitude_deg) * (azimuth - from.azimuth_deg) / span : from.altitude_deg;
}

Result<std::vector<HorizonPoint>> parseHorizon(const std::string& text, const std::string& name) {
    std::vector<HorizonPoint> out;
    std::istringstream lines(text);
    for (std::string line; std::getline(lines, line);) {
        const auto p = twoNumbers(line);
        if (!p) continue;
        if (p->first < 0 || p->first > 360 || p->second < -10 || p->second > 90)
            return Error{phrase("{} has a horizon point of azimuth {:g} and altitude {:g} degrees; give azimuths 0 to 360 and altitudes -10 to 90.", name,
                                p->first, p->second)};
        if (out.size() >= 10'000) return Error{phrase("{} has more than ten thousand horizon points; thin it out.", name)};
        out.push_back({p->first, p->second});
    }
    if (out.size() < 2) return Error{phrase("{} holds no horizon: give lines of azimuth and altitude in degrees.", name)};
    std::stable_sort(out.begin(), out.end(), [](const HorizonPoint& a, const HorizonPoint& b) { return a.azimuth_deg < b.azimuth_deg; });
    return out;
}

std::optional<double> skyBrightness(const Site& site) {
    if (site.sqm) return site.sqm;
    return site.bortle ? std::optional(bortleBrightness(*site.bortle)) : std::nullopt;
}

double bortleBrightness(int bortle) {
    constexpr std::array<double, 9> centres{21.99, 21.94, 21.79, 21.1, 20.0, 19.2, 18.7, 18.1, 17.5};
    return centres[static_cast<std::size_t>(std::clamp(bortle, 1, 9) - 1)];
}

} // namespace caelumen

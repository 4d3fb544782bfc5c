#include "core/plan/cells.h"

#include "core/base/phrase.h"
#include "core/sky/ephemeris.h"

#include <cmath>

namespace caelumen {

MoonCell moonCell(double lit, double alt) {
    return alt <= 0 || lit < 0.1 ? MoonCell::Dark : lit > 0.75 ? MoonCell::Full : MoonCell::Half;
}

const char* moonCellName(MoonCell cell) {
    return cell == MoonCell::Dark ? "no moon" : cell == MoonCell::Half ? "half moon" : "full moon";
}

std::optional<int> skyClass(const Site& site) {
    if (!site.sqm) return site.bortle;
    int best = 1;
    for (int b = 2; b <= 9; ++b)
        if (std::abs(bortleBrightness(b) - *site.sqm) < std::abs(bortleBrightness(best) - *site.sqm)) best = b;
    return best;
}

SkyCells cellsOf(const std::vector<Trial>& trials) {
    SkyCells out;
    for (const Trial& t : trials) {
        const auto sky = skyClass(t.site);
        if (!sky || !t.site.latitude_deg || !t.site.longitude_deg) continue;
        for (const Run& r : t.runs) {
            const auto start = parseTime(r.start);
            if (!start) continue;
            const SkyMoment m = skyAt({*t.site.latitude_deg, *t.site.longitude_deg, t.site.elevation_m},
                                      start->plusSeconds(0.5 * r.sub_count.value_or(0) * r.sub_exposure_s.value_or(0)), std::nullopt, std::nullopt);
            ++out[{*sky, moonCell(m.moonIlluminated, m.moon.alt_deg)}];
        }
    }
    return out;
}

} // namespace caelumen

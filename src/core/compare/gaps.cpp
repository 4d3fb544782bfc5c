#include "core/compare/gaps.h"

#include "core/optics/spacing.h"

#include <fmt/format.h>

#include <cmath>

namespace caelumen {

std::string explainGap(double gap_mm, const Rig& rig) {
    std::string best;
    double closest = 0.15;
    const auto offer = [&](const std::string& name, double mm) {
        if (const double miss = std::abs(std::log(gap_mm / mm)); miss < closest) {
            closest = miss;
            best = fmt::format("fits {} ({:.2f} mm)", name, mm);
        }
    };
    for (const auto& [name, mm] : rig.gaps_mm) offer(name, mm);
    if (rig.filter_thickness_mm && *rig.filter_thickness_mm > 0) offer("the filter's glass", glassAsAir_mm(*rig.filter_thickness_mm));
    return best.empty() ? "fits no known gap of the rig" : best;
}

} // namespace caelumen

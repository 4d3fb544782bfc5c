#include "core/compare/gaps.h"

#include "core/base/phrase.h"
#include "core/optics/spacing.h"

#include <fmt/format.h>

#include <cmath>

namespace caelumen {

std::vector<std::pair<std::string, double>> gapsOf(const Rig& rig) {
    std::vector<std::pair<std::string, double>> out(rig.gaps_mm.begin(), rig.gaps_mm.end());
    if (rig.filter_thickness_mm && *rig.filter_thickness_mm > 0) out.emplace_back(phrase("the filter's glass"), glassAsAir_mm(*rig.filter_thickness_mm));
    return out;
}

std::string explainGap(double gap_mm, const Rig& rig) {
    std::string best;
    double closest = 0.15;
    for (const auto& [name, mm] : gapsOf(rig))
        if (const double miss = std::abs(std::log(gap_mm / mm)); miss < closest) {
            closest = miss;
            best = phrase("fits {} ({:.2f} mm)", name, mm);
        }
    return best.empty() ? phrase("fits no known gap of the rig") : best;
}

} // namespace caelumen

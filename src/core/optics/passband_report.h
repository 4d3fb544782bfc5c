#pragma once

#include "core/base/json.h"
#include "core/optics/light_cone.h"

namespace caelumen {

/// All that a curve says about a filter, in parallel light and in a cone.
struct PassbandReport {
    struct Row {
        Band normal;
        std::optional<Band> effective; ///< absent when the cone leaves no band
    };
    struct LineRow {
        EmissionLine line;
        double normal = 0, effective = 0;
        FastestRatio fastest; ///< to keep 90 %
    };
    LightCone cone;
    Curve effective;
    std::vector<Row> bands;
    std::vector<LineRow> lines;
    Leaks leaks; ///< of the curve as it is, parallel light
};

PassbandReport reportPassband(const Curve& curve, const LightCone& cone);

/// As in docs/formats.md.
Json passbandToJson(const PassbandReport& report);

} // namespace caelumen

#pragma once

#include "core/base/json_fwd.h"
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
        bool covered = true;              ///< the curve reaches there, in the cone too; else nothing is known
        double normal = 0, effective = 0; ///< transmission in parallel light and in the cone, 0 to 1
        FastestRatio fastest;             ///< to keep 90 %; only when asked for
    };
    LightCone cone;
    Curve effective;
    std::vector<Row> bands;
    std::vector<LineRow> lines;
    Leaks leaks; ///< of the curve as it is, parallel light
};

/// How fine the curve in the cone is drawn, and whether the fastest f-ratios are looked for (they do not depend on the cone's own f-ratio).
struct ReportOptions {
    double step_nm = 0.05;
    bool fastest = true;
};
PassbandReport reportPassband(const Curve& curve, const LightCone& cone, const ReportOptions& options = {});

/// As in docs/formats.md.
Json passbandToJson(const PassbandReport& report);

} // namespace caelumen

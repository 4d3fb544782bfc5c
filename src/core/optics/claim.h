#pragma once

#include "core/optics/passband.h"

#include <string>
#include <vector>

namespace caelumen {

/// What a maker says about one band. Parts are absent where nothing is said.
struct BandClaim {
    double center_nm = 0;
    std::optional<double> fwhm_nm, peak;
    friend bool operator==(const BandClaim&, const BandClaim&) = default;
};

/// How far a measured band may lie from a claim.
struct ClaimTolerance {
    double center_nm = 1;
    double fwhm = 0.15; ///< part of the claimed width
    double peak = 0.05; ///< absolute; more than claimed is no fault
};

struct ClaimVerdict {
    BandClaim claim;
    std::optional<Band> measured; ///< absent: no band near the claimed place
    bool holds = false;
    std::string text; ///< a plain sentence
};

/// What a maker says of the light between the bands, held against the curve.
struct LeakVerdict {
    bool holds = false, known = true; ///< known: the curve tells it
    std::string text;
};
/// A claimed optical density against the worst that the curve shows between its bands, 400 to 700 nm. `finest`: the smallest transmission that the curve
/// tells from none (finestStep): what lies below neither proves nor refutes a density. A tenth of a density is allowed for.
LeakVerdict checkDensity(double claimed, const Leaks& measured, double finest = 0);

/// The smallest step between a curve's values below 2 %: a table in whole tenths of a per cent cannot tell a density beyond 3. 0: no two of them differ.
double finestStep(const Curve& curve);

/// Each claim against the nearest measured band within one and a half claimed widths (5 nm where no width is claimed).
std::vector<ClaimVerdict> checkClaims(const std::vector<BandClaim>& claims, const std::vector<Band>& measured, const ClaimTolerance& tolerance = {});

/// The curve that claims describe, 400 to 700 nm and as far as bands lie: flat tops of the claimed width and peak (90 % where none is claimed) with steep
/// sides, dark between. Bands without a width are left out; empty where none has one.
Curve curveOfClaims(const std::vector<BandClaim>& claims);

/// What does not fit together in the claims themselves, in sentences.
std::vector<std::string> contradictions(const std::vector<BandClaim>& claims);

} // namespace caelumen

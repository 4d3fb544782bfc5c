#include "core/optics/claim.h"

#include "core/base/phrase.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>

namespace caelumen {

std::vector<ClaimVerdict> checkClaims(const std::vector<BandClaim>& claims, const std::vector<Band>& measured, const ClaimTolerance& tolerance) {
    std::vector<ClaimVerdict> out;
    for (const BandClaim& c : claims) {
        ClaimVerdict v{c, std::nullopt, false, {}};
        const double reach = std::max(5.0, 1.5 * c.fwhm_nm.value_or(0));
        for (const Band& b : measured)
            if (std::abs(b.center_nm - c.center_nm) < reach &&
                (!v.measured || std::abs(b.center_nm - c.center_nm) < std::abs(v.measured->center_nm - c.center_nm)))
                v.measured = b;
        if (!v.measured) {
            v.text = phrase("Claimed at {:g} nm: the curve has no band there.", c.center_nm);
            out.push_back(v);
            continue;
        }
        std::vector<std::string> wrong;
        if (std::abs(v.measured->center_nm - c.center_nm) > tolerance.center_nm) wrong.push_back(phrase("its centre lies at {:.1f} nm", v.measured->center_nm));
        if (c.fwhm_nm && std::abs(v.measured->fwhm_nm / *c.fwhm_nm - 1) > tolerance.fwhm)
            wrong.push_back(phrase("it is {:.1f} nm wide, not {:g}", v.measured->fwhm_nm, *c.fwhm_nm));
        if (c.peak && v.measured->peak < *c.peak - tolerance.peak)
            wrong.push_back(phrase("it peaks at {:.0f} %, not {:.0f}", 100 * v.measured->peak, 100 * *c.peak));
        v.holds = wrong.empty();
        v.text = v.holds ? phrase("Claimed at {:g} nm: holds ({:.1f} nm, {:.1f} nm wide, {:.0f} %).", c.center_nm, v.measured->center_nm, v.measured->fwhm_nm,
                                  100 * v.measured->peak)
                         : phrase("Claimed at {:g} nm: wrong, {}.", c.center_nm, fmt::join(wrong, "; "));
        out.push_back(v);
    }
    return out;
}

LeakVerdict checkDensity(double claimed, const Leaks& measured, double finest) {
    constexpr double kTolerance = 0.1;
    const std::string said = phrase("A density of {:g} between the bands is claimed: ", claimed);
    if (!measured.worstDensity) return {false, false, said + phrase("the curve does not reach there.")};
    const double worst = *measured.worstDensity, deepest = finest > 0 ? -std::log10(finest) : 9;
    if (worst < claimed - kTolerance && worst < deepest - kTolerance)
        return {false, true,
                said + phrase("wrong, it is {:.1f} at {:.0f} nm, {:.0f} times as much light.", worst, measured.worst_nm.value_or(0),
                              std::pow(10, claimed - worst))};
    if (std::min(worst, deepest) >= claimed - kTolerance)
        return {true, true,
                said + (worst < 9 ? phrase("holds, {:.1f} at worst ({:.0f} nm).", worst, measured.worst_nm.value_or(0)) : phrase("holds, nothing passes."))};
    return {false, false, said + phrase("this curve tells densities down to {:.1f} only, so it neither proves nor refutes that.", deepest)};
}

double finestStep(const Curve& curve) {
    std::vector<double> low;
    for (const double t : curve.transmission)
        if (t < 0.02) low.push_back(std::max(0.0, t));
    std::sort(low.begin(), low.end());
    double out = 0;
    for (std::size_t i = 1; i < low.size(); ++i)
        if (const double step = low[i] - low[i - 1]; step > 1e-10 && (out == 0 || step < out)) out = step;
    return out;
}

Curve curveOfClaims(const std::vector<BandClaim>& claims) {
    constexpr double kUsualPeak = 0.9, kStep = 0.1, kSteep = 8; // exponent of a super-Gaussian, as interference coatings have it
    Curve out;
    double low = 400, high = 700;
    bool any = false;
    for (const BandClaim& c : claims) {
        if (!c.fwhm_nm || *c.fwhm_nm <= 0) continue;
        any = true;
        low = std::min(low, c.center_nm - 2 * *c.fwhm_nm), high = std::max(high, c.center_nm + 2 * *c.fwhm_nm);
    }
    if (!any) return out;
    const auto n = static_cast<std::size_t>(std::ceil((high - low) / kStep));
    for (std::size_t i = 0; i <= n; ++i) {
        const double nm = low + kStep * static_cast<double>(i);
        double most = 0;
        for (const BandClaim& c : claims)
            if (c.fwhm_nm && *c.fwhm_nm > 0)
                most = std::max(most, std::min(1.0, c.peak.value_or(kUsualPeak)) * std::pow(2, -std::pow(2 * std::abs(nm - c.center_nm) / *c.fwhm_nm, kSteep)));
        out.wavelength_nm.push_back(nm);
        out.transmission.push_back(most);
    }
    return out;
}

std::vector<std::string> contradictions(const std::vector<BandClaim>& claims) {
    std::vector<std::string> out;
    for (std::size_t i = 0; i < claims.size(); ++i) {
        const BandClaim& a = claims[i];
        if (a.peak && *a.peak > 1) out.push_back(phrase("A peak of {:.0f} % at {:g} nm is more than all light.", 100 * *a.peak, a.center_nm));
        for (std::size_t k = i + 1; k < claims.size(); ++k) {
            const BandClaim& b = claims[k];
            if (a.fwhm_nm && b.fwhm_nm && std::abs(a.center_nm - b.center_nm) < 0.5 * (*a.fwhm_nm + *b.fwhm_nm))
                out.push_back(phrase("The bands claimed at {:g} and {:g} nm overlap: they would be one.", a.center_nm, b.center_nm));
        }
        // A narrow band is made for a line.
        if (!a.fwhm_nm || *a.fwhm_nm > 15) continue;
        double nearest = 1e9, at = 0;
        for (const EmissionLine line : kLines)
            for (const double nm : lineWavelengths(line))
                if (std::abs(nm - a.center_nm) < nearest) nearest = std::abs(nm - a.center_nm), at = nm;
        if (nearest > *a.fwhm_nm / 2 && nearest < 15)
            out.push_back(phrase("A band at {:g} nm, {:g} nm wide, misses the line at {:.2f} nm.", a.center_nm, *a.fwhm_nm, at));
    }
    return out;
}

} // namespace caelumen

#pragma once

#include "core/measure/plane_view.h"
#include "core/stars/background_mesh.h"

#include <array>
#include <vector>

namespace caelumen {

/// The sky of one plane: b0 + bx u + by v + q (u^2 + v^2), u and v as in SurfaceBasis, in the plane's units.
struct Surface {
    double b0 = 0, bx = 0, by = 0, q = 0;              ///< b0: the level in the middle; the others: change from there to the corners
    std::array<std::array<double, 4>, 4> covariance{}; ///< of b0, bx, by, q
    double residual = 0;                               ///< rms of the cells used about the model
    double excess = 1;     ///< that rms over what the cells' own errors let expect: faint stars, flat-field and gas on the scale of cells
    double coverage = 0;   ///< cells offered to the fit over all cells (neither hidden by stars nor excluded)
    std::size_t cells = 0; ///< cells used
    bool valid = false;

    double at(const SurfaceBasis& s) const { return b0 + bx * s.u + by * s.v + q * s.rr; }
    /// Variance of the model's difference between two places (the level cancels).
    double differenceVariance(const SurfaceBasis& a, const SurfaceBasis& b) const;
};

/// Fits the model to mesh cells, those in `excluded` left out. Starts from the surface on which most cells agree and keeps cells within 3 sigma,
/// sigma being the cells' own noise or what neighbours differ by; the tolerance widens until a quarter of the cells is kept. `rejectedHigh` (when
/// given) gets the cells that stand out as brighter.
Surface fitSurface(const BackgroundMesh& mesh, const std::vector<char>& excluded, int width, int height, std::vector<char>* rejectedHigh = nullptr);

/// The same model through what is left when more cells are excluded, starting from a surface that was fitted before: cells within 3 sigma of it. Invalid where
/// too few are left.
Surface refitSurface(const BackgroundMesh& mesh, const std::vector<char>& excluded, int width, int height, const Surface& start);

/// Two fits to the same sky, the second to a part of the first's cells, differ by more than chance: something other than noise lies in the cells that only the
/// first has.
bool disagree(const Surface& first, const Surface& part);

/// A fit with larger errors: where another that leaves out more or less sky differs from it, some of what makes them differ may still be in it.
Surface withDoubt(Surface fit, const Surface& other);

/// The azimuthal mean of the fit's residual exceeds three of its own errors somewhere: a ring in the sky.
bool hasRing(const BackgroundMesh& mesh, const std::vector<char>& excluded, const Surface& surface, int width, int height);

} // namespace caelumen

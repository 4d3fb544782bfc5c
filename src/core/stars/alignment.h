#pragma once

#include "core/base/point.h"
#include "core/base/result.h"

#include <optional>
#include <utility>
#include <vector>

namespace caelumen {

/// Maps a baseline pixel to a run pixel (stored pixels of each):
///   x' = scale * (cos r * m * x - sin r * y) + dx
///   y' = scale * (sin r * m * x + cos r * y) + dy,   m = -1 when mirrored, else 1.
struct Alignment {
    double dx = 0, dy = 0, rotation_deg = 0, scale = 1;
    bool mirrored = false;
    double rms_px = 0; ///< of the matched stars, in run pixels
    int matched = 0;

    Point map(Point baseline) const;
    Point unmap(Point run) const;

    /// The same maps with their trigonometry done once, for loops over pixels.
    struct Affine {
        double xx, xy, yx, yy, dx, dy;
        Point operator()(Point p) const { return {xx * p.x + xy * p.y + dx, yx * p.x + yy * p.y + dy}; }
    };
    Affine forward() const;
    Affine backward() const;
};

struct AlignStar {
    Point at;
    double flux = 0; ///< in any unit, for the order
};

/// Least squares for the similarity of known handedness that takes the first point of each pair to the second; nothing for fewer than two apart.
std::optional<Alignment> fitSimilarity(const std::vector<std::pair<Point, Point>>& pairs, bool mirrored);

/// Finds the similarity (shift, any rotation, scale 0.3 to 3, mirror) between two star lists of the same field by matching triangles
/// (after Groth 1986, AJ 91, 1244; Valdes et al. 1995, PASP 107, 1119) and refining on all stars in common. Eight common stars are enough.
/// A match is believed by its odds: fewer than 1e-8 as good are expected by chance among all transforms that the triangles offered, at the density that the
/// stars have there (chance_match.h); a sentence comes back otherwise. `scale` is the one to expect where both pixel scales are stated; one that differs by
/// more than 7 % is believed only at 1e-13. The lists need not be sorted.
Result<Alignment> align(std::vector<AlignStar> baseline, std::vector<AlignStar> run, std::optional<double> scale = {});

} // namespace caelumen

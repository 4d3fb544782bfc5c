#pragma once

#include "core/measure/star_mask.h"

#include <vector>

namespace caelumen {

/// The light of stars that their masks do not hide: wings run on beneath the noise of a pixel, yet add up to a measurable level over thousands of stars.
/// Predicted from the catalogue and the frame's own star image on a coarse grid, to be taken off means; plane pixels and units.
class StarGlow {
public:
    StarGlow() = default;
    /// `hidden[i]` is the radius to which star i is masked, plane pixels. Nothing is predicted without a star image.
    StarGlow(const std::vector<Star>& stars, const std::vector<double>& hidden, const std::optional<Psf>& psf, int width, int height);

    /// Mean unmasked starlight around a place.
    double at(double x, double y) const;

private:
    int m_across = 0, m_down = 0;
    double m_far = 0; ///< from all stars together, too far out to know from which
    std::vector<float> m_light;
};

} // namespace caelumen

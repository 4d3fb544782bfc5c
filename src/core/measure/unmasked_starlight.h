#pragma once

#include "core/measure/star_mask.h"
#include "core/stars/background_mesh.h"

#include <vector>

namespace caelumen {

/// The light of stars that their masks do not hide: wings run on beneath the noise of a pixel, yet add up to a measurable level over thousands of stars.
/// Predicted from the catalogue and the frame's own star image, to be taken off means; plane pixels and units.
class UnmaskedStarlight {
public:
    UnmaskedStarlight() = default;
    /// `hidden[i]` is the radius to which star i is masked, plane pixels. Nothing is predicted without a star image. Where a star gives no more than `nothing`
    /// to a pixel it is left out.
    UnmaskedStarlight(const std::vector<Star>& stars, const std::vector<double>& hidden, const std::optional<Psf>& psf, int width, int height,
                      double nothing = 0);

    /// Unmasked starlight at a pixel.
    double at(int x, int y) const { return m_near.empty() ? 0 : lightOf(m_near.row(y / kFine)[x / kFine], m_wide.row(y / kCoarse)[x / kCoarse]); }
    /// Its mean over the pixels of each cell that the mask leaves.
    std::vector<double> over(const BackgroundMesh& mesh, const Mask& mask) const;

    /// Holds the prediction against a star-masked mesh: cells with more starlight than their neighbours must be as much brighter. Wings that were measured too
    /// faint (in a crowded field nobody sees them end) and stars too faint to be found are made up for, in both directions by at most a factor of three. Gives
    /// `over` as it is then.
    std::vector<double> calibrate(const BackgroundMesh& mesh, const Mask& mask);

private:
    static constexpr int kFine = 4, kCoarse = 24; ///< sides of the squares that light is known in
    static_assert(kCoarse % kFine == 0);
    struct Grid {
        int across = 0, down = 0;
        std::vector<float> light;
        bool empty() const { return light.empty(); }
        const float* row(int y) const { return light.data() + static_cast<std::ptrdiff_t>(y) * across; }
        float* row(int y) { return light.data() + static_cast<std::ptrdiff_t>(y) * across; }
    };
    double lightOf(float near, float wide) const { return (static_cast<double>(near) + static_cast<double>(wide)) * m_scale + m_far; }
    Grid m_near, m_wide; ///< from stars nearer and farther than a coarse square or so
    double m_scale = 1;
    double m_far = 0; ///< from all stars together, too far out to know from which
};

} // namespace caelumen

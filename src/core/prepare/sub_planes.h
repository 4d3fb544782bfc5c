#pragma once

#include "core/prepare/calibration.h"

#include <array>

namespace caelumen {

/// Where a channel's values lie in the stored frame: one lattice of sites, or the two of a mosaic's greens.
struct Lattice {
    int stored = 0;            ///< stored plane
    PlaneGeometry geometry;    ///< pixel of the lattice to stored pixel
    std::array<int, 2> site{}; ///< of a mosaic: x and y of its place in the cell
};
/// The lattices of a channel; `together`: a mosaic's greens as their mean in the middle of the cell, which is what a cell gives without interpolation.
std::vector<Lattice> latticesOf(const FrameInfo& info, std::size_t channel, bool together);

/// Calibrated rows of one exposure, and what can be made of them.
class SubPixels {
public:
    SubPixels(StoredRows rows, const FrameInfo& info, const Calibration& calibration)
        : m_rows(std::move(rows))
        , m_info(&info)
        , m_calibration(&calibration) {}

    /// Rows of one lattice from `y` on into `to`, row after row of the lattice's width.
    Status read(const Lattice& lattice, bool together, int y, int count, float* to) const;
    /// Several lattices of the same pitch at once: a mosaic is read and calibrated only once.
    Status read(const std::vector<Lattice>& lattices, bool together, int y, int count, const std::vector<float*>& to) const;
    /// A whole channel (mosaic cells together).
    /// `spare`: planes that are no longer needed, whose memory is taken.
    Result<std::vector<Plane>> planes(std::vector<Plane> spare = {}) const;

private:
    StoredRows m_rows;
    const FrameInfo* m_info;
    const Calibration* m_calibration;
};

} // namespace caelumen

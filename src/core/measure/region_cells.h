#pragma once

#include "core/measure/region_rows.h"

namespace caelumen {

/// What a region is summed in: small squares, so that a place hidden by a star counts with what is seen beside it.
struct RegionCell {
    double sum = 0, n = 0, whole = 0; ///< of the pixels used, plane units; how many; how many lie in the region
    double x = 0, y = 0;              ///< sums of the places of the pixels used
    double wholeX = 0, wholeY = 0;    ///< and of all that lie in the region
    double starlight = 0;             ///< sum of the unmasked starlight in the pixels used
    double trend = 0;                 ///< over the whole of the cell
    double level = 0;                 ///< of a seen cell, less the trend
    double filled = 0;                ///< the same given to a hidden one
    bool isFilled = false;
    double speaksFor = 0; ///< area of hidden cells whose level was taken from this one
    float middle = 0;

    bool isKnown() const { return n * 6 >= whole && n > 0; }
};

/// The cells of the box around a region, row by row.
class RegionCells {
public:
    RegionCells(const PlaneView& view, const Region& region) {
        const PlaneView::Box b = view.boxOf(region);
        if (b.x0 >= b.x1 || b.y0 >= b.y1) return;
        m_x = b.x0 / kRegionCell, m_y = b.y0 / kRegionCell;
        m_across = (b.x1 - 1) / kRegionCell + 1 - m_x;
        cells.resize(static_cast<std::size_t>(m_across) * static_cast<std::size_t>((b.y1 - 1) / kRegionCell + 1 - m_y));
    }
    std::size_t index(int x, int y) const {
        return static_cast<std::size_t>(y / kRegionCell - m_y) * static_cast<std::size_t>(m_across) + static_cast<std::size_t>(x / kRegionCell - m_x);
    }
    std::size_t across() const { return static_cast<std::size_t>(m_across); }
    std::vector<RegionCell> cells;
    double trendError = 0; ///< of the region's mean, by carrying the trend over hidden cells, for noise of one in each pixel

private:
    int m_x = 0, m_y = 0, m_across = 0;
};

/// Levels of the cells of nebula: what stands beside a trend where pixels were seen, and where stars hide them; and the trend itself over the whole of each
/// cell.
void levelStructured(RegionCells& grid);

} // namespace caelumen

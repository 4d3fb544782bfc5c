#pragma once

#include "core/base/ramp.h"
#include "core/image/plane.h"
#include "core/stars/mask.h"

#include <vector>

namespace caelumen {

struct MeshCell {
    Point centre;         ///< mean position of the pixels used, plane pixels
    double level = 0;     ///< clipped mean of the pixels used
    double sigma = 0;     ///< their standard deviation about it
    std::size_t used = 0; ///< 0: the cell has too few usable pixels
};

/// The sky in square cells: row by row, `across` x `down` of `cell` pixels; the last row and column may be cut.
struct BackgroundMesh {
    int cell = 0, across = 0, down = 0;
    int width = 0, height = 0; ///< of the plane
    std::vector<MeshCell> cells;

    const MeshCell& at(int i, int j) const { return cells[static_cast<std::size_t>(j) * static_cast<std::size_t>(across) + static_cast<std::size_t>(i)]; }
    /// Cells with enough usable pixels, as a part of all.
    double coverage() const;
};

/// Clipped level and noise in cells of `cell` pixels: 3 sigma about the median, both from about a thousand pixels of the cell, then the mean of all
/// pixels within. A cell is used when at least `minPart` of its pixels are finite and unmasked. Runs in parallel; the result does not depend on the number of
/// threads.
BackgroundMesh buildMesh(const Plane& plane, const Mask& mask, int cell, double minPart = 0.3);

/// The same from some hundred pixels of each cell alone: ten times as fast, and good to a twentieth of the noise of a pixel.
BackgroundMesh sampleMesh(const Plane& plane, int cell);

/// A cell size that follows the sky without following stars: about 32 cells along the short side, 24 to 128 pixels.
int defaultCell(const Plane& plane);

/// The mesh as a smooth map: empty cells filled from their neighbours, outliers removed by a 3x3 median,
/// bilinear between cell centres.
class SmoothSky {
public:
    explicit SmoothSky(const BackgroundMesh& mesh);
    double level(double x, double y) const { return interpolate(m_level, x, y); }
    double sigma(double x, double y) const { return interpolate(m_sigma, x, y); }
    /// level + sigmas * sigma at the pixels from <= x < end of row `y`, from to[0] on.
    void row(int y, double sigmas, int from, int end, float* to) const;
    /// The same as the straight pieces that it is made of; those from a piece's first pixel on are the same as in the whole row.
    void pieces(int y, double sigmas, int from, int end, std::vector<rows::Piece>& to) const;
    /// Rows of one piece down a column follow one another up to such a row, and begin anew with the next one: the first one from `y` on.
    int lastOfPiece(int y) const;
    double typicalSigma() const { return m_typicalSigma; }

private:
    double interpolate(const std::vector<double>& map, double x, double y) const;
    int m_cell = 1, m_across = 0, m_down = 0;
    std::vector<double> m_level, m_sigma;
    double m_typicalSigma = 0;
};

/// Level (median of the cells) and noise of a pixel of a plane's sky, from a sample of it, stars and all. Plane units; 0 where nothing is seen of it.
struct SkyLevel {
    double level = 0, noise = 0; ///< plane units
};
SkyLevel sampledSky(const Plane& plane);

} // namespace caelumen

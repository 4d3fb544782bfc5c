#pragma once

#include "core/base/result.h"
#include "core/optics/curve.h"

#include <array>
#include <cstdint>
#include <optional>
#include <vector>

namespace caelumen {

/// A point of a picture, pixels; the middle of the first pixel is (0, 0), y runs down.
struct ChartPoint {
    double x = 0, y = 0;
    friend bool operator==(const ChartPoint&, const ChartPoint&) = default;
};

/// A picture of a printed chart: rows of red, green, blue.
struct ChartPicture {
    int width = 0, height = 0;
    std::vector<std::uint8_t> rgb;

    /// Colour between pixels, bilinear; white outside.
    std::array<double, 3> at(ChartPoint p) const;
};

/// A place on an axis and the value that stands there.
struct AxisMark {
    ChartPoint at;
    double value = 0; ///< nm, or transmission 0..1
    friend bool operator==(const AxisMark&, const AxisMark&) = default;
};

/// How transmission runs along its axis. Charts of how well a filter blocks (optical density) are logarithmic.
enum class ChartRun { Even, Logarithmic };

/// From a picture to wavelength and transmission by two marks on each axis. A turned or skewed picture is allowed: each value runs evenly, or its logarithm
/// does, along its own axis.
class ChartScale {
public:
    static Result<ChartScale> from(const std::array<AxisMark, 2>& wavelength, const std::array<AxisMark, 2>& transmission, ChartRun run = ChartRun::Even);

    double wavelength(ChartPoint p) const;   ///< nm
    double transmission(ChartPoint p) const; ///< 0 to 1
    ChartPoint place(double nm, double transmission) const;
    ChartPoint along() const { return m_along; } ///< one pixel along the wavelength axis, to longer wavelengths
    std::pair<double, double> span() const;      ///< transmissions between which a line may lie
    ChartPoint up() const { return m_up; }       ///< one pixel along the transmission axis, to higher transmission

private:
    ChartPoint m_origin, m_along, m_up;                          ///< where the first wavelength mark lies, and steps of one pixel along the axes
    double m_nm0 = 0, m_nmPerStep = 0, m_t0 = 0, m_tPerStep = 0; ///< of log10 of the transmission where that runs evenly
    double m_lowest = 0;                                         ///< of the two marks
    ChartRun m_run = ChartRun::Even;
    std::pair<double, double> steps(ChartPoint p) const; ///< from the origin, along and up
};

struct TraceOptions {
    double colourReach = 90; ///< how far (root of summed squares, 0..441) a colour may lie from the line's, halfway to the paper at most
    int mostGap = 24;        ///< steps that grid lines, letters and dashes may hide
};

/// Follows the line of the colour found at `start` to both ends. The middle of the line to a part of a pixel, also where it is steep or turns: the upper and
/// the lower rim are taken back by half the line's width (closing and opening with a disc; Serra 1982, Image Analysis and Mathematical Morphology). An error
/// where there is no line at `start`.
Result<std::vector<ChartPoint>> followLine(const ChartPicture& picture, const ChartScale& scale, ChartPoint start, const TraceOptions& options = {});

/// The points as a curve: sorted by wavelength, points at one wavelength averaged, transmission cut to 0..1.
Curve curveFrom(const std::vector<ChartPoint>& points, const ChartScale& scale);

/// Fewer points that leave the line by no more than `tolerance` pixels (Douglas & Peucker 1973, Cartographica 10, 112).
std::vector<ChartPoint> thinnedLine(const std::vector<ChartPoint>& line, double tolerance);

} // namespace caelumen

#pragma once

#include "core/picture/stretch.h"
#include "core/stars/alignment.h"

#include <cstdint>
#include <memory>
#include <optional>

namespace caelumen {

/// Which part of the baseline's frame a picture on the screen shows: the stored pixel under the centre of its first pixel, and how many stored pixels each of
/// its pixels spans.
struct ViewPlace {
    int width = 0, height = 0;     ///< of the picture
    double x = 0, y = 0, step = 1; ///< centre of its first pixel and distance of two, baseline stored pixels
    friend bool operator==(const ViewPlace&, const ViewPlace&) = default;
};

/// A run's picture, and how the baseline's pixels lie in it.
struct ViewRun {
    Seen seen;
    Alignment fromBaseline;
};

/// What codes become on the screen, made once for many places.
class ViewShades {
public:
    ViewShades(const Seen& seen, const Stretch& stretch);
    ViewShades(const Seen& seen, const Seen& baseline); ///< for their ratio
    struct Tables;
    const Tables& tables() const { return *m_tables; }

private:
    std::shared_ptr<Tables> m_tables;
};

/// Pixels as 0xffRRGGBB, row by row with `stride` words between rows; black where the run has none. Magnified pixels stay pixels, others are interpolated. For
/// looking only; rows are made side by side on all processors.
void renderView(const ViewRun& run, const ViewPlace& place, const ViewShades& shades, PictureTint tint, std::uint32_t* to, std::size_t stride);
void renderView(const ViewRun& run, const ViewPlace& place, const Stretch& stretch, PictureTint tint, std::uint32_t* to, std::size_t stride);

/// The run's electrons over the baseline's from the same area of the sky, each as it is seen (in colour: all channels together), on a logarithmic scale from
/// kRatioLow to kRatioHigh in colours that grow lighter from blue to yellow; black where either has none.
inline constexpr double kRatioLow = 1.0 / 64, kRatioHigh = 4;
void renderRatio(const ViewRun& run, const ViewRun& baseline, const ViewPlace& place, const ViewShades& shades, PictureTint tint, std::uint32_t* to,
                 std::size_t stride);
/// The colour of a ratio.
std::uint32_t ratioColour(double ratio, PictureTint tint);

/// What is seen at a place of the baseline's frame, e-/s per pixel, averaged over about `step` stored pixels as the screen does: each channel in colour, else
/// the sum. Nothing where there are no data.
std::optional<std::vector<double>> rateAt(const ViewRun& run, Point baseline, double step);

} // namespace caelumen

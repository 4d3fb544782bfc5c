#pragma once

#include "core/base/json_fwd.h"
#include "core/grid/model.h"

namespace caelumen {

enum class GridQuantity { TimeRatio, Contrast, Background, Hours, SubLength, HaloCleanMag };
inline constexpr std::array kGridQuantities{GridQuantity::TimeRatio, GridQuantity::Contrast,  GridQuantity::Background,
                                            GridQuantity::Hours,     GridQuantity::SubLength, GridQuantity::HaloCleanMag};
const char* gridQuantityName(GridQuantity quantity); ///< as in files: "time_ratio"
const char* gridQuantityLabel(GridQuantity quantity);
const char* gridQuantityUnit(GridQuantity quantity);
std::optional<GridQuantity> gridQuantity(std::string_view name);

/// Where a cell's value comes from. They never look alike.
enum class CellOrigin { Measured, Scaled, Modelled, Empty };
const char* cellOriginName(CellOrigin origin);

struct GridCell {
    std::string filter, channel;
    GridSky sky;
    CellOrigin origin = CellOrigin::Empty;
    double value = 0;
    double sigma = 0;      ///< the whole error
    double modelSigma = 0; ///< the model's part of it
    std::string reason;    ///< why it is empty
    std::vector<std::string> notes;
    std::vector<std::size_t> runs;                        ///< it rests on, in GridInput::runs
    std::map<std::string, double> background;             ///< e-/s/px, by channel
    std::optional<GridFigure> minutesOfDark;              ///< what an hour under this moon is worth without the moon, for this filter
    std::optional<std::pair<double, double>> histogram_s; ///< sub lengths of the second school, where sub lengths are asked for
};

/// What is asked.
struct GridQuestion {
    GridQuantity quantity = GridQuantity::TimeRatio;
    TargetKind kind = TargetKind::Emission;
    std::optional<double> brightness; ///< of the target, for contrast and hours: rayleigh, or V mag per square arcsecond; else a usual one
    std::vector<GridSky> skies;
};
double usualBrightness(TargetKind kind);

/// One cell. Measured: a run of the filter lies in it: the same class of sky, and the moon down, or lit within 0.15, as high and as far within 25 degrees; what
/// the sky still differs by is part of its error. Scaled: the nearest measured run times the model's ratio. Modelled: from the curve alone.
GridCell gridCell(const GridModel& model, const GridQuestion& question, const GridFilter& filter, const GridSky& sky);

/// All filters under all skies, filters in the input's order.
std::vector<GridCell> gridCells(const GridModel& model, const GridQuestion& question);

/// Signal to noise of one box of 10 arcseconds that "hours" is about.
inline constexpr double kDepthSnr = 5;

} // namespace caelumen

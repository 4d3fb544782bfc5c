#pragma once

#include "core/grid/grid.h"

namespace caelumen {

/// From which sky on some filter beats the baseline on a kind of target.
struct Frontier {
    TargetKind kind = TargetKind::Emission;
    std::optional<double> from_mag; ///< zenith brightness where the best filter is even with the baseline, brighter skies on; nothing: nowhere, or everywhere
    std::string filter;             ///< wins under all skies from there on, best under the darkest; where none does, the best one there; empty: none wins
    std::string text;               ///< a sentence
};

/// For every kind, under skies from Bortle 1 to 9 with this moon. A filter beats the baseline where its time ratio is above one with 95 % certainty.
std::vector<Frontier> frontiers(const GridModel& model, std::optional<GridMoon> moon, double altitude_deg = 60);

/// A measurement that could be made, and what it would be good for.
struct NextMeasurement {
    std::string filter;
    std::size_t site = 0; ///< where: one of the places that trials were made at
    GridSky sky;
    double hours = 0; ///< of darkness, for filter and baseline together
    double sigma = 0; ///< that the new run's figure would have, as a part
    double gain = 0;  ///< part of the summed variance (in logarithms) of all asked cells that goes, per hour
    std::string text;
};

/// The measurements that would reduce the doubt about the asked kind and skies (variance of the time ratios' logarithms) most for each hour of darkness, best
/// first: a run with its foretold error, carried to every cell of its filter by the model, joined with what is known there.
std::vector<NextMeasurement> nextMeasurements(const GridModel& model, const GridQuestion& question, std::size_t most = 5);

} // namespace caelumen

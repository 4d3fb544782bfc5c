#pragma once

#include "core/compare/evidence.h"
#include "core/verdict/verdict.h"
#include "report/plot.h"

#include <functional>

namespace caelumen {

/// The colours of a plot: the window's theme, or those of a report.
struct PlotInk {
    std::function<QColor(const std::string& run)> colourOf;
    QColor accent = QColor("#888888"), dim = QColor("#888888");
};

/// What each filter adds to a star's light by radius, in the channel of its headline; empty where none was measured. `run`: that one alone, with its errors,
/// the difference in focus and its plateaus.
Plot haloPlot(const Trial& trial, const TrialResults& results, const std::string& region, const PlotInk& ink, const std::string& run = {});

/// Colours of stars (`index`: "B-R") through filters against the baseline's. `run`: that one alone, with its line and the one of all colour kept.
Plot colourPlot(const Trial& trial, const TrialResults& results, const std::string& index, const PlotInk& ink, const std::string& run = {});

/// What an hour that a filter saved has cost by the years of use, with a band for the error of the hours, of those that save hours and have a price.
struct PayoffLine {
    QString name;
    FilterStyle style;
    FilterValue value;
};
Plot payoffPlot(const std::vector<PayoffLine>& lines);

} // namespace caelumen

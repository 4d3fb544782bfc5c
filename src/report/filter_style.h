#pragma once

#include <QColor>
#include <QPainterPath>
#include <QString>

#include <map>
#include <string>
#include <vector>

namespace caelumen {

struct Trial;

/// Every filter of a trial has one colour and one marker shape, the same in lanes, plots and reports. The colours differ for all common
/// kinds of colour vision; shapes and numbers tell the filters apart without any colour.
struct FilterStyle {
    QColor colour;
    int shape = 0;  ///< 0 circle, 1 square, 2 triangle, 3 diamond, 4 pentagon, 5 cross, then again
    int number = 1; ///< shown in or beside the marker, from 1

    /// The marker about the origin with the given radius.
    QPainterPath marker(double radius) const;
};

/// `index` is the run's place in the trial; `baseline` takes a neutral grey. In red all filters are shades of red.
FilterStyle filterStyle(int index, bool baseline, bool redTheme = false);

/// The style of a run, from the letter of its name where it has one, else from its place behind those: whichever other runs come or go, it keeps it.
FilterStyle runStyle(const Trial& trial, const std::string& run, bool baseline, bool redTheme = false);

/// Of all filters of a comparison over several trials: those of `trial` as it has them, the others after them, no two alike as far as styles go.
std::map<std::string, FilterStyle> filterStyles(const Trial& trial, const std::vector<std::string>& filters, bool redTheme = false);

/// Of a filter by its first run; before there are runs by its place among `planned` (the baseline first), else among the trial's filters.
FilterStyle filterStyleOf(const Trial& trial, const std::string& filter, const std::vector<std::string>& planned, bool redTheme = false);

} // namespace caelumen

#pragma once

#include "core/compare/scores.h"
#include "report/filter_style.h"

#include <string>

namespace caelumen {

/// Plots for pages, as SVG text: values with whiskers of one sigma, halo profiles, star colours.
std::string svgScore(const Trial& trial, const TrialResults& results, const Score& score, const std::string& nebula);
std::string svgHaloExcess(const Trial& trial, const TrialResults& results, const std::string& region);
std::string svgColours(const Trial& trial, const TrialResults& results, const std::string& index);
std::string svgMoon(double illuminated, bool waxing, bool south);

/// A drawing of that size for a page.
std::string svgPage(double width, double height, const std::string& body);

/// The marker of a filter about a place.
std::string svgMarker(const FilterStyle& style, double x, double y, double r);

/// Text made safe for HTML and SVG.
std::string escaped(const std::string& text);

} // namespace caelumen

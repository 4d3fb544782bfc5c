#pragma once

#include "core/base/json_fwd.h"
#include "core/base/result.h"

#include <filesystem>
#include <string>
#include <vector>

namespace caelumen {

/// Transmission (0..1) against wavelength in air, nm; wavelengths rise strictly. Linear between points, zero outside them.
struct Curve {
    std::vector<double> wavelength_nm, transmission;
    std::vector<std::string> notes = {}; ///< what reading it took for granted, in sentences

    double at(double nm) const;                                                                                    ///< transmission, 0 to 1
    bool covers(double nm) const { return !empty() && nm >= wavelength_nm.front() && nm <= wavelength_nm.back(); } ///< beyond its ends nothing is known
    bool empty() const { return wavelength_nm.empty(); }
};

/// A curve from text in the ways people write it: comma, semicolon, tab or blanks between the columns, decimal comma, percent or fraction, nm or
/// angstrom or micrometres, transmission or (where the heading says so) optical density, with a column of numbers before them, with headings or without,
/// comments after # or !, in any order. Points at one wavelength are averaged. A row that is none (words, NaN, infinite, far above all others) is an Error that
/// names its line. `name` is named in errors.
Result<Curve> parseCurve(const std::string& text, const std::string& name);
Result<Curve> readCurve(const std::filesystem::path& path);

std::string curveToCsv(const Curve& curve);

/// A curve as JSON, [[nm, transmission], ...], and back with the checks of parseCurve. `name` is what errors begin with.
Json curveToPoints(const Curve& curve);
Result<Curve> curveFromPoints(const Json& points, const std::string& name);

} // namespace caelumen

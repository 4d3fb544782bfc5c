#pragma once

#include "core/optics/curve.h"

#include <QString>

namespace caelumen {

class Session;
struct Filter;

/// Where what is known of a filter's transmission comes from.
enum class CurveSource { Nothing, Measured, Makers, Claims, NoFilter };

struct FilterCurve {
    Curve curve; ///< empty where nothing is known
    CurveSource source = CurveSource::Nothing;
    QString problem; ///< why a curve that is named cannot be read
};

/// The filter's own curve; else the maker's; else bands of the claimed centres and widths; all light where there is no filter.
FilterCurve filterCurve(Session& session, const Filter& filter);

/// A sentence for who relies on it; empty for a measured curve.
QString curveSourceText(CurveSource source);

} // namespace caelumen

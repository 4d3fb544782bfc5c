#pragma once

#include "core/optics/curve.h"
#include "core/prepare/lines.h"

#include <QString>

namespace caelumen {

class Session;
struct Filter;
struct Run;

/// Where what is known of a filter's transmission comes from.
enum class CurveSource { Nothing, Measured, Makers, Claims, NoFilter };

struct FilterCurve {
    Curve curve; ///< empty where nothing is known
    CurveSource source = CurveSource::Nothing;
    QString problem; ///< why a curve that is named cannot be read
};

/// The filter's own curve; else the maker's; else bands of the claimed centres and widths; all light where there is no filter.
FilterCurve filterCurve(Session& session, const Filter& filter);

/// What a run's filter and camera make of the lines in red, green and blue; a typical colour camera alone where there is no run.
LineMatrix lineMatrixOfRun(Session& session, const Run* run);

/// A sentence for who relies on it; empty for a measured curve.
QString curveSourceText(CurveSource source);

} // namespace caelumen

#include "app/filter_curve.h"

#include "app/camera_shelf.h"
#include "app/session.h"
#include "core/model/filter_kinds.h"
#include "core/optics/claim.h"
#include "core/optics/light_cone.h"

namespace caelumen {

FilterCurve filterCurve(Session& session, const Filter& filter) {
    FilterCurve out;
    for (const auto& [file, source] : {std::pair{&filter.curve, CurveSource::Measured}, {&filter.claimed_curve, CurveSource::Makers}}) {
        if (file->empty()) continue;
        const CurveShelf::Kept& kept = session.curve(*file);
        if (!kept.curve.empty()) return {kept.curve, source, {}};
        if (out.problem.isEmpty()) out.problem = QString::fromStdString(kept.problem);
    }
    if (Curve claimed = curveOfClaims(filter.claims); !claimed.empty()) return {std::move(claimed), CurveSource::Claims, out.problem};
    if (filter.kind == filter_kind::none) return {{{350, 1050}, {1, 1}}, CurveSource::NoFilter, out.problem};
    return out;
}

QString curveSourceText(CurveSource source) {
    switch (source) {
    case CurveSource::Nothing:
        return QObject::tr("No curve of this filter is known, and no band with a width is claimed.");
    case CurveSource::Measured:
        return {};
    case CurveSource::Makers:
        return QObject::tr("From the maker's own curve: no measured one is known.");
    case CurveSource::Claims:
        return QObject::tr("Modelled from the maker's claims alone: flat bands of the claimed widths, and nothing leaks. Import a curve to know better.");
    case CurveSource::NoFilter:
        return QObject::tr("No filter: what the camera's window lets through is seen.");
    }
    return {};
}

LineMatrix lineMatrixOfRun(Session& session, const Run* run) {
    if (!session.hasTrial()) return lineMatrix({}, typicalCamera("colour-clear"));
    const Trial& t = session.trial();
    const Filter* f = run ? t.filter(run->filter) : nullptr;
    const Rig rig = run ? effectiveRig(t, *run) : t.rig;
    const Curve curve = f ? filterCurve(session, *f).curve : Curve{};
    const double ratio = rig.focal_length_mm && rig.aperture_mm ? *rig.focal_length_mm / *rig.aperture_mm : 100;
    return lineMatrix(curve.empty() ? curve : ConeShift({ratio, rig.obstruction.value_or(0), f->effective_index.value_or(1.8), 0}).apply(curve, 0.5),
                      cameraOf(rig.camera));
}

} // namespace caelumen

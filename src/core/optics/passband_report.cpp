#include "core/optics/passband_report.h"

#include "core/base/json.h"

#include <algorithm>

namespace caelumen {
namespace {

Json toJson(const std::optional<double>& value) {
    return value ? Json(*value) : Json(nullptr);
}
Json toJson(const Band& b) {
    return {{"center_nm", b.center_nm}, {"fwhm_nm", b.fwhm_nm}, {"peak", b.peak}};
}

} // namespace

PassbandReport reportPassband(const Curve& curve, const LightCone& cone, const ReportOptions& options) {
    PassbandReport out;
    out.cone = cone;
    const ConeShift shift(cone);
    out.effective = shift.apply(curve, options.step_nm);
    const std::vector<Band> normal = bandsOf(curve), effective = bandsOf(out.effective);
    for (const Band& b : normal) out.bands.push_back({b, bandInCone(b, effective, shift)});
    for (const EmissionLine line : kLines) {
        PassbandReport::LineRow row;
        row.line = line;
        row.normal = transmissionAt(curve, line);
        const auto all = lineWavelengths(line);
        row.covered = std::all_of(all.begin(), all.end(), [&](double nm) { return curve.covers(nm); });
        for (const double nm : all)
            if (nm >= curve.wavelength_nm.front() && nm <= curve.wavelength_nm.back())
                row.effective += shift.transmission(curve, nm) / static_cast<double>(all.size());
        if (options.fastest) row.fastest = fastestRatio(curve, line, cone);
        out.lines.push_back(row);
    }
    out.leaks = leaksOf(curve, normal);
    return out;
}

Json passbandToJson(const PassbandReport& r) {
    Json json;
    json["f_ratio"] = r.cone.fRatio;
    json["obstruction"] = r.cone.obstruction;
    json["n_eff"] = r.cone.effectiveIndex;
    json["tilt_deg"] = r.cone.tilt_deg;
    json["bands"] = Json::array();
    for (const PassbandReport::Row& row : r.bands) {
        Json band = toJson(row.normal);
        band["effective"] = row.effective ? toJson(*row.effective) : Json(nullptr);
        if (row.normal.openLow || row.normal.openHigh) band["open"] = row.normal.openLow && row.normal.openHigh ? "both" : row.normal.openLow ? "low" : "high";
        json["bands"].push_back(band);
    }
    for (const PassbandReport::LineRow& row : r.lines)
        json["lines"][lineName(row.line)] = {{"normal", row.covered ? Json(row.normal) : Json(nullptr)},
                                             {"effective", row.covered ? Json(row.effective) : Json(nullptr)},
                                             {"fastest_f_ratio", toJson(row.fastest.fRatio)},
                                             {"slowest_f_ratio", toJson(row.fastest.slowest)}};
    json["leak_od_mean"] = toJson(r.leaks.meanDensity);
    json["leak_od_worst"] = toJson(r.leaks.worstDensity);
    json["leak_worst_nm"] = toJson(r.leaks.worst_nm);
    json["nir_mean"] = toJson(r.leaks.nearInfrared);
    return json;
}

} // namespace caelumen

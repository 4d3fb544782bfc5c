#include "app/curve_shelf.h"

namespace caelumen {

const CurveShelf::Kept& CurveShelf::at(const std::filesystem::path& file) {
    std::error_code failed;
    const auto written = std::filesystem::last_write_time(file, failed);
    auto known = m_kept.find(file);
    if (known != m_kept.end() && known->second.written == written) return known->second;
    auto curve = readCurve(file);
    Kept kept{written, {}, {}, ++m_readings};
    if (curve)
        kept.curve = std::move(*curve);
    else
        kept.problem = curve.error().message;
    return m_kept.insert_or_assign(file, std::move(kept)).first->second;
}

} // namespace caelumen

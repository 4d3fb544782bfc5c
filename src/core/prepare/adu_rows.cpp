#include "core/prepare/adu_rows.h"

#include <algorithm>
#include <vector>

namespace caelumen {

Result<StoredRows> aduRows(const FrameFile& file, double fullScale, bool* scaled) {
    auto rows = StoredRows::open(file);
    if (!rows || file.info().integer) return rows;
    constexpr int kLines = 64; // a sky of ADU shows itself in any of them
    std::vector<float> line(static_cast<std::size_t>(rows->width()));
    float top = 0;
    for (int y = 0; y < rows->height(); y += std::max(1, rows->height() / kLines)) {
        if (const Status read = rows->read(0, y, 1, line.data()); !read) return read.error();
        for (const float v : line) top = std::max(top, v == v ? v : 0.0F);
        if (top > 1) return rows;
    }
    if (!(top > 0)) return rows;
    rows->scaleBy(static_cast<float>(fullScale));
    if (scaled) *scaled = true;
    return rows;
}

} // namespace caelumen

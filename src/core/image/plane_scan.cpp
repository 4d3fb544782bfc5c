#include "core/image/plane_scan.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <limits>

namespace caelumen {
float BlockMaxima::maximum() const {
    return ofBlock.empty() ? -std::numeric_limits<float>::infinity() : *std::max_element(ofBlock.begin(), ofBlock.end());
}

BlockMaxima blockMaxima(const Plane& plane) {
    BlockMaxima out;
    out.ofBlock.resize(static_cast<std::size_t>((plane.height() + BlockMaxima::kRows - 1) / BlockMaxima::kRows));
    tbb::parallel_for(std::size_t{0}, out.ofBlock.size(), [&](std::size_t b) {
        const int y = static_cast<int>(b) * BlockMaxima::kRows;
        out.ofBlock[b] = rows::top(plane.row(y), static_cast<std::int64_t>(plane.width()) * std::min(BlockMaxima::kRows, plane.height() - y));
    });
    return out;
}

rows::Counts countAbove(const Plane& plane, const BlockMaxima& maxima, float low, float high) {
    rows::Counts out;
    for (std::size_t b = 0; b < maxima.ofBlock.size(); ++b) {
        if (maxima.ofBlock[b] < low) continue;
        const int y = static_cast<int>(b) * BlockMaxima::kRows;
        const rows::Counts part =
            rows::countAbove(plane.row(y), static_cast<std::int64_t>(plane.width()) * std::min(BlockMaxima::kRows, plane.height() - y), low, high);
        out.low += part.low;
        out.high += part.high;
    }
    return out;
}

} // namespace caelumen

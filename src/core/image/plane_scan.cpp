#include "core/image/plane_scan.h"

#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>
#include <tbb/parallel_reduce.h>

#include <functional>

namespace caelumen {
namespace {

using Range = tbb::blocked_range<std::size_t>;
constexpr std::size_t kGrain = 1 << 18;

} // namespace

float topOf(const Plane& plane) {
    return tbb::parallel_reduce(
        Range(0, plane.size(), kGrain), -std::numeric_limits<float>::infinity(),
        [&](const Range& r, float top) { return std::max(top, rows::extremes(plane.data() + r.begin(), static_cast<std::int64_t>(r.size())).top); },
        [](float a, float b) { return std::max(a, b); });
}

rows::Counts countAbove(const Plane& plane, float low, float high) {
    return tbb::parallel_reduce(
        Range(0, plane.size(), kGrain), rows::Counts{},
        [&](const Range& r, rows::Counts sum) {
            const rows::Counts part = rows::countAbove(plane.data() + r.begin(), static_cast<std::int64_t>(r.size()), low, high);
            return rows::Counts{sum.low + part.low, sum.high + part.high};
        },
        [](rows::Counts a, rows::Counts b) { return rows::Counts{a.low + b.low, a.high + b.high}; });
}

void rescale(Plane& plane, float zero, float factor) {
    tbb::parallel_for(Range(0, plane.size(), kGrain), [&](const Range& r) { rows::scale(plane.data() + r.begin(), static_cast<std::int64_t>(r.size()), zero, factor); });
}

} // namespace caelumen

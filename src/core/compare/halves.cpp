#include "core/compare/halves.h"

#include "core/base/phrase.h"
#include "core/base/statistics.h"
#include "core/base/text.h"
#include "core/model/filter_kinds.h"

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace caelumen {

Result<Plane> readHalves(const OpenRun& o, std::size_t c, const Plane& whole, bool scaled01) {
    std::array<Plane, 2> halves;
    for (std::size_t h = 0; h < 2; ++h) {
        auto file = FrameFile::open(h == 0 ? o.halves.odd : o.halves.even, o.run->bayer);
        if (!file) return file.error();
        const FrameInfo &half = file->info(), &info = o.file.info();
        if (half.width != info.width || half.height != info.height || half.channels != info.channels)
            return Error{phrase("{} is no half of {}: it has another size or other channels; give the stacks of its odd and of its even subs.",
                                shown(half.path), shown(info.path))};
        auto plane = file->readChannel(c);
        if (!plane) return plane.error();
        halves[h] = std::move(*plane);
    }
    // Each half of a mean is noisier by the root of two, and so is their difference once more; halves of a sum add up to it.
    const bool sum = o.run->combine == combined_by::sum;
    const Rescale rate = o.toRate(scaled01);
    const float full = rate.factor * (sum ? 1.0F : 0.5F), zero = rate.zero * rate.factor;
    std::vector<double> apart, off; // by which the halves differ, and by which they miss the whole
    const std::size_t step = std::max<std::size_t>(1, whole.size() / 20'000);
    for (std::size_t n = step / 2; n < whole.size(); n += step) {
        const float odd = halves[0].data()[n] * full, even = halves[1].data()[n] * full, both = odd + even - zero;
        if (!std::isfinite(both) || !std::isfinite(whole.data()[n])) continue;
        apart.push_back(static_cast<double>(odd - even));
        off.push_back(static_cast<double>(whole.data()[n] - both));
    }
    constexpr double kSame = 0.9; // a median of all is not quite the mean of two medians
    if (apart.size() > 100 && robustSigma(off) > kSame * robustSigma(apart))
        return Error{phrase("{} and {} are not the halves of {}: together they make another picture; give the stacks of its odd and of its even subs.",
                            shown(o.halves.odd), shown(o.halves.even), shown(o.file.info().path))};
    Plane difference = std::move(halves[0]);
    tbb::parallel_for(0, difference.height(), [&](int y) {
        float* to = difference.row(y);
        const float* from = halves[1].row(y);
        for (int x = 0; x < difference.width(); ++x) to[x] = (to[x] - from[x]) * full;
    });
    return difference;
}

} // namespace caelumen

#include "core/stars/defects.h"

#include "core/base/pixel_rows.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <limits>

namespace caelumen {

bool isHotPixel(const Plane& plane, double level, int x, int y) {
    if (x < 1 || y < 1 || x >= plane.width() - 1 || y >= plane.height() - 1) return false;
    const auto v = [&](int a, int b) { return std::isfinite(plane.at(a, b)) ? static_cast<double>(plane.at(a, b)) - level : 0.0; };
    const double a = v(x - 1, y), b = v(x + 1, y), c = v(x, y - 1), d = v(x, y + 1);
    const double middle = std::max(std::min(a, b), std::min(c, d)) + std::min(std::max(a, b), std::max(c, d)); // of the four, those between the extremes
    return middle < 0.2 * v(x, y);
}

Defects markDefects(Plane& plane, const SmoothSky& sky) {
    if (!(sky.typicalSigma() > 0)) return {};
    constexpr double kLimit = 8; // sigmas
    constexpr int kSame = 8;     // rows, in which the sky changes by far less than that
    static_assert(BlockMaxima::kRows % kSame == 0);
    const int w = plane.width(), h = plane.height(), blocks = (h + BlockMaxima::kRows - 1) / BlockMaxima::kRows;
    Defects out;
    out.maxima.ofBlock.assign(static_cast<std::size_t>(blocks), -std::numeric_limits<float>::infinity());
    std::vector<std::vector<std::size_t>> found(static_cast<std::size_t>(blocks));
    tbb::parallel_for(0, blocks, [&](int block) {
        std::vector<SmoothSky::Piece> low, high;                 // the same pieces of a row
        std::vector<int> far(static_cast<std::size_t>(w)), ends; // of the places in each piece
        float top = -std::numeric_limits<float>::infinity();
        for (int y = block * BlockMaxima::kRows; y < std::min(h, (block + 1) * BlockMaxima::kRows); ++y) {
            if (y % kSame == 0) {
                sky.pieces(y + kSame / 2, -kLimit, 0, w, low);
                sky.pieces(y + kSame / 2, kLimit, 0, w, high);
                ends.resize(low.size());
            }
            const float* row = plane.row(y);
            int all = 0;
            for (std::size_t p = 0; p < low.size(); ++p) {
                ends[p] = all += rows::outside(row + low[p].x, low[p].ramp, high[p].ramp, low[p].n, far.data() + all);
                for (int i = p == 0 ? 0 : ends[p - 1]; i < all && y + 1 < h; ++i)
                    __builtin_prefetch(plane.row(y + 1) + low[p].x + far[static_cast<std::size_t>(i)]);
            }
            for (std::size_t p = 0; p < low.size(); ++p) {
                for (int i = p == 0 ? 0 : ends[p - 1]; i < ends[p]; ++i) {
                    const int at = far[static_cast<std::size_t>(i)], x = low[p].x + at;
                    const float least = low[p].ramp.at(at), most = high[p].ramp.at(at);
                    const double level = 0.5 * (static_cast<double>(least) + static_cast<double>(most));
                    if (row[x] < least || isHotPixel(plane, level, x, y))
                        found[static_cast<std::size_t>(block)].push_back(static_cast<std::size_t>(y) * static_cast<std::size_t>(w) +
                                                                         static_cast<std::size_t>(x));
                    else
                        top = std::max(top, row[x]);
                }
            }
        }
        out.maxima.ofBlock[static_cast<std::size_t>(block)] = top;
    });
    for (const auto& part : found) out.places.insert(out.places.end(), part.begin(), part.end());
    markDefects(plane, out); // only now, so that neighbours were judged by what was there
    return out;
}

void markDefects(Plane& plane, const Defects& known) {
    for (const std::size_t at : known.places) plane.data()[at] = kNoData;
}

} // namespace caelumen

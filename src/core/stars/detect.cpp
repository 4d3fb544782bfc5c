#include "core/stars/detect.h"

#include "core/base/statistics.h"

#include "core/stars/sep_library.h"
#include <tbb/parallel_for.h>

#include <algorithm>
#include <array>
#include <memory>
#include <mutex>

namespace caelumen {
namespace {

constexpr int kTile = 1024, kOverlap = 96;
constexpr std::array<float, 9> kSmooth{1, 2, 1, 2, 4, 2, 1, 2, 1};

struct Tile {
    int x0, y0, x1, y1;     ///< what this tile answers for
    int left, top, w, h;    ///< what it reads
};

std::vector<Tile> tilesOf(const Plane& plane) {
    std::vector<Tile> tiles;
    for (int y = 0; y < plane.height(); y += kTile) {
        for (int x = 0; x < plane.width(); x += kTile) {
            Tile t{x, y, std::min(x + kTile, plane.width()), std::min(y + kTile, plane.height()), 0, 0, 0, 0};
            t.left = std::max(0, t.x0 - kOverlap);
            t.top = std::max(0, t.y0 - kOverlap);
            t.w = std::min(plane.width(), t.x1 + kOverlap) - t.left;
            t.h = std::min(plane.height(), t.y1 + kOverlap) - t.top;
            tiles.push_back(t);
        }
    }
    return tiles;
}

struct CatalogFree {
    void operator()(sep_catalog* c) const { sep_catalog_free(c); }
};

/// Light in one pixel only: no telescope makes that.
bool isHotPixel(const std::vector<float>& data, int w, int h, int x, int y) {
    if (x < 1 || y < 1 || x >= w - 1 || y >= h - 1) return false;
    const auto v = [&](int a, int b) { return static_cast<double>(data[static_cast<std::size_t>(b) * static_cast<std::size_t>(w) + static_cast<std::size_t>(a)]); };
    std::array<double, 4> n{v(x - 1, y), v(x + 1, y), v(x, y - 1), v(x, y + 1)};
    std::sort(n.begin(), n.end());
    return n[1] + n[2] < 0.2 * v(x, y);
}

bool standsAbove(const std::vector<float>& data, int w, int h, int px, int py, double limit) {
    int n = 0;
    for (int y = std::max(1, py - 2); y <= std::min(h - 2, py + 2); ++y) {
        for (int x = std::max(1, px - 2); x <= std::min(w - 2, px + 2); ++x) {
            double sum = 0;
            for (int dy = -1; dy <= 1; ++dy)
                for (int dx = -1; dx <= 1; ++dx)
                    sum += static_cast<double>(kSmooth[static_cast<std::size_t>((dy + 1) * 3 + dx + 1)]) *
                           static_cast<double>(data[static_cast<std::size_t>(y + dy) * static_cast<std::size_t>(w) + static_cast<std::size_t>(x + dx)]);
            n += sum / 16 >= limit;
        }
    }
    return n >= 5;
}

std::vector<Star> starsOfTile(const Plane& plane, const SmoothSky& sky, const DetectOptions& options, const Tile& t) {
    std::vector<float> data(static_cast<std::size_t>(t.w) * static_cast<std::size_t>(t.h));
    std::vector<float> level(static_cast<std::size_t>(t.w));
    for (int y = 0; y < t.h; ++y) {
        sky.levelRow(t.left, t.top + y, t.w, level.data());
        const float* from = plane.row(t.top + y) + t.left;
        float* to = data.data() + static_cast<std::size_t>(y) * static_cast<std::size_t>(t.w);
        for (int x = 0; x < t.w; ++x) to[x] = std::isfinite(from[x]) ? from[x] - level[static_cast<std::size_t>(x)] : 0.0F;
    }
    const double sigma = sky.sigma(0.5 * (t.x0 + t.x1), 0.5 * (t.y0 + t.y1));
    if (!(sigma > 0)) return {};

    sep_image image{};
    image.data = data.data();
    image.dtype = SEP_TFLOAT;
    image.w = t.w;
    image.h = t.h;
    image.noiseval = sigma;
    image.noise_type = SEP_NOISE_STDDEV;
    image.gain = 0;
    image.maskthresh = 0;
    sep_catalog* raw = nullptr;
    const int status = sep_extract(&image, static_cast<float>(options.threshold), SEP_THRESH_REL, 5, kSmooth.data(), 3, 3, SEP_FILTER_CONV, 32, 0.005, 1, 1.0, &raw);
    const std::unique_ptr<sep_catalog, CatalogFree> catalog(raw);
    if (status != 0 || !catalog) return {};

    std::vector<Star> stars;
    for (int i = 0; i < catalog->nobj; ++i) {
        const double x = catalog->x[i] + t.left, y = catalog->y[i] + t.top;
        if (x < t.x0 - 0.5 || x >= t.x1 - 0.5 || y < t.y0 - 0.5 || y >= t.y1 - 0.5) continue;
        const int px = catalog->xpeak[i], py = catalog->ypeak[i];
        const double local = sky.level(x, y);
        const bool saturated = static_cast<double>(catalog->peak[i]) + local >= options.saturation;
        if (!saturated && isHotPixel(data, t.w, t.h, px, py)) continue;
        Star s;
        s.x = x;
        s.y = y;
        s.flux = static_cast<double>(catalog->flux[i]);
        s.peak = static_cast<double>(catalog->peak[i]);
        s.level = local;
        s.area = catalog->npix[i];
        s.a = static_cast<double>(catalog->a[i]);
        s.b = static_cast<double>(catalog->b[i]);
        s.saturated = saturated;
        s.blended = (catalog->flag[i] & SEP_OBJ_MERGED) != 0;
        s.above5 = standsAbove(data, t.w, t.h, catalog->xcpeak[i], catalog->ycpeak[i], 5 * sigma);
        if (s.flux > 0 && std::isfinite(s.a) && std::isfinite(s.b)) stars.push_back(s);
    }
    return stars;
}

/// Leaves out what is far larger than the stars of its own brightness are: knots of nebula and halos cut to pieces.
void dropNebula(std::vector<Star>& stars) {
    std::vector<double> sizes;
    for (const Star& s : stars)
        if (!s.saturated && s.above5) sizes.push_back(std::sqrt(s.a * s.b));
    if (sizes.size() < 10) return;
    const double typical = quantile(sizes, 0.4);
    std::erase_if(stars, [&](const Star& s) {
        const double concentration = s.peak * 2 * M_PI * typical * typical / s.flux; // about 1 for a star, whatever its brightness
        return !s.saturated && s.a > 3 * typical && concentration < 0.4;
    });
}

} // namespace

std::vector<Star> detectStars(const Plane& plane, const SmoothSky& sky, const DetectOptions& options) {
    static std::once_flag roomy;
    std::call_once(roomy, [] {
        sep_set_extract_pixstack(400'000);
        sep_set_sub_object_limit(4096);
    });
    const std::vector<Tile> tiles = tilesOf(plane);
    std::vector<std::vector<Star>> found(tiles.size());
    tbb::parallel_for(std::size_t{0}, tiles.size(), [&](std::size_t i) { found[i] = starsOfTile(plane, sky, options, tiles[i]); });
    std::vector<Star> stars;
    for (auto& part : found) stars.insert(stars.end(), part.begin(), part.end());
    dropNebula(stars);
    std::stable_sort(stars.begin(), stars.end(), [](const Star& a, const Star& b) { return a.flux > b.flux; });
    return stars;
}

double saturationLevel(const Plane& plane, double known) {
    float top = -std::numeric_limits<float>::infinity();
    for (std::size_t i = 0; i < plane.size(); ++i)
        if (plane.data()[i] > top) top = plane.data()[i];
    if (!std::isfinite(top)) return known;
    // A plateau: many pixels within 2 % of the top, which an unsaturated profile with a sharp peak never has.
    std::size_t near = 0, next = 0;
    for (std::size_t i = 0; i < plane.size(); ++i) {
        near += plane.data()[i] >= 0.98F * top;
        next += plane.data()[i] >= 0.90F * top && plane.data()[i] < 0.98F * top;
    }
    const double plateau = near >= 12 && near > next ? 0.9 * static_cast<double>(top) : std::numeric_limits<double>::infinity();
    return std::min(0.9 * known, plateau);
}

} // namespace caelumen

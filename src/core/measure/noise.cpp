#include "core/measure/noise.h"

#include "core/base/fetch_ahead.h"
#include "core/base/statistics.h"
#include "core/measure/box_sum.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <array>
#include <map>
#include <span>

namespace caelumen {

int boxSide(std::optional<double> scale) {
    return scale ? std::max(1, static_cast<int>(std::lround(10 / *scale))) : 5;
}

namespace {

constexpr int kGap = 2; ///< pixels that interpolation spreads noise over

} // namespace

int apartPixels(int side) {
    const int half = std::max(1, side / 2);
    return (side + kGap + half - 1) / half * half;
}

std::size_t NoiseBoxes::onGrid() const {
    return static_cast<std::size_t>(std::ranges::count_if(all, [](const NoiseBox& b) { return b.onGrid != 0; }));
}

NoiseBoxes noiseBoxes(const Plane& plane, const Mask& mask, int k, const PlaneView& view, const std::vector<Region>& regions,
                      const UnmaskedStarlight& starlight) {
    const int half = halfBox(k);
    constexpr int kMost = 1 << NoiseBox::kPlaceBits; // as far as a box can say its place
    const int across = std::min(kMost, (plane.width() - k) / half + 1), down = std::min(kMost, (plane.height() - k) / half + 1);
    if (across < 1 || down < 1) return {};
    // Thinned evenly on huge frames: each kind of place by itself.
    const auto strideFor = [&](double part) {
        int stride = 1;
        while (part * across / stride * down / stride > 80'000) ++stride;
        return stride;
    };
    std::vector<std::pair<const Region*, PlaneView::Box>> skies;
    double skyPart = 0;
    for (const Region& r : regions) {
        if (r.role != RegionRole::Sky) continue;
        skies.emplace_back(&r, view.boxOf(r));
        const PlaneView::Box& b = skies.back().second;
        skyPart += static_cast<double>(b.x1 - b.x0) * (b.y1 - b.y0) / (static_cast<double>(plane.width()) * plane.height());
    }
    const int stride = strideFor(1), skyStride = strideFor(std::min(1.0, skyPart));
    const auto stepsTo = [&](int pixels, int own) { return ((pixels + half - 1) / half + own - 1) / own; }; // of those taken
    NoiseBoxes boxes;
    boxes.beside = {stepsTo(k, stride) * stride, stepsTo(k, skyStride) * skyStride};
    boxes.apart = {stepsTo(k + kGap, stride) * stride, stepsTo(k + kGap, skyStride) * skyStride};

    const Alignment::Affine toBaseline = view.backward();
    std::vector<std::vector<NoiseBox>> rows(static_cast<std::size_t>(down));
    tbb::parallel_for(0, down, [&](int j) {
        auto& out = rows[static_cast<std::size_t>(j)];
        const int y0 = j * half;
        const bool mainRow = j % stride == 0, skyRow = j % skyStride == 0;
        if (!mainRow && !skyRow) return;
        std::vector<std::pair<const Region*, PlaneView::Box>> here;
        if (skyRow)
            for (const auto& sky : skies)
                if (y0 >= sky.second.y0 && y0 + k <= sky.second.y1) here.push_back(sky);
        if (!mainRow && here.empty()) return;
        int places = mainRow ? across / stride + 1 : 0;
        for (const auto& sky : here) places += (sky.second.x1 - sky.second.x0) / (half * skyStride) + 1;
        out.reserve(static_cast<std::size_t>(places));
        for (int i = 0; mainRow && i < std::min(across, kBoxesAhead * stride); i += stride) fetchBox(plane, i * half, y0, k);
        // Places of the two kinds, in order: most of a row has neither.
        const auto nextSky = [&](int from) {
            int next = across;
            for (const auto& [region, box] : here) {
                const int first = (std::max(from, (box.x0 + half - 1) / half) + skyStride - 1) / skyStride * skyStride;
                if (first * half + k <= box.x1) next = std::min(next, first);
            }
            return next;
        };
        int main = mainRow ? 0 : across, sky = nextSky(0);
        for (int i = std::min(main, sky); i < across; i = std::min(main, sky)) {
            const bool mainPlace = i == main;
            if (mainPlace) main += stride;
            if (i == sky) sky = nextSky(i + 1);
            const int x0 = i * half;
            const Point centre{x0 + 0.5 * (k - 1), y0 + 0.5 * (k - 1)};
            bool inSky = false;
            for (const auto& [region, box] : here) {
                if (x0 < box.x0 || x0 + k > box.x1) continue;
                const double e = 0.5 * k;
                inSky = region->contains(toBaseline({centre.x - e, centre.y - e})) && region->contains(toBaseline({centre.x + e, centre.y - e})) &&
                        region->contains(toBaseline({centre.x - e, centre.y + e})) && region->contains(toBaseline({centre.x + e, centre.y + e}));
                if (inSky) break;
            }
            if (!inSky && !mainPlace) continue;
            fetchBox(plane, x0 + kBoxesAhead * half * (inSky ? skyStride : stride), y0, k);
            const double sum = boxSum(plane, mask, x0, y0, k);
            if (!std::isfinite(sum)) continue;
            const int beside = boxes.beside[inSky];
            const double quarter = 0.25 * k; // wings change over a few pixels: from the middles of the quarters
            const auto light = [&](double dx, double dy) { return starlight.at(static_cast<int>(centre.x + dx + 0.5), static_cast<int>(centre.y + dy + 0.5)); };
            const double wings = 0.25 * (light(-quarter, -quarter) + light(quarter, -quarter) + light(-quarter, quarter) + light(quarter, quarter));
            NoiseBox& box = out.emplace_back();
            box.mean = static_cast<float>(sum / (k * k) - wings);
            box.i = static_cast<std::uint32_t>(i) & (kMost - 1), box.j = static_cast<std::uint32_t>(j) & (kMost - 1);
            box.inSky = inSky, box.onGrid = i % beside == 0 && j % beside == 0;
        }
    });
    std::size_t count = 0;
    for (const auto& row : rows) count += row.size();
    boxes.all.reserve(count); // they are kept
    for (auto& row : rows) {
        boxes.all.insert(boxes.all.end(), row.begin(), row.end());
        std::vector<NoiseBox>().swap(row);
    }
    return boxes;
}

namespace {

using BoxRow = std::span<const NoiseBox>;

/// Finds boxes of one row at places that only grow.
class Finder {
public:
    explicit Finder(BoxRow row)
        : m_row(row) {}
    const NoiseBox* at(int i) {
        while (m_next < m_row.size() && m_row[m_next].column() < i) ++m_next;
        return m_next < m_row.size() && m_row[m_next].column() == i ? &m_row[m_next] : nullptr;
    }

private:
    BoxRow m_row;
    std::size_t m_next = 0;
};

/// The neighbours of the boxes of one row that are as far apart.
struct Neighbours {
    int apart;
    Finder before, after, above, below;
};

/// Boxes come row by row, from left to right.
std::map<int, BoxRow> rowsOf(const std::vector<NoiseBox>& boxes) {
    std::map<int, BoxRow> rows;
    for (std::size_t first = 0, end = 0; first < boxes.size(); first = end) {
        while (end < boxes.size() && boxes[end].j == boxes[first].j) ++end;
        rows.emplace(boxes[first].row(), BoxRow(boxes).subspan(first, end - first));
    }
    return rows;
}

/// Each box less the mean of its two neighbours, which are `distance` away, as large as the scatter of one box.
std::vector<float> secondDifferences(const std::map<int, BoxRow>& rows, const std::array<int, 2>& distance) {
    const auto rowAt = [&](int j) {
        const auto found = rows.find(j);
        return found == rows.end() ? BoxRow{} : found->second;
    };
    std::vector<float> differences;
    std::vector<Neighbours> all;
    for (const auto& [j, row] : rows) {
        all.clear();
        for (const NoiseBox& b : row) {
            const int apart = distance[b.inSky];
            auto near = std::find_if(all.begin(), all.end(), [&](const Neighbours& n) { return n.apart == apart; });
            if (near == all.end()) near = all.insert(all.end(), {apart, Finder(row), Finder(row), Finder(rowAt(j - apart)), Finder(rowAt(j + apart))});
            const auto bend = [&](const NoiseBox* one, const NoiseBox* other) {
                if (one && other) differences.push_back((b.mean - 0.5F * (one->mean + other->mean)) / std::sqrt(1.5F));
            };
            bend(near->before.at(b.column() - apart), near->after.at(b.column() + apart));
            bend(near->above.at(b.column()), near->below.at(b.column()));
        }
    }
    return differences;
}

constexpr double kWhite = 1.12; ///< up to this times white noise, boxes count as independent
constexpr std::size_t kEnoughDifferences = 40;

} // namespace

BoxScatter boxScatter(const NoiseBoxes& boxes, int side, double pixelNoise) {
    const std::map<int, BoxRow> rows = rowsOf(boxes.all);
    // Boxes at half steps know somewhat more than those that do not overlap.
    BoxScatter out{0, 1.25 * static_cast<double>(boxes.onGrid())};
    std::vector<float> differences = secondDifferences(rows, boxes.beside);
    if (differences.size() < kEnoughDifferences) {
        std::vector<float> means;
        for (const NoiseBox& b : boxes.all) means.push_back(b.mean);
        out.sigma = clippedStats(std::span<float>(means)).sigma;
        return out;
    }
    const auto touching = static_cast<double>(differences.size());
    out.sigma = clippedStats(std::span<float>(differences)).sigma;
    if (out.sigma * side <= kWhite * pixelNoise) return out;
    if (std::vector<float> wide = secondDifferences(rows, boxes.apart); wide.size() >= kEnoughDifferences) {
        out.sigma = clippedStats(std::span<float>(wide)).sigma;
        out.boxes *= 0.8 * std::min(1.0, static_cast<double>(wide.size()) / touching); // boxes that share noise know less
    }
    return out;
}

namespace {

constexpr int kLag = 6, kClear = 2; ///< pixels between those compared, and from one to what hides stars: at its rim their wings still fall steeply

/// Scatter of combinations of `of` pixels.
double scatterOf(std::vector<float>& combinations, double of, std::size_t& used) {
    used = combinations.size();
    return clippedStats(std::span<float>(combinations)).sigma / std::sqrt(of);
}

/// Of `n` pixels of row `y` from `x0` on: which are hidden or have a hidden one `kClear` pixels up, down or aside.
std::uint64_t hiddenNear(const Mask& mask, int x0, int n, int y) {
    const Flags here = mask.row(y);
    const int right = mask.width() - 1;
    std::uint64_t near = here.bits(x0, n) | mask.row(std::max(0, y - kClear)).bits(x0, n) | mask.row(std::min(mask.height() - 1, y + kClear)).bits(x0, n);
    if (x0 >= kClear && x0 + n + kClear <= mask.width()) return near | here.bits(x0 - kClear, n) | here.bits(x0 + kClear, n);
    for (int i = 0; i < n; ++i) // beyond the border lies its last pixel
        if (here[std::max(0, x0 + i - kClear)] || here[std::min(right, x0 + i + kClear)]) near |= std::uint64_t{1} << i;
    return near;
}

/// Where places of `side` pixels begin: evenly from one end to the other, so that turning the frame leaves them where they are.
std::vector<int> placesAlong(int size, int side, double step) {
    const int span = std::max(0, size - side), n = static_cast<int>(std::ceil(span / step));
    std::vector<int> out{0};
    for (int i = 1; i <= n; ++i) out.push_back(static_cast<int>(std::lround(static_cast<double>(span) * i / n)));
    return out;
}

/// The middle one of many places' own scatters, since nebula brings noise of its own to some of them: of the differences of differences, down and across, in
/// which whatever slopes cancels.
PixelNoise noiseOfPlaces(const Plane& plane, const Mask& mask) {
    constexpr int kPlace = 32;
    constexpr double kPlaces = 800;
    const int w = plane.width(), h = plane.height();
    const double step = std::max(0.5 * kPlace, std::sqrt(static_cast<double>(w) * h / kPlaces));
    const std::vector<int> columns = placesAlong(w, kPlace, step), rows = placesAlong(h, kPlace, step);
    std::vector<PixelNoise> found(columns.size() * rows.size());
    tbb::parallel_for(std::size_t{0}, found.size(), [&](std::size_t n) {
        const int x0 = columns[n % columns.size()], y0 = rows[n / columns.size()], across = std::min(kPlace, w - x0), down = std::min(kPlace, h - y0);
        if (n + 1 < found.size()) {
            const Point next{columns[(n + 1) % columns.size()] + 0.5 * kPlace, rows[(n + 1) / columns.size()] + 0.5 * kPlace};
            fetchAround(plane.data(), w, h, next, kPlace / 2);
            mask.fetch(next, kPlace / 2 + kClear);
        }
        std::array<std::array<float, kPlace>, kPlace> seen, calm;
        for (int j = 0; j < down; ++j) {
            const int y = y0 + j;
            const float* row = plane.row(y) + x0;
            const std::uint64_t hidden = mask.row(y).bits(x0, across), near = mask.empty() ? 0 : hiddenNear(mask, x0, across, y);
            for (int i = 0; i < across; ++i) {
                const auto at = static_cast<std::size_t>(i);
                seen[static_cast<std::size_t>(j)][at] = hidden >> i & 1 ? kNoData : row[i];
                calm[static_cast<std::size_t>(j)][at] = near >> i & 1 ? kNoData : row[i];
            }
        }
        thread_local std::vector<float> combinations;
        const auto take = [&](const auto& v) {
            combinations.resize(kPlace * kPlace);
            std::size_t taken = 0;
            for (std::size_t j = 0; j + kLag < static_cast<std::size_t>(down); ++j)
                for (std::size_t i = 0; i + kLag < static_cast<std::size_t>(across); ++i) { // no guessing at each
                    const float d = (v[j][i] - v[j][i + kLag]) - (v[j + kLag][i] - v[j + kLag][i + kLag]);
                    combinations[taken] = d;
                    taken += std::isfinite(d);
                }
            combinations.resize(taken);
        };
        if (!mask.empty()) take(calm); // rather clear of all stars, where those are enough
        if (mask.empty() || combinations.size() < 200) take(seen);
        if (combinations.size() >= 80) found[n].value = scatterOf(combinations, 4, found[n].samples);
    });
    std::vector<double> scatters;
    double samples = 0;
    for (const PixelNoise& n : found) {
        if (n.samples == 0) continue;
        scatters.push_back(n.value);
        samples += static_cast<double>(n.samples);
    }
    // A pixel is part of four combinations; a median knows as much as a mean of two thirds; and places may overlap.
    return {median(std::span<double>(scatters)), static_cast<std::size_t>(0.33 * samples * std::min(1.0, std::pow(step / kPlace, 2)))};
}

} // namespace

PixelNoise pixelNoise(const Plane& plane, const Mask& mask, const PlaneView& view, const std::vector<Region>& regions, const SmoothSky* sky) {
    const int w = plane.width();
    std::vector<float> steps, clear;
    std::vector<float> level(static_cast<std::size_t>(w), 0.0F);
    // The pixels first <= x < end of a row, every `every`th of them, where `in` says so.
    const auto take = [&](int y, int first, int end, int every, auto in) {
        end = std::min(end, w - kLag);
        if (first >= end) return;
        const float* row = plane.row(y);
        if (sky) sky->row(y, 0, first, end + kLag, level.data() + first);
        const Flags here = mask.row(y);
        for (int x = first; x < end; x += every) {
            const float step = row[x + kLag] - row[x] - (level[static_cast<std::size_t>(x + kLag)] - level[static_cast<std::size_t>(x)]);
            if (!std::isfinite(step) || here[x] || here[x + kLag] || !in(x)) continue;
            steps.push_back(step);
            if (here && !hiddenNear(mask, x, 1, y) && !hiddenNear(mask, x + kLag, 1, y)) clear.push_back(step);
        }
    };
    const Alignment::Affine toBaseline = view.backward();
    double area = 0;
    for (const Region& r : regions)
        if (const PlaneView::Box b = view.boxOf(r); r.role == RegionRole::Sky) area += static_cast<double>(b.x1 - b.x0) * (b.y1 - b.y0);
    const int step = std::max(1, static_cast<int>(std::sqrt(area / 60'000))); // more than that tells nothing more
    for (const Region& r : regions) {
        if (r.role != RegionRole::Sky) continue;
        const PlaneView::Box b = view.boxOf(r);
        for (int y = b.y0; y < b.y1; y += step)
            take(y, b.x0, b.x1, step, [&](int x) { return r.contains(toBaseline({static_cast<double>(x), static_cast<double>(y)})); });
    }
    if (steps.size() < 400) return noiseOfPlaces(plane, mask);
    PixelNoise out;
    out.value = scatterOf(clear.size() >= 1000 ? clear : steps, 2, out.samples); // rather clear of all stars, where those are enough
    out.samples = out.samples * 3 / 5; // a pixel is part of two differences, which share a third of their news; clipping costs a tenth
    return out;
}

} // namespace caelumen

#include "core/prepare/resample.h"

#include "core/base/stack_rows.h"

#include <array>
#include <cstring>
#include <vector>

namespace caelumen {
namespace {

constexpr double kWhole = 1e-4; ///< phases so near a pixel's middle count as there

/// Phases may change by so much along a walk whose weights are taken to change evenly: no weight is off by more than 0.005 then.
constexpr double kEven = 0.12;

/// Lanczos window of three pixels, taps -2 to 3 about a place `t` (0..1) to the right of tap 0, made to sum to one.
std::array<double, 6> lanczosWeights(double t) {
    std::array<double, 6> out{};
    double sum = 0;
    for (int k = 0; k < 6; ++k) {
        const double x = M_PI * (t - (k - 2));
        out[static_cast<std::size_t>(k)] = std::abs(x) < 1e-9 ? 1 : std::abs(x) >= 3 * M_PI ? 0 : 3 * std::sin(x) * std::sin(x / 3) / (x * x);
        sum += out[static_cast<std::size_t>(k)];
    }
    for (double& w : out) w /= sum;
    return out;
}

/// The same from a table, straight between its places: within a millionth.
std::array<double, 6> weightsAt(double t) {
    constexpr int kSteps = 1024;
    static const std::vector<std::array<double, 6>> table = [] {
        std::vector<std::array<double, 6>> out;
        for (int i = 0; i <= kSteps + 1; ++i) out.push_back(lanczosWeights(static_cast<double>(i) / kSteps));
        return out;
    }();
    const double at = t * kSteps;
    const auto i = static_cast<std::size_t>(std::clamp(at, 0.0, static_cast<double>(kSteps))); // phases may lie a hair outside
    const double part = at - static_cast<double>(i);
    std::array<double, 6> out;
    for (std::size_t k = 0; k < 6; ++k) out[k] = table[i][k] + part * (table[i + 1][k] - table[i][k]);
    return out;
}

rows::SixTaps tapsFrom(double phase, double step, int n) {
    const auto a = weightsAt(phase), b = weightsAt(phase + step * (n - 1));
    rows::SixTaps out{};
    for (std::size_t k = 0; k < 6; ++k) {
        out.start[k] = static_cast<float>(a[k]);
        out.step[k] = n > 1 ? static_cast<float>((b[k] - a[k]) / (n - 1)) : 0;
    }
    return out;
}

/// Whether n flags that lie `stride` apart are all 1.
bool allOf(const std::uint8_t* flags, int stride, int n) {
    int i = 0;
    if (stride == 2) { // four at a time
        constexpr std::uint64_t kEverySecond = 0x0001000100010001;
        for (std::uint64_t eight = 0; i + 4 <= n - 1; i += 4) {
            std::memcpy(&eight, flags + 2 * static_cast<std::ptrdiff_t>(i), sizeof eight);
            if ((eight & kEverySecond) != kEverySecond) return false;
        }
    }
    for (; i < n; ++i)
        if (flags[static_cast<std::ptrdiff_t>(stride) * i] == 0) return false;
    return true;
}

} // namespace

void resampleRow(const RowBand& from, const Alignment::Affine& to, int y, int width, float weight, float* out, const std::uint8_t* known) {
    // Output pixels `stride` apart lie about one lattice pixel apart: each such comb is walked by itself.
    const int stride = std::clamp(static_cast<int>(std::lround(1 / std::max(1e-3, std::abs(to.xx)))), 1, 4);
    const double stepX = to.xx * stride, stepY = to.yx * stride;
    const int direction = stepX < 0 ? -1 : 1;
    thread_local std::vector<float> part, room;
    part.resize(static_cast<std::size_t>(width / stride + 2));
    room.resize(part.size() + 5);
    for (int comb = 0; comb < stride; ++comb) {
        const int count = (width - comb + stride - 1) / stride;
        const Point start = to({static_cast<double>(comb), static_cast<double>(y)});
        for (int k = 0; k < count;) {
            const double sx = start.x + stepX * k, sy = start.y + stepY * k;
            const int ix = static_cast<int>(std::floor(sx + kWhole)), iy = static_cast<int>(std::floor(sy + kWhole));
            // The walk goes on while the phases stay between 0 and 1.
            const auto stays = [](double phase, double drift) {
                return drift > 0 ? (1 - kWhole - phase) / drift : drift < 0 ? (phase + kWhole) / -drift : 1e9;
            };
            const double drift = std::max(std::abs(stepX - direction), std::abs(stepY));
            const double most = std::min({std::ceil(std::min(stays(sx - ix, stepX - direction), stays(sy - iy, stepY))), static_cast<double>(count - k),
                                          drift > 0 ? kEven / drift : 1e9});
            const int length = static_cast<int>(std::max(1.0, most));
            const double endX = start.x + stepX * (k + length - 1) - (ix + direction * (length - 1)), endY = start.y + stepY * (k + length - 1) - iy;
            const bool whole = std::abs(sx - ix) < kWhole && std::abs(sy - iy) < kWhole && std::abs(endX) < kWhole && std::abs(endY) < kWhole;
            float* const place = out + comb + static_cast<std::ptrdiff_t>(stride) * k;
            const int before = whole ? 0 : 2, behind = whole ? 0 : 3; // pixels needed
            const bool rows = whole ? from.has(iy) : from.has(iy - 2) && from.has(iy + 3);
            // The part of the walk whose neighbourhood is there.
            int first = direction > 0 ? before - ix : ix - (from.width - 1 - behind), last = direction > 0 ? from.width - 1 - behind - ix : ix - before;
            first = std::clamp(first, 0, length), last = std::clamp(last, -1, length - 1);
            if (!rows || last < first) first = length, last = length - 1;
            for (int i = 0; i < first; ++i) place[static_cast<std::ptrdiff_t>(stride) * i] = kNoData;
            for (int i = last + 1; i < length; ++i) place[static_cast<std::ptrdiff_t>(stride) * i] = kNoData;
            const int n = last - first + 1;
            if (n > 0 && known && allOf(known + comb + static_cast<std::ptrdiff_t>(stride) * (k + first), stride, n)) {
                for (int i = first; i <= last; ++i) place[static_cast<std::ptrdiff_t>(stride) * i] += kPassedOver; // no data stays so
            } else if (n > 0 && whole) {
                const float* row = from.row(iy);
                for (int i = first; i <= last; ++i) place[static_cast<std::ptrdiff_t>(stride) * i] += weight * row[ix + direction * i];
            } else if (n > 0) {
                // Ascending in the lattice, whichever way the output runs.
                const int begin = direction > 0 ? first : last, lowest = ix + direction * begin;
                const float* six[6];
                for (int r = 0; r < 6; ++r) six[r] = from.row(iy - 2 + r) + lowest;
                const auto across = tapsFrom(start.x + stepX * (k + begin) - lowest, direction * stepX - 1, n),
                           down = tapsFrom(start.y + stepY * (k + begin) - iy, direction * stepY, n);
                if (stride == 1 && direction > 0) {
                    rows::sixPoint(six, across, down, n, weight, room.data(), place + first);
                } else {
                    std::fill_n(part.begin(), n, 0.0F);
                    rows::sixPoint(six, across, down, n, weight, room.data(), part.data());
                    for (int i = 0; i < n; ++i) place[static_cast<std::ptrdiff_t>(stride) * (begin + direction * i)] += part[static_cast<std::size_t>(i)];
                }
            }
            k += length;
        }
    }
}

double noiseKept(const Alignment::Affine& to, int width, int height) {
    double sum = 0;
    int n = 0;
    for (int j = 0; j < 12; ++j)
        for (int i = 0; i < 12; ++i) {
            const Point p = to({std::floor((i + 0.5) * width / 12), std::floor((j + 0.5) * height / 12)});
            double x = 0, y = 0;
            for (const double w : lanczosWeights(p.x - std::floor(p.x))) x += w * w;
            for (const double w : lanczosWeights(p.y - std::floor(p.y))) y += w * w;
            sum += x * y, ++n;
        }
    return sum / n;
}

std::pair<int, int> rowsNeeded(const Alignment::Affine& to, int width, int y0, int y1, int height) {
    double low = 1e18, high = -1e18;
    for (const double x : {0.0, width - 1.0})
        for (const double y : {static_cast<double>(y0), y1 - 1.0}) {
            const double at = to({x, y}).y;
            low = std::min(low, at), high = std::max(high, at);
        }
    const auto cut = [&](double v) { return static_cast<int>(std::clamp(v, 0.0, static_cast<double>(height))); };
    return {cut(std::floor(low) - 3), cut(std::floor(high) + 5)};
}

} // namespace caelumen

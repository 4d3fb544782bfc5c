#pragma once

#include <cstddef>

/// Loops over rows of numbers, compiled for several instruction sets as those of pixel_rows.h are. The results are the same on any of them.
namespace caelumen::rows {

/// out[i] = ln v[i] within two units of the last place, for 1e-300 < v < 1e300. In place is allowed.
void logarithms(const double* v, int n, double* out);

/// out[i] = e to the v[i] within two units of the last place, for -708 < v < 709; beyond that it stays at the value there (3e-308, 8e307), so that
/// the step of a fit that went astray is bad, not wrong. In place is allowed.
void exponentials(const double* v, int n, double* out);

/// Sum of a[i] * b[i], in eight interleaved sums.
double dot(const double* a, const double* b, int n);

/// out[i] = the median of the nine values around it in three rows, for 1 <= i < n - 1; none of them may be NaN.
void mediansOfNine(const double* above, const double* here, const double* below, int n, double* out);

/// Light around a point that falls with the distance from it: flux * light[distance * perUnit, rounded] more than `from` and at most `to` away from it.
struct Fading {
    const float* light = nullptr;
    double perUnit = 1;
    float flux = 0;
    double from = 0, to = 0;
};
/// Places in rows and columns, the same step apart in both, from the first one at (x, y) on; values of a row lie side by side, those of the next one `stride`
/// on.
struct Lattice {
    static constexpr int kMostAcross = 512;
    double x = 0, y = 0, step = 1;
    int across = 0, down = 0;
    std::ptrdiff_t stride = 0;
};
/// Adds the light around (x, y); rows have at most kMostAcross places.
void addFading(const Fading& of, const Lattice& where, double x, double y, float* to);

} // namespace caelumen::rows

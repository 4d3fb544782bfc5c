#pragma once

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

} // namespace caelumen::rows

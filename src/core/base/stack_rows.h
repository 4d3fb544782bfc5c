#pragma once

#include <cstdint>

/// Loops over rows of pixels that stacking needs: calibrating, interpolating, adding up what several rows hold. As those of pixel_rows.h they are compiled for
/// several instruction sets, and none of them allocates.
namespace caelumen::rows {

/// What several rows come to, pixel by pixel; NaN is passed over.
struct Gathered {
    float *sum, *weight, *count; ///< of values less the pivot, times their weight; of the weights; of the values
    float *low, *high;           ///< extremes, less the pivot; without values infinite
};
/// Of `rows` rows with `n` values each.
void gather(const float* const* v, const float* weight, int rows, int n, float pivot, const Gathered& to);
/// The same as two halves: where each[i] is 1, values go to the one and the other in turn; where it is 0, those of every second row go to the second.
void gatherByTurns(const float* const* v, const float* weight, int rows, int n, float pivot, const std::uint8_t* each, const Gathered& a, const Gathered& b);
/// What two halves come to together.
void join(const Gathered& a, const Gathered& b, int n, const Gathered& to);

/// Adds one to reached[i] where v[i] is not NaN, and to values[i] where it is finite; infinite ones become NaN.
void takeDrops(float* v, int n, std::uint16_t* values, std::uint16_t* reached);

/// out[i] = (v[i] - zero[i]) * factor[i]; `zero` may be null (then `level` is taken away), `factor` too.
void calibrate(const float* v, int n, const float* zero, float level, const float* factor, float* out);

/// Weights of a six-point interpolation that change evenly along a walk: at step i, tap k has start[k] + step[k] * i.
struct SixTaps {
    float start[6], step[6];
};
/// Interpolates six rows along a walk that goes one pixel to the right each step: down first, then across. The rows point at the walk's first pixel; two pixels
/// before it and three after the last are read. `room` holds n + 5 floats. Adds weight times the value to out[i].
void sixPoint(const float* const rows[6], const SixTaps& across, const SixTaps& down, int n, float weight, float* room, float* out);

/// In place: (v - start - step * i) * scale + pivot.
void level(float* v, int n, float start, float step, float scale, float pivot);

/// What is rejected without a second look.
struct Screen {
    float level = 0, sky2 = 0, photon = 0, part2 = 0; ///< variance above the level: sky2 + photon * above + part2 * above^2
    float low = 3, high = 3;                          ///< sigmas
    float bias = 0;                                   ///< sigmas that clipping lowered the mean by
    float partLimit = 0;                              ///< `above` up to which that is added back
};
/// Means of gathered values into out; doubtful[i] is 1 where some value lies beyond the limits, or there is none.
void screen(const Gathered& from, int n, const Screen& how, float* out, std::uint8_t* doubtful);

} // namespace caelumen::rows

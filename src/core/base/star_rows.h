#pragma once

#include "core/base/ramp.h"

#include <cstdint>

/// Loops over rows of pixels by which stars are found, most of them at each pixel of a frame. As those of pixel_rows.h they are compiled for several
/// instruction sets, and none of them allocates.
namespace caelumen::rows {

/// Most loops first tell of so many places at once whether any is worth a look; a row's blocks begin at its first pixel, and the last one may be cut short.
inline constexpr int kLook = 32;
constexpr int blocksOf(int width) {
    return (width + kLook - 1) / kLook;
}

/// The smallest and the largest of each so many values of a row; NaN is neither, and where there is nothing else they are infinite the wrong way round.
inline constexpr int kStretch = 2 * kLook;
constexpr int stretchesOf(int width) {
    return (width + kStretch - 1) / kStretch;
}
void extremes(const float* v, int n, float* lows, float* highs);
/// The same of 32-bit big-endian floats.
void extremesTurned(const std::uint32_t* raw, int n, float* lows, float* highs);

/// 3x3 weighted mean (1 2 1, 2 4 2, 1 2 1)/16 at place x of the middle row `b` of `width` pixels; columns beyond the ends repeat the last one.
float smoothed(const float* a, const float* b, const float* c, int width, int x);

/// Which blocks hold a place where that mean is at least the block's `bright` (kBright), or where `b` itself lies outside its `low` and `high` (kFar); NaN
/// never is or does. Of blocks at either end of the row both are said without a look. Only blocks from <= block < end are told of.
inline constexpr std::uint8_t kBright = 1, kFar = 2;
struct BlockLimits {
    const float *bright, *low, *high;
};
void look(const float* a, const float* b, const float* c, int width, int from, int end, const BlockLimits& limits, std::uint8_t* found);

/// All places from <= x < end of a piece in order where the mean is at least the ramp, into `out` (room for as many); how many there are.
int smoothReaching(const float* a, const float* b, const float* c, int width, const Piece& limit, int from, int end, int* out);

/// All places from <= x < end of two pieces that lie alike where `value` lies below the one or above the other, likewise.
int outside(const float* value, const Piece& low, const Piece& high, int from, int end, int* out);

/// What stands above the ramps of pieces that follow one another, 0 where v is NaN.
void aboveRamps(const float* v, const Piece* pieces, int count, float* out);

/// out[i] = taps[0] * v[i] + the sum over k of taps[k] * (v[i - k] + v[i + k]), k up to `half`; `half` values before v and after its end are read. On the way
/// it asks for the `n` values that are wanted next, so that the memory is not idle.
void blurAcross(const float* v, int n, const float* taps, int half, float* out, const float* next);

/// What blurDown tells besides: reaches[k][block] is set where a place of the block reaches limit[k], and of the last two without a look.
struct Reaching {
    const float* const* limit;
    std::uint8_t* const* reaches;
};

/// The same as blurAcross down the columns, of several rows at once, so that each is read from far away only once: rows[k + half] is the middle row of out[k],
/// rows[k] and rows[k + 2 * half] are its outermost.
void blurDown(const float* const* rows, int n, const float* taps, int half, float* const* out, int count, const Reaching& see);

/// All places in order where `value` is at least `limit` (`reaches`: as blurDown saw it) and stands above its eight neighbours; of equal ones in a row or
/// column the last. Beyond the ends lie zeros. Into `out` (room for `n`); how many there are.
int peaks(const float* above, const float* value, const float* below, const float* limit, const std::uint8_t* reaches, int n, int* out);

/// The sum over a square of 2 * half + 1 pixels about `middle`, each times the taps of its row and of its column; `half` is at most kMostHalf.
inline constexpr int kMostHalf = 40;
double filtered(const float* middle, std::int64_t stride, const double* taps, int half);

} // namespace caelumen::rows

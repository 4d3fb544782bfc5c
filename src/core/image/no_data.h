#pragma once

#include "core/image/plane.h"
#include "core/image/plane_scan.h"

#include <cstdint>
#include <vector>

namespace caelumen {

/// Turns into NaN what is no data: infinities, and connected areas (64 pixels and more) of exact zeros, which are the rims and
/// holes that registration leaves. Where the picture itself sits at zero (its median within three of its own noise of it), only
/// such areas that touch the border count, since dark sky then has zeros of its own.
void markNoData(Plane& plane);

/// What the rows of a plane held as they were stored. Each can be taken by another thread.
class RowsSeen {
public:
    /// `extremes`, where they are wanted: of the values as they become, infinities among them.
    explicit RowsSeen(int height, RowExtremes* extremes = nullptr)
        : m_rows(static_cast<std::size_t>(height))
        , m_extremes(extremes) {}

    /// Scales a row in place, infinities becoming NaN.
    void take(float* row, int width, int y, Rescale by);
    /// The same of a row of 32-bit big-endian floats, which goes `to` another place.
    void takeTurned(const std::uint32_t* turned, int width, int y, Rescale by, float* to);

    std::int64_t zeros(int y) const { return m_rows[static_cast<std::size_t>(y)].zeros; }
    std::int64_t zeros() const;
    float top() const; ///< the largest finite value, -infinity without any

private:
    std::vector<rows::Found> m_rows;
    RowExtremes* m_extremes;
};

/// The same in two steps, for a reader that has each row at hand while it is in the cache: when zeros are `zero` by now.
void markNoData(Plane& plane, const RowsSeen& seen, float zero = 0);

} // namespace caelumen

#pragma once

#include "core/base/mapped_buffer.h"
#include "core/palette/mixture.h"

namespace caelumen {

/// A mixture at full size in 16 bits a pixel, in memory that the system can drop: for looking at any part of it, pixel by pixel. Steps are an eighth of a
/// layer's noise, wider where its brightest would not fit; what is brighter still is cut.
class MixtureShelf {
public:
    explicit MixtureShelf(const Mixture& mixture); ///< throws std::bad_alloc
    int width() const { return m_rest.width; }
    int height() const { return m_rest.height; }
    /// The part from (x, y) on, cut at the frame's edges; noise and sky are those of the whole frame.
    Mixture part(int x, int y, int width, int height) const;

private:
    struct Code {
        float zero = 0, step = 1;
    };
    Mixture m_rest; ///< everything but the pixels; planes that are there have one pixel
    std::vector<Code> m_codes;
    MappedBuffer m_pixels;
};

} // namespace caelumen

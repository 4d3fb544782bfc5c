#pragma once

#include "core/base/large_memory.h"
#include "core/base/point.h"

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <limits>
#include <memory>

namespace caelumen {

inline constexpr float kNoData = std::numeric_limits<float>::quiet_NaN();

/// One channel of a frame: width x height floats, row by row in stored order; pixel (0, 0) is the first stored one and
/// its centre has the coordinates (0, 0). NaN means "no data" and nothing else.
class Plane {
public:
    Plane() = default;
    Plane(int width, int height, float fill = 0)
        : Plane(unfilled(width, height)) {
        std::fill_n(data(), size(), fill);
    }
    Plane(const Plane& other)
        : Plane(unfilled(other.m_width, other.m_height)) {
        std::copy_n(other.data(), size(), data());
    }
    Plane(Plane&& other) noexcept { swap(other); }
    Plane& operator=(Plane other) noexcept {
        swap(other);
        return *this;
    }
    ~Plane() = default;

    /// Pixels of whatever was in memory, for readers that write them all: filling a large frame first takes as long as measuring it in part.
    static Plane unfilled(int width, int height) {
        Plane p;
        p.m_width = width;
        p.m_height = height;
        const std::size_t bytes = p.size() * sizeof(float);
        p.m_data = {static_cast<float*>(allocateLarge(bytes)), Free{bytes}};
        return p;
    }

    /// The same out of a plane that is no longer needed, without asking for memory when its size is right.
    static Plane unfilled(int width, int height, Plane&& spare) {
        return spare.m_width == width && spare.m_height == height ? Plane(std::move(spare)) : unfilled(width, height);
    }

    int width() const { return m_width; }
    int height() const { return m_height; }
    std::size_t size() const { return static_cast<std::size_t>(m_width) * static_cast<std::size_t>(m_height); }
    bool empty() const { return size() == 0; }
    float* data() { return m_data.get(); }
    const float* data() const { return m_data.get(); }
    float* row(int y) { return data() + static_cast<std::size_t>(y) * static_cast<std::size_t>(m_width); }
    const float* row(int y) const { return data() + static_cast<std::size_t>(y) * static_cast<std::size_t>(m_width); }
    float& at(int x, int y) { return row(y)[x]; }
    float at(int x, int y) const { return row(y)[x]; }
    bool contains(int x, int y) const { return x >= 0 && y >= 0 && x < m_width && y < m_height; }

private:
    void swap(Plane& other) noexcept {
        std::swap(m_width, other.m_width);
        std::swap(m_height, other.m_height);
        std::swap(m_data, other.m_data);
    }
    int m_width = 0, m_height = 0;
    struct Free {
        std::size_t bytes;
        void operator()(float* memory) const { freeLarge(memory, bytes); }
    };
    std::unique_ptr<float[], Free> m_data;
};

/// Where a plane's pixels lie in the stored frame: stored = origin + pitch * plane. Planes of a colour mosaic have pitch 2.
struct PlaneGeometry {
    double pitch = 1;
    Point origin = {};
    Point split = {}; ///< a pixel is the mean of two sites at +-split from its centre, plane pixels: the greens of a mosaic

    Point toStored(Point p) const { return {origin.x + pitch * p.x, origin.y + pitch * p.y}; }
    Point toPlane(Point s) const { return {(s.x - origin.x) / pitch, (s.y - origin.y) / pitch}; }
};

} // namespace caelumen

#pragma once

#include <cmath>
#include <cstddef>
#include <limits>
#include <vector>

namespace caelumen {

inline constexpr float kNoData = std::numeric_limits<float>::quiet_NaN();

struct Point {
    double x = 0, y = 0;
};

/// One channel of a frame: width x height floats, row by row in stored order; pixel (0, 0) is the first stored one and
/// its centre has the coordinates (0, 0). NaN means "no data" and nothing else.
class Plane {
public:
    Plane() = default;
    Plane(int width, int height, float fill = 0)
        : m_width(width), m_height(height), m_data(static_cast<std::size_t>(width) * static_cast<std::size_t>(height), fill) {}

    int width() const { return m_width; }
    int height() const { return m_height; }
    std::size_t size() const { return m_data.size(); }
    bool empty() const { return m_data.empty(); }
    float* data() { return m_data.data(); }
    const float* data() const { return m_data.data(); }
    float* row(int y) { return m_data.data() + static_cast<std::size_t>(y) * static_cast<std::size_t>(m_width); }
    const float* row(int y) const { return m_data.data() + static_cast<std::size_t>(y) * static_cast<std::size_t>(m_width); }
    float& at(int x, int y) { return row(y)[x]; }
    float at(int x, int y) const { return row(y)[x]; }
    bool contains(int x, int y) const { return x >= 0 && y >= 0 && x < m_width && y < m_height; }

private:
    int m_width = 0, m_height = 0;
    std::vector<float> m_data;
};

/// Where a plane's pixels lie in the stored frame: stored = origin + pitch * plane. Planes of a colour mosaic have pitch 2.
struct PlaneGeometry {
    double pitch = 1;
    Point origin = {};

    Point toStored(Point p) const { return {origin.x + pitch * p.x, origin.y + pitch * p.y}; }
    Point toPlane(Point s) const { return {(s.x - origin.x) / pitch, (s.y - origin.y) / pitch}; }
};

} // namespace caelumen

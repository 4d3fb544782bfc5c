#pragma once

#include <cmath>

namespace caelumen {

/// A place in a frame or on the sky; what its axes are is said where it is used.
struct Point {
    double x = 0, y = 0;
    friend bool operator==(const Point&, const Point&) = default;
};

/// sqrt(x^2 + y^2) without std::hypot's care for overflow, which pixels never need: many times as fast.
inline double length(double x, double y) {
    return std::sqrt(x * x + y * y);
}

} // namespace caelumen

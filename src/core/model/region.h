#pragma once

#include "core/base/point.h"

#include <string>
#include <vector>

namespace caelumen {

enum class RegionRole { Nebula, Sky, HaloStar };
enum class RegionShape { Circle, Rect, Polygon, Star };

/// A place on the sky chosen by a person (or proposed), in the baseline run's stored pixels.
struct Region {
    std::string id;
    RegionRole role = RegionRole::Sky;
    RegionShape shape = RegionShape::Rect;
    std::vector<Point> points; ///< Circle and Star: the centre; Rect: two opposite corners; Polygon: three or more
    double radius = 0;         ///< Circle
    std::string channel;       ///< Nebula: the channel it is judged in; empty: the one of best SNR
    std::string name;          ///< what the person calls it; may be empty
    bool guessed = false;      ///< proposed by the program and not yet touched by a person

    bool contains(Point p) const;
    Point centre() const;
    double area() const; ///< pixels; a star has none
    struct Bounds {
        Point min, max;
    };
    Bounds bounds() const;
    /// Moves every point.
    void shift(double dx, double dy);
    friend bool operator==(const Region&, const Region&);
};

bool operator==(const Region& a, const Region& b);

const char* regionRoleName(RegionRole role); ///< as in the trial file
const char* regionShapeName(RegionShape shape);

} // namespace caelumen

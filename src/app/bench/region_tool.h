#pragma once

#include "core/model/region.h"

#include <QPointF>

#include <optional>
#include <vector>

namespace caelumen {

/// What a press in the view begins.
struct RegionKind {
    RegionRole role = RegionRole::Nebula;
    RegionShape shape = RegionShape::Circle;
    friend bool operator==(const RegionKind&, const RegionKind&) = default;
};

/// A region being drawn: circles from the middle, rectangles from a corner; an outline by clicks on its corners, or freely with the button held.
class RegionTool {
public:
    void take(std::optional<RegionKind> kind) {
        m_kind = kind;
        drop();
    }
    const std::optional<RegionKind>& kind() const { return m_kind; }
    bool drawing() const { return m_press.has_value() || !m_outline.empty(); }
    void drop() {
        m_press.reset();
        m_outline.clear();
    }

    /// In the frame's pixels; `handy` is the size of a region that a plain click makes.
    void press(Point at);
    void move(Point at, bool button);
    /// A region where one is complete.
    std::optional<Region> release(Point at, bool moved, double handy);
    std::optional<Region> close(); ///< the outline, where it has corners enough

    /// What to show meanwhile: the region as it would be, or the line so far.
    std::optional<Region> preview() const;
    const std::vector<Point>& outline() const { return m_outline; }
    Point at() const { return m_at; }

private:
    Region begun() const;
    std::optional<RegionKind> m_kind;
    std::optional<Point> m_press;
    std::vector<Point> m_outline;
    Point m_at;
    bool m_free = false;
};

} // namespace caelumen

#pragma once

#include <QPointF>

namespace caelumen {

/// A mouse button that is held: where it went down, where it was last, and whether it was moved at all or meant a click.
struct Hand {
    QPointF from, last = from;
    bool moved = false;

    /// The step since the last one. A hand that trembles has not moved.
    QPointF to(QPointF at) {
        constexpr int kTremble = 3;
        if (!moved && (at - from).manhattanLength() <= kTremble) return {};
        moved = true;
        const QPointF step = at - last;
        last = at;
        return step;
    }
};

} // namespace caelumen

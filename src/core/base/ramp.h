#pragma once

namespace caelumen::rows {

/// A straight line along a row: start + step * i.
struct Ramp {
    float start = 0, step = 0;
    float at(int i) const { return start + step * static_cast<float>(i); }
};

/// The same over the `n` places of a row from x on, where it begins.
struct Piece {
    int x, n;
    Ramp ramp;
};

} // namespace caelumen::rows

#pragma once

#include "core/image/plane.h"

namespace caelumen {

/// Turns into NaN what is no data: infinities, and connected areas (64 pixels and more) of exact zeros, which are the rims and
/// holes that registration leaves. Where the picture itself sits at zero (its median within three of its own noise of it), only
/// such areas that touch the border count, since dark sky then has zeros of its own.
void markNoData(Plane& plane);

} // namespace caelumen

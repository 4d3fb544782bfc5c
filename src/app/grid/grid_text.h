#pragma once

#include "app/grid/sky_grid_model.h"

#include <QString>

namespace caelumen {

/// What a cell is, what it rests on and what it means, as a page. Links: bench:TRIAL, plan:INDEX.
QString cellPage(const SkyGridModel& model, int cell);
/// Places and how well the model meets them; where no filter wins; what to measure next.
QString gridPage(const SkyGridModel& model);

} // namespace caelumen

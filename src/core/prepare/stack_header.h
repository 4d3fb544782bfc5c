#pragma once

#include "core/image/fits_writer.h"
#include "core/prepare/stack_plan.h"

namespace caelumen {

/// What is known of a stack, as header cards: facts of the subs and of the recipe, and what was done.
std::vector<HeaderCard> stackHeader(const SubsRecipe& recipe, const SubMeasurer& measurer, const JudgedRun& run, const StackPlan& plan);

} // namespace caelumen

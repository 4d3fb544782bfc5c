#pragma once

#include "core/base/json_fwd.h"
#include "core/base/result.h"
#include "core/model/plan.h"

namespace caelumen {

/// A plan as JSON (docs/formats.md) and back, every field checked; `name` begins the sentences about what is wrong.
Json planToJson(const Plan& plan);
Result<Plan> planFromJson(const Json& json, const std::string& name);

} // namespace caelumen

#pragma once

#include "core/base/json_fwd.h"

#include <nlohmann/json.hpp>

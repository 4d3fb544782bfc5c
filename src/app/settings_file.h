#pragma once

#include "core/base/result.h"

#include <QString>

namespace caelumen {

/// All settings of the person (theme, layouts, dark library, recent campaigns, ...) as a file, and back. An Error names the file and says what is wrong with
/// it.
Status exportSettings(const QString& path);
Status importSettings(const QString& path);

} // namespace caelumen

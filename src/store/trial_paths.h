#pragma once

#include "core/model/trial.h"

#include <QString>

namespace caelumen {

/// A trial as text for a campaign file: files beneath the campaign's folder are named relative to it, so that folder and campaign can move together.
QString bodyOf(Trial trial, const QString& campaign);

/// The same names made absolute again.
Trial absolutePaths(Trial trial, const QString& campaign);

} // namespace caelumen

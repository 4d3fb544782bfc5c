#pragma once

#include "core/base/job.h"
#include "core/base/result.h"

#include <QString>

namespace caelumen {

/// The demo campaign's file in `folder`; frames and campaign are made when they are not there yet (or were left half made).
Result<QString> demoCampaign(const QString& folder, const Job& job = {});

/// Where it lives when nobody says otherwise.
QString defaultDemoFolder();

} // namespace caelumen

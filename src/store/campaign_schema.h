#pragma once

#include "core/base/result.h"

#include <QSqlDatabase>
#include <QSqlError>
#include <QString>

namespace caelumen {

/// Why the database could not do something, in words that say what can be done.
QString reasonOf(const QSqlError& error);

/// One sentence about a campaign file: what, and the reason in brackets.
Error campaignFailure(const QString& path, const QString& what, const QString& reason);

/// Makes the tables of an empty database.
Status makeCampaignSchema(QSqlDatabase db, const QString& path);

/// Whether an open database is a campaign that can be read: its mark, its format, its tables (a view under their name is none, and nothing in it may act by
/// itself), sizes that can be read, and no damage. Nothing of its content is taken before.
Status checkCampaign(QSqlDatabase db, const QString& path);

} // namespace caelumen

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

/// What of a file's outside can be told before the database touches it.
Status checkCampaignFile(const QString& path);

/// Makes the tables of an empty database.
Status makeCampaignSchema(QSqlDatabase db, const QString& path);

/// Whether an open database is a campaign at all: its mark, its format, its tables (a view under their name is none, and nothing in it may act by itself),
/// sizes that can be read. Nothing of its content is taken before.
Status checkCampaignShape(QSqlDatabase db, const QString& path);

/// The same, and whether it is free of damage.
Status checkCampaign(QSqlDatabase db, const QString& path);

} // namespace caelumen

#pragma once

#include "core/base/result.h"

#include <QSqlDatabase>
#include <QSqlError>
#include <QString>

#include <map>
#include <vector>

namespace caelumen {

/// Why the database could not do something, in words that say what can be done.
QString reasonOf(const QSqlError& error);

/// One sentence about a campaign file: what, and the reason in brackets.
Error campaignFailure(const QString& path, const QString& what, const QString& reason);

/// What of a file's outside can be told before the database touches it.
Status checkCampaignFile(const QString& path);

/// How to open a campaign file so that no file is made beside it: its name for the database, and the options that go with it. Without a log nobody writes, and
/// it is read as it lies there, also on a medium that cannot be written.
struct PlaceToRead {
    QString name, options;
};
PlaceToRead placeToRead(const QString& path);

/// Makes the tables of an empty database.
Status makeCampaignSchema(QSqlDatabase db, const QString& path);

/// What a campaign holds, as it stands in its tables.
struct CampaignContent {
    struct Row {
        qint64 id = 0;
        QString title, body, changed;
    };
    std::vector<Row> trials; ///< in their order
    std::map<QString, QString> settings;
};
/// Makes the tables of an empty database and fills them.
Status writeCampaignContent(QSqlDatabase db, const QString& path, const CampaignContent& content);

/// Whether an open database is a campaign at all: its mark, its format, its tables (a view under their name is none, and nothing in it may act by itself).
/// Nothing of its content is taken before. Quick, whatever its size.
Status checkCampaignShape(QSqlDatabase db, const QString& path);

/// Whether its texts have sizes that can be read. Looks at each.
Status checkCampaignSizes(QSqlDatabase db, const QString& path);

/// All of that, and whether it is free of damage. Reads the whole file.
Status checkCampaign(QSqlDatabase db, const QString& path);

} // namespace caelumen

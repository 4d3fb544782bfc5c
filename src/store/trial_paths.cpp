#include "store/trial_paths.h"

#include "core/base/json.h"
#include "core/model/trial_json.h"

#include <QDir>
#include <QFileInfo>

namespace caelumen {

QString bodyOf(Trial trial, const QString& campaign) {
    const QDir folder = QFileInfo(campaign).absoluteDir();
    eachFile(trial, [&](std::string& file) {
        if (file.empty()) return;
        const QString whole = QDir::cleanPath(folder.absoluteFilePath(QString::fromStdString(file))), near = folder.relativeFilePath(whole);
        file = (near.startsWith("..") ? whole : near).toStdString();
    });
    return QString::fromStdString(jsonText(trialToJson(trial)));
}

Trial absolutePaths(Trial trial, const QString& campaign) {
    const QDir folder = QFileInfo(campaign).absoluteDir();
    eachFile(trial, [&](std::string& file) {
        if (!file.empty()) file = QDir::cleanPath(folder.absoluteFilePath(QString::fromStdString(file))).toStdString();
    });
    return trial;
}

} // namespace caelumen

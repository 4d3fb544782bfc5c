#include "app/camera_shelf.h"

#include "app/widgets/core_words.h"
#include "app/widgets/paths.h"
#include "core/base/file.h"
#include "core/optics/camera_file.h"

#include <QStandardPaths>

#include <algorithm>

namespace caelumen {

QDir ownCameraFolder() {
    return QDir(QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/cameras");
}

std::vector<Camera> allCameras() {
    std::vector<Camera> out = typicalCameras();
    for (Camera& c : out) c.name = coreWord(c.name).toStdString();
    const QDir own = ownCameraFolder();
    for (const QString& file : own.entryList({"*.json"}, QDir::Files, QDir::Name)) {
        const auto text = readText(toPath(own.filePath(file)), 32U << 20U);
        auto camera = text ? cameraFromText(*text, file.toStdString()) : Result<Camera>(text.error());
        if (camera) out.push_back(std::move(*camera));
    }
    return out;
}

Camera cameraOf(const std::string& id) {
    for (Camera& c : allCameras())
        if (c.id == id) return c;
    return typicalCamera("colour-clear");
}

} // namespace caelumen

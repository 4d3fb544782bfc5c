#pragma once

#include "core/base/text.h"

#include <QString>

namespace caelumen {

/// A file named in the window: the bytes of its name, which need not be UTF-8 (nameText).
inline std::filesystem::path toPath(const QString& name) {
    return pathOf(name.toStdString());
}
inline QString fromPath(const std::filesystem::path& path) {
    return QString::fromStdString(nameText(path));
}

} // namespace caelumen

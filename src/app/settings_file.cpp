#include "app/settings_file.h"

#include "app/widgets/paths.h"
#include "core/base/file.h"

#include <QFile>
#include <QSettings>
#include <QTemporaryDir>

namespace caelumen {
namespace {

constexpr const char* kMark = "caelumen_settings";

} // namespace

Status exportSettings(const QString& path) {
    // Written beside, then through a temporary name like all that goes out.
    QTemporaryDir folder;
    const QString draft = folder.filePath("settings.ini");
    {
        QSettings to(draft, QSettings::IniFormat);
        const QSettings from;
        for (const QString& key : from.allKeys()) to.setValue(key, from.value(key));
        to.setValue(kMark, 1);
    }
    QFile file(draft);
    if (!file.open(QIODevice::ReadOnly))
        return Error{QObject::tr("%1: the settings could not be written; check the space in the temporary folder.").arg(path).toStdString()};
    const QByteArray bytes = file.readAll();
    return writeFile(toPath(path), std::string_view(bytes.constData(), static_cast<std::size_t>(bytes.size())));
}

Status importSettings(const QString& path) {
    if (!isFileToRead(toPath(path))) return Error{QObject::tr("%1 cannot be read; choose a file of settings.").arg(path).toStdString()};
    const QSettings from(path, QSettings::IniFormat);
    if (from.status() != QSettings::NoError || from.value(kMark).toInt() != 1)
        return Error{QObject::tr("%1 holds no settings of Caelumen; choose a file that was exported by it.").arg(path).toStdString()};
    QSettings to;
    for (const QString& key : from.allKeys())
        if (key != kMark) to.setValue(key, from.value(key));
    to.sync();
    return Done{};
}

} // namespace caelumen

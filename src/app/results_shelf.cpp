#include "app/results_shelf.h"

#include "app/widgets/paths.h"
#include "core/base/file.h"
#include "core/base/json.h"
#include "core/compare/results_archive.h"

#include <QCryptographicHash>
#include <QDateTime>
#include <QDir>
#include <QFile>
#include <QFileInfo>
#include <QLocale>
#include <QStandardPaths>

namespace caelumen {
namespace {

constexpr qint64 kHead = 64 * 1024;
constexpr qint64 kMostBytes = 400LL << 20;
constexpr int kMostFiles = 300;

/// A file as it lies there; false where it does not.
bool addFile(QCryptographicHash& hash, const std::filesystem::path& path) {
    const QString name = fromPath(path);
    QFile file(name);
    if (!file.open(QIODevice::ReadOnly)) return false;
    const QFileInfo info(name);
    hash.addData(QString("%1|%2|%3|").arg(info.absoluteFilePath()).arg(info.size()).arg(info.lastModified().toMSecsSinceEpoch()).toUtf8());
    hash.addData(file.read(kHead));
    return true;
}

} // namespace

QString ResultsShelf::folder() {
    return QStandardPaths::writableLocation(QStandardPaths::CacheLocation) + "/results";
}

QString ResultsShelf::nameOf(const Trial& trial) {
    QCryptographicHash hash(QCryptographicHash::Sha256);
    hash.addData(QByteArray::fromStdString(programName()));
    if (QLocale().language() != QLocale::C) hash.addData(QLocale().name().toUtf8()); // sentences are kept as they were said
    hash.addData(QByteArray::fromStdString(jsonText(trialToJson(measuredPart(trial)))));
    for (const Run& run : trial.runs) {
        if (!addFile(hash, pathOf(run.stack))) return {};
        if (!run.short_stack.empty() && !addFile(hash, pathOf(run.short_stack))) return {};
        const Halves halves = halvesOf(run, {});
        for (const auto& half : {halves.odd, halves.even})
            if (!half.empty() && !addFile(hash, half)) return {};
    }
    for (const Filter& f : trial.filters)
        if (!f.curve.empty()) addFile(hash, pathOf(f.curve)); // one that is missing is told, and stops nothing
    return QString::fromLatin1(hash.result().toHex());
}

std::shared_ptr<const TrialResults> ResultsShelf::find(const QString& name) {
    if (name.isEmpty()) return nullptr;
    QFile file(folder() + "/" + name);
    if (!file.open(QIODevice::ReadOnly)) return nullptr;
    const QByteArray bytes = qUncompress(file.readAll());
    auto results = unpackResults({bytes.constData(), static_cast<std::size_t>(bytes.size())});
    if (!results) {
        file.remove();
        return nullptr;
    }
    file.setFileTime(QDateTime::currentDateTime(), QFileDevice::FileModificationTime); // used: it stays longest
    return std::make_shared<const TrialResults>(std::move(*results));
}

void ResultsShelf::keep(const QString& name, const TrialResults& results) {
    if (name.isEmpty() || !QDir().mkpath(folder())) return;
    const std::string packed = packResults(results);
    const QByteArray bytes = qCompress(reinterpret_cast<const uchar*>(packed.data()), static_cast<qsizetype>(packed.size()), 1);
    (void)writeFile(toPath(folder() + "/" + name), std::string_view(bytes.constData(), static_cast<std::size_t>(bytes.size())));
    qint64 total = 0;
    int count = 0;
    for (const QFileInfo& old : QDir(folder()).entryInfoList(QDir::Files, QDir::Time)) // the newest first
        if ((total += old.size()) > kMostBytes || ++count > kMostFiles) QFile::remove(old.filePath());
}

} // namespace caelumen

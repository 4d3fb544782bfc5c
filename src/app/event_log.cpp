#include "app/event_log.h"

#include "app/widgets/paths.h"
#include "core/base/file.h"
#include "core/base/json_fields.h"

#include <QCoreApplication>
#include <QDateTime>
#include <QDir>
#include <QFile>
#include <QMutex>
#include <QScopedValueRollback>
#include <QStandardPaths>
#include <QSysInfo>

#include <csignal>

namespace caelumen {
namespace {

constexpr qint64 kMostBytes = 256 * 1024;
QtMessageHandler g_before = nullptr;

QString dataFolder() {
    return QStandardPaths::writableLocation(QStandardPaths::AppDataLocation);
}

QString runningFolder() {
    return dataFolder() + "/running";
}

/// One line that names nobody's home.
QString told(QString text) {
    text.replace('\n', ' ');
    const QString home = QDir::homePath();
    return home.size() > 1 ? text.replace(home, "~") : text;
}

bool isAlive(qint64 process) {
    return process > 0 && (::kill(static_cast<pid_t>(process), 0) == 0 || errno == EPERM);
}

void hear(QtMsgType type, const QMessageLogContext& context, const QString& text) {
    if (type != QtDebugMsg && type != QtInfoMsg) noteEvent("warning: " + text);
    if (g_before) g_before(type, context, text);
}

} // namespace

QString eventLogFile() {
    return dataFolder() + "/events.log";
}

void noteEvent(const QString& what) {
    static thread_local bool writing = false; // a warning about this very file must not wait for itself
    if (writing) return;
    static QMutex guard;
    const QMutexLocker lock(&guard);
    const QScopedValueRollback<bool> busy(writing, true);
    QDir().mkpath(dataFolder());
    QFile file(eventLogFile());
    if (file.size() > kMostBytes && file.open(QIODevice::ReadOnly)) { // the newer half is kept
        file.seek(file.size() - kMostBytes / 2);
        (void)file.readLine();
        const QByteArray rest = file.readAll();
        file.close();
        if (file.open(QIODevice::WriteOnly)) file.write(rest);
        file.close();
    }
    if (!file.open(QIODevice::WriteOnly | QIODevice::Append)) return; // a full disk is told elsewhere
    file.write(QString("%1 [%2] %3\n")
                   .arg(QDateTime::currentDateTimeUtc().toString(Qt::ISODateWithMs))
                   .arg(QCoreApplication::applicationPid())
                   .arg(told(what))
                   .toUtf8());
}

QString eventLogText() {
    QFile file(eventLogFile());
    const QString lines = file.open(QIODevice::ReadOnly) ? QString::fromUtf8(file.readAll()) : QString();
    return QString("Caelumen %1, Qt %2, %3, %4\n%5")
        .arg(CAELUMEN_VERSION, qVersion(), QSysInfo::prettyProductName(), QSysInfo::currentCpuArchitecture(), lines);
}

void hearWarnings() {
    g_before = qInstallMessageHandler(hear);
}

RunningMark::RunningMark()
    : m_file(QString("%1/%2.json").arg(runningFolder()).arg(QCoreApplication::applicationPid()))
    , m_since(QDateTime::currentDateTimeUtc().toString(Qt::ISODate)) {
    QDir().mkpath(runningFolder());
    noteEvent("begins");
    write();
}

RunningMark::~RunningMark() {
    QFile::remove(m_file);
    noteEvent("ends");
}

void RunningMark::setCampaign(const QString& path) {
    if (path == m_campaign) return;
    m_campaign = path;
    noteEvent("campaign: " + path);
    write();
}

void RunningMark::setDoing(const QString& what) {
    if (what == m_doing) return;
    if (!what.isEmpty()) noteEvent("works: " + what);
    m_doing = what;
    write();
}

void RunningMark::write() {
    const Json j{{"caelumen_running", 1}, {"campaign", m_campaign.toStdString()}, {"doing", m_doing.toStdString()}, {"since", m_since.toStdString()}};
    QFile file(m_file); // small, and worth nothing once it is old: no need for a temporary name
    if (file.open(QIODevice::WriteOnly)) file.write(QByteArray::fromStdString(jsonText(j)));
}

std::vector<RunningMark::Left> RunningMark::takeLeft() {
    std::vector<Left> out;
    for (const QFileInfo& info : QDir(runningFolder()).entryInfoList({"*.json"}, QDir::Files, QDir::Time)) {
        if (isAlive(info.completeBaseName().toLongLong())) continue;
        const auto json = readJson(toPath(info.filePath()), 64 << 10);
        const auto left = json ? understood<Left>("",
                                                  [&]() -> Result<Left> {
                                                      const JsonFields f(*json, "", "");
                                                      return Left{QString::fromStdString(f.text("campaign")), QString::fromStdString(f.text("doing")),
                                                                  QString::fromStdString(f.text("since"))};
                                                  })
                               : Result<Left>(json.error());
        QFile::remove(info.filePath());
        if (left) out.push_back(*left);
    }
    return out;
}

} // namespace caelumen

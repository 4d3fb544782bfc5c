#pragma once

#include "app/job_service.h"

#include <QObject>
#include <QTimer>

#include <cstdint>
#include <map>
#include <set>
#include <string>

namespace caelumen {

/// Looks at a folder twice a second, away from the interface thread: files that have not grown between two looks have landed. One that grows again was only
/// half there, and lands again.
class FolderWatch : public QObject {
    Q_OBJECT

public:
    explicit FolderWatch(QObject* parent = nullptr);

    /// `known`: files with their sizes that need not land once more. An empty folder ends the watch.
    void watch(const QString& folder, std::map<std::string, std::uintmax_t> known);
    const QString& folder() const { return m_folder; }

signals:
    void landed(const std::set<std::string>& files);
    void problem(const QString& sentence);

private:
    void look();
    void compare(const std::map<std::string, std::uintmax_t>& sizes);

    QString m_folder;
    QTimer m_timer;
    JobService m_jobs;
    std::map<std::string, std::uintmax_t> m_growing, m_landed; ///< sizes
};

} // namespace caelumen

#include "app/subs/folder_watch.h"

#include "app/widgets/paths.h"
#include "core/base/text.h"
#include "core/prepare/intake.h"

namespace caelumen {
namespace fs = std::filesystem;

FolderWatch::FolderWatch(QObject* parent)
    : QObject(parent) {
    m_timer.setInterval(500);
    connect(&m_timer, &QTimer::timeout, this, &FolderWatch::look);
    connect(&m_jobs, &JobService::failed, this, &FolderWatch::problem);
}

void FolderWatch::watch(const QString& folder, std::map<std::string, std::uintmax_t> known) {
    m_folder = folder;
    m_growing.clear();
    m_landed = std::move(known);
    if (folder.isEmpty())
        m_timer.stop();
    else
        m_timer.start();
}

void FolderWatch::look() {
    if (m_jobs.busy()) return;
    m_jobs.run("watch", tr("Looking"), [this, folder = m_folder](const Job&) -> JobService::Finish {
        std::map<std::string, std::uintmax_t> sizes;
        for (const fs::path& p : framesBeneath(toPath(folder))) {
            std::error_code failed;
            const auto size = fs::file_size(p, failed);
            if (!failed && size > 0) sizes[nameText(p)] = size;
        }
        return [this, folder, sizes = std::move(sizes)] {
            if (folder == m_folder) compare(sizes);
        };
    });
}

void FolderWatch::compare(const std::map<std::string, std::uintmax_t>& sizes) {
    std::set<std::string> fresh;
    for (const auto& [name, size] : sizes) {
        if (const auto it = m_landed.find(name); it != m_landed.end() && it->second == size) continue;
        if (const auto it = m_growing.find(name); it == m_growing.end() || it->second != size) {
            m_growing[name] = size;
            continue;
        }
        m_growing.erase(name);
        m_landed[name] = size;
        fresh.insert(name);
    }
    if (!fresh.empty()) emit landed(fresh);
}

} // namespace caelumen

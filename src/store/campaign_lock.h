#pragma once

#include "core/base/open_file.h"
#include "core/base/result.h"

#include <filesystem>

namespace caelumen {

/// Says who may write a campaign. The lock is a file beside it, held by the system for an open file: it dies with its process, however that ends.
class CampaignLock {
public:
    /// Takes the lock; where somebody holds it, the Error is who ("process 1234 on host") and `isHeld` becomes true, else why there can be none.
    static Result<CampaignLock> take(const std::filesystem::path& campaign, bool* isHeld = nullptr);
    /// Takes it in any case: whoever held it finds out by isOurs().
    static Result<CampaignLock> takeOver(const std::filesystem::path& campaign);

    CampaignLock(CampaignLock&&) = default;
    CampaignLock& operator=(CampaignLock&&) = delete;
    ~CampaignLock();

    bool isOurs() const;

private:
    CampaignLock(OpenFile file, std::filesystem::path path)
        : m_file(std::move(file))
        , m_path(std::move(path)) {}
    OpenFile m_file;
    std::filesystem::path m_path;
};

} // namespace caelumen

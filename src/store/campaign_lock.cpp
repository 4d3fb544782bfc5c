#include "store/campaign_lock.h"

#include "core/base/phrase.h"
#include "core/base/text.h"

#include <fmt/format.h>

#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

namespace caelumen {
namespace fs = std::filesystem;
namespace {

fs::path lockOf(const fs::path& campaign) {
    return campaign.parent_path() / fmt::format(".{}.lock", campaign.filename().native());
}

std::string ownWords() {
    char host[256] = {};
    ::gethostname(host, sizeof host - 1);
    return fmt::format("process {} on {}", ::getpid(), host);
}

void write(const OpenFile& file) {
    const std::string words = ownWords();
    if (::ftruncate(file.number(), 0) == 0) file.append(words.data(), words.size()); // it only tells people
}

std::string wordsIn(const OpenFile& file) {
    char text[512] = {};
    const auto got = ::pread(file.number(), text, sizeof text - 1, 0);
    return got > 0 ? oneLine(std::string_view(text, static_cast<std::size_t>(got))) : phrase("another process");
}

} // namespace

Result<CampaignLock> CampaignLock::take(const fs::path& campaign, bool* isHeld) {
    const auto held = [&](std::string by) {
        if (isHeld) *isHeld = true;
        return Error{std::move(by)};
    };
    const fs::path path = lockOf(campaign);
    for (int tries = 0; tries < 10; ++tries) {
        OpenFile file(::open(path.c_str(), O_RDWR | O_CREAT | O_CLOEXEC | O_NOFOLLOW, 0644));
        if (file.number() < 0) return Error{phrase("no lock can be made ({})", std::strerror(errno))};
        // Where a file system knows no locks, the mark inside the campaign alone keeps writers apart.
        if (::flock(file.number(), LOCK_EX | LOCK_NB) != 0 && errno == EWOULDBLOCK) return held(wordsIn(file));
        CampaignLock lock(std::move(file), path);
        if (!lock.isOurs()) continue; // its last holder removed it in between
        write(lock.m_file);
        return lock;
    }
    return held(phrase("another process"));
}

Result<CampaignLock> CampaignLock::takeOver(const fs::path& campaign) {
    const fs::path path = lockOf(campaign), fresh = path.native() + fmt::format(".{}", ::getpid());
    OpenFile file(::open(fresh.c_str(), O_RDWR | O_CREAT | O_TRUNC | O_CLOEXEC | O_NOFOLLOW, 0644));
    if (file.number() < 0 || (::flock(file.number(), LOCK_EX | LOCK_NB) != 0 && errno == EWOULDBLOCK) || ::rename(fresh.c_str(), path.c_str()) != 0)
        return Error{phrase("no lock can be made ({})", std::strerror(errno))};
    write(file);
    return CampaignLock(std::move(file), path);
}

CampaignLock::~CampaignLock() {
    if (isOurs()) ::unlink(m_path.c_str());
}

bool CampaignLock::isOurs() const {
    struct stat held {
    }, there{};
    return m_file.number() >= 0 && ::fstat(m_file.number(), &held) == 0 && ::stat(m_path.c_str(), &there) == 0 && held.st_ino == there.st_ino &&
           held.st_dev == there.st_dev;
}

} // namespace caelumen

#include "core/base/file_view.h"

#include <array>
#include <atomic>
#include <csignal>
#include <cstdint>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>
#include <utility>

namespace caelumen {
namespace {

/// What the handler has to know of a view; a signal can wait for no lock.
struct Slot {
    std::atomic<bool> taken = false, broken = false;
    std::atomic<std::uintptr_t> begin = 0, end = 0; ///< whole pages; empty while it is not in use
};
std::array<Slot, 32> slots;
struct sigaction before {};

std::size_t pageSize() {
    static const auto size = static_cast<std::size_t>(::sysconf(_SC_PAGESIZE));
    return size;
}

/// Puts a page of zeros where the file has none.
void onMissingPage(int, siginfo_t* info, void*) {
    const auto at = reinterpret_cast<std::uintptr_t>(info->si_addr);
    for (Slot& s : slots) {
        if (at < s.begin.load() || at >= s.end.load()) continue;
        s.broken = true;
        const std::size_t page = pageSize();
        if (::mmap(reinterpret_cast<void*>(at / page * page), page, PROT_READ, MAP_PRIVATE | MAP_ANONYMOUS | MAP_FIXED, -1, 0) != MAP_FAILED) return;
    }
    ::sigaction(SIGBUS, &before, nullptr); // none of ours: it comes again, to whom it came before
}

bool watch() {
    static const bool done = [] {
        pageSize(); // known before the handler asks
        struct sigaction action {};
        action.sa_sigaction = onMissingPage;
        action.sa_flags = SA_SIGINFO | SA_RESTART;
        sigemptyset(&action.sa_mask);
        return ::sigaction(SIGBUS, &action, &before) == 0;
    }();
    return done;
}

} // namespace

std::optional<FileView> FileView::of(const OpenFile& file, long long at, std::size_t bytes) {
    if (file.number() < 0 || at < 0 || bytes == 0 || !watch()) return std::nullopt;
    for (std::size_t i = 0; i < slots.size(); ++i) {
        Slot& s = slots[i];
        if (s.taken.exchange(true)) continue;
        FileView out;
        out.m_slot = i;
        out.m_file = file.number();
        out.m_at = at;
        out.m_bytes = bytes;
        out.m_before = static_cast<std::size_t>(at) % pageSize();
        s.broken = false;
        void* const seen =
            ::mmap(nullptr, out.m_before + bytes, PROT_READ, MAP_SHARED, file.number(), static_cast<off_t>(at) - static_cast<off_t>(out.m_before));
        if (seen == MAP_FAILED) {
            s.taken = false;
            return std::nullopt;
        }
        out.m_begin = static_cast<char*>(seen);
        const auto begin = reinterpret_cast<std::uintptr_t>(seen);
        s.begin = begin;
        s.end = begin + (out.m_before + bytes + pageSize() - 1) / pageSize() * pageSize();
        ::madvise(seen, out.m_before + bytes, MADV_SEQUENTIAL);
        return out;
    }
    return std::nullopt;
}

FileView::FileView(FileView&& other) noexcept
    : m_begin(std::exchange(other.m_begin, nullptr))
    , m_before(other.m_before)
    , m_bytes(other.m_bytes)
    , m_at(other.m_at)
    , m_file(other.m_file)
    , m_slot(other.m_slot) {}

FileView::~FileView() {
    if (!m_begin) return;
    Slot& s = slots[m_slot];
    s.end = 0;
    ::munmap(m_begin, m_before + m_bytes);
    s.taken = false;
}

void FileView::expect(std::size_t from, std::size_t bytes) const {
#ifdef MADV_POPULATE_READ
    const std::size_t page = pageSize(), begin = (m_before + from) / page * page, end = (m_before + from + bytes + page - 1) / page * page;
    ::madvise(m_begin + begin, end - begin, MADV_POPULATE_READ); // what cannot be had is found missing when it is read
#endif
}

void FileView::release(std::size_t from, std::size_t bytes) const {
    const std::size_t page = pageSize(), begin = (m_before + from + page - 1) / page * page, end = (m_before + from + bytes) / page * page;
    if (begin < end) ::madvise(m_begin + begin, end - begin, MADV_DONTNEED);
}

bool FileView::isWhole() const {
    if (slots[m_slot].broken) return false;
    struct stat now {}; // what follows the end of a file in its last page reads as zeros without a signal
    return ::fstat(m_file, &now) == 0 && now.st_size >= m_at + static_cast<long long>(m_bytes);
}

} // namespace caelumen

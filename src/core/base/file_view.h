#pragma once

#include "core/base/open_file.h"

#include <cstddef>
#include <optional>

namespace caelumen {

/// A part of a file, to be read once where the system holds it, without a copy. Where bytes cannot be had after all, since somebody cut the file short
/// meanwhile or the disk fails, zeros are read and isWhole() says so: the signal that the system sends then ends in here.
class FileView {
public:
    /// Nothing where the file cannot be seen so, or too many views are open: it is to be read in another way.
    static std::optional<FileView> of(const OpenFile& file, long long at, std::size_t bytes);
    FileView(FileView&& other) noexcept;
    FileView& operator=(FileView&&) = delete;
    FileView(const FileView&) = delete;
    FileView& operator=(const FileView&) = delete;
    ~FileView();

    const char* data() const { return m_begin + m_before; }
    /// These bytes, counted from data(), will be read now: asked for at once they cost less than page by page.
    void expect(std::size_t from, std::size_t bytes) const;
    /// These bytes, counted from data(), are not needed any more: what is shared of the system's memory counts as the program's own while it is seen. What
    /// shares a page with other bytes stays.
    void release(std::size_t from, std::size_t bytes) const;
    /// All that was read so far was in the file. To be asked after reading.
    bool isWhole() const;

private:
    FileView() = default;
    char* m_begin = nullptr; ///< of the page that the part begins in
    std::size_t m_before = 0, m_bytes = 0;
    long long m_at = 0;
    int m_file = -1;
    std::size_t m_slot = 0; ///< where the signal's handler finds it
};

} // namespace caelumen

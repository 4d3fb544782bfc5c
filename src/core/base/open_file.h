#pragma once

#include "core/base/result.h"

#include <cstddef>
#include <filesystem>

namespace caelumen {

/// An open file, closed with this.
class OpenFile {
public:
    explicit OpenFile(int number)
        : m_number(number) {}
    OpenFile(const OpenFile&) = delete;
    OpenFile& operator=(const OpenFile&) = delete;
    OpenFile(OpenFile&& other) noexcept;
    OpenFile& operator=(OpenFile&& other) noexcept;
    ~OpenFile();
    int number() const { return m_number; }
    /// `bytes` from a place on; false where they cannot be had.
    bool read(void* to, std::size_t bytes, long long at) const;
    /// All of `bytes` from a place on; false (with errno) where they cannot be put.
    bool write(const void* from, std::size_t bytes, long long at) const;
    /// All of `bytes` at the end; false (with errno) where they cannot be put.
    bool append(const void* from, std::size_t bytes) const;
    /// A name under which this and other processes of the person can open it while it is open here.
    std::filesystem::path name() const;

private:
    int m_number;
};

/// A file without a name in the temporary folder: it is gone with the last one who holds it open. `purpose` is named in the Error.
Result<OpenFile> unnamedFile(const std::string& purpose);

} // namespace caelumen

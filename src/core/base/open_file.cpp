#include "core/base/open_file.h"

#include "core/base/phrase.h"
#include "core/base/text.h"

#include <fmt/format.h>

#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <fcntl.h>
#include <unistd.h>
#include <utility>

namespace caelumen {
namespace fs = std::filesystem;

OpenFile::OpenFile(OpenFile&& other) noexcept
    : m_number(std::exchange(other.m_number, -1)) {}

OpenFile& OpenFile::operator=(OpenFile&& other) noexcept {
    std::swap(m_number, other.m_number);
    return *this;
}

OpenFile::~OpenFile() {
    if (m_number >= 0) ::close(m_number);
}

bool OpenFile::read(void* to, std::size_t bytes, long long at) const {
    auto* out = static_cast<char*>(to);
    while (bytes > 0) {
        const auto got = ::pread(m_number, out, bytes, at);
        if (got < 0 && errno == EINTR) continue;
        if (got <= 0) return false;
        out += got, at += got, bytes -= static_cast<std::size_t>(got);
    }
    return true;
}

bool OpenFile::write(const void* from, std::size_t bytes, long long at) const {
    const auto* in = static_cast<const char*>(from);
    while (bytes > 0) {
        const auto put = ::pwrite(m_number, in, bytes, at);
        if (put < 0 && errno == EINTR) continue;
        if (put <= 0) return false;
        in += put, at += put, bytes -= static_cast<std::size_t>(put);
    }
    return true;
}

bool OpenFile::append(const void* from, std::size_t bytes) const {
    const auto* in = static_cast<const char*>(from);
    while (bytes > 0) {
        const auto put = ::write(m_number, in, bytes);
        if (put < 0 && errno == EINTR) continue;
        if (put <= 0) return false;
        in += put, bytes -= static_cast<std::size_t>(put);
    }
    return true;
}

fs::path OpenFile::name() const {
    return fmt::format("/proc/{}/fd/{}", ::getpid(), m_number);
}

Result<OpenFile> unnamedFile(const std::string& purpose) {
    std::error_code failed;
    const fs::path folder = fs::temp_directory_path(failed);
    const auto error = [&](const std::string& reason) {
        return Error{phrase("{}: no file can be made in {} ({}); make room there, or name another folder in TMPDIR.", purpose,
                            shown(failed ? fs::path("/tmp") : folder), reason)};
    };
    if (failed) return error(failed.message());
    std::string name = (folder / "caelumen-XXXXXX").native();
    OpenFile file(::mkostemp(name.data(), O_CLOEXEC));
    if (file.number() < 0) return error(std::strerror(errno));
    ::unlink(name.c_str());
    return file;
}

} // namespace caelumen

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

namespace {

/// Calls step(done, left) until nothing is left; false where one moves nothing.
template<class Step>
bool inSteps(std::size_t bytes, Step step) {
    for (std::size_t done = 0; done < bytes;) {
        const ssize_t moved = step(done, bytes - done);
        if (moved < 0 && errno == EINTR) continue;
        if (moved <= 0) return false;
        done += static_cast<std::size_t>(moved);
    }
    return true;
}

} // namespace

bool OpenFile::read(void* to, std::size_t bytes, long long at) const {
    return inSteps(
        bytes, [&](std::size_t done, std::size_t left) { return ::pread(m_number, static_cast<char*>(to) + done, left, at + static_cast<long long>(done)); });
}

bool OpenFile::write(const void* from, std::size_t bytes, long long at) const {
    return inSteps(bytes, [&](std::size_t done, std::size_t left) {
        return ::pwrite(m_number, static_cast<const char*>(from) + done, left, at + static_cast<long long>(done));
    });
}

bool OpenFile::append(const void* from, std::size_t bytes) const {
    return inSteps(bytes, [&](std::size_t done, std::size_t left) { return ::write(m_number, static_cast<const char*>(from) + done, left); });
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

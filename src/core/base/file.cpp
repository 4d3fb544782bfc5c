#include "core/base/file.h"

#include "core/base/phrase.h"
#include "core/base/temporary.h"
#include "core/base/text.h"

#include <fmt/format.h>

#include <algorithm>
#include <cerrno>
#include <cstdio>
#include <cstring>
#include <fcntl.h>
#include <memory>
#include <sys/stat.h>
#include <unistd.h>

namespace caelumen {
namespace fs = std::filesystem;
namespace {

constexpr std::size_t kLongestName = 255; // NAME_MAX of the file systems that people use

Error notWritten(const fs::path& path, const std::string& reason) {
    return Error{phrase("{} could not be written ({}); check the folder and the space left.", shown(path), reason)};
}

/// Brings a file's bytes to the disk.
bool flushToDisk(const fs::path& path) {
    const int file = ::open(path.c_str(), O_RDONLY | O_CLOEXEC);
    if (file < 0) return false;
    const bool done = ::fsync(file) == 0;
    const int reason = errno;
    ::close(file);
    errno = reason;
    return done;
}

} // namespace

void EarlyFlush::wrote(const OpenFile& file, std::size_t bytes) {
    constexpr std::size_t kWorthIt = 8 << 20;
    m_waiting += bytes;
    if (m_waiting < kWorthIt) return;
    m_waiting = 0;
    ::sync_file_range(file.number(), 0, 0, SYNC_FILE_RANGE_WRITE); // only a hint: what fails is told at the end
}

Status isFileToRead(const fs::path& path) {
    struct stat found {};
    if (::stat(path.c_str(), &found) != 0) {
        if (errno == ENOENT || errno == ENOTDIR) return Error{phrase("{} does not exist; check the name and the folder.", shown(path))};
        return Error{phrase("{} cannot be opened ({}); check the name and its permissions.", shown(path), std::strerror(errno))};
    }
    if (S_ISDIR(found.st_mode)) return Error{phrase("{} is a folder; give a file.", shown(path))};
    if (!S_ISREG(found.st_mode)) return Error{phrase("{} is a pipe or a device; give a file on a disk.", shown(path))};
    return Done{};
}

Result<std::string> readBytes(const fs::path& path, std::size_t limit) {
    if (const Status there = isFileToRead(path); !there) return there.error();
    const std::unique_ptr<FILE, int (*)(FILE*)> file(std::fopen(path.c_str(), "rb"), &std::fclose);
    if (!file) return Error{phrase("{} cannot be opened ({}); check the name and its permissions.", shown(path), std::strerror(errno))};
    std::string text;
    char buffer[65536];
    while (const std::size_t got = std::fread(buffer, 1, sizeof buffer, file.get())) {
        text.append(buffer, got);
        if (text.size() > limit)
            return Error{phrase("{} is larger than {} MB, too large for this kind of file; check that it is the right one.", shown(path), limit >> 20)};
    }
    if (std::ferror(file.get())) return Error{phrase("{} could not be read to its end; check the disk.", shown(path))};
    return text;
}

Result<std::string> readText(const fs::path& path, std::size_t limit) {
    auto bytes = readBytes(path, limit);
    if (!bytes) return bytes;
    return utf8Text(*bytes);
}

Result<fs::path> outputPlace(const fs::path& path) {
    fs::path place = path;
    std::error_code failed;
    for (int links = 0; fs::is_symlink(fs::symlink_status(place, failed)); ++links) {
        const fs::path next = fs::read_symlink(place, failed);
        if (failed || links > 40) return Error{phrase("{} is a link that leads nowhere; give another name.", shown(path))};
        place = place.parent_path() / next;
    }
    struct stat found {};
    if (::stat(place.c_str(), &found) != 0) {
        if (errno == ENOENT && fs::is_directory(place.has_parent_path() ? place.parent_path() : ".", failed)) return place;
        if (errno == ENOENT) return Error{phrase("{} could not be written: there is no folder {}; make it first.", shown(path), shown(place.parent_path()))};
        return notWritten(path, std::strerror(errno));
    }
    if (S_ISDIR(found.st_mode)) return Error{phrase("{} is a folder; give the name of a file in it.", shown(path))};
    if (!S_ISREG(found.st_mode)) return Error{phrase("{} is a pipe or a device and stays as it is; give the name of a file.", shown(path))};
    // Said by its mode, which counts for everybody: root may write anywhere, yet somebody has protected this.
    if ((found.st_mode & (S_IWUSR | S_IWGRP | S_IWOTH)) == 0 || ::access(place.c_str(), W_OK) != 0)
        return Error{phrase("{} may only be read; allow writing to it, or give another name.", shown(path))};
    return place;
}

Status writeThrough(const fs::path& path, const std::function<Status(const fs::path&)>& write) {
    const auto place = outputPlace(path);
    if (!place) return place.error();
    clearAbandoned(place->parent_path());
    const fs::path part = temporaryBeside(*place);
    std::error_code ignored, failed;
    const auto giveUp = [&](Error error) {
        fs::remove(part, ignored);
        return error;
    };
    try {
        if (Status written = write(part); !written) return giveUp(written.error());
    } catch (...) {
        fs::remove(part, ignored);
        throw;
    }
    struct stat before {};
    if (::stat(place->c_str(), &before) == 0) {
        if (::chown(part.c_str(), before.st_uid, before.st_gid) != 0) errno = 0; // only some may; the mode is what matters
        if (::chmod(part.c_str(), before.st_mode & 07777) != 0) return giveUp(notWritten(path, std::strerror(errno)));
    }
    if (!flushToDisk(part)) return giveUp(notWritten(path, std::strerror(errno)));
    fs::rename(part, *place, failed);
    if (failed) return giveUp(notWritten(path, failed.message()));
    return Done{};
}

Status writeFile(const fs::path& path, std::string_view bytes) {
    return writeThrough(path, [&](const fs::path& part) -> Status {
        std::unique_ptr<FILE, int (*)(FILE*)> file(std::fopen(part.c_str(), "wb"), &std::fclose);
        if (!file) return notWritten(path, std::strerror(errno));
        if (std::fwrite(bytes.data(), 1, bytes.size(), file.get()) != bytes.size()) return notWritten(path, std::strerror(errno));
        if (std::fclose(file.release()) != 0) return notWritten(path, std::strerror(errno));
        return Done{};
    });
}

Status keepApart(const std::vector<fs::path>& outputs, const std::vector<fs::path>& inputs) {
    std::error_code failed;
    const auto same = [&](const fs::path& a, const fs::path& b) {
        if (fs::equivalent(a, b, failed) && !failed) return true; // links of both kinds
        return fs::weakly_canonical(fs::absolute(a, failed), failed) == fs::weakly_canonical(fs::absolute(b, failed), failed);
    };
    for (std::size_t i = 0; i < outputs.size(); ++i) {
        if (outputs[i].empty()) continue;
        for (const fs::path& input : inputs)
            if (!input.empty() && same(outputs[i], input))
                return Error{phrase("{} would be written over {}, which is read; give another name.", shown(outputs[i]), shown(input))};
        for (std::size_t j = 0; j < i; ++j)
            if (!outputs[j].empty() && same(outputs[i], outputs[j]))
                return Error{phrase("{} is named for two outputs; give each its own name.", shown(outputs[i]))};
    }
    return Done{};
}

Status outputsAreSafe(const std::vector<fs::path>& outputs, const std::vector<fs::path>& inputs) {
    for (const fs::path& output : outputs)
        if (!output.empty())
            if (const auto place = outputPlace(output); !place) return place.error();
    return keepApart(outputs, inputs);
}

std::string endingOf(const fs::path& path) {
    return lowered(path.extension().native());
}

fs::path besideStack(const fs::path& stack, const std::string& what) {
    fs::path name = stack.stem();
    name += "-" + what + ".fits";
    return stack.parent_path() / name;
}

fs::path workBeside(const fs::path& file, const std::string& what) {
    fs::path name = file.filename();
    name += "." + what;
    if (name.native().size() > kLongestName) name = fmt::format(".caelumen-{:016x}.{}", std::hash<std::string>{}(file.filename().native()), what);
    return file.parent_path() / name;
}

bool isPlainName(std::string_view name) {
    if (name.empty() || name.size() > 120 || name.front() == '.' || !isUtf8(name)) return false;
    return std::none_of(name.begin(), name.end(), [](char c) { return c == '/' || c == '\\' || static_cast<unsigned char>(c) < 0x20 || c == 0x7F; });
}

} // namespace caelumen

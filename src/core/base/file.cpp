#include "core/base/file.h"

#include <fmt/format.h>

#include <cerrno>
#include <cstdio>
#include <cstring>
#include <fcntl.h>
#include <memory>
#include <unistd.h>

namespace caelumen {
namespace fs = std::filesystem;

Result<std::string> readText(const fs::path& path, std::size_t limit) {
    std::error_code failed;
    if (fs::is_directory(path, failed)) return Error{fmt::format("{} is a folder; give a file.", path.string())};
    const std::unique_ptr<FILE, int (*)(FILE*)> file(std::fopen(path.c_str(), "rb"), &std::fclose);
    if (!file) return Error{fmt::format("{} cannot be opened ({}); check the name and its permissions.", path.string(), std::strerror(errno))};
    std::string text;
    char buffer[65536];
    while (const std::size_t got = std::fread(buffer, 1, sizeof buffer, file.get())) {
        text.append(buffer, got);
        if (text.size() > limit)
            return Error{fmt::format("{} is larger than {} MB, too large for this kind of file; check that it is the right one.", path.string(), limit >> 20)};
    }
    if (std::ferror(file.get())) return Error{fmt::format("{} could not be read to its end; check the disk.", path.string())};
    return text;
}

Status writeThrough(const fs::path& path, const std::function<Status(const fs::path&)>& write) {
    fs::path part = path;
    part += fmt::format(".{}.part", ::getpid());
    std::error_code ignored;
    fs::remove(part, ignored);
    Status written = write(part);
    if (!written) {
        fs::remove(part, ignored);
        return written;
    }
    std::error_code failed;
    fs::rename(part, path, failed);
    if (failed) {
        fs::remove(part, ignored);
        return Error{fmt::format("{} could not be written ({}); check the folder and the space left.", path.string(), failed.message())};
    }
    return Done{};
}

Status writeFile(const fs::path& path, std::string_view bytes) {
    return writeThrough(path, [&](const fs::path& part) -> Status {
        const auto fail = [&] {
            return Error{fmt::format("{} could not be written ({}); check the folder and the space left.", path.string(), std::strerror(errno))};
        };
        std::unique_ptr<FILE, int (*)(FILE*)> file(std::fopen(part.c_str(), "wb"), &std::fclose);
        if (!file) return fail();
        if (std::fwrite(bytes.data(), 1, bytes.size(), file.get()) != bytes.size()) return fail();
        if (std::fflush(file.get()) != 0 || ::fsync(::fileno(file.get())) != 0) return fail();
        if (std::fclose(file.release()) != 0) return fail();
        return Done{};
    });
}

std::filesystem::path besideStack(const std::filesystem::path& stack, const std::string& what) {
    std::filesystem::path name = stack.stem();
    name += "-" + what + ".fits";
    return stack.parent_path() / name;
}

} // namespace caelumen

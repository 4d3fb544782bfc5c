#include "core/image/unpack.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <array>
#include <cerrno>
#include <optional>
#include <string>

namespace caelumen {
namespace fs = std::filesystem;
namespace {

std::optional<fs::path> helper() {
    std::error_code failed;
    const fs::path here = fs::read_symlink("/proc/self/exe", failed).parent_path();
    for (const fs::path& place : {here / "caelumen-unpack", here / "../libexec/caelumen/caelumen-unpack", fs::path(CAELUMEN_HELPER_DIR "/caelumen-unpack")})
        if (::access(place.c_str(), X_OK) == 0) return place;
    return std::nullopt;
}

bool readAll(int fd, char* to, std::size_t bytes) {
    while (bytes > 0) {
        const ssize_t got = ::read(fd, to, bytes);
        if (got < 0 && errno == EINTR) continue;
        if (got <= 0) return false;
        to += got;
        bytes -= static_cast<std::size_t>(got);
    }
    return true;
}

} // namespace

Status unpackPixels(const fs::path& path, int hdu, long long first, long long count, float* to) {
    const auto program = helper();
    if (!program) return Error{fmt::format("{} is compressed and the program that unpacks it, caelumen-unpack, is missing; install Caelumen again.", path.string())};
    std::array<int, 2> ends{};
    if (::pipe2(ends.data(), O_CLOEXEC) != 0) return Error{fmt::format("{} cannot be unpacked now, too many files are open; close some and try again.", path.string())};

    std::array<std::string, 5> words{program->string(), fs::absolute(path).string(), std::to_string(hdu), std::to_string(first), std::to_string(count)};
    std::array<char*, 6> arguments{};
    for (std::size_t i = 0; i < words.size(); ++i) arguments[i] = words[i].data();
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_addopen(&actions, STDIN_FILENO, "/dev/null", O_RDONLY, 0);
    posix_spawn_file_actions_adddup2(&actions, ends[1], STDOUT_FILENO);
    posix_spawn_file_actions_addopen(&actions, STDERR_FILENO, "/dev/null", O_WRONLY, 0);
    pid_t child = 0;
    const int spawned = ::posix_spawn(&child, words[0].c_str(), &actions, nullptr, arguments.data(), environ);
    posix_spawn_file_actions_destroy(&actions);
    ::close(ends[1]);
    if (spawned != 0) {
        ::close(ends[0]);
        return Error{fmt::format("{} cannot be unpacked: {} does not start; install Caelumen again.", path.string(), program->string())};
    }
    const bool whole = readAll(ends[0], reinterpret_cast<char*>(to), static_cast<std::size_t>(count) * sizeof(float));
    ::close(ends[0]);
    int ended = 0;
    while (::waitpid(child, &ended, 0) < 0 && errno == EINTR) {}
    if (whole && WIFEXITED(ended) && WEXITSTATUS(ended) == 0) return Done{};
    return Error{fmt::format("The pixels of {} cannot be unpacked; the file is damaged or cut short, copy it again.", path.string())};
}

} // namespace caelumen

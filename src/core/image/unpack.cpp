#include "core/image/unpack.h"

#include "core/base/helper.h"
#include "core/base/phrase.h"
#include "core/base/text.h"

#include <fmt/format.h>

#include <array>
#include <cerrno>
#include <fcntl.h>
#include <optional>
#include <spawn.h>
#include <string>
#include <sys/wait.h>
#include <unistd.h>
#include <vector>

namespace caelumen {
namespace fs = std::filesystem;
namespace {

constexpr int kRefused = 3; ///< the helper's answer for a file that is no good, as unpack/main.cpp gives it

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

/// Starts the program with these words; takes `bytes` of its output to `to`. False when it could not be started, ended badly or gave too little.
enum class Ended { Well, Badly, NotStarted };
Ended runHelper(const fs::path& program, std::vector<std::string> words, char* to, std::size_t bytes, int& status) {
    std::array<int, 2> ends{};
    if (::pipe2(ends.data(), O_CLOEXEC) != 0) return Ended::NotStarted;
    words.insert(words.begin(), program.native());
    std::vector<char*> arguments;
    for (std::string& word : words) arguments.push_back(word.data());
    arguments.push_back(nullptr);
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_addopen(&actions, STDIN_FILENO, "/dev/null", O_RDONLY, 0);
    posix_spawn_file_actions_adddup2(&actions, ends[1], STDOUT_FILENO);
    posix_spawn_file_actions_addopen(&actions, STDERR_FILENO, "/dev/null", O_WRONLY, 0);
    pid_t child = 0;
    const int spawned = ::posix_spawn(&child, program.c_str(), &actions, nullptr, arguments.data(), environ);
    posix_spawn_file_actions_destroy(&actions);
    ::close(ends[1]);
    if (spawned != 0) {
        ::close(ends[0]);
        return Ended::NotStarted;
    }
    const bool whole = readAll(ends[0], to, bytes);
    ::close(ends[0]);
    while (::waitpid(child, &status, 0) < 0 && errno == EINTR) {
    }
    return whole && WIFEXITED(status) && WEXITSTATUS(status) == 0 ? Ended::Well : Ended::Badly;
}

Error missing(const fs::path& path) {
    return {phrase("{} may be compressed and the program that unpacks it, caelumen-unpack, is missing; install Caelumen again.", shown(path))};
}
Error notStarted(const fs::path& path) {
    return {phrase("{} cannot be unpacked now, since no more programs can be started; close some and try again.", shown(path))};
}

} // namespace

Status unpackPixels(const fs::path& path, const fs::path& named, int hdu, long long first, long long count, float* to) {
    const auto program = helperProgram("caelumen-unpack");
    if (!program) return missing(named);
    int status = 0;
    switch (runHelper(*program, {fs::absolute(path).native(), std::to_string(hdu), std::to_string(first), std::to_string(count)}, reinterpret_cast<char*>(to),
                      static_cast<std::size_t>(count) * sizeof(float), status)) {
    case Ended::Well:
        return Done{};
    case Ended::NotStarted:
        return notStarted(named);
    case Ended::Badly:
        break;
    }
    return Error{phrase("The pixels of {} cannot be unpacked; the file is damaged or cut short, copy it again.", shown(named))};
}

Status probeFitsHeaders(const fs::path& path, const fs::path& named) {
    const auto program = helperProgram("caelumen-unpack");
    if (!program) return missing(named);
    int status = 0;
    const Ended ended = runHelper(*program, {fs::absolute(path).native()}, nullptr, 0, status);
    if (ended == Ended::NotStarted) return notStarted(named);
    // An ordinary refusal is told better by who asks next. Codes above one are those of sanitizers.
    if (ended == Ended::Well || (WIFEXITED(status) && WEXITSTATUS(status) == kRefused)) return Done{};
    return Error{phrase("{} cannot be read as FITS: the header of a compressed image in it is damaged; copy it again.", shown(named))};
}

} // namespace caelumen

#include "core/base/temporary.h"

#include <fmt/format.h>

#include <atomic>
#include <chrono>
#include <cstdio>
#include <fstream>
#include <functional>
#include <mutex>
#include <set>
#include <string>
#include <unistd.h>

namespace caelumen {
namespace fs = std::filesystem;
namespace {

/// When a process began, in ticks since the machine was started (proc(5), field 22 of stat); 0 for one that is gone.
unsigned long long startOf(int process) {
    std::ifstream file(fmt::format("/proc/{}/stat", process));
    std::string text;
    if (!std::getline(file, text)) return 0;
    const auto after = text.rfind(')'); // the name may hold blanks
    unsigned long long start = 0;
    if (after == std::string::npos ||
        std::sscanf(text.c_str() + after + 1, " %*c %*d %*d %*d %*d %*d %*u %*u %*u %*u %*u %*u %*u %*d %*d %*d %*d %*d %*d %llu", &start) != 1)
        return 0;
    return start;
}

/// This machine since it was started, in a few letters.
const std::string& machine() {
    static const std::string id = [] {
        std::ifstream file("/proc/sys/kernel/random/boot_id");
        std::string text;
        std::getline(file, text);
        return fmt::format("{:06x}", std::hash<std::string>{}(text)&0xFFFFFF);
    }();
    return id;
}

} // namespace

fs::path temporaryBeside(const fs::path& target) {
    static std::atomic<int> count{0};
    static const unsigned long long start = startOf(::getpid());
    return target.parent_path() / fmt::format(".caelumen-{}-{}-{}-{}.part", machine(), ::getpid(), start, ++count);
}

void clearAbandoned(const fs::path& folder) {
    std::error_code failed;
    {
        static std::mutex guard;
        static std::set<fs::path> cleared;
        const std::scoped_lock lock(guard);
        if (!cleared.insert(fs::absolute(folder, failed)).second) return;
    }
    for (fs::directory_iterator it(folder.empty() ? "." : folder, failed), end; !failed && it != end; it.increment(failed)) {
        const std::string name = it->path().filename().native();
        char of[7] = {};
        int process = 0;
        unsigned long long start = 0;
        if (std::sscanf(name.c_str(), ".caelumen-%6[0-9a-f]-%d-%llu-", of, &process, &start) != 3 || name.find(".part") == std::string::npos) continue;
        std::error_code ignored;
        // Of another machine, or of this one before it was started anew: nobody writes for days without a byte.
        const bool abandoned = of == machine()
                                   ? startOf(process) != start
                                   : fs::file_time_type::clock::now() - fs::last_write_time(it->path(), ignored) > std::chrono::hours(48) && !ignored;
        if (abandoned) fs::remove(it->path(), ignored);
    }
}

} // namespace caelumen

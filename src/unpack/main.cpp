// Unpacks pixels of one tile-compressed FITS image to standard output, as floats of this machine; or only tries its headers. It runs as a process of its own
// because damaged compressed data can make the library that unpacks it read astray: then this process ends, and the caller says that the file is damaged.

#include "core/image/fits_pixels.h"
#include "core/image/fits_reader.h"

#include <algorithm>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <sys/resource.h>
#include <vector>

namespace {

/// Damaged data can also make the unpacking go round for ever: it gets far more processor time than any sound file needs, and no more.
void boundItself(const char* path, long long pixels) {
#if !defined(__SANITIZE_ADDRESS__)
    const rlimit memory{4ULL << 30, 4ULL << 30};
    setrlimit(RLIMIT_AS, &memory);
#endif
    std::error_code failed;
    const auto bytes = std::filesystem::file_size(path, failed);
    const auto most = static_cast<rlim_t>(4 + pixels / 2'000'000) + static_cast<rlim_t>(failed ? 0 : bytes / 10'000'000);
    const rlimit seconds{most, most}, noCore{0, 0};
    setrlimit(RLIMIT_CPU, &seconds);
    setrlimit(RLIMIT_CORE, &noCore);
}

} // namespace

int main(int argc, char** argv) {
    if (argc != 5 && argc != 2) {
        std::fputs("usage: caelumen-unpack FILE [EXTENSION FIRST-PIXEL COUNT] (a part of caelumen, not meant for people)\n", stderr);
        return 2;
    }
    const long long first = argc == 5 ? std::atoll(argv[3]) : 0, count = argc == 5 ? std::atoll(argv[4]) : 0;
    if (first < 0 || count < 0) return 2;
    boundItself(argv[1], count);
    if (argc == 2) return caelumen::readFitsInfoHere(argv[1]) ? 0 : 3; // a try, whether the headers lead astray
    auto pixels = caelumen::FitsPixelReader::open(argv[1], std::atoi(argv[2]));
    if (!pixels) return 1;
    std::vector<float> some(static_cast<std::size_t>(std::clamp(count, 1LL, 1LL << 20)));
    for (long long done = 0; done < count;) {
        const long long now = std::min<long long>(count - done, static_cast<long long>(some.size()));
        if (!pixels->read(first + done, now, some.data())) return 1;
        if (std::fwrite(some.data(), sizeof(float), static_cast<std::size_t>(now), stdout) != static_cast<std::size_t>(now)) return 1;
        done += now;
    }
    return std::fflush(stdout) == 0 ? 0 : 1;
}

#pragma once

#include <cstdint>
#include <cstdio>
#include <filesystem>
#include <string>
#include <unistd.h>

/// The input as a file on disk, which is what the readers take.
inline std::filesystem::path inputFile(const std::uint8_t* data, std::size_t size, const char* ending) {
    static const std::string name = (std::filesystem::temp_directory_path() / ("caelumen-fuzz-" + std::to_string(::getpid()))).string();
    const std::string path = name + ending;
    if (FILE* f = std::fopen(path.c_str(), "wb")) {
        std::fwrite(data, 1, size, f);
        std::fclose(f);
    }
    return path;
}

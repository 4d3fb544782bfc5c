#pragma once

#include "core/base/result.h"
#include "core/optics/curve.h"

#include <filesystem>
#include <map>

namespace caelumen {

/// Filter curves by file, each read once and again when its file has changed.
class CurveShelf {
public:
    struct Kept {
        std::filesystem::file_time_type written;
        Curve curve;          ///< empty where it cannot be read
        std::string problem;  ///< why
        unsigned reading = 0; ///< rises with every reading: to tell an old state from a new one
    };
    /// Stays valid until the file is asked for again.
    const Kept& at(const std::filesystem::path& file);

private:
    std::map<std::filesystem::path, Kept> m_kept;
    unsigned m_readings = 0;
};

} // namespace caelumen

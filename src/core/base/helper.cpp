#include "core/base/helper.h"

#include <unistd.h>

namespace caelumen {
namespace fs = std::filesystem;

std::optional<fs::path> helperProgram(const std::string& name) {
    std::error_code failed;
    const fs::path here = fs::read_symlink("/proc/self/exe", failed).parent_path();
    for (const fs::path& folder : {here, here / "../libexec/caelumen", fs::path(CAELUMEN_HELPER_DIR)}) // a package was built nowhere
        if (const fs::path place = folder / name; !folder.empty() && ::access(place.c_str(), X_OK) == 0) return place;
    return std::nullopt;
}

} // namespace caelumen

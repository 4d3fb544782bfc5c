#include "core/base/file.h"
#include "core/base/json.h"
#include "core/model/trial_json.h"
#include "core/prepare/subs.h"

#include <cstdint>
#include <cstdlib>
#include <filesystem>
#include <unistd.h>

using namespace caelumen;

namespace {

/// A folder with two subs for the patterns to find, gone at the end.
struct SubsFolder {
    std::filesystem::path path = std::filesystem::temp_directory_path() / ("caelumen-fuzz-subs-" + std::to_string(::getpid()));
    SubsFolder() {
        std::filesystem::create_directories(path / "l");
        for (const char* name : {"l/a.fits", "l/b.fits"})
            if (!writeFile(path / name, "sub")) std::abort();
    }
    ~SubsFolder() { std::filesystem::remove_all(path); }
};

} // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    static const SubsFolder folder;
    const std::string text(reinterpret_cast<const char*>(data), size);
    if (text.find("\"/") != std::string::npos || text.find("..") != std::string::npos) return 0; // the rest of the disk is not meant
    const auto json = parseJson(text, "fuzz");
    if (!json) return 0;
    // What is read must survive being written and read again.
    const auto recipe = subsRecipeFromJson(*json, "fuzz", folder.path);
    if (recipe) (void)subsRecipeToJson(*recipe).dump(); // throws where a text is none
    if (recipe && !subsRecipeFromJson(subsRecipeToJson(*recipe), "again", folder.path)) std::abort();
    return 0;
}

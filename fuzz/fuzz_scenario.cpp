#include "core/base/json.h"
#include "core/simulate/scenario.h"

#include <cstdint>
#include <filesystem>

using namespace caelumen;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const std::string text(reinterpret_cast<const char*>(data), size);
    if (text.find("\"/") != std::string::npos || text.find("..") != std::string::npos) return 0; // the rest of the disk is not meant
    auto json = parseJson(text, "fuzz");
    if (!json) return 0;
    // A large night is slow, not wrong.
    if (json->is_object())
        for (const auto& [key, most] : {std::pair{"width", 96.0}, {"height", 96.0}, {"sub_count", 5.0}, {"stars_per_square_degree", 2000.0}})
            if (const auto it = json->find(key); it == json->end() || (it->is_number() && it->get<double>() > most)) (*json)[key] = most;
    (void)scenarioFromJson(*json, "fuzz", std::filesystem::temp_directory_path() / "caelumen-no-such-folder");
    return 0;
}

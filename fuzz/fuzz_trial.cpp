#include "core/base/json.h"
#include "core/model/trial_json.h"

#include <cstdint>
#include <cstdlib>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const auto json = caelumen::parseJson(std::string(reinterpret_cast<const char*>(data), size), "fuzz");
    if (!json) return 0;
    const auto trial = caelumen::trialFromJson(*json, "fuzz");
    if (trial) (void)caelumen::trialToJson(*trial).dump(); // throws where a text is none
    // What is read must survive being written and read again.
    if (trial && !caelumen::trialFromJson(caelumen::trialToJson(*trial), "again")) std::abort();
    return 0;
}

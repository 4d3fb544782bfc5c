#include "core/base/json.h"
#include "core/base/text.h"
#include "core/model/kit_file.h"
#include "core/model/trial_json.h"
#include "core/optics/camera_file.h"
#include "core/plan/targets.h"

#include <cstdint>
#include <cstdlib>

using namespace caelumen;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const std::string text = utf8Text(std::string_view(reinterpret_cast<const char*>(data), size)); // as readText gives it
    // What is read must survive being written and read again.
    if (const auto kit = kitFromText(text, "fuzz"); kit && !kitFromText(kitToText(*kit), "again")) std::abort();
    if (const auto camera = cameraFromText(text, "fuzz"); camera && !cameraFromText(cameraToText(*camera), "again")) std::abort();
    if (const auto filters = filtersFromCsv(text, "fuzz"); filters) {
        Trial trial;
        trial.filters = *filters;
        (void)trialToJson(trial).dump(); // throws where a text is none
    }
    if (const auto filters = filtersFromCsv(text, "fuzz"); filters && !filtersFromCsv(filtersToCsv(*filters), "again")) std::abort();
    (void)parseHorizon(text, "fuzz");
    (void)parseTargets(text, "fuzz");
    return 0;
}

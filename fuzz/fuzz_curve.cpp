#include "core/optics/curve.h"

#include <cstdint>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const auto curve = caelumen::parseCurve(std::string(reinterpret_cast<const char*>(data), size), "fuzz");
    if (curve) (void)curve->at(550);
    return 0;
}

#include "core/base/json.h"
#include "core/base/tables.h"
#include "core/base/text.h"
#include "core/base/time_text.h"

#include <cstdint>
#include <cstdlib>

using namespace caelumen;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const std::string bytes(reinterpret_cast<const char*>(data), size);
    const std::string text = utf8Text(bytes);
    if (!isUtf8(text) || !isUtf8(oneLine(bytes))) std::abort();
    (void)Json(text).dump(); // the library's own opinion: it throws
    if (bytes.find('\0') == std::string::npos && pathOf(nameText(bytes)).native() != bytes) std::abort();
    (void)pathOf(text);
    if (const auto utc = utcTime(bytes); utc && utcTime(*utc) != utc) std::abort();
    (void)isUtf8(csvRow({text, bytes}));
    (void)csvRows(text);
    (void)twoNumbers(text);
    return 0;
}

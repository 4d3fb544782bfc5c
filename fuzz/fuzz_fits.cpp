#include "core/base/json.h"
#include "core/compare/frame_report.h"
#include "core/image/frame_file.h"
#include "input_file.h"

using namespace caelumen;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const auto file = FrameFile::open(inputFile(data, size, ".fits"));
    if (!file) return 0;
    (void)factsToJson(file->info().facts).dump(); // throws where a text is none
    // Reading a huge claimed frame is slow, not wrong; the sizes themselves were checked against the file when it was opened.
    if (static_cast<long long>(file->info().width) * file->info().height < 4'000'000)
        for (std::size_t c = 0; c < file->info().channels.size(); ++c) (void)file->readChannel(c);
    return 0;
}

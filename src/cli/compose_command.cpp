#include "cli/outcome.h"
#include "cli/painted.h"
#include "core/base/file.h"
#include "core/palette/compose.h"
#include "report/colour_file.h"

namespace caelumen::cli {
namespace fs = std::filesystem;

int compose(const Arguments& a) {
    if (!a.has("--out")) return misuse("--out PICTURE.tif or .png is missing", kComposeUsage);
    const fs::path path = a.words[0], out = a.value("--out");
    if (const std::string ending = endingOf(out); ending != ".tif" && ending != ".tiff" && ending != ".png")
        return misuse("--out must end in .tif or .png", kComposeUsage);
    const auto recipe = readRecipe(path);
    if (!recipe) return fail(path, recipe.error().message);
    auto inputs = filesOf(*recipe, path.parent_path());
    inputs.push_back(path);
    if (const Status safe = outputsAreSafe({out}, inputs); !safe) return fail(safe.error().message);
    const auto picture = caelumen::compose(*recipe, path.parent_path(), terminalJob());
    if (!picture) return fail(path, picture.error().message);
    for (const std::string& remark : picture->notes) note(remark);
    const Status written = writeColourPicture(out, *recipe, *picture);
    return written ? kDone : fail(written.error().message);
}

} // namespace caelumen::cli

#include "core/palette/compose.h"

#include "core/base/phrase.h"

namespace caelumen {

Result<ColourPicture> compose(const Recipe& recipe, const std::filesystem::path& folder, const Job& job) {
    const auto mixture = prepareMixture(recipe, folder, false, job);
    if (!mixture) return mixture.error();
    job.report(0.9, phrase("Adding up"));
    return mix(*mixture, recipe);
}

} // namespace caelumen

#include "core/palette/compose.h"

namespace caelumen {

Result<ColourPicture> compose(const Recipe& recipe, const std::filesystem::path& folder, const Job& job) {
    const auto mixture = prepareMixture(recipe, folder, false, job);
    if (!mixture) return mixture.error();
    job.report(0.9, "Adding up");
    return mix(*mixture, recipe);
}

} // namespace caelumen

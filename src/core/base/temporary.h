#pragma once

#include <filesystem>

namespace caelumen {

/// A short hidden name in the folder of `target`, nobody else's, that tells which process of which machine made it.
std::filesystem::path temporaryBeside(const std::filesystem::path& target);

/// Removes temporary files in a folder whose process, on this machine since it was started, is gone; once a folder, for it may be large.
void clearAbandoned(const std::filesystem::path& folder);

} // namespace caelumen

#pragma once

#include <cstdint>
#include <filesystem>
#include <fstream>
#include <string>
#include <vector>

namespace caelumen {

/// Finished bands of a stack, kept in a file beside it while the work lasts: a run that was cancelled or killed goes on behind the last whole one. Bands of
/// other work, told by their stamp, are thrown away; a band that was cut short does not count. Without room for the file, nothing is kept.
class BandShelf {
public:
    BandShelf(std::filesystem::path file, const std::string& stamp);

    /// The next band that was finished before, oldest first; false when there is none. All are to be taken before the first is put.
    bool take(std::vector<float>& values);
    void put(const std::vector<float>& values);
    /// The work is done.
    void remove();

private:
    std::filesystem::path m_file;
    std::ifstream m_in;
    std::ofstream m_out;
    std::uintmax_t m_whole = 0; ///< bytes of what was taken
    std::uint64_t m_stamp = 0;
};

} // namespace caelumen

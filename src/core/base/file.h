#pragma once

#include "core/base/open_file.h"
#include "core/base/result.h"

#include <filesystem>
#include <functional>
#include <string>
#include <string_view>
#include <vector>

namespace caelumen {

/// Whether there is a file to read: a missing one, a folder, a pipe and a device are refused with a sentence, before anything waits for them.
Status isFileToRead(const std::filesystem::path& path);

/// The whole of a file. Files above `limit` bytes are refused before anything is allocated.
Result<std::string> readBytes(const std::filesystem::path& path, std::size_t limit);
/// The same of a text file, as valid UTF-8 (utf8Text).
Result<std::string> readText(const std::filesystem::path& path, std::size_t limit = 64u << 20);

/// Writes beside the final name and renames when all bytes are on the disk: a file is there whole or not at all.
Status writeFile(const std::filesystem::path& path, std::string_view bytes);

/// Calls `write` with a short temporary name in the same folder; brings the bytes to the disk and renames it to `path` when that succeeds, removes it
/// otherwise. A link is followed, so that it stays a link; the mode of a file that is there is kept. Refused: a folder, a pipe or a device, and a file that may
/// not be written. What writers that have died left in the folder is removed.
Status writeThrough(const std::filesystem::path& path, const std::function<Status(const std::filesystem::path&)>& write);

/// Has the system bring a file to the disk while it is still being written, so that nobody waits long for it at the end.
class EarlyFlush {
public:
    void wrote(const OpenFile& file, std::size_t bytes);

private:
    std::size_t m_waiting = 0;
};

/// Where writing to `path` will end, links followed; an Error where writeThrough would refuse. For work that takes long: it is asked first.
Result<std::filesystem::path> outputPlace(const std::filesystem::path& path);

/// Refuses an output that is one of the inputs, by whatever name or link, and two outputs that are one file.
Status keepApart(const std::vector<std::filesystem::path>& outputs, const std::vector<std::filesystem::path>& inputs);

/// Both before long work: whether every output can be written, and none is an input.
Status outputsAreSafe(const std::vector<std::filesystem::path>& outputs, const std::vector<std::filesystem::path>& inputs);

/// The ending of a name in small letters, with its point: ".fits" of "M8.FITS"; empty without one.
std::string endingOf(const std::filesystem::path& path);

/// The name of what is written beside a stack: "b.fits" and "odd" make "b-odd.fits".
std::filesystem::path besideStack(const std::filesystem::path& stack, const std::string& what);

/// The name of what is kept beside a file while work on it lasts: "b.fits" and "work" make "b.fits.work"; a short name where that would be too long for a
/// folder.
std::filesystem::path workBeside(const std::filesystem::path& file, const std::string& what);

/// What may be the name of a file or folder of its own, inside the folder that it is put in: no separator, no control character, not too long, not hidden. For
/// ids that name files.
bool isPlainName(std::string_view name);

} // namespace caelumen

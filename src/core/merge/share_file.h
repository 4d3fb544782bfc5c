#pragma once

#include "core/model/results.h"

#include <map>

namespace caelumen {

/// What of a person's own goes into a file that is shared; nothing unless wanted.
struct ShareNames {
    std::string tester;  ///< who measured; empty: nobody is named
    bool places = false; ///< names of place, telescope and trial
};

/// Figures, conditions and small pictures of a trial, for others to merge with theirs: filters by name, without names of people and places, without files, and
/// with times to the day, unless wanted. `thumbnails`: PNG bytes by run. Format in docs/formats.md.
Json shareFile(const Trial& trial, const TrialResults& results, const ShareNames& names, const std::map<std::string, std::string>& thumbnails = {});

/// PNG bytes by run out of such a file; what is no picture is left out.
std::map<std::string, std::string> sharedThumbnails(const Json& file);

} // namespace caelumen

#pragma once

#include "core/verdict/verdict.h"
#include "report/picture_sheet.h"

#include <memory>
#include <string>
#include <vector>

namespace caelumen {

/// What a report may hold beside a trial and its results.
struct ReportExtras {
    std::string tester, disclosure, remarks; ///< free text of the person; may be empty
    std::optional<Profile> profile;
    std::shared_ptr<const Verdict> verdict; ///< for the profile; null: none
    std::vector<LabelledPicture> palettes;  ///< colour pictures, as they were made
    std::string page;                       ///< a template of one's own; empty: defaultPage()
};

} // namespace caelumen

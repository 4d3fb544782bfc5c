#pragma once

#include "core/verdict/verdict.h"
#include "report/picture_sheet.h"

#include <memory>
#include <string>
#include <vector>

namespace caelumen {

/// What a person says in a report and of its looks; kept with the campaign, as JSON.
struct ReportWords {
    std::string tester, disclosure, remarks; ///< free text; may be empty
    std::string page, pageName;              ///< a template of one's own, and its file's name; empty: defaultPage()
    bool letter = false;                     ///< else A4
};
ReportWords reportWordsFrom(const std::string& kept); ///< what cannot be read of it is empty
std::string reportWordsText(const ReportWords& words);

/// What a report may hold beside a trial and its results.
struct ReportExtras : ReportWords {
    std::optional<Profile> profile;
    std::shared_ptr<const Verdict> verdict; ///< for the profile; null: none
    std::vector<LabelledPicture> palettes;  ///< colour pictures, as they were made
};

} // namespace caelumen

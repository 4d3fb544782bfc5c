#include "report/report_extras.h"

#include "core/base/json.h"

namespace caelumen {

ReportWords reportWordsFrom(const std::string& kept) {
    const auto json = parseJson(kept, "report");
    const auto text = [&](const char* key) {
        return json && json->is_object() && json->contains(key) && (*json)[key].is_string() ? (*json)[key].get<std::string>() : std::string();
    };
    return {text("tester"), text("disclosure"), text("remarks"), text("page"), text("page_name"), text("paper") == "Letter"};
}

std::string reportWordsText(const ReportWords& w) {
    return jsonText(Json{{"tester", w.tester},
                         {"disclosure", w.disclosure},
                         {"remarks", w.remarks},
                         {"page", w.page},
                         {"page_name", w.pageName},
                         {"paper", w.letter ? "Letter" : "A4"}});
}

} // namespace caelumen

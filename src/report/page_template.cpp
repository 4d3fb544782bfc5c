#include "report/page_template.h"

namespace caelumen {

const char* defaultPage() {
    return R"(<!doctype html>
<html lang="{{language}}">
<head><meta charset="utf-8"><title>{{title}}</title><style>{{style}}</style></head>
<body>
<h1>{{title}}</h1>
<p>{{where}}</p>
{{headline}}
{{verdict}}
{{conditions}}
{{fairness}}
{{pictures}}
{{crops}}
{{scores}}
{{skies}}
{{palettes}}
{{remarks}}
{{disclosure}}
{{method}}
{{cautions}}
<p class="small">{{version}}</p>
{{figures}}
</body>
</html>
)";
}

std::string filledPage(const std::string& page, const std::map<std::string, std::string>& sections) {
    std::string out;
    std::size_t from = 0;
    while (true) {
        const std::size_t begin = page.find("{{", from), end = begin == std::string::npos ? begin : page.find("}}", begin);
        if (end == std::string::npos) break;
        out += page.substr(from, begin - from);
        const auto section = sections.find(page.substr(begin + 2, end - begin - 2));
        if (section != sections.end()) out += section->second;
        from = end + 2;
    }
    out += page.substr(from);
    // Only the template can hold any: what is put in is escaped.
    for (std::size_t at = 0; (at = out.find("<script", at)) != std::string::npos;) {
        const std::size_t end = out.find("</script>", at);
        out.erase(at, end == std::string::npos ? std::string::npos : end + 9 - at);
    }
    return out;
}

} // namespace caelumen

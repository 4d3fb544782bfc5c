#include "core/base/json.h"

#include "core/base/file.h"
#include "core/base/phrase.h"
#include "core/base/text.h"

#include <fmt/format.h>

namespace caelumen {
namespace {

constexpr int kDeepest = 64; ///< our own files go to about eight

struct Refused {
    std::string what;
};

} // namespace

Result<Json> parseJson(const std::string& text, const std::string& name) {
    const auto check = [](int depth, Json::parse_event_t event, Json& parsed) {
        if (depth > kDeepest) throw Refused{phrase("it is nested too deep")};
        if (event != Json::parse_event_t::key && event != Json::parse_event_t::value) return true;
        if (parsed.is_string() && parsed.get_ref<const std::string&>().find('\0') != std::string::npos)
            throw Refused{phrase("a text in it holds a zero character")};
        return true;
    };
    try {
        return Json::parse(text, check);
    } catch (const Refused& refused) {
        return Error{phrase("{} cannot be used ({}); correct it there.", name, refused.what)};
    } catch (const nlohmann::json::exception& e) {
        std::string what = e.what();
        if (const auto at = what.find("] "); at != std::string::npos) what = what.substr(at + 2);
        if (const auto at = what.find(": syntax error"); at != std::string::npos) what = what.substr(0, at);
        return Error{phrase("{} is not valid JSON ({}); correct it there.", name, oneLine(what))};
    }
}

Result<Json> readJson(const std::filesystem::path& path, std::size_t limit) {
    const auto text = readText(path, limit);
    if (!text) return text.error();
    return parseJson(*text, shown(path));
}

std::string jsonText(const Json& json, int indent) {
    return json.dump(indent, ' ', false, Json::error_handler_t::replace);
}

} // namespace caelumen

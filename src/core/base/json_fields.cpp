#include "core/base/json_fields.h"

#include "core/base/phrase.h"

#include <cmath>

namespace caelumen {

JsonFields::JsonFields(const Json& json, std::string file, std::string place)
    : m_json(&json)
    , m_file(std::move(file))
    , m_place(std::move(place)) {
    if (!json.is_object()) throw BadJson{phrase("{}: {} must be an object in braces.", m_file, m_place)};
}

void JsonFields::fail(const std::string& what) const {
    throw BadJson{fmt::format("{}: {} {}.", m_file, m_place, what)};
}

const Json* JsonFields::field(const char* key) const {
    const auto it = m_json->find(key);
    return it == m_json->end() || it->is_null() ? nullptr : &*it;
}

std::string JsonFields::text(const char* key, const std::string& otherwise) const {
    const Json* v = field(key);
    if (!v) return otherwise;
    if (!v->is_string()) fail(phrase("has \"{}\" that is not text", key));
    return v->get<std::string>();
}

std::string JsonFields::needText(const char* key) const {
    const std::string v = text(key);
    if (v.empty()) fail(fmt::format("needs \"{}\"", key));
    return v;
}

bool JsonFields::flag(const char* key, bool otherwise) const {
    const Json* v = field(key);
    if (!v) return otherwise;
    if (!v->is_boolean()) fail(phrase("has \"{}\" that must be true or false", key));
    return v->get<bool>();
}

double JsonFields::checked(const char* key, double v, double low, double high) const {
    if (!std::isfinite(v) || v < low || v > high) fail(phrase("has \"{}\" = {}; it must be a number from {:g} to {:g}", key, v, low, high));
    return v;
}

std::optional<double> JsonFields::number(const char* key, double low, double high) const {
    const Json* v = field(key);
    if (!v) return std::nullopt;
    if (!v->is_number()) fail(phrase("has \"{}\" that is not a number", key));
    return checked(key, v->get<double>(), low, high);
}

std::optional<double> JsonFields::positive(const char* key, double high) const {
    const auto v = number(key, 0, high);
    if (v && !(*v > 0)) fail(phrase("has \"{}\" that must be above zero", key));
    return v;
}

std::optional<int> JsonFields::whole(const char* key, int low, int high) const {
    const auto v = number(key, low, high);
    if (v && std::floor(*v) != *v) fail(phrase("has \"{}\" that must be a whole number", key));
    return v ? std::optional(static_cast<int>(*v)) : std::nullopt;
}

std::optional<Point> JsonFields::point(const char* key) const {
    const Json* v = field(key);
    return v ? std::optional(asPoint(*v, key)) : std::nullopt;
}

Point JsonFields::asPoint(const Json& json, const char* key) const {
    constexpr double kFar = 1e7;
    if (!json.is_array() || json.size() != 2 || !json[0].is_number() || !json[1].is_number()) fail(phrase("has \"{}\" that must be two numbers [x, y]", key));
    return {checked(key, json[0].get<double>(), -kFar, kFar), checked(key, json[1].get<double>(), -kFar, kFar)};
}

const Json* JsonFields::list(const char* key, std::size_t most) const {
    const Json* v = field(key);
    if (v && !v->is_array()) fail(phrase("has \"{}\" that must be a list in square brackets", key));
    if (v && v->size() > most) fail(phrase("has {} \"{}\", more than the {} that can be handled", v->size(), key, most));
    return v;
}

std::vector<JsonFields> JsonFields::objects(const char* key, std::size_t most) const {
    std::vector<JsonFields> out;
    if (const Json* all = list(key, most))
        for (const Json& entry : *all) out.emplace_back(entry, m_file, phrase("entry {} of \"{}\"", out.size() + 1, key));
    return out;
}

std::vector<std::string> JsonFields::texts(const char* key, std::size_t most) const {
    std::vector<std::string> out;
    if (const Json* all = list(key, most))
        for (const Json& entry : *all) {
            if (!entry.is_string()) fail(phrase("has \"{}\" that must be a list of texts", key));
            out.push_back(entry.get<std::string>());
        }
    return out;
}

JsonFields JsonFields::object(const char* key, const std::string& place) const {
    static const Json empty = Json::object();
    const Json* v = field(key);
    return {v ? *v : empty, m_file, place.empty() ? fmt::format("\"{}\"", key) : place};
}

std::vector<std::pair<std::string, const Json*>> JsonFields::items(const char* key) const {
    std::vector<std::pair<std::string, const Json*>> out;
    const Json* v = field(key);
    if (!v) return out;
    if (!v->is_object()) fail(phrase("has \"{}\" that must be an object in braces", key));
    for (const auto& [name, value] : v->items()) out.emplace_back(name, &value);
    return out;
}

void JsonFields::needFormat(const char* key, const char* what) const {
    const Json* v = field(key);
    if (!v || !v->is_number_integer()) throw BadJson{phrase("{} has no \"{}\"; it is not {}.", m_file, key, wordOf(what))};
    if (*v != 1) throw BadJson{phrase("{} is of format {}; this program reads format 1.", m_file, jsonText(*v))};
}

} // namespace caelumen

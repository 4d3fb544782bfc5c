#include "core/base/tables.h"

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <sstream>
#include <string_view>

namespace caelumen {
namespace {

std::optional<double> number(std::string text) {
    text.erase(std::remove(text.begin(), text.end(), '%'), text.end());
    const auto first = text.find_first_not_of(" \"'\r\t"), last = text.find_last_not_of(" \"'\r\t");
    if (first == std::string::npos) return std::nullopt;
    text = text.substr(first, last - first + 1);
    std::replace(text.begin(), text.end(), ',', '.');
    char* end = nullptr;
    const double v = std::strtod(text.c_str(), &end);
    if (*end != '\0' || !std::isfinite(v)) return std::nullopt;
    return v;
}

std::vector<std::string> split(const std::string& line, char separator) {
    std::vector<std::string> out;
    if (separator == ' ') {
        std::istringstream words(line);
        for (std::string word; words >> word;) out.push_back(word);
        return out;
    }
    std::istringstream fields(line);
    for (std::string field; std::getline(fields, field, separator);) out.push_back(field);
    return out;
}

} // namespace

std::vector<double> numbersOf(const std::string& line) {
    for (const char separator : {';', '\t', ',', ' '}) {
        if (separator != ' ' && line.find(separator) == std::string::npos) continue;
        std::vector<std::string> fields = split(line, separator);
        // "500,5,0,98": decimal commas between comma-separated columns.
        if (separator == ',' && fields.size() == 4) fields = {fields[0] + "." + fields[1], fields[2] + "." + fields[3]};
        std::vector<double> out;
        for (const std::string& field : fields) {
            const auto value = number(field);
            if (!value) break;
            out.push_back(*value);
        }
        if (out.size() >= 2) return out;
        if (fields.size() >= 2 && (separator == ';' || separator == '\t')) return {};
    }
    return {};
}

std::optional<std::pair<double, double>> twoNumbers(const std::string& line) {
    const std::vector<double> all = numbersOf(line);
    return all.empty() ? std::nullopt : std::optional(std::pair(all[0], all[1]));
}

std::string harmlessCell(std::string text) {
    constexpr std::string_view kDangerous = "=+-@\t\r\n";
    if (text.empty() || kDangerous.find(text.front()) == std::string_view::npos) return text;
    char* end = nullptr;
    std::strtod(text.c_str(), &end);
    if (*end != '\0' || end == text.c_str()) text.insert(text.begin(), '\'');
    return text;
}

std::string csvRow(const std::vector<std::string>& fields) {
    std::string out;
    for (std::size_t i = 0; i < fields.size(); ++i) {
        if (i > 0) out += ',';
        const std::string field = harmlessCell(fields[i]);
        if (field.find_first_of(",;\"\r\n") == std::string::npos) {
            out += field;
            continue;
        }
        out += '"';
        for (const char c : field) {
            if (c == '"') out += '"';
            out += c;
        }
        out += '"';
    }
    return out + '\n';
}

std::vector<std::vector<std::string>> csvRows(const std::string& text) {
    int commas = 0, semicolons = 0;
    bool quoted = false;
    for (const char c : text) {
        if (c == '"') quoted = !quoted;
        if (!quoted && c == '\n') break;
        commas += !quoted && c == ',';
        semicolons += !quoted && c == ';';
    }
    const char separator = semicolons > commas ? ';' : ',';
    std::vector<std::vector<std::string>> rows;
    std::vector<std::string> row;
    std::string field;
    quoted = false;
    const auto endField = [&] {
        if (field.size() > 1 && field.front() == '\'' && harmlessCell(field.substr(1)) == field) field.erase(0, 1);
        row.push_back(std::exchange(field, {}));
    };
    const auto endRow = [&] {
        endField();
        if (row.size() > 1 || !row[0].empty()) rows.push_back(row);
        row.clear();
    };
    for (std::size_t i = 0; i < text.size(); ++i) {
        const char c = text[i];
        if (quoted && c == '"' && i + 1 < text.size() && text[i + 1] == '"')
            field += text[++i];
        else if (c == '"')
            quoted = !quoted;
        else if (!quoted && c == separator)
            endField();
        else if (!quoted && c == '\n')
            endRow();
        else if (c != '\r' || quoted)
            field += c;
    }
    if (!field.empty() || !row.empty()) endRow();
    return rows;
}

} // namespace caelumen

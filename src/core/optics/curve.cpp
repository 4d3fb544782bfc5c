#include "core/optics/curve.h"

#include "core/base/file.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <map>
#include <optional>
#include <sstream>

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

/// The first two numbers of a line, or nothing for a header or comment.
std::optional<std::pair<double, double>> pointOf(const std::string& line) {
    for (const char separator : {';', '\t', ',', ' '}) {
        if (separator != ' ' && line.find(separator) == std::string::npos) continue;
        std::vector<std::string> fields = split(line, separator);
        // "500,5,0,98": decimal commas between comma-separated columns.
        if (separator == ',' && fields.size() == 4) fields = {fields[0] + "." + fields[1], fields[2] + "." + fields[3]};
        if (fields.size() < 2) continue;
        const auto x = number(fields[0]), y = number(fields[1]);
        if (x && y) return std::pair{*x, *y};
        if (separator == ';' || separator == '\t') return std::nullopt;
    }
    return std::nullopt;
}

} // namespace

double Curve::at(double nm) const {
    if (empty() || nm < wavelength_nm.front() || nm > wavelength_nm.back()) return 0;
    const auto above = std::upper_bound(wavelength_nm.begin(), wavelength_nm.end(), nm);
    if (above == wavelength_nm.end()) return transmission.back();
    const auto i = static_cast<std::size_t>(above - wavelength_nm.begin());
    const double t = (nm - wavelength_nm[i - 1]) / (wavelength_nm[i] - wavelength_nm[i - 1]);
    return transmission[i - 1] + t * (transmission[i] - transmission[i - 1]);
}

Result<Curve> parseCurve(const std::string& text, const std::string& name) {
    std::istringstream lines(text);
    std::map<double, std::pair<double, int>> points;
    std::size_t count = 0;
    for (std::string line; std::getline(lines, line);) {
        const auto p = pointOf(line);
        if (!p) continue;
        if (++count > 1'000'000) return Error{fmt::format("{} has more than a million points; thin it out.", name)};
        auto& [sum, n] = points[p->first];
        sum += p->second;
        ++n;
    }
    if (points.size() < 3) return Error{fmt::format("{} holds no curve: give at least three lines of wavelength and transmission.", name)};
    double top = 0, longest = points.rbegin()->first;
    for (const auto& [x, y] : points) top = std::max(top, y.first / y.second);
    const double perUnit = longest > 3000 ? 0.1 : 1;                // angstrom
    const double perPart = top > 1.5 ? 0.01 : 1;                    // percent
    Curve curve;
    for (const auto& [x, y] : points) {
        const double nm = x * perUnit, t = y.first / y.second * perPart;
        if (nm < 100 || nm > 3000) return Error{fmt::format("{} has a wavelength of {:g} nm; give 100 to 3000 nm (or angstrom).", name, nm)};
        if (t < -0.05 || t > 1.05) return Error{fmt::format("{} has a transmission of {:g} at {:g} nm; give 0 to 1 or 0 to 100 %.", name, t, nm)};
        curve.wavelength_nm.push_back(nm);
        curve.transmission.push_back(std::clamp(t, 0.0, 1.0));
    }
    return curve;
}

Result<Curve> readCurve(const std::filesystem::path& path) {
    const auto text = readText(path, 32u << 20);
    if (!text) return text.error();
    return parseCurve(*text, path.string());
}

std::string curveToCsv(const Curve& curve) {
    std::string out = "wavelength_nm,transmission\n";
    for (std::size_t i = 0; i < curve.wavelength_nm.size(); ++i) out += fmt::format("{:.2f},{:.5f}\n", curve.wavelength_nm[i], curve.transmission[i]);
    return out;
}

} // namespace caelumen

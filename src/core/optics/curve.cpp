#include "core/optics/curve.h"

#include "core/base/file.h"
#include "core/base/json.h"
#include "core/base/tables.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <sstream>

namespace caelumen {
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
        const auto p = twoNumbers(line);
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

Json curveToPoints(const Curve& curve) {
    Json out = Json::array();
    for (std::size_t i = 0; i < curve.wavelength_nm.size(); ++i) out.push_back({curve.wavelength_nm[i], curve.transmission[i]});
    return out;
}

Result<Curve> curveFromPoints(const Json& points, const std::string& name) {
    const auto bad = [&] { return Error{fmt::format("{} needs its points as a list of [nm, transmission].", name)}; };
    if (!points.is_array()) return bad();
    std::string table;
    for (const Json& p : points) {
        if (!p.is_array() || p.size() != 2 || !p[0].is_number() || !p[1].is_number()) return bad();
        table += fmt::format("{};{}\n", p[0].get<double>(), p[1].get<double>());
    }
    return parseCurve(table, name);
}

} // namespace caelumen

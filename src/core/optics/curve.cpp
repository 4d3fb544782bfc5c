#include "core/optics/curve.h"

#include "core/base/file.h"
#include "core/base/json.h"
#include "core/base/phrase.h"
#include "core/base/tables.h"
#include "core/base/text.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <regex>
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

namespace {

bool isEmptyRow(const std::string& line) {
    return line.find_first_not_of(" ,;\t\r\"") == std::string::npos;
}

bool isComment(const std::string& line) {
    const auto first = line.find_first_not_of(" \t\"");
    return line[first] == '#' || line[first] == '!' || line.compare(first, 2, "//") == 0;
}

/// Whether a line that is no row was meant as one: its first column is a number, or what a program writes for none. "400 points" is a heading.
bool isMeantAsRow(const std::string& line) {
    const auto end = line.find_first_of(";,\t");
    if (end == std::string::npos) return false;
    const std::string first = lowered(line.substr(0, end));
    return first == "nan" || first == "inf" || first == "-inf" || twoNumbers(first + ";1");
}

/// What a text holds before anything is made of it.
struct Table {
    struct Row {
        std::size_t line;
        std::vector<double> numbers;
    };
    std::string headings; ///< in small letters; the first of them
    std::vector<Row> rows;

    void takeHeading(const std::string& line) {
        constexpr std::size_t kEnough = 4000;
        if (rows.empty() && headings.size() < kEnough) headings += lowered(line.substr(0, kEnough)) + "\n";
    }
};

Result<Table> tableIn(const std::string& text, const std::string& name) {
    Table out;
    std::istringstream lines(text);
    std::size_t at = 0;
    for (std::string line; std::getline(lines, line);) {
        ++at;
        if (isEmptyRow(line)) continue;
        if (isComment(line)) {
            out.takeHeading(line);
            continue;
        }
        auto numbers = numbersOf(line);
        if (numbers.empty()) {
            if (out.rows.empty() && !isMeantAsRow(line)) {
                out.takeHeading(line);
                continue;
            }
            return Error{phrase("{}, line {}: \"{}\" is no row of wavelength and transmission; correct it or take it out.", name, at,
                                oneLine(std::string_view(line).substr(0, 60)))};
        }
        if (out.rows.size() >= 1'000'000) return Error{phrase("{} has more than a million points; thin it out.", name)};
        out.rows.push_back({at, std::move(numbers)});
    }
    return out;
}

/// Rows that are counted 0, 1, 2 ... or 1, 2, 3 ... before wavelengths that rise or fall.
bool isCounted(const std::vector<Table::Row>& rows) {
    if (rows.size() < 3 || (rows[0].numbers[0] != 0 && rows[0].numbers[0] != 1)) return false;
    for (std::size_t i = 0; i < rows.size(); ++i) {
        if (rows[i].numbers.size() < 3 || rows[i].numbers[0] != rows[0].numbers[0] + static_cast<double>(i)) return false;
        if (i > 1 && (rows[i].numbers[1] - rows[i - 1].numbers[1]) * (rows[1].numbers[1] - rows[0].numbers[1]) <= 0) return false;
    }
    return true;
}

bool isDensity(const std::string& headings) {
    static const std::regex kWords("density|densities|absorbance|(^|[^a-z])o\\.?d\\.?($|[^a-z])");
    return std::regex_search(headings, kWords);
}

} // namespace

Result<Curve> parseCurve(const std::string& text, const std::string& name) {
    auto table = tableIn(text, name);
    if (!table) return table.error();
    Curve curve;
    struct Point {
        double sum = 0;
        int count = 0;
        std::size_t line = 0;
        double mean() const { return sum / count; }
    };
    const std::size_t column = isCounted(table->rows) ? 1 : 0;
    double shortest = 1e300, longest = 0;
    for (const Table::Row& row : table->rows) shortest = std::min(shortest, row.numbers[column]), longest = std::max(longest, row.numbers[column]);
    const bool micrometres = shortest >= 0.1 && longest <= 3;
    const bool densities = isDensity(table->headings);
    std::map<double, Point> points;
    for (const Table::Row& row : table->rows) {
        const double x = micrometres ? 1000 * row.numbers[column] : row.numbers[column], y = row.numbers[column + 1];
        if (x < 100 || x > 30'000)
            return Error{phrase("{}, line {}: a wavelength of {:g}; give 100 to 3000 nm (or angstrom, or micrometres).", name, row.line, x)};
        if (densities && (y < -0.05 || y > 30)) return Error{phrase("{}, line {}: an optical density of {:g}; give 0 to 30.", name, row.line, y)};
        Point& point = points[x];
        point.sum += densities ? std::pow(10, -std::max(0.0, y)) : y;
        ++point.count;
        if (point.line == 0) point.line = row.line;
    }
    if (points.size() < 3) return Error{phrase("{} holds no curve: give at least three lines of wavelength and transmission.", name)};
    // Per cent is told by its values. One alone above others that look like fractions is a slip, unless a sign says what it is.
    std::array<const Point*, 2> top{};
    for (const auto& [x, p] : points)
        for (const Point* one = &p; const Point*& held : top)
            if (!held || one->mean() > held->mean()) std::swap(one, held);
    const bool hasSign = text.find('%') != std::string::npos;
    if (top[0]->mean() > 1.5 && top[1]->mean() > 0.05 && top[1]->mean() <= 1.05 && !hasSign)
        return Error{phrase("{}, line {}: {:g} stands far above the other transmissions, which stay below 1; correct it, or mark per cent with %.", name,
                            top[0]->line, top[0]->mean())};
    const bool angstrom = points.rbegin()->first > 3000, perCent = top[0]->mean() > 1.5;
    if (densities)
        curve.notes.emplace_back(phrase("The heading says optical density, so transmission is ten to the power of minus what the table holds."));
    else if (hasSign && !perCent)
        curve.notes.push_back(phrase("The table says per cent, but no value exceeds {:g}: it was read as parts of one. If it is per cent after all, the "
                                     "filter passes a hundredth of what is shown.",
                                     top[0]->mean()));
    if (column == 1) curve.notes.emplace_back(phrase("The first column counts the rows and was passed over."));
    for (const auto& [x, p] : points) {
        const double nm = angstrom ? 0.1 * x : x, t = perCent ? 0.01 * p.mean() : p.mean();
        if (nm < 100 || nm > 3000) return Error{phrase("{}, line {}: a wavelength of {:g} nm; give 100 to 3000 nm (or angstrom).", name, p.line, nm)};
        if (t < -0.05 || t > 1.05) return Error{phrase("{}, line {}: a transmission of {:g} at {:g} nm; give 0 to 1 or 0 to 100 %.", name, p.line, t, nm)};
        curve.wavelength_nm.push_back(nm);
        curve.transmission.push_back(std::clamp(t, 0.0, 1.0));
    }
    return curve;
}

Result<Curve> readCurve(const std::filesystem::path& path) {
    const auto text = readText(path, 32u << 20);
    if (!text) return text.error();
    return parseCurve(*text, shown(path));
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
    const auto bad = [&] { return Error{phrase("{} needs its points as a list of [nm, transmission].", name)}; };
    if (!points.is_array()) return bad();
    std::string table;
    for (const Json& p : points) {
        if (!p.is_array() || p.size() != 2 || !p[0].is_number() || !p[1].is_number()) return bad();
        table += fmt::format("{};{}\n", p[0].get<double>(), p[1].get<double>());
    }
    return parseCurve(table, name);
}

} // namespace caelumen

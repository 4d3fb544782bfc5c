#include "core/plan/targets.h"

#include "core/base/phrase.h"
#include "core/base/tables.h"
#include "core/plan/target_data.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <sstream>

namespace caelumen {
namespace {

std::vector<std::string> parts(const std::string& line, char separator) {
    std::vector<std::string> out;
    std::istringstream in(line);
    for (std::string part; std::getline(in, part, separator);) out.push_back(part);
    return out;
}

/// "16 40.1" or "-48 40 30", blanks, colons or letters between: the first number in whole units, the next ones sixtieths.
std::optional<double> sixtieths(std::string text) {
    for (char& c : text)
        if (!std::isdigit(static_cast<unsigned char>(c)) && c != '.' && c != '-' && c != '+') c = ' ';
    const bool negative = text.find('-') != std::string::npos;
    std::replace(text.begin(), text.end(), '-', ' ');
    std::replace(text.begin(), text.end(), '+', ' ');
    std::istringstream in(text);
    double sum = 0, unit = 1, v = 0;
    int n = 0;
    for (; in >> v && n < 3; ++n, unit /= 60) {
        if (n > 0 && v >= 60) return std::nullopt;
        sum += v * unit;
    }
    if (n == 0) return std::nullopt;
    return negative ? -sum : sum;
}

const char* kindOf(char letter) {
    switch (letter) {
    case 'E':
        return "emission";
    case 'R':
        return "reflection";
    case 'P':
        return "planetary";
    case 'S':
        return "remnant";
    case 'W':
        return "bubble";
    case 'G':
        return "galaxy";
    case 'O':
        return "open cluster";
    default:
        return "globular cluster";
    }
}

/// Without blanks and case.
std::string plain(const std::string& text) {
    std::string out;
    for (const char c : text)
        if (!std::isspace(static_cast<unsigned char>(c))) out += static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    return out;
}

double numberOr(const std::string& text, double otherwise) {
    double v = 0;
    const auto [end, failed] = std::from_chars(text.data(), text.data() + text.size(), v);
    return failed == std::errc{} && end != text.data() && std::isfinite(v) ? v : otherwise;
}

} // namespace

const std::vector<DeepSky>& deepSkyCatalogue() {
    static const std::vector<DeepSky> all = [] {
        std::vector<DeepSky> out;
        for (const std::string& line : parts(kDeepSky, '\n')) {
            const auto p = parts(line, '|');
            if (p.size() != 9) continue;
            DeepSky d;
            d.id = p[0], d.name = p[1], d.constellation = p[2];
            d.ra_deg = 15 * *sixtieths(p[3]), d.dec_deg = *sixtieths(p[4]);
            d.width_arcmin = numberOr(p[5], 0), d.height_arcmin = numberOr(p[6], 0);
            d.kind = kindOf(p[7][0]);
            d.hydrogen = p[8][0] - '0', d.oxygen = p[8][1] - '0', d.sulphur = p[8][2] - '0', d.continuum = p[8][3] - '0';
            out.push_back(d);
        }
        return out;
    }();
    return all;
}

const std::vector<BrightStar>& brightStars() {
    static const std::vector<BrightStar> all = [] {
        std::vector<BrightStar> out;
        for (const std::string& line : parts(kBrightStars, '\n'))
            if (const auto p = parts(line, '|'); p.size() == 5)
                out.push_back({p[0], 15 * *sixtieths(p[1]), *sixtieths(p[2]), numberOr(p[3], 0), numberOr(p[4], 0)});
        return out;
    }();
    return all;
}

std::vector<const DeepSky*> findTargets(const std::vector<DeepSky>& among, const std::string& words) {
    const std::string wanted = plain(words);
    std::vector<std::pair<int, const DeepSky*>> found;
    for (const DeepSky& d : among) {
        const std::string id = plain(d.id), name = plain(d.name), place = plain(d.constellation);
        const int rank = id == wanted                             ? 0
                         : id.starts_with(wanted)                 ? 1
                         : name.starts_with(wanted)               ? 2
                         : name.find(wanted) != std::string::npos ? 3
                         : place == wanted                        ? 4
                         : id.find(wanted) != std::string::npos   ? 5
                                                                  : -1;
        if (rank >= 0) found.emplace_back(rank, &d);
    }
    std::stable_sort(found.begin(), found.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
    std::vector<const DeepSky*> out;
    for (const auto& [rank, d] : found) out.push_back(d);
    return out;
}

Result<std::vector<DeepSky>> parseTargets(const std::string& text, const std::string& name) {
    auto rows = csvRows(text);
    std::vector<std::string> columns{"id", "ra", "dec", "size", "kind", "hydrogen", "oxygen", "sulphur", "continuum"};
    if (!rows.empty()) {
        std::vector<std::string> head;
        for (const std::string& cell : rows.front()) head.push_back(plain(cell));
        if (std::find(head.begin(), head.end(), "ra") != head.end()) {
            columns = head;
            if (std::find(head.begin(), head.end(), "dec") == head.end()) return Error{phrase("{} has a column \"ra\" but none \"dec\"; name both.", name)};
            rows.erase(rows.begin());
        }
    }
    std::vector<DeepSky> out;
    int line = 0;
    for (const auto& row : rows) {
        ++line;
        if (row.empty() || (row.size() == 1 && row[0].empty()) || row[0].starts_with('#')) continue;
        const auto cell = [&](const char* what) {
            const auto at = static_cast<std::size_t>(std::find(columns.begin(), columns.end(), what) - columns.begin());
            return at < row.size() ? row[at] : std::string();
        };
        DeepSky d;
        d.own = true;
        d.id = cell("id").empty() ? cell("name") : cell("id");
        if (cell("name") != d.id) d.name = cell("name");
        const std::string ra = cell("ra");
        const auto a = sixtieths(ra), b = sixtieths(cell("dec"));
        // Hours when written in parts or with an h; degrees else.
        const bool hours = ra.find_first_of(" :hH") != std::string::npos;
        if (d.id.empty() || !a || !b || !(*a >= 0 && *a <= (hours ? 24 : 360)) || !(std::abs(*b) <= 90))
            return Error{phrase("{} has no target in line {}: write a name, right ascension and declination, as \"NGC 6188, 16 40 06, -48 40\".", name, line)};
        d.ra_deg = hours ? 15 * *a : *a;
        d.dec_deg = *b;
        d.width_arcmin = d.height_arcmin = std::max(0.0, numberOr(cell("size"), 0));
        d.kind = cell("kind").empty() ? "own" : cell("kind");
        const auto strength = [&](const char* what) { return static_cast<int>(std::clamp(numberOr(cell(what), 0), 0.0, 3.0)); };
        d.hydrogen = strength("hydrogen"), d.oxygen = strength("oxygen"), d.sulphur = strength("sulphur"), d.continuum = strength("continuum");
        out.push_back(d);
    }
    if (out.empty()) return Error{phrase("{} holds no targets; write one a line: name, right ascension, declination.", name)};
    return out;
}

} // namespace caelumen

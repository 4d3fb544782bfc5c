#include "report/verdict_picture.h"

#include "report/filter_style.h"
#include "report/svg_plots.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

namespace caelumen {
namespace {

std::string begin(int width, double height) {
    return fmt::format(
        "<svg viewBox=\"0 0 {0} {1:.0f}\" width=\"{0}\" height=\"{1:.0f}\" font-family=\"Inter, sans-serif\" font-size=\"13\" fill=\"#222\" role=\"img\">",
        width, height);
}

std::map<std::string, FilterStyle> stylesOf(const Trial& trial, const Verdict& v) {
    std::vector<std::string> ids;
    for (const RankedFilter& f : v.ranking) ids.push_back(f.id);
    return filterStyles(trial, ids);
}

} // namespace

std::string svgRanking(const Trial& trial, const Verdict& v) {
    if (v.ranking.empty()) return {};
    const auto styles = stylesOf(trial, v);
    double low = 0, high = 0;
    for (const RankedFilter& f : v.ranking) low = std::min(low, f.score - f.sigma), high = std::max(high, f.score + f.sigma);
    constexpr double left = 210, right = 640, row = 30, top = 26;
    const double span = std::max(1e-6, high - low);
    const auto x = [&](double s) { return left + (s - low) / span * (right - left); };
    const double bottom = top + row * static_cast<double>(v.ranking.size());
    std::string s = begin(720, bottom + 24) + "<title>Ranking of filters</title>";
    s += fmt::format("<line x1=\"{0:.1f}\" x2=\"{0:.1f}\" y1=\"{1}\" y2=\"{2}\" stroke=\"#888\" stroke-dasharray=\"4 3\"/><text x=\"{0:.1f}\" y=\"16\" "
                     "text-anchor=\"middle\" "
                     "fill=\"#555\">baseline</text><text x=\"714\" y=\"16\" text-anchor=\"end\" fill=\"#555\">best in</text>",
                     x(0), top, bottom);
    double y = top + 0.5 * row;
    for (const RankedFilter& f : v.ranking) {
        const FilterStyle style = styles.at(f.id);
        s += fmt::format("<text x=\"{}\" y=\"{:.1f}\" text-anchor=\"end\">{}</text>", left - 14, y + 4, escaped(f.name));
        s += fmt::format("<line x1=\"{0:.1f}\" x2=\"{1:.1f}\" y1=\"{2:.1f}\" y2=\"{2:.1f}\" stroke=\"{3}\" stroke-width=\"2\"/>", x(f.score - f.sigma),
                         x(f.score + f.sigma), y, style.colour.name().toStdString()) +
             svgMarker(style, x(f.score), y, 6);
        s += fmt::format("<text x=\"714\" y=\"{:.1f}\" text-anchor=\"end\">{:.0f} %</text>", y + 4, 100 * f.pBest);
        y += row;
    }
    for (double tick = std::ceil(low / 2) * 2; tick <= high; tick += std::max(2.0, std::round(span / 12) * 2))
        s += fmt::format("<text x=\"{:.1f}\" y=\"{:.1f}\" text-anchor=\"middle\" fill=\"#555\">{:g}</text>", x(tick), bottom + 16, tick);
    return s + "</svg>";
}

std::string svgPayoff(const Trial& trial, const Verdict& v) {
    constexpr double left = 70, right = 520, top = 14, bottom = 230;
    constexpr int kYears = 10;
    const auto styles = stylesOf(trial, v);
    struct Line {
        const FilterValue* value;
        std::string name;
    };
    std::vector<Line> lines;
    double low = 1e300, high = 0;
    for (const FilterValue& x : v.value) {
        if (!x.price || !x.saves()) continue;
        const auto f = std::find_if(v.ranking.begin(), v.ranking.end(), [&](const RankedFilter& r) { return r.id == x.id; });
        lines.push_back({&x, f == v.ranking.end() ? x.id : f->name});
        high = std::max(high, *x.price / (x.hoursSaved - x.sigma)), low = std::min(low, *x.price / (x.hoursSaved + x.sigma) / kYears);
    }
    if (lines.empty()) return {};
    const double l0 = std::log10(low) - 0.1, l1 = std::log10(high) + 0.1;
    const auto px = [&](double year) { return left + (year - 1) / (kYears - 1) * (right - left); };
    const auto py = [&](double price) { return bottom - (std::log10(price) - l0) / (l1 - l0) * (bottom - top); };
    std::string s = begin(720, bottom + 40) + "<title>Price of an hour saved by the years of use</title>";
    s += fmt::format("<rect x=\"{}\" y=\"{}\" width=\"{}\" height=\"{}\" fill=\"none\" stroke=\"#999\"/>", left, top, right - left, bottom - top);
    for (int year = 1; year <= kYears; ++year) s += fmt::format("<text x=\"{:.1f}\" y=\"{}\" text-anchor=\"middle\">{}</text>", px(year), bottom + 16, year);
    for (int power = static_cast<int>(std::floor(l0)); power <= static_cast<int>(std::ceil(l1)); ++power)
        for (const double m : {1.0, 2.0, 5.0}) {
            const double price = m * std::pow(10, power);
            if (std::log10(price) < l0 || std::log10(price) > l1) continue;
            s += fmt::format(
                "<line x1=\"{0}\" x2=\"{1}\" y1=\"{2:.1f}\" y2=\"{2:.1f}\" stroke=\"#ddd\"/><text x=\"{3}\" y=\"{4:.1f}\" text-anchor=\"end\">{5:g}</text>",
                left, right, py(price), left - 6, py(price) + 4, price);
        }
    double label = -1e9;
    std::sort(lines.begin(), lines.end(),
              [](const Line& a, const Line& b) { return *a.value->price / a.value->hoursSaved > *b.value->price / b.value->hoursSaved; });
    for (const Line& line : lines) {
        const FilterStyle style = styles.at(line.value->id);
        const auto at = [&](double year, double off) { return *line.value->price / (year * (line.value->hoursSaved + off * line.value->sigma)); };
        std::string band, curve;
        for (double year = 1; year <= kYears; year += 0.25) {
            band += fmt::format("{:.1f},{:.1f} ", px(year), py(at(year, -1)));
            curve += fmt::format("{:.1f},{:.1f} ", px(year), py(at(year, 0)));
        }
        for (double year = kYears; year >= 1; year -= 0.25) band += fmt::format("{:.1f},{:.1f} ", px(year), py(at(year, 1)));
        const std::string colour = style.colour.name().toStdString();
        s += fmt::format("<polygon points=\"{}\" fill=\"{}\" fill-opacity=\"0.15\"/><polyline points=\"{}\" fill=\"none\" stroke=\"{}\" stroke-width=\"2\"/>",
                         band, colour, curve, colour);
        label = std::max(label + 16, py(at(kYears, 0)));
        s += svgMarker(style, right, py(at(kYears, 0)), 5) + fmt::format("<text x=\"{}\" y=\"{:.1f}\">{}</text>", right + 12, label + 4, escaped(line.name));
    }
    s += fmt::format("<text x=\"{}\" y=\"{}\" text-anchor=\"middle\">years of use</text><text transform=\"translate(16 {}) rotate(-90)\" "
                     "text-anchor=\"middle\">{} for each hour "
                     "saved</text></svg>",
                     (left + right) / 2, bottom + 34, (top + bottom) / 2,
                     escaped(lines.front().value->currency.empty() ? "price" : lines.front().value->currency));
    return s;
}

} // namespace caelumen

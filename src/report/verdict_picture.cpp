#include "report/verdict_picture.h"

#include "core/base/phrase.h"
#include "report/filter_style.h"
#include "report/plots.h"
#include "report/svg_plots.h"
#include "report/whiskers.h"

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

std::string svgRanking(const Trial& trial, const Verdict& v, const Profile& profile) {
    const auto rows = rankingRows(trial, v, profile);
    if (rows.empty()) return {};
    const WhiskerScale scale = scaleFromZero(rows);
    constexpr double left = 210, right = 640, row = 30, top = 26;
    const auto x = [&](double value) { return scale.at(value, left, right, 0); };
    const double bottom = top + row * static_cast<double>(rows.size()), span = scale.high - scale.low;
    std::string s = begin(720, bottom + 24) + "<title>" + escaped(wordOf("Ranking of filters")) + "</title>";
    s += fmt::format("<line x1=\"{0:.1f}\" x2=\"{0:.1f}\" y1=\"{1}\" y2=\"{2}\" stroke=\"#888\" stroke-dasharray=\"4 3\"/><text x=\"{0:.1f}\" y=\"16\" "
                     "text-anchor=\"middle\" "
                     "fill=\"#555\">{3}</text><text x=\"714\" y=\"16\" text-anchor=\"end\" fill=\"#555\">{4}</text>",
                     x(0), top, bottom, escaped(wordOf("baseline")), escaped(wordOf("best in")));
    double y = top + 0.5 * row;
    for (const RankingRow& r : rows) {
        s += fmt::format("<text x=\"{}\" y=\"{:.1f}\" text-anchor=\"end\">{}</text>", left - 14, y + 4, escaped(r.name.toStdString()));
        s += fmt::format("<line x1=\"{0:.1f}\" x2=\"{1:.1f}\" y1=\"{2:.1f}\" y2=\"{2:.1f}\" stroke=\"{3}\" stroke-width=\"2\"/>", x(*r.value - *r.sigma),
                         x(*r.value + *r.sigma), y, r.style.colour.name().toStdString()) +
             svgMarker(r.style, x(*r.value), y, 6);
        s += fmt::format("<text x=\"714\" y=\"{:.1f}\" text-anchor=\"end\">{}</text>", y + 4, escaped(r.chanceText().toStdString()));
        y += row;
    }
    for (double tick = std::ceil(scale.low / 2) * 2; tick <= scale.high; tick += std::max(2.0, std::round(span / 12) * 2))
        s += fmt::format("<text x=\"{:.1f}\" y=\"{:.1f}\" text-anchor=\"middle\" fill=\"#555\">{:g}</text>", x(tick), bottom + 16, tick);
    return s + "</svg>";
}

std::string svgPayoff(const Trial& trial, const Verdict& v) {
    const auto styles = stylesOf(trial, v);
    std::vector<PayoffLine> lines;
    for (const FilterValue& x : v.value) {
        const auto f = std::find_if(v.ranking.begin(), v.ranking.end(), [&](const RankedFilter& r) { return r.id == x.id; });
        lines.push_back({QString::fromStdString(f == v.ranking.end() ? x.id : f->name), styles.count(x.id) ? styles.at(x.id) : FilterStyle{}, x});
    }
    return plotSvg(payoffPlot(lines));
}

} // namespace caelumen

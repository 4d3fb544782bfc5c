#include "report/svg_plots.h"

#include "report/filter_style.h"
#include "report/plots.h"
#include "report/whiskers.h"

#include <fmt/format.h>

#include <cmath>

namespace caelumen {
std::string svgMarker(const FilterStyle& style, double x, double y, double r) {
    const QPainterPath path = style.marker(r);
    std::string d;
    for (int i = 0; i < path.elementCount(); ++i) {
        const auto e = path.elementAt(i);
        const char* command = e.type == QPainterPath::MoveToElement    ? "M"
                              : e.type == QPainterPath::LineToElement  ? "L"
                              : e.type == QPainterPath::CurveToElement ? "C"
                                                                       : " ";
        d += fmt::format("{}{:.2f} {:.2f}", command, x + e.x, y + e.y);
    }
    return fmt::format("<path d=\"{}Z\" fill=\"{}\"/>", d, style.colour.name().toStdString());
}

namespace {

/// Each run in its filter's colour on white.
PlotInk reportInk(const Trial& trial) {
    PlotInk ink;
    ink.colourOf = [&trial](const std::string& run) { return runStyle(trial, run, false).colour; };
    return ink;
}

} // namespace

std::string svgPage(double width, double height, const std::string& body) {
    return fmt::format(
        "<svg viewBox=\"0 0 {} {}\" width=\"{}\" xmlns=\"http://www.w3.org/2000/svg\" font-size=\"11\" font-family=\"Inter, sans-serif\">{}</svg>", width,
        height, width, body);
}

std::string escaped(const std::string& text) {
    std::string out;
    for (const char c : text) {
        switch (c) {
        case '&':
            out += "&amp;";
            break;
        case '<':
            out += "&lt;";
            break;
        case '>':
            out += "&gt;";
            break;
        case '"':
            out += "&quot;";
            break;
        default:
            out += c;
        }
    }
    return out;
}

std::string svgScore(const Trial& trial, const TrialResults& r, const Score& score, const std::string& nebula) {
    std::vector<Whisker> rows;
    for (const Run& run : trial.runs) rows.push_back(scoreWhisker(trial, &r, run, score, scoreOf(r, run.id, score, nebula)));
    return whiskersSvg(rows, baselineValue(score));
}

std::string svgHaloExcess(const Trial& trial, const TrialResults& r, const std::string& region) {
    return plotSvg(haloPlot(trial, r, region, reportInk(trial)));
}

std::string svgColours(const Trial& trial, const TrialResults& r, const std::string& index) {
    return plotSvg(colourPlot(trial, r, index, reportInk(trial)));
}

std::string svgMoon(double illuminated, bool waxing, bool south) {
    const double t = 2 * illuminated - 1;
    const bool right = waxing != south;
    return fmt::format("<svg viewBox=\"-10 -10 20 20\" width=\"18\" height=\"18\" xmlns=\"http://www.w3.org/2000/svg\" style=\"vertical-align:-4px\"><circle "
                       "r=\"9\" fill=\"#555\"/><path d=\"M0 -9 A9 9 0 0 {} 0 9 A{:.2f} 9 0 0 {} 0 -9Z\" fill=\"#eee\"/></svg>",
                       right ? 1 : 0, 9 * std::abs(t), (t > 0) == right ? 1 : 0);
}

} // namespace caelumen

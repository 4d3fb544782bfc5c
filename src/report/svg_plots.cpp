#include "report/svg_plots.h"

#include "core/compare/sentences.h"
#include "core/model/flags.h"
#include "report/filter_style.h"
#include "report/plots.h"

#include <fmt/format.h>

#include <algorithm>
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

std::string colourOf(const Trial& trial, std::size_t run, bool baseline) {
    return runStyle(trial, trial.runs[run].id, baseline).colour.name().toStdString();
}

/// Each run in its filter's colour on white.
PlotVoice reportVoice(const Trial& trial) {
    PlotVoice voice;
    voice.colourOf = [&trial](const std::string& run) { return runStyle(trial, run, false).colour; };
    return voice;
}

std::string wrap(double width, double height, const std::string& body) {
    return fmt::format(
        "<svg viewBox=\"0 0 {} {}\" width=\"{}\" xmlns=\"http://www.w3.org/2000/svg\" font-size=\"11\" font-family=\"Inter, sans-serif\">{}</svg>", width,
        height, width, body);
}

} // namespace

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
    double low = 1e300, high = -1e300;
    const auto include = [&](double v) {
        low = std::min(low, v);
        high = std::max(high, v);
    };
    for (const Run& run : trial.runs)
        if (const Measurement* m = scoreOf(r, run.id, score, nebula)) {
            include(m->value - m->sigma);
            include(m->value + m->sigma);
        }
    if (low > high) return {};
    if (const auto base = baselineValue(score)) include(*base);
    const double pad = 0.08 * std::max(high - low, 1e-9);
    constexpr double left = 190, right = 500;
    const auto x = [&](double v) { return left + (v - low + pad) / (high - low + 2 * pad) * (right - left); };
    const double rowHeight = 24;
    const double height = rowHeight * static_cast<double>(trial.runs.size()) + 10;
    std::string s;
    if (const auto base = baselineValue(score))
        s += fmt::format("<line x1=\"{0:.1f}\" x2=\"{0:.1f}\" y1=\"2\" y2=\"{1}\" stroke=\"#888\" stroke-dasharray=\"3 3\"/>", x(*base), height - 4);
    double y = 16;
    for (std::size_t i = 0; i < trial.runs.size(); ++i, y += rowHeight) {
        const Run& run = trial.runs[i];
        const Filter* filter = trial.filter(run.filter);
        const bool isBase = run.id == r.baseline;
        s += svgMarker(runStyle(trial, run.id, isBase), 10, y, 6) +
             fmt::format("<text x=\"22\" y=\"{}\">{} {}</text>", y + 4, escaped(run.id), escaped(filter ? filter->name : run.filter));
        const Measurement* m = scoreOf(r, run.id, score, nebula);
        if (!m) {
            s += fmt::format("<text x=\"{}\" y=\"{}\" fill=\"#777\">{}</text>", right + 10, y + 4, isBase ? "baseline" : "not measured");
            continue;
        }
        const std::string colour = colourOf(trial, i, isBase);
        const bool limit = m->flagged(flag::upperLimit);
        s += fmt::format("<line x1=\"{:.1f}\" x2=\"{:.1f}\" y1=\"{}\" y2=\"{}\" stroke=\"{}\" stroke-width=\"2\"{}/>", x(m->value - m->sigma),
                         x(m->value + m->sigma), y, y, colour, limit ? " stroke-dasharray=\"2 3\"" : "");
        s += fmt::format("<circle cx=\"{:.1f}\" cy=\"{}\" r=\"4\" fill=\"{}\" stroke=\"{}\"/>", x(m->value), y, limit ? "none" : colour, colour);
        const bool unfair = voided(r, run.id, score); // what is not fair is no result
        s += fmt::format("<text x=\"{}\" y=\"{}\"><tspan{}>{}</tspan>{}</text>", right + 10, y + 4, unfair ? " text-decoration=\"line-through\"" : "",
                         escaped(formatValue(*m)), unfair ? " not fair" : "");
    }
    return wrap(640, height, s);
}

std::string svgHaloExcess(const Trial& trial, const TrialResults& r, const std::string& region) {
    return plotSvg(haloPlot(trial, r, region, reportVoice(trial)));
}

std::string svgColours(const Trial& trial, const TrialResults& r, const std::string& index) {
    return plotSvg(colourPlot(trial, r, index, reportVoice(trial)));
}

std::string svgMoon(double illuminated, bool waxing, bool south) {
    const double t = 2 * illuminated - 1;
    const bool right = waxing != south;
    return fmt::format("<svg viewBox=\"-10 -10 20 20\" width=\"18\" height=\"18\" xmlns=\"http://www.w3.org/2000/svg\" style=\"vertical-align:-4px\"><circle "
                       "r=\"9\" fill=\"#555\"/><path d=\"M0 -9 A9 9 0 0 {} 0 9 A{:.2f} 9 0 0 {} 0 -9Z\" fill=\"#eee\"/></svg>",
                       right ? 1 : 0, 9 * std::abs(t), (t > 0) == right ? 1 : 0);
}

} // namespace caelumen

#include "report/svg_plots.h"

#include "core/base/statistics.h"
#include "core/compare/evidence.h"
#include "core/compare/sentences.h"
#include "report/filter_style.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

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

struct Frame {
    double left = 60, right = 620, top = 14, bottom = 250, x0 = 0, x1 = 1, y0 = 0, y1 = 1;
    double x(double v) const { return left + (v - x0) / (x1 - x0) * (right - left); }
    double y(double v) const { return bottom - (v - y0) / (y1 - y0) * (bottom - top); }
};

double niceStep(double span) {
    const double raw = span / 5, power = std::pow(10, std::floor(std::log10(raw)));
    for (const double m : {1.0, 2.0, 5.0})
        if (raw <= m * power) return m * power;
    return 10 * power;
}

std::string axes(const Frame& f, const std::string& xLabel, const std::string& yLabel) {
    std::string s =
        fmt::format("<rect x=\"{}\" y=\"{}\" width=\"{}\" height=\"{}\" fill=\"none\" stroke=\"#999\"/>", f.left, f.top, f.right - f.left, f.bottom - f.top);
    const auto ticks = [&](double low, double high, bool alongX) {
        const double step = niceStep(high - low);
        for (double v = std::ceil(low / step) * step; v <= high + 1e-9 * step; v += step) {
            if (alongX)
                s += fmt::format("<line x1=\"{0:.1f}\" x2=\"{0:.1f}\" y1=\"{1}\" y2=\"{2}\" stroke=\"#ddd\"/><text x=\"{0:.1f}\" y=\"{3}\" "
                                 "text-anchor=\"middle\">{4:g}</text>",
                                 f.x(v), f.top, f.bottom, f.bottom + 15, std::abs(v) < 1e-9 * step ? 0 : v);
            else
                s += fmt::format(
                    "<line y1=\"{0:.1f}\" y2=\"{0:.1f}\" x1=\"{1}\" x2=\"{2}\" stroke=\"#ddd\"/><text x=\"{3}\" y=\"{4:.1f}\" text-anchor=\"end\">{5:g}</text>",
                    f.y(v), f.left, f.right, f.left - 6, f.y(v) + 4, std::abs(v) < 1e-9 * step ? 0 : v);
        }
    };
    ticks(f.x0, f.x1, true);
    ticks(f.y0, f.y1, false);
    s +=
        fmt::format("<text x=\"{}\" y=\"{}\" text-anchor=\"middle\">{}</text><text transform=\"translate(14 {}) rotate(-90)\" text-anchor=\"middle\">{}</text>",
                    (f.left + f.right) / 2, f.bottom + 33, escaped(xLabel), (f.top + f.bottom) / 2, escaped(yLabel));
    return s;
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
    Frame f;
    f.left = 190, f.right = 500, f.x0 = low - pad, f.x1 = high + pad;
    const double rowHeight = 24;
    const double height = rowHeight * static_cast<double>(trial.runs.size()) + 10;
    std::string s;
    if (const auto base = baselineValue(score))
        s += fmt::format("<line x1=\"{0:.1f}\" x2=\"{0:.1f}\" y1=\"2\" y2=\"{1}\" stroke=\"#888\" stroke-dasharray=\"3 3\"/>", f.x(*base), height - 4);
    double y = 16;
    for (std::size_t i = 0; i < trial.runs.size(); ++i, y += rowHeight) {
        const Run& run = trial.runs[i];
        const Filter* filter = trial.filter(run.filter);
        const bool isBase = run.id == r.baseline;
        s += svgMarker(runStyle(trial, run.id, isBase), 10, y, 6) +
             fmt::format("<text x=\"22\" y=\"{}\">{} {}</text>", y + 4, escaped(run.id), escaped(filter ? filter->name : run.filter));
        const Measurement* m = scoreOf(r, run.id, score, nebula);
        if (!m) {
            s += fmt::format("<text x=\"{}\" y=\"{}\" fill=\"#777\">{}</text>", f.right + 10, y + 4, isBase ? "baseline" : "not measured");
            continue;
        }
        const std::string colour = colourOf(trial, i, isBase);
        const bool limit = m->flagged("upper-limit");
        s += fmt::format("<line x1=\"{:.1f}\" x2=\"{:.1f}\" y1=\"{}\" y2=\"{}\" stroke=\"{}\" stroke-width=\"2\"{}/>", f.x(m->value - m->sigma),
                         f.x(m->value + m->sigma), y, y, colour, limit ? " stroke-dasharray=\"2 3\"" : "");
        s += fmt::format("<circle cx=\"{:.1f}\" cy=\"{}\" r=\"4\" fill=\"{}\" stroke=\"{}\"/>", f.x(m->value), y, limit ? "none" : colour, colour);
        const bool unfair = voided(r, run.id, score); // what is not fair is no result
        s += fmt::format("<text x=\"{}\" y=\"{}\"><tspan{}>{}</tspan>{}</text>", f.right + 10, y + 4, unfair ? " text-decoration=\"line-through\"" : "",
                         escaped(formatValue(*m)), unfair ? " not fair" : "");
    }
    return wrap(640, height, s);
}

std::string svgHaloExcess(const Trial& trial, const TrialResults& r, const std::string& region) {
    if (!r.evidence) return {};
    struct Line {
        std::size_t index;
        const HaloExcess* excess;
    };
    std::vector<Line> lines;
    Frame f;
    f.x1 = 10;
    double top = 0;
    for (std::size_t i = 0; i < trial.runs.size(); ++i) {
        for (const RunEvidence& e : *r.evidence) {
            if (e.run != trial.runs[i].id) continue;
            const Measurement* m = r.headline(e.run, "halo_flux_fraction");
            const auto it = e.halos.find(region + "/" + (m ? m->channel : "G"));
            if (it == e.halos.end()) continue;
            lines.push_back({i, &it->second});
            f.x1 = std::max(f.x1, it->second.radius.back());
            top = std::max(top, it->second.top());
        }
    }
    if (lines.empty() || !(top > 0)) return {};
    const double unit = std::pow(10, std::floor(std::log10(top)));
    f.y0 = -0.6 * top / unit;
    f.y1 = 2.2 * top / unit;
    std::string s = axes(f, "Radius (px)", fmt::format("Excess light per px and star light (\u00D7 {:.0e})", unit));
    for (const Line& line : lines) {
        std::string points;
        for (std::size_t k = 0; k < line.excess->radius.size(); ++k) {
            if (!(line.excess->sigma[k] > 0)) continue;
            points += fmt::format("{:.1f},{:.1f} ", f.x(line.excess->radius[k]), std::clamp(f.y(line.excess->halo(k) / unit), f.top, f.bottom));
        }
        s += fmt::format("<polyline points=\"{}\" fill=\"none\" stroke=\"{}\" stroke-width=\"1.4\"/>", points, colourOf(trial, line.index, false));
        for (const HaloRing& ring : line.excess->rings)
            s += fmt::format("<line x1=\"{0:.1f}\" x2=\"{0:.1f}\" y1=\"{1}\" y2=\"{2}\" stroke=\"{3}\" stroke-dasharray=\"4 3\"/>", f.x(ring.radius), f.top,
                             f.bottom, colourOf(trial, line.index, false));
    }
    return wrap(640, 290, s);
}

std::string svgColours(const Trial& trial, const TrialResults& r, const std::string& index) {
    if (!r.evidence) return {};
    std::vector<double> xs, ys;
    for (const RunEvidence& e : *r.evidence)
        if (const auto it = e.colours.find(index); it != e.colours.end())
            for (const ColourPoint& p : it->second) {
                xs.push_back(p.x);
                ys.push_back(p.y);
            }
    if (xs.empty()) return {};
    Frame f;
    const auto range = [](std::vector<double>& v, double& low, double& high) {
        low = quantile(v, 0.005);
        high = quantile(v, 0.995);
        const double pad = 0.1 * std::max(high - low, 0.1);
        low -= pad;
        high += pad;
    };
    range(xs, f.x0, f.x1);
    range(ys, f.y0, f.y1);
    std::string s = axes(f, index + " in the baseline (mag)", index + " with the filter (mag)");
    for (std::size_t i = 0; i < trial.runs.size(); ++i) {
        for (const RunEvidence& e : *r.evidence) {
            if (e.run != trial.runs[i].id) continue;
            const auto it = e.colours.find(index);
            if (it == e.colours.end()) continue;
            const std::string colour = colourOf(trial, i, false);
            const std::size_t step = std::max<std::size_t>(1, it->second.size() / 150);
            for (std::size_t k = 0; k < it->second.size(); k += step) {
                const ColourPoint& p = it->second[k];
                if (p.x < f.x0 || p.x > f.x1 || p.y < f.y0 || p.y > f.y1) continue;
                s += fmt::format("<circle cx=\"{:.1f}\" cy=\"{:.1f}\" r=\"1.8\" fill=\"{}\" fill-opacity=\"0.6\"/>", f.x(p.x), f.y(p.y), colour);
            }
        }
    }
    return wrap(640, 290, s);
}

std::string svgMoon(double illuminated, bool waxing, bool south) {
    const double t = 2 * illuminated - 1;
    const bool right = waxing != south;
    return fmt::format("<svg viewBox=\"-10 -10 20 20\" width=\"18\" height=\"18\" xmlns=\"http://www.w3.org/2000/svg\" style=\"vertical-align:-4px\"><circle "
                       "r=\"9\" fill=\"#555\"/><path d=\"M0 -9 A9 9 0 0 {} 0 9 A{:.2f} 9 0 0 {} 0 -9Z\" fill=\"#eee\"/></svg>",
                       right ? 1 : 0, 9 * std::abs(t), (t > 0) == right ? 1 : 0);
}

} // namespace caelumen

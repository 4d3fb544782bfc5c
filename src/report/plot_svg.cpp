#include "report/plot.h"
#include "report/svg_plots.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

constexpr double kWidth = 640, kHeight = 290, kLeft = 60, kTop = 14, kBottom = 250, kNames = 190;

std::vector<double> ticksBetween(double low, double high) {
    const double raw = (high - low) / 5, power = std::pow(10, std::floor(std::log10(raw)));
    double step = 10 * power;
    for (const double m : {5.0, 2.0, 1.0})
        if (raw <= m * power) step = m * power;
    std::vector<double> out;
    for (double v = std::ceil(low / step) * step; v <= high + 1e-9 * step; v += step) out.push_back(std::abs(v) < 1e-9 * step ? 0 : v);
    return out;
}

std::vector<double> logarithmicTicks(double low, double high) {
    std::vector<double> out;
    for (int power = static_cast<int>(std::floor(std::log10(low))); power <= static_cast<int>(std::ceil(std::log10(high))); ++power)
        for (const double m : {1.0, 2.0, 5.0})
            if (const double v = m * std::pow(10, power); v >= low && v <= high) out.push_back(v);
    return out;
}

class Drawing {
public:
    explicit Drawing(const Plot& plot)
        : m_plot(plot)
        , m_right(std::any_of(plot.series.begin(), plot.series.end(), [](const Plot::Series& s) { return !s.name.isEmpty(); }) ? kWidth - kNames
                                                                                                                               : kWidth - 20) {}

    std::string svg() {
        axes();
        for (const Plot::Series& s : m_plot.series) series(s);
        for (const Plot::Mark& m : m_plot.marks)
            if (m.x >= m_plot.low.x() && m.x <= m_plot.high.x())
                m_svg += fmt::format("<line x1=\"{0:.1f}\" x2=\"{0:.1f}\" y1=\"{1}\" y2=\"{2}\" stroke=\"{3}\"{4}/>", x(m.x), kTop, kBottom, name(m.colour),
                                     dashes(m.pen));
        names();
        return fmt::format("<svg viewBox=\"0 0 {0} {1}\" width=\"{0}\" xmlns=\"http://www.w3.org/2000/svg\" font-size=\"11\" font-family=\"Inter, "
                           "sans-serif\" role=\"img\"><title>{2}</title>{3}</svg>",
                           kWidth, kHeight, escaped(m_plot.title.toStdString()), m_svg);
    }

private:
    static std::string name(const QColor& colour) { return colour.name().toStdString(); }
    static const char* dashes(Qt::PenStyle pen) {
        return pen == Qt::DashLine ? " stroke-dasharray=\"4 3\"" : pen == Qt::DotLine ? " stroke-dasharray=\"1 3\"" : "";
    }
    double x(double v) const { return kLeft + (v - m_plot.low.x()) / (m_plot.high.x() - m_plot.low.x()) * (m_right - kLeft); }
    double y(double v) const {
        const auto scaled = [&](double value) { return m_plot.logarithmic ? std::log10(std::max(value, 1e-300)) : value; };
        const double low = scaled(m_plot.low.y()), high = scaled(m_plot.high.y());
        return std::clamp(kBottom - (scaled(v) - low) / (high - low) * (kBottom - kTop), kTop, kBottom);
    }
    bool shows(const QPointF& p) const { return p.x() >= m_plot.low.x() && p.x() <= m_plot.high.x() && p.y() >= m_plot.low.y() && p.y() <= m_plot.high.y(); }

    void axes() {
        m_svg +=
            fmt::format("<rect x=\"{}\" y=\"{}\" width=\"{}\" height=\"{}\" fill=\"none\" stroke=\"#999\"/>", kLeft, kTop, m_right - kLeft, kBottom - kTop);
        for (const double v : ticksBetween(m_plot.low.x(), m_plot.high.x()))
            m_svg += fmt::format("<line x1=\"{0:.1f}\" x2=\"{0:.1f}\" y1=\"{1}\" y2=\"{2}\" stroke=\"#ddd\"/><text x=\"{0:.1f}\" y=\"{3}\" "
                                 "text-anchor=\"middle\">{4:g}</text>",
                                 x(v), kTop, kBottom, kBottom + 15, v);
        for (const double v : m_plot.logarithmic ? logarithmicTicks(m_plot.low.y(), m_plot.high.y()) : ticksBetween(m_plot.low.y(), m_plot.high.y()))
            m_svg += fmt::format(
                "<line y1=\"{0:.1f}\" y2=\"{0:.1f}\" x1=\"{1}\" x2=\"{2}\" stroke=\"#ddd\"/><text x=\"{3}\" y=\"{4:.1f}\" text-anchor=\"end\">{5:g}</text>",
                y(v), kLeft, m_right, kLeft - 6, y(v) + 4, v);
        m_svg += fmt::format(
            "<text x=\"{}\" y=\"{}\" text-anchor=\"middle\">{}</text><text transform=\"translate(14 {}) rotate(-90)\" text-anchor=\"middle\">{}</text>",
            (kLeft + m_right) / 2, kBottom + 33, escaped(m_plot.xLabel.toStdString()), (kTop + kBottom) / 2, escaped(m_plot.yLabel.toStdString()));
    }

    void series(const Plot::Series& s) {
        std::string band, line;
        for (std::size_t i = 0; i < s.band.size(); ++i) band += fmt::format("{:.1f},{:.1f} ", x(s.points[i].x()), y(s.band[i].y()));
        for (std::size_t i = s.band.size(); i-- > 0;) band += fmt::format("{:.1f},{:.1f} ", x(s.points[i].x()), y(s.band[i].x()));
        if (!band.empty()) m_svg += fmt::format("<polygon points=\"{}\" fill=\"{}\" fill-opacity=\"0.15\"/>", band, name(s.colour));
        for (const QPointF& p : s.points)
            if (s.width > 0) line += fmt::format("{:.1f},{:.1f} ", x(p.x()), y(p.y()));
        if (!line.empty())
            m_svg += fmt::format("<polyline points=\"{}\" fill=\"none\" stroke=\"{}\" stroke-width=\"{}\"{}/>", line, name(s.colour), s.width, dashes(s.pen));
        for (const QPointF& p : s.points)
            if (s.dot > 0 && shows(p))
                m_svg += fmt::format("<circle cx=\"{:.1f}\" cy=\"{:.1f}\" r=\"{}\" fill=\"{}\" fill-opacity=\"0.6\"/>", x(p.x()), y(p.y()), s.dot / 2,
                                     name(s.colour));
    }

    /// From above; where lines end close together their names make room for each other.
    void names() {
        std::vector<const Plot::Series*> named;
        for (const Plot::Series& s : m_plot.series)
            if (!s.name.isEmpty() && !s.points.empty()) named.push_back(&s);
        std::sort(named.begin(), named.end(), [](const Plot::Series* a, const Plot::Series* b) { return a->points.back().y() > b->points.back().y(); });
        double label = 0;
        for (const Plot::Series* s : named) {
            const double at = y(s->points.back().y());
            label = std::max(label + 16, at);
            if (s->style) m_svg += svgMarker(*s->style, m_right, at, 5);
            m_svg += fmt::format("<text x=\"{}\" y=\"{:.1f}\">{}</text>", m_right + 12, label + 4, escaped(s->name.toStdString()));
        }
    }

    const Plot& m_plot;
    double m_right;
    std::string m_svg;
};

} // namespace

std::string plotSvg(const Plot& plot) {
    return plot.empty() ? std::string() : Drawing(plot).svg();
}

} // namespace caelumen

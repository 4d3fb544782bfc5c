#include "app/kit/passband_plot.h"

#include "app/widgets/plot_style.h"
#include "app/widgets/theme.h"
#include "core/optics/spectra.h"

#include <QVBoxLayout>
#include <qcustomplot.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace caelumen {
namespace {

struct LineTag {
    double nm;
    const char* text;
    Qt::AlignmentFlag side; ///< neighbours lean away from each other
};
constexpr std::array kTags{LineTag{kHbeta_nm, "H\u03B2", Qt::AlignRight}, LineTag{kOIIIb_nm, "O III", Qt::AlignLeft},
                           LineTag{kHalpha_nm, "H\u03B1", Qt::AlignRight}, LineTag{kSIIa_nm, "S II", Qt::AlignLeft}};
constexpr std::array kTicks{kHbeta_nm, kOIIIb_nm, kOIII_nm, kNIIa_nm, kHalpha_nm, kNIIb_nm, kSIIa_nm, kSIIb_nm};

std::array<double, 40> ratios() {
    std::array<double, 40> out{};
    for (std::size_t i = 0; i < out.size(); ++i) out[i] = 1.4 * std::pow(12 / 1.4, static_cast<double>(i) / (out.size() - 1.0));
    return out;
}

QVector<double> values(const std::vector<double>& v, double scale = 1) {
    QVector<double> out(static_cast<int>(v.size()));
    std::transform(v.begin(), v.end(), out.begin(), [scale](double x) { return scale * x; });
    return out;
}

QCPGraph* draw(QCustomPlot& plot, const Curve& c, const QPen& pen) {
    QCPGraph* graph = plot.addGraph();
    graph->setData(values(c.wavelength_nm), values(c.transmission, 100), true);
    graph->setPen(pen);
    return graph;
}

} // namespace

PassbandPlot::PassbandPlot(QWidget* parent)
    : QWidget(parent)
    , m_plot(new QCustomPlot) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(m_plot);
    m_plot->setMinimumSize(320, 200);
    m_plot->setInteractions(QCP::iRangeDrag | QCP::iRangeZoom);
    m_plot->axisRect()->setRangeDrag(Qt::Horizontal);
    m_plot->axisRect()->setRangeZoom(Qt::Horizontal);
    m_plot->xAxis->setRange(400, 720);
    m_plot->setAccessibleName(tr("Transmission against wavelength"));
}

void PassbandPlot::showRange(double from_nm, double to_nm) {
    m_plot->xAxis->setRange(from_nm, to_nm);
    m_plot->replot(QCustomPlot::rpQueuedReplot);
}

void PassbandPlot::show(const Content& content) {
    const QCPRange range = m_plot->xAxis->range();
    m_plot->clearPlottables();
    m_plot->clearItems();
    stylePlot(*m_plot);
    const Theme& t = theme();
    m_plot->xAxis->setLabel(tr("wavelength (nm)"));
    m_plot->yAxis->setLabel(tr("transmission (%)"));
    m_plot->xAxis->ticker()->setTickCount(8);
    m_plot->xAxis->setRange(range);
    m_plot->yAxis->setRange(0, 112);

    if (content.sky) {
        Curve sky;
        double top = 0;
        for (double nm = 380; nm <= 1050; nm += 1) {
            sky.wavelength_nm.push_back(nm);
            sky.transmission.push_back(content.sky(nm));
            top = std::max(top, sky.transmission.back());
        }
        for (double& v : sky.transmission) v = 0.6 * std::sqrt(v / top); // its root, so that weak lamps show beside strong lines
        QColor ground = t.dim;
        ground.setAlpha(60);
        QCPGraph* g = draw(*m_plot, sky, Qt::NoPen);
        g->setBrush(ground);
    }
    if (content.camera) {
        int dash = 0;
        for (const CameraChannel& c : content.camera->channels) {
            Curve curve;
            for (double nm = 350; nm <= 1050; nm += 2) {
                curve.wavelength_nm.push_back(nm);
                curve.transmission.push_back(c.efficiency.at(nm));
            }
            constexpr std::array kDashes{Qt::DashLine, Qt::DashDotLine, Qt::DotLine};
            draw(*m_plot, curve, QPen(t.dim, 1, kDashes[static_cast<std::size_t>(dash++) % kDashes.size()]));
            const auto peak = std::max_element(curve.transmission.begin(), curve.transmission.end());
            auto* name = new QCPItemText(m_plot);
            name->position->setCoords(curve.wavelength_nm[static_cast<std::size_t>(peak - curve.transmission.begin())], 100 * *peak + 3);
            name->setText(QString::fromStdString(c.name));
            name->setColor(t.dim);
        }
    }
    for (const double nm : kTicks) {
        auto* mark = new QCPItemLine(m_plot);
        mark->start->setCoords(nm, 0);
        mark->end->setCoords(nm, 103);
        mark->setPen(QPen(t.line, 1));
    }
    for (const LineTag& tag : kTags) {
        auto* text = new QCPItemText(m_plot);
        text->position->setCoords(tag.nm, 107);
        text->setPositionAlignment(tag.side | Qt::AlignVCenter);
        text->setText(QString::fromUtf8(tag.text));
        text->setColor(t.text);
    }
    for (const Layer& other : content.others) draw(*m_plot, other.curve, QPen(other.colour, 1));
    if (!content.chosen.curve.empty()) {
        QColor fill = content.chosen.colour;
        fill.setAlpha(90);
        draw(*m_plot, content.effective, QPen(content.chosen.colour, 2))->setBrush(fill);
        draw(*m_plot, content.chosen.curve, QPen(t.text, 1, Qt::DotLine));
        if (!content.claimed.empty()) {
            QPen pen(t.accent, 1.2, Qt::CustomDashLine);
            pen.setDashPattern({8, 4});
            draw(*m_plot, content.claimed, pen);
        }
    }
    m_plot->replot(QCustomPlot::rpQueuedReplot);
}

RatioPlot::RatioPlot(QWidget* parent)
    : QWidget(parent)
    , m_plot(new QCustomPlot) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(m_plot);
    m_plot->setMinimumSize(320, 130);
    m_plot->setAccessibleName(tr("Transmission of each line against f-ratio"));
}

void RatioPlot::show(const Curve& curve, const LightCone& cone, const QColor& colour) {
    const auto all = ratios();
    // Only the marker moves with the slider: the lines depend on everything else.
    if (m_lines.empty() || curve.wavelength_nm != m_curve.wavelength_nm || curve.transmission != m_curve.transmission ||
        cone.obstruction != m_cone.obstruction || cone.effectiveIndex != m_cone.effectiveIndex || cone.tilt_deg != m_cone.tilt_deg) {
        m_curve = curve;
        m_lines.assign(kLines.size(), {});
        for (const double n : all) {
            LightCone at = cone;
            at.fRatio = n;
            const ConeShift shift(at);
            for (std::size_t k = 0; k < kLines.size(); ++k) {
                double sum = 0;
                const auto wavelengths = lineWavelengths(kLines[k]);
                for (const double nm : wavelengths) sum += curve.empty() ? 0 : shift.transmission(curve, nm);
                m_lines[k].push_back(100 * sum / static_cast<double>(wavelengths.size()));
            }
        }
    }
    m_cone = cone;
    m_plot->clearPlottables();
    m_plot->clearItems();
    stylePlot(*m_plot);
    const Theme& t = theme();
    m_plot->xAxis->setLabel(tr("f-ratio of the cone"));
    m_plot->yAxis->setLabel(tr("at the line (%)"));
    m_plot->xAxis->setScaleType(QCPAxis::stLogarithmic);
    QSharedPointer<QCPAxisTickerText> ticks(new QCPAxisTickerText);
    for (const double n : {1.4, 2.0, 2.8, 4.0, 5.6, 8.0, 11.0}) ticks->addTick(n, QString("f/%1").arg(n));
    m_plot->xAxis->setTicker(ticks);
    m_plot->xAxis->setRange(1.24, 12);
    m_plot->yAxis->setRange(0, 105);
    m_plot->yAxis->ticker()->setTickCount(4);
    constexpr std::array kPens{Qt::DotLine, Qt::DashLine, Qt::SolidLine, Qt::DashDotDotLine, Qt::DashDotLine};
    std::vector<std::pair<double, std::size_t>> labels; ///< at the fast end, where the lines part
    for (std::size_t k = 0; k < kLines.size(); ++k) {
        if (m_lines[k].empty() || *std::max_element(m_lines[k].begin(), m_lines[k].end()) < 3) continue; // the filter has nothing there
        QCPGraph* graph = m_plot->addGraph();
        graph->setData(QVector<double>(all.begin(), all.end()), values(m_lines[k]), true);
        graph->setPen(QPen(colour, 1.6, kPens[k]));
        labels.emplace_back(m_lines[k].front(), k);
    }
    std::sort(labels.begin(), labels.end());
    constexpr double kHeight = 13; // of a label
    for (std::size_t i = 1; i < labels.size(); ++i) labels[i].first = std::max(labels[i].first, labels[i - 1].first + kHeight);
    double cap = 99;
    for (auto label = labels.rbegin(); label != labels.rend(); ++label, cap -= kHeight) label->first = cap = std::min(label->first, cap);
    for (const auto& [place, k] : labels) {
        auto* name = new QCPItemText(m_plot);
        name->position->setCoords(1.38, place);
        name->setPositionAlignment(Qt::AlignRight | Qt::AlignVCenter);
        name->setText(QString::fromUtf8(std::array{"H\u03B2", "O III", "H\u03B1", "N II", "S II"}[k]));
        name->setColor(t.text);
        name->setClipToAxisRect(true);
    }
    auto* marker = new QCPItemLine(m_plot);
    marker->start->setCoords(cone.fRatio, 0);
    marker->end->setCoords(cone.fRatio, 105);
    marker->setPen(QPen(t.accent, 1));
    m_plot->replot(QCustomPlot::rpQueuedReplot);
}

} // namespace caelumen

#pragma once

#include "core/optics/camera.h"
#include "core/optics/passband_report.h"
#include "core/optics/spectra.h"

#include <QColor>
#include <QWidget>

class QCustomPlot;

namespace caelumen {

/// A curve drawn over what shines and what sees: the sky's lamps as ground, emission lines, the camera's channels, other filters thin.
class PassbandPlot : public QWidget {
    Q_OBJECT

public:
    struct Layer {
        QString name;
        QColor colour;
        Curve curve;
    };
    struct Content {
        Layer chosen;              ///< as it is in parallel light
        Curve effective;           ///< as the cone sees it
        Curve claimed;             ///< the maker's own; empty: none
        std::vector<Layer> others; ///< in the cone
        const Camera* camera = nullptr;
        Spectrum sky; ///< drawn as ground, scaled to its highest point
    };

    explicit PassbandPlot(QWidget* parent = nullptr);
    void show(const Content& content);
    void showRange(double from_nm, double to_nm);
    QCustomPlot* plot() const { return m_plot; }

private:
    QCustomPlot* m_plot;
};

/// Transmission of each line against the f-ratio of the cone.
class RatioPlot : public QWidget {
    Q_OBJECT

public:
    explicit RatioPlot(QWidget* parent = nullptr);
    void show(const Curve& curve, const LightCone& cone, const QColor& colour);
    QCustomPlot* plot() const { return m_plot; }

private:
    QCustomPlot* m_plot;
    Curve m_curve;
    LightCone m_cone;
    std::vector<std::vector<double>> m_lines; ///< by line
};

} // namespace caelumen

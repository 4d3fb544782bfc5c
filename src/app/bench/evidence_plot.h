#pragma once

#include "core/model/results.h"

#include <QVector>
#include <QWidget>

#include <vector>

class QCPGraph;
class QCustomPlot;
class QLabel;

namespace caelumen {

/// The plot a figure was read from, drawn with QCustomPlot: sky histogram, SNR against time, halo profile, colour diagram, gradient residuals.
class EvidencePlot : public QWidget {
    Q_OBJECT

public:
    explicit EvidencePlot(QWidget* parent = nullptr);
    void show(const QString& score, const Trial& trial, const TrialResults* results, const QString& run, const QString& region);
    void clear(const QString& why);
    QString csv() const; ///< what is plotted, as a table
    QCustomPlot* plot() const { return m_plot; }

private:
    void background(const Trial& trial, const TrialResults& r, const QString& run);
    void nebula(const Trial& trial, const TrialResults& r, const QString& region);
    void halo(const Trial& trial, const TrialResults& r, const QString& run, const QString& region);
    void colour(const Trial& trial, const TrialResults& r, const QString& run);
    void gradient(const Trial& trial, const TrialResults& r, const QString& run);
    QColor colourOf(const Trial& trial, const TrialResults& r, const std::string& run) const;

    /// What a graph shows, whole; what is drawn of it is what lies near the plot.
    struct Series {
        QCPGraph* graph = nullptr;
        QVector<double> key, value;
    };
    void drawNear();

    std::vector<Series> m_series;
    QLabel* m_title;
    QLabel* m_text;
    QCustomPlot* m_plot;
};

} // namespace caelumen

#pragma once

#include "core/picture/stretch.h"
#include "report/filter_style.h"

#include <QWidget>

#include <vector>

namespace caelumen {

/// How much of each frame has which light, on the scale of the automatic stretch, with the points that become black, middle grey and white. They are dragged,
/// or moved by Left and Right once Tab or a click has chosen one.
class HistogramStrip : public QWidget {
    Q_OBJECT

public:
    struct Line {
        QString run;
        FilterStyle style;
        std::vector<double> parts; ///< of the frame, from the left edge of the scale to the right
    };
    static constexpr int kBins = 240;

    explicit HistogramStrip(QWidget* parent = nullptr);
    /// `automatic` gives the scale, `now` the points; not movable where each frame has points of its own.
    void show(std::vector<Line> lines, const Stretch& automatic, const Stretch& now, bool movable);
    void setCurrent(const QString& run);
    const Stretch& stretch() const { return m_now; }
    QPointF pointAt(int which) const; ///< 0 black, 1 middle, 2 white
    QSize sizeHint() const override { return {400, 72}; }

    /// The parts of a picture for a line.
    static std::vector<double> partsOf(const Seen& seen, const Stretch& automatic);

signals:
    void dragged(const caelumen::Stretch& stretch);
    void resetAsked();

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

private:
    double rateOf(int which) const;
    double xOf(double rate) const;
    double rateAtX(double x) const;
    void moveTo(int which, double rate);
    QRectF plot() const;

    std::vector<Line> m_lines;
    QString m_current;
    Stretch m_automatic, m_now;
    bool m_movable = false;
    int m_chosen = 1, m_drag = -1;
};

} // namespace caelumen

#pragma once

#include "core/grid/contour.h"
#include "core/grid/grid.h"

#include <QWidget>

class QPainter;

namespace caelumen {

/// One filter under all skies at once: brightness of the sky across, lit part of the moon up, lines of equal value. A click chooses the moon.
class MoonMap : public QWidget {
    Q_OBJECT

public:
    struct Content {
        ValueGrid lattice;
        QString title;
        GridQuantity quantity = GridQuantity::TimeRatio;
        std::vector<std::pair<QPointF, bool>> runs; ///< where the filter was measured: mag and lit part; whether the moon was where it is asked for
        std::optional<GridMoon> moon;
    };
    explicit MoonMap(QWidget* parent = nullptr);
    void show(Content content);
    static std::vector<double> levels(const ValueGrid& lattice); ///< round numbers between its least and its most
    QRectF body() const;

signals:
    void moonChosen(double illuminated); ///< 0: none

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;

private:
    double xOf(double mag) const;
    double yOf(double illuminated) const;
    void drawTitle(QPainter& p) const;
    void drawTones(QPainter& p) const; ///< the value by depth of colour
    void drawLines(QPainter& p) const; ///< of equal value, written where they have room

    Content m_content;
};

} // namespace caelumen

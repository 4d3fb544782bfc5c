#pragma once

#include "core/prepare/verdict.h"

#include <QWidget>

#include <functional>
#include <optional>

class QPainter;

namespace caelumen {

/// One quantity of the subs over the night, kept ones filled, rejected ones crossed, with the limit that counts for it; beneath it the moon's altitude.
class SubChart : public QWidget {
    Q_OBJECT

public:
    enum class Quantity { Sky, Transparency, Fwhm, Eccentricity, Tilt, Stars, Gradient };
    static QString nameOf(Quantity quantity);

    explicit SubChart(QWidget* parent = nullptr);

    struct Content {
        const JudgedRun* run = nullptr;
        Quantity quantity = Quantity::Sky;
        CullLimits limits;
        std::optional<double> gain = {}; ///< e-/ADU
        int current = -1;
        QColor colour;
        std::function<QString(const std::string& iso)> clock; ///< by the place's clock
    };
    void show(const Content& content);
    std::optional<double> valueOf(const JudgedSub& sub) const;
    QPointF placeOf(int sub) const; ///< on the widget, for whoever points at it
    QString text() const;           ///< the numbers, tab-separated

signals:
    void chosen(int sub);

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    bool event(QEvent* event) override;

private:
    struct Axes {
        QRectF plot, moon;
        double from = 0, to = 1, low = 0, high = 1;
        double x(double s) const { return plot.left() + (s - from) / (to - from) * plot.width(); }
        double y(double v) const { return plot.bottom() - (v - low) / (high - low) * plot.height(); }
    };
    Axes axes() const;
    void drawScale(QPainter& p, const Axes& a) const; ///< even values on the left, and the limit
    void drawMoon(QPainter& p, const Axes& a) const;  ///< its height below, 0 to 90 degrees
    void drawTimes(QPainter& p, const Axes& a) const;
    void drawSub(QPainter& p, const Axes& a, std::size_t sub) const;
    double secondOf(std::size_t sub) const; ///< since the first one; its number where no times are known
    std::optional<double> limit() const;
    int subAt(QPointF at) const;

    Content m_content;
    std::vector<double> m_seconds;
    bool m_timed = false;
};

} // namespace caelumen

#pragma once

#include "app/widgets/hand.h"

#include <QWidget>

#include <optional>

namespace caelumen {

class NightModel;
struct Theme;

/// The night as one picture: twilight, the moon's and the target's altitude over the place's horizon, the meridian, and the blocks, which a hand can move;
/// below, the foretold sky of each filter.
class NightChart : public QWidget {
    Q_OBJECT

public:
    explicit NightChart(NightModel& model, QWidget* parent = nullptr);

    QSize sizeHint() const override { return {720, 480}; }
    QRectF blockRect(int index) const; ///< in widget coordinates, for hands and tests
    double xOf(double second) const;
    double secondAt(double x) const;
    void paintOn(QPainter& painter, const QRectF& where, const Theme& theme) const; ///< on a page too

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    bool event(QEvent* event) override;

private:
    int blockAt(QPointF p) const;

    NightModel& m_model;
    int m_held = -1, m_chosen = -1;
    std::optional<Hand> m_hand;
    double m_grip = 0; ///< seconds from the block's start to the hand
};

} // namespace caelumen

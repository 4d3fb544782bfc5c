#pragma once

#include "app/widgets/picture_view.h"
#include "core/optics/chart.h"

#include <QImage>

#include <array>
#include <optional>

namespace caelumen {

/// What a person has set on a chart's picture: two marks on each axis and the points of the line.
struct ChartMarks {
    std::array<std::optional<ChartPoint>, 4> axes; ///< wavelength first and second, transmission first and second
    std::vector<ChartPoint> points;
    friend bool operator==(const ChartMarks&, const ChartMarks&) = default;
};

/// The picture of a chart, to be zoomed (wheel), moved (right or middle button) and clicked; marks and points can be dragged.
class ChartView : public PictureView {
    Q_OBJECT

public:
    explicit ChartView(QWidget* parent = nullptr);
    void setPicture(const QImage& picture);
    void setMarks(const ChartMarks& marks);
    QPointF toWidget(ChartPoint p) const;
    ChartPoint toPicture(QPointF p) const;

signals:
    void clicked(ChartPoint at);
    void hovered(ChartPoint at);
    void markMoved(int mark, ChartPoint to, bool dropped);
    void pointMoved(int point, ChartPoint to, bool dropped);
    void pointRemoved(int point);

private:
    enum class Grip { None, Mark, Point };
    QSizeF pictureSize() const override { return m_picture.size(); }
    QRectF roomAt(QPointF) const override;
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    std::pair<Grip, int> gripAt(QPointF p) const;

    QImage m_picture;
    ChartMarks m_marks;
    Grip m_grip = Grip::None;
    int m_held = -1, m_chosen = -1; ///< m_chosen: the point that Delete removes
    bool m_panning = false;
};

} // namespace caelumen

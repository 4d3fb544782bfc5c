#pragma once

#include <QImage>
#include <QWidget>

namespace caelumen {

/// One sub's pixels, one to one, dragged about by mouse; the place stays when the next sub is shown, and with it the stars: the picture is moved (and turned by
/// half a turn after a flip) as the sub lies on the reference.
class SubView : public QWidget {
    Q_OBJECT

public:
    explicit SubView(QWidget* parent = nullptr);

    /// `offset`: where the reference's middle lies from this picture's, picture pixels; `flipped`: turned by half a turn. A null image shows `sentence`.
    void show(const QImage& image, QPointF offset, bool flipped, const QString& sentence, const QString& caption, bool rejected);
    bool fits() const { return m_fit; }
    void setFits(bool fit);
    const QImage& image() const { return m_image; }
    QPointF centre() const { return m_centre; }

signals:
    void fitChanged(bool fit);

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;

private:
    QImage m_image;
    QPointF m_offset, m_centre, m_grip;
    QString m_sentence, m_caption;
    bool m_flipped = false, m_fit = false, m_rejected = false, m_held = false;
};

} // namespace caelumen

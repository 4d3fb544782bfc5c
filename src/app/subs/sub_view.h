#pragma once

#include "app/widgets/picture_view.h"

#include <QImage>

namespace caelumen {

/// One sub's pixels, one to one or as large as the wheel makes them, dragged about by mouse; the place stays when the next sub is shown, and with it the stars:
/// the picture is moved (and turned by half a turn after a flip) as the sub lies on the reference.
class SubView : public PictureView {
    Q_OBJECT

public:
    explicit SubView(QWidget* parent = nullptr);

    /// `offset`: where the reference's middle lies from this picture's, picture pixels; `flipped`: turned by half a turn. A null image shows `sentence`.
    void show(const QImage& image, QPointF offset, bool flipped, const QString& sentence, const QString& caption, bool rejected);
    bool fits() const { return m_whole; }
    void setFits(bool fit);
    const QImage& image() const { return m_image; }
    QPointF centre() const; ///< what lies in the view's middle, from the picture's middle

signals:
    void fitChanged(bool fit);

protected:
    QSizeF pictureSize() const override { return m_image.size(); }
    void placeMoved() override;
    void resizeEvent(QResizeEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;

private:
    void lookAt(QPointF centre);

    QImage m_image;
    QPointF m_offset, m_looked; ///< m_looked: the centre, when last looked at one to one
    QString m_sentence, m_caption;
    bool m_flipped = false, m_rejected = false, m_whole = false;
};

} // namespace caelumen

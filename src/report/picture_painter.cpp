#include "report/picture_painter.h"

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

constexpr int kTile = 256;

} // namespace

PicturePainter::PicturePainter(std::shared_ptr<const PicturePyramid> pyramid)
    : m_pyramid(std::move(pyramid))
    , m_tiles(96 << 20) {
    setAlignment({});
}

void PicturePainter::setAlignment(const Alignment& a) {
    const Alignment::Affine m = a.backward();
    m_toBaseline = QTransform(m.xx, m.yx, m.xy, m.yy, m.dx, m.dy);
}

void PicturePainter::setStretch(const Stretch& stretch, PictureTint tint) {
    m_stretch = stretch;
    m_stretched = true;
    m_tableCurrent = false;
    m_tint = tint;
    m_tiles.clear();
}

QImage* PicturePainter::tile(int level, int tx, int ty) {
    const quint64 key = static_cast<quint64>(level) << 48 | static_cast<quint64>(tx) << 24 | static_cast<quint64>(ty);
    if (QImage* ready = m_tiles.object(key)) return ready;
    const auto& l = m_pyramid->levels()[static_cast<std::size_t>(level)];
    const int x0 = tx * kTile, y0 = ty * kTile;
    // One pixel more to the right and below: neighbours overlap and no seam shows.
    const int w = std::min(kTile + 1, l.width - x0), h = std::min(kTile + 1, l.height - y0);
    auto* image = new QImage(w, h, QImage::Format_RGB32);
    renderTile(*m_pyramid, m_table, m_tint, level, x0, y0, w, h, reinterpret_cast<std::uint32_t*>(image->bits()),
               static_cast<std::size_t>(image->bytesPerLine()) / 4);
    if (!m_tiles.insert(key, image, static_cast<int>(image->sizeInBytes()))) return nullptr;
    return m_tiles.object(key);
}

void PicturePainter::paint(QPainter& painter, const QTransform& view, const QRectF& clip) {
    if (!m_stretched) return;
    if (!m_tableCurrent) m_table = stretchTable(*m_pyramid, m_stretch);
    m_tableCurrent = true;
    const QTransform runToView = m_toBaseline * view;
    const double zoom = std::sqrt(std::abs(runToView.determinant())) * m_pyramid->pitch(); // painter pixels per level-0 pixel
    int level = 0;
    while (level + 1 < static_cast<int>(m_pyramid->levels().size()) && zoom * std::pow(2, level + 1) <= 1.0001) ++level;
    const double per = std::pow(2, level) * m_pyramid->pitch(); // stored pixels per pixel of this level
    const double shift = 0.5 * (per - 1) - 0.5 * per;           // an image's pixel covers [i, i+1), a stored pixel's centre is at an integer
    const QTransform levelToView = QTransform(per, 0, 0, per, shift, shift) * runToView;
    bool invertible = false;
    const QRectF seen = levelToView.inverted(&invertible).mapRect(clip);
    if (!invertible) return;
    const auto& l = m_pyramid->levels()[static_cast<std::size_t>(level)];
    const int tx0 = std::max(0, static_cast<int>(std::floor(seen.left() / kTile))), ty0 = std::max(0, static_cast<int>(std::floor(seen.top() / kTile)));
    const int tx1 = std::min((l.width - 1) / kTile, static_cast<int>(std::floor(seen.right() / kTile))),
              ty1 = std::min((l.height - 1) / kTile, static_cast<int>(std::floor(seen.bottom() / kTile)));
    painter.save();
    painter.setClipRect(clip, Qt::IntersectClip);
    painter.setTransform(levelToView, true);
    // Magnified pixels stay pixels; everything else is smoothed.
    painter.setRenderHint(QPainter::SmoothPixmapTransform, zoom < 2.5);
    for (int ty = ty0; ty <= ty1; ++ty)
        for (int tx = tx0; tx <= tx1; ++tx)
            if (const QImage* image = tile(level, tx, ty)) painter.drawImage(QPointF(tx * kTile, ty * kTile), *image);
    painter.restore();
}

QImage renderPicture(const std::shared_ptr<const PicturePyramid>& pyramid, const Alignment& alignment, const Stretch& stretch, QSize frame, int width) {
    const double zoom = static_cast<double>(width) / frame.width();
    QImage image(width, static_cast<int>(std::lround(frame.height() * zoom)), QImage::Format_RGB32);
    image.fill(Qt::black);
    QPainter painter(&image);
    PicturePainter picture(pyramid);
    picture.setAlignment(alignment);
    picture.setStretch(stretch, PictureTint::Natural);
    picture.paint(painter, QTransform(zoom, 0, 0, zoom, 0.5 * zoom, 0.5 * zoom), QRectF(image.rect()));
    return image;
}

} // namespace caelumen

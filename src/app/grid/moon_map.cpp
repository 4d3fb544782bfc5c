#include "app/grid/moon_map.h"

#include "app/grid/sky_grid_model.h"
#include "app/widgets/theme.h"
#include "report/local_number.h"

#include <QImage>
#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>

namespace caelumen {

MoonMap::MoonMap(QWidget* parent)
    : QWidget(parent) {
    setMinimumSize(320, 220);
    setAccessibleName(tr("One filter by brightness of the sky and moon"));
}

void MoonMap::show(Content content) {
    m_content = std::move(content);
    update();
}

std::vector<double> MoonMap::levels(const ValueGrid& l) {
    double low = 1e300, high = -1e300;
    for (const double v : l.values)
        if (std::isfinite(v)) low = std::min(low, v), high = std::max(high, v);
    std::vector<double> out;
    if (!(high > low)) return out;
    if (low > 0 && high / low > 3) {
        for (double decade = std::pow(10, std::floor(std::log10(low))); decade <= high; decade *= 10)
            for (const double step : {1.0, 1.5, 2.0, 3.0, 5.0, 7.0})
                if (const double v = decade * step; v > low && v < high) out.push_back(v);
    } else {
        const double rough = (high - low) / 6, decade = std::pow(10, std::floor(std::log10(rough)));
        const double step = decade * (rough / decade < 1.5 ? 1 : rough / decade < 3.5 ? 2 : 5);
        for (double v = step * std::ceil(low / step); v < high; v += step)
            if (v > low) out.push_back(v);
    }
    return out;
}

QRectF MoonMap::body() const {
    const double font = fontInfo().pixelSize();
    return QRectF(rect()).adjusted(5.5 * font, 2.6 * font, -1.5 * font, -4.2 * font);
}

void MoonMap::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.fillRect(rect(), t.plot);
    const double font = fontInfo().pixelSize();
    const QRectF b = body();
    drawTitle(p);
    if (m_content.lattice.values.empty()) {
        p.setPen(t.dim);
        p.drawText(b, Qt::AlignCenter | Qt::TextWordWrap, tr("Nothing is known of this filter here."));
        return;
    }
    drawTones(p);
    drawLines(p);
    p.setPen(QPen(t.line, 1));
    p.setBrush(Qt::NoBrush);
    p.drawRect(b);
    if (m_content.moon) {
        p.setPen(QPen(t.warn, 1, Qt::DashLine));
        p.drawLine(QPointF(b.left(), yOf(m_content.moon->illuminated)), QPointF(b.right(), yOf(m_content.moon->illuminated)));
    }
    for (const auto& [at, same] : m_content.runs) {
        p.setPen(QPen(t.text, 1.5));
        p.setBrush(same ? QBrush(t.text) : QBrush(t.plot));
        p.drawEllipse(QPointF(xOf(at.x()), yOf(at.y())), 4.5, 4.5);
    }
    p.setBrush(Qt::NoBrush);
    p.setPen(t.dim);
    for (int bortle = 3; bortle <= 9; ++bortle) { // 1 and 2 lie next to one another
        const double at = xOf(bortleBrightness(bortle));
        p.drawLine(QPointF(at, b.bottom()), QPointF(at, b.bottom() + 4));
        p.drawText(QRectF(at - 20, b.bottom() + 5, 40, 1.3 * font), Qt::AlignCenter, QString::number(bortle));
    }
    p.drawText(QRectF(b.left(), b.bottom() + 5 + 1.3 * font, b.width(), 1.5 * font), Qt::AlignCenter, tr("class of sky (darker to brighter)"));
    for (const double lit : {0.0, 0.25, 0.5, 0.75, 1.0})
        p.drawText(QRectF(0, yOf(lit) - 0.7 * font, b.left() - 6, 1.4 * font), Qt::AlignRight | Qt::AlignVCenter,
                   lit == 0 ? tr("no moon") : QString("%1 %").arg(100 * lit));
}

double MoonMap::xOf(double mag) const {
    const QRectF b = body();
    return b.left() + (SkyGridModel::kDarkest - mag) / (SkyGridModel::kDarkest - SkyGridModel::kBrightest) * b.width();
}

double MoonMap::yOf(double lit) const {
    const QRectF b = body();
    return b.bottom() - lit * b.height();
}

void MoonMap::drawTitle(QPainter& p) const {
    const double font = fontInfo().pixelSize();
    const QRectF b = body();
    p.setPen(theme().text);
    QFont bold = p.font();
    bold.setBold(true);
    p.setFont(bold);
    p.drawText(QRectF(b.left(), 4, b.width(), 1.8 * font), Qt::AlignLeft | Qt::AlignVCenter,
               QFontMetricsF(bold).elidedText(m_content.title, Qt::ElideRight, b.width()));
    bold.setBold(false);
    p.setFont(bold);
}

void MoonMap::drawTones(QPainter& p) const {
    const ValueGrid& l = m_content.lattice;
    double low = 1e300, high = -1e300;
    for (const double v : l.values)
        if (std::isfinite(v)) low = std::min(low, v), high = std::max(high, v);
    QImage tones(static_cast<int>(l.columns), static_cast<int>(l.rows), QImage::Format_ARGB32_Premultiplied);
    tones.fill(Qt::transparent);
    for (std::size_t r = 0; r < l.rows; ++r)
        for (std::size_t c = 0; c < l.columns; ++c) {
            const double v = l.at(c, r);
            if (!std::isfinite(v) || !(high > low)) continue;
            const double part = low > 0 ? std::log(v / low) / std::log(high / low) : (v - low) / (high - low);
            QColor tone = theme().accent;
            tone.setAlphaF(static_cast<float>(0.06 + 0.5 * std::clamp(part, 0.0, 1.0)));
            tones.setPixelColor(static_cast<int>(c), static_cast<int>(l.rows - 1 - r), tone);
        }
    p.setRenderHint(QPainter::SmoothPixmapTransform);
    p.drawImage(body(), tones, QRectF(0.5, 0.5, static_cast<double>(l.columns - 1), static_cast<double>(l.rows - 1)));
}

void MoonMap::drawLines(QPainter& p) const {
    const Theme& t = theme();
    const ValueGrid& l = m_content.lattice;
    const QRectF b = body();
    const double dx = b.width() / static_cast<double>(l.columns - 1), dy = b.height() / static_cast<double>(l.rows - 1);
    const QFontMetricsF metrics(p.font());
    std::vector<QRectF> written;
    for (const double level : levels(l)) {
        const auto pieces = contour(l, level);
        p.setPen(QPen(t.text, level == 1 && m_content.quantity == GridQuantity::TimeRatio ? 2.4 : 1));
        const auto place = [&](const Point& q) { return QPointF(b.left() + q.x * dx, b.bottom() - q.y * dy); };
        for (const ContourPiece& c : pieces) p.drawLine(place(c.from), place(c.to));
        // Written where the line has room.
        for (std::size_t k = pieces.size() / 2; k < pieces.size(); ++k) {
            const QString text = localNumber(level, 'g', 3);
            QRectF box(0, 0, metrics.horizontalAdvance(text) + 6, metrics.height());
            box.moveCenter(place(pieces[k].from));
            if (!b.contains(box) || std::any_of(written.begin(), written.end(), [&](const QRectF& w) { return w.intersects(box.adjusted(-8, -3, 8, 3)); }))
                continue;
            written.push_back(box);
            p.fillRect(box, t.plot);
            p.drawText(box, Qt::AlignCenter, text);
            break;
        }
    }
}

void MoonMap::mousePressEvent(QMouseEvent* event) {
    const QRectF b = body();
    if (!b.adjusted(-4, -4, 4, 4).contains(event->position())) return;
    const double lit = std::clamp((b.bottom() - event->position().y()) / b.height(), 0.0, 1.0);
    emit moonChosen(lit < 0.05 ? 0 : std::round(20 * lit) / 20);
}

} // namespace caelumen

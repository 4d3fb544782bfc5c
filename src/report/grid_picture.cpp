#include "report/grid_picture.h"

#include "report/local_number.h"

#include <QBuffer>
#include <QCoreApplication>
#include <QFontMetricsF>
#include <QImage>
#include <QPainter>
#include <QSvgGenerator>

#include <algorithm>
#include <array>
#include <cmath>

namespace caelumen {
namespace {

QString tr(const char* text) {
    return QCoreApplication::translate("GridPicture", text);
}

QFont fontOf(double px, bool bold = false) {
    QFont f;
    f.setPixelSize(std::max(6, static_cast<int>(std::lround(px))));
    f.setBold(bold);
    return f;
}

QString columnTitle(const GridSky& s) {
    return s.bortle ? tr("class %1").arg(*s.bortle) : tr("mine");
}

double lightness(const QColor& c) {
    return 0.2126 * std::pow(c.redF(), 2.2) + 0.7152 * std::pow(c.greenF(), 2.2) + 0.0722 * std::pow(c.blueF(), 2.2);
}

QColor between(const QColor& a, const QColor& b, double part) {
    const auto mix = [k = static_cast<float>(part)](float x, float y) { return x + k * (y - x); };
    return QColor::fromRgbF(mix(a.redF(), b.redF()), mix(a.greenF(), b.greenF()), mix(a.blueF(), b.blueF()));
}

/// Whichever of two reads better on a ground.
QColor readable(const QColor& ground, const QColor& a, const QColor& b) {
    const auto contrast = [&](const QColor& c) {
        const double x = lightness(c) + 0.05, y = lightness(ground) + 0.05;
        return std::max(x, y) / std::min(x, y);
    };
    return contrast(a) >= contrast(b) ? a : b;
}

/// How strongly a cell is coloured, 0 to 1: by its value between the least and the most of the picture, better is stronger.
class Strength {
public:
    explicit Strength(const GridPicture& p)
        : m_logs(p.quantity != GridQuantity::HaloCleanMag)
        , m_lowIsGood(p.quantity == GridQuantity::Background || p.quantity == GridQuantity::Hours || p.quantity == GridQuantity::HaloCleanMag) {
        for (const GridCell& c : p.cells)
            if (c.origin != CellOrigin::Empty) m_low = std::min(m_low, of(c.value)), m_high = std::max(m_high, of(c.value));
    }
    double operator()(const GridCell& c) const {
        const double part = m_high > m_low ? (of(c.value) - m_low) / (m_high - m_low) : 0.5;
        return 0.15 + 0.7 * std::clamp(m_lowIsGood ? 1 - part : part, 0.0, 1.0);
    }

private:
    double of(double v) const { return m_logs ? std::log(std::max(1e-12, v)) : v; }
    bool m_logs, m_lowIsGood;
    double m_low = 1e300, m_high = -1e300;
};

/// Hatching by hand, cut by hand: brushes with patterns and clips do not survive in SVG.
void hatch(QPainter& p, const QRectF& r, const QColor& colour) {
    p.save();
    p.setPen(QPen(colour, 1.2, Qt::SolidLine, Qt::FlatCap));
    const double h = r.height();
    for (double x = r.left() - h + 3; x < r.right(); x += 6) {
        const double from = std::max(0.0, r.left() - x), to = std::min(h, r.right() - x);
        if (to > from) p.drawLine(QPointF(x + from, r.bottom() - from), QPointF(x + to, r.bottom() - to));
    }
    p.restore();
}

void paintCell(QPainter& p, const GridPicture& picture, const GridCell& c, const QRectF& r, const GridColours& colours, double strength, double font) {
    QColor ground = colours.ground;
    const QColor tone = between(colours.ground, colours.accent, strength);
    const QRectF inside = r.adjusted(1.5, 1.5, -1.5, -1.5);
    switch (c.origin) {
    case CellOrigin::Measured:
        p.fillRect(inside, tone);
        ground = tone;
        break;
    case CellOrigin::Scaled:
        hatch(p, inside, between(colours.ground, colours.accent, 0.3 + 0.5 * strength));
        p.setPen(QPen(between(colours.ground, colours.accent, 0.6), 1));
        p.drawRect(inside);
        break;
    case CellOrigin::Modelled:
        p.setPen(QPen(between(colours.ground, colours.accent, 0.3 + 0.6 * strength), 1.4, Qt::DashLine));
        p.drawRect(inside.adjusted(1, 1, -1, -1));
        break;
    case CellOrigin::Empty:
        p.setPen(colours.dim);
        p.setFont(fontOf(font));
        p.drawText(r, Qt::AlignCenter, QString::fromUtf8("\u2013"));
        return;
    }
    const QString text = cellText(c, picture.quantity);
    // Value above, its error below where both do not fit side by side.
    const qsizetype split = text.indexOf(QString::fromUtf8(" \u00B1"));
    double px = font;
    QFontMetricsF metrics(fontOf(px, true));
    const bool one = split < 0 || metrics.horizontalAdvance(text) < inside.width() - 8;
    const QString first = one ? text : text.left(split), second = one ? QString() : text.mid(split + 1);
    while (px > 7 && std::max(metrics.horizontalAdvance(first), metrics.horizontalAdvance(second)) > inside.width() - 6)
        px -= 0.5, metrics = QFontMetricsF(fontOf(px, true));
    if (c.origin == CellOrigin::Scaled) { // a clear ground under the numbers
        const double w = std::max(metrics.horizontalAdvance(first), metrics.horizontalAdvance(second)) + 6, h = metrics.height() * (one ? 1 : 2);
        p.fillRect(QRectF(inside.center() - QPointF(w / 2, h / 2), QSizeF(w, h)), colours.ground);
    }
    p.setPen(readable(ground, colours.text, colours.ground));
    p.setFont(fontOf(px, c.origin == CellOrigin::Measured));
    if (one) {
        p.drawText(inside, Qt::AlignCenter, first);
    } else {
        p.drawText(QRectF(inside.left(), inside.center().y() - metrics.height(), inside.width(), metrics.height()), Qt::AlignCenter, first);
        p.drawText(QRectF(inside.left(), inside.center().y(), inside.width(), metrics.height()), Qt::AlignCenter, second);
    }
}

/// A name on two lines where one is not enough; what does not fit even so is elided.
void paintWrapped(QPainter& p, const QRectF& place, Qt::Alignment alignment, const QString& text) {
    // Smaller where a single word would not fit.
    QFontMetricsF metrics(p.font());
    const QStringList words = text.split(' ');
    QFont font = p.font();
    const auto widest = [&] {
        double most = 0;
        for (const QString& word : words) most = std::max(most, metrics.horizontalAdvance(word));
        return most;
    };
    while (font.pixelSize() > 8 && widest() > place.width()) font.setPixelSize(font.pixelSize() - 1), metrics = QFontMetricsF(font);
    p.setFont(font);
    QStringList lines{QString()};
    for (const QString& word : words) {
        const QString longer = lines.back().isEmpty() ? word : lines.back() + ' ' + word;
        if (metrics.horizontalAdvance(longer) <= place.width() || lines.back().isEmpty())
            lines.back() = longer;
        else if (lines.size() < 2)
            lines << word;
        else
            lines.back() = longer; // elided below
    }
    for (QString& line : lines) line = metrics.elidedText(line, Qt::ElideRight, place.width());
    p.drawText(place, static_cast<int>(alignment), lines.join('\n'));
}

void paintKey(QPainter& p, const QRectF& place, const GridColours& colours, double font) {
    const std::array keys{std::pair{CellOrigin::Measured, tr("measured")}, std::pair{CellOrigin::Scaled, tr("scaled from a measurement")},
                          std::pair{CellOrigin::Modelled, tr("modelled from the curve")}};
    p.setFont(fontOf(font * 0.92));
    const QFontMetricsF metrics(p.font());
    double width = 0;
    for (const auto& [origin, text] : keys) width += 1.7 * font + 5 + metrics.horizontalAdvance(text) + 1.4 * font;
    double x = std::max(10.0, std::min(place.left(), place.right() - width + 1.4 * font)); // further left where it would be cut
    for (const auto& [origin, text] : keys) {
        const QRectF box(x, place.center().y() - font * 0.5, font * 1.7, font);
        if (origin == CellOrigin::Measured) p.fillRect(box, between(colours.ground, colours.accent, 0.6));
        if (origin == CellOrigin::Scaled) hatch(p, box, between(colours.ground, colours.accent, 0.6));
        p.setPen(QPen(between(colours.ground, colours.accent, 0.6), 1, origin == CellOrigin::Modelled ? Qt::DashLine : Qt::SolidLine));
        p.drawRect(box);
        p.setPen(colours.dim);
        p.drawText(QRectF(box.right() + 5, place.top(), 400, place.height()), Qt::AlignLeft | Qt::AlignVCenter, text);
        x = box.right() + 5 + metrics.horizontalAdvance(text) + font * 1.4;
    }
}

} // namespace

const GridCell* GridPicture::at(int row, int column) const {
    const auto index = static_cast<std::size_t>(row) * columns.size() + static_cast<std::size_t>(column);
    return row >= 0 && column >= 0 && static_cast<std::size_t>(column) < columns.size() && index < cells.size() ? &cells[index] : nullptr;
}

GridColours paperColours() {
    return {QColor(255, 255, 255), QColor(25, 25, 25), QColor(105, 105, 105), QColor(200, 200, 200), QColor(38, 102, 140), QColor(170, 80, 0)};
}

QString cellText(const GridCell& c, GridQuantity quantity) {
    if (c.origin == CellOrigin::Empty) return QString::fromUtf8("\u2013");
    return quantity == GridQuantity::TimeRatio && c.sigma == 0 && c.value == 1 ? QString("1") : withError(c.value, c.sigma);
}

QRectF GridLayout::cell(int row, int column) const {
    return {body.left() + column * columnWidth, body.top() + row * rowHeight, columnWidth, rowHeight};
}
QRectF GridLayout::label(int row) const {
    return {8, body.top() + row * rowHeight, body.left() - 14, rowHeight};
}
QRectF GridLayout::header(int column) const {
    return {body.left() + column * columnWidth, body.top() - 4.7 * font, columnWidth, 4.6 * font};
}

QSizeF leastGridSize(const GridPicture& p, double font) {
    return {12 * font + 3.3 * font * static_cast<double>(p.columns.size()) + 10, 8.9 * font + 2.5 * font * static_cast<double>(p.rows.size()) + 8};
}

GridLayout layGrid(const GridPicture& p, const QSizeF& size, double font) {
    GridLayout out;
    out.font = font;
    const QFontMetricsF metrics(fontOf(font));
    double names = 8 * font;
    for (const auto& row : p.rows) names = std::max(names, metrics.horizontalAdvance(row.name) + 2.4 * font);
    names = std::min(names, 0.24 * size.width());
    const double top = 6.9 * font, bottom = 2.0 * font;
    const double rows = std::max<double>(1, static_cast<double>(p.rows.size())), columns = std::max<double>(1, static_cast<double>(p.columns.size()));
    out.rowHeight = std::clamp((size.height() - top - bottom) / rows, 2.5 * font, 6.5 * font);
    out.columnWidth = std::min((size.width() - names - 20) / columns, 11 * font);
    out.body = {names + 12, top, out.columnWidth * columns, out.rowHeight * rows};
    return out;
}

void paintGrid(QPainter& p, const GridPicture& picture, const GridLayout& lay, const GridColours& colours, int selected) {
    const double font = lay.font;
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(colours.text);
    p.setFont(fontOf(font, true));
    p.drawText(QRectF(10, 2, lay.body.right() - 10, 2 * font), Qt::AlignLeft | Qt::AlignVCenter, picture.title);
    const Strength strength(picture);
    const bool narrow = QFontMetricsF(fontOf(font, true)).horizontalAdvance(tr("class %1").arg(9)) > lay.columnWidth - 6;
    if (narrow) { // said once, at the side
        p.setPen(colours.dim);
        p.setFont(fontOf(font));
        p.drawText(QRectF(10, lay.header(0).top(), lay.body.left() - 18, 1.3 * font), Qt::AlignRight | Qt::AlignVCenter, tr("class of sky"));
    }
    for (int c = 0; c < static_cast<int>(picture.columns.size()); ++c) {
        const auto at = static_cast<std::size_t>(c);
        const QRectF head = lay.header(c);
        p.setPen(colours.text);
        p.setFont(fontOf(font, true));
        p.drawText(QRectF(head.left(), head.top(), head.width(), 1.3 * font), Qt::AlignCenter,
                   narrow && picture.columns[at].bortle ? QString::number(*picture.columns[at].bortle) : columnTitle(picture.columns[at]));
        p.setPen(colours.dim);
        p.setFont(fontOf(0.88 * font));
        p.drawText(QRectF(head.left(), head.top() + 1.2 * font, head.width(), 1.1 * font), Qt::AlignCenter,
                   localNumber(picture.columns[at].zenith_mag, 'f', picture.columns[at].bortle ? 1 : 2));
        if (at < picture.places.size() && !picture.places[at].isEmpty())
            paintWrapped(p, QRectF(head.left() + 1, head.top() + 2.3 * font, head.width() - 2, 2.2 * font), Qt::AlignHCenter | Qt::AlignTop,
                         picture.places[at]);
    }
    for (int r = 0; r < static_cast<int>(picture.rows.size()); ++r) {
        const auto& row = picture.rows[static_cast<std::size_t>(r)];
        const QRectF label = lay.label(r);
        p.save();
        p.translate(label.left() + 0.6 * font, label.center().y());
        p.setPen(Qt::NoPen);
        p.setBrush(row.style.colour);
        p.drawPath(row.style.marker(0.42 * font));
        p.restore();
        p.setPen(colours.text);
        p.setFont(fontOf(font));
        paintWrapped(p, label.adjusted(1.6 * font, 0, 0, 0), Qt::AlignLeft | Qt::AlignVCenter, row.name);
        for (int c = 0; c < static_cast<int>(picture.columns.size()); ++c) {
            const GridCell* cell = picture.at(r, c);
            if (cell) paintCell(p, picture, *cell, lay.cell(r, c), colours, strength(*cell), font);
        }
    }
    if (picture.frontier >= 0) {
        const double x = lay.body.left() + picture.frontier * lay.columnWidth;
        p.setPen(QPen(colours.warn, 2.5));
        p.drawLine(QPointF(x, lay.body.top() - 3), QPointF(x, lay.body.bottom() + 3));
    }
    if (selected >= 0 && !picture.columns.empty()) {
        const int columns = static_cast<int>(picture.columns.size());
        p.setPen(QPen(colours.text, 2));
        p.setBrush(Qt::NoBrush);
        p.drawRect(lay.cell(selected / columns, selected % columns).adjusted(1, 1, -1, -1));
    }
    paintKey(p, QRectF(lay.body.left(), lay.body.bottom() + 0.4 * font, lay.body.width(), 1.5 * font), colours, font);
}

namespace {

constexpr double kFileFont = 14;
QSizeF fileSize(const GridPicture& p) {
    return leastGridSize(p, kFileFont) + QSizeF(60 + 22.0 * static_cast<double>(p.columns.size()), 10);
}

} // namespace

QByteArray gridSvg(const GridPicture& picture) {
    QByteArray bytes;
    QBuffer buffer(&bytes);
    const QSizeF size = fileSize(picture);
    QSvgGenerator svg;
    svg.setOutputDevice(&buffer);
    svg.setSize(size.toSize());
    svg.setViewBox(QRectF(QPointF(), size));
    svg.setTitle(picture.title.toHtmlEscaped()); // written as it comes
    QPainter painter(&svg);
    painter.fillRect(QRectF(QPointF(), size), Qt::white);
    paintGrid(painter, picture, layGrid(picture, size, kFileFont), paperColours());
    painter.end();
    return bytes;
}

QImage gridImage(const GridPicture& picture, double scale) {
    const QSizeF size = fileSize(picture);
    QImage image((size * scale).toSize(), QImage::Format_RGB32);
    image.fill(Qt::white);
    QPainter painter(&image);
    painter.scale(scale, scale);
    paintGrid(painter, picture, layGrid(picture, size, kFileFont), paperColours());
    return image;
}

} // namespace caelumen

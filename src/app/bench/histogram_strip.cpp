#include "app/bench/histogram_strip.h"

#include "app/widgets/theme.h"
#include "report/local_number.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <array>
#include <cmath>

namespace caelumen {
namespace {

/// The scale: asinh in units of the automatic softness, from a little below black to a little above white.
constexpr double kBelow = 0.12, kAbove = 1.08;

double place(const Stretch& automatic, double rate) {
    const double top = std::asinh((automatic.white - automatic.black) / automatic.soft);
    return (std::asinh((rate - automatic.black) / automatic.soft) / top + kBelow) / (kAbove + kBelow);
}

double rateOfPlace(const Stretch& automatic, double part) {
    const double top = std::asinh((automatic.white - automatic.black) / automatic.soft);
    return automatic.black + automatic.soft * std::sinh((part * (kAbove + kBelow) - kBelow) * top);
}

constexpr std::array kNames{QT_TRANSLATE_NOOP("caelumen::HistogramStrip", "black"), QT_TRANSLATE_NOOP("caelumen::HistogramStrip", "middle"),
                            QT_TRANSLATE_NOOP("caelumen::HistogramStrip", "white")};

} // namespace

HistogramStrip::HistogramStrip(QWidget* parent)
    : QWidget(parent) {
    setFocusPolicy(Qt::StrongFocus);
    setMinimumSize(180, 56);
    setMouseTracking(true);
    setAccessibleName(tr("Histogram of all frames"));
    setToolTip(tr("Drag the marks: what becomes black, middle grey and white. Double click: as it was. Figures do not change."));
}

std::vector<double> HistogramStrip::partsOf(const Seen& seen, const Stretch& automatic) {
    std::vector<double> parts(kBins, 0.0);
    const PicturePyramid& p = *seen.picture;
    const int level = static_cast<int>(p.levels().size()) - 1;
    const auto& l = p.levels().back();
    const int step = std::max(1, l.height / 100); // some 50 000 places are enough for a drawing
    double all = 0;
    const int channels = p.channels();
    for (int y = 0; y < l.height; y += step)
        for (int x = 0; x < l.width; ++x) {
            double sum = 0;
            bool there = true;
            for (int c = 0; c < channels; ++c) {
                const std::uint16_t code = p.row(level, c, y)[x];
                there = there && code != 0;
                const double rate = p.rate(c, code);
                if (channels == 1 || seen.inColour()) {
                    const double v = rate * (channels == 3 ? automatic.balance[static_cast<std::size_t>(c)] : 1);
                    if (code == 0) continue;
                    parts[static_cast<std::size_t>(std::clamp(static_cast<int>(place(automatic, v) * kBins), 0, kBins - 1))] += 1;
                    all += 1;
                } else {
                    sum += rate * seen.showing.weights[static_cast<std::size_t>(c)];
                }
            }
            if (channels == 1 || seen.inColour() || !there) continue;
            parts[static_cast<std::size_t>(std::clamp(static_cast<int>(place(automatic, sum) * kBins), 0, kBins - 1))] += 1;
            all += 1;
        }
    for (double& v : parts) v /= std::max(1.0, all);
    return parts;
}

void HistogramStrip::show(std::vector<Line> lines, const Stretch& automatic, const Stretch& now, bool movable) {
    m_lines = std::move(lines);
    m_automatic = automatic;
    m_now = now;
    m_movable = movable;
    update();
}

void HistogramStrip::setCurrent(const QString& run) {
    m_current = run;
    update();
}

QRectF HistogramStrip::plot() const {
    return QRectF(rect()).adjusted(8, 4, -8, -fontMetrics().height() - 4);
}

double HistogramStrip::rateOf(int which) const {
    return which == 0 ? m_now.black : which == 1 ? middleOf(m_now) : m_now.white;
}

double HistogramStrip::xOf(double rate) const {
    const QRectF r = plot();
    return r.left() + std::clamp(place(m_automatic, rate), 0.0, 1.0) * r.width();
}

double HistogramStrip::rateAtX(double x) const {
    const QRectF r = plot();
    return rateOfPlace(m_automatic, std::clamp((x - r.left()) / r.width(), 0.0, 1.0));
}

QPointF HistogramStrip::pointAt(int which) const {
    return {xOf(rateOf(which)), plot().bottom()};
}

void HistogramStrip::moveTo(int which, double rate) {
    Stretch s = m_now;
    const double least = 1e-3 * (m_automatic.white - m_automatic.black), part = (middleOf(s) - s.black) / (s.white - s.black);
    if (which == 0) s.black = std::min(rate, s.white - least);
    if (which == 2) s.white = std::max(rate, s.black + least);
    // The middle keeps its part of the way when the ends are moved.
    s = withMiddle(s, which == 1 ? std::clamp(rate, s.black + 1e-4 * (s.white - s.black), 0.5 * (s.black + s.white)) : s.black + part * (s.white - s.black));
    m_now = s;
    update();
    emit dragged(m_now);
}

void HistogramStrip::paintEvent(QPaintEvent*) {
    QPainter p(this);
    const Theme& t = theme();
    p.setRenderHint(QPainter::Antialiasing);
    const QRectF r = plot();
    p.fillRect(r, t.plot);
    double top = 1e-9;
    for (const Line& l : m_lines)
        for (std::size_t i = 1; i + 1 < l.parts.size(); ++i) top = std::max(top, l.parts[i]);
    for (const bool front : {false, true})
        for (const Line& l : m_lines) {
            if ((l.run == m_current) != front) continue;
            QPolygonF line;
            for (std::size_t i = 0; i < l.parts.size(); ++i)
                line << QPointF(r.left() + (static_cast<double>(i) + 0.5) / kBins * r.width(),
                                r.bottom() - std::sqrt(std::min(1.0, l.parts[i] / top)) * (r.height() - 3));
            p.setPen(QPen(l.style.colour, front ? 2 : 1.1));
            p.drawPolyline(line);
        }
    if (!m_movable) {
        p.setPen(t.dim);
        p.drawText(QRectF(r.left(), r.bottom() + 2, r.width(), fontMetrics().height()), Qt::AlignCenter, tr("each frame has black and white of its own"));
    }
    for (int i = 0; m_movable && i < 3; ++i) {
        const double x = xOf(rateOf(i));
        const bool chosen = hasFocus() && i == m_chosen;
        p.setPen(QPen(chosen ? t.accent : t.dim, chosen ? 2 : 1, Qt::DashLine));
        p.drawLine(QPointF(x, r.top()), QPointF(x, r.bottom()));
        p.setPen(QPen(t.window, 1));
        p.setBrush(chosen ? t.accent : t.text);
        p.drawPolygon(QPolygonF({{x, r.bottom() - 5}, {x - 6, r.bottom() + 5}, {x + 6, r.bottom() + 5}}));
        p.setPen(t.dim);
        const QString text = tr(kNames[static_cast<std::size_t>(i)]) + QString(" %1").arg(localNumber(rateOf(i), 'g', 3));
        const double w = fontMetrics().horizontalAdvance(text) + 6;
        p.drawText(QRectF(std::clamp(x - w / 2, r.left(), r.right() - w), r.bottom() + 5, w, fontMetrics().height()), Qt::AlignCenter, text);
    }
}

void HistogramStrip::mousePressEvent(QMouseEvent* event) {
    if (!m_movable || event->button() != Qt::LeftButton) return;
    double best = 14;
    for (int i = 0; i < 3; ++i)
        if (const double off = std::abs(event->position().x() - xOf(rateOf(i))); off < best) best = off, m_drag = i;
    if (m_drag >= 0) m_chosen = m_drag;
    update();
}

void HistogramStrip::mouseMoveEvent(QMouseEvent* event) {
    if (m_drag >= 0) moveTo(m_drag, rateAtX(event->position().x()));
}

void HistogramStrip::mouseReleaseEvent(QMouseEvent*) {
    m_drag = -1;
}

void HistogramStrip::mouseDoubleClickEvent(QMouseEvent*) {
    emit resetAsked();
}

void HistogramStrip::keyPressEvent(QKeyEvent* event) {
    const int way = event->key() == Qt::Key_Left ? -1 : event->key() == Qt::Key_Right ? 1 : 0;
    if (!m_movable || (way == 0 && event->key() != Qt::Key_Up && event->key() != Qt::Key_Down)) return QWidget::keyPressEvent(event);
    if (way == 0) { // another mark
        m_chosen = (m_chosen + (event->key() == Qt::Key_Up ? 1 : 2)) % 3;
        update();
        return;
    }
    moveTo(m_chosen, rateAtX(xOf(rateOf(m_chosen)) + way * (event->modifiers() & Qt::ShiftModifier ? 15 : 3)));
}

} // namespace caelumen

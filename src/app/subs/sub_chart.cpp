#include "app/subs/sub_chart.h"

#include "app/widgets/copied.h"
#include "app/widgets/theme.h"
#include "core/base/statistics.h"
#include "core/sky/ephemeris.h"
#include "report/local_number.h"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QToolTip>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

constexpr double kLeft = 56, kRight = 14, kTop = 22, kBottom = 20, kMoon = 34;

QString number(double v) {
    return std::abs(v) >= 1000 ? localNumber(v, 'f', 0) : localNumber(v, 'g', 3);
}

} // namespace

QString SubChart::nameOf(Quantity q) {
    switch (q) {
    case Quantity::Sky:
        return tr("Sky");
    case Quantity::Transparency:
        return tr("Transparency");
    case Quantity::Fwhm:
        return tr("FWHM");
    case Quantity::Eccentricity:
        return tr("Eccentricity");
    case Quantity::Tilt:
        return tr("Worst corner over middle");
    case Quantity::Stars:
        return tr("Stars");
    case Quantity::Gradient:
        return tr("Gradient");
    }
    return {};
}

SubChart::SubChart(QWidget* parent)
    : QWidget(parent) {
    setMinimumSize(260, 130);
    setAccessibleName(tr("The subs over time"));
    setMouseTracking(true);
}

void SubChart::show(const Content& content) {
    m_content = content;
    m_seconds.clear();
    m_timed = content.run && !content.run->subs.empty();
    if (content.run) {
        std::optional<JulianDate> first;
        for (const JudgedSub& s : content.run->subs) {
            const auto t = s.figures->start.empty() ? Result<JulianDate>(Error{""}) : parseTime(s.figures->start);
            if (!t) {
                m_timed = false;
                break;
            }
            if (!first) first = *t;
            m_seconds.push_back(86400 * ((t->day - first->day) + (t->fraction - first->fraction)));
        }
        if (!m_timed) {
            m_seconds.clear();
            for (std::size_t i = 0; i < content.run->subs.size(); ++i) m_seconds.push_back(static_cast<double>(i + 1));
        }
    }
    update();
}

double SubChart::secondOf(std::size_t sub) const {
    return m_seconds[sub];
}

std::optional<double> SubChart::valueOf(const JudgedSub& s) const {
    const SubFigures& f = s.figures;
    if (!f.problem.empty() || f.level.empty()) return std::nullopt;
    switch (m_content.quantity) {
    case Quantity::Sky:
        return skyRate(f, m_content.gain);
    case Quantity::Transparency:
        return s.transparency;
    case Quantity::Fwhm:
        return f.fwhm_px;
    case Quantity::Eccentricity:
        return f.eccentricity;
    case Quantity::Tilt:
        return f.tilt;
    case Quantity::Stars:
        return f.stars;
    case Quantity::Gradient:
        return 100 * f.gradient;
    }
    return std::nullopt;
}

std::optional<double> SubChart::limit() const {
    std::vector<double> all;
    for (const JudgedSub& s : m_content.run->subs)
        if (const auto v = valueOf(s)) all.push_back(*v);
    if (all.size() < 3) return std::nullopt;
    const double middle = median(std::span<double>(all));
    switch (m_content.quantity) {
    case Quantity::Transparency:
        return m_content.limits.transparency;
    case Quantity::Fwhm:
        return middle * m_content.limits.fwhm;
    case Quantity::Eccentricity:
        return std::max(0.5, middle + m_content.limits.eccentricity);
    case Quantity::Tilt:
        return middle + m_content.limits.tilt;
    case Quantity::Stars:
        return middle * m_content.limits.stars;
    default:
        return std::nullopt; // the sky's limit moves with its neighbours
    }
}

SubChart::Axes SubChart::axes() const {
    Axes a;
    a.plot = QRectF(kLeft, kTop, width() - kLeft - kRight, height() - kTop - kBottom - kMoon - 4);
    a.moon = QRectF(kLeft, a.plot.bottom() + 4, a.plot.width(), kMoon);
    a.from = m_seconds.empty() ? 0 : m_seconds.front(), a.to = m_seconds.empty() ? 1 : m_seconds.back();
    const double pad = std::max(m_timed ? 30.0 : 0.5, 0.03 * (a.to - a.from));
    a.from -= pad, a.to += pad;
    bool any = false;
    const auto take = [&](double v) {
        a.low = any ? std::min(a.low, v) : v, a.high = any ? std::max(a.high, v) : v;
        any = true;
    };
    for (const JudgedSub& s : m_content.run->subs)
        if (const auto v = valueOf(s)) take(*v);
    if (const auto l = limit(); l && any) take(*l);
    const double room = std::max({0.12 * (a.high - a.low), 0.02 * std::abs(a.high), 1e-6});
    a.low -= room, a.high += room;
    return a;
}

QPointF SubChart::placeOf(int sub) const {
    const Axes a = axes();
    const auto i = static_cast<std::size_t>(sub);
    return {a.x(m_seconds[i]), a.y(valueOf(m_content.run->subs[i]).value_or(a.low))};
}

void SubChart::paintEvent(QPaintEvent*) {
    QPainter p(this);
    const Theme& t = theme();
    p.fillRect(rect(), t.plot);
    p.setRenderHint(QPainter::Antialiasing);
    QFont font = p.font();
    font.setPixelSize(letters(12));
    p.setFont(font);
    if (!m_content.run || m_content.run->subs.empty()) return;
    const Axes a = axes();
    drawScale(p, a);
    drawMoon(p, a);
    drawTimes(p, a);
    for (std::size_t i = 0; i < m_content.run->subs.size(); ++i) drawSub(p, a, i);
}

void SubChart::drawScale(QPainter& p, const Axes& a) const {
    const Theme& t = theme();
    p.setPen(t.dim);
    const QString unit = m_content.quantity == Quantity::Sky            ? (m_content.gain ? tr("e\u207B/s/px") : tr("ADU/s"))
                         : m_content.quantity == Quantity::Transparency ? tr("of the best")
                         : m_content.quantity == Quantity::Fwhm         ? tr("px")
                         : m_content.quantity == Quantity::Gradient     ? tr("% of the sky")
                                                                        : QString();
    p.drawText(QPointF(kLeft, 15), nameOf(m_content.quantity) + (unit.isEmpty() ? QString() : ", " + unit));
    // Three or four even values on the left.
    const double raw = (a.high - a.low) / 3, power = std::pow(10, std::floor(std::log10(raw))),
                 step = power * (raw / power >= 5   ? 5
                                 : raw / power >= 2 ? 2
                                                    : 1);
    for (double v = step * std::ceil(a.low / step); v <= a.high; v += step) {
        p.setPen(QPen(t.line, 1, Qt::DotLine));
        p.drawLine(QPointF(a.plot.left(), a.y(v)), QPointF(a.plot.right(), a.y(v)));
        p.setPen(t.dim);
        p.drawText(QRectF(0, a.y(v) - 8, kLeft - 8, 16), Qt::AlignRight | Qt::AlignVCenter, number(std::abs(v) < 1e-9 ? 0 : v));
    }
    if (const auto l = limit(); l && *l > a.low && *l < a.high) {
        p.setPen(QPen(t.warn, 1.2, Qt::DashLine));
        p.drawLine(QPointF(a.plot.left(), a.y(*l)), QPointF(a.plot.right(), a.y(*l)));
    }
}

void SubChart::drawMoon(QPainter& p, const Axes& a) const {
    const Theme& t = theme();
    p.setPen(QPen(t.line, 1));
    p.drawLine(a.moon.bottomLeft(), a.moon.bottomRight());
    QPainterPath moon;
    bool known = false;
    for (std::size_t i = 0; i < m_content.run->subs.size(); ++i) {
        const auto alt = m_content.run->subs[i].figures->moonAltitude_deg;
        if (!alt) continue;
        const QPointF at(a.x(m_seconds[i]), a.moon.bottom() - std::clamp(*alt, 0.0, 90.0) / 90 * a.moon.height());
        known ? moon.lineTo(at) : moon.moveTo(at);
        known = true;
    }
    p.setPen(QPen(t.warn, 1.4, Qt::DashLine));
    p.drawPath(moon);
    p.setPen(t.dim);
    p.drawText(QRectF(0, a.moon.top(), kLeft - 8, a.moon.height()), Qt::AlignRight | Qt::AlignBottom, tr("moon"));
    if (!known) p.drawText(a.moon, Qt::AlignCenter, tr("not known: no place, target or time"));
}

void SubChart::drawTimes(QPainter& p, const Axes& a) const {
    p.setPen(theme().dim);
    const int labels = std::max(2, static_cast<int>(a.plot.width() / 90));
    int last = -1000;
    for (std::size_t i = 0; i < m_content.run->subs.size(); ++i) {
        const double x = a.x(m_seconds[i]);
        if (x - last < a.plot.width() / labels) continue;
        last = static_cast<int>(x);
        const QString text = m_timed && m_content.clock ? m_content.clock(m_content.run->subs[i].figures->start) : QString::number(i + 1);
        p.drawText(QRectF(x - 30, a.moon.bottom() + 3, 60, 16), Qt::AlignHCenter, text);
    }
}

void SubChart::drawSub(QPainter& p, const Axes& a, std::size_t i) const {
    const Theme& t = theme();
    const JudgedSub& s = m_content.run->subs[i];
    const auto v = valueOf(s);
    if (!v) return;
    const QPointF at(a.x(m_seconds[i]), a.y(*v));
    if (static_cast<int>(i) == m_content.current) {
        p.setPen(QPen(t.text, 1));
        p.drawLine(QPointF(at.x(), a.plot.top()), QPointF(at.x(), a.moon.bottom()));
    }
    if (s.keep) {
        p.setPen(Qt::NoPen);
        p.setBrush(m_content.colour);
        p.drawEllipse(at, 4, 4);
    } else {
        p.setPen(QPen(t.bad, 1.8));
        p.setBrush(Qt::NoBrush);
        p.drawLine(at + QPointF(-4, -4), at + QPointF(4, 4));
        p.drawLine(at + QPointF(-4, 4), at + QPointF(4, -4));
    }
    if (s.byHand) {
        p.setPen(QPen(t.text, 1.2));
        p.setBrush(Qt::NoBrush);
        p.drawEllipse(at, 7, 7);
    }
}

int SubChart::subAt(QPointF at) const {
    if (!m_content.run || m_content.run->subs.empty()) return -1;
    const Axes a = axes();
    int best = -1;
    double least = 1e9;
    for (std::size_t i = 0; i < m_content.run->subs.size(); ++i)
        if (const double d = std::abs(a.x(m_seconds[i]) - at.x()); d < least) least = d, best = static_cast<int>(i);
    return least < 40 ? best : -1;
}

void SubChart::mousePressEvent(QMouseEvent* e) {
    if (const int i = subAt(e->position()); i >= 0 && e->button() == Qt::LeftButton) emit chosen(i);
}

QString SubChart::text() const {
    QString out = tr("file\tstart\t%1\tverdict\treason\n").arg(nameOf(m_content.quantity).toLower());
    if (m_content.run)
        for (const JudgedSub& s : m_content.run->subs) {
            const auto v = valueOf(s);
            out += copiedRow({copiedName(s.figures->file), QString::fromStdString(s.figures->start), v ? QString::number(*v, 'g', 6) : QString(),
                              s.keep ? "keep" : "reject", reasonName(s.reason)});
        }
    return out;
}

bool SubChart::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(event);
        if (const int i = subAt(help->pos()); i >= 0) {
            const JudgedSub& s = m_content.run->subs[static_cast<std::size_t>(i)];
            const auto v = valueOf(s);
            QToolTip::showText(help->globalPos(),
                               tr("%1\n%2 %3\n%4")
                                   .arg(QString::fromStdString(s.figures->file).section('/', -1), nameOf(m_content.quantity),
                                        v ? number(*v) : tr("not measured"), s.keep ? tr("kept") : QString::fromStdString(s.words)),
                               this);
        }
        return true;
    }
    return QWidget::event(event);
}

} // namespace caelumen

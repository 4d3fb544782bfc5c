#include "app/night/calendar_view.h"

#include "app/widgets/theme.h"
#include "report/local_number.h"
#include "report/moon_picture.h"

#include <QDate>
#include <QHelpEvent>
#include <QLocale>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>

#include <algorithm>

namespace caelumen {
namespace {

QString hours(double s) {
    return QString("%1 h").arg(localNumber(s / 3600, 'f', 1));
}

} // namespace

CalendarView::CalendarView(Span span, QWidget* parent)
    : QWidget(parent)
    , m_span(span) {
    setMinimumSize(420, 280);
    setAccessibleName(span == Span::Month ? tr("Nights of the month") : tr("Nights of the year"));
}

void CalendarView::show(std::vector<CalendarNight> nights, const QString& chosen, bool south) {
    m_nights = std::move(nights);
    m_chosen = chosen;
    m_south = south;
    m_sentence.clear();
    update();
}

void CalendarView::setMissing(std::vector<MoonCell> missing, const QString& grid) {
    m_missing = std::move(missing);
    m_grid = grid;
    update();
}

void CalendarView::say(const QString& sentence) {
    m_nights.clear();
    m_sentence = sentence;
    update();
}

QRectF CalendarView::placeOf(int i) const {
    if (m_nights.empty()) return {};
    if (m_span == Span::Year) {
        const QRectF inside = QRectF(rect()).adjusted(46, 30, -14, -34);
        const double w = inside.width() / static_cast<double>(m_nights.size());
        return {inside.left() + i * w, inside.top(), w, inside.height()};
    }
    const QDate first = QDate::fromString(QString::fromStdString(m_nights.front().date), Qt::ISODate);
    const int cell = first.dayOfWeek() - 1 + i, rows = (first.dayOfWeek() - 1 + static_cast<int>(m_nights.size()) + 6) / 7;
    const QRectF inside = QRectF(rect()).adjusted(10, 52, -10, m_grid.isEmpty() ? -8 : -50);
    const double w = inside.width() / 7, h = inside.height() / rows;
    return {inside.left() + (cell % 7) * w + 2, inside.top() + (cell / 7) * h + 2, w - 4, h - 4};
}

void CalendarView::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.fillRect(rect(), t.plot);
    QFont font = p.font();
    font.setPixelSize(letters(12));
    p.setFont(font);
    if (m_nights.empty()) {
        p.setPen(t.dim);
        p.drawText(rect().adjusted(40, 40, -40, -40), Qt::AlignCenter | Qt::TextWordWrap, m_sentence);
        return;
    }
    m_span == Span::Year ? paintYear(p) : paintMonth(p);
}

/// The longest darkness, seconds: what all bars are measured by.
double CalendarView::longest_s() const {
    double most = 1;
    for (const CalendarNight& n : m_nights) most = std::max(most, n.dark_s);
    return most;
}

void CalendarView::paintYear(QPainter& p) const {
    const Theme& t = theme();
    const double most = longest_s(), top = placeOf(0).top(), bottom = placeOf(0).bottom();
    const auto y = [&](double s) { return bottom - s / most * (bottom - top); };
    p.setPen(t.dim);
    p.drawText(QRectF(0, 6, width(), 18), Qt::AlignCenter, tr("dark hours (outline), hours of the target (pale), without moon (full)"));
    for (double h = 0; h * 3600 <= most; h += 2) {
        p.setPen(QPen(t.line, 1, Qt::DotLine));
        p.drawLine(QPointF(46, y(h * 3600)), QPointF(width() - 14, y(h * 3600)));
        p.setPen(t.dim);
        p.drawText(QRectF(0, y(h * 3600) - 8, 40, 16), Qt::AlignRight | Qt::AlignVCenter, QString("%1 h").arg(h));
    }
    QColor pale = t.accent;
    pale.setAlpha(80);
    int month = 0;
    for (std::size_t i = 0; i < m_nights.size(); ++i) {
        const CalendarNight& n = m_nights[i];
        const QRectF place = placeOf(static_cast<int>(i)).adjusted(1, 0, -1, 0);
        p.fillRect(QRectF(place.left(), y(n.target_s), place.width(), bottom - y(n.target_s)), pale);
        p.fillRect(QRectF(place.left(), y(n.target_moonless_s), place.width(), bottom - y(n.target_moonless_s)), t.accent);
        p.setPen(QPen(t.dim, 1));
        p.drawPolyline(
            QPolygonF{QPointF(place.left(), bottom), QPointF(place.left(), y(n.dark_s)), QPointF(place.right(), y(n.dark_s)), QPointF(place.right(), bottom)});
        const QDate d = QDate::fromString(QString::fromStdString(n.date), Qt::ISODate);
        if (d.month() == month) continue;
        month = d.month();
        p.setPen(t.dim);
        p.drawText(QRectF(place.left(), bottom + 6, 60, 16), Qt::AlignLeft, QLocale().monthName(month, QLocale::ShortFormat));
    }
}

void CalendarView::paintMonth(QPainter& p) const {
    const Theme& t = theme();
    const QDate first = QDate::fromString(QString::fromStdString(m_nights.front().date), Qt::ISODate);
    p.setPen(t.text);
    p.drawText(QRectF(0, 6, width(), 20), Qt::AlignCenter, QLocale().toString(first, "MMMM yyyy"));
    const QRectF one = placeOf(0);
    p.setPen(t.dim);
    for (int d = 1; d <= 7; ++d)
        p.drawText(QRectF(12 + (d - 1) * (one.width() + 4), 30, one.width(), 18), Qt::AlignCenter, QLocale().dayName(d, QLocale::ShortFormat));
    for (std::size_t i = 0; i < m_nights.size(); ++i) {
        paintNight(p, i, first.addDays(static_cast<qint64>(i)).day());
        paintHours(p, m_nights[i], placeOf(static_cast<int>(i)));
    }
    if (m_grid.isEmpty()) return;
    p.setPen(t.dim);
    p.drawText(QRectF(12, height() - 46, width() - 24, 42), Qt::AlignLeft | Qt::AlignVCenter | Qt::TextWordWrap, m_grid);
}

/// Its day, its moon, and a ring where such a moon is still missing under this sky.
void CalendarView::paintNight(QPainter& p, std::size_t i, int day) const {
    const Theme& t = theme();
    const CalendarNight& n = m_nights[i];
    const QRectF r = placeOf(static_cast<int>(i));
    const bool chosen = QString::fromStdString(n.date) == m_chosen;
    p.setPen(QPen(chosen ? t.accent : t.line, chosen ? 2 : 1));
    p.setBrush(t.panel);
    p.drawRoundedRect(r, 4, 4);
    p.setPen(t.text);
    p.drawText(r.adjusted(7, 4, 0, 0), Qt::AlignLeft | Qt::AlignTop, QString::number(day));
    const bool waxing = i + 1 < m_nights.size() ? m_nights[i + 1].moonLit > n.moonLit : i > 0 && n.moonLit > m_nights[i - 1].moonLit;
    drawMoon(p, QRectF(r.right() - 23, r.top() + 6, 16, 16), n.moonLit, waxing, m_south, t.text, t.raised);
    // Without moon from the moonless hours, else by the lit part.
    const double moonlit = n.target_s - n.target_moonless_s;
    const bool fills = std::any_of(m_missing.begin(), m_missing.end(), [&](MoonCell cell) {
        return cell == MoonCell::Dark ? n.target_moonless_s > 3 * 3600 : moonlit > 3 * 3600 && moonCell(n.moonLit, 45) == cell;
    });
    if (!fills) return;
    p.setPen(QPen(t.accent, 1.5));
    p.setBrush(Qt::NoBrush);
    p.drawEllipse(QPointF(r.left() + 13, r.top() + 13), 10, 10);
}

/// Bars: dark, of it usable for the target, of that without moon.
void CalendarView::paintHours(QPainter& p, const CalendarNight& n, const QRectF& r) const {
    const Theme& t = theme();
    const double left = r.left() + 7, whole = r.width() - 14, bar = r.bottom() - 16, most = longest_s();
    QColor pale = t.accent;
    pale.setAlpha(90);
    p.setPen(Qt::NoPen);
    for (const auto& [seconds, colour] : {std::pair(n.dark_s, t.raised), std::pair(n.target_s, pale), std::pair(n.target_moonless_s, t.accent)}) {
        p.setBrush(colour);
        p.drawRect(QRectF(left, bar, whole * seconds / most, 9));
    }
    if (r.height() <= 54) return;
    p.setPen(t.dim);
    p.drawText(r.adjusted(7, 0, -4, -18), Qt::AlignLeft | Qt::AlignBottom, n.dark_s > 0 ? hours(n.target_s) : tr("no night"));
}

int CalendarView::at(QPointF p) const {
    for (int i = 0; i < static_cast<int>(m_nights.size()); ++i)
        if (placeOf(i).contains(p)) return i;
    return -1;
}

void CalendarView::mousePressEvent(QMouseEvent* e) {
    if (const int i = at(e->position()); i >= 0) emit dateChosen(QString::fromStdString(m_nights[static_cast<std::size_t>(i)].date));
}

bool CalendarView::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(event);
        if (const int i = at(help->pos()); i >= 0) {
            const CalendarNight& n = m_nights[static_cast<std::size_t>(i)];
            QToolTip::showText(help->globalPos(),
                               tr("%1\ndark %2, of it %3 without moon\ntarget usable %4, of it %5 without moon\nmoon %6 % lit")
                                   .arg(QString::fromStdString(n.date), hours(n.dark_s), hours(n.moonless_s), hours(n.target_s), hours(n.target_moonless_s))
                                   .arg(localNumber(100 * n.moonLit, 'f', 0)),
                               this);
        }
        return true;
    }
    return QWidget::event(event);
}

} // namespace caelumen

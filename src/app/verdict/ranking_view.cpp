#include "app/verdict/ranking_view.h"

#include "app/widgets/core_words.h"
#include "app/widgets/theme.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

/// Merits are told apart by hatching and place, not by colour.
constexpr std::array kBrushes{Qt::SolidPattern, Qt::Dense4Pattern, Qt::BDiagPattern, Qt::VerPattern, Qt::DiagCrossPattern};

} // namespace

RankingView::RankingView(QWidget* parent)
    : QWidget(parent) {
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Ranking of filters"));
    setToolTip(tr("Scores in steps that somebody would notice, from the baseline; click, Up, Down: what a score is made of; double click, Return: the filter "
                  "on the Bench"));
}

double RankingView::rowHeight() const {
    return 3.9 * fontInfo().pixelSize();
}

QSize RankingView::minimumSizeHint() const {
    return {340, static_cast<int>(rowHeight() * static_cast<double>(std::max<std::size_t>(3, m_rows.size())) + 5.2 * fontInfo().pixelSize())};
}

QSize RankingView::sizeHint() const {
    return minimumSizeHint();
}

void RankingView::show(std::vector<RankingRow> rows, const QString& empty) {
    const QString before = m_chosen < static_cast<int>(m_rows.size()) ? m_rows[static_cast<std::size_t>(m_chosen)].id : QString();
    m_rows = std::move(rows);
    m_empty = empty;
    m_chosen = 0;
    for (std::size_t i = 0; i < m_rows.size(); ++i)
        if (m_rows[i].id == before) m_chosen = static_cast<int>(i);
    updateGeometry();
    update();
}

void RankingView::choose(int row) {
    if (row < 0 || row >= static_cast<int>(m_rows.size())) return;
    m_chosen = row;
    update();
    emit rowChosen(row);
}

QRectF RankingView::placeOf(int row) const {
    return {0, 1.6 * fontInfo().pixelSize() + row * rowHeight(), static_cast<double>(width()), rowHeight()};
}

/// Where the chart begins and ends, and its scale.
struct RankingView::Chart {
    WhiskerScale scale;
    double left = 0, right = 0;
    double x(double value) const { return scale.at(value, left, right, 0); }
};

void RankingView::paintEvent(QPaintEvent*) {
    const Theme& t = theme();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.fillRect(rect(), t.plot);
    const double em = fontInfo().pixelSize();
    if (m_rows.empty()) {
        p.setPen(t.dim);
        p.drawText(rect().adjusted(40, 40, -40, -40), Qt::AlignCenter | Qt::TextWordWrap, m_empty);
        return;
    }
    const Chart chart{rankingScale(m_rows), std::min(230.0, 0.36 * width()), width() - 7.6 * em};
    p.setPen(t.dim);
    p.drawText(QRectF(chart.right + 0.6 * em, 0, 7 * em - 6, 1.6 * em), Qt::AlignRight | Qt::AlignVCenter, coreWord("best in"));
    for (std::size_t i = 0; i < m_rows.size(); ++i) {
        const QRectF place = placeOf(static_cast<int>(i));
        if (static_cast<int>(i) == m_chosen) p.fillRect(place.adjusted(2, 1, -2, -1), t.raised);
        paintRow(p, m_rows[i], place, chart);
    }
    p.setPen(QPen(t.dim, 1, Qt::DashLine));
    const double bottom = placeOf(static_cast<int>(m_rows.size())).top(), base = chart.x(0);
    p.drawLine(QPointF(base, 1.4 * em), QPointF(base, bottom));
    p.setPen(t.dim);
    p.drawText(QRectF(base - 60, 0, 120, 1.5 * em), Qt::AlignCenter, coreWord("baseline"));
    paintKey(p, bottom);
    if (hasFocus()) {
        p.setPen(t.accent);
        p.setBrush(Qt::NoBrush);
        p.drawRect(rect().adjusted(0, 0, -1, -1));
    }
}

void RankingView::paintRow(QPainter& p, const RankingRow& r, const QRectF& place, const Chart& chart) const {
    const Theme& t = theme();
    const double em = fontInfo().pixelSize();
    const QFont plain = p.font();
    QFont bold = plain, small = plain;
    bold.setBold(true);
    small.setPixelSize(static_cast<int>(0.88 * em));
    p.setPen(Qt::NoPen);
    p.setBrush(r.style.colour);
    p.drawPath(r.style.marker(0.42 * em).translated(1.2 * em, place.top() + 1.1 * em));
    p.setFont(bold);
    p.setPen(t.text);
    const QRectF name(2.1 * em, place.top() + 0.3 * em, chart.left - 2.6 * em, 1.6 * em);
    p.drawText(name, Qt::AlignLeft | Qt::AlignVCenter, QFontMetricsF(bold).elidedText(r.name, Qt::ElideRight, name.width()));
    p.setFont(plain);
    p.drawText(name.translated(0, 1.6 * em), Qt::AlignLeft | Qt::AlignVCenter, r.text);
    paintParts(p, r, place.top() + 2.3 * em, chart);
    const double middle = place.top() + 1.15 * em;
    p.setPen(QPen(r.style.colour, 2));
    p.drawLine(QPointF(chart.x(*r.value - *r.sigma), middle), QPointF(chart.x(*r.value + *r.sigma), middle));
    p.setBrush(r.style.colour);
    p.drawPath(r.style.marker(0.42 * em).translated(chart.x(*r.value), middle));
    p.setPen(t.text);
    p.drawText(QRectF(chart.right + 0.6 * em, place.top() + 0.3 * em, 7 * em - 6, 1.6 * em), Qt::AlignRight | Qt::AlignVCenter, r.chanceText());
    if (r.ties.isEmpty()) return;
    p.setPen(t.dim);
    const QRectF under(chart.left, place.top() + 2.75 * em, width() - chart.left - 8, 1.2 * em);
    p.setFont(small);
    p.drawText(under, Qt::AlignLeft | Qt::AlignVCenter, QFontMetricsF(small).elidedText(r.ties, Qt::ElideRight, under.width()));
    p.setFont(plain);
}

/// What each merit adds, gains to the right of the baseline and losses to its left.
void RankingView::paintParts(QPainter& p, const RankingRow& r, double middle, const Chart& chart) const {
    const Theme& t = theme();
    const double half = 0.45 * fontInfo().pixelSize();
    double up = 0, down = 0;
    for (std::size_t k = 0; k < r.parts.size(); ++k) {
        double& at = r.parts[k] > 0 ? up : down;
        const double from = chart.x(at), to = chart.x(at + r.parts[k]);
        const QRectF bar(QPointF(std::min(from, to), middle - half), QPointF(std::max(from, to), middle + half));
        p.setPen(QPen(t.line, 1));
        p.setBrush(QBrush(t.dim, kBrushes[k]));
        if (bar.width() > 0.5) p.drawRect(bar);
        at += r.parts[k];
    }
}

/// What the hatchings mean, as far as there is room.
void RankingView::paintKey(QPainter& p, double top) const {
    const Theme& t = theme();
    const double em = fontInfo().pixelSize();
    double at = 1.0 * em, y = top + 0.7 * em;
    for (const Merit m : kMerits) {
        const QString label = coreWord(meritLabel(m));
        const double wide = QFontMetricsF(p.font()).horizontalAdvance(label);
        if (at + wide + 2 * em > width()) at = 1.0 * em, y += 1.6 * em;
        p.setPen(QPen(t.line, 1));
        p.setBrush(QBrush(t.dim, kBrushes[static_cast<std::size_t>(m)]));
        p.drawRect(QRectF(at, y, em, 0.9 * em));
        p.setPen(t.dim);
        p.drawText(QRectF(at + 1.4 * em, y - 0.3 * em, wide + 4, 1.5 * em), Qt::AlignLeft | Qt::AlignVCenter, label);
        at += wide + 3 * em;
    }
}

void RankingView::mousePressEvent(QMouseEvent* event) {
    for (int i = 0; i < static_cast<int>(m_rows.size()); ++i)
        if (placeOf(i).contains(event->position())) return choose(i);
}

void RankingView::mouseDoubleClickEvent(QMouseEvent* event) {
    for (int i = 0; i < static_cast<int>(m_rows.size()); ++i)
        if (placeOf(i).contains(event->position())) emit rowOpened(i);
}

void RankingView::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Down)
        choose(m_chosen + 1);
    else if (event->key() == Qt::Key_Up)
        choose(m_chosen - 1);
    else if ((event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) && !m_rows.empty())
        emit rowOpened(m_chosen);
    else
        QWidget::keyPressEvent(event);
}

} // namespace caelumen

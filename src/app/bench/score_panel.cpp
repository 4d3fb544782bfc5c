#include "app/bench/score_panel.h"

#include "app/widgets/core_words.h"
#include "app/widgets/theme.h"
#include "core/model/quantity.h"

#include <QAccessible>
#include <QHelpEvent>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

constexpr int kMark = 26, kLeastChart = 34, kEdge = 10;

QString text(std::string_view s) {
    return QString::fromUtf8(s.data(), static_cast<qsizetype>(s.size()));
}

} // namespace

QString ScoreHead::way() const {
    return higherIsBetter ? ScorePanel::tr("more is better") : ScorePanel::tr("less is better");
}

ScorePanel::ScorePanel(const Score& score, QWidget* parent)
    : QWidget(parent)
    , m_score(score) {
    setCursor(Qt::PointingHandCursor);
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(coreWord(score.label));
    setToolTip(coreWord(quantity(score.headline)->about));
}

void ScorePanel::setRows(std::vector<ScoreRow> rows, const ScoreHead& head, bool stale) {
    m_rows = std::move(rows);
    m_head = head;
    m_stale = stale;
    speak();
    updateGeometry();
    update();
}

void ScorePanel::setCurrent(const QString& run, bool active) {
    m_current = run;
    m_active = active;
    speak();
    update();
}

/// What a screen reader says: the row in hand with its value.
void ScorePanel::speak() {
    QStringList all;
    QString here;
    for (const ScoreRow& r : m_rows) {
        const QString one = tr("run %1: %2").arg(r.run, wordsOf(r));
        all << one;
        if (r.run == m_current) here = one;
    }
    setAccessibleName(QString("%1, %2").arg(m_head.title.isEmpty() ? coreWord(m_score.label) : m_head.title, here));
    setAccessibleDescription(QStringList({m_head.subtitle, m_head.way(), all.join("; ")}).join(", "));
}

QString ScorePanel::wordsOf(const ScoreRow& r) const {
    return r.text + (r.unfair ? QStringLiteral(" !") : r.tied ? QStringLiteral(" \u2248") : QString());
}

int ScorePanel::wordsWidth() const {
    int most = 0;
    for (const ScoreRow& r : m_rows)
        if (r.value) most = std::max(most, fontMetrics().horizontalAdvance(wordsOf(r)));
    return most + 4;
}

QSize ScorePanel::minimumSizeHint() const {
    int words = 0;
    for (const ScoreRow& r : m_rows) words = std::max(words, fontMetrics().horizontalAdvance(wordsOf(r)));
    QFont bold = font();
    bold.setWeight(QFont::DemiBold);
    const int title = QFontMetrics(bold).horizontalAdvance(coreWord(m_score.label)) + fontMetrics().horizontalAdvance(tr("\u25B2 better")) + 2 * kEdge + 8;
    return {std::max({words + kMark + kEdge + 4, title, 110}), rowTop() + static_cast<int>(m_rows.size()) * (fontMetrics().height() + 4) + 6};
}

QSize ScorePanel::sizeHint() const {
    return minimumSizeHint().expandedTo({196, rowTop() + static_cast<int>(m_rows.size()) * (fontMetrics().height() + 12) + 6});
}

int ScorePanel::rowTop() const {
    return 2 * fontMetrics().height() + 14;
}

double ScorePanel::rowHeight() const {
    const double most = fontMetrics().height() + 18.0;
    return m_rows.empty() ? 20 : std::min(most, (height() - rowTop() - 4.0) / static_cast<double>(m_rows.size()));
}

int ScorePanel::rowAt(int y) const {
    const int i = static_cast<int>(std::floor((y - rowTop()) / rowHeight()));
    return i >= 0 && i < static_cast<int>(m_rows.size()) ? i : -1;
}

QRect ScorePanel::rowRect(const QString& run) const {
    for (std::size_t i = 0; i < m_rows.size(); ++i)
        if (m_rows[i].run == run) return QRectF(3, rowTop() + static_cast<double>(i) * rowHeight(), width() - 6, rowHeight()).toRect();
    return {};
}

void ScorePanel::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    paintHead(p);
    WhiskerScale scale;
    for (const ScoreRow& r : m_rows) scale.take(r);
    if (const auto base = baselineValue(m_score); base && !scale.empty()) scale.take(*base);
    for (std::size_t i = 0; i < m_rows.size(); ++i)
        paintRow(p, m_rows[i], QRectF(0, rowTop() + static_cast<double>(i) * rowHeight(), width(), rowHeight()), scale);
}

void ScorePanel::paintHead(QPainter& p) const {
    const Theme& t = theme();
    p.setPen(QPen(m_active || hasFocus() ? t.accent : t.line, hasFocus() ? 2 : 1));
    p.setBrush(t.panel);
    p.drawRoundedRect(QRectF(rect()).adjusted(1, 1, -1, -1), 5, 5);
    const int line = fontMetrics().height();
    QFont bold = font();
    bold.setWeight(QFont::DemiBold);
    p.setFont(bold);
    p.setPen(t.text);
    const QString way = m_head.higherIsBetter ? tr("\u25B2 better") : tr("\u25BC better");
    const int room = width() - 2 * kEdge - fontMetrics().horizontalAdvance(way) - 6;
    p.drawText(QRect(kEdge, 6, room, line), Qt::AlignVCenter, QFontMetrics(bold).elidedText(m_head.title, Qt::ElideRight, room));
    p.setFont(font());
    p.setPen(t.dim);
    p.drawText(QRect(kEdge, 6, width() - 2 * kEdge, line), Qt::AlignVCenter | Qt::AlignRight, way);
    p.drawText(QRect(kEdge, 7 + line, width() - 18, line), Qt::AlignVCenter, fontMetrics().elidedText(m_head.subtitle, Qt::ElideRight, width() - 18));
}

void ScorePanel::paintRow(QPainter& p, const ScoreRow& r, const QRectF& place, const WhiskerScale& scale) const {
    const Theme& t = theme();
    const double y = place.center().y(), left = kMark, right = width() - wordsWidth() - kEdge - 6;
    const auto x = [&](double v) { return scale.at(v, left, right); };
    const bool chart = right - left >= kLeastChart && scale.low < scale.high;
    if (r.run == m_current) {
        p.setPen(Qt::NoPen);
        p.setBrush(t.raised);
        p.drawRoundedRect(place.adjusted(3, 0.5, -3, -0.5), 3, 3);
    }
    if (const auto base = baselineValue(m_score); base && chart) {
        p.setPen(QPen(t.line, 1, Qt::DashLine));
        p.drawLine(QPointF(x(*base), place.top()), QPointF(x(*base), place.bottom()));
    }
    QColor colour = r.style.colour;
    if (m_stale) colour.setAlpha(110);
    p.save();
    p.translate(13, y);
    p.fillPath(r.style.marker(5), colour);
    p.restore();
    const QRectF words(kMark, place.top(), width() - kMark - kEdge, place.height());
    if (!r.value) {
        p.setPen(t.dim);
        p.drawText(words, Qt::AlignVCenter | Qt::AlignRight, r.text);
        return;
    }
    if (chart) {
        const double from = x(*r.value - *r.sigma), to = x(*r.value + *r.sigma), at = x(*r.value);
        p.setPen(QPen(colour, 2, r.limit ? Qt::DotLine : Qt::SolidLine));
        p.drawLine(QPointF(from, y), QPointF(to, y));
        p.drawLine(QPointF(from, y - 3), QPointF(from, y + 3));
        p.drawLine(QPointF(to, y - 3), QPointF(to, y + 3));
        p.setPen(QPen(colour, 1.5));
        p.setBrush(r.limit ? QBrush(Qt::NoBrush) : QBrush(colour));
        p.drawEllipse(QPointF(at, y), 4, 4);
    }
    p.setPen(r.unfair ? t.bad : m_stale ? t.dim : t.text);
    QFont value = font();
    value.setStrikeOut(r.unfair); // what is not fair is no result
    p.setFont(value);
    const double mark = fontMetrics().horizontalAdvance(wordsOf(r)) - fontMetrics().horizontalAdvance(r.text);
    p.drawText(words.adjusted(0, 0, -mark, 0), Qt::AlignVCenter | Qt::AlignRight, r.text);
    p.setFont(font());
    p.drawText(words, Qt::AlignVCenter | Qt::AlignRight, wordsOf(r).mid(r.text.size()));
}

void ScorePanel::mousePressEvent(QMouseEvent* event) {
    const int i = rowAt(static_cast<int>(event->position().y()));
    emit clicked(text(m_score.id), i >= 0 ? m_rows[static_cast<std::size_t>(i)].run : QString());
}

void ScorePanel::keyPressEvent(QKeyEvent* event) {
    const int way = event->key() == Qt::Key_Up ? -1 : event->key() == Qt::Key_Down ? 1 : 0;
    const bool chosen = event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter || event->key() == Qt::Key_Space;
    if (m_rows.empty() || (way == 0 && !chosen)) return QWidget::keyPressEvent(event);
    const auto at = std::find_if(m_rows.begin(), m_rows.end(), [&](const ScoreRow& r) { return r.run == m_current; });
    const auto last = static_cast<std::ptrdiff_t>(m_rows.size()) - 1;
    const auto next = std::clamp<std::ptrdiff_t>(at == m_rows.end() ? 0 : (at - m_rows.begin()) + way, 0, last);
    emit clicked(text(m_score.id), m_rows[static_cast<std::size_t>(next)].run);
}

void ScorePanel::focusInEvent(QFocusEvent* event) {
    update();
    QWidget::focusInEvent(event);
}

void ScorePanel::focusOutEvent(QFocusEvent* event) {
    update();
    QWidget::focusOutEvent(event);
}

bool ScorePanel::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(event);
        const int i = rowAt(help->pos().y());
        if (i < 0)
            QToolTip::showText(help->globalPos(), QStringList({m_head.title, m_head.subtitle + ": " + m_head.way(), toolTip()}).join("\n"), this);
        else if (const QString tip = m_rows[static_cast<std::size_t>(i)].tip; !tip.isEmpty())
            QToolTip::showText(help->globalPos(), tip, this);
        return true;
    }
    return QWidget::event(event);
}

} // namespace caelumen

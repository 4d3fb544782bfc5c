#include "app/bench/score_panel.h"

#include "app/widgets/theme.h"
#include "core/model/quantity.h"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>

#include <algorithm>
#include <cmath>

namespace caelumen {

ScorePanel::ScorePanel(const Score& score, QWidget* parent)
    : QWidget(parent)
    , m_score(score) {
    setMinimumWidth(150);
    setCursor(Qt::PointingHandCursor);
    const auto text = [](std::string_view s) { return QString::fromUtf8(s.data(), static_cast<qsizetype>(s.size())); };
    setAccessibleName(text(score.label));
    setToolTip(text(quantity(score.headline)->about));
}

void ScorePanel::setRows(std::vector<ScoreRow> rows, const QString& subtitle, bool stale) {
    m_rows = std::move(rows);
    m_subtitle = subtitle;
    m_stale = stale;
    update();
}

void ScorePanel::setCurrent(const QString& run, bool active) {
    m_current = run;
    m_active = active;
    update();
}

int ScorePanel::rowTop() const {
    return 2 * fontMetrics().height() + 14;
}
double ScorePanel::rowHeight() const {
    return m_rows.empty() ? 20 : std::min(34.0, (height() - rowTop() - 4.0) / static_cast<double>(m_rows.size()));
}

int ScorePanel::rowAt(int y) const {
    const int i = static_cast<int>(std::floor((y - rowTop()) / rowHeight()));
    return i >= 0 && i < static_cast<int>(m_rows.size()) ? i : -1;
}

void ScorePanel::paintEvent(QPaintEvent*) {
    QPainter p(this);
    const Theme& t = theme();
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(QPen(m_active ? t.accent : t.line, 1));
    p.setBrush(t.panel);
    p.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), 5, 5);
    const int line = fontMetrics().height();
    QFont bold = font();
    bold.setWeight(QFont::DemiBold);
    p.setFont(bold);
    p.setPen(t.text);
    p.drawText(QRect(10, 6, width() - 20, line), Qt::AlignVCenter, QString::fromUtf8(m_score.label.data(), static_cast<qsizetype>(m_score.label.size())));
    p.setFont(font());
    p.setPen(t.dim);
    p.drawText(QRect(10, 7 + line, width() - 18, line), Qt::AlignVCenter, fontMetrics().elidedText(m_subtitle, Qt::ElideRight, width() - 18));

    double low = 1e300, high = -1e300;
    for (const ScoreRow& r : m_rows) {
        if (!r.value) continue;
        const double s = std::min(*r.sigma, 3 * std::abs(*r.value) + 1); // one hopeless value must not squeeze the others
        low = std::min(low, *r.value - s);
        high = std::max(high, *r.value + s);
    }
    if (const auto base = baselineValue(m_score); base && low <= high) {
        low = std::min(low, *base);
        high = std::max(high, *base);
    }
    const int textWidth = std::max(82, std::min(118, width() * 5 / 11));
    const double left = 26, right = width() - textWidth - 10;
    const double pad = 0.06 * std::max(high - low, 1e-12);
    const auto x = [&](double v) { return left + (v - low + pad) / (high - low + 2 * pad) * (right - left); };
    if (const auto base = baselineValue(m_score); base && low < high) {
        p.setPen(QPen(t.line, 1, Qt::DashLine));
        p.drawLine(QPointF(x(*base), rowTop() - 2), QPointF(x(*base), rowTop() + rowHeight() * static_cast<double>(m_rows.size())));
    }
    for (std::size_t i = 0; i < m_rows.size(); ++i) {
        const ScoreRow& r = m_rows[i];
        const double top = rowTop() + static_cast<double>(i) * rowHeight(), y = top + rowHeight() / 2;
        if (r.run == m_current) {
            p.setPen(Qt::NoPen);
            p.setBrush(t.raised);
            p.drawRoundedRect(QRectF(3, top + 0.5, width() - 6, rowHeight() - 1), 3, 3);
        }
        QColor colour = r.style.colour;
        if (m_stale) colour.setAlpha(110);
        p.save();
        p.translate(13, y);
        p.fillPath(r.style.marker(5), colour);
        p.restore();
        const QRectF words(right + 6, top, textWidth, rowHeight());
        if (!r.value) {
            p.setPen(t.dim);
            p.drawText(words.adjusted(r.baseline ? 0 : left - right, 0, 0, 0), Qt::AlignVCenter | Qt::AlignRight,
                       fontMetrics().elidedText(r.text, Qt::ElideRight, static_cast<int>(words.width() + (r.baseline ? 0 : right - left))));
            continue;
        }
        const double from = std::clamp(x(*r.value - *r.sigma), left, right), to = std::clamp(x(*r.value + *r.sigma), left, right),
                     at = std::clamp(x(*r.value), left, right);
        p.setPen(QPen(colour, 2, r.limit ? Qt::DotLine : Qt::SolidLine));
        p.drawLine(QPointF(from, y), QPointF(to, y));
        p.drawLine(QPointF(from, y - 3), QPointF(from, y + 3));
        p.drawLine(QPointF(to, y - 3), QPointF(to, y + 3));
        p.setPen(QPen(colour, 1.5));
        p.setBrush(r.limit ? QBrush(Qt::NoBrush) : QBrush(colour));
        p.drawEllipse(QPointF(at, y), 4, 4);
        p.setPen(r.unfair ? t.bad : m_stale ? t.dim : t.text);
        p.drawText(words, Qt::AlignVCenter | Qt::AlignRight, r.text + (r.unfair ? QStringLiteral(" !") : r.tied ? QStringLiteral(" \u2248") : QString()));
    }
}

void ScorePanel::mousePressEvent(QMouseEvent* event) {
    const int i = rowAt(static_cast<int>(event->position().y()));
    const QString id = QString::fromUtf8(m_score.id.data(), static_cast<qsizetype>(m_score.id.size()));
    emit clicked(id, i >= 0 ? m_rows[static_cast<std::size_t>(i)].run : QString());
}

bool ScorePanel::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(event);
        const int i = rowAt(help->pos().y());
        if (i >= 0 && !m_rows[static_cast<std::size_t>(i)].tip.isEmpty()) {
            QToolTip::showText(help->globalPos(), m_rows[static_cast<std::size_t>(i)].tip, this);
            return true;
        }
    }
    return QWidget::event(event);
}

} // namespace caelumen

#pragma once

#include <QLabel>
#include <QPainter>

namespace caelumen {

/// A line of plain text that ends in an ellipsis where there is no room for all of it; the tool tip holds the whole. A cut-off number would be a wrong one, so
/// whole parts between `separator`s go first.
class ElidedLabel : public QLabel {
public:
    explicit ElidedLabel(QString separator, QWidget* parent = nullptr)
        : QLabel(parent)
        , m_separator(std::move(separator)) {}

    /// What is shown of it in that room, pixels.
    QString shown(int width) const {
        QStringList parts = text().split(m_separator);
        const QString more = m_separator + QString::fromUtf8("\u2026");
        if (fontMetrics().horizontalAdvance(text()) <= width) return text();
        while (parts.size() > 1) {
            parts.removeLast();
            if (const QString left = parts.join(m_separator) + more; fontMetrics().horizontalAdvance(left) <= width) return left;
        }
        return fontMetrics().elidedText(parts.first(), Qt::ElideRight, width);
    }

protected:
    void paintEvent(QPaintEvent*) override {
        QPainter painter(this);
        painter.setPen(palette().color(foregroundRole()));
        painter.drawText(contentsRect(), static_cast<int>(alignment() | Qt::AlignVCenter), shown(contentsRect().width()));
    }

private:
    QString m_separator;
};

} // namespace caelumen

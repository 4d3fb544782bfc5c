#include "app/grid/grid_map.h"

#include "app/widgets/theme.h"
#include "core/grid/grid_out.h"

#include <QHelpEvent>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>

#include <algorithm>

namespace caelumen {

GridColours themeColours() {
    const Theme& t = theme();
    return {t.plot, t.text, t.dim, t.line, t.accent, t.warn};
}

GridMap::GridMap(QWidget* parent)
    : QWidget(parent) {
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Filters under every sky"));
}

void GridMap::show(GridPicture picture) {
    m_picture = std::move(picture);
    m_sentence.clear();
    if (m_selected >= static_cast<int>(m_picture.cells.size())) m_selected = -1;
    const QSizeF least = leastGridSize(m_picture, fontInfo().pixelSize());
    setMinimumHeight(static_cast<int>(least.height()));
    setMinimumWidth(static_cast<int>(least.width()));
    update();
}

void GridMap::say(const QString& sentence) {
    m_picture = {};
    m_sentence = sentence;
    m_selected = -1;
    setMinimumSize(200, 160);
    update();
}

GridLayout GridMap::lay() const {
    return layGrid(m_picture, size(), fontInfo().pixelSize());
}

QRectF GridMap::placeOf(int cell) const {
    const int columns = static_cast<int>(m_picture.columns.size());
    return columns > 0 ? lay().cell(cell / columns, cell % columns) : QRectF();
}

int GridMap::at(QPointF p) const {
    if (m_picture.columns.empty()) return -1;
    const GridLayout l = lay();
    if (!l.body.contains(p)) return -1;
    const int columns = static_cast<int>(m_picture.columns.size());
    const int column = std::min(columns - 1, static_cast<int>((p.x() - l.body.left()) / l.columnWidth)),
              row = std::min(static_cast<int>(m_picture.rows.size()) - 1, static_cast<int>((p.y() - l.body.top()) / l.rowHeight));
    return row * columns + column;
}

void GridMap::select(int cell) {
    if (cell < -1 || cell >= static_cast<int>(m_picture.cells.size()) || cell == m_selected) return;
    m_selected = cell;
    update();
    if (cell < 0) return;
    const GridCell& c = m_picture.cells[static_cast<std::size_t>(cell)];
    setAccessibleDescription(
        QString("%1, %2: %3, %4")
            .arg(QString::fromStdString(c.filter), QString::fromStdString(skyText(c.sky)), cellText(c, m_picture.quantity), QString(cellOriginName(c.origin))));
    emit chosen(cell);
}

void GridMap::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.fillRect(rect(), theme().plot);
    if (m_picture.cells.empty()) {
        p.setPen(theme().dim);
        p.drawText(rect().adjusted(40, 40, -40, -40), Qt::AlignCenter | Qt::TextWordWrap, m_sentence);
        return;
    }
    paintGrid(p, m_picture, lay(), themeColours(), m_selected);
    if (hasFocus()) {
        p.setPen(QPen(theme().accent, 1));
        p.setBrush(Qt::NoBrush);
        p.drawRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5));
    }
}

void GridMap::mousePressEvent(QMouseEvent* event) {
    if (const int cell = at(event->position()); cell >= 0) select(cell);
}

void GridMap::mouseDoubleClickEvent(QMouseEvent* event) {
    if (const int cell = at(event->position()); cell >= 0) emit opened(cell);
}

void GridMap::keyPressEvent(QKeyEvent* event) {
    const int columns = static_cast<int>(m_picture.columns.size()), cells = static_cast<int>(m_picture.cells.size());
    if (columns == 0) return QWidget::keyPressEvent(event);
    const int now = std::max(0, m_selected), column = now % columns;
    switch (event->key()) {
    case Qt::Key_Left:
        return select(m_selected < 0 || column == 0 ? now : now - 1);
    case Qt::Key_Right:
        return select(m_selected < 0 || column == columns - 1 ? now : now + 1);
    case Qt::Key_Up:
        return select(now - columns >= 0 ? now - columns : now);
    case Qt::Key_Down:
        return select(m_selected >= 0 && now + columns < cells ? now + columns : now);
    case Qt::Key_Return:
    case Qt::Key_Enter:
        if (m_selected >= 0) emit opened(m_selected);
        return;
    default:
        QWidget::keyPressEvent(event);
    }
}

bool GridMap::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip) {
        auto* help = static_cast<QHelpEvent*>(event);
        const int cell = at(help->pos());
        if (cell < 0) {
            QToolTip::hideText();
        } else {
            const GridCell& c = m_picture.cells[static_cast<std::size_t>(cell)];
            QString text =
                QString("%1\n%2\n").arg(m_picture.rows[static_cast<std::size_t>(cell) / m_picture.columns.size()].name, QString::fromStdString(skyText(c.sky)));
            text += c.origin == CellOrigin::Empty ? QString::fromStdString(c.reason)
                                                  : QString("%1 (%2)").arg(cellText(c, m_picture.quantity), QString(cellOriginName(c.origin)));
            QToolTip::showText(help->globalPos(), text, this);
        }
        return true;
    }
    return QWidget::event(event);
}

} // namespace caelumen

#include "app/bench/lane_list.h"

#include "app/widgets/theme.h"
#include "report/moon_picture.h"

#include <QPainter>
#include <QStyledItemDelegate>

namespace caelumen {

class LaneList::Model : public QAbstractListModel {
public:
    using QAbstractListModel::QAbstractListModel;
    int rowCount(const QModelIndex& = {}) const override { return static_cast<int>(entries.size()); }
    QVariant data(const QModelIndex& index, int role) const override {
        const LaneEntry& e = entries[static_cast<std::size_t>(index.row())];
        if (role == Qt::DisplayRole) return e.run + " " + e.filter;
        if (role == Qt::AccessibleTextRole)
            return QStringList({e.run + " " + e.filter, e.baseline ? QObject::tr("baseline") : e.kind, e.conditionsShort, e.problem}).join(", ");
        if (role == Qt::ToolTipRole) {
            QString text = e.filter + "\n" + e.conditions;
            if (e.guessed) text += QObject::tr("\nFilter and kind are guessed; double-click to correct them.");
            if (!e.problem.isEmpty()) text += QObject::tr("\nNot measured: ") + e.problem;
            if (!e.baseline && e.problem.isEmpty())
                text += e.fairness && *e.fairness != Grade::Note
                            ? QObject::tr("\nAgainst the baseline %1 by: %2")
                                  .arg(*e.fairness == Grade::Voids ? QObject::tr("voided") : QObject::tr("weakened"), e.unfair)
                            : QObject::tr("\nA fair pair with the baseline.");
            return text;
        }
        return {};
    }
    void set(std::vector<LaneEntry> list) {
        beginResetModel();
        entries = std::move(list);
        endResetModel();
    }
    std::vector<LaneEntry> entries;
};

namespace {

class LaneDelegate : public QStyledItemDelegate {
public:
    LaneDelegate(const std::vector<LaneEntry>& entries, const std::map<QString, QString>& readouts, QObject* parent)
        : QStyledItemDelegate(parent)
        , m_entries(entries)
        , m_readouts(readouts) {}

    QSize sizeHint(const QStyleOptionViewItem& option, const QModelIndex&) const override { return {180, 3 * option.fontMetrics.height() + 22}; }

    void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override {
        const LaneEntry& e = m_entries[static_cast<std::size_t>(index.row())];
        const Theme& t = theme();
        const QRect box = option.rect.adjusted(4, 3, -4, -3);
        const bool current = option.state & QStyle::State_Selected;
        painter->save();
        painter->setRenderHint(QPainter::Antialiasing);
        painter->setPen(QPen(current ? t.accent : t.line, 1));
        painter->setBrush(current ? t.raised : t.panel);
        painter->drawRoundedRect(box, 5, 5);
        painter->setPen(Qt::NoPen);
        painter->setBrush(e.style.colour);
        painter->drawRoundedRect(QRect(box.left(), box.top() + 6, 3, box.height() - 12), 1, 1);
        const int line = option.fontMetrics.height();
        const QRect text = box.adjusted(36, 7, -8, -6);
        painter->translate(box.left() + 19, box.top() + 8 + line / 2);
        painter->fillPath(e.style.marker(8), e.style.colour);
        painter->translate(-(box.left() + 19), -(box.top() + 8 + line / 2));
        QFont small = option.font;
        small.setPixelSize(letters(10));
        painter->setFont(small);
        painter->setPen(t.dim);
        painter->drawText(QRect(box.left() + 8, box.top() + 12 + line, 22, line), Qt::AlignCenter, QString::number(e.style.number));

        QFont bold = option.font;
        bold.setWeight(QFont::DemiBold);
        painter->setFont(bold);
        painter->setPen(t.text);
        if (e.fairness && *e.fairness != Grade::Note) { // the lamp of this pair: a half or a full mark, not by colour alone
            const QPointF lamp(box.right() - 12, box.top() + 9 + line / 2.0 + line);
            const QColor colour = *e.fairness == Grade::Voids ? t.bad : t.warn;
            painter->setPen(QPen(colour, 1.4));
            painter->setBrush(*e.fairness == Grade::Voids ? QBrush(colour) : QBrush(Qt::NoBrush));
            painter->drawEllipse(lamp, 5, 5);
            painter->setBrush(colour);
            if (*e.fairness == Grade::Weakens) painter->drawPie(QRectF(lamp.x() - 5, lamp.y() - 5, 10, 10), 90 * 16, 180 * 16);
            painter->setBrush(Qt::NoBrush);
            painter->setPen(t.text);
        }
        QString title = e.run + "  " + e.filter + (e.guessed ? "?" : "");
        painter->drawText(QRect(text.left(), text.top(), text.width(), line), Qt::AlignVCenter,
                          QFontMetrics(bold).elidedText(title, Qt::ElideRight, text.width()));
        painter->setFont(option.font);
        painter->setPen(e.problem.isEmpty() ? t.dim : t.bad);
        const QString second = !e.problem.isEmpty() ? QObject::tr("not measured") : e.baseline ? QObject::tr("baseline \u00B7 %1").arg(e.kind) : e.kind;
        painter->drawText(QRect(text.left(), text.top() + line + 2, text.width(), line), Qt::AlignVCenter,
                          option.fontMetrics.elidedText(second, Qt::ElideRight, text.width() - 16));
        int left = text.left();
        if (const auto readout = m_readouts.find(e.run); readout != m_readouts.end()) {
            painter->setPen(t.text);
            painter->drawText(QRect(left, text.top() + 2 * line + 4, text.right() - left, line), Qt::AlignVCenter, readout->second);
            painter->restore();
            return;
        }
        if (e.sky) {
            const QRectF moon(left, text.top() + 2 * line + 5, line - 3, line - 3);
            const bool down = e.sky->moon.alt_deg <= 0;
            drawMoon(*painter, moon, e.sky->moonIlluminated, e.sky->moonWaxing, e.south, down ? t.dim : t.text, t.window);
            left += line + 3;
        }
        painter->setPen(t.dim);
        painter->drawText(QRect(left, text.top() + 2 * line + 4, text.right() - left, line), Qt::AlignVCenter,
                          option.fontMetrics.elidedText(e.conditionsShort, Qt::ElideRight, text.right() - left));
        painter->restore();
    }

private:
    const std::vector<LaneEntry>& m_entries;
    const std::map<QString, QString>& m_readouts;
};

} // namespace

LaneList::LaneList(QWidget* parent)
    : QListView(parent)
    , m_model(new Model(this)) {
    setModel(m_model);
    setItemDelegate(new LaneDelegate(m_model->entries, m_readouts, this));
    setSelectionMode(QAbstractItemView::SingleSelection);
    setVerticalScrollMode(QAbstractItemView::ScrollPerPixel);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    setContextMenuPolicy(Qt::CustomContextMenu);
    setAccessibleName(tr("Runs"));
    connect(selectionModel(), &QItemSelectionModel::currentChanged, this, [this] {
        if (const QString run = currentRun(); !run.isEmpty()) emit chosen(run);
    });
    connect(this, &QListView::doubleClicked, this, [this] { emit opened(currentRun()); });
}

void LaneList::setEntries(std::vector<LaneEntry> entries) {
    const QString before = currentRun();
    const QSignalBlocker quiet(selectionModel());
    m_model->set(std::move(entries));
    setCurrentRun(before);
}

void LaneList::setCurrentRun(const QString& run) {
    for (std::size_t i = 0; i < m_model->entries.size(); ++i)
        if (m_model->entries[i].run == run) setCurrentIndex(m_model->index(static_cast<int>(i)));
}

void LaneList::setReadouts(std::map<QString, QString> readouts) {
    if (readouts == m_readouts) return;
    m_readouts = std::move(readouts);
    viewport()->update();
}

QString LaneList::currentRun() const {
    const QModelIndex index = currentIndex();
    return index.isValid() ? m_model->entries[static_cast<std::size_t>(index.row())].run : QString();
}

} // namespace caelumen

#include "app/bench/fairness_list.h"

#include "app/widgets/core_words.h"
#include "app/widgets/theme.h"
#include "core/model/quantity.h"

#include <QPainter>
#include <QScrollBar>
#include <QStyledItemDelegate>
#include <QTextLayout>

namespace caelumen {
namespace {

constexpr int kGrade = Qt::UserRole, kSubject = Qt::UserRole + 1;

class Delegate : public QStyledItemDelegate {
public:
    using QStyledItemDelegate::QStyledItemDelegate;

    QSize sizeHint(const QStyleOptionViewItem& option, const QModelIndex& index) const override {
        // Room for the scroll bar is always kept, so that its coming does not change the wrapping.
        const auto* list = static_cast<const QListWidget*>(option.widget);
        const int width = list->width() - list->verticalScrollBar()->sizeHint().width() - 36;
        const QRect text = option.fontMetrics.boundingRect(QRect(0, 0, std::max(80, width), 10000), Qt::TextWordWrap, index.data().toString());
        return {width, text.height() + option.fontMetrics.height() + 10};
    }
    void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override {
        const Theme& t = theme();
        const int grade = index.data(kGrade).toInt();
        const QColor colour = grade == 2 ? t.bad : grade == 1 ? t.warn : t.dim;
        painter->save();
        painter->setRenderHint(QPainter::Antialiasing);
        const auto* list = static_cast<const QListWidget*>(option.widget);
        QRect box = option.rect.adjusted(8, 3, -6, -3);
        box.setWidth(list->width() - list->verticalScrollBar()->sizeHint().width() - 18);
        // A full, half or empty mark: grade without colour.
        const QPointF c(box.left() + 6, box.top() + option.fontMetrics.height() / 2.0 + 1);
        painter->setPen(QPen(colour, 1.4));
        painter->setBrush(Qt::NoBrush);
        painter->drawEllipse(c, 5, 5);
        painter->setBrush(colour);
        if (grade == 2) painter->drawEllipse(c, 5, 5);
        if (grade == 1) painter->drawPie(QRectF(c.x() - 5, c.y() - 5, 10, 10), 90 * 16, 180 * 16);
        painter->setPen(colour);
        QFont bold = option.font;
        bold.setWeight(QFont::DemiBold);
        painter->setFont(bold);
        painter->drawText(QRect(box.left() + 18, box.top(), box.width() - 18, option.fontMetrics.height()), Qt::AlignVCenter, index.data(kSubject).toString());
        painter->setFont(option.font);
        painter->setPen(t.text);
        painter->drawText(box.adjusted(18, option.fontMetrics.height() + 1, 0, 0), Qt::TextWordWrap, index.data().toString());
        painter->restore();
    }
};

} // namespace

FairnessList::FairnessList(QWidget* parent)
    : QListWidget(parent) {
    setItemDelegate(new Delegate(this));
    setSelectionMode(QAbstractItemView::NoSelection);
    setVerticalScrollMode(QAbstractItemView::ScrollPerPixel);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    setResizeMode(QListView::Adjust);
    setAccessibleName(tr("What else differed"));
}

void FairnessList::show(const TrialResults* results, const QString& run) {
    clear();
    if (!results) return;
    for (const Unfairness& f : results->fairness) {
        if (!run.isEmpty() && f.run != run.toStdString()) continue;
        auto* item = new QListWidgetItem(QString::fromStdString(f.text) + (f.normalised ? tr(" (Allowed for.)") : QString()), this);
        item->setData(kGrade, static_cast<int>(f.grade));
        QString subject = QString::fromStdString(f.subject).replace('_', ' ');
        item->setData(kSubject, tr("Run %1: %2, %3")
                                    .arg(QString::fromStdString(f.run), subject,
                                         f.grade == Grade::Voids     ? tr("voids")
                                         : f.grade == Grade::Weakens ? tr("weakens")
                                                                     : tr("note")));
        QStringList touched;
        for (const std::string& q : f.quantities)
            if (const Quantity* known = quantity(q)) touched << coreWord(known->label);
        item->setToolTip(tr("Touches: %1").arg(touched.join(", ")));
    }
    if (count() == 0) {
        auto* item = new QListWidgetItem(run.toStdString() == results->baseline ? tr("The others are held against this run.")
                                                                                : tr("Nothing that is known of: only the filter differed."),
                                         this);
        item->setData(kGrade, 0);
        item->setData(kSubject, tr("Fair"));
    }
}

} // namespace caelumen

#include "app/widgets/plain_table.h"

#include "app/widgets/copied.h"
#include "app/widgets/theme.h"

#include <QHeaderView>
#include <QTableWidget>

namespace caelumen {

void plainTable(QTableWidget& table, const QString& name) {
    table.setAccessibleName(name);
    table.setTabKeyNavigation(false); // Tab goes on to the next control; arrows go through the cells
    table.setSelectionBehavior(QAbstractItemView::SelectRows);
    table.setSelectionMode(QAbstractItemView::SingleSelection);
    table.setEditTriggers(QAbstractItemView::NoEditTriggers);
    table.setShowGrid(false);
    table.setFrameShape(QFrame::NoFrame);
    table.setWordWrap(false);
    table.setHorizontalScrollMode(QAbstractItemView::ScrollPerPixel);
    table.verticalHeader()->hide();
    table.verticalHeader()->setDefaultSectionSize(letters(22));
}

QString tableText(const QTableWidget& table) {
    QStringList head;
    for (int c = 0; c < table.columnCount(); ++c) head << table.horizontalHeaderItem(c)->text();
    QString out = copiedRow(head);
    for (int r = 0; r < table.rowCount(); ++r) {
        QStringList row;
        for (int c = 0; c < table.columnCount(); ++c) row << (table.item(r, c) ? copiedName(table.item(r, c)->text().toStdString()) : QString());
        out += copiedRow(row);
    }
    return out;
}

} // namespace caelumen

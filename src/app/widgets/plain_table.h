#pragma once

#include <QString>

class QTableWidget;

namespace caelumen {

/// A table to be read: rows are chosen, nothing is edited, no grid; `name` for those who do not see it.
void plainTable(QTableWidget& table, const QString& name);

/// All of it with its headings, tab-separated, to be copied.
QString tableText(const QTableWidget& table);

} // namespace caelumen

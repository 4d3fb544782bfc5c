#pragma once

#include "core/base/tables.h"

#include <QString>
#include <QStringList>

namespace caelumen {

/// A name as a cell of a table that is copied: it stays in its cell, and no spreadsheet takes it for a formula.
inline QString copiedName(const std::string& name) {
    return QString::fromStdString(harmlessCell(name)).simplified();
}

/// A row of a table that is copied.
inline QString copiedRow(const QStringList& cells) {
    return cells.join('\t') + '\n';
}

} // namespace caelumen

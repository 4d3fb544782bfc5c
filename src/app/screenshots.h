#pragma once

#include <QString>

namespace caelumen {

class MainWindow;

/// Visits each state worth showing with the demo campaign and writes one PNG each into `folder`. 0 when all were written.
int takeScreenshots(MainWindow& window, const QString& folder);

} // namespace caelumen

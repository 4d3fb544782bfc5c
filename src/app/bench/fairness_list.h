#pragma once

#include "core/model/results.h"

#include <QListWidget>

namespace caelumen {

/// What besides the filter differed, worst first, for one run or for all.
class FairnessList : public QListWidget {
    Q_OBJECT

public:
    explicit FairnessList(QWidget* parent = nullptr);
    void show(const TrialResults* results, const QString& run); ///< an empty run shows all
};

} // namespace caelumen

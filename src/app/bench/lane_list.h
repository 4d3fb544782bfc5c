#pragma once

#include "core/model/results.h"
#include "core/sky/ephemeris.h"
#include "report/filter_style.h"

#include <QAbstractListModel>
#include <QListView>

#include <map>
#include <optional>
#include <vector>

namespace caelumen {

/// What a lane shows of a run.
struct LaneEntry {
    QString run, filter, kind, conditions, conditionsShort;
    FilterStyle style;
    std::optional<SkyMoment> sky;
    bool south = false, baseline = false, guessed = false, aligned = true;
    QString problem;               ///< why it is not measured
    std::optional<Grade> fairness; ///< the worst of what differed from the baseline; nothing: nothing did, or it is the baseline
    QString unfair;                ///< what weakens or voids the comparison
};

/// The runs of a trial, one under another, each with its conditions and a drawn moon.
class LaneList : public QListView {
    Q_OBJECT

public:
    explicit LaneList(QWidget* parent = nullptr);
    void setEntries(std::vector<LaneEntry> entries);
    void setCurrentRun(const QString& run);
    /// What stands in each run under the cursor, in place of its conditions; empty: the conditions again.
    void setReadouts(std::map<QString, QString> readouts);
    const std::map<QString, QString>& readouts() const { return m_readouts; }
    QString currentRun() const;

signals:
    void chosen(const QString& run);
    void opened(const QString& run); ///< double click: correct its facts

private:
    class Model;
    Model* m_model;
    std::map<QString, QString> m_readouts;
};

} // namespace caelumen

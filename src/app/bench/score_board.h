#pragma once

#include "app/bench/score_panel.h"
#include "core/model/results.h"

#include <QWidget>

class QLabel;
class QToolButton;

namespace caelumen {

/// The answer in a sentence, and the scores of all runs beneath it.
class ScoreBoard : public QWidget {
    Q_OBJECT

public:
    explicit ScoreBoard(QWidget* parent = nullptr);

    /// `nebula` and `halo`: the regions that scores are of.
    void fill(const Trial& trial, const TrialResults* results, const QString& nebula, const QString& halo, bool stale);
    void setAnswer(const QString& sentence);
    void setCurrent(const QString& run, const QString& score);
    ScorePanel* panel(const QString& score) const;
    bool bestFirst() const;
    void setBestFirst(bool on);

signals:
    void clicked(const QString& score, const QString& run);
    void orderChanged();

private:
    QLabel* m_answer;
    QToolButton* m_order;
    std::vector<ScorePanel*> m_panels;
};

} // namespace caelumen

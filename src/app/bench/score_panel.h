#pragma once

#include "core/compare/scores.h"
#include "report/filter_style.h"

#include <QWidget>

#include <optional>
#include <vector>

namespace caelumen {

/// One row of a score: a run's value with its whisker.
struct ScoreRow {
    QString run;
    FilterStyle style;
    std::optional<double> value, sigma;
    QString text; ///< the value in words, or why there is none
    QString tip;
    bool limit = false, baseline = false, unfair = false;
    bool tied = false; ///< cannot be told from its neighbour in the ranking
};

/// One of the five scores as a chart of values with whiskers, one row a run, in the order of the lanes. Clicking a row asks for its evidence.
class ScorePanel : public QWidget {
    Q_OBJECT

public:
    ScorePanel(const Score& score, QWidget* parent = nullptr);
    void setRows(std::vector<ScoreRow> rows, const QString& subtitle, bool stale);
    void setCurrent(const QString& run, bool active);
    const Score& score() const { return m_score; }
    QSize sizeHint() const override { return {196, 180}; }

signals:
    void clicked(const QString& score, const QString& run);

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    bool event(QEvent* event) override;

private:
    int rowAt(int y) const;
    int rowTop() const;
    double rowHeight() const;
    const Score& m_score;
    std::vector<ScoreRow> m_rows;
    QString m_subtitle, m_current;
    bool m_active = false, m_stale = false;
};

} // namespace caelumen

#pragma once

#include "core/compare/scores.h"
#include "report/whiskers.h"

#include <QWidget>

#include <optional>
#include <vector>

namespace caelumen {

/// One row of a score: a run's value with its whisker.
struct ScoreRow : Whisker {
    QString run, tip;
    bool tied = false; ///< cannot be told from its neighbour in the ranking
};

/// What stands above the rows.
struct ScoreHead {
    QString title, subtitle; ///< which score, of which region; the figure and its unit
    bool higherIsBetter = true;
    QString way() const; ///< which way is better
};

/// One score as a chart of values with whiskers, one row a run. Numbers are never cut: the chart gives way, then the panel grows wider. Clicking a row, or
/// Return on it, asks for its evidence.
class ScorePanel : public QWidget {
    Q_OBJECT

public:
    ScorePanel(const Score& score, QWidget* parent = nullptr);
    void setRows(std::vector<ScoreRow> rows, const ScoreHead& head, bool stale);
    void setCurrent(const QString& run, bool active);
    const Score& score() const { return m_score; }
    const std::vector<ScoreRow>& rows() const { return m_rows; }
    QRect rowRect(const QString& run) const;
    QSize sizeHint() const override;
    QSize minimumSizeHint() const override;

signals:
    void clicked(const QString& score, const QString& run);

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void focusInEvent(QFocusEvent* event) override;
    void focusOutEvent(QFocusEvent* event) override;
    bool event(QEvent* event) override;

private:
    int rowAt(int y) const;
    int rowTop() const;
    double rowHeight() const;
    int wordsWidth() const; ///< what the longest value needs
    QString wordsOf(const ScoreRow& row) const;
    void paintHead(QPainter& painter) const;
    void paintRow(QPainter& painter, const ScoreRow& row, const QRectF& place, const WhiskerScale& scale) const;
    void speak();

    const Score& m_score;
    std::vector<ScoreRow> m_rows;
    ScoreHead m_head;
    QString m_current;
    bool m_active = false, m_stale = false;
};

} // namespace caelumen

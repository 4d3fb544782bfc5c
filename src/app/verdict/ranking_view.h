#pragma once

#include "report/whiskers.h"

#include <QString>
#include <QWidget>

namespace caelumen {

/// Filters in the order of their scores: a bar from the baseline with its error, what each merit adds, the chance of being best, and who cannot be told apart.
class RankingView : public QWidget {
    Q_OBJECT

public:
    explicit RankingView(QWidget* parent = nullptr);
    void show(std::vector<RankingRow> rows, const QString& empty); ///< `empty`: what stands there without rows
    const std::vector<RankingRow>& rows() const { return m_rows; }
    int chosen() const { return m_chosen; }
    void choose(int row);
    QRectF placeOf(int row) const;
    QSize sizeHint() const override;
    QSize minimumSizeHint() const override;

signals:
    void rowChosen(int row);
    void rowOpened(int row); ///< its pixels are wanted

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

private:
    double rowHeight() const;
    struct Chart;
    void paintRow(QPainter& painter, const RankingRow& row, const QRectF& place, const Chart& chart) const;
    void paintParts(QPainter& painter, const RankingRow& row, double middle, const Chart& chart) const;
    void paintKey(QPainter& painter, double top) const;
    std::vector<RankingRow> m_rows;
    QString m_empty;
    int m_chosen = 0;
};

} // namespace caelumen

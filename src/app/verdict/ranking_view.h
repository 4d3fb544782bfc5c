#pragma once

#include "core/verdict/verdict.h"
#include "report/filter_style.h"

#include <QString>
#include <QWidget>

namespace caelumen {

/// Filters in the order of their scores: a bar from the baseline with its error, what each merit adds, the chance of being best, and who cannot be told apart.
class RankingView : public QWidget {
    Q_OBJECT

public:
    struct Row {
        QString id, name, ties;
        FilterStyle style;
        double score = 0, sigma = 0, chance = 0;
        std::array<double, kMerits.size()> parts{}; ///< of the score
    };
    explicit RankingView(QWidget* parent = nullptr);
    void show(std::vector<Row> rows, const QString& empty); ///< `empty`: what stands there without rows
    const std::vector<Row>& rows() const { return m_rows; }
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
    std::vector<Row> m_rows;
    QString m_empty;
    int m_chosen = 0;
};

} // namespace caelumen

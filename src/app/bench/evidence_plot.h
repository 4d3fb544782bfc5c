#pragma once

#include "app/bench/evidence_drawing.h"

#include <QVector>
#include <QWidget>

#include <map>
#include <vector>

class QCPGraph;
class QComboBox;
class QCustomPlot;
class QLabel;
class QPushButton;

namespace caelumen {

/// The plot a figure was read from, drawn with QCustomPlot. Zooms and moves with the mouse, goes back to the whole by double click, and is copied from its
/// menu.
class EvidencePlot : public QWidget {
    Q_OBJECT

public:
    explicit EvidencePlot(QWidget* parent = nullptr);
    void show(const QString& score, const EvidenceSubject& subject);
    void clear(const QString& why, bool factsWanted = false); ///< factsWanted: giving facts may help
    QString csv() const;                                      ///< what is plotted, as a table
    QCustomPlot* plot() const { return m_plot; }
    QPushButton* factsButton() const { return m_facts; }
    QComboBox* kindBox() const { return m_kind; }
    QString words() const; ///< what stands beneath

signals:
    void factsAsked();  ///< what is not known hinders the figure
    void kindChanged(); ///< to be shown anew
    void saveAsked(const QString& suffix);
    void starsChosen(const std::vector<caelumen::Point>& stars); ///< whose points were clicked, baseline pixels

protected:
    void resizeEvent(QResizeEvent* event) override;

private:
    /// What a graph shows, whole; what is drawn of it is what lies near the plot.
    struct Series {
        QCPGraph* graph = nullptr;
        QVector<double> key, value;
    };
    void drawNear();
    void fitWords();
    void clickedAt(QPointF at);
    void menu(const QPoint& at);
    void copyPicture() const;
    void copyNumbers() const;
    void offerKinds(const QString& score);

    std::vector<Series> m_series;
    QString m_score;
    std::map<QString, int> m_chosen; ///< kind by score
    QLabel* m_title;
    QComboBox* m_kind;
    QLabel* m_text;
    QWidget* m_wordsRoom = nullptr;
    QCustomPlot* m_plot;
    QPushButton* m_facts;
    std::vector<std::pair<QPointF, Point>> m_stars; ///< of a colour diagram: its points, and where their stars are
    std::pair<double, double> m_wholeX, m_wholeY;
};

} // namespace caelumen

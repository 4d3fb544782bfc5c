#pragma once

#include "core/model/trial.h"

#include <QSize>
#include <QWidget>

class QDoubleSpinBox;
class QLabel;
class QTableWidget;

namespace caelumen {

/// The halos that a rig's gaps make, drawn to scale on the sensor, and the way back: from a halo's diameter to the gap that makes it.
class GhostPanel : public QWidget {
    Q_OBJECT

public:
    struct Content {
        Rig rig;
        double fRatio = 5, obstruction = 0;
        std::optional<double> glass_mm; ///< of the filter
        QSize sensor;                   ///< pixels; empty: not known, then the frame is left out
    };

    explicit GhostPanel(QWidget* parent = nullptr);
    void show(const Content& content);
    QTableWidget& gaps() { return *m_gaps; }
    QDoubleSpinBox& diameter() { return *m_diameter; }
    QDoubleSpinBox& gap() { return *m_gap; }
    QString answer() const;

signals:
    void gapsEdited(const std::map<std::string, double>& gaps_mm);

private:
    class Drawing;
    void fillTable();
    void readTable();
    void addRow();
    void removeRow();
    void solve(bool fromDiameter);

    Content m_content;
    Drawing* m_drawing;
    QTableWidget* m_gaps;
    QDoubleSpinBox *m_diameter, *m_gap;
    QLabel* m_answer;
};

} // namespace caelumen

#pragma once

#include "app/job_service.h"
#include "app/kit/chart_view.h"

#include <QDialog>

class QButtonGroup;
class QCheckBox;
class QDoubleSpinBox;
class QLabel;
class QPushButton;
class QUndoStack;

namespace caelumen {

/// Reads a curve off the picture of a printed chart: two marks on each axis, then the line is followed by its colour or set point by point, and corrected.
class ChartDialog : public QDialog {
    Q_OBJECT

public:
    ChartDialog(const QImage& picture, const QString& name, QWidget* parent = nullptr);

    Curve curve() const; ///< empty until marks and points are set
    ChartView& view() { return *m_view; }
    bool busy() const { return m_jobs.busy(); }
    QString advice() const;
    void clicked(ChartPoint at); ///< on the picture, with the tool in hand

private:
    enum Tool { Wavelength1, Wavelength2, Transmission1, Transmission2, Follow, Points };
    class Change;
    QWidget* buildSteps();
    void hovered(ChartPoint at);
    void follow(ChartPoint at);
    void set(const ChartMarks& marks, const QString& what);
    void put(const ChartMarks& marks);
    void sortPoints(ChartMarks& marks) const;
    std::optional<ChartScale> scale() const;
    void refresh();

    ChartPicture m_picture;
    ChartMarks m_marks, m_before; ///< m_before: at the start of a drag
    JobService m_jobs;
    QUndoStack* m_undo;
    ChartView* m_view;
    QButtonGroup* m_tools;
    std::array<QDoubleSpinBox*, 4> m_values;
    QCheckBox* m_logarithmic;
    QLabel *m_advice, *m_reading, *m_found;
    QPushButton* m_use;
    QString m_trouble;
};

} // namespace caelumen

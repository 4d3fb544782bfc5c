#pragma once

#include <QTableWidget>

namespace caelumen {

class SubsModel;

/// All runs side by side: what was kept, and what each reason cost in minutes.
class RunTable : public QTableWidget {
    Q_OBJECT

public:
    explicit RunTable(SubsModel& model, QWidget* parent = nullptr);
    void fill();
    QString text() const; ///< tab-separated

signals:
    void chosen(int group);

protected:
    void keyPressEvent(QKeyEvent* event) override;

private:
    SubsModel& m_model;
};

} // namespace caelumen

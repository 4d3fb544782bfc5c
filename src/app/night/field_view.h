#pragma once

#include <QWidget>

namespace caelumen {

class NightModel;

/// The frame with the target's size in it.
class FieldView : public QWidget {
    Q_OBJECT

public:
    explicit FieldView(NightModel& model, QWidget* parent = nullptr);

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    NightModel& m_model;
};

} // namespace caelumen

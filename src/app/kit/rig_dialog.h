#pragma once

#include "app/widgets/form_fields.h"
#include "core/model/trial.h"

#include <QDialog>

namespace caelumen {

/// The telescope as light sees it: focal length with what shortens it, pupil, spacing, and the glass in the way.
class RigDialog : public QDialog {
    Q_OBJECT

public:
    RigDialog(const Rig& rig, QWidget* parent = nullptr);
    Rig rig() const { return m_rig; } ///< with the changes, once accepted
    void accept() override;

private:
    Rig m_rig;
    QLineEdit* m_name;
    OptionalNumber m_focal, m_reducer, m_aperture, m_obstruction, m_pixel, m_spacing, m_glass;
    QLabel* m_problem;
};

} // namespace caelumen

#include "app/kit/rig_dialog.h"

#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>

namespace caelumen {

RigDialog::RigDialog(const Rig& rig, QWidget* parent)
    : QDialog(parent)
    , m_rig(rig) {
    setWindowTitle(tr("Telescope of the trial"));
    auto* form = new QFormLayout;
    m_name = new QLineEdit(QString::fromStdString(rig.name));
    m_name->setCursorPosition(0);
    form->addRow(tr("Name"), m_name);
    m_focal = field(form, tr("Focal length, as used (mm)"), rig.focal_length_mm, {}, 1, 1e5);
    m_reducer = field(form, tr("Reducer in it (factor)"), rig.reducer, {}, 0.1, 5);
    m_reducer.edit->setPlaceholderText(tr("none"));
    m_aperture = field(form, tr("Aperture (mm)"), rig.aperture_mm, {}, 1, 1e4);
    m_obstruction = field(form, tr("Obstruction (0 to 0.95)"), rig.obstruction, {}, 0, 0.95);
    m_pixel = field(form, tr("Pixel (\u00B5m)"), rig.pixel_um, {}, 0.1, 100);
    m_spacing = field(form, tr("Spacing behind the corrector (mm)"), rig.back_focus_mm, {}, 0.1, 1000);
    m_spacing.edit->setToolTip(tr("The distance to the sensor that the corrector or reducer asks for, in air"));
    m_glass = field(form, tr("Glass of a filter (mm)"), rig.filter_thickness_mm, {}, 0, 100);
    m_glass.edit->setToolTip(tr("Used where a filter's own thickness is not known"));
    finish(this, form, m_problem = problemLabel());
}

void RigDialog::accept() {
    if (!check({{"Focal length", &m_focal},
                {"Reducer", &m_reducer},
                {"Aperture", &m_aperture},
                {"Obstruction", &m_obstruction},
                {"Pixel", &m_pixel},
                {"Spacing", &m_spacing},
                {"Glass", &m_glass}},
               m_problem))
        return;
    m_rig.name = m_name->text().trimmed().toStdString();
    m_rig.focal_length_mm = get(m_focal);
    m_rig.reducer = get(m_reducer);
    m_rig.aperture_mm = get(m_aperture);
    m_rig.obstruction = get(m_obstruction);
    m_rig.pixel_um = get(m_pixel);
    m_rig.back_focus_mm = get(m_spacing);
    m_rig.filter_thickness_mm = get(m_glass);
    QDialog::accept();
}

} // namespace caelumen

#include "app/subs/told_dialog.h"

#include <QComboBox>
#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>

namespace caelumen {

ToldDialog::ToldDialog(const QString& title, const ToldFacts& told, const IntakeFrame& header, QWidget* parent)
    : QDialog(parent)
    , m_told(told) {
    setWindowTitle(tr("Facts of %1").arg(title));
    auto* form = new QFormLayout;
    const auto words = [&](const QString& label, const std::string& own, const std::string& known) {
        auto* edit = new QLineEdit(QString::fromStdString(own));
        edit->setPlaceholderText(known.empty() ? tr("not known") : QString::fromStdString(known));
        form->addRow(label, edit);
        return edit;
    };
    m_filter = words(tr("Filter"), told.filter, header.filter);
    m_target = words(tr("Target"), told.target, header.target);
    m_exposure = field(form, tr("Exposure of a sub (s)"), told.exposure_s, header.exposure_s, 1e-4, 1e6);
    m_gain = field(form, tr("Gain (e-/ADU)"), told.gain_e_per_adu, {}, 1e-4, 1e5);
    m_gain.edit->setPlaceholderText(tr("as header, rig or camera say"));
    m_bayer = bayerBox(told.bayer, header.mosaic.empty() ? tr("none") : QString::fromStdString(header.mosaic));
    form->addRow(tr("Colour mosaic"), m_bayer);
    m_latitude = field(form, tr("Latitude (\u00B0, north +)"), told.latitude_deg, {}, -90, 90);
    m_longitude = field(form, tr("Longitude (\u00B0, east +)"), told.longitude_deg, header.longitude_deg, -180, 360);
    m_problem = problemLabel();
    finish(this, form, m_problem);
}

void ToldDialog::accept() {
    if (!check({{"Exposure of a sub", &m_exposure}, {"Gain", &m_gain}, {"Latitude", &m_latitude}, {"Longitude", &m_longitude}}, m_problem)) return;
    const ToldFacts told{m_filter->text().trimmed().toStdString(),
                         m_target->text().trimmed().toStdString(),
                         m_bayer->currentData().toString().toStdString(),
                         get(m_exposure),
                         get(m_gain),
                         get(m_latitude),
                         get(m_longitude)};
    if (told.latitude_deg.has_value() != told.longitude_deg.has_value()) {
        m_problem->setText(tr("A place needs both: latitude and longitude."));
        m_problem->show();
        (told.latitude_deg ? m_longitude : m_latitude).edit->setFocus();
        return;
    }
    m_told = told;
    QDialog::accept();
}

} // namespace caelumen

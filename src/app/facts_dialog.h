#pragma once

#include "app/widgets/form_fields.h"
#include "core/model/results.h"
#include "core/model/trial.h"

#include <QDialog>

class QComboBox;
class QLabel;
class QLineEdit;

namespace caelumen {

class FileField;
class Prompts;

/// The facts of one run and its filter, for correction. Empty fields are taken from the frame's header.
class RunFactsDialog : public QDialog {
    Q_OBJECT

public:
    RunFactsDialog(const Trial& trial, const std::string& run, const TrialResults* results, Prompts& prompts, QWidget* parent = nullptr);
    Trial trial() const { return m_trial; } ///< with the changes, once accepted
    void accept() override;

private:
    Trial m_trial;
    std::string m_run;
    QLineEdit *m_filterName, *m_start, *m_note;
    QComboBox *m_kind, *m_combine, *m_bayer;
    OptionalNumber m_exposure, m_count, m_gain, m_pedestal, m_temperature, m_shortExposure, m_shortCount;
    FileField *m_short, *m_odd, *m_even;
    QLabel* m_problem;

    void refuse(const QString& sentence, QWidget* field);
    bool filesHold();
};

/// Where, on what and with what the trial was made.
class TrialFactsDialog : public QDialog {
    Q_OBJECT

public:
    TrialFactsDialog(const Trial& trial, QWidget* parent = nullptr);
    Trial trial() const { return m_trial; }
    void accept() override;

private:
    Trial m_trial;
    QLineEdit *m_title, *m_site, *m_target, *m_rig;
    OptionalNumber m_latitude, m_longitude, m_bortle, m_sqm, m_ra, m_dec, m_focal, m_aperture, m_obstruction, m_pixel, m_gain, m_pedestal, m_fullWell;
    QLabel* m_problem;
};

} // namespace caelumen

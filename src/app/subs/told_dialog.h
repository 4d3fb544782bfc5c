#pragma once

#include "app/subs/subs_decisions.h"
#include "app/widgets/form_fields.h"

#include <QDialog>

namespace caelumen {

/// What a person knows of a group of subs; an empty field is as the headers say, which its grey text shows.
class ToldDialog : public QDialog {
    Q_OBJECT

public:
    ToldDialog(const QString& title, const ToldFacts& told, const IntakeFrame& header, QWidget* parent = nullptr);
    ToldFacts told() const { return m_told; } ///< once accepted
    void accept() override;

private:
    ToldFacts m_told;
    QLineEdit *m_filter, *m_target;
    QComboBox* m_bayer;
    OptionalNumber m_exposure, m_gain, m_latitude, m_longitude;
    QLabel* m_problem;
};

} // namespace caelumen

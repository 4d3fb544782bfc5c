#pragma once

#include "app/widgets/form_fields.h"
#include "core/base/result.h"
#include "core/model/trial.h"

#include <QDialog>

class QListWidget;
class QPlainTextEdit;

namespace caelumen {

class Prompts;

/// Claims as a person writes them, one band a line: centre, width, peak ("656.3, 7, 90 %"); width and peak may be left out. Decimal commas too, where a blank
/// or semicolon parts the numbers.
Result<std::vector<BandClaim>> claimsFromText(const QString& text);
QString claimsToText(const std::vector<BandClaim>& claims);

/// What is known about one filter, for correction.
class FilterDialog : public QDialog {
    Q_OBJECT

public:
    FilterDialog(const Filter& filter, Prompts& prompts, QWidget* parent = nullptr);
    Filter filter() const { return m_filter; } ///< with the changes, once accepted
    void accept() override;
    void addPhoto();

private:
    void showPhoto(const QString& file);
    void complain(const QString& text, QWidget* where);

    Filter m_filter;
    QLineEdit *m_name, *m_mount, *m_currency, *m_certificate;
    QComboBox *m_kind, *m_obtained;
    QLineEdit* m_set = nullptr;
    OptionalNumber m_index, m_madeFor, m_density, m_thickness, m_clear, m_price, m_shipping, m_setSize;
    Prompts& m_prompts;
    QListWidget* m_photos;
    QPlainTextEdit *m_claims, *m_notes;
    QLabel* m_problem;
};

} // namespace caelumen

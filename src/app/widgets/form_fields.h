#pragma once

#include <QString>
#include <QStringList>

#include <initializer_list>
#include <optional>
#include <string>
#include <utility>

class QComboBox;
class QDialog;
class QFormLayout;
class QLabel;
class QLineEdit;
class QSlider;
class QToolButton;

namespace caelumen {

/// A number field that may be empty: then what is known otherwise holds, shown in grey.
struct OptionalNumber {
    QLineEdit* edit = nullptr;
    double low = 0, high = 0;
    std::optional<double> value(bool& valid) const;
};

OptionalNumber field(QFormLayout* form, const QString& label, std::optional<double> value, std::optional<double> otherwise, double low, double high);
/// What the field says; for fields that were checked.
std::optional<double> get(const OptionalNumber& f);
/// Shows the first field that does not hold; true when all do.
bool check(std::initializer_list<std::pair<const char*, const OptionalNumber*>> fields, QLabel* problem);

/// A kind of filter in words; "other" for one that is not known.
QString kindName(const std::string& kind);
/// Kinds of filters, their ids as data.
QComboBox* kindBox(const std::string& chosen);

/// Colour mosaics as stored, none, or as the header says (`known`, empty: nothing); ids as in a run ("RGGB", "none", "") as data.
QComboBox* bayerBox(const std::string& chosen, const QString& known);

/// A box of texts to choose from.
QComboBox* choices(const QStringList& texts, const QString& tip, const QString& name);
/// A slider across a panel, by its name for those who do not see it.
QSlider* panelSlider(int low, int high, int value, const QString& name);
/// A button that leaves the keys to what lies around it.
QToolButton* quietButton(const QString& text, const QString& tip);
QLabel* problemLabel();
/// The name of a part of a panel.
QLabel* headingLabel(const QString& text);
/// Form, problem and buttons, put together.
void finish(QDialog* dialog, QFormLayout* form, QLabel* problem);

} // namespace caelumen

#pragma once

#include <QLocale>
#include <QString>

namespace caelumen {

/// A number as the language writes it that is spoken: with its point or comma, thousands not set apart. Files take QString::number or fmt instead.
inline QString localNumber(double value, char format = 'g', int digits = 6) {
    QLocale locale;
    locale.setNumberOptions(locale.numberOptions() | QLocale::OmitGroupSeparator);
    return locale.toString(value, format, digits);
}

} // namespace caelumen

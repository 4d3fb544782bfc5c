#pragma once

#include <QString>

namespace caelumen {

/// A value with its error to one digit of the error, two where it begins with a one: "28 +-6", "0.031 +-0.002".
QString withError(double value, double sigma);

} // namespace caelumen

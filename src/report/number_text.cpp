#include "report/number_text.h"

#include "report/local_number.h"

#include <algorithm>
#include <cmath>

namespace caelumen {

QString withError(double value, double sigma) {
    if (!(sigma > 0)) return localNumber(value, 'g', 3);
    const int place = static_cast<int>(std::floor(std::log10(sigma)));
    // One digit of the error, two where it begins with a one.
    const int digits = sigma / std::pow(10, place) < 1.95 ? 1 - place : -place;
    if (digits < 0) {
        const double step = std::pow(10, -digits);
        return QString::fromUtf8("%1 \u00B1%2")
            .arg(localNumber(step * std::round(value / step), 'f', 0))
            .arg(localNumber(step * std::round(sigma / step), 'f', 0));
    }
    return QString::fromUtf8("%1 \u00B1%2").arg(localNumber(value, 'f', std::min(digits, 8))).arg(localNumber(sigma, 'f', std::min(digits, 8)));
}

} // namespace caelumen

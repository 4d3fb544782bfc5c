#include "core/stars/chance_match.h"

#include <algorithm>
#include <cmath>

namespace caelumen {

double chanceMatches_log10(int matched, int tested, double p, double tried) {
    const int hits = std::max(0, matched - 2), places = std::max(0, tested - 2);
    p = std::clamp(p, 1e-12, 1.0);
    tried = std::max(1.0, tried);
    if (hits == 0 || p >= 1 || hits > places) return std::log10(tried) - (hits > places ? 300 : 0);
    // Terms fall from the first one on where it lies above the mean; below it there is nothing to wonder about.
    if (hits <= p * places) return std::log10(tried);
    const double q = std::log(p) - std::log1p(-p);
    const double first =
        std::lgamma(places + 1.0) - std::lgamma(hits + 1.0) - std::lgamma(places - hits + 1.0) + hits * std::log(p) + (places - hits) * std::log1p(-p);
    double sum = 1, term = 1;
    for (int n = hits + 1; n <= places && term > 1e-12 * sum; ++n) {
        term *= std::exp(q) * (places - n + 1) / n;
        sum += term;
    }
    return std::log10(tried) + (first + std::log(sum)) / std::log(10.0);
}

} // namespace caelumen

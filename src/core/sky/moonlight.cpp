#include "core/sky/moonlight.h"

#include "core/sky/ephemeris.h"

#include <algorithm>
#include <cmath>

namespace caelumen {

double nanoLamberts(double magnitude) {
    return 34.08 * std::exp(20.7233 - 0.92104 * magnitude);
}
double magnitudeOf(double b) {
    return (20.7233 - std::log(b / 34.08)) / 0.92104;
}

double moonlightNanoLamberts(double phase, double moonAlt, double targetAlt, double separation, double k) {
    if (moonAlt <= 0 || targetAlt <= 0) return 0;
    const double rad = M_PI / 180;
    const auto airmass = [&](double alt) { return 1 / std::sqrt(1 - 0.96 * std::pow(std::cos(alt * rad), 2)); };
    // Their airmass ends at five on the horizon, where half of the light would still pass: a step when the moon rises. Low down the true one takes over.
    const double low = std::clamp((30 - moonAlt) / 20, 0.0, 1.0), through = (1 - low) * airmass(moonAlt) + low * airmassAt(moonAlt).value_or(airmass(moonAlt));
    const double alpha = std::abs(phase);
    const double intensity = std::pow(10, -0.4 * (3.84 + 0.026 * alpha + 4e-9 * std::pow(alpha, 4)));
    const double scattering = std::pow(10, 5.36) * (1.06 + std::pow(std::cos(separation * rad), 2)) + std::pow(10, 6.15 - separation / 40);
    return scattering * intensity * std::pow(10, -0.4 * k * through) * (1 - std::pow(10, -0.4 * k * airmass(targetAlt)));
}

} // namespace caelumen

#include "core/optics/spectra.h"

#include <cmath>

namespace caelumen {
namespace {

double bump(double nm, double centre, double sigma) {
    const double z = (nm - centre) / sigma;
    return std::abs(z) > 8 ? 0 : std::exp(-0.5 * z * z);
}

} // namespace

Spectrum blackBody(double kelvin) {
    return [kelvin](double nm) {
        const double x = 1.438777e7 / (nm * kelvin); // hc / lambda k T
        const double l = nm / 550;
        return 1 / (l * l * l * l * std::expm1(x));
    };
}

double scaledToV0(const Spectrum& s) {
    double sum = 0, weight = 0;
    for (double nm = 505; nm <= 595; nm += 0.5) {
        const double w = 1 - std::abs(nm - 550) / 45;
        sum += w * s(nm);
        weight += w;
    }
    return kPhotonsV0 * weight / sum;
}

double integrate(const Spectrum& spectrum, const std::function<double(double)>& response) {
    double sum = 0;
    for (double nm = 350; nm <= 1050; nm += 0.5) {
        const double r = response(nm);
        if (r > 0) sum += r * spectrum(nm);
    }
    return 0.5 * sum;
}

Spectrum streetLight(const LampMix& mix) {
    const Spectrum sodium = [](double nm) {
        return 1.2 * bump(nm, 568.5, 2) + 2.2 * bump(nm, 589, 9) + 0.8 * bump(nm, 600, 20) + 0.4 * bump(nm, 615.8, 2) + 0.5 * bump(nm, 498, 2) +
               0.5 * bump(nm, 819, 3) + 0.02;
    };
    const Spectrum lowSodium = [](double nm) { return bump(nm, 589.3, 0.8) + 0.05 * bump(nm, 819, 1); };
    const Spectrum halide = [](double nm) {
        return 0.25 * bump(nm, 500, 90) + 0.9 * bump(nm, 546, 1.5) + 0.6 * bump(nm, 535, 4) + 0.6 * bump(nm, 578, 2) + 0.5 * bump(nm, 436, 1.5) +
               0.5 * bump(nm, 590, 6) + 0.15 * bump(nm, 671, 3);
    };
    const auto led = [](double blue, double phosphor) -> Spectrum {
        return [=](double nm) { return blue * bump(nm, 450, 9) + phosphor * bump(nm, 590, 52) + 0.35 * phosphor * bump(nm, 640, 40); };
    };
    const Spectrum warm = led(0.35, 1), cool = led(0.9, 0.9);
    const double a = mix.highPressureSodium * scaledToV0(sodium), b = mix.lowPressureSodium * scaledToV0(lowSodium), c = mix.metalHalide * scaledToV0(halide),
                 d = mix.ledWarm * scaledToV0(warm), e = mix.ledCool * scaledToV0(cool);
    return [=](double nm) { return a * sodium(nm) + b * lowSodium(nm) + c * halide(nm) + d * warm(nm) + e * cool(nm); };
}

Spectrum naturalSky() {
    const Spectrum sun = blackBody(5800);
    const double scale = 0.6 / sun(550);
    return [=](double nm) {
        return scale * sun(nm) + 0.4 * std::pow(nm / 550, 1.5) + 12 * bump(nm, 557.7, 0.6) + 6 * bump(nm, 630, 0.6) + 2 * bump(nm, 589.2, 0.6);
    };
}

Spectrum moonlitSky() {
    const Spectrum sun = blackBody(5600);
    return [=](double nm) { return sun(nm) * std::pow(nm / 550, -2.2); };
}

} // namespace caelumen

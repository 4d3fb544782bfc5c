#include "core/optics/camera.h"

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

double superGauss(double nm, double centre, double width, double peak, double power) {
    return peak * std::exp(-std::pow(std::abs(nm - centre) / width, power));
}

double edge(double nm, double at, double width) {
    return 1 / (1 + std::exp(-(nm - at) / width));
}

/// Windows: clear glass with its coating; one that stops the near infrared (and takes some hydrogen light); a camera's own blue-green glass.
double clearWindow(double nm) {
    return 0.97 * edge(nm, 345, 6);
}
double cutWindow(double nm) {
    return 0.96 * edge(nm, 400, 4) * (1 - edge(nm, 690, 5));
}
double hydrogenBlockingWindow(double nm) {
    return 0.94 * edge(nm, 405, 5) * (1 - edge(nm, 600, 22));
}

Curve seen(int channel, double (*window)(double)) {
    Curve c;
    for (double nm = 340; nm <= 1050; nm += 0.5) {
        c.wavelength_nm.push_back(nm);
        c.transmission.push_back(window(nm) * sensorEfficiency(channel, nm));
    }
    return c;
}

/// Made-up sensors of the usual kind: small pixels behind a clear or cut window, larger ones in still cameras.
const std::vector<GainStep> kAstro{{0, 0.78, 3.5}, {100, 0.25, 1.5}, {200, 0.08, 1.3}};
const std::vector<GainStep> kStill{{100, 4.6, 9.0}, {400, 1.15, 3.4}, {1600, 0.29, 1.9}};

Camera colourCamera(const char* id, const char* name, double (*window)(double), bool infrared, const char* glass, bool still = false) {
    Camera c{id, name, {}, infrared, glass, still ? 4.3 : 3.76, still ? 60'000 : 51'000, still ? kStill : kAstro, still ? 6000 : 6248, still ? 4000 : 4176};
    const char* names[] = {"R", "G", "B"};
    for (int k = 0; k < 3; ++k) c.channels.push_back({names[k], seen(k, window)});
    return c;
}

} // namespace

double sensorEfficiency(int channel, double nm) {
    const double sensor = nm < 400   ? std::max(0.0, 0.45 + (nm - 400) * 0.006)
                          : nm < 530 ? 0.55 + 0.30 * (nm - 400) / 130
                          : nm < 620 ? 0.85
                                     : std::max(0.0, 0.85 - 0.78 * (nm - 620) / 400);
    if (nm < 340 || nm > 1050) return 0;
    switch (channel) {
    case 0:
        return sensor * (0.93 / (1 + std::exp(-(nm - 588) / 5.5)) + superGauss(nm, 415, 25, 0.05, 2));
    case 1:
        return sensor * std::min(0.95, superGauss(nm, 533, 50, 0.92, 2.6) + 0.05 + (nm > 780 ? 0.8 / (1 + std::exp(-(nm - 820) / 12)) : 0));
    case 2:
        return sensor * std::min(0.95, superGauss(nm, 457, 52, 0.88, 2.8) + 0.03 + (nm > 760 ? 0.85 / (1 + std::exp(-(nm - 810) / 14)) : 0));
    default:
        return sensor;
    }
}

const GainStep* Camera::gainAt(std::optional<double> setting) const {
    if (gains.empty()) return nullptr;
    if (!setting) return &gains.front();
    return &*std::min_element(gains.begin(), gains.end(),
                              [&](const GainStep& a, const GainStep& b) { return std::abs(a.setting - *setting) < std::abs(b.setting - *setting); });
}

const std::vector<Camera>& typicalCameras() {
    static const std::vector<Camera> all{
        colourCamera("colour-clear", "Colour, clear window", clearWindow, true, "clear, coated"),
        colourCamera("colour-cut", "Colour, infrared-cut window", cutWindow, false, "stops the near infrared from 690 nm"),
        {"mono-clear", "Monochrome, clear window", {{"L", seen(3, clearWindow)}}, true, "clear, coated", 3.76, 51'000, kAstro, 6248, 4176},
        colourCamera("still", "Still camera as sold", hydrogenBlockingWindow, false, "blue-green glass that takes most hydrogen light", true),
        colourCamera("still-modified", "Still camera, its filter removed", clearWindow, true, "clear, the blue-green glass taken out", true),
    };
    return all;
}

const Camera& typicalCamera(const std::string& id) {
    const auto& all = typicalCameras();
    const auto it = std::find_if(all.begin(), all.end(), [&](const Camera& c) { return c.id == id; });
    return it == all.end() ? all.front() : *it;
}

} // namespace caelumen

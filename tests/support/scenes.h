#pragma once

#include "core/base/statistics.h"
#include "core/image/plane.h"
#include "core/simulate/demo.h"

#include <QTemporaryDir>
#include <QTest>

#include <string>
#include <vector>

namespace scenes {

/// A made-up plane of which everything is known: flat or sloping sky, noise, Moffat stars.
struct PlaneScene {
    int width = 600, height = 420;
    double sky = 100, slope_u = 0, slope_v = 0, vignette = 0; ///< slopes and vignette as parts of the sky
    double noise = 3;
    int stars = 120;
    double faintest = 400, brightest = 60000; ///< fluxes, drawn evenly in their logarithm
    double fwhm = 3.2, beta = 3, axisRatio = 1, turn_deg = 0;
    double saturation = 1e30;
    unsigned long long seed = 11;
};

struct PlacedStar {
    double x, y, flux;
};

struct MadePlane {
    caelumen::Plane plane;
    std::vector<PlacedStar> stars;
};

MadePlane make(const PlaneScene& scene);
void addStar(caelumen::Plane& plane, double x, double y, double flux, double fwhm, double beta, double axisRatio = 1, double turn_deg = 0);
void addDisc(caelumen::Plane& plane, double x, double y, double radius, double hole, double totalFlux);
void addNoise(caelumen::Plane& plane, double sigma, unsigned long long seed);

/// A small simulated trial of two or more demo filters, fast to make and measure: no nebula dust, one night.
caelumen::SimulatedTrial smallTrial(const std::vector<std::string>& filters, int width = 640);

/// A folder that goes away with the test.
class Folder {
public:
    Folder() = default;
    Folder(const Folder&) = delete;
    Folder& operator=(const Folder&) = delete;
    ~Folder() {
        std::error_code ignored;
        std::filesystem::remove_all(path(), ignored); // Qt leaves files whose names are no UTF-8
    }
    std::filesystem::path path() const { return m_dir.path().toStdString(); }
    std::filesystem::path operator/(const char* name) const { return path() / name; }

private:
    QTemporaryDir m_dir;
};

} // namespace scenes

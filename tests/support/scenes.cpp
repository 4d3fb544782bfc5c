#include "support/scenes.h"

#include <algorithm>
#include <cmath>

namespace scenes {
using namespace caelumen;

void addStar(Plane& plane, double x, double y, double flux, double fwhm, double beta, double axisRatio, double turn_deg) {
    const double a = fwhm / std::sqrt(axisRatio), b = fwhm * std::sqrt(axisRatio), t = turn_deg * M_PI / 180, k = 4 * (std::pow(2, 1 / beta) - 1);
    const double top = flux * (beta - 1) * k / (a * b) / M_PI;
    const int reach = static_cast<int>(std::min(150.0, 6 + fwhm * std::pow(std::max(flux, 1.0) * 10, 1 / (2 * beta))));
    for (int py = std::max(0, static_cast<int>(y) - reach); py <= std::min(plane.height() - 1, static_cast<int>(y) + reach); ++py) {
        for (int px = std::max(0, static_cast<int>(x) - reach); px <= std::min(plane.width() - 1, static_cast<int>(x) + reach); ++px) {
            const double dx = px - x, dy = py - y, u = dx * std::cos(t) + dy * std::sin(t), v = -dx * std::sin(t) + dy * std::cos(t);
            plane.at(px, py) += static_cast<float>(top * std::pow(1 + k * (u * u / (a * a) + v * v / (b * b)), -beta));
        }
    }
}

void addDisc(Plane& plane, double x, double y, double radius, double hole, double total) {
    const double level = total / (M_PI * (radius * radius - hole * hole));
    for (int py = 0; py < plane.height(); ++py) {
        for (int px = 0; px < plane.width(); ++px) {
            const double d = std::hypot(px - x, py - y);
            plane.at(px, py) += static_cast<float>(level * std::clamp(radius - d + 0.5, 0.0, 1.0) * (hole > 0 ? std::clamp(d - hole + 0.5, 0.0, 1.0) : 1.0));
        }
    }
}

void addNoise(Plane& plane, double sigma, unsigned long long seed) {
    Random random(seed);
    for (std::size_t i = 0; i < plane.size(); ++i) plane.data()[i] += static_cast<float>(sigma * random.normal());
}

MadePlane make(const PlaneScene& s) {
    MadePlane out{Plane(s.width, s.height), {}};
    const double half = 0.5 * std::hypot(s.width, s.height);
    for (int y = 0; y < s.height; ++y) {
        for (int x = 0; x < s.width; ++x) {
            const double u = (x - 0.5 * (s.width - 1)) / half, v = (y - 0.5 * (s.height - 1)) / half;
            out.plane.at(x, y) = static_cast<float>(s.sky * (1 + s.slope_u * u + s.slope_v * v + s.vignette * (u * u + v * v)));
        }
    }
    Random random(s.seed);
    while (static_cast<int>(out.stars.size()) < s.stars) {
        const PlacedStar star{12 + random.uniform() * (s.width - 24), 12 + random.uniform() * (s.height - 24),
                              s.faintest * std::pow(s.brightest / s.faintest, random.uniform())};
        const bool lonely =
            std::none_of(out.stars.begin(), out.stars.end(), [&](const PlacedStar& o) { return std::hypot(o.x - star.x, o.y - star.y) < 5 * s.fwhm; });
        if (lonely) out.stars.push_back(star);
    }
    for (const PlacedStar& star : out.stars) addStar(out.plane, star.x, star.y, star.flux, s.fwhm, s.beta, s.axisRatio, s.turn_deg);
    addNoise(out.plane, s.noise, s.seed + 1);
    for (std::size_t i = 0; i < out.plane.size(); ++i) out.plane.data()[i] = std::min(out.plane.data()[i], static_cast<float>(s.saturation));
    return out;
}

SimulatedTrial smallTrial(const std::vector<std::string>& filters, int width) {
    SimulatedTrial trial = demoTrials(width)[0];
    const auto known = demoFilters();
    const SceneRun runModel = trial.runs.front();
    const Run writtenModel = trial.trial.runs.front();
    trial.runs.clear();
    trial.trial.runs.clear();
    trial.trial.filters.clear();
    trial.starsPerSquareDegree = 5000;
    for (std::size_t i = 0; i < filters.size(); ++i) {
        const auto f = std::find_if(known.begin(), known.end(), [&](const SceneFilter& k) { return k.id == filters[i]; });
        SceneRun run = runModel;
        run.id = std::string(1, static_cast<char>('A' + i));
        run.filter = *f;
        run.alignment.dx = 2.5 * static_cast<double>(i);
        run.alignment.dy = -1.25 * static_cast<double>(i);
        run.alignment.rotation_deg = 0.2 * static_cast<double>(i);
        run.noiseSeed = 900 + i;
        run.sky.zenith_mag = 20;
        run.sky.moon_nl = 0;
        trial.runs.push_back(run);
        Run written = writtenModel;
        written.id = run.id;
        written.filter = filters[i];
        written.baseline = i == 0;
        written.stack = run.id + ".fits";
        trial.trial.runs.push_back(written);
        trial.trial.filters.push_back({f->id, f->name, f->kind, "curves/" + f->id + ".csv", std::nullopt, false});
    }
    trial.folder = "trial";
    return trial;
}

} // namespace scenes

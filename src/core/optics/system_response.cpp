#include "core/optics/system_response.h"

#include "core/base/phrase.h"
#include "core/optics/starter.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

constexpr double kFrom = 340, kTo = 1050, kStep = 0.5;

/// A spectrum or response on the common grid.
using Samples = std::vector<double>;

template<class F>
Samples sampled(const F& f) {
    Samples out;
    for (double nm = kFrom; nm < kTo; nm += kStep) out.push_back(f(nm));
    return out;
}

Samples sampled(const Curve& c) {
    return sampled([&](double nm) { return c.at(nm); });
}

Samples through(const Curve& filter, const Samples& camera) {
    if (filter.empty()) return camera;
    Samples out = sampled([&](double nm) { return filter.at(nm); });
    for (std::size_t i = 0; i < out.size(); ++i) out[i] *= camera[i];
    return out;
}

double electrons(const Samples& source, const Samples& response, double from = kFrom) {
    double sum = 0;
    for (auto i = static_cast<std::size_t>((from - kFrom) / kStep); i < source.size(); ++i) sum += source[i] * response[i];
    return sum;
}

} // namespace

const std::vector<std::pair<std::string, Spectrum>>& skySources() {
    static const std::vector<std::pair<std::string, Spectrum>> all = [] {
        std::vector<std::pair<std::string, Spectrum>> sky;
        for (const StarterLight& l : starterLights())
            if (l.ofTheSky) sky.emplace_back(l.name, l.spectrum);
        return sky;
    }();
    return all;
}

double skyElectrons(double rate, double brightness, double aperture_mm, double obstruction, double scale_arcsec) {
    const double area = M_PI / 4 * aperture_mm * aperture_mm / 100 * (1 - obstruction * obstruction);
    return rate * area * scale_arcsec * scale_arcsec * std::pow(10, -0.4 * brightness);
}

std::vector<SystemChannel> systemResponse(const Curve& effective, const Camera& camera) {
    static const Samples sun = sampled(blackBody(5800));
    static const std::vector<Samples> sources = [] {
        std::vector<Samples> all;
        for (const auto& [name, spectrum] : skySources()) all.push_back(sampled(spectrum));
        return all;
    }();
    static const std::vector<double> scales = [] {
        std::vector<double> all;
        for (const auto& [name, spectrum] : skySources()) all.push_back(scaledToV0(spectrum));
        return all;
    }();
    std::vector<SystemChannel> out;
    for (const CameraChannel& c : camera.channels) {
        const Samples alone = sampled(c.efficiency), with = through(effective, alone);
        SystemChannel s;
        s.name = c.name;
        for (const EmissionLine line : kLines) {
            const auto all = lineWavelengths(line);
            for (const double nm : all) s.lines[line] += (effective.empty() ? 1 : effective.at(nm)) * c.efficiency.at(nm) / static_cast<double>(all.size());
        }
        const double light = electrons(sun, with), open = electrons(sun, alone);
        s.starlight = open > 0 ? light / open : 0;
        s.nearInfrared = light > 0 ? electrons(sun, with, 700) / light : 0;
        for (std::size_t k = 0; k < sources.size(); ++k) {
            const double without = electrons(sources[k], alone);
            s.sky[skySources()[k].first] = without > 0 ? electrons(sources[k], with) / without : 0;
            s.rate[skySources()[k].first] = electrons(sources[k], with) * kStep * scales[k];
        }
        out.push_back(std::move(s));
    }
    return out;
}

std::vector<ColourPrediction> predictColours(const Curve& effective, const Camera& camera) {
    static const std::vector<Samples> stars = [] {
        std::vector<Samples> all;
        for (double kelvin = 3500; kelvin < 12100; kelvin *= 1.08) all.push_back(sampled(blackBody(kelvin)));
        return all;
    }();
    std::vector<ColourPrediction> out;
    const auto channel = [&](char name) -> const CameraChannel* {
        for (const CameraChannel& c : camera.channels)
            if (c.name.size() == 1 && c.name[0] == name) return &c;
        return nullptr;
    };
    for (const char* index : {"B-R", "B-G", "G-R"}) {
        const CameraChannel *x = channel(index[0]), *y = channel(index[2]);
        if (!x || !y) continue;
        const Samples xAlone = sampled(x->efficiency), yAlone = sampled(y->efficiency), xWith = through(effective, xAlone), yWith = through(effective, yAlone);
        double n = 0, sumX = 0, sumY = 0, sumXX = 0, sumXY = 0;
        bool dark = false;
        for (const Samples& star : stars) {
            const double ax = electrons(star, xAlone), ay = electrons(star, yAlone), bx = electrons(star, xWith), by = electrons(star, yWith);
            if (bx < 1e-4 * ax || by < 1e-4 * ay) {
                dark = true;
                break;
            }
            const double before = -2.5 * std::log10(ax / ay), after = -2.5 * std::log10(bx / by);
            n += 1, sumX += before, sumY += after, sumXX += before * before, sumXY += before * after;
        }
        out.push_back({index, dark ? std::nullopt : std::optional((n * sumXY - sumX * sumY) / (n * sumXX - sumX * sumX))});
    }
    return out;
}

std::vector<std::string> systemWarnings(const std::vector<SystemChannel>& channels, const Camera& camera, const Curve& effective) {
    std::vector<std::string> out;
    double infrared = 0;
    std::string where;
    for (const SystemChannel& c : channels)
        if (c.nearInfrared > infrared) infrared = c.nearInfrared, where = c.name;
    if (camera.passesInfrared && infrared > 0.1)
        out.push_back(phrase("{:.0f} % of a sunlike star's light in {} comes from beyond 700 nm: the window passes it, and most coatings and lenses are "
                             "not made for it. Expect soft, bloated stars.",
                             100 * infrared, where));
    for (const EmissionLine line : kLines) {
        if (!effective.empty() && transmissionAt(effective, line) < 0.3) continue;
        double best = 0;
        for (const SystemChannel& c : channels) best = std::max(best, c.lines.at(line));
        if (!effective.empty() && best < 0.25 * transmissionAt(effective, line))
            out.push_back(phrase("The filter passes {} but the camera turns only {:.0f} % of it into electrons.", lineName(line), 100 * best));
    }
    return out;
}

} // namespace caelumen

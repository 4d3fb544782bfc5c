#include "core/simulate/scene.h"

#include "core/base/statistics.h"
#include "core/optics/camera.h"
#include "core/sky/moonlight.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

double smooth(double t) {
    return t * t * t * (t * (6 * t - 15) + 10);
}

/// Value noise on an integer lattice, -1..1.
double lattice(int i, int j, unsigned long long seed) {
    unsigned long long z = seed + 0x9e3779b97f4a7c15ULL * (static_cast<unsigned long long>(static_cast<unsigned>(i)) * 73856093ULL ^
                                                           static_cast<unsigned long long>(static_cast<unsigned>(j)) * 19349663ULL);
    z = (z ^ (z >> 30)) * 0xbf58476d1ce4e5b9ULL;
    z = (z ^ (z >> 27)) * 0x94d049bb133111ebULL;
    return static_cast<double>((z ^ (z >> 31)) >> 11) * 0x1.0p-52 - 1;
}

double valueNoise(double x, double y, unsigned long long seed) {
    const int i = static_cast<int>(std::floor(x)), j = static_cast<int>(std::floor(y));
    const double tx = smooth(x - i), ty = smooth(y - j);
    const double a = lattice(i, j, seed), b = lattice(i + 1, j, seed), c = lattice(i, j + 1, seed), d = lattice(i + 1, j + 1, seed);
    return (a * (1 - tx) + b * tx) * (1 - ty) + (c * (1 - tx) + d * tx) * ty;
}

double turbulence(double x, double y, unsigned long long seed, int octaves) {
    double sum = 0, size = 0.5;
    for (int o = 0; o < octaves; ++o) {
        sum += size * valueNoise(x, y, seed + static_cast<unsigned long long>(o) * 1013);
        // Turning each octave hides the lattice.
        const double u = 1.6 * x - 1.2 * y, v = 1.2 * x + 1.6 * y;
        x = u + 13.7;
        y = v - 7.3;
        size *= 0.54;
    }
    return sum;
}

/// Sharp crests: filaments and fronts.
double ridges(double x, double y, unsigned long long seed, int octaves) {
    double sum = 0, size = 0.5, carry = 1;
    for (int o = 0; o < octaves; ++o) {
        const double r = 1 - std::abs(valueNoise(x, y, seed + static_cast<unsigned long long>(o) * 7919));
        const double crest = r * r * r * carry;
        sum += size * crest;
        carry = std::clamp(crest * 1.7, 0.0, 1.0);
        const double u = 1.6 * x - 1.2 * y, v = 1.2 * x + 1.6 * y;
        x = u + 3.1;
        y = v + 17.9;
        size *= 0.55;
    }
    return sum;
}

} // namespace

double NebulaMap::sample(const std::vector<float>& map, double x, double y) const {
    const double fx = std::clamp(x + margin, 0.0, width - 1.001), fy = std::clamp(y + margin, 0.0, height - 1.001);
    const int i = static_cast<int>(fx), j = static_cast<int>(fy);
    const double tx = fx - i, ty = fy - j;
    const auto v = [&](int a, int b) {
        return static_cast<double>(map[static_cast<std::size_t>(b) * static_cast<std::size_t>(width) + static_cast<std::size_t>(a)]);
    };
    return (v(i, j) * (1 - tx) + v(i + 1, j) * tx) * (1 - ty) + (v(i, j + 1) * (1 - tx) + v(i + 1, j + 1) * tx) * ty;
}

NebulaMap makeNebula(int width, int height, int margin, unsigned long long seed, double brightness) {
    NebulaMap m;
    m.width = width + 2 * margin;
    m.height = height + 2 * margin;
    m.margin = margin;
    const auto size = static_cast<std::size_t>(m.width) * static_cast<std::size_t>(m.height);
    m.hydrogen.resize(size);
    m.oxygen.resize(size);
    m.sulphur.resize(size);
    m.dust.resize(size);
    Random random(seed);
    const double unit = 0.30 * std::min(width, height);
    const double cx = (0.46 + 0.06 * random.uniform()) * width, cy = (0.48 + 0.06 * random.uniform()) * height, turn = random.uniform() * 2 * M_PI;
    tbb::parallel_for(0, m.height, [&](int j) {
        for (int i = 0; i < m.width; ++i) {
            const double px = (i - margin - cx) / unit, py = (j - margin - cy) / unit;
            const double x = px * std::cos(turn) - py * std::sin(turn), y = (px * std::sin(turn) + py * std::cos(turn)) * 1.35;
            // Warped coordinates make clouds flow instead of blobs.
            const double wx = x + 0.55 * turbulence(1.3 * x + 5, 1.3 * y, seed + 1, 4), wy = y + 0.55 * turbulence(1.3 * x, 1.3 * y + 9, seed + 2, 4);
            const double r = std::hypot(wx, wy);
            const double cloud = std::clamp(0.62 + 0.9 * turbulence(1.7 * wx, 1.7 * wy, seed + 3, 7), 0.0, 2.0);
            const double crest = ridges(1.5 * wx + 2, 1.5 * wy, seed + 4, 5);
            const double body = std::exp(-std::pow(r / 1.15, 2.4));
            const double front = std::exp(-std::pow((r - 0.92) / 0.17, 2)) * (0.35 + crest);
            const double lane = std::max(0.0, ridges(0.9 * wx + 11, 0.9 * wy + 4, seed + 5, 5) - 0.46) * 4.2;
            const double dust = std::min(3.0, lane * std::exp(-std::pow(r / 1.5, 4)) * 2.2);
            const double dim = std::exp(-0.75 * dust);
            const auto at = static_cast<std::size_t>(j) * static_cast<std::size_t>(m.width) + static_cast<std::size_t>(i);
            m.hydrogen[at] = static_cast<float>(brightness * dim * (0.55 * body * cloud * cloud + 0.50 * front * cloud + 0.10 * body * crest));
            const double inner = std::exp(-std::pow(r / 0.62, 2.6));
            const double shell = std::exp(-std::pow((r - 0.62) / 0.12, 2)) * crest;
            m.oxygen[at] = static_cast<float>(brightness * 0.45 * dim * (0.8 * inner * (0.4 + 0.6 * cloud) + 0.5 * shell));
            m.sulphur[at] = static_cast<float>(brightness * 0.22 * dim * (0.25 * body * cloud + 1.1 * front * cloud));
            m.dust[at] = static_cast<float>(dust);
        }
    });
    return m;
}

namespace {

/// Magnitudes whose counts rise by 10^(slope V).
std::vector<SceneStar> strewn(Random& random, double count, double w, double h, int margin, double slope, double brightest, double faintest) {
    const double low = std::pow(10, slope * brightest), high = std::pow(10, slope * faintest);
    std::vector<SceneStar> stars;
    for (int i = 0; i < static_cast<int>(count); ++i) {
        SceneStar s;
        s.at = {random.uniform() * w - margin, random.uniform() * h - margin};
        s.v = std::log10(low + (high - low) * random.uniform()) / slope;
        // A magnitude-limited field near the plane: many A to K stars, some hot ones, some red giants.
        const double u = random.uniform();
        s.kelvin = u < 0.10   ? 11000 + 9000 * random.uniform()
                   : u < 0.45 ? 7000 + 2600 * random.uniform()
                   : u < 0.75 ? 5200 + 1600 * random.uniform()
                              : 3500 + 1500 * random.uniform();
        stars.push_back(s);
    }
    return stars;
}

} // namespace

std::vector<SceneStar> makeStars(int width, int height, int margin, unsigned long long seed, double perSquareDegree, double scale, double brightest,
                                 double faintest) {
    Random random(seed ^ 0x5eedULL);
    const double w = width + 2 * margin, h = height + 2 * margin;
    return strewn(random, perSquareDegree * w * h * std::pow(scale / 3600, 2), w, h, margin, 0.33, brightest, faintest);
}

std::vector<SceneStar> makeFaintStars(int width, int height, int margin, unsigned long long seed, double perSquareDegree, double scale, double from,
                                      double to) {
    constexpr double slope = 0.24;
    if (to <= from) return {};
    Random random(seed ^ 0xfa117ULL);
    const double w = width + 2 * margin, h = height + 2 * margin;
    return strewn(random, perSquareDegree * (std::pow(10, slope * (to - from)) - 1) * w * h * std::pow(scale / 3600, 2), w, h, margin, slope, from, to);
}

double ChannelRates::star(double v, double kelvin) const {
    const auto above = std::upper_bound(star_kelvin.begin(), star_kelvin.end(), kelvin);
    const auto i = static_cast<std::size_t>(std::clamp<std::ptrdiff_t>(above - star_kelvin.begin(), 1, static_cast<std::ptrdiff_t>(star_kelvin.size()) - 1));
    const double t = std::clamp((kelvin - star_kelvin[i - 1]) / (star_kelvin[i] - star_kelvin[i - 1]), 0.0, 1.0);
    return std::pow(10, -0.4 * v) * (star_rate[i - 1] + t * (star_rate[i] - star_rate[i - 1]));
}

ChannelRates channelRates(const SceneRun& run, int channel) {
    const auto response = [&](double nm) { return run.filter.curve.at(nm) * sensorEfficiency(channel, nm); };
    const double light = run.rig.area_cm2() * run.rig.optics, scale = run.rig.scale_arcsec(), pixel = scale * scale;
    ChannelRates out;
    // Surface brightness: what is above the natural sky is lamplight.
    const double natural = 21.95, total = nanoLamberts(run.sky.zenith_mag), dark = std::min(total, nanoLamberts(natural));
    const auto rate = [&](const Spectrum& s, double nl) {
        return nl > 0 ? integrate(s, response) * scaledToV0(s) * std::pow(10, -0.4 * magnitudeOf(nl)) * light * pixel : 0;
    };
    out.sky_natural = rate(naturalSky(), dark);
    out.sky_lamps = rate(streetLight(run.sky.lamps), total - dark);
    out.sky_moon = rate(moonlitSky(), run.sky.moon_nl);
    const double perRayleigh = 1.8704e-6 * light * pixel * run.sky.extinction; // 1 R = 1e6 / 4 pi photons s^-1 cm^-2 sr^-1
    out.hydrogen = perRayleigh * (response(kHalpha_nm) + response(kHbeta_nm) / 2.9 + 0.25 * response(kNIIb_nm) + 0.083 * response(kNIIa_nm));
    out.oxygen = perRayleigh * (response(kOIII_nm) + response(kOIIIb_nm) / 2.98);
    out.sulphur = perRayleigh * (response(kSIIa_nm) + response(kSIIb_nm)) / 2;
    for (double t = 3000; t < 26000; t *= 1.12) {
        const Spectrum s = blackBody(t);
        out.star_kelvin.push_back(t);
        out.star_rate.push_back(integrate(s, response) * scaledToV0(s) * light * run.sky.extinction);
    }
    return out;
}

} // namespace caelumen

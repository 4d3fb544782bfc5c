#include "support/virtual_campaign.h"

#include "core/base/statistics.h"
#include "core/optics/light_cone.h"
#include "core/simulate/demo.h"
#include "core/sky/moonlight.h"

#include <cmath>
#include <functional>

namespace caelumen::testing {
namespace {

constexpr double kFrom = 345, kTo = 1050, kStep = 0.5;

/// A smooth factor about one, different for each seed: sums of three waves over the wavelengths.
std::function<double(double)> wobble(Random& random, double sigma) {
    std::array<double, 3> size, phase;
    for (int k = 0; k < 3; ++k)
        size[static_cast<std::size_t>(k)] = sigma * std::sqrt(2.0 / 3) * random.normal(), phase[static_cast<std::size_t>(k)] = 2 * M_PI * random.uniform();
    return [=](double nm) {
        double ln = 0;
        const double waves[] = {350, 170, 90}; // nm
        for (std::size_t k = 0; k < 3; ++k) ln += size[k] * std::sin(2 * M_PI * nm / waves[k] + phase[k]);
        return std::exp(ln);
    };
}

std::array<double, kLamps> town(Random& random) {
    std::array<double, kLamps> shares;
    double sum = 0;
    const double usual[] = {1.0, 0.2, 0.25, 0.6, 0.6};
    for (std::size_t k = 0; k < kLamps; ++k) sum += shares[k] = usual[k] * -std::log(1 - random.uniform());
    for (double& s : shares) s /= sum;
    return shares;
}

} // namespace

struct VirtualCampaign::World {
    GridInput input;
    std::array<std::function<double(double)>, kSkySources> spectra;
    std::function<double(double)> camera;
    double optics = 0.85, moon = 1, natural_mag = 22;
    std::map<std::string, Curve> curves; ///< as filters truly are
    std::array<double, kLamps> elsewhere{};
    std::vector<std::array<double, kLamps>> towns;                                                ///< by place
    mutable std::map<std::pair<std::string, std::string>, std::array<double, kSkySources>> rates; ///< by filter and channel

    const std::array<double, kSkySources>& ratesOf(const std::string& filter, const std::string& channel) const {
        const auto [at, fresh] = rates.try_emplace({filter, channel});
        if (fresh)
            for (double nm = kFrom; nm < kTo; nm += kStep) {
                const double r = response(filter, channel, nm);
                for (std::size_t k = 0; k < kSkySources && r > 0; ++k) at->second[k] += kStep * spectra[k](nm) * r;
            }
        return at->second;
    }

    /// Lamps of a sky: of the place that has such a sky, else of a town where nobody measured.
    const std::array<double, kLamps>& lampsOf(const GridSky& sky) const {
        std::size_t best = input.sites.size();
        double least = 0.3;
        for (std::size_t i = 0; i < input.sites.size(); ++i)
            if (const double away = std::abs(*input.sites[i].stated_mag - sky.zenith_mag); away < least) least = away, best = i;
        return best < towns.size() ? towns[best] : elsewhere;
    }

    double response(const std::string& filter, const std::string& channel, double nm) const {
        const Curve& c = curves.at(filter);
        double efficiency = 0;
        for (const CameraChannel& x : input.camera.channels)
            if (x.name == channel) efficiency = x.efficiency.at(nm);
        return (c.empty() ? 1 : c.at(nm)) * efficiency * camera(nm);
    }

    double background(const std::string& filter, const std::string& channel, const GridSky& sky, const std::array<double, kLamps>& shares) const {
        SkyLight light = lightOf(sky);
        const double whole = light.natural + light.lamps, rise = light.natural / std::min(nanoLamberts(22), nanoLamberts(sky.zenith_mag));
        light.natural = std::min(whole, nanoLamberts(natural_mag) * rise);
        light.lamps = whole - light.natural;
        light.moon *= moon;
        double sum = 0;
        for (std::size_t k = 0; k < kSkySources; ++k) {
            const double nL = k < kLamps ? light.lamps * shares[k] : k == 5 ? light.natural : light.moon;
            if (!(nL > 0)) continue;
            sum += skyElectrons(optics * ratesOf(filter, channel)[k], magnitudeOf(nL), input.rig.aperture_mm, input.rig.obstruction, input.rig.scale_arcsec());
        }
        return sum;
    }

    double signal(const std::string& filter, const std::string& channel, TargetKind kind) const {
        const auto at = [&](double nm) { return response(filter, channel, nm); };
        if (kind == TargetKind::Emission) return at(kHalpha_nm) + at(kHbeta_nm) / 3.86 + 0.25 * at(kNIIb_nm) + 0.083 * at(kNIIa_nm);
        if (kind == TargetKind::Oxygen) return at(kOIII_nm) + at(kOIIIb_nm) / 2.98;
        if (kind == TargetKind::Sulphur) return 0.5 * (at(kSIIa_nm) + at(kSIIb_nm));
        const Spectrum star = blackBody(kind == TargetKind::Galaxy ? 5200 : 5800);
        double sum = 0;
        for (double nm = kFrom; nm < kTo; nm += kStep) sum += star(nm) * at(nm);
        return sum;
    }

    double timeRatio(const std::string& filter, const std::string& channel, TargetKind kind, const GridSky& sky,
                     const std::array<double, kLamps>& shares) const {
        const double read = input.rig.readNoise_e * input.rig.readNoise_e / 180;
        const double t = signal(filter, channel, kind) / signal(input.baseline, channel, kind);
        return t * t * (background(input.baseline, channel, sky, shares) + read) / (background(filter, channel, sky, shares) + read);
    }
};

VirtualCampaign::VirtualCampaign(unsigned long long seed)
    : m_world(std::make_unique<World>()) {
    World& w = *m_world;
    Random random(seed * 7919 + 17);
    GridInput& in = w.input;
    in.camera = typicalCameras().front();
    in.baseline = "open";
    in.rig.aperture_mm = 84, in.rig.focal_mm = 420, in.rig.readNoise_e = 1.6;
    for (std::size_t k = 0; k < kSkySources; ++k) {
        std::array<double, kLamps> one{};
        if (k < kLamps) one[k] = 1;
        const Spectrum s = k < kLamps ? streetLight(mixOf(one)) : k == 5 ? naturalSky() : moonlitSky();
        const double scale = scaledToV0(s);
        // Lamps differ from maker to maker and with age; sunlight does not.
        w.spectra[k] = [s, scale, off = wobble(random, k < kLamps ? 0.15 : k == 5 ? 0.2 : 0.07)](double nm) { return scale * s(nm) * off(nm); };
    }
    w.camera = wobble(random, 0.05);
    w.optics = 0.75 + 0.2 * random.uniform();
    w.moon = std::exp(0.2 * random.normal());
    w.natural_mag = 22 + 0.12 * random.normal();
    w.elsewhere = town(random);
    for (const SceneFilter& f : demoFilters()) {
        Curve known = f.curve, real = f.curve;
        const double shift = 0.35 * random.normal(), scale = std::exp(0.05 * random.normal());
        for (std::size_t i = 0; i < real.wavelength_nm.size(); ++i) real.wavelength_nm[i] += shift, real.transmission[i] *= scale;
        const ConeShift cone({5, 0, 1.8, 0});
        w.curves[f.id] = cone.apply(real, 0.5);
        in.filters.push_back({f.id, f.name, GridSource::Curve, gridChannels(cone.apply(known, 0.5), in.camera)});
    }
    const std::size_t places = 1 + random.index(3);
    for (std::size_t p = 0; p < places; ++p) {
        const int bortle = 3 + static_cast<int>(random.index(6));
        GridSite site;
        site.name = "place " + std::to_string(p + 1);
        site.site.bortle = bortle, site.site.name = site.name;
        site.stated_mag = bortleBrightness(bortle), site.statedSigma = 0.3;
        in.sites.push_back(site);
        const auto shares = town(random);
        w.towns.push_back(shares);
        GridSky sky = skyOfClass(bortle, std::nullopt, 50 + 25 * random.uniform());
        if (random.uniform() < 0.4) sky.moon = GridMoon{0.3 + 0.7 * random.uniform(), 20 + 40 * random.uniform(), 40 + 60 * random.uniform()};
        GridSky real = sky;
        real.zenith_mag += 0.3 * random.normal();
        const double effort = std::exp(std::log(0.03) + std::log(8.0) * random.uniform()); // errors of 3 to 24 %
        std::vector<std::string> tested{"open"};
        for (const char* id : {"duo7", "duo3", "veldglow", "quartet", "ember"})
            if (random.uniform() < 0.5) tested.emplace_back(id);
        if (tested.size() == 1) tested.emplace_back("duo7");
        for (const std::string& id : tested) {
            GridRun r;
            r.trial = "trial " + std::to_string(p + 1), r.run = id, r.filter = id, r.baseline = id == "open", r.against = "open";
            r.site = p, r.rig = in.rig, r.sky = sky, r.kind = TargetKind::Emission;
            for (const char* c : {"R", "G", "B"}) {
                const double b = w.background(id, c, real, shares);
                r.background[c] = {b * (1 + 0.005 * random.normal()), 0.005 * b};
                if (r.baseline) continue;
                const double noiseSigma = 0.3 * effort, throughputSigma = 0.45 * effort; // their sum is the time ratio's
                const double t = w.signal(id, c, r.kind) / w.signal("open", c, r.kind) * std::exp(throughputSigma * random.normal());
                if (t < 0.03) continue;
                const double ratio = t * t * std::pow(w.signal("open", c, r.kind) / w.signal(id, c, r.kind), 2) * w.timeRatio(id, c, r.kind, real, shares) *
                                     std::exp(noiseSigma * random.normal());
                r.throughput[c] = {t, throughputSigma * t};
                r.timeRatio[c] = {ratio, std::hypot(noiseSigma, 2 * throughputSigma) * ratio};
            }
            in.runs.push_back(std::move(r));
        }
    }
}

VirtualCampaign::~VirtualCampaign() = default;

const GridInput& VirtualCampaign::input() const {
    return m_world->input;
}

double VirtualCampaign::trueTimeRatio(const std::string& filter, const std::string& channel, TargetKind kind, const GridSky& sky) const {
    return m_world->timeRatio(filter, channel, kind, sky, m_world->lampsOf(sky));
}

double VirtualCampaign::trueBackground(const std::string& filter, const std::string& channel, const GridSky& sky) const {
    return m_world->background(filter, channel, sky, m_world->lampsOf(sky));
}

} // namespace caelumen::testing

#include "core/grid/light.h"

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

struct Line {
    double nm, photons;
};

std::vector<Line> linesOf(TargetKind kind, const LineRatios& r) {
    switch (kind) {
    case TargetKind::Emission:
        return {{kHalpha_nm, 1}, {kHbeta_nm, 1 / 3.86}, {kNIIb_nm, 0.75 * r.nitrogen}, {kNIIa_nm, 0.25 * r.nitrogen}};
    case TargetKind::Oxygen:
        return {{kOIII_nm, 1}, {kOIIIb_nm, 1 / 2.98}};
    case TargetKind::Sulphur:
        return {{kSIIa_nm, 0.5}, {kSIIb_nm, 0.5}};
    default:
        return {};
    }
}

/// Spiral galaxies in the mean; hot stars' light off dust, bluer by scattering; a sunlike star.
Spectrum continuumOf(TargetKind kind) {
    if (kind == TargetKind::Galaxy) return blackBody(5000);
    if (kind == TargetKind::Stars) return blackBody(5800);
    const Spectrum hot = blackBody(12'000);
    return [hot](double nm) { return hot(nm) * std::pow(nm / 550, -1.5); };
}

constexpr double kFrom = 345, kTo = 1050, kStep = 0.5;

std::vector<double> sampled(const std::function<double(double)>& f) {
    std::vector<double> out;
    for (double nm = kFrom; nm < kTo; nm += kStep) out.push_back(f(nm));
    return out;
}

/// Spectra of the sky, then of the kinds that shine in a continuum, each scaled to V = 0.
const std::vector<std::vector<double>>& spectra() {
    static const std::vector<std::vector<double>> all = [] {
        std::vector<Spectrum> list;
        for (std::size_t k = 0; k < kLamps; ++k) {
            std::array<double, kLamps> one{};
            one[k] = 1;
            list.push_back(streetLight(mixOf(one)));
        }
        list.push_back(naturalSky());
        list.push_back(moonlitSky());
        for (const TargetKind kind : {TargetKind::Galaxy, TargetKind::Reflection, TargetKind::Stars}) list.push_back(continuumOf(kind));
        std::vector<std::vector<double>> out;
        for (const Spectrum& s : list) {
            const double scale = scaledToV0(s) * kStep;
            out.push_back(sampled([&](double nm) { return scale * s(nm); }));
        }
        return out;
    }();
    return all;
}

double sumOf(const std::vector<double>& a, const std::vector<double>& b) {
    double sum = 0;
    for (std::size_t i = 0; i < a.size(); ++i) sum += a[i] * b[i];
    return sum;
}

} // namespace

const char* targetKindName(TargetKind kind) {
    constexpr std::array names{"emission", "oxygen", "sulphur", "galaxy", "reflection", "stars"};
    return names[static_cast<std::size_t>(kind)];
}

const char* targetKindLabel(TargetKind kind) {
    constexpr std::array names{"hydrogen in nebulae", "oxygen in nebulae", "sulphur in nebulae", "galaxies", "reflection nebulae", "plain stars"};
    return names[static_cast<std::size_t>(kind)];
}

std::optional<TargetKind> targetKind(std::string_view name) {
    for (const TargetKind k : kTargetKinds)
        if (name == targetKindName(k)) return k;
    return std::nullopt;
}

bool shinesInLines(TargetKind kind) {
    return kind == TargetKind::Emission || kind == TargetKind::Oxygen || kind == TargetKind::Sulphur;
}

TargetKind targetKindOf(const DeepSky& t) {
    if (t.kind == "galaxy") return TargetKind::Galaxy;
    if (t.kind == "reflection") return TargetKind::Reflection;
    if (t.hydrogen == 0 && t.oxygen == 0 && t.sulphur == 0) return TargetKind::Stars;
    return t.oxygen > t.hydrogen ? TargetKind::Oxygen : TargetKind::Emission;
}

std::array<double, kLamps> sharesOf(const LampMix& m) {
    std::array<double, kLamps> out{m.highPressureSodium, m.lowPressureSodium, m.metalHalide, m.ledWarm, m.ledCool};
    double sum = 0;
    for (const double v : out) sum += std::max(0.0, v);
    for (double& v : out) v = sum > 0 ? std::max(0.0, v) / sum : 1.0 / kLamps;
    return out;
}

LampMix mixOf(const std::array<double, kLamps>& s) {
    return {s[0], s[1], s[2], s[3], s[4]};
}

const GridChannel* GridFilter::channel(const std::string& wanted) const {
    const auto at = std::find_if(channels.begin(), channels.end(), [&](const GridChannel& c) { return c.name == wanted; });
    return at == channels.end() ? nullptr : &*at;
}

std::vector<GridChannel> gridChannels(const Curve& effective, const Camera& camera, const LineRatios& ratios) {
    std::vector<GridChannel> out;
    const std::vector<double> filter = effective.empty() ? std::vector<double>() : sampled([&](double nm) { return effective.at(nm); });
    for (const CameraChannel& c : camera.channels) {
        std::vector<double> response = sampled([&](double nm) { return c.efficiency.at(nm); });
        for (std::size_t i = 0; i < filter.size(); ++i) response[i] *= filter[i];
        GridChannel g;
        g.name = c.name;
        for (std::size_t k = 0; k < kSkySources; ++k) g.sky[k] = sumOf(spectra()[k], response);
        std::size_t continuum = kSkySources;
        for (const TargetKind kind : kTargetKinds) {
            double& to = g.signal[static_cast<std::size_t>(kind)];
            if (!shinesInLines(kind)) {
                to = sumOf(spectra()[continuum++], response);
                continue;
            }
            for (const Line& l : linesOf(kind, ratios)) to += kRayleigh * l.photons * c.efficiency.at(l.nm) * (effective.empty() ? 1 : effective.at(l.nm));
        }
        out.push_back(std::move(g));
    }
    return out;
}

double signalRate(const GridChannel& c, TargetKind kind, double brightness, const PlanRig& rig) {
    const double scale = rig.scale_arcsec(),
                 grasp = M_PI / 4 * rig.aperture_mm * rig.aperture_mm / 100 * (1 - rig.obstruction * rig.obstruction) * scale * scale;
    return grasp * c.signal[static_cast<std::size_t>(kind)] * (shinesInLines(kind) ? brightness : std::pow(10, -0.4 * brightness));
}

} // namespace caelumen

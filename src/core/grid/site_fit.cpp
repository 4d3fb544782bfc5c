#include "core/grid/site_fit.h"

#include "core/base/linear_algebra.h"
#include "core/base/phrase.h"
#include "core/sky/moonlight.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

constexpr double kModelError = 0.12;                     ///< of a spectrum seen through a filter, as a part: for weights alone
constexpr double kClearOptics = 0.88, kScaleSigma = 0.2; ///< what telescopes pass, and how well that is known, in logarithms
constexpr double kMagToLn = 0.4 * M_LN10;

constexpr int kSources = static_cast<int>(kSkySources);
using Row = Eigen::Matrix<double, 1, kSources>;
using Light = Column<kSources>; ///< lamps in nL, then natural sky and moonlight over their models

struct Sample {
    std::size_t run = 0;
    std::string channel;
    Row rates; ///< e-/s/px for one of each Light
    GridFigure figure;
    bool isVoid = false; ///< shown, not fitted
};

struct Prior {
    Light mean, sigma;
};

/// What is known of a site's light before anything is measured there.
Prior priorOf(const GridSite& site) {
    Prior p;
    const double zenith = site.stated_mag.value_or(20), natural = nanoLamberts(22);
    const double lamps = std::max(nanoLamberts(zenith) - natural, 0.02 * natural);
    const auto shares = sharesOf(site.site.lamps.value_or(LampMix{}));
    const double loose = site.stated_mag ? 0.6 : 3;
    for (std::size_t k = 0; k < kLamps; ++k) {
        p.mean[static_cast<long>(k)] = kClearOptics * lamps * shares[k];
        p.sigma[static_cast<long>(k)] = kClearOptics * lamps * std::hypot(loose * std::max(shares[k], 0.15), site.site.lamps ? 0 : 0.15);
    }
    p.mean[5] = kClearOptics, p.sigma[5] = 0.25;
    p.mean[6] = kClearOptics, p.sigma[6] = 0.3;
    return p;
}

struct Solved {
    Light light;
    SquareMatrix<kSources> covariance;
};

/// Least squares in logarithm-like weights (each sample by its part), x >= 0.
Solved solve(const std::vector<Sample>& samples, const Prior& prior, std::optional<std::size_t> without, const std::vector<double>& weights) {
    SquareMatrix<kSources> normal = SquareMatrix<kSources>::Zero();
    Light right = Light::Zero();
    for (std::size_t i = 0; i < samples.size(); ++i) {
        const Sample& s = samples[i];
        if (without && s.run == *without) continue;
        const double sigma = std::hypot(s.figure.sigma, kModelError * s.figure.value), w = weights[i] / (sigma * sigma);
        normal += w * s.rates.transpose() * s.rates;
        right += w * s.rates.transpose() * s.figure.value;
    }
    for (long k = 0; k < static_cast<long>(kSkySources); ++k) {
        normal(k, k) += 1 / (prior.sigma[k] * prior.sigma[k]);
        right[k] += prior.mean[k] / (prior.sigma[k] * prior.sigma[k]);
    }
    Solved out{prior.mean, inverted(normal)};
    for (int round = 0; round < 2000; ++round) {
        double moved = 0;
        for (long k = 0; k < static_cast<long>(kSkySources); ++k) {
            const double x = std::max(0.0, out.light[k] + (right[k] - normal.row(k).dot(out.light)) / normal(k, k));
            moved = std::max(moved, std::abs(x - out.light[k]) / prior.sigma[k]);
            out.light[k] = x;
        }
        if (moved < 1e-9) break;
    }
    return out;
}

/// One hazy or leaking run must not bend the site: each run's weight falls with how far it lies from the others (Huber 1964).
std::vector<double> robustWeights(const std::vector<Sample>& samples, const Prior& prior) {
    std::vector<double> weights(samples.size(), 1), start = weights;
    for (std::size_t i = 0; i < samples.size(); ++i)
        if (samples[i].isVoid) weights[i] = start[i] = 0;
    for (int round = 0; round < 6; ++round) {
        const Solved s = solve(samples, prior, std::nullopt, weights);
        std::map<std::size_t, std::pair<double, double>> byRun;
        for (const Sample& x : samples) {
            const double model = std::max(1e-30, x.rates.dot(s.light)),
                         z = std::log(x.figure.value / model) / std::hypot(kModelError, x.figure.sigma / x.figure.value);
            byRun[x.run].first += z * z, byRun[x.run].second += 1;
        }
        for (std::size_t i = 0; i < samples.size(); ++i) {
            const auto& [sum, n] = byRun[samples[i].run];
            const double z = std::sqrt(sum / n);
            weights[i] = start[i] * (z > 1.5 ? 1.5 / z : 1);
        }
    }
    return weights;
}

/// A run that lies above what the others foretell: as a leak (light that passes whatever the wavelength) or as haze (lamps thrown back, stars dimmed).
std::optional<Brighter> whyBrighter(const GridInput& input, const std::vector<SkyResidual>& residuals, std::size_t run) {
    const GridRun& r = input.runs[run];
    const GridFilter *filter = input.filter(r.filter), *open = input.filter(input.baseline);
    if (!filter || !open) return std::nullopt;
    double mean = 0, fit2 = 0, n = 0;
    std::vector<const SkyResidual*> mine;
    for (const SkyResidual& s : residuals)
        if (s.run == run) mine.push_back(&s), mean += s.ln(), fit2 += std::pow(s.fitSigma / s.modelled, 2), n += 1;
    // No more than what the other runs leave open is no finding.
    constexpr double kLeast = 0.2, kSigmas = 1.5;
    if (n == 0 || mean / n < std::max(kLeast, kSigmas * std::sqrt(kModelError * kModelError + fit2 / n))) return std::nullopt;
    // Each hypothesis has one free amount: y = amount * x, in parts of the model.
    const auto misfit = [&](const std::vector<double>& pattern, double& amount) {
        double xx = 0, xy = 0, yy = 0;
        for (std::size_t i = 0; i < mine.size(); ++i) {
            const double y = mine[i]->measured / mine[i]->modelled - 1, w = 1 / (std::pow(kModelError, 2) + std::pow(mine[i]->sigma / mine[i]->measured, 2));
            xx += w * pattern[i] * pattern[i], xy += w * pattern[i] * y, yy += w * y * y;
        }
        amount = xx > 0 ? std::max(0.0, xy / xx) : 0;
        return yy - 2 * amount * xy + amount * amount * xx;
    };
    std::vector<double> leaks, hazes;
    double starsZ = 0, starsN = 0;
    for (const SkyResidual* s : mine) {
        double unfiltered = 0, with = 0, lamps = 0;
        const GridChannel *c = filter->channel(s->channel), *o = open->channel(s->channel);
        for (std::size_t k = 0; k < kSkySources; ++k) {
            with += s->parts[k];
            if (c->sky[k] > 0) unfiltered += s->parts[k] * (o ? o->sky[k] : c->sky[k]) / c->sky[k];
            if (k < kLamps) lamps += s->parts[k];
        }
        leaks.push_back(unfiltered / with);
        hazes.push_back(0.3 + 0.7 * lamps / with);
        // Haze dims stars, a leak adds to them.
        const auto stars = r.starThroughput.find(s->channel);
        if (stars == r.starThroughput.end() || !o) continue;
        const auto i = static_cast<std::size_t>(TargetKind::Stars);
        if (!(o->signal[i] > 0) || !(c->signal[i] > 0)) continue;
        starsZ += std::log(stars->second.value / (c->signal[i] / o->signal[i])), starsN += 1;
    }
    Brighter out;
    out.run = run;
    double chiLeak = misfit(leaks, out.leak), chiHaze = misfit(hazes, out.haze);
    if (starsN > 0) {
        constexpr double kStarError = 0.2; // of the model's starlight
        const double dimmed = starsZ / starsN;
        chiLeak += std::pow(std::min(0.0, dimmed) / kStarError, 2);
        chiHaze += std::pow(std::max(0.0, dimmed + 0.2) / kStarError, 2);
    }
    out.pLeak = 1 / (1 + std::exp(std::clamp(0.5 * (chiLeak - chiHaze), -30.0, 30.0)));
    const std::string who =
        phrase("{} ({}) is {:.0f} % brighter than the other runs of its place foretell", r.label(), filter->name, 100 * (std::exp(mean / n) - 1));
    const bool leak = out.pLeak > 0.5;
    const double sure = std::min(0.99, leak ? out.pLeak : 1 - out.pLeak); // no fit is surer than its model
    out.text = sure < 0.7 ? phrase("{}: a leak and haze explain it equally well.", who)
               : leak     ? phrase("{}: a leak of {:.1f} % of all light fits better than haze ({:.0f} %).", who, 100 * out.leak, 100 * sure)
                          : phrase("{}: hazy air fits better than a leak of the filter ({:.0f} %).", who, 100 * sure);
    return out;
}

} // namespace

double SkyResidual::ln() const {
    return std::log(measured / modelled);
}

SiteFit fitSite(const GridInput& input, std::size_t site) {
    const GridSite& place = input.sites[site];
    SiteFit out;
    out.shares = sharesOf(place.site.lamps.value_or(LampMix{}));
    out.sky_mag = place.stated_mag.value_or(20.5);
    out.sky_mag_sigma = place.stated_mag ? place.statedSigma : 1.5;
    out.lnScale = std::log(kClearOptics), out.lnScaleSigma = kScaleSigma;
    std::vector<Sample> samples;
    for (std::size_t i = 0; i < input.runs.size(); ++i) {
        const GridRun& r = input.runs[i];
        const GridFilter* f = input.filter(r.filter);
        if (r.site != site || !r.sky || !f) continue;
        for (const auto& [name, figure] : r.background) {
            const GridChannel* c = f->channel(name);
            if (!c || !(figure.value > 0)) continue;
            Sample s{i, name, {}, figure, r.backgroundVoid};
            // A sky of one nL of lamps at the zenith, raised as the target's direction is; natural sky and moon as modelled.
            GridSky dark = *r.sky;
            dark.zenith_mag = 22;
            const SkyLight light = lightOf(dark);
            const double rise = light.natural / nanoLamberts(22);
            for (std::size_t k = 0; k < kSkySources; ++k) {
                const double nL = k < kLamps ? rise : k == 5 ? light.natural : light.moon * r.moonOverRun;
                s.rates[static_cast<long>(k)] =
                    nL > 0 ? skyElectrons(c->sky[k], magnitudeOf(nL), r.rig.aperture_mm, r.rig.obstruction, r.rig.scale_arcsec()) : 0;
            }
            if (s.rates.maxCoeff() > 0) samples.push_back(std::move(s));
        }
    }
    if (std::all_of(samples.begin(), samples.end(), [](const Sample& s) { return s.isVoid; })) return out;
    const Prior prior = priorOf(place);
    const auto weights = robustWeights(samples, prior);
    const Solved all = solve(samples, prior, std::nullopt, weights);
    out.fitted = true;

    double lamps = 0;
    for (long k = 0; k < static_cast<long>(kLamps); ++k) lamps += all.light[k];
    for (std::size_t k = 0; k < kLamps; ++k)
        if (lamps > 0) out.shares[k] = all.light[static_cast<long>(k)] / lamps;
    // The level: brightness times transmission.
    const double natural = nanoLamberts(22), level = lamps + all.light[5] * natural;
    Light grow;
    for (long k = 0; k < static_cast<long>(kSkySources); ++k) grow[k] = k < static_cast<long>(kLamps) ? 1 : k == 5 ? natural : 0;
    const double levelSigma = std::sqrt(std::max(0.0, (grow.transpose() * all.covariance * grow).value())) / level;
    const double statedVar = std::pow(place.stated_mag ? kMagToLn * place.statedSigma : 2.0, 2), fitVar = levelSigma * levelSigma + kScaleSigma * kScaleSigma;
    const double stated = std::log(nanoLamberts(place.stated_mag.value_or(20.5))), fitted = std::log(level) - std::log(kClearOptics);
    const double ln = (stated / statedVar + fitted / fitVar) / (1 / statedVar + 1 / fitVar);
    out.sky_mag = magnitudeOf(std::exp(ln));
    out.sky_mag_sigma = std::sqrt(1 / (1 / statedVar + 1 / fitVar)) / kMagToLn;
    out.lnScale = std::log(level) - ln;
    out.lnScaleSigma = std::sqrt(std::pow(levelSigma, 2) + std::pow(kMagToLn * out.sky_mag_sigma, 2));
    const double scale = std::exp(out.lnScale);
    out.moon = all.light[6] / scale;
    out.moonSigma = std::sqrt(std::max(0.0, all.covariance(6, 6))) / scale;

    std::map<std::size_t, Solved> without;
    for (const Sample& s : samples) {
        auto at = without.find(s.run);
        if (at == without.end()) at = without.emplace(s.run, solve(samples, prior, s.run, weights)).first;
        SkyResidual r{s.run, s.channel, s.figure.value, 0, s.figure.sigma, 0, {}};
        for (std::size_t k = 0; k < kSkySources; ++k) {
            r.parts[k] = s.rates[static_cast<long>(k)] * at->second.light[static_cast<long>(k)];
            r.modelled += r.parts[k];
        }
        r.fitSigma = std::sqrt(std::max(0.0, (s.rates * at->second.covariance * s.rates.transpose()).value()));
        if (r.modelled > 0) out.residuals.push_back(std::move(r));
    }
    for (const auto& [run, rest] : without)
        if (auto why = whyBrighter(input, out.residuals, run)) out.brighter.push_back(std::move(*why));
    return out;
}

} // namespace caelumen

#include "core/grid/model.h"

#include "core/base/phrase.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

// Errors that count as much as that many runs: where few were measured, models are known to be this good.
constexpr double kUsualBackground = 0.18, kUsualThroughput = 0.07, kUsualRuns = 3;

/// Towns between which a sky may lie whose lamps nobody measured.
constexpr std::array<LampMix, 3> kTowns{{{0.75, 0.1, 0.05, 0.06, 0.04}, {0.4, 0.05, 0.15, 0.2, 0.2}, {0.1, 0, 0.05, 0.4, 0.45}}};

// Of the scatter between such towns: those of one country burn alike, and what one lamp adds to both filters goes out of their ratio.
constexpr double kTownsApart = 0.72, kTownsApartInSteps = 0.82, kTownsApartInRatios = 0.6;

double sumOf(const std::array<double, kSkySources>& a) {
    double sum = 0;
    for (const double v : a) sum += v;
    return sum;
}

std::array<double, kSkySources> weights(std::array<double, kSkySources> parts) {
    const double sum = sumOf(parts);
    for (double& p : parts) p = sum > 0 ? p / sum : 0;
    return parts;
}

double squares(const std::array<double, kSkySources>& a) {
    double sum = 0;
    for (const double v : a) sum += v * v;
    return sum;
}

double squaresApart(const std::array<double, kSkySources>& a, const std::array<double, kSkySources>& b) {
    double sum = 0;
    for (std::size_t k = 0; k < a.size(); ++k) sum += (a[k] - b[k]) * (a[k] - b[k]);
    return sum;
}

} // namespace

GridModel::GridModel(GridInput input)
    : m_input(std::move(input)) {
    takeMoon();
    double weight = 0, scale = 0, moonWeight = 1 / (0.3 * 0.3), moon = moonWeight;
    for (std::size_t i = 0; i < m_input.sites.size(); ++i) {
        m_sites.push_back(fitSite(m_input, i));
        const SiteFit& s = m_sites.back();
        if (!s.fitted) continue;
        const double w = 1 / (s.lnScaleSigma * s.lnScaleSigma);
        weight += w, scale += w * s.lnScale;
        // What lies within its prior told nothing; it pulls no more than that.
        const double told = std::max(0.0, 1 / (s.moonSigma * s.moonSigma) - 1 / (0.3 * 0.3));
        moonWeight += told, moon += told * s.moon;
    }
    for (const GridRun& r : m_input.runs)
        if (!r.sky) m_input.notes.push_back(r.label() + phrase(" fills no cell: ") + r.whyNoSky + ".");
    // A place of which nobody said how bright it is: its backgrounds do.
    for (GridRun& r : m_input.runs) {
        if (m_input.sites[r.site].stated_mag || !r.sky) continue;
        const SiteFit& s = m_sites[r.site];
        if (s.fitted)
            r.sky = GridSky{s.sky_mag, skyOfReading(s.sky_mag, std::nullopt).bortle, r.sky->moon, r.sky->altitude_deg};
        else
            r.sky.reset(), r.whyNoSky = phrase("how bright its sky is was neither said nor could it be found from its background");
    }
    constexpr double kPrior = 1 / (0.2 * 0.2);
    m_scale.ln = weight > 0 ? scale / weight : std::log(0.88);
    m_scale.sigma = weight > 0 ? std::max(1 / std::sqrt(weight), 0.08) : 1 / std::sqrt(kPrior);
    m_moon = std::clamp(moon / moonWeight, 0.3, 3.0);
    learnErrors();
}

/// Moonlight that a filter was seen to pass takes the place of what its curve says.
void GridModel::takeMoon() {
    constexpr auto kMoon = static_cast<std::size_t>(SkySource::Moon);
    for (GridFilter& f : m_input.filters)
        for (GridChannel& c : f.channels) {
            double weight = 0, sum = 0;
            const GridChannel* open = nullptr;
            for (const GridRun& r : m_input.runs) {
                const auto seen = r.moonRejection.find(c.name);
                const GridFilter* against = m_input.filter(r.against);
                if (r.filter != f.id || seen == r.moonRejection.end() || !against || !against->channel(c.name)) continue;
                open = against->channel(c.name);
                const double w = std::pow(seen->second.value / seen->second.sigma, 2);
                weight += w, sum += w * std::log(seen->second.value);
            }
            if (!open || !(weight > 0) || !(open->sky[kMoon] > 0)) continue;
            const double seen = std::exp(sum / weight), curve = c.sky[kMoon] / open->sky[kMoon];
            c.sky[kMoon] = seen * open->sky[kMoon];
            m_input.notes.push_back(phrase("{} passes {:.1f} % of the baseline's moonlight in {}, by its subs (its curve says {:.1f} %).", f.name, 100 * seen,
                                           c.name, 100 * curve));
        }
}

void GridModel::learnErrors() {
    // Backgrounds: a run's channels share their fault, so that they count as one.
    double sum = kUsualRuns * kUsualBackground * kUsualBackground, n = kUsualRuns;
    std::map<std::size_t, std::array<double, 3>> byRun;
    for (const SiteFit& s : m_sites)
        for (const SkyResidual& r : s.residuals) {
            if (m_input.runs[r.run].backgroundVoid) continue;
            const double w2 = squares(weights(r.parts)),
                         z2 = std::max(0.0, r.ln() * r.ln() - std::pow(r.sigma / r.measured, 2) - std::pow(r.fitSigma / r.modelled, 2));
            // One channel that is far off is a leak or haze, told as such; it does not speak for all models.
            byRun[r.run][0] += std::min(z2, 0.36) / std::max(w2, 0.2), byRun[r.run][1] += 1;
        }
    for (const auto& [run, x] : byRun) sum += x[0] / x[1], n += 1;
    m_background = std::sqrt(sum / n);
    m_runs = static_cast<int>(byRun.size());
    // Throughputs, of targets whose kind is that of the model, in the channel that sees it best.
    sum = kUsualRuns * kUsualThroughput * kUsualThroughput, n = kUsualRuns;
    for (const GridRun& r : m_input.runs) {
        const GridFilter *f = m_input.filter(r.filter), *b = m_input.filter(r.against);
        if (!f || !b || r.baseline) continue;
        const auto kind = static_cast<std::size_t>(r.kind);
        const GridChannel* open = nullptr;
        for (const GridChannel& c : b->channels)
            if (!open || c.signal[kind] > open->signal[kind]) open = &c;
        const GridChannel* with = open ? f->channel(open->name) : nullptr;
        const auto t = open ? r.throughput.find(open->name) : r.throughput.end();
        if (!with || t == r.throughput.end() || !(open->signal[kind] > 0)) continue;
        const double model = with->signal[kind] / open->signal[kind];
        if (model < 0.2) continue; // what hardly passes says nothing of the passband
        const double z = std::log(t->second.value / model), s = t->second.sigma / t->second.value;
        const double w = 1 / (1 + std::pow(s / kUsualThroughput, 2)); // a poor measurement tells little
        sum += w * std::clamp(z * z - s * s, 0.0, 0.25), n += w;
    }
    m_throughput = std::sqrt(sum / n);
}

double GridModel::nearestSite(double zenith_mag, std::size_t& site) const {
    double best = 1e9;
    for (std::size_t i = 0; i < m_sites.size(); ++i) {
        if (!m_sites[i].fitted) continue;
        const double away =
            std::min(std::abs(m_sites[i].sky_mag - zenith_mag), std::abs(m_input.sites[i].stated_mag.value_or(m_sites[i].sky_mag) - zenith_mag));
        if (away < best) best = away, site = i;
    }
    return best;
}

std::array<double, kLamps> GridModel::sharesFor(const GridSky& sky) const {
    if (m_lamps) return sharesOf(*m_lamps);
    // Between two places that were fitted the mix goes over from one to the other.
    const SiteFit *darker = nullptr, *brighter = nullptr;
    for (const SiteFit& s : m_sites) {
        if (!s.fitted) continue;
        if (s.sky_mag >= sky.zenith_mag && (!darker || s.sky_mag < darker->sky_mag)) darker = &s;
        if (s.sky_mag <= sky.zenith_mag && (!brighter || s.sky_mag > brighter->sky_mag)) brighter = &s;
    }
    if (!darker && !brighter) return sharesOf(LampMix{});
    if (!darker || !brighter || darker == brighter) return (darker ? darker : brighter)->shares;
    const double way = darker->sky_mag - brighter->sky_mag, part = way > 0 ? (darker->sky_mag - sky.zenith_mag) / way : 0.5;
    std::array<double, kLamps> out{};
    for (std::size_t k = 0; k < kLamps; ++k) out[k] = (1 - part) * darker->shares[k] + part * brighter->shares[k];
    return out;
}

std::array<double, kSkySources> GridModel::parts(const GridChannel& channel, const GridSky& sky, const PlanRig& rig,
                                                 const std::array<double, kLamps>& shares) const {
    auto out = backgroundParts(channel, sky, shares, rig);
    for (double& p : out) p *= std::exp(m_scale.ln);
    out[static_cast<std::size_t>(SkySource::Moon)] *= m_moon;
    return out;
}

/// What the lamps' mix may change of a step between two skies: nothing at a place that was fitted or where a person says what burns there.
template<class F>
double GridModel::mixError(const GridSky& here, const GridSky& there, const F& ln) const {
    if (m_lamps) return 0;
    std::size_t a = 0, b = 0;
    const double fromA = nearestSite(here.zenith_mag, a), fromB = nearestSite(there.zenith_mag, b);
    constexpr double kSamePlace = 0.3; // mag: about half a class
    if (fromA < kSamePlace && fromB < kSamePlace) return 0;
    const double middle = ln(sharesFor(there));
    double sum = 0;
    for (const LampMix& town : kTowns) sum += std::pow(ln(sharesOf(town)) - middle, 2);
    return std::sqrt(sum / kTowns.size());
}

LnEstimate GridModel::background(const GridChannel& channel, const GridSky& sky, const PlanRig& rig) const {
    const auto p = parts(channel, sky, rig, sharesFor(sky));
    const double mix = kTownsApart * mixError(sky, sky, [&](const auto& shares) { return std::log(std::max(1e-30, sumOf(parts(channel, sky, rig, shares)))); });
    return {std::log(std::max(1e-30, sumOf(p))), std::sqrt(m_background * m_background * squares(weights(p)) + m_scale.sigma * m_scale.sigma + mix * mix)};
}

LnEstimate GridModel::backgroundStep(const GridChannel& channel, const GridSky& here, const GridSky& there, const PlanRig& rig) const {
    const auto a = parts(channel, here, rig, sharesFor(here)), b = parts(channel, there, rig, sharesFor(there));
    const double mix =
        kTownsApartInSteps * mixError(here, there, [&](const auto& shares) { return std::log(std::max(1e-30, sumOf(parts(channel, there, rig, shares)))); });
    return {std::log(std::max(1e-30, sumOf(b)) / std::max(1e-30, sumOf(a))),
            std::sqrt(m_background * m_background * squaresApart(weights(a), weights(b)) + mix * mix)};
}

double GridModel::lnNoise(const Pair& pair, const GridSky& sky, const PlanRig& rig, const std::array<double, kLamps>& shares) const {
    const double read = rig.readNoise_e * rig.readNoise_e;
    const double f = sumOf(parts(*pair.filter, sky, rig, shares)) + read / pair.exposure_s,
                 b = sumOf(parts(*pair.baseline, sky, rig, shares)) + read / pair.baselineExposure_s;
    return std::log(std::max(1e-30, f) / std::max(1e-30, b));
}

std::optional<LnEstimate> GridModel::throughput(const Pair& pair, TargetKind kind) const {
    const auto k = static_cast<std::size_t>(kind);
    if (!(pair.baseline->signal[k] > 0)) return std::nullopt;
    const double part = pair.filter->signal[k] / pair.baseline->signal[k];
    // An edge of a band over a line is known the worse the less passes; a continuum sees the whole band.
    const double edge = shinesInLines(kind) ? std::sqrt(std::clamp(part, 0.02, 1.0)) : 1;
    return LnEstimate{std::log(std::max(1e-9, part)), pair.filter == pair.baseline ? 0 : m_throughput / edge};
}

namespace {

/// How much a part of the background weighs in the noise.
double skyPart(double background, double readNoise_e, double exposure_s) {
    return background / std::max(1e-30, background + readNoise_e * readNoise_e / exposure_s);
}

} // namespace

std::optional<LnEstimate> GridModel::timeRatio(const Pair& pair, TargetKind kind, const GridSky& sky, const PlanRig& rig) const {
    const auto passed = throughput(pair, kind);
    if (!passed) return std::nullopt;
    const auto shares = sharesFor(sky);
    if (pair.filter == pair.baseline) return LnEstimate{-lnNoise(pair, sky, rig, shares), 0};
    const auto f = parts(*pair.filter, sky, rig, shares), b = parts(*pair.baseline, sky, rig, shares);
    const double cf = skyPart(sumOf(f), rig.readNoise_e, pair.exposure_s), cb = skyPart(sumOf(b), rig.readNoise_e, pair.baselineExposure_s);
    const double mix = kTownsApartInRatios * mixError(sky, sky, [&](const auto& s) { return lnNoise(pair, sky, rig, s); });
    // One lamp's spectrum is wrong for both filters, mostly in the narrower one.
    const double var = m_background * m_background * (cf * cf * squares(weights(f)) + 0.25 * cb * cb * squares(weights(b))) + 4 * passed->sigma * passed->sigma;
    return LnEstimate{2 * passed->ln - lnNoise(pair, sky, rig, shares), std::sqrt(var + mix * mix)};
}

LnEstimate GridModel::timeRatioStep(const Pair& pair, const GridSky& here, const GridSky& there, const PlanRig& rig) const {
    if (pair.filter == pair.baseline) return {};
    const auto sharesHere = sharesFor(here), sharesThere = sharesFor(there);
    const auto fa = parts(*pair.filter, here, rig, sharesHere), fb = parts(*pair.filter, there, rig, sharesThere);
    const auto ba = parts(*pair.baseline, here, rig, sharesHere), bb = parts(*pair.baseline, there, rig, sharesThere);
    const double mix = kTownsApartInRatios * mixError(here, there, [&](const auto& s) { return lnNoise(pair, there, rig, s); });
    const double cf = skyPart(sumOf(fb), rig.readNoise_e, pair.exposure_s), cb = skyPart(sumOf(bb), rig.readNoise_e, pair.baselineExposure_s);
    const double var = m_background * m_background * (cf * cf * squaresApart(weights(fa), weights(fb)) + cb * cb * squaresApart(weights(ba), weights(bb)));
    return {lnNoise(pair, here, rig, sharesHere) - lnNoise(pair, there, rig, sharesThere), std::sqrt(var + mix * mix)};
}

} // namespace caelumen

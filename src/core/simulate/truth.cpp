#include "core/simulate/truth.h"

#include "core/base/json.h"
#include "core/base/linear_algebra.h"
#include "core/base/statistics.h"
#include "core/measure/colour.h"
#include "core/measure/plane_view.h"
#include "core/model/quantity.h"

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

template<class Visit>
void visitRegion(const SceneRun& run, const Region& region, Visit visit) {
    const PlaneView view{{}, run.alignment, run.width, run.height};
    const PlaneView::Box box = view.boxOf(region);
    const Alignment::Affine toBaseline = view.backward();
    for (int y = box.y0; y < box.y1; ++y)
        for (int x = box.x0; x < box.x1; ++x)
            if (region.contains(toBaseline({static_cast<double>(x), static_cast<double>(y)}))) visit(x, y);
}

} // namespace

void TruthBook::put(const SceneRun& run, const std::string& channel, const char* what, const std::string& region, double value) {
    m_figures.push_back({run.id, run.filter.id, channel, what, region, value, 0, {}, false, {}});
}

const Measurement* TruthBook::find(const std::string& run, const std::string& channel, const char* what, const std::string& region) const {
    for (const Measurement& m : m_figures)
        if (m.run == run && m.channel == channel && m.quantity == what && m.region == region) return &m;
    return nullptr;
}

void TruthBook::add(const SceneRun& run, int channel, const std::string& name, bool baseline, const CleanPlane& clean) {
    if (baseline) m_baseline = run;
    const ChannelRates rates = channelRates(run, channel);
    const double scale = run.rig.scale_arcsec(), total = run.sub_exposure_s * run.sub_count;

    double sky = 0, skyGas = 0, noiseVariance = 0;
    std::size_t n = 0;
    for (const Region& r : m_trial.regions) {
        if (r.role != RegionRole::Sky) continue;
        visitRegion(run, r, [&](int x, int y) {
            const double light = static_cast<double>(clean.sky.at(x, y)) + static_cast<double>(clean.nebula.at(x, y)) +
                                 (clean.unseen.size() > 0 ? static_cast<double>(clean.unseen.at(x, y)) : 0);
            sky += light;
            skyGas += static_cast<double>(clean.nebula.at(x, y));
            noiseVariance += light / total + std::pow(run.rig.readNoise_e / run.sub_exposure_s, 2) / run.sub_count;
            ++n;
        });
    }
    if (n == 0) return;
    sky /= static_cast<double>(n);
    skyGas /= static_cast<double>(n);
    const double pixelNoise = std::sqrt(noiseVariance / static_cast<double>(n));
    put(run, name, q::background, "", sky);
    put(run, name, q::pixelNoise, "", pixelNoise);
    const double boxNoise = pixelNoise * scale / 10; // sigma / k scaled by k scale / 10, white noise
    put(run, name, q::boxNoise, "", boxNoise);
    put(run, name, q::noiseCorrelation, "", 1);
    put(run, name, q::faintLimit, "", 5 * boxNoise * std::sqrt(total / 3600));
    put(run, name, q::starFwhm, "", run.fwhm_px);
    if (const auto* b = find(baselineId(), name, q::background, ""); b && !baseline) {
        const double area = std::pow(scale / m_baseline->rig.scale_arcsec(), 2);
        put(run, name, q::backgroundRatio, "", sky / b->value / area);
        put(run, name, q::backgroundMag, "", -2.5 * std::log10(sky / b->value / area));
    }
    addNebula(run, name, baseline, clean, {sky, skyGas, boxNoise});
    addGradient(run, name, rates);
    if (!baseline) addHalos(run, name);
}

void TruthBook::addNebula(const SceneRun& run, const std::string& name, bool baseline, const CleanPlane& clean, const Sky& here) {
    const double scale = run.rig.scale_arcsec(), total = run.sub_exposure_s * run.sub_count;
    for (const Region& r : m_trial.regions) {
        if (r.role != RegionRole::Nebula) continue;
        double light = 0;
        std::size_t pixels = 0;
        visitRegion(run, r, [&](int x, int y) {
            light += static_cast<double>(clean.nebula.at(x, y));
            ++pixels;
        });
        if (pixels == 0) continue;
        // Against the sky regions, which hold a little nebula of their own.
        const double signal = light / static_cast<double>(pixels) - here.gas;
        put(run, name, q::nebulaSignal, r.id, signal);
        put(run, name, q::nebulaContrast, r.id, signal / here.light);
        put(run, name, q::nebulaSnr, r.id, signal / here.boxNoise);
        put(run, name, q::nebulaSnrHour, r.id, signal / here.boxNoise * std::sqrt(3600 / total));
        if (baseline) continue;
        const auto *b = find(baselineId(), name, q::nebulaSignal, r.id), *h = find(baselineId(), name, q::nebulaSnrHour, r.id);
        if (!b || !(b->value > 0)) continue;
        put(run, name, q::throughput, r.id, signal / b->value / std::pow(scale / m_baseline->rig.scale_arcsec(), 2));
        put(run, name, q::timeRatio, r.id, std::pow(signal / here.boxNoise * std::sqrt(3600 / total) / h->value, 2));
    }
}

/// The sky model fitted to the noiseless sky on a coarse grid.
void TruthBook::addGradient(const SceneRun& run, const std::string& name, const ChannelRates& rates) {
    const double half = 0.5 * std::hypot(run.width, run.height);
    Eigen::Matrix4d a = Eigen::Matrix4d::Zero();
    Eigen::Vector4d g = Eigen::Vector4d::Zero();
    for (int y = 0; y < run.height; y += 16) {
        for (int x = 0; x < run.width; x += 16) {
            const double u = (x - 0.5 * (run.width - 1)) / half, v = (y - 0.5 * (run.height - 1)) / half;
            const Eigen::Vector4d basis(1, u, v, u * u + v * v);
            a += basis * basis.transpose();
            g += basis * skyRate(run, rates, x, y);
        }
    }
    const Eigen::Vector4d p = solveNormal(a, g);
    const double span = 2 * (std::abs(p[1]) * 0.5 * (run.width - 1) + std::abs(p[2]) * 0.5 * (run.height - 1)) / half;
    put(run, name, q::gradient, "", span / p[0]);
    put(run, name, q::gradientRate, "", span);
    put(run, name, q::gradientAngle, "", std::atan2(p[2], p[1]) * 180 / M_PI);
    put(run, name, q::vignette, "", p[3] / p[0]);
}

void TruthBook::addHalos(const SceneRun& run, const std::string& name) {
    const double scale = run.rig.scale_arcsec();
    for (const Region& r : m_trial.regions) {
        if (r.role != RegionRole::HaloStar) continue;
        std::vector<Ghost> ghosts = run.filter.ghosts;
        std::sort(ghosts.begin(), ghosts.end(), [&](const Ghost& x, const Ghost& y) { return x.gap_mm < y.gap_mm; });
        int ring = 0;
        for (const Ghost& ghost : ghosts) {
            const double radius = ghostRadius(run, ghost), hole = radius * run.rig.obstruction;
            const std::string id = ++ring == 1 ? r.id : r.id + "#" + std::to_string(ring);
            put(run, name, q::haloRadius, id, radius);
            put(run, name, q::haloRadiusArcsec, id, radius * scale);
            put(run, name, q::haloFluxFraction, id, ghost.fraction);
            put(run, name, q::haloGapMm, id, ghost.gap_mm);
            put(run, name, q::haloDepth, id, -2.5 * std::log10(ghost.fraction / (M_PI * (radius * radius - hole * hole)) / (scale * scale)));
        }
    }
}

bool TruthBook::usable(const SceneRun& run, const std::array<ChannelRates, 3>& rates, const SceneStar& star) const {
    const double total = run.sub_exposure_s * run.sub_count, radius = 1.5 * m_baseline->fwhm_px, area = M_PI * radius * radius;
    // Behind dust a star is fainter; that moves it between bright enough and not, but not in colour.
    const double v = star.v + (star.v > 9 && !m_nebula.dust.empty() ? 0.6 * m_nebula.sample(m_nebula.dust, star.at.x, star.at.y) : 0);
    for (std::size_t c = 0; c < 3; ++c) {
        const double flux = rates[c].star(v, star.kelvin), sky = rates[c].sky();
        const double noise = std::sqrt(area * 1.2 * (sky / total + std::pow(run.rig.readNoise_e / run.sub_exposure_s, 2) / run.sub_count) + flux / total);
        const double peak = flux * 0.6 / (run.fwhm_px * run.fwhm_px) + sky;
        if (flux < 20 * noise ||
            peak * run.sub_exposure_s > 0.9 * std::min(run.rig.fullWell_e, (run.rig.fullScale_adu - run.rig.pedestal_adu) * run.rig.gain_e_per_adu))
            return false;
    }
    return true;
}

void TruthBook::addColours(const SceneRun& run, bool baseline) {
    if (baseline || !m_baseline) return;
    std::array<ChannelRates, 3> own, base;
    for (int c = 0; c < 3; ++c) {
        own[static_cast<std::size_t>(c)] = channelRates(run, c);
        base[static_cast<std::size_t>(c)] = channelRates(*m_baseline, c);
    }
    const auto index = [](const std::array<ChannelRates, 3>& r, const SceneStar& s, std::size_t x, std::size_t y) {
        return -2.5 * std::log10(r[x].star(s.v, s.kelvin) / r[y].star(s.v, s.kelvin));
    };
    const std::array<std::pair<std::string, std::array<std::size_t, 2>>, 3> indices{{{"B-R", {2, 0}}, {"B-G", {2, 1}}, {"G-R", {1, 0}}}};
    for (const auto& [name, pair] : indices) {
        std::vector<ColourPoint> points;
        for (const SceneStar& s : m_stars) {
            const Point p = m_baseline->alignment.map(s.at);
            if (p.x < 5 || p.y < 5 || p.x > run.width - 5 || p.y > run.height - 5 || !usable(*m_baseline, base, s) || !usable(run, own, s)) continue;
            points.push_back({index(base, s, pair[0], pair[1]), 1e-4, index(own, s, pair[0], pair[1]), 1e-4});
        }
        const auto fit = fitColour(points);
        if (!fit) continue;
        put(run, name, q::colourSlope, "", fit->slope);
        put(run, name, q::colourCast, "", fit->cast);
        put(run, name, q::colourScatter, "", fit->scatter);
    }
}

Json TruthBook::toJson() const {
    Json j;
    j["caelumen_truth"] = 1;
    j["trial"] = m_trial.title;
    j["measurements"] = Json::array();
    for (const Measurement& m : m_figures)
        j["measurements"].push_back({{"run", m.run},
                                     {"filter", m.filter},
                                     {"channel", m.channel},
                                     {"quantity", m.quantity},
                                     {"region", m.region.empty() ? Json(nullptr) : Json(m.region)},
                                     {"value", m.value},
                                     {"unit", quantity(m.quantity)->unit}});
    return j;
}

} // namespace caelumen

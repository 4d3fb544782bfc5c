#include "core/base/file.h"
#include "core/base/json.h"
#include "core/compare/measure_trial.h"
#include "core/plan/forecast.h"
#include "core/simulate/demo.h"

#include <QTemporaryDir>
#include <QTest>

#include <algorithm>
#include <cmath>

using namespace caelumen;

namespace {

const Measurement* figure(const TrialResults& r, const std::string& run, const std::string& channel, const char* quantity, const std::string& region) {
    for (const Measurement& m : r.measurements)
        if (m.run == run && m.channel == channel && m.quantity == quantity && m.region == region) return &m;
    return nullptr;
}

double median(std::vector<double> v) {
    std::sort(v.begin(), v.end());
    return v[v.size() / 2];
}

} // namespace

namespace {

/// A figure of one run and channel: what was foretold for its error, what the Bench states, and how far it lies from the truth.
struct Held {
    double foretold = 0, stated = 0, off = 0;
};
struct HeldNight {
    std::vector<Held> signal, ratio; ///< of the nebula; of the time ratio
};

/// Photographs a night, measures it, and foretells each run from the light and the regions that it has.
HeldNight holdNight(const SimulatedTrial& night) {
    HeldNight out;
    QTemporaryDir folder;
    const std::filesystem::path place = folder.path().toStdString();
    if (!writeTrial(night, place)) return out;
    const auto results = measureTrial(night.trial, place / night.folder);
    const auto truth = readJson(place / night.folder / "truth.json");
    if (!results || !truth) return out;
    const auto trueFigure = [&](const Measurement& m) -> std::optional<double> {
        for (const Json& t : (*truth)["measurements"])
            if (t["run"] == m.run && t["channel"] == m.channel && t["quantity"] == m.quantity && t["region"] == Json(m.region)) return t["value"].get<double>();
        return std::nullopt;
    };
    const SceneRig& rig = night.runs[0].rig;
    DeepSky target;
    auto ground = groundOf(night.trial, target, rig.scale_arcsec());
    if (!ground) return out;
    ground->starsTo15 = night.starsPerSquareDegree * std::pow(10, 0.24 * (15 - 16.5)); // of as many as 16.5, by the law of the faint ones
    const auto ratesOf = [](const SceneRun& run, int c, double s, double b) {
        return RunRates{s, b, run.rig.readNoise_e, channelRates(run, c).star(0, 5800), run.rig.scale_arcsec(), run.fwhm_px};
    };
    std::map<std::string, ForetoldRun> baseline;
    std::array<double, 3> hidden{};
    for (const SceneRun& run : night.runs)
        for (std::size_t c = 0; c < 3; ++c)
            if (const Measurement* b = figure(*results, run.id, std::string(1, "RGB"[c]), "background", ""))
                hidden[c] = std::max(hidden[c], faintestFound(ratesOf(run, static_cast<int>(c), 0, b->value), run.sub_exposure_s, run.sub_count));
    for (std::size_t i = 0; i < night.runs.size(); ++i) {
        const SceneRun& run = night.runs[i];
        for (int c = 0; c < 3; ++c) {
            const std::string channel(1, "RGB"[c]);
            const Measurement *s = figure(*results, run.id, channel, "nebula_signal", "N1"), *b = figure(*results, run.id, channel, "background", ""),
                              *t = figure(*results, run.id, channel, "time_ratio", "N1");
            if (!s || !b) continue;
            const ForetoldRun told =
                foretellRun(ratesOf(run, c, s->value, b->value), run.sub_exposure_s, run.sub_count, *ground, hidden[static_cast<std::size_t>(c)]);
            if (i == 0) baseline[channel] = told;
            if (const auto v = trueFigure(*s)) out.signal.push_back({told.signalSigma, s->sigma, s->value - *v});
            if (const auto v = t ? trueFigure(*t) : std::nullopt)
                out.ratio.push_back({ratioSigma(told, baseline[channel]) * t->value, t->sigma, t->value - *v});
        }
    }
    return out;
}

void add(std::vector<Held>& to, const std::vector<Held>& more) {
    to.insert(to.end(), more.begin(), more.end());
}

} // namespace

class ProofErrorTest : public QObject {
    Q_OBJECT

private slots:
    /// What is foretold of a run is about what the Bench then states: the demo's three nights, every run and channel.
    void foretoldErrorsAreThoseThatTheBenchStates() {
        HeldNight all;
        for (const SimulatedTrial& demo : demoTrials()) {
            const HeldNight night = holdNight(demo);
            add(all.signal, night.signal), add(all.ratio, night.ratio);
        }
        for (const auto& part : {all.signal, all.ratio}) {
            std::vector<double> over, off;
            for (const Held& h : part) over.push_back(std::log(h.foretold / h.stated)), off.push_back(std::abs(over.back()));
            qInfo("foretold over stated errors: median %.2f, half within %.2f times, of %zu", std::exp(median(over)), std::exp(median(off)), part.size());
            QVERIFY(part.size() > 20);
            QVERIFY(std::abs(median(over)) < std::log(1.4));
            QVERIFY(median(off) < std::log(1.45));
        }
    }

    /// Nights to which nothing was fitted: other skies, gradients, fields, depths and seeds. The scatter about the truth is within 30 % of what was foretold.
    void foretoldErrorsAreTheScatterOfOtherNights_data() {
        QTest::addColumn<double>("zenith");
        QTest::addColumn<double>("moon");
        QTest::addColumn<double>("gradient");
        QTest::addColumn<double>("density");
        QTest::addColumn<int>("subs");
        QTest::newRow("a town, half a moon") << 18.9 << 250.0 << 0.14 << 3500.0 << 20;
        QTest::newRow("a village, no moon, many stars") << 20.6 << 0.0 << -0.08 << 9000.0 << 40;
        QTest::newRow("a desert, few stars, 8 subs") << 21.8 << 0.0 << 0.02 << 2500.0 << 8;
    }
    void foretoldErrorsAreTheScatterOfOtherNights() {
#ifdef __SANITIZE_ADDRESS__
        QSKIP("Statistics of many nights: the optimised build does them; one night runs the same code here.");
#endif
        QFETCH(double, zenith);
        QFETCH(double, moon);
        QFETCH(double, gradient);
        QFETCH(double, density);
        QFETCH(int, subs);
        HeldNight all;
        for (unsigned long long seed = 1; seed <= 5; ++seed) {
            SimulatedTrial night = demoTrials(1100).front();
            night.seed = 900 + 17 * seed;
            night.starsPerSquareDegree = density;
            for (std::size_t i = 0; i < night.runs.size(); ++i) {
                SceneRun& run = night.runs[i];
                run.noiseSeed = 5000 + 100 * seed + i;
                run.sky.zenith_mag = zenith, run.sky.moon_nl = moon;
                run.sky.gradient_u = gradient, run.sky.gradient_v = -0.6 * gradient;
                run.sub_count = subs;
                night.trial.runs[i].sub_count = subs;
            }
            const HeldNight one = holdNight(night);
            add(all.signal, one.signal), add(all.ratio, one.ratio);
        }
        const auto scatter = [](const std::vector<Held>& part, double Held::*sigma) {
            std::vector<double> pulls;
            for (const Held& h : part) pulls.push_back(std::abs(h.off) / (h.*sigma));
            return 1.4826 * median(pulls); // about the truth
        };
        for (const auto& [what, part] : {std::pair{"signal", &all.signal}, {"time ratio", &all.ratio}}) {
            QVERIFY(part->size() >= 35);
            const double foretold = scatter(*part, &Held::foretold), stated = scatter(*part, &Held::stated);
            qInfo("%s: scatter over the foretold sigma %.2f, over the stated one %.2f, of %zu", what, foretold, stated, part->size());
            QVERIFY(foretold > 0.6 && foretold < 1.4); // 30 %, and what so few nights leave open
        }
    }
};

QTEST_GUILESS_MAIN(ProofErrorTest)
#include "proof_error_test.moc"

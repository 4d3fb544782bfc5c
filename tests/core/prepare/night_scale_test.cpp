#include "core/base/statistics.h"
#include "core/prepare/night_scale.h"
#include "core/sky/night_track.h"

#include <QTest>

#include <algorithm>
#include <cmath>
#include <functional>

using namespace caelumen;

namespace {

/// A night as it truly was: each sub's air, and which run it belongs to.
struct Night {
    std::vector<JudgedRun> runs;
    std::vector<std::vector<double>> air; ///< truth, by run

    std::vector<const JudgedRun*> all() const {
        std::vector<const JudgedRun*> out;
        for (const JudgedRun& r : runs) out.push_back(&r);
        return out;
    }
    /// Mean transparency of a run among the clearest tenth of all subs: what the scale must give.
    double truth(std::size_t run) const {
        std::vector<double> every;
        for (const auto& a : air) every.insert(every.end(), a.begin(), a.end());
        double mean = 0;
        for (const double a : air[run]) mean += a / static_cast<double>(air[run].size());
        return mean / quantile(every, 0.9);
    }
    double measured(std::size_t run, const NightScale& scale) const { return runs[run].transparency()->mean * scale.factor; }
};

/// Blocks by letters ("ABBA"), `each` subs a block of three minutes; `air` of the hour; every run is told against its own clearest tenth, as judging does.
template<class Air>
Night nightOf(const std::string& blocks, int each, Air air, double noise, std::uint64_t seed, int pause_s = 60) {
    Night out;
    const auto count = static_cast<std::size_t>(*std::max_element(blocks.begin(), blocks.end()) - 'A' + 1);
    out.runs.resize(count), out.air.resize(count);
    Random random(seed);
    const JulianDate begin = *parseTime("2026-06-20T18:00:00Z");
    double second = 0;
    for (const char letter : blocks) {
        const auto r = static_cast<std::size_t>(letter - 'A');
        for (int i = 0; i < each; ++i, second += 185) {
            JudgedSub s;
            SubFigures f;
            f.file = std::string(1, letter) + std::to_string(out.runs[r].subs.size());
            f.start = isoTime(begin.plusSeconds(second));
            f.exposure_s = 180;
            s.figures = std::move(f);
            const double a = air((second + 90) / 3600);
            out.air[r].push_back(a);
            s.transparency = a * std::exp(noise * random.normal());
            out.runs[r].subs.push_back(s);
        }
        second += pause_s;
    }
    for (JudgedRun& r : out.runs) {
        std::vector<double> t;
        for (const JudgedSub& s : r.subs) t.push_back(*s.transparency);
        const double best = quantile(t, 0.9);
        for (JudgedSub& s : r.subs) *s.transparency /= best;
    }
    return out;
}

} // namespace

class NightScaleTest : public QObject {
    Q_OBJECT

private slots:
    void aRunUnderCirrusIsNoticed() {
        // Through B the sky was veiled all the time; against its own best subs that cannot be seen.
        const auto night = nightOf(
            "ABBA", 6, [](double h) { return h > 0.15 && h < 1.15 ? 0.8 : 1.0; }, 0.005, 3);
        const auto steady = nightOf(
            "ABBA", 6, [](double) { return 1.0; }, 0.005, 3);
        QVERIFY(night.runs[1].transparency()->mean > 0.97);
        const auto veiled = nightScales(night.all());
        QVERIFY(veiled[0] && veiled[1] && std::abs(night.measured(1, *veiled[1]) - 0.8) < 0.02);
        const auto scales = nightScales(steady.all());
        QVERIFY(scales[0] && scales[1]);
        for (std::size_t r = 0; r < 2; ++r)
            QVERIFY2(std::abs(steady.measured(r, *scales[r]) - 1) < 0.015, qPrintable(QString::number(steady.measured(r, *scales[r]))));
    }

    // A veil that comes and goes slowly, a long drift, unequal blocks, three filters: the truth comes back within the stated error.
    void theAirsShareComesBackWithinItsError() {
        const std::vector<std::pair<std::string, std::function<double(double)>>> cases{
            {"ABBA", [](double h) { return 1 - 0.12 * h; }},
            {"ABBA", [](double h) { return 0.85 + 0.15 * std::cos(3 * h); }},
            {"ABCCBA", [](double h) { return 1 - 0.05 * h * h; }},
            {"ABAB", [](double h) { return 0.8 + 0.1 * h; }},
            {"ABCABC", [](double h) { return std::exp(-0.1 * std::sin(4 * h)); }},
        };
        int inside1 = 0, inside2 = 0, all = 0;
        for (const auto& [blocks, air] : cases)
            for (std::uint64_t seed = 1; seed <= 40; ++seed) {
                const auto night = nightOf(blocks, 5, air, 0.01, seed);
                const auto scales = nightScales(night.all());
                // Against the run that was first: what fairness compares.
                for (std::size_t r = 1; r < night.runs.size(); ++r) {
                    QVERIFY(scales[r]);
                    const double got = night.measured(r, *scales[r]) / night.measured(0, *scales[0]), want = night.truth(r) / night.truth(0);
                    const double sigma = got * scales[r]->sigma / scales[r]->factor;
                    QVERIFY(sigma > 0.002 && sigma < 0.1);
                    ++all, inside1 += std::abs(got - want) < sigma, inside2 += std::abs(got - want) < 2 * sigma;
                }
            }
        QVERIFY2(100 * inside1 > 60 * all && 100 * inside2 > 90 * all, qPrintable(QString("%1 %2 of %3").arg(inside1).arg(inside2).arg(all)));
    }

    void theOrderOfTheListDoesNotMatter() {
        const auto night = nightOf(
            "ABCCBA", 4, [](double h) { return 1 - 0.1 * h; }, 0.01, 9);
        const auto there = nightScales(night.all());
        const auto back = nightScales({&night.runs[2], &night.runs[1], &night.runs[0]});
        for (std::size_t r = 0; r < 3; ++r)
            QVERIFY(std::abs(there[r]->factor - back[2 - r]->factor) < 1e-9 && std::abs(there[r]->sigma - back[2 - r]->sigma) < 1e-9);
    }

    void whatNothingLinksHasNoScale() {
        const auto alone = nightOf(
            "A", 6, [](double) { return 1.0; }, 0.01, 1);
        QVERIFY(!nightScales(alone.all())[0]);
        const auto apart = nightOf(
            "AB", 6, [](double) { return 1.0; }, 0.01, 1, 3 * 3600);
        for (const auto& s : nightScales(apart.all())) QVERIFY(!s);
        auto dark = nightOf(
            "AB", 6, [](double) { return 1.0; }, 0.01, 1);
        for (JudgedSub& s : dark.runs[1].subs) s.transparency.reset(); // no stars
        for (const auto& s : nightScales(dark.all())) QVERIFY(!s);
        QVERIFY(nightScales({}).empty());
    }
};

QTEST_GUILESS_MAIN(NightScaleTest)
#include "night_scale_test.moc"

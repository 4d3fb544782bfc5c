#include "core/model/flags.h"
#include "core/model/quantity.h"
#include "support/harvests.h"

#include <QTest>

using namespace caelumen;
using harvests::Channel;
using harvests::Sheet;

namespace {

Trial oneNebula(const std::string& channel = {}) {
    Trial t;
    Region n;
    n.id = "N1", n.role = RegionRole::Nebula, n.channel = channel;
    t.regions.push_back(n);
    return t;
}

/// A run of R and G that shows the nebula by `above` in R and a third of it in G.
std::vector<Channel> colourRun(double above, double box, double level = 2) {
    std::vector<Channel> out{Channel("R", level), Channel("G", level)};
    out[0].region("N1", above), out[1].region("N1", above / 3);
    for (Channel& c : out) c.noise = harvests::boxNoise(box);
    return out;
}

std::vector<Sky> skies(const std::vector<Channel>& run) {
    std::vector<Sky> out;
    for (const Channel& c : run) out.push_back(c.sky());
    return out;
}

void fill(Sheet& s, const Trial& t, const std::vector<Channel>& run, const std::vector<Channel>& base, std::optional<double> baseTotal = 3600.0,
          double perArea = 1) {
    RunConditions conditions;
    conditions.total_s = baseTotal;
    nebulaFigures(s.sheet, t, skies(run), skies(base), false, conditions, perArea);
}

const std::array kAll{q::nebulaSignal, q::nebulaContrast, q::nebulaSnr, q::nebulaSnrHour, q::timeRatio, q::throughput};

} // namespace

/// What nebula regions show above their sky, alone and beside the baseline.
class FiguresNebulaTest : public QObject {
    Q_OBJECT

private slots:
    void lightAboveTheSky() {
        const auto run = colourRun(0.6, 0.02);
        Sheet s;
        fill(s, oneNebula(), run, run);
        QVERIFY(std::abs(s.value(q::nebulaSignal, "R", "N1") - 0.6) < 1e-12);
        QVERIFY(std::abs(s.value(q::nebulaContrast, "R", "N1") - 0.3) < 1e-12);
        QVERIFY(std::abs(s.value(q::nebulaSnr, "R", "N1") - 30) < 1e-9);
        QVERIFY(std::abs(s.value(q::throughput, "G", "N1") - 1) < 1e-12);
        QVERIFY(std::abs(s.value(q::timeRatio, "R", "N1") - 1) < 1e-12);
        QCOMPARE(s.value(q::faintLimit, "R"), 0.1);
        // The channel of the best signal to noise speaks, unless the region names one.
        QVERIFY(s.find(q::nebulaSignal, "R", "N1")->headline && !s.find(q::nebulaSignal, "G", "N1")->headline);
        Sheet told;
        fill(told, oneNebula("G"), run, run);
        QVERIFY(told.find(q::nebulaSignal, "G", "N1")->headline && !told.find(q::nebulaSignal, "R", "N1")->headline);
        QVERIFY(s.isOrderly() && told.isOrderly());
    }

    /// Twice the light and half the noise: four times the signal to noise, in a sixteenth of the time.
    void timeGoesWithTheSquare() {
        Sheet s;
        fill(s, oneNebula(), colourRun(1.2, 0.01), colourRun(0.6, 0.02));
        QVERIFY(std::abs(s.value(q::timeRatio, "R", "N1") - 16) < 1e-9);
        QVERIFY(std::abs(s.value(q::throughput, "R", "N1") - 2) < 1e-12);
        // An hour is an hour: four of them show twice the signal to noise, and the same per hour.
        Sheet longer;
        longer.conditions.total_s = 4 * 3600;
        fill(longer, oneNebula(), colourRun(1.2, 0.005), colourRun(0.6, 0.02));
        QVERIFY(std::abs(longer.value(q::nebulaSnr, "R", "N1") / s.value(q::nebulaSnr, "R", "N1") - 2) < 1e-9);
        for (const char* q : {q::nebulaSnrHour, q::timeRatio}) QVERIFY(std::abs(longer.value(q, "R", "N1") / s.value(q, "R", "N1") - 1) < 1e-9);
        QVERIFY(std::abs(longer.value(q::faintLimit, "R") / s.value(q::faintLimit, "R") - 1) < 1e-9);
    }

    void baselineAndRunChangePlaces() {
        const auto a = colourRun(1.2, 0.01, 1), b = colourRun(0.6, 0.02);
        Sheet there, back;
        fill(there, oneNebula(), a, b);
        fill(back, oneNebula(), b, a);
        for (const char* q : {q::timeRatio, q::throughput}) {
            QVERIFY2(std::abs(there.value(q, "R", "N1") * back.value(q, "R", "N1") - 1) < 1e-9, q);
            QVERIFY2(std::abs(there.sigma(q, "R", "N1") / there.value(q, "R", "N1") / (back.sigma(q, "R", "N1") / back.value(q, "R", "N1")) - 1) < 0.05, q);
        }
    }

    void anotherUnitChangesNoRatio() {
        auto a = colourRun(1.2, 0.01, 1), b = colourRun(0.6, 0.02);
        Sheet before, after;
        fill(before, oneNebula(), a, b);
        for (auto* run : {&a, &b})
            for (Channel& c : *run) c.scale(11);
        fill(after, oneNebula(), a, b);
        for (const char* q : kAll) {
            const double factor = q == q::nebulaSignal ? 11 : 1;
            for (const char* channel : {"R", "G"}) {
                QVERIFY2(std::abs(after.value(q, channel, "N1") / before.value(q, channel, "N1") / factor - 1) < 1e-9, q);
                QVERIFY2(std::abs(after.sigma(q, channel, "N1") / before.sigma(q, channel, "N1") / factor - 1) < 1e-9, q);
            }
        }
    }

    /// The error of the sky's own mean lowers the signal and lifts the background together.
    void contrastKnowsTheSharedError() {
        auto run = colourRun(0.6, 0.02);
        run[0].plane.sky.used = 400;
        Sheet s;
        fill(s, oneNebula(), run, run);
        const double signal = s.sigma(q::nebulaSignal, "R", "N1"), contrast = s.sigma(q::nebulaContrast, "R", "N1");
        QVERIFY2(contrast > signal / 2 && contrast < 1.3 * signal / 2 + 1e-6, qPrintable(QString("%1 of %2").arg(contrast).arg(signal)));
    }

    void whatIsNotThereSaysWhy() {
        const auto base = colourRun(0.6, 0.02);
        const auto said = [&](const Sheet& s, const char* q, const char* words) {
            return s.why(q, "R", "N1").find(words) != std::string::npos && s.isOrderly();
        };
        auto run = colourRun(0.6, 0.02);
        run[0].plane.regions.clear();
        Sheet outside;
        fill(outside, oneNebula(), run, base);
        for (const char* q : kAll) QVERIFY2(said(outside, q, "outside"), q);
        run = colourRun(0.6, 0.02);
        run[0].plane.regions["N1"].used = 2;
        Sheet hidden;
        fill(hidden, oneNebula(), run, base);
        for (const char* q : kAll) QVERIFY2(said(hidden, q, "stars hide"), q);
        run = colourRun(0.6, 0.02);
        for (Channel& c : run) c.noise.valid = false;
        Sheet noisy;
        fill(noisy, oneNebula(), run, base);
        for (const char* q : {q::nebulaSnr, q::nebulaSnrHour, q::timeRatio}) QVERIFY2(said(noisy, q, "boxes"), q);
        QVERIFY(noisy.find(q::nebulaSignal, "R", "N1") && noisy.find(q::throughput, "R", "N1"));
        Sheet noTime, noBaseTime, faint, noPedestal;
        noTime.conditions.total_s.reset();
        fill(noTime, oneNebula(), colourRun(0.6, 0.02), base);
        QVERIFY(said(noTime, q::nebulaSnrHour, "integration") && said(noTime, q::timeRatio, "integration") && noTime.find(q::nebulaSnr, "R", "N1"));
        fill(noBaseTime, oneNebula(), colourRun(0.6, 0.02), base, std::nullopt);
        QVERIFY(said(noBaseTime, q::timeRatio, "integration") && noBaseTime.find(q::nebulaSnrHour, "R", "N1"));
        fill(faint, oneNebula(), colourRun(0.6, 0.02), colourRun(0.001, 0.02));
        for (const char* q : {q::timeRatio, q::throughput}) QVERIFY2(said(faint, q, "not detected"), q);
        noPedestal.conditions.flags = {flag::pedestalUnknown};
        fill(noPedestal, oneNebula(), colourRun(0.6, 0.02), base);
        QVERIFY(said(noPedestal, q::nebulaContrast, "pedestal") && noPedestal.find(q::timeRatio, "R", "N1"));
    }

    /// A mono run is held against the colour that shows the region best.
    void monoBesideColour() {
        std::vector<Channel> mono{Channel("L")};
        mono[0].region("N1", 0.3), mono[0].noise = harvests::boxNoise(0.02);
        Sheet s;
        fill(s, oneNebula(), mono, colourRun(0.6, 0.02));
        QVERIFY(std::abs(s.value(q::throughput, "L", "N1") - 0.5) < 1e-12);
        Sheet finer; // its pixels see a quarter of the sky
        fill(finer, oneNebula(), mono, colourRun(0.6, 0.02), 3600, 0.25);
        QVERIFY(std::abs(finer.value(q::throughput, "L", "N1") - 2) < 1e-12);
    }

    /// Where the baseline hardly shows the nebula, the time is uncertain upwards above all.
    void aFaintBaselineWidensTheTime() {
        const auto run = colourRun(0.6, 0.02);
        double before = 0;
        for (const double above : {0.3, 0.05, 0.02, 0.0125}) {
            Sheet s;
            auto base = colourRun(above, 0.02);
            base[0].plane.regions["N1"].used = 1000;
            fill(s, oneNebula(), run, base);
            const double relative = s.sigma(q::timeRatio, "R", "N1") / s.value(q::timeRatio, "R", "N1");
            QVERIFY2(relative > before, qPrintable(QString("%1: %2").arg(above).arg(relative)));
            before = relative;
        }
        QVERIFY(before > 0.5);
    }

    void theBaselineHasNoRatios() {
        const auto run = colourRun(0.6, 0.02);
        Sheet s;
        nebulaFigures(s.sheet, oneNebula(), skies(run), skies(run), true, s.conditions, 1);
        for (const char* q : {q::timeRatio, q::throughput}) QVERIFY(!s.find(q, "R", "N1") && s.why(q, "R", "N1").empty());
        QVERIFY(s.find(q::nebulaSnr, "R", "N1"));
    }
};

QTEST_GUILESS_MAIN(FiguresNebulaTest)
#include "figures_nebula_test.moc"

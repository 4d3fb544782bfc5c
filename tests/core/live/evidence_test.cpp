#include "support/virtual_nights.h"

#include <QTest>

#include <algorithm>

using namespace caelumen;

namespace {

/// Whether anything was ever told apart, by somebody who looks after every sub and believes the first word.
bool everTold(const std::vector<LivePoint>& points, bool within, double alpha, std::size_t a = 0, std::size_t b = 1) {
    const auto all = evidenceOf(stepsOf(points, within), a, b, alpha);
    return std::any_of(all.begin(), all.end(), [&](const LiveEvidence& e) { return e.logEvidence >= -std::log(alpha); });
}

constexpr double kEach = 0.05 / 5; // five quantities share what is allowed for a night

bool anyTold(const VirtualNight& night) {
    const NightFigures f = figuresOf(night);
    return everTold(f.red, true, kEach) || everTold(f.green, true, kEach) || everTold(f.blue, true, kEach) || everTold(f.starlight, true, kEach) ||
           everTold(f.sharpness, false, kEach);
}

} // namespace

class EvidenceTest : public QObject {
    Q_OBJECT

private slots:
    void looksDoNoHarm_data() {
        QTest::addColumn<int>("blocks");
        QTest::addColumn<int>("perBlock");
        QTest::addColumn<double>("haze");
        QTest::newRow("filter wheel") << 48 << 1 << 0.04;
        QTest::newRow("short blocks") << 24 << 4 << 0.04;
        QTest::newRow("by hand, all night") << 12 << 10 << 0.04;
        QTest::newRow("two swaps") << 4 << 20 << 0.04;
        QTest::newRow("still air") << 24 << 4 << 0.003;
        QTest::newRow("a restless night") << 24 << 4 << 0.15;
    }
    void looksDoNoHarm() {
        QFETCH(int, blocks);
        QFETCH(int, perBlock);
        QFETCH(double, haze);
        int told = 0;
        constexpr int kNights = 2000;
        for (int i = 0; i < kNights; ++i) {
            VirtualNight night;
            night.order = blocks == 48 ? std::vector<std::size_t>() : abba(blocks);
            for (int k = 0; night.order.size() < 48 && blocks == 48; ++k) night.order.push_back(static_cast<std::size_t>(k % 2));
            night.perBlock = perBlock, night.haze = haze, night.seed = static_cast<unsigned long long>(i) + 1;
            told += anyTold(night);
        }
        qInfo("told apart in %.2f %% of nights without a difference", 100.0 * told / kNights);
        QVERIFY(told <= kNights / 20);
    }

    void whatDiffersIsTold() {
        for (const double difference : {0.1, 0.5, 1.5}) {
            int told = 0;
            double steps = 0;
            for (unsigned long long i = 1; i <= 200; ++i) {
                VirtualNight night;
                night.order = abba(24), night.perBlock = 4, night.seed = i, night.difference = difference;
                const auto e = evidenceOf(stepsOf(figuresOf(night).green, true), 0, 1, kEach);
                const auto at = std::find_if(e.begin(), e.end(), [](const LiveEvidence& x) { return x.logEvidence >= -std::log(kEach); });
                told += at != e.end();
                if (at != e.end()) steps += at->steps;
            }
            qInfo("difference %.2f: told in %.1f %% of nights, after %.1f steps", difference, told / 2.0, steps / std::max(1, told));
            QVERIFY(told > 190);
        }
    }

    void boundsHoldAtAllLooksTogether() {
        int broken = 0;
        constexpr int kNights = 1000;
        for (unsigned long long i = 1; i <= kNights; ++i) {
            VirtualNight night;
            night.order = abba(20), night.perBlock = 4, night.seed = 5000 + i, night.difference = 0.2;
            const auto e = evidenceOf(stepsOf(figuresOf(night).green, true), 0, 1, 0.05);
            broken += std::any_of(e.begin(), e.end(), [](const LiveEvidence& x) { return x.low && (*x.low > 0.2 || *x.high < 0.2); });
        }
        qInfo("the truth left the bounds at some time in %.1f %% of nights", 100.0 * broken / kNights);
        QVERIFY(broken <= kNights / 20);
    }

    void swappingFiltersTurnsTheSign() {
        VirtualNight night;
        night.order = abba(12), night.difference = 0.3;
        const auto steps = stepsOf(figuresOf(night).green, true);
        const auto one = evidenceOf(steps, 0, 1, 0.05), other = evidenceOf(steps, 1, 0, 0.05);
        QVERIFY(!one.empty() && one.size() == other.size());
        for (std::size_t i = 0; i < one.size(); ++i) {
            QVERIFY(std::abs(one[i].difference + other[i].difference) < 1e-9);
            QVERIFY(std::abs(one[i].logEvidence - other[i].logEvidence) < 1e-7 * (1 + std::abs(one[i].logEvidence)));
            if (one[i].low) QVERIFY(std::abs(*one[i].low + *other[i].high) < 1e-9);
        }
    }

    // What was a step stays one: else somebody who looks often would choose.
    void stepsOnlyEverGrow() {
        VirtualNight night;
        night.order = abba(10), night.perBlock = 8;
        const auto points = figuresOf(night).green;
        std::vector<LiveStep> before;
        for (std::size_t n = 9; n <= points.size(); ++n) {
            const auto steps = stepsOf({points.begin(), points.begin() + static_cast<std::ptrdiff_t>(n)}, true);
            QVERIFY(steps.size() >= before.size());
            for (std::size_t i = 0; i < before.size(); ++i) QVERIFY(steps[i].change == before[i].change && steps[i].second == before[i].second);
            before = steps;
        }
        QVERIFY(before.size() > 9);
    }

    void threeFiltersAreToldByAllTheirSwaps() {
        VirtualNight night;
        for (int i = 0; i < 8; ++i)
            for (const std::size_t f : {0, 1, 2, 2, 1, 0}) night.order.push_back(f);
        night.perBlock = 2, night.difference = 0.25;
        const auto steps = stepsOf(figuresOf(night).green, true);
        const auto e = evidenceOf(steps, 0, 2, 0.05); // never neighbours
        QVERIFY(!e.empty());
        QVERIFY(std::abs(e.back().difference - 0.5) < 5 * e.back().sigma && e.back().sigma < 0.05);
        QVERIFY(e.back().logEvidence > std::log(20.0));
        QVERIFY(evidenceOf(steps, 0, 5, 0.05).empty()); // a filter that was not there
    }

    void nothingIsSaidTooEarly() {
        VirtualNight night;
        night.order = {0, 1}, night.perBlock = 20, night.difference = 3;
        QVERIFY(!everTold(figuresOf(night).sharpness, false, 0.05));
        night.order = {0, 0, 0};
        QVERIFY(evidenceOf(stepsOf(figuresOf(night).green, true), 0, 1, 0.05).empty());
        QVERIFY(stepsOf({}, true).empty());
        // Two blocks of different nights are no swap.
        QVERIFY(stepsOf({{0, 0, 1.0}, {100, 0, 1.0}, {90'000, 1, 2.0}, {90'100, 1, 2.0}}, true).empty());
    }

    void forecastsCarryOn() {
        VirtualNight night;
        night.perBlock = 4, night.difference = 0.01, night.seed = 3;
        night.order = abba(10);
        const auto steps = stepsOf(figuresOf(night).green, true);
        const auto e = evidenceOf(steps, 0, 1, kEach).back();
        const auto more = blocksToTell(steps, 0, 1, kEach, e.difference), fewer = blocksToTell(steps, 0, 1, kEach, 3 * e.difference);
        QVERIFY(e.logEvidence < -std::log(kEach));
        QVERIFY(more && *more > 0 && fewer && *fewer < *more);
        QVERIFY(!blocksToTell(steps, 0, 1, kEach, 1e-6));
    }
};

QTEST_APPLESS_MAIN(EvidenceTest)
#include "evidence_test.moc"

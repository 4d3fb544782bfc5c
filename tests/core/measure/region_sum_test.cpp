#include "core/base/statistics.h"
#include "core/measure/region_sum.h"

#include <QTest>

#include <cmath>
#include <functional>
#include <limits>

using namespace caelumen;

namespace {

constexpr int kWidth = 400, kHeight = 300;

Region rect(double x0, double y0, double x1, double y1) {
    Region r;
    r.id = "R", r.shape = RegionShape::Rect, r.points = {{x0 - 0.5, y0 - 0.5}, {x1 - 0.5, y1 - 0.5}};
    return r;
}

Region circle(double x, double y, double radius) {
    Region r;
    r.id = "C", r.shape = RegionShape::Circle, r.points = {{x, y}}, r.radius = radius;
    return r;
}

/// Light as a function of place, and noise.
Plane planeOf(const std::function<double(double, double)>& light, double noise, unsigned long long seed = 5) {
    Random random(seed);
    Plane p(kWidth, kHeight);
    for (int y = 0; y < kHeight; ++y)
        for (int x = 0; x < kWidth; ++x) p.at(x, y) = static_cast<float>(light(x, y) + noise * random.normal());
    return p;
}

RegionSum sumOf(const Plane& p, const std::vector<Region>& regions, bool structured, const Mask& mask = {}, const PlaneView& view = {{}, {}, kWidth, kHeight}) {
    std::vector<const Region*> list;
    for (const Region& r : regions) list.push_back(&r);
    return sumRegions(p, mask, {}, view, list, structured);
}

/// Discs that hide a part of the frame.
Mask discs(int n, double radius, unsigned long long seed) {
    Random random(seed);
    Mask out(kWidth, kHeight);
    for (int i = 0; i < n; ++i) {
        const double cx = kWidth * random.uniform(), cy = kHeight * random.uniform();
        for (int y = 0; y < kHeight; ++y)
            for (int x = 0; x < kWidth; ++x)
                if (std::hypot(x - cx, y - cy) < radius) out.hide(y, x, x + 1);
    }
    return out;
}

double errorOf(const RegionSum& s) {
    return s.pixelSigma / std::sqrt(static_cast<double>(s.used));
}

} // namespace

/// The light of regions: what is seen of it stands for what stars hide.
class RegionSumTest : public QObject {
    Q_OBJECT

private slots:
    void evenLightIsItsLevel_data() {
        QTest::addColumn<bool>("structured");
        QTest::newRow("sky") << false;
        QTest::newRow("nebula") << true;
    }
    void evenLightIsItsLevel() {
        QFETCH(bool, structured);
        const Plane p = planeOf([](double, double) { return 50; }, 3);
        const RegionSum s = sumOf(p, {rect(40, 30, 240, 230)}, structured);
        QCOMPARE(s.inside, std::size_t{200 * 200});
        QVERIFY2(s.used > 36'000 && s.used <= 40'000, qPrintable(QString::number(s.used)));
        QVERIFY2(std::abs(s.mean - 50) < 4 * errorOf(s), qPrintable(QString::number(s.mean - 50)));
        QVERIFY(std::abs(s.pixelSigma / 3 - 1) < 0.04);
        QVERIFY(std::abs(s.skew) < 0.1);
        const SurfaceBasis middle = SurfaceBasis::at({139.5, 129.5}, kWidth, kHeight);
        QVERIFY(std::abs(s.whole.u - middle.u) < 1e-9 && std::abs(s.whole.v - middle.v) < 1e-9);
        QVERIFY(std::abs(s.basis.u - middle.u) < 0.003 && std::abs(s.basis.v - middle.v) < 0.003);
    }

    /// Twice the light, or light added everywhere: the sum follows.
    void unitAndZeroAreFree() {
        const auto nebula = [](double x, double y) { return 20 + 10 * std::exp(-std::hypot(x - 150, y - 140) / 40); };
        const Plane p = planeOf(nebula, 2);
        Plane changed = planeOf(nebula, 2);
        for (std::size_t i = 0; i < changed.size(); ++i) changed.data()[i] = 4 * changed.data()[i] + 64; // exact in floats, nearly
        for (const bool structured : {false, true}) {
            const RegionSum a = sumOf(p, {circle(150, 140, 60)}, structured), b = sumOf(changed, {circle(150, 140, 60)}, structured);
            QCOMPARE(a.used, b.used);
            QVERIFY(std::abs(b.mean - (4 * a.mean + 64)) < 1e-4);
            QVERIFY(std::abs(b.pixelSigma / a.pixelSigma / 4 - 1) < 1e-4);
        }
    }

    void regionsArePooled() {
        const Plane p = planeOf([](double x, double) { return 30 + 0.02 * x; }, 2);
        const RegionSum whole = sumOf(p, {rect(48, 48, 288, 144)}, false), parts = sumOf(p, {rect(48, 48, 168, 144), rect(168, 48, 288, 144)}, false);
        QCOMPARE(parts.inside, whole.inside);
        QVERIFY(std::abs(parts.mean - whole.mean) < 0.2 * errorOf(whole));
        QVERIFY(std::abs(parts.basis.u - whole.basis.u) < 1e-4);
    }

    /// Dust is dark and hides stars, nebula is bright between them: what stars hide must not bend the mean.
    void whatStarsHideIsFilled() {
        const auto nebula = [](double x, double y) { return 20 + 30 * std::exp(-std::pow(std::hypot(x - 200, y - 150) / 70, 2)); };
        double truth = 0, n = 0;
        for (int y = 0; y < kHeight; ++y)
            for (int x = 0; x < kWidth; ++x)
                if (std::hypot(x - 200, y - 150) <= 80) truth += nebula(x, y), n += 1;
        truth /= n;
        for (unsigned long long seed = 1; seed <= 5; ++seed) {
            const RegionSum s = sumOf(planeOf(nebula, 1, seed), {circle(200, 150, 80)}, true, discs(40, 14, seed));
            QVERIFY2(std::abs(s.mean - truth) < 4 * std::hypot(errorOf(s), s.fillSigma) + 0.05,
                     qPrintable(QString("%1 of %2 +- %3").arg(s.mean).arg(truth).arg(std::hypot(errorOf(s), s.fillSigma))));
            QVERIFY(s.used < s.inside);
        }
        // The nebula's middle hidden by one large disc: what is doubtful is said.
        Mask middle(kWidth, kHeight);
        for (int y = 0; y < kHeight; ++y)
            for (int x = 0; x < kWidth; ++x)
                if (std::hypot(x - 200, y - 150) < 35) middle.hide(y, x, x + 1);
        const RegionSum hidden = sumOf(planeOf(nebula, 1), {circle(200, 150, 80)}, true, middle);
        QVERIFY(hidden.fillSigma > 0.05);
        QVERIFY2(std::abs(hidden.mean - truth) < 4 * std::hypot(errorOf(hidden), hidden.fillSigma),
                 qPrintable(QString("%1 of %2 +- %3").arg(hidden.mean).arg(truth).arg(hidden.fillSigma)));
    }

    /// A filament belongs to its nebula; a trail in the sky is a stranger.
    void filamentsStayAndStrangersGo() {
        const auto band = [](double half) { return [half](double x, double y) { return 20.0 + (std::abs(y - 150 - 0.2 * (x - 200)) < half ? 12.0 : 0.0); }; };
        const auto wide = band(12);
        double truth = 0;
        for (int y = 100; y < 200; ++y)
            for (int x = 100; x < 300; ++x) truth += wide(x, y) / 20'000;
        const RegionSum nebula = sumOf(planeOf(wide, 1), {rect(100, 100, 300, 200)}, true);
        QVERIFY2(std::abs(nebula.mean - truth) < 0.1 * (truth - 20), qPrintable(QString("%1 of %2").arg(nebula.mean).arg(truth)));
        const RegionSum sky = sumOf(planeOf(band(2), 1), {rect(100, 100, 300, 200)}, false);
        QVERIFY2(std::abs(sky.mean - 20) < 0.05, qPrintable(QString::number(sky.mean)));
    }

    void mirroredItIsTheSame() {
        const auto light = [](double x, double y) { return 20 + 0.05 * x - 0.02 * y; };
        const Plane p = planeOf(light, 2);
        Plane m(kWidth, kHeight);
        for (int y = 0; y < kHeight; ++y)
            for (int x = 0; x < kWidth; ++x) m.at(x, y) = p.at(kWidth - 1 - x, y);
        const RegionSum a = sumOf(p, {circle(120, 140, 50)}, false), b = sumOf(m, {circle(kWidth - 1 - 120.0, 140, 50)}, false);
        QCOMPARE(a.inside, b.inside);
        QVERIFY(std::abs(a.mean - b.mean) < 0.1 * errorOf(a));
        QVERIFY(std::abs(a.basis.u + b.basis.u) < 1e-4 && std::abs(a.basis.v - b.basis.v) < 1e-4);
    }

    void edgesAndHolesOfTheFrame() {
        Plane p = planeOf([](double, double) { return 10; }, 1);
        QCOMPARE(sumOf(p, {rect(-300, -300, -100, -100)}, false).inside, std::size_t{0});
        QCOMPARE(sumOf(p, {rect(-300, -300, -100, -100)}, true).used, std::size_t{0});
        QCOMPARE(sumOf(p, {rect(-50, -50, 50, 50)}, false).inside, std::size_t{50 * 50});
        for (int y = 0; y < kHeight; ++y)
            for (int x = 0; x < kWidth / 2; ++x) p.at(x, y) = std::numeric_limits<float>::quiet_NaN();
        for (const bool structured : {false, true}) {
            const RegionSum half = sumOf(p, {rect(150, 100, 250, 200)}, structured);
            QVERIFY2(std::isfinite(half.mean) && std::abs(half.mean - 10) < 0.1, qPrintable(QString::number(half.mean)));
            QVERIFY(half.used <= 5'100);
        }
        Mask all(kWidth, kHeight);
        for (int y = 0; y < kHeight; ++y) all.hide(y, 0, kWidth);
        QCOMPARE(sumOf(p, {rect(250, 100, 350, 200)}, false, all).used, std::size_t{0});
    }

    /// A plane of a mosaic holds every second pixel: a region of the frame covers a quarter as many.
    void regionsAreOfTheFrame() {
        const Plane p = planeOf([](double x, double) { return 10 + 0.1 * x; }, 0.5);
        PlaneView view{{}, {}, kWidth, kHeight};
        view.geometry.pitch = 2, view.geometry.origin = {0.5, 0.5};
        const RegionSum s = sumOf(p, {rect(100, 100, 300, 300)}, false, {}, view);
        QVERIFY2(std::abs(static_cast<double>(s.inside) - 10'000) <= 200, qPrintable(QString::number(s.inside)));
        QVERIFY2(std::abs(s.mean - (10 + 0.1 * 99.5)) < 0.1, qPrintable(QString::number(s.mean)));
    }

    void valuesForAHistogramAreThoseSeen() {
        Plane p = planeOf([](double, double) { return 10; }, 1);
        Mask mask(kWidth, kHeight);
        for (int y = 100; y < 200; ++y) { // a star
            for (int x = 150; x < 200; ++x) p.at(x, y) = 5'000;
            mask.hide(y, 150, 200);
        }
        const Region r = rect(90, 100, 290, 200);
        const auto values = regionValues(p, mask, {{}, {}, kWidth, kHeight}, {&r}, 5'000);
        QVERIFY(values.size() > 1'000 && values.size() <= 5'000);
        QVERIFY(std::all_of(values.begin(), values.end(), [](float v) { return std::abs(v - 10) < 6; }));
    }
};

QTEST_GUILESS_MAIN(RegionSumTest)
#include "region_sum_test.moc"

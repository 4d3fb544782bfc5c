#include "core/image/fits_writer.h"
#include "core/picture/region_rates.h"
#include "core/picture/snap.h"
#include "support/scenes.h"

using namespace caelumen;

/// What a click and a region on a picture find in its pixels.
class PlacesTest : public QObject {
    Q_OBJECT

    scenes::Folder m_folder;

    PicturePyramid load(const std::vector<const Plane*>& planes) {
        if (!writeFits(m_folder / "p.fits", planes, {{"EXPTIME", 10.0, ""}, {"EGAIN", 0.5, ""}, {"PEDESTAL", 20.0, ""}}).ok()) qFatal("cannot write");
        Trial t;
        Run r;
        r.id = "A";
        r.stack = "p.fits";
        t.runs = {r};
        const auto open = openRun(t, r, m_folder.path());
        auto p = PicturePyramid::load(*open);
        if (!p) qFatal("%s", p.error().message.c_str());
        return std::move(*p);
    }
    static double middle(std::vector<double> values) { return median(std::span<double>(values)); }
    static double rate(double adu) { return (adu - 20) * 0.5 / 10; }
    static Plane starAt(Point at, double height, double limit = 1e9) {
        Plane plane(560, 540, 60.0F);
        scenes::addNoise(plane, 2, 4);
        for (int y = 0; y < plane.height(); ++y)
            for (int x = 0; x < plane.width(); ++x) {
                const double r2 = std::pow(x - at.x, 2) + std::pow(y - at.y, 2);
                if (r2 < 900) plane.at(x, y) = static_cast<float>(std::min(limit, static_cast<double>(plane.at(x, y)) + height * std::exp(-0.5 * r2 / 4)));
            }
        return plane;
    }
    static Region rectangle(Point a, Point b) {
        Region r;
        r.shape = RegionShape::Rect;
        r.points = {a, b};
        return r;
    }

private slots:
    void aClickMeetsTheMiddleOfAStar_data() {
        QTest::addColumn<double>("height");
        QTest::addColumn<double>("limit");
        QTest::addColumn<double>("near");
        QTest::newRow("faint") << 40.0 << 1e9 << 0.8;
        QTest::newRow("bright") << 9000.0 << 1e9 << 0.15;
        QTest::newRow("burnt out") << 90000.0 << 4000.0 << 0.15;
    }
    void aClickMeetsTheMiddleOfAStar() {
        QFETCH(double, height);
        QFETCH(double, limit);
        QFETCH(double, near);
        const Point star{261.3, 247.6};
        const Plane plane = starAt(star, height, limit);
        const PicturePyramid p = load({&plane});
        for (const Point click : {Point{257, 250}, Point{266, 243}, Point{261, 248}}) {
            const auto found = brightStarNear({{&p}, {}}, click, 9);
            QVERIFY(found.has_value());
            QVERIFY2(std::hypot(found->x - star.x, found->y - star.y) < near, qPrintable(QString("%1 %2").arg(found->x).arg(found->y)));
        }
    }

    /// The place is the baseline's, however the run that is looked at lies.
    void aTurnedRunFindsTheSamePlace() {
        const Alignment turned{300, -40, 25, 1.3, false, 0, 0};
        const Point there{261.3, 247.6}, here = turned.unmap(there);
        const Plane plane = starAt(there, 8000);
        const PicturePyramid p = load({&plane});
        const auto found = brightStarNear({{&p}, turned}, {here.x + 3, here.y - 2}, 8);
        QVERIFY(found.has_value());
        QVERIFY(std::hypot(found->x - here.x, found->y - here.y) < 0.2);
    }

    void emptySkyHasNoStar() {
        Plane plane(560, 540, 60.0F);
        scenes::addNoise(plane, 2, 4);
        const PicturePyramid p = load({&plane});
        for (int i = 0; i < 40; ++i) // a peak of six sigmas among some 80 pixels: once in 10^7
            QVERIFY(!brightStarNear({{&p}, {}}, {40.0 + 12 * i, 500.0 - 11 * i}, 5));
        QVERIFY(!brightStarNear({{&p}, {}}, {-400, -400}, 5)); // beyond the frame
    }

    /// Beyond reach nothing is taken, not even something brighter.
    void onlyWhatIsNearCounts() {
        const Plane plane = starAt({300, 300}, 9000);
        const PicturePyramid p = load({&plane});
        QVERIFY(!brightStarNear({{&p}, {}}, {260, 300}, 12));
        QVERIFY(brightStarNear({{&p}, {}}, {290, 300}, 12));
    }

    void ratesInARegionAreItsPixels() {
        Plane plane(560, 540, 60.0F);
        scenes::addNoise(plane, 2, 9);
        const PicturePyramid p = load({&plane});
        const auto all = ratesIn({{&p}, {}}, rectangle({100, 100}, {180, 160}));
        QVERIFY(std::abs(static_cast<double>(all.size()) - 81 * 61) < 3 * (81 + 61)); // which pixels of the border belong to it is not asked here
        double mean = 0, square = 0;
        for (const double v : all) mean += v / static_cast<double>(all.size());
        for (const double v : all) square += std::pow(v - mean, 2) / static_cast<double>(all.size());
        QVERIFY(std::abs(mean - rate(60)) < 4 * 0.1 / std::sqrt(static_cast<double>(all.size())));
        QVERIFY2(std::abs(std::sqrt(square) / 0.1 - 1) < 0.05, qPrintable(QString::number(std::sqrt(square)))); // 2 ADU are 0.1 e-/s
    }

    /// Thinned, it is fewer pixels of the same kind: their scatter stays, since none is a mean of others.
    void aLargeRegionIsThinnedNotSmoothed() {
        Plane plane(560, 540, 60.0F);
        scenes::addNoise(plane, 2, 9);
        const PicturePyramid p = load({&plane});
        for (const Alignment& a : {Alignment{}, Alignment{200, -30, 30, 1, false, 0, 0}}) {
            const auto few = ratesIn({{&p}, a}, rectangle({180, 180}, {330, 330}), 900);
            QVERIFY(few.size() > 700 && few.size() < 1100);
            double mean = 0, square = 0;
            for (const double v : few) mean += v / static_cast<double>(few.size());
            for (const double v : few) square += std::pow(v - mean, 2) / static_cast<double>(few.size());
            QVERIFY2(std::abs(std::sqrt(square) / 0.1 - 1) < 0.1, qPrintable(QString::number(std::sqrt(square))));
        }
    }

    void coloursAreSummedAndHolesLeftOut() {
        Plane r(560, 540, 120.0F), g(560, 540, 220.0F), b(560, 540, 60.0F);
        std::uint64_t seed = 1;
        for (Plane* p : {&r, &g, &b}) scenes::addNoise(*p, 1, seed++);
        for (int y = 100; y < 120; ++y)
            for (int x = 100; x < 140; ++x)
                for (Plane* p : {&r, &g, &b}) p->at(x, y) = kNoData;
        const PicturePyramid p = load({&r, &g, &b});
        const auto whole = ratesIn({{&p}, {}}, rectangle({100, 120}, {139, 139})), holed = ratesIn({{&p}, {}}, rectangle({100, 100}, {139, 139}));
        QVERIFY(std::abs(middle(whole) - (rate(120) + rate(220) + rate(60))) < 0.05);
        QVERIFY(holed.size() >= whole.size() && holed.size() < whole.size() * 5 / 4);
        QVERIFY(ratesIn({{&p}, {}}, rectangle({102, 102}, {130, 115})).empty());
        QVERIFY(ratesIn({{&p}, {}}, rectangle({-90, -90}, {-50, -50})).empty());
        // One channel alone, and a line made of them.
        const auto red = ratesIn({{&p, {false, {1, 0, 0}}}, {}}, rectangle({200, 200}, {240, 240}));
        QVERIFY(std::abs(middle(red) - rate(120)) < 0.05);
    }
};

QTEST_GUILESS_MAIN(PlacesTest)
#include "places_test.moc"

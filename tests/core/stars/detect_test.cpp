#include "core/measure/harvest.h"
#include "core/stars/defects.h"
#include "core/stars/detect.h"
#include "core/stars/star_grid.h"
#include "support/scenes.h"

#include <algorithm>
#include <cstring>
#include <limits>

using namespace caelumen;

namespace {

const Star* nearest(const std::vector<Star>& stars, double x, double y, double reach = 1.0) {
    for (const Star& s : stars)
        if (std::hypot(s.x - x, s.y - y) < reach) return &s;
    return nullptr;
}

} // namespace

class DetectTest : public QObject {
    Q_OBJECT

private slots:
    void findsPlacedStarsWhereTheyAre() {
        const auto made = scenes::make({});
        const PlaneStars found = findStars(made.plane, std::numeric_limits<double>::infinity());
        int bright = 0;
        for (const auto& s : made.stars) {
            if (s.flux < 1200) continue; // peak of about 10 sigma
            ++bright;
            const Star* hit = nearest(found.stars, s.x, s.y, 0.5);
            QVERIFY2(hit, qPrintable(QString("star of flux %1 at %2, %3").arg(s.flux).arg(s.x).arg(s.y)));
            QVERIFY(hit->above5);
            QVERIFY(std::abs(hit->flux / s.flux - 1) < 0.15);
        }
        QVERIFY(bright > 60);
    }

    /// 250 000 pixels of pure noise: five connected smoothed pixels above 4 sigma hardly ever happen.
    void findsNothingInNoise() {
        scenes::PlaneScene scene;
        scene.stars = 0;
        const PlaneStars found = findStars(scenes::make(scene).plane, std::numeric_limits<double>::infinity());
        QVERIFY(found.stars.size() <= 2);
    }

    void hotPixelsAreNoStars() {
        scenes::PlaneScene scene;
        scene.stars = 40;
        auto made = scenes::make(scene);
        Random random(1);
        for (int i = 0; i < 300; ++i) made.plane.at(static_cast<int>(random.index(600)), static_cast<int>(random.index(420))) += 4000;
        const PlaneStars found = findStars(made.plane, std::numeric_limits<double>::infinity());
        int strangers = 0;
        for (const Star& s : found.stars) {
            bool known = false;
            for (const auto& t : made.stars) known = known || std::hypot(s.x - t.x, s.y - t.y) < 5;
            strangers += !known;
        }
        QVERIFY2(strangers <= 6, qPrintable(QString::number(strangers)));
    }

    /// What the sky cannot have made is marked, what it did make stays.
    void defectsAreMarked() {
        auto made = scenes::make({});
        Plane& p = made.plane;
        Random random(3);
        for (int i = 0; i < 200; ++i) p.at(static_cast<int>(1 + random.index(597)), static_cast<int>(1 + random.index(417))) += 3000;
        for (int y = 0; y < 420; ++y) p.at(300, y) = 0;
        const Plane before = p;
        const std::size_t n = lookForStars(p, findingSky(p)).defects.count();
        QVERIFY2(n > 590 && n < 640, qPrintable(QString::number(n)));
        for (int y = 0; y < 420; ++y) QVERIFY(!std::isfinite(p.at(300, y)));
        int stars = 0;
        for (const auto& s : made.stars) {
            const int x = static_cast<int>(std::lround(s.x)), y = static_cast<int>(std::lround(s.y));
            if (s.flux > 3000 && p.contains(x, y) && before.at(x, y) < 3000) stars += std::isfinite(p.at(x, y));
        }
        QVERIFY(stars > 40);
    }

    /// What is seen while the rows pass by once is what one look after the other sees in a plane without its defects, at borders too.
    void oneLookSeesWhatSeveralDo() {
        auto made = scenes::make({});
        Plane& p = made.plane;
        Random random(4);
        for (const auto& s : made.stars) // in the midst of stars, whose runs are cut in two
            if (const int x = static_cast<int>(s.x) + 2, y = static_cast<int>(s.y) - 1; p.contains(x, y) && random.uniform() < 0.5) p.at(x, y) = -900;
        for (int i = 0; i < 300; ++i) p.at(static_cast<int>(random.index(600)), static_cast<int>(random.index(420))) += 3000;
        for (const auto& [x, y] : {std::pair{0, 0}, {599, 419}, {599, 63}, {0, 64}, {300, 127}, {301, 128}}) p.at(x, y) = -900;
        for (int x = 100; x < 140; ++x) p.at(x, 200) = -900;
        const SmoothSky sky = findingSky(p);
        Plane seen = p;
        const FirstLook look = lookForStars(seen, sky);
        QVERIFY(look.defects.count() > 300 && std::ranges::is_sorted(look.defects.places));
        markDefects(p, look.defects);
        QVERIFY(std::memcmp(p.data(), seen.data(), p.size() * sizeof(float)) == 0);
        const auto bright = brightRuns(p, sky, kDetected);
        QVERIFY(bright.size() > 500);
        QVERIFY(look.bright == bright);
        const BlockMaxima all = blockMaxima(p);
        QCOMPARE(look.maxima.maximum(), all.maximum());
        for (std::size_t b = 0; b < all.ofBlock.size(); ++b) QVERIFY(!std::isfinite(look.maxima.ofBlock[b]) || look.maxima.ofBlock[b] == all.ofBlock[b]);
        const PlaneStars one = findStars(seen, sky, look, kNeverSaturated), other = findStars(p, kNeverSaturated);
        QVERIFY(one.stars.size() > 60 && other.stars.size() > 60);
    }

    void cloudsAreNoStars() {
        scenes::PlaneScene scene;
        scene.stars = 60;
        auto made = scenes::make(scene);
        for (int i = 0; i < 12; ++i) scenes::addStar(made.plane, 60 + 45 * i, 200, 30'000, 22, 6);
        const PlaneStars found = findStars(made.plane, std::numeric_limits<double>::infinity());
        for (const Star& s : found.stars)
            for (int i = 0; i < 12; ++i)
                if (std::hypot(s.x - (60 + 45 * i), s.y - 200) < 4) {
                    const bool real = std::any_of(made.stars.begin(), made.stars.end(), [&](const auto& t) { return std::hypot(s.x - t.x, s.y - t.y) < 4; });
                    QVERIFY(real);
                }
    }

    void saturationIsSeenWithoutBeingTold() {
        scenes::PlaneScene scene;
        scene.brightest = 3e6;
        scene.saturation = 20'000;
        const auto made = scenes::make(scene);
        const PlaneStars found = findStars(made.plane, std::numeric_limits<double>::infinity());
        int burnt = 0;
        for (const auto& s : made.stars) {
            const Star* hit = nearest(found.stars, s.x, s.y, 2.5);
            if (!hit) continue;
            const double peak = s.flux * 2 * (std::pow(2, 1 / 3.0) - 1) * 4 / (M_PI * 3.2 * 3.2);
            if (peak > 60'000) {
                ++burnt;
                QVERIFY(hit->saturated);
            }
            if (peak < 12'000) QVERIFY(!hit->saturated);
        }
        QVERIFY(burnt >= 3);
    }

    void bordersBetweenBlocksDoNotShow() {
        // Stars right on the borders between blocks of rows are found once.
        scenes::PlaneScene scene;
        scene.width = 1300;
        scene.height = 1200;
        scene.stars = 0;
        auto made = scenes::make(scene);
        for (int i = 1; i < 11; ++i) {
            scenes::addStar(made.plane, 1023.5 + 0.1 * i, 100.0 * i, 8000, 3.2, 3);
            scenes::addStar(made.plane, 100.0 * i, 1023.3 + 0.1 * i, 8000, 3.2, 3);
        }
        const PlaneStars found = findStars(made.plane, std::numeric_limits<double>::infinity());
        QCOMPARE(std::count_if(found.stars.begin(), found.stars.end(), [](const Star& s) { return s.snr > 20; }), 20);
    }

    void gridFindsTheNearest() {
        const std::vector<Point> points{{1, 1}, {2.2, 1}, {50, 50}};
        const StarGrid grid(points, 3);
        QCOMPARE(grid.nearest({2, 1}, 3), std::ptrdiff_t{1});
        QCOMPARE(grid.nearest({48, 50}, 3), std::ptrdiff_t{2});
        QCOMPARE(grid.nearest({20, 20}, 3), std::ptrdiff_t{-1});
        // As a look at each finds it, beyond the points' own field too.
        Random random(23);
        std::vector<Point> many;
        for (int i = 0; i < 700; ++i) many.push_back({300 * random.uniform() - 150, 90 * random.uniform() - 20});
        const StarGrid strewn(many, 8);
        int found = 0;
        for (int i = 0; i < 2000; ++i) {
            const Point p{340 * random.uniform() - 170, 130 * random.uniform() - 40};
            std::ptrdiff_t expected = -1;
            double limit = 6;
            for (std::size_t k = 0; k < many.size(); ++k)
                if (const double d = length(many[k].x - p.x, many[k].y - p.y); d < limit) limit = d, expected = static_cast<std::ptrdiff_t>(k);
            QCOMPARE(strewn.nearest(p, 6), expected);
            found += expected >= 0;
        }
        QVERIFY(found > 500 && found < 1900);
    }
};

QTEST_GUILESS_MAIN(DetectTest)
#include "detect_test.moc"

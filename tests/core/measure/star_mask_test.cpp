#include "core/measure/harvest.h"
#include "core/measure/star_mask.h"
#include "support/scenes.h"

#include <limits>

using namespace caelumen;

namespace {

/// What a mask must be, pixel by pixel.
bool isHidden(const std::vector<StarDisc>& discs, const PlaneView& view, int x, int y) {
    for (const StarDisc& d : discs) {
        const Point p = view.toPlane(d.at);
        if (length(x - p.x, y - p.y) <= d.radius * view.scale()) return true;
    }
    return false;
}

std::vector<StarDisc> strewn(int count, double width, double height, unsigned long long seed) {
    Random random(seed);
    std::vector<StarDisc> out;
    for (int i = 0; i < count; ++i) out.push_back({{random.uniform() * (width + 60) - 30, random.uniform() * (height + 60) - 30}, 0.3 + 20 * random.uniform()});
    return out;
}

} // namespace

class StarMaskTest : public QObject {
    Q_OBJECT

private slots:
    /// Discs across the bands that threads share, over all borders, in a turned and scaled view.
    void discsHideTheirPixelsAndNoOthers_data() {
        QTest::addColumn<double>("scale");
        QTest::addColumn<double>("pitch");
        QTest::newRow("as stored") << 1.0 << 1.0;
        QTest::newRow("a colour of a mosaic") << 1.0 << 2.0;
        QTest::newRow("another camera") << 0.63 << 1.0;
    }
    void discsHideTheirPixelsAndNoOthers() {
        QFETCH(double, scale);
        QFETCH(double, pitch);
        PlaneView view;
        view.width = 230;
        view.height = 195;
        view.alignment.scale = scale;
        view.alignment.rotation_deg = scale == 1 ? 0 : 31;
        view.geometry.pitch = pitch;
        const double reach = std::max(view.width, view.height) * pitch / scale;
        const auto own = strewn(40, reach, reach, 3), others = strewn(20, reach, reach, 4);
        auto both = own;
        both.insert(both.end(), others.begin(), others.end());
        std::int64_t counted = 0;
        Mask other(999, 1000); // memory that held something else
        for (int y = 0; y < 1000; ++y) other.hide(y, 0, 999);
        const Mask mask = starMask(both, view, std::move(other), &counted), alone = starMask(own, view);
        QVERIFY(mask.width() == view.width && mask.height() == view.height);
        int wrong = 0, hidden = 0;
        for (int y = 0; y < view.height; ++y)
            for (int x = 0; x < view.width; ++x) {
                const bool first = isHidden(own, view, x, y), either = first || isHidden(others, view, x, y);
                wrong += mask.hidden(x, y) != either;
                wrong += alone.hidden(x, y) != first;
                hidden += either;
            }
        QCOMPARE(wrong, 0);
        QVERIFY(hidden > 1000 && hidden < view.width * view.height);
        QCOMPARE(counted, std::int64_t{hidden});
    }

    void withoutStarsNothingIsHidden() {
        std::int64_t counted = 1;
        const Mask mask = starMask({}, {{}, {}, 70, 130}, {}, &counted);
        QVERIFY(!mask.empty() && mask.width() == 70 && mask.height() == 130);
        QCOMPARE(counted, std::int64_t{0});
    }

    /// The brighter a star, the farther it is hidden: out to where a fiftieth of a pixel's noise is left of it.
    void discsReachToWhereTheLightIsGone() {
        scenes::PlaneScene s;
        s.stars = 60;
        s.faintest = 2000;
        s.brightest = 200'000;
        const auto made = scenes::make(s);
        const PlaneStars found = findStars(made.plane, std::numeric_limits<double>::infinity());
        QVERIFY(found.psf.has_value());
        const PlaneView view{{}, {}, s.width, s.height};
        const auto discs = commonDiscs({{&found.stars, &found.psf, found.typicalNoise, view}});
        QCOMPARE(discs.size(), found.stars.size());
        // Moffat, beta 3: light at r of a flux f is f * 2 / (pi a^2) * (1 + (r / a)^2)^-3.
        const double a = s.fwhm / 2 / std::sqrt(std::pow(2, 1.0 / 3) - 1);
        for (std::size_t i = 0; i < discs.size(); ++i) {
            if (i > 0) QVERIFY(discs[i].radius <= discs[i - 1].radius + 1.0); // the brightest comes first
            const double left = found.stars[i].flux * 2 / (M_PI * a * a) * std::pow(1 + std::pow(discs[i].radius / a, 2), -3);
            QVERIFY2(left < 0.05 * s.noise, qPrintable(QString("star of %1: %2 left at %3").arg(found.stars[i].flux).arg(left).arg(discs[i].radius)));
        }
    }

    /// Two stars taken for one stick out of the disc of their common middle: it grows to hide both, though not without bounds.
    void discsReachOverWhatSticksOut() {
        Psf psf;
        psf.fwhm = 3;
        psf.unit.cxx = psf.unit.cyy = 0.15;
        psf.unit.amplitude = 1;
        psf.unit.amplitude = 1 / psf.unit.flux();
        Star star;
        star.x = star.y = 50;
        star.flux = 300;
        star.area = 80;
        const PlaneView view{{}, {}, 100, 100};
        const auto radius = [&](double reach) {
            star.reach = reach;
            return starDiscs({star}, psf, 1, 0.1, view).front().radius;
        };
        const double alone = radius(5);
        QCOMPARE(radius(alone - 2), alone);
        QCOMPARE(radius(alone + 2), alone + 3.5); // the farthest pixel, the next one and the half that all have
        QVERIFY(radius(alone + 40) < alone + 5);
    }

    /// In a crowd a mask as deep as that would leave no sky.
    void crowdsKeepSomeSky() {
        scenes::PlaneScene s;
        s.stars = 500;
        s.faintest = 60'000;
        s.brightest = 600'000;
        const auto made = scenes::make(s);
        const PlaneStars found = findStars(made.plane, std::numeric_limits<double>::infinity());
        const PlaneView view{{}, {}, s.width, s.height};
        const auto hiddenPart = [&](const std::vector<StarDisc>& discs) {
            std::int64_t hidden = 0;
            const Mask mask = starMask(discs, view, {}, &hidden);
            return static_cast<double>(hidden) / (static_cast<double>(view.width) * view.height);
        };
        const double deep = hiddenPart(starDiscs(found.stars, found.psf, found.typicalNoise, 0.02 * found.typicalNoise, view));
        const double part = hiddenPart(commonDiscs({{&found.stars, &found.psf, found.typicalNoise, view}}));
        QVERIFY2(deep > 0.8 && part > 0.2 && part < 0.7, qPrintable(QString("%1 %2").arg(deep).arg(part)));
    }
};

QTEST_GUILESS_MAIN(StarMaskTest)
#include "star_mask_test.moc"

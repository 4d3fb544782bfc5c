#include "core/compare/figures.h"
#include "core/measure/box_sum.h"
#include "core/measure/harvest.h"
#include "core/measure/noise.h"
#include "support/scenes.h"

#include <limits>

using namespace caelumen;

namespace {

BoxNoise measured(const Plane& plane, double arcsecPerPixel, const std::vector<Region>& regions = {}, double* pixel = nullptr) {
    PlaneHarvest h;
    h.view = {{}, {}, plane.width(), plane.height()};
    h.mesh = buildMesh(plane, {}, 32);
    h.noise = pixelNoise(plane, {}, h.view, regions);
    h.boxSide = boxSide(arcsecPerPixel);
    h.boxes = noiseBoxes(plane, {}, h.boxSide, h.view, regions);
    const Surface s = fitSurface(h.mesh, {}, plane.width(), plane.height());
    const std::vector<char> excluded(h.mesh.cells.size(), 0);
    if (pixel) *pixel = h.noise.value;
    return boxNoise({&h, &s, &excluded, {}, {}}, arcsecPerPixel);
}

} // namespace

class NoiseTest : public QObject {
    Q_OBJECT

private slots:
    void boxesAreTenArcseconds() {
        QCOMPARE(boxSide(2.0), 5);
        QCOMPARE(boxSide(1.85), 5);
        QCOMPARE(boxSide(0.4), 25);
        QCOMPARE(boxSide(30), 1);
    }

    /// Sums in several parts are those of one pixel after the other: a double holds them to the last digit.
    void boxesHoldWhatTheirPixelsAddUpTo() {
        scenes::PlaneScene s;
        s.width = 90, s.height = 80, s.stars = 0;
        Plane plane = scenes::make(s).plane;
        plane.at(70, 60) = kNoData;
        Mask mask(plane.width(), plane.height());
        mask.hide(20, 30, 31);
        for (int side = 1; side <= 26; ++side)
            for (const auto& [x0, y0] : {std::pair{0, 0}, {30, 20}, {31, 20}, {70 - side + 1, 55}, {71, 50}}) {
                if (x0 + side > 90 || y0 + side > 80 || x0 < 0) continue;
                double sum = 0;
                bool hidden = false;
                for (int y = y0; y < y0 + side; ++y)
                    for (int x = x0; x < x0 + side; ++x) {
                        sum += static_cast<double>(plane.at(x, y));
                        hidden = hidden || mask.hidden(x, y);
                    }
                const double open = boxSum(plane, {}, x0, y0, side), masked = boxSum(plane, mask, x0, y0, side);
                QVERIFY(std::isnan(sum) ? std::isnan(open) : open == sum);
                QVERIFY(hidden || std::isnan(sum) ? std::isnan(masked) : masked == sum);
            }
    }

    void whiteNoiseIsWhite() {
        scenes::PlaneScene s;
        s.stars = 0;
        s.slope_u = 0.2;
        double pixel = 0;
        const BoxNoise b = measured(scenes::make(s).plane, 2.0, {}, &pixel);
        QVERIFY(b.valid);
        QVERIFY2(std::abs(pixel / 3 - 1) < 0.01, qPrintable(QString::number(pixel)));
        QVERIFY2(std::abs(b.value - 3 / 5.0) < 4 * b.sigma, qPrintable(QString::number(b.value)));
        QVERIFY(std::abs(b.correlation - 1) < 0.1);
    }

    /// Averaging neighbours lowers the pixel noise but not what large boxes see: that is what the figure is for.
    void smoothingCannotHideNoise() {
        scenes::PlaneScene s;
        s.stars = 0;
        const Plane p = scenes::make(s).plane;
        Plane smooth(p.width() - 2, p.height() - 2);
        for (int y = 0; y < smooth.height(); ++y)
            for (int x = 0; x < smooth.width(); ++x) {
                float sum = 0;
                for (int b = 0; b < 3; ++b)
                    for (int a = 0; a < 3; ++a) sum += p.at(x + a, y + b);
                smooth.at(x, y) = sum / 9;
            }
        double rough = 0, smoothed = 0;
        const BoxNoise before = measured(p, 1.25, {}, &rough), after = measured(smooth, 1.25, {}, &smoothed);
        QVERIFY(smoothed < 0.4 * rough);
        QVERIFY2(std::abs(after.value / before.value - 1) < 0.2, qPrintable(QString("%1 %2").arg(before.value).arg(after.value)));
        QVERIFY(after.correlation > 1.3);
    }

    /// Noise spread over neighbours by a half-pixel shift: boxes that touch share it, which must not make them look quieter. A box of k has (1 - 1/2k)^2 of the
    /// variance that white noise gives; some 4000 boxes on each of six nights know the mean within 0.5 %.
    void interpolationDoesNotMakeBoxesQuieter() {
        scenes::PlaneScene s;
        s.stars = 0;
        s.noise = 0;
        s.width = 900;
        double mean = 0;
        constexpr int kNights = 6;
        for (unsigned long long night = 1; night <= kNights; ++night) {
            Plane p = scenes::make(s).plane, white(p.width(), p.height(), 0.0F);
            scenes::addNoise(white, 3, night);
            for (int y = 0; y + 1 < p.height(); ++y)
                for (int x = 0; x + 1 < p.width(); ++x)
                    p.at(x, y) += 0.25F * (white.at(x, y) + white.at(x + 1, y) + white.at(x, y + 1) + white.at(x + 1, y + 1));
            mean += measured(p, 2.0).value / kNights;
        }
        const double k = 5, expected = 3 / k * (1 - 0.5 / k);
        QVERIFY2(std::abs(mean / expected - 1) < 0.015, qPrintable(QString::number(mean / expected)));
    }

    void skyRegionsAreUsedWhenTheyHoldFiftyBoxes() {
        scenes::PlaneScene s;
        s.stars = 0;
        Plane p = scenes::make(s).plane;
        // Rough on the right half; the sky region lies on the left.
        Random random(2);
        for (int y = 0; y < p.height(); ++y)
            for (int x = 300; x < p.width(); ++x) p.at(x, y) += static_cast<float>(12 * random.normal());
        const Region sky{"S1", RegionRole::Sky, RegionShape::Rect, {{20, 20}, {280, 400}}, 0, "", "", false};
        double pixel = 0;
        const BoxNoise b = measured(p, 2.0, {sky}, &pixel);
        QVERIFY(std::abs(pixel / 3 - 1) < 0.02);
        QVERIFY2(std::abs(b.value / 0.6 - 1) < 0.08, qPrintable(QString::number(b.value)));
    }

    /// Vignetting slopes one way on one side of the frame and the other way on the other: pooled, that is no noise.
    void slopesAreNoNoise() {
        scenes::PlaneScene s;
        s.stars = 0;
        s.noise = 1;
        s.sky = 300;
        s.vignette = -0.5;
        const Plane p = scenes::make(s).plane;
        const std::vector<Region> sides{{"S1", RegionRole::Sky, RegionShape::Rect, {{10, 10}, {120, 410}}, 0, "", "", false},
                                        {"S2", RegionRole::Sky, RegionShape::Rect, {{480, 10}, {590, 410}}, 0, "", "", false}};
        const PlaneView view{{}, {}, s.width, s.height};
        const SmoothSky sky(buildMesh(p, {}, 32));
        const PixelNoise with = pixelNoise(p, {}, view, sides, &sky), without = pixelNoise(p, {}, view, sides);
        QVERIFY2(std::abs(with.value - 1) < 0.02, qPrintable(QString::number(with.value)));
        QVERIFY2(without.value > 1.15, qPrintable(QString::number(without.value))); // there was something to take off
    }

    /// Without sky regions the whole frame tells the noise, as well as it claims to.
    void theFrameTellsTheNoise() {
        double chi = 0;
        constexpr int kFrames = 24;
        for (int k = 0; k < kFrames; ++k) {
            scenes::PlaneScene s;
            s.width = 260 + 37 * (k % 6);
            s.height = 210 + 53 * (k % 4);
            s.stars = 0;
            s.noise = 2;
            s.slope_u = 0.3;
            s.vignette = -0.3;
            s.seed = 100 + static_cast<unsigned>(k);
            const PixelNoise noise = pixelNoise(scenes::make(s).plane, {}, {{}, {}, s.width, s.height}, {});
            QVERIFY2(std::abs(noise.value / 2 - 1) < 0.04, qPrintable(QString::number(noise.value)));
            chi += std::pow((noise.value - 2) / noise.sigma(), 2) / kFrames;
        }
        QVERIFY2(chi > 0.3 && chi < 2.2, qPrintable(QString::number(chi)));
    }

    /// A galaxy that fills the frame: its noise must not depend on how the frame is turned, nor much on where it begins.
    void turningTheFrameLeavesItsNoise() {
        scenes::PlaneScene s;
        s.width = 301;
        s.height = 257;
        s.stars = 60;
        s.noise = 2;
        Plane p = scenes::make(s).plane;
        for (int y = 0; y < s.height; ++y) // arms
            for (int x = 0; x < s.width; ++x) {
                const double r = std::hypot(x - 140, y - 120), arm = std::atan2(y - 120, x - 140) * 2 - r / 18;
                p.at(x, y) += static_cast<float>(400 * std::exp(-r / 60) * (1 + 0.7 * std::cos(arm)));
            }
        const auto noiseOf = [](const Plane& of) { return pixelNoise(of, {}, {{}, {}, of.width(), of.height()}, {}).value; };
        const double upright = noiseOf(p);
        QVERIFY2(upright > 1.9 && upright < 2.7, qPrintable(QString::number(upright)));
        const auto changed = [&](int width, int height, auto from) {
            Plane out(width, height);
            for (int y = 0; y < height; ++y)
                for (int x = 0; x < width; ++x) out.at(x, y) = from(x, y);
            return noiseOf(out) / upright;
        };
        const double mirrored = changed(s.width, s.height, [&](int x, int y) { return p.at(s.width - 1 - x, y); }),
                     turned = changed(s.height, s.width, [&](int x, int y) { return p.at(y, s.height - 1 - x); });
        QVERIFY2(std::abs(mirrored - 1) < 0.005 && std::abs(turned - 1) < 0.005, qPrintable(QString("%1 %2").arg(mirrored).arg(turned)));
        for (const int cut : {3, 9, 14, 22}) {
            const double cropped = changed(s.width - cut, s.height - 2 * cut, [&](int x, int y) { return p.at(x + cut, y + cut); });
            QVERIFY2(std::abs(cropped - 1) < 0.04, qPrintable(QString("%1: %2").arg(cut).arg(cropped)));
        }
    }

    /// The wings of stars fall steeply at the rim of their masks: pixels a little away from any tell the noise.
    void theRimsOfMasksDoNotCount() {
        scenes::PlaneScene s;
        s.stars = 500;
        s.faintest = 8000;
        s.brightest = 40'000;
        s.noise = 2;
        const auto made = scenes::make(s);
        const PlaneView view{{}, {}, s.width, s.height};
        std::vector<StarDisc> discs;
        for (const auto& star : made.stars) discs.push_back({{star.x, star.y}, 8});
        const Mask mask = starMask(discs, view);
        const std::vector<Region> all{{"S1", RegionRole::Sky, RegionShape::Rect, {{0, 0}, {599, 419}}, 0, "", "", false}};
        const PixelNoise noise = pixelNoise(made.plane, mask, view, all);
        QVERIFY2(std::abs(noise.value / 2 - 1) < 0.04, qPrintable(QString::number(noise.value)));
        QVERIFY(noise.samples > 1000);
    }

    /// Box means are those of the sky without the light of stars near by.
    void boxesAreFreeOfStarlight() {
        scenes::PlaneScene s;
        s.stars = 60;
        s.faintest = s.brightest = 60'000;
        s.noise = 0.02;
        const auto made = scenes::make(s);
        const PlaneStars found = findStars(made.plane, std::numeric_limits<double>::infinity());
        QVERIFY(found.psf.has_value());
        const PlaneView view{{}, {}, s.width, s.height};
        std::vector<StarDisc> discs;
        for (const Star& star : found.stars) discs.push_back({{star.x, star.y}, 14});
        const Mask mask = starMask(discs, view);
        const UnmaskedStarlight starlight(found.stars, std::vector<double>(found.stars.size(), 14), found.psf, s.width, s.height);
        const auto above = [&](const NoiseBoxes& boxes) {
            double sum = 0;
            for (const NoiseBox& b : boxes.all) sum += std::abs(static_cast<double>(b.mean) - s.sky) / static_cast<double>(boxes.all.size());
            return sum;
        };
        const double as = above(noiseBoxes(made.plane, mask, 5, view, {})), without = above(noiseBoxes(made.plane, mask, 5, view, {}, starlight));
        QVERIFY2(without < 0.4 * as, qPrintable(QString("%1 of %2").arg(without).arg(as)));
    }

    void fewBoxesGiveNoFigure() { QVERIFY(!measured(Plane(20, 20, 3.0F), 2.0).valid); }
};

QTEST_GUILESS_MAIN(NoiseTest)
#include "noise_test.moc"

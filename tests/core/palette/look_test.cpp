#include "core/base/statistics.h"
#include "core/palette/colour_vision.h"
#include "core/palette/look.h"

#include <QTest>

#include <cmath>
#include <limits>

using namespace caelumen;

namespace {

ColourPicture picture(double noise = 1, double top = 400) {
    Random random(2);
    ColourPicture p;
    p.width = 120, p.height = 80;
    for (std::size_t c = 0; c < 3; ++c) {
        p.sky[c] = 20.0 + 5.0 * static_cast<double>(c), p.noise[c] = noise;
        p.planes[c] = Plane(p.width, p.height);
        for (int y = 0; y < p.height; ++y)
            for (int x = 0; x < p.width; ++x)
                p.planes[c].at(x, y) = static_cast<float>(p.sky[c] + noise * random.normal() +
                                                          top * std::exp(-std::hypot(x - 60, y - 40) / 6) * (1 + 0.2 * static_cast<double>(c)));
    }
    return p;
}

} // namespace

/// How light becomes greys.
class LookTest : public QObject {
    Q_OBJECT

private slots:
    void greysRiseFromBlackToWhite() {
        for (const double light : {0.0, 0.5, 1.0})
            for (const double depth : {0.0, 0.5, 1.0}) {
                const Look look = lookOf(LookBase{2, 500}, light, depth);
                QCOMPARE(look.grey(look.black), 0.0);
                QCOMPARE(look.grey(look.white), 1.0);
                QCOMPARE(look.grey(-1e9), 0.0);
                QCOMPARE(look.grey(1e9), 1.0);
                double before = -1;
                for (double v = look.black; v <= look.white; v += (look.white - look.black) / 500) {
                    QVERIFY(look.grey(v) > before);
                    before = look.grey(v);
                }
            }
        // More light: a brighter sky. More depth: the faint is lifted.
        QVERIFY(lookOf(LookBase{2, 500}, 1, 0.5).grey(0) > lookOf(LookBase{2, 500}, 0, 0.5).grey(0));
        QVERIFY(lookOf(LookBase{2, 500}, 0.5, 1).grey(6) > lookOf(LookBase{2, 500}, 0.5, 0).grey(6));
    }

    /// The same scene in another unit: the same picture.
    void unitsCancel() {
        const ColourPicture p = picture();
        ColourPicture q = picture();
        for (std::size_t c = 0; c < 3; ++c) {
            q.sky[c] *= 8, q.noise[c] *= 8;
            for (std::size_t i = 0; i < q.planes[c].size(); ++i) q.planes[c].data()[i] *= 8;
        }
        QCOMPARE(shownPixels(p, lookOf(p, 0.5, 0.5)), shownPixels(q, lookOf(q, 0.5, 0.5)));
    }

    /// A pixel of the sky of each channel is neutral, whatever its level.
    void skyIsGrey() {
        ColourPicture p = picture();
        for (std::size_t c = 0; c < 3; ++c) p.planes[c].at(3, 3) = static_cast<float>(p.sky[c]);
        const auto pixels = shownPixels(p, lookOf(p, 0.5, 0.5));
        const std::size_t at = 3 * (3 * 120 + 3);
        QVERIFY(pixels[at] > 500 && pixels[at] < 30'000);
        QVERIFY(pixels[at] == pixels[at + 1] && pixels[at] == pixels[at + 2]);
    }

    /// The table for screens says what the formula says, to a step of eight bits.
    void theTableIsTheFormula() {
        ColourPicture p = picture();
        p.planes[1].at(5, 7) = std::numeric_limits<float>::quiet_NaN();
        p.planes[0].at(6, 7) = 1e30F, p.planes[2].at(6, 7) = -1e30F;
        for (const double depth : {0.0, 0.5, 1.0}) {
            const Look look = lookOf(p, 0.4, depth);
            const auto exact = shownPixels(p, look);
            std::vector<std::uint32_t> screen(130 * 80, 0x12345678);
            screenPixels(p, look, screen.data(), 130);
            for (std::size_t y = 0; y < 80; ++y) {
                for (std::size_t x = 0; x < 120; ++x)
                    for (std::size_t c = 0; c < 3; ++c) {
                        const int shown = static_cast<int>(screen[y * 130 + x] >> (16 - 8 * c) & 255), wanted = exact[3 * (y * 120 + x) + c];
                        QVERIFY2(std::abs(shown * 257 - wanted) <= 200, qPrintable(QString("%1 for %2").arg(shown * 257).arg(wanted)));
                    }
                for (std::size_t x = 120; x < 130; ++x) QCOMPARE(screen[y * 130 + x], 0x12345678U); // not its own
            }
            QCOMPARE(screen[7 * 130 + 5] >> 8 & 255, 0U);
            QCOMPARE(screen[7 * 130 + 6] & 0xff00ff, 0xff0000U);
        }
    }

    void linearPixelsAreCutAtTheEnds() {
        ColourPicture p = picture();
        p.planes[0].at(0, 0) = 10, p.planes[1].at(0, 0) = -4, p.planes[2].at(0, 0) = 1e6F;
        const auto pixels = linearPixels(p, 30);
        QCOMPARE(pixels[0], std::uint16_t{300});
        QCOMPARE(pixels[1], std::uint16_t{0});
        QCOMPARE(pixels[2], std::uint16_t{65535});
    }

    /// A few burnt stars do not darken all else, and an empty frame is not stretched into nothing but noise.
    void whiteIsNotOnePixel() {
        ColourPicture p = picture();
        const double before = lookBase(p).white;
        p.planes[0].at(10, 10) = 1e6F;
        QVERIFY(std::abs(lookBase(p).white / before - 1) < 0.05);
        const ColourPicture empty = picture(3, 0);
        QCOMPARE(lookBase(empty).white, 60.0);
    }

    void greyStaysGreyToAllEyes() {
        for (const ColourVision eyes : {ColourVision::Usual, ColourVision::NoRedCones, ColourVision::NoGreenCones, ColourVision::NoBlueCones})
            for (std::uint32_t g = 0; g < 256; g += 15) {
                std::uint32_t pixel = 0xff000000U | g << 16 | g << 8 | g;
                asSeenBy(eyes, &pixel, 1);
                for (const int shift : {16, 8, 0}) QVERIFY(std::abs(static_cast<int>(pixel >> shift & 255) - static_cast<int>(g)) <= 2);
            }
        std::uint32_t pixel = 0xffc03060;
        asSeenBy(ColourVision::Usual, &pixel, 1);
        QCOMPARE(pixel, 0xffc03060U);
    }
};

QTEST_GUILESS_MAIN(LookTest)
#include "look_test.moc"

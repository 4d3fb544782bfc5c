#include "core/base/statistics.h"
#include "core/stars/mask.h"
#include "core/stars/patch_mask.h"

#include <QTest>

#include <cmath>
#include <vector>

using namespace caelumen;

namespace {

constexpr int kWidth = 203, kHeight = 17;

/// The same, a byte a pixel.
struct Plain {
    std::vector<char> hidden = std::vector<char>(static_cast<std::size_t>(kWidth) * kHeight, 0);
    char& at(int x, int y) { return hidden[static_cast<std::size_t>(y) * kWidth + static_cast<std::size_t>(x)]; }
};

} // namespace

class MaskTest : public QObject {
    Q_OBJECT

private slots:
    void stretchesHideTheirPixelsAndNoOthers() {
        Mask mask(kWidth, kHeight);
        Plain plain;
        Random random(3);
        for (int k = 0; k < 60; ++k) {
            const int y = static_cast<int>(random.index(kHeight)), x0 = static_cast<int>(random.index(kWidth)),
                      x1 = std::min(kWidth, x0 + static_cast<int>(random.index(k % 3 == 0 ? 150 : 9)));
            mask.hide(y, x0, x1);
            for (int x = x0; x < x1; ++x) plain.at(x, y) = 1;
        }
        std::int64_t count = 0;
        for (int y = 0; y < kHeight; ++y)
            for (int x = 0; x < kWidth; ++x) {
                QCOMPARE(mask.hidden(x, y), plain.at(x, y) != 0);
                count += plain.at(x, y);
            }
        QVERIFY(count > 100 && count < kWidth * kHeight / 2);
        QCOMPARE(mask.count(0, kHeight), count);
        mask.show(3, 9);
        QCOMPARE(mask.count(3, 9), std::int64_t{0});
        QCOMPARE(mask.count(0, kHeight), mask.count(0, 3) + mask.count(9, kHeight));
    }

    void bitsTogetherAreThoseOneByOne() {
        Mask mask(kWidth, 2);
        Random random(4);
        for (int x = 0; x < kWidth; ++x)
            if (random.uniform() < 0.4) mask.hide(1, x, x + 1);
        for (int x = 0; x < kWidth; ++x)
            for (const int n : {1, 5, 8, 32, Flags::kTogether}) {
                std::uint64_t want = 0;
                for (int i = 0; i < n && x + i < kWidth; ++i) want |= std::uint64_t{mask.hidden(x + i, 1)} << i;
                if (x + n > kWidth) continue;
                QCOMPARE(mask.row(1).bits(x, n), want);
                QCOMPARE((mask.row(1) + x).bits(0, n), want);
            }
    }

    void boxesHideWhatOneOfTheirPixelsDoes() {
        Mask mask(kWidth, kHeight);
        Random random(6);
        for (int k = 0; k < 40; ++k) {
            const int x = static_cast<int>(random.index(kWidth));
            mask.hide(static_cast<int>(random.index(kHeight)), x, x + 1);
        }
        int none = 0, some = 0;
        for (int y = 0; y < kHeight; ++y)
            for (int x = 0; x < kWidth; ++x)
                for (const auto& [across, down] : {std::pair{1, 1}, {6, 6}, {8, 3}, {Flags::kTogether, 2}}) {
                    if (x + across > kWidth || y + down > kHeight) continue;
                    bool any = false;
                    for (int j = 0; j < down; ++j)
                        for (int i = 0; i < across; ++i) any = any || mask.hidden(x + i, y + j);
                    QCOMPARE(mask.hidesAny(x, y, across, down), any);
                    ++(any ? some : none);
                }
        QVERIFY(none > 1000 && some > 1000 && !Mask().hidesAny(3, 4, 9, 9));
    }

    void anEmptyOneHidesNothing() {
        const Mask none;
        QVERIFY(none.empty() && !none.row(5) && !none.hidden(3, 4) && none.row(7).bits(100, 20) == 0);
    }

    /// A mask of the surroundings of one place hides what a mask of the whole plane hides there.
    void aPatchIsThatPartOfTheWhole() {
        PatchMask patch({90.3, 60.8}, 40);
        Mask whole(200, 150);
        for (const auto& [x, y, r] : {std::array{90.0, 61.0, 5.2}, {51.0, 30.0, 9.0}, {130.0, 100.0, 3.0}, {128.9, 60.0, 12.0}}) {
            patch.hide({x, y}, r);
            hideDisc(whole, 0, 150, {x, y}, r);
        }
        int hidden = 0;
        for (int y = 21; y <= 101; ++y)
            for (int x = 50; x <= 130; ++x) {
                QCOMPARE(patch.hidden(x, y), whole.hidden(x, y));
                hidden += patch.hidden(x, y);
            }
        QVERIFY(hidden > 200);
        for (int i = 0; i < 30; ++i) QCOMPARE(patch.row(60, 62)[i], patch.hidden(60 + i, 62));
        QVERIFY(!patch.hidden(0, 0) && !patch.hidden(199, 60));
    }
};

QTEST_GUILESS_MAIN(MaskTest)
#include "mask_test.moc"

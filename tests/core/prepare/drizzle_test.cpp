#include "core/base/file.h"
#include "core/base/statistics.h"
#include "core/image/fits_writer.h"
#include "core/image/frame_file.h"
#include "core/measure/harvest.h"
#include "core/prepare/adu_rows.h"
#include "core/prepare/combine.h"
#include "core/prepare/drizzle.h"
#include "core/prepare/prepare_run.h"
#include "core/simulate/demo.h"
#include "core/simulate/demo_subs.h"
#include "core/simulate/virtual_subs.h"

#include <QTemporaryDir>
#include <QTest>

#include <cmath>

using namespace caelumen;
namespace fs = std::filesystem;

class DrizzleTest : public QObject {
    Q_OBJECT

    QTemporaryDir m_folder;
    fs::path at(const char* name) const { return fs::path(m_folder.path().toStdString()) / name; }

    static double widthOf(const Plane& plane) {
        const PlaneStars stars = findStars(plane, 60000);
        return stars.psf ? stars.psf->fwhm : 0;
    }

private slots:
    // Unturned and dithered at random, each pixel is hit by a quarter of the subs in red, by half of them in green: never by none and never twice.
    void everySiteFallsIntoOnePixel() {
        for (const double shift : {0.0, 0.3, 1.0, 1.7, -0.6}) {
            const Alignment::Affine red{0.5, 0, 0, 0.5, shift, -shift / 2}, green{0.5, 0, 0, 0.5, shift - 0.5, -shift / 2 - 0.5};
            int hits = 0, both = 0;
            for (int y = 10; y < 50; ++y) {
                std::vector<std::uint8_t> one(40), two(40);
                countDrops(std::vector{red}, y, 40, 0.5, 40, 60, one.data());
                countDrops(std::vector{red, green}, y, 40, 0.5, 40, 60, two.data());
                for (std::size_t x = 0; x < 40; ++x) hits += one[x], both += two[x];
            }
            QVERIFY2(hits >= 380 && hits <= 440 && both >= 760 && both <= 880, qPrintable(QString("%1 %2").arg(hits).arg(both)));
        }
    }

    // Sites are found by stretches; one by one they are the same, whichever way the sub lies, and of those beyond its border none counts.
    void stretchesFindWhatSinglePixelsFind() {
        constexpr int kWidth = 211, kRows = 40, kAcross = 90, kDown = 30;
        Random random(5);
        std::vector<float> sites(static_cast<std::size_t>(kAcross) * kDown);
        for (std::size_t i = 0; i < sites.size(); ++i) sites[i] = static_cast<float>(i);
        const RowBand band{sites.data(), kAcross, 0, kDown};
        int found = 0;
        for (int trial = 0; trial < 60; ++trial) {
            const double angle = trial % 3 == 0   ? 0
                                 : trial % 3 == 1 ? 0.002 * random.normal()
                                                  : M_PI + 0.05 * random.normal(),
                         scale = trial % 2 ? 0.5 : 0.501, reach = trial % 5 ? 0.5 : 0.35;
            const double cosine = scale * std::cos(angle), sine = scale * std::sin(angle);
            const bool turned = std::abs(angle) > 1;
            const Alignment::Affine to{cosine, -sine, sine, cosine, (turned ? kAcross : 0) + 5 * random.normal(), (turned ? kDown : 0) + 5 * random.normal()};
            for (int y = 0; y < kRows; ++y) {
                std::vector<std::uint8_t> drops(kWidth);
                countDrops(std::vector{to}, y, kWidth, reach, kAcross, kDown, drops.data());
                std::vector<float> row(kWidth, -1);
                const std::vector<std::uint8_t> dropped(kWidth, 1);
                dropInto(std::vector{band}, std::vector{to}, y, kWidth, reach, dropped.data(), row.data());
                for (int x = 0; x < kWidth; ++x) {
                    const Point at = to({static_cast<double>(x), static_cast<double>(y)});
                    const double u = std::nearbyint(at.x), v = std::nearbyint(at.y), far = std::max(std::abs(at.x - u), std::abs(at.y - v)) - 0.5 * reach;
                    if (std::abs(far) < 1e-6) continue; // on the border either will do
                    const bool there = u >= 0 && u < kAcross && v >= 0 && v < kDown;
                    const auto i = static_cast<std::size_t>(x);
                    QCOMPARE(int{drops[i]}, far < 0 && there ? 1 : 0);
                    const float expected = far > 0 ? kPassedOver : there ? static_cast<float>(v * kAcross + u) : kNoData;
                    QVERIFY(std::isnan(expected) ? std::isnan(row[i]) : row[i] == expected);
                    found += far < 0 && there;
                }
            }
        }
        QVERIFY2(found > 20'000, qPrintable(QString::number(found)));
    }

    // What nobody needs is not interpolated; all else comes out as if everything were, and what lies beyond the sub stays without a value.
    void whatIsKnownIsNotInterpolated() {
        constexpr int kWidth = 180;
        Random random(6);
        Plane sites(100, 40);
        for (std::size_t i = 0; i < sites.size(); ++i) sites.data()[i] = static_cast<float>(random.normal());
        const RowBand band{sites.data(), sites.width(), 0, sites.height()};
        int left = 0, passed = 0;
        for (int trial = 0; trial < 40; ++trial) {
            const double angle = trial % 2 ? 0.003 * random.normal() : 0;
            const Alignment::Affine to{0.5 * std::cos(angle), -0.5 * std::sin(angle), 0.5 * std::sin(angle),
                                       0.5 * std::cos(angle), 4 * random.normal(),    4 * random.normal()};
            std::vector<std::uint8_t> known(kWidth);
            for (int x = 0; x < kWidth; ++x) known[static_cast<std::size_t>(x)] = x % 2 == trial % 4 / 2 || (x > 60 && x < 150);
            for (int y = 0; y < 60; y += 7) {
                std::vector<float> all(kWidth), some(kWidth);
                resampleRow(band, to, y, kWidth, 1, all.data());
                resampleRow(band, to, y, kWidth, 1, some.data(), known.data());
                for (std::size_t x = 0; x < kWidth; ++x) {
                    QCOMPARE(std::isnan(some[x]), std::isnan(all[x]));
                    const bool over = some[x] == kPassedOver;
                    QVERIFY(over ? known[x] != 0 : std::isnan(all[x]) || some[x] == all[x]);
                    passed += over, left += !std::isnan(all[x]) && known[x] == 0;
                }
            }
        }
        QVERIFY(left > 2'000 && passed > 5'000);
    }

    // Halves hold each value once: of a drizzled pixel in turn, elsewhere sub by sub. They are what the same values make when they are combined by themselves.
    void halvesAreStacksOfHalfTheValues() {
        constexpr int kSubs = 9, kWidth = 1003;
        Random random(7);
        std::vector<std::vector<float>> rows(kSubs, std::vector<float>(kWidth));
        for (auto& row : rows)
            for (float& v : row) {
                v = static_cast<float>(100 + 3 * random.normal());
                if (random.uniform() < 0.3) v = kNoData;
                if (random.uniform() < 0.02) v += 500;
            }
        std::vector<std::uint8_t> byValue(kWidth);
        for (auto& flag : byValue) flag = random.uniform() < 0.6;
        const auto pointers = [](const std::vector<std::vector<float>>& of) {
            std::vector<const float*> out;
            for (const auto& row : of) out.push_back(row.data());
            return out;
        };
        std::vector<double> weights;
        for (int i = 0; i < kSubs; ++i) weights.push_back(1 + 0.1 * i);
        const NoiseModel model{3, 100, 0.5, 0.05, 0.01};
        for (const Rejection how : {Rejection::None, Rejection::Sigma, Rejection::Winsor}) {
            CombineOptions options;
            options.reject = how;
            for (const bool turns : {false, true}) {
                std::vector<std::vector<float>> halfRows[2] = {rows, rows};
                for (std::size_t x = 0; x < kWidth; ++x) {
                    std::size_t turn = 0;
                    for (std::size_t i = 0; i < kSubs; ++i) {
                        if (std::isnan(rows[i][x])) continue;
                        const std::size_t half = (turns && byValue[x] ? turn++ : i) % 2;
                        halfRows[1 - half][i][x] = kNoData;
                    }
                }
                std::vector<float> all(kWidth), odd(kWidth), even(kWidth), expected(kWidth);
                combineRows(pointers(rows), kWidth, model, options, weights, all.data(), {}, {},
                            {odd.data(), even.data(), turns ? std::span<const std::uint8_t>(byValue) : std::span<const std::uint8_t>()});
                const auto same = [&](const std::vector<std::vector<float>>& of, const std::vector<float>& got) {
                    combineRows(pointers(of), kWidth, model, options, weights, expected.data());
                    for (std::size_t x = 0; x < kWidth; ++x)
                        if (std::isnan(got[x]) ? !std::isnan(expected[x]) : !(std::abs(got[x] - expected[x]) < 1e-4F)) return false; // sums in another order
                    return true;
                };
                QVERIFY(same(rows, all));
                QVERIFY(same(halfRows[0], odd));
                QVERIFY(same(halfRows[1], even));
            }
        }
    }

    // Stars that are sharper in some subs than in others are whole in the halves too; a hit on one is not.
    void halvesKeepStarsOfDifferentWidths() {
        constexpr int kSubs = 9, kWidth = 41, kStar = 20, kHit = 4, kHitAt = 19;
        constexpr double kSky = 100;
        std::vector<std::vector<float>> stars(kSubs, std::vector<float>(3 * kWidth)); // the row with the star's top, and those beside it
        std::vector<const float*> pointers;
        std::vector<std::optional<double>> fwhm;
        for (std::size_t i = 0; i < kSubs; ++i) {
            const double sigma = i == 1 || i == 2 ? 1.3 : 1.5 + 0.01 * static_cast<double>(i); // one sharp sub in each half
            fwhm.emplace_back(kSigmaToFwhm * sigma);
            for (int row = 0; row < 3; ++row)
                for (int x = 0; x < kWidth; ++x) {
                    const double r2 = std::pow(x - kStar, 2) + std::pow(row - 1, 2);
                    stars[i][static_cast<std::size_t>(row * kWidth + x)] =
                        static_cast<float>(kSky + 40'000 / (sigma * sigma) * std::exp(-0.5 * r2 / (sigma * sigma)));
                }
            pointers.push_back(stars[i].data() + kWidth);
        }
        stars[kHit][kWidth + kHitAt] += 30'000;
        const std::vector<double> spread = spreadsOf(fwhm);
        const NoiseModel model{3, kSky, 0.5, 0.01, 0};
        CombineOptions options;
        options.reject = Rejection::Sigma;
        const auto lostIn = [&](const StarImages& images) { // pixels of the halves that are not the mean of their values
            std::vector<float> all(kWidth), odd(kWidth), even(kWidth);
            combineRows(pointers, kWidth, model, options, {}, all.data(), {}, images, {odd.data(), even.data(), {}});
            int lost = 0;
            for (std::size_t x = 0; x < kWidth; ++x) {
                double sums[2] = {0, 0};
                int counts[2] = {0, 0};
                for (std::size_t i = 0; i < kSubs; ++i)
                    if (i != kHit || x != kHitAt) sums[i % 2] += static_cast<double>(pointers[i][x]), ++counts[i % 2];
                const auto off = [&](float got, int half) { return std::abs(static_cast<double>(got) - sums[half] / counts[half]) > 0.02; };
                lost += off(odd[x], 0) || off(even[x], 1);
            }
            return lost;
        };
        QCOMPARE(lostIn({spread, -kWidth, kWidth}), 0);
        QVERIFY(lostIn({}) > 0); // without knowing the widths
    }

    // Where some subs have no values, the drops that are left are too few here and there: all others count then, and no pixel stands on one value alone.
    void aGapCostsNoPixel() {
        Site place;
        place.latitude_deg = -32.4, place.longitude_deg = 21.6, place.bortle = 4;
        const VirtualRun run = virtualRun(demoFilters()[0], SceneCamera::Mosaic, 600, 400, 10, 12, "2026-06-15T20:00:00Z", place, {"NGC 6188", 250.1, -48.7});
        const fs::path folder = at("gap");
        QVERIFY(writeVirtualRun(run, folder, {3, 3, 3}).ok());
        auto recipe = readSubsRecipe(folder / "subs.json");
        QVERIFY(recipe.ok());
        recipe->mosaic = MosaicMode::Full;
        recipe->cull.automatic = false;
        recipe->maps = true;
        const auto writeLight = [&](std::size_t i, bool gap) { // as floats, which can say that there is no value
            Plane light(600, 400);
            const auto stored = aduRows(*FrameFile::open(recipe->lights[i]), 65535);
            if (!stored->read(0, 0, light.height(), light.data()).ok()) return false;
            for (int y = 150; gap && y < 250; ++y) std::fill_n(light.row(y) + 200, 150, kNoData);
            return writeFits(recipe->lights[i], {&light}, subCards(run, "Light", run.scene.sub_exposure_s, run.subs[i].start)).ok();
        };
        const auto stack = [&](const char* name) {
            const auto prepared = prepareRun(*recipe, folder / name);
            return prepared.ok() && prepared->stack && prepared->stack->subs == run.subs.size();
        };
        for (std::size_t i = 0; i < recipe->lights.size(); ++i) QVERIFY(writeLight(i, false));
        QVERIFY(stack("whole.fits"));
        for (std::size_t i = 2; i < 7; ++i) QVERIFY(writeLight(i, true));
        QVERIFY(stack("gap.fits"));
        const auto whole = FrameFile::open(folder / "whole.fits"), gap = FrameFile::open(folder / "gap.fits"),
                   coverage = FrameFile::open(besideStack(folder / "gap.fits", "coverage"));
        QVERIFY(whole.ok() && gap.ok() && coverage.ok());
        for (std::size_t c = 0; c < 3; ++c) {
            const auto before = whole->readChannel(c), after = gap->readChannel(c), values = coverage->readChannel(c);
            std::vector<double> inside, outside;
            int drizzled = 0;
            for (int y = 60; y < 340; ++y)
                for (int x = 60; x < 540; ++x) {
                    const QByteArray where = QString("channel %1, %2 %3").arg(c).arg(x).arg(y).toUtf8();
                    QVERIFY2(std::isfinite(after->at(x, y)), where);
                    QVERIFY2(values->at(x, y) >= kFewestDrops, where);
                    drizzled += y < 120 && values->at(x, y) < 10;
                    const auto d = static_cast<double>(after->at(x, y) - before->at(x, y));
                    if (y > 170 && y < 230 && x > 220 && x < 330) inside.push_back(d);
                    if (y < 120 || y > 280) outside.push_back(d);
                }
            QVERIFY(drizzled > 10'000);
            const double error = robustSigma(inside) / std::sqrt(static_cast<double>(inside.size()));
            QVERIFY2(error > 0 && std::abs(median(std::span<double>(inside))) < 8 * error, qPrintable(QString("channel %1: %2").arg(c).arg(error)));
            QVERIFY(std::abs(median(std::span<double>(outside))) < 0.1 * robustSigma(inside));
        }
    }

    /// A full-size stack of a dithered mosaic is as sharp as its subs, in every colour; without dithers it is interpolated.
    void starsStaySharp_data() {
        QTest::addColumn<double>("fwhm");
        QTest::addColumn<int>("subs");
        QTest::addColumn<double>("allowed");
        QTest::newRow("well sampled, 24 subs") << 3.4 << 24 << 0.03;
        QTest::newRow("hardly sampled, 24 subs") << 2.6 << 24 << 0.03;
        QTest::newRow("12 subs") << 3.0 << 12 << 0.06; // every sixth red pixel has one drop or none
    }
    void starsStaySharp() {
        QFETCH(double, fwhm);
        QFETCH(int, subs);
        QFETCH(double, allowed);
        Site place;
        place.latitude_deg = -32.4, place.longitude_deg = 21.6, place.bortle = 4;
        VirtualRun run = virtualRun(demoFilters()[0], SceneCamera::Mosaic, 600, 400, subs, 11, "2026-06-15T20:00:00Z", place, {"NGC 6188", 250.1, -48.7});
        run.scene.fwhm_px = fwhm;
        for (VirtualSub& s : run.subs) s.fwhm_px = fwhm;
        const fs::path folder = at(QTest::currentDataTag());
        QVERIFY(writeVirtualRun(run, folder, {3, 3, 3}).ok());
        auto recipe = readSubsRecipe(folder / "subs.json");
        QVERIFY(recipe.ok());
        recipe->mosaic = MosaicMode::Full;
        const fs::path out = folder / "full.fits";
        const auto prepared = prepareRun(*recipe, out);
        QVERIFY2(prepared.ok(), prepared.ok() ? "" : prepared.error().message.c_str());
        const auto file = FrameFile::open(out);
        const auto clean = cleanPlanes(run, run.subs[0]);
        for (std::size_t c = 0; c < 3; ++c) {
            const auto stack = file->readChannel(c);
            Plane truth = clean[c].stars; // as each sub sees it, without noise
            for (std::size_t i = 0; i < truth.size(); ++i) truth.data()[i] = (truth.data()[i] + clean[c].sky.data()[i]) * 100;
            const double got = widthOf(*stack), want = widthOf(truth);
            QVERIFY2(std::abs(got / want - 1) < allowed, qPrintable(QString("channel %1: FWHM %2 where the subs have %3").arg(c).arg(got).arg(want)));
        }
    }
};

QTEST_GUILESS_MAIN(DrizzleTest)
#include "drizzle_test.moc"

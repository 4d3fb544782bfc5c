#include "core/image/frame_file.h"
#include "core/measure/harvest.h"
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
                std::vector<std::int8_t> one(40), two(40);
                sitesInRow(std::vector{red}, y, 40, 0.5, one.data());
                sitesInRow(std::vector{red, green}, y, 40, 0.5, two.data());
                for (std::size_t x = 0; x < 40; ++x) hits += one[x] >= 0, both += two[x] >= 0;
            }
            QVERIFY2(hits >= 400 && hits <= 440 && both >= 800 && both <= 880, qPrintable(QString("%1 %2").arg(hits).arg(both)));
        }
    }

    // Where fewer than two subs hit, all count; halves hold each value once.
    void whereDropsAreFewAllSubsCount() {
        constexpr int kSubs = 6, kWidth = 3;
        std::vector<std::vector<float>> rows;
        std::vector<std::int8_t> sites;
        for (int i = 0; i < kSubs; ++i) {
            rows.push_back({10.0F + static_cast<float>(i), 20.0F + static_cast<float>(i), 30.0F});
            for (const bool hit : {i < 4, i < 1, false}) sites.push_back(hit ? 0 : -1);
        }
        std::vector<const float*> p;
        for (const auto& r : rows) p.push_back(r.data());
        DrizzledRows d;
        d.choose(p, sites, kWidth, 0, 0, true);
        QCOMPARE(d.drizzled(), 1);
        const auto there = [](const std::vector<const float*>& subs, std::size_t x) {
            return std::count_if(subs.begin(), subs.end(), [x](const float* r) { return r[x] == r[x]; });
        };
        const auto all = d.of(DrizzledRows::Part::All), odd = d.of(DrizzledRows::Part::Odd), even = d.of(DrizzledRows::Part::Even);
        QCOMPARE(there(all, 0), 4);
        QCOMPARE(there(all, 1), 6);
        for (std::size_t x = 0; x < kWidth; ++x) {
            QCOMPARE(there(odd, x), there(all, x) / 2);
            QCOMPARE(there(even, x), there(all, x) / 2);
            for (std::size_t i = 0; i < kSubs; ++i) QVERIFY(!(odd[i][x] == odd[i][x] && even[i][x] == even[i][x]));
        }
        QCOMPARE(d.covered()[0], std::uint16_t{6});
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

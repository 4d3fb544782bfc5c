#include "core/base/statistics.h"
#include "core/image/frame_file.h"
#include "core/simulate/demo.h"
#include "core/simulate/virtual_subs.h"
#include "support/scenes.h"

#include <fstream>
#include <set>

using namespace caelumen;
namespace fs = std::filesystem;

/// A sub of the virtual camera holds what its parts promise: what the Subs are tested with must itself be right.
class VirtualSubsTest : public QObject {
    Q_OBJECT

    static constexpr int kWidth = 360, kHeight = 240;

    static VirtualRun make(SceneCamera camera = SceneCamera::Mono, int count = 2) {
        Site site;
        site.name = "Dry upland";
        site.latitude_deg = -31.4, site.longitude_deg = 20.8, site.elevation_m = 1500;
        Target target;
        target.name = "Carina nebula";
        target.ra_deg = 161.26, target.dec_deg = -59.87;
        return virtualRun(demoFilters().front(), camera, kWidth, kHeight, count, 5, "2026-04-15T19:00:00Z", site, target, 60);
    }
    /// Without nebula and stars.
    static VirtualRun bare(SceneCamera camera = SceneCamera::Mono) {
        VirtualRun run = make(camera);
        run.nebula = {};
        run.stars.clear();
        return run;
    }
    static double electrons(const VirtualRun& run, double adu) { return (adu - run.scene.rig.pedestal_adu) * run.scene.rig.gain_e_per_adu; }
    static double middle(const Plane& p) {
        std::vector<float> values(p.data(), p.data() + p.size());
        return median(std::span<float>(values));
    }
    static double mean(const Plane& p) {
        double sum = 0;
        for (std::size_t i = 0; i < p.size(); ++i) sum += static_cast<double>(p.data()[i]) / static_cast<double>(p.size());
        return sum;
    }
    /// Centre and second moments of what stands above the sky around a place.
    struct Shape {
        double x = 0, y = 0, light = 0, along = 0, across = 0;
    };
    static Shape shapeAt(const Plane& p, Point at, int reach) {
        const double sky = middle(p);
        Shape s;
        double xx = 0, yy = 0, xy = 0;
        for (int y = static_cast<int>(at.y) - reach; y <= static_cast<int>(at.y) + reach; ++y)
            for (int x = static_cast<int>(at.x) - reach; x <= static_cast<int>(at.x) + reach; ++x) {
                const double v = static_cast<double>(p.at(x, y)) - sky;
                s.light += v, s.x += v * x, s.y += v * y;
            }
        s.x /= s.light, s.y /= s.light;
        for (int y = static_cast<int>(at.y) - reach; y <= static_cast<int>(at.y) + reach; ++y)
            for (int x = static_cast<int>(at.x) - reach; x <= static_cast<int>(at.x) + reach; ++x) {
                const double v = (static_cast<double>(p.at(x, y)) - sky) / s.light;
                xx += v * std::pow(x - s.x, 2), yy += v * std::pow(y - s.y, 2), xy += v * (x - s.x) * (y - s.y);
            }
        const double spread = std::hypot(0.5 * (xx - yy), xy);
        s.along = 0.5 * (xx + yy) + spread, s.across = 0.5 * (xx + yy) - spread;
        return s;
    }

private slots:
    void aFlatShowsTheSensitivityAlone() {
        const VirtualRun run = bare();
        const Plane truth = sensitivityOf(run);
        Plane sum(kWidth, kHeight);
        constexpr int kFlats = 12;
        for (int k = 0; k < kFlats; ++k) {
            const Plane flat = photographFlat(run, 22'000, static_cast<unsigned long long>(k + 1));
            for (std::size_t i = 0; i < sum.size(); ++i) sum.data()[i] += flat.data()[i] / kFlats;
        }
        double squares = 0;
        std::size_t n = 0;
        for (std::size_t i = 0; i < sum.size(); ++i) {
            const double expected = 22'000 * static_cast<double>(truth.data()[i]);
            const double z = (electrons(run, static_cast<double>(sum.data()[i])) - expected) / std::sqrt(expected / kFlats);
            if (std::abs(z) < 6) squares += z * z, ++n; // hot pixels are the sensor's
        }
        QVERIFY(static_cast<double>(n) > 0.999 * static_cast<double>(sum.size()));
        QVERIFY2(std::abs(squares / static_cast<double>(n) - 1) < 0.05, qPrintable(QString::number(squares / static_cast<double>(n))));
        QVERIFY(static_cast<double>(truth.at(2, 2)) < static_cast<double>(truth.at(kWidth / 2, kHeight / 2))); // vignetted
    }

    /// Dark current doubles every six kelvins, grows with time, and its hot pixels stay where they are.
    void darksFollowTimeAndTemperature() {
        VirtualRun run = bare();
        const auto light = [&](double seconds, double celsius, unsigned long long seed) {
            run.sensor.temperature_c = celsius;
            return electrons(run, mean(photographDark(run, seconds, seed)));
        };
        const double bias = light(0.001, -10, 1), cold = light(300, -10, 2) - bias, longer = light(600, -10, 3) - bias, warm = light(300, -4, 4) - bias;
        const double noise = 6 * run.scene.rig.readNoise_e / std::sqrt(kWidth * kHeight); // of a difference, with room for the dark's own
        QVERIFY(std::abs(bias) < noise);
        QVERIFY2(std::abs(longer / cold - 2) < 0.05, qPrintable(QString::number(longer / cold)));
        QVERIFY2(std::abs(warm / cold - 2) < 0.05, qPrintable(QString::number(warm / cold)));

        run.sensor.temperature_c = -10;
        const Plane one = photographDark(run, 300, 5), other = photographDark(run, 300, 6);
        const auto hot = [&](const Plane& p) {
            std::set<std::size_t> out;
            for (std::size_t i = 0; i < p.size(); ++i)
                if (electrons(run, static_cast<double>(p.data()[i])) > 400) out.insert(i);
            return out;
        };
        const auto a = hot(one), b = hot(other);
        std::size_t both = 0;
        for (const std::size_t i : a) both += b.count(i);
        QVERIFY(a.size() > 5);
        QVERIFY(static_cast<double>(both) > 0.8 * static_cast<double>(a.size()));
        const auto part = static_cast<double>(a.size()) / static_cast<double>(one.size()); // those of more than 1.3 e-/s
        QVERIFY(part > 0.2 * run.sensor.hotPart && part < 2 * run.sensor.hotPart);
        // The amplifier's corner glows, the one opposite does not.
        double lit = 0, unlit = 0;
        for (int y = 0; y < 12; ++y)
            for (int x = 0; x < 12; ++x) {
                lit += std::min(100.0, electrons(run, static_cast<double>(one.at(kWidth - 1 - x, kHeight - 1 - y)))) / 144;
                unlit += std::min(100.0, electrons(run, static_cast<double>(one.at(x, y)))) / 144;
            }
        QVERIFY(lit > 15 && std::abs(unlit) < 3);
    }

    /// Clouds take light from stars and nebula, and what they throw back is added to the sky alone.
    void cloudsTakeAndGive() {
        const VirtualRun run = make();
        VirtualSub clear = run.subs[0], cloudy = clear;
        clear.transparency = 1, cloudy.transparency = 0.4, cloudy.sky = 1.7;
        const CleanPlane a = cleanPlanes(run, clear)[0], b = cleanPlanes(run, cloudy)[0];
        for (int y = 5; y < kHeight; y += 31)
            for (int x = 5; x < kWidth; x += 37) {
                QVERIFY(std::abs(static_cast<double>(b.sky.at(x, y) / a.sky.at(x, y)) - 1.7) < 1e-5);
                QVERIFY(std::abs(static_cast<double>(b.stars.at(x, y) - 0.4F * a.stars.at(x, y))) <= 1e-5 * static_cast<double>(a.stars.at(x, y)));
                QVERIFY(std::abs(static_cast<double>(b.nebula.at(x, y) - 0.4F * a.nebula.at(x, y))) <= 1e-5 * static_cast<double>(a.nebula.at(x, y)));
            }
    }

    /// The signal of a sub is its clean light through the sensitivity, and its noise that of photons and reading.
    void aSubIsItsLightWithItsNoise() {
        const VirtualRun run = make();
        const VirtualSub& sub = run.subs[1];
        const CleanPlane clean = cleanPlanes(run, sub)[0];
        const Plane seen = photographSub(run, sub), flat = sensitivityOf(run), dark = photographDark(run, run.scene.sub_exposure_s, 77);
        double sum = 0, squares = 0, n = 0;
        for (int y = 0; y < kHeight; ++y)
            for (int x = 0; x < kWidth / 2; ++x) { // far from the amplifier
                const double light = static_cast<double>((clean.sky.at(x, y) + clean.nebula.at(x, y) + clean.stars.at(x, y)) * flat.at(x, y));
                if (light * run.scene.sub_exposure_s > 20'000 || electrons(run, static_cast<double>(dark.at(x, y))) > 20) continue; // burnt out, hot
                const double expected = (light + run.sensor.dark_e_per_s) * run.scene.sub_exposure_s;
                const double noise = std::sqrt(expected + std::pow(run.scene.rig.readNoise_e, 2) + std::pow(run.scene.rig.gain_e_per_adu, 2) / 12);
                const double z = (electrons(run, static_cast<double>(seen.at(x, y))) - expected) / noise;
                sum += z, squares += z * z, n += 1;
            }
        QVERIFY2(std::abs(sum / n) < 4 / std::sqrt(n) + 0.02, qPrintable(QString::number(sum / n)));
        QVERIFY2(std::abs(squares / n - 1) < 0.05, qPrintable(QString::number(squares / n)));
    }

    void starsStandWhereTheSubLies() {
        VirtualRun run = bare();
        run.scene.aureole = 0;
        const Point at{150.3, 110.8};
        run.stars = {{at, 9.5, 6000}};
        VirtualSub sub = run.subs[0];
        for (const Alignment& a : {Alignment{}, Alignment{7.4, -5.2, 0.4, 1, false, 0, 0}, Alignment{359, 239, 180, 1, false, 0, 0}}) {
            sub.alignment = a;
            const Point there = a.map(at);
            const Shape s = shapeAt(photographSub(run, sub), there, 8);
            QVERIFY2(std::hypot(s.x - there.x, s.y - there.y) < 0.15, qPrintable(QString("%1 %2").arg(s.x - there.x).arg(s.y - there.y)));
        }
    }

    /// Slipped tracking draws a star out, in its direction, and keeps its light.
    void driftDrawsStarsOut() {
        VirtualRun run = bare();
        run.scene.aureole = 0, run.scene.eccentricity = 0;
        const Point at{180, 120};
        run.stars = {{at, 8.5, 6000}};
        VirtualSub still = run.subs[0], slipped = still;
        slipped.drift_px = 12, slipped.drift_deg = 90;
        const Plane a = cleanPlanes(run, still)[0].stars, b = cleanPlanes(run, slipped)[0].stars;
        const Shape round = shapeAt(a, at, 20), drawn = shapeAt(b, at, 20);
        QVERIFY(std::abs(drawn.light / round.light - 1) < 0.02);
        QVERIFY(std::abs(round.along / round.across - 1) < 0.05);
        // A line of length l has a variance of l^2 / 12 along it and none across.
        QVERIFY2(std::abs(drawn.along - round.along - 12) < 1.5, qPrintable(QString::number(drawn.along - round.along)));
        QVERIFY2(std::abs(drawn.across - round.across) < 0.1 * round.across, qPrintable(QString::number(drawn.across)));
        QVERIFY(b.at(180, 126) > b.at(186, 120));
        slipped.fwhm_px = 2 * run.scene.fwhm_px, slipped.drift_px = 0;
        QVERIFY(shapeAt(cleanPlanes(run, slipped)[0].stars, at, 20).along > 2 * round.along);
    }

    void aTrailIsALineOfItsLight() {
        const VirtualRun run = bare();
        VirtualSub plain = run.subs[0], crossed = plain;
        crossed.trails = {{40, 60, 300, 60}};
        const Plane a = photographSub(run, plain), b = photographSub(run, crossed); // the same seed: what differs is the trail
        const auto column = [&](int x) {
            double sum = 0;
            for (int y = 40; y < 80; ++y) sum += static_cast<double>(b.at(x, y) - a.at(x, y)) * run.scene.rig.gain_e_per_adu;
            return sum;
        };
        double along = 0, beyond = 0;
        for (int x = 50; x < 290; ++x) along += column(x) / 240;
        for (int x = 310; x < 350; ++x) beyond += column(x) / 40;
        QVERIFY2(std::abs(along / crossed.trail_e - 1) < 0.12, qPrintable(QString::number(along))); // the sensor's sensitivity takes some
        QVERIFY(std::abs(beyond) < 30);
        crossed.trails = {{40, 60, 40, 60}}; // of no length
        QVERIFY(std::equal(a.data(), a.data() + a.size(), photographSub(run, crossed).data()));
    }

    /// The moon that is down gives nothing; higher air is clearer.
    void moonAndAirAreThoseOfTheHour() {
        const VirtualRun run = make();
        VirtualSub sub;
        const auto at = [&](const char* start) {
            sub = {};
            takeAt(run, sub, start);
            return sub;
        };
        const VirtualSub evening = at("2026-04-15T18:30:00Z"), full = at("2026-05-01T20:00:00Z"), low = at("2026-04-16T01:30:00Z");
        QCOMPARE(evening.moon_nl.value_or(-1), 0.0); // two days before new moon
        QVERIFY(full.moon_nl.value_or(0) > 100);
        QVERIFY(evening.transparency > low.transparency && low.transparency > 0.3 && evening.transparency <= 1);
        VirtualRun nowhere = run;
        nowhere.site.latitude_deg.reset();
        takeAt(nowhere, sub, "2026-05-01T20:00:00Z");
        QCOMPARE(sub.start, std::string("2026-05-01T20:00:00Z"));
    }

    /// The file holds the sub, its header what a camera writes and no more than is known.
    void filesSayWhatTheyAre() {
        const scenes::Folder folder;
        VirtualRun run = make(SceneCamera::Mosaic);
        VirtualFrames few;
        few.darks = 1, few.flats = 2, few.biases = 0;
        QVERIFY(writeVirtualRun(run, folder / "night", few).ok());
        std::set<std::string> names;
        for (const auto& e : fs::directory_iterator(folder / "night")) names.insert(e.path().filename().string());
        QCOMPARE(names, (std::set<std::string>{"light-001.fits", "light-002.fits", "dark-001.fits", "flat-001.fits", "flat-002.fits", "subs.json"}));
        const auto file = FrameFile::open(folder / "night/light-002.fits");
        QVERIFY(file.ok());
        QCOMPARE(file->info().width, kWidth);
        const Plane sub = photographSub(run, run.subs[1]);
        const auto cards = subCards(run, "Light", 60, "2026-04-15T19:00:00Z");
        const auto has = [](const std::vector<HeaderCard>& all, const char* keyword) {
            return std::any_of(all.begin(), all.end(), [&](const HeaderCard& c) { return c.keyword == keyword; });
        };
        for (const char* keyword : {"EXPTIME", "EGAIN", "CCD-TEMP", "FILTER", "RA", "DEC", "SITELAT", "DATE-OBS", "BAYERPAT"})
            QVERIFY2(has(cards, keyword), keyword);
        const auto dark = subCards(run, "Dark", 60, "");
        for (const char* keyword : {"FILTER", "RA", "SITELAT", "DATE-OBS", "OBJECT"}) QVERIFY2(!has(dark, keyword), keyword);
        run.site.latitude_deg.reset(), run.target.ra_deg.reset();
        const auto less = subCards(run, "Light", 60, "");
        for (const char* keyword : {"RA", "SITELAT"}) QVERIFY2(!has(less, keyword), keyword);
        QVERIFY(!has(subCards(make(SceneCamera::Mono), "Light", 60, ""), "BAYERPAT"));
        QVERIFY(mean(sub) > run.scene.rig.pedestal_adu);
        std::ofstream(folder / "taken") << "a file where a folder should be";
        const auto status = writeVirtualRun(run, folder / "taken/below");
        QVERIFY(!status.ok());
        QVERIFY(status.error().message.find("below") != std::string::npos);
    }

    /// Another seed is another night of the same sky; another noise seed is another sub of the same night.
    void seedsAreNights() {
        const VirtualRun a = make(), b = make();
        QCOMPARE(a.subs[1].alignment.dx, b.subs[1].alignment.dx);
        QVERIFY(a.subs[1].alignment.dx != 0);
        const Plane one = photographSub(a, a.subs[0]), same = photographSub(b, b.subs[0]);
        QVERIFY(std::equal(one.data(), one.data() + one.size(), same.data()));
        VirtualSub again = a.subs[0];
        again.seed += 1;
        const Plane other = photographSub(a, again);
        QVERIFY(!std::equal(one.data(), one.data() + one.size(), other.data()));
        QVERIFY(std::abs(middle(one) - middle(other)) < 2);
    }
};

QTEST_GUILESS_MAIN(VirtualSubsTest)
#include "virtual_subs_test.moc"

#include "core/base/statistics.h"
#include "core/measure/harvest.h"
#include "core/prepare/moon_response.h"
#include "core/prepare/trails.h"
#include "core/prepare/verdict.h"

#include <QTest>

#include <algorithm>
#include <cmath>
#include <functional>

using namespace caelumen;

namespace {

/// Figures of a dozen good subs, six minutes apart.
std::vector<SubFigures> night(int n = 12) {
    std::vector<SubFigures> out;
    Random random(4);
    std::vector<SubStar> stars;
    for (int i = 0; i < 60; ++i) stars.push_back({{40 + 900 * random.uniform(), 40 + 600 * random.uniform()}, std::pow(10, 3 + 2 * random.uniform()), 0});
    for (int i = 0; i < n; ++i) {
        SubFigures f;
        f.file = "/subs/light-" + std::to_string(100 + i) + ".fits";
        f.start = "2026-06-15T" + std::to_string(18 + i / 10) + ":" + std::to_string(10 + 5 * (i % 10)) + ":00Z";
        f.exposure_s = 180;
        f.channel = "G";
        f.level["G"] = 500, f.noise["G"] = 20, f.sky["G"] = {500, 0, 0, 0};
        f.stars = 800;
        f.fwhm_px = 3 + 0.05 * random.normal(), f.eccentricity = 0.35 + 0.01 * random.normal();
        f.aperture_px = 6;
        std::vector<SubStar> found;
        for (const SubStar& s : stars) found.push_back({{s.at.x + 3 * i, s.at.y - 2 * i}, s.flux, s.flux});
        f.found = std::move(found);
        out.push_back(std::move(f));
    }
    return out;
}

Result<JudgedRun> judged(const std::vector<SubFigures>& figures, const CullOptions& cull, const std::string& reference) {
    return judgeRun({figures.begin(), figures.end()}, cull, reference);
}

void changeStars(SubFigures& f, const std::function<void(SubStar&)>& change) {
    std::vector<SubStar> stars = f.found.list();
    std::for_each(stars.begin(), stars.end(), change);
    f.found = std::move(stars);
}

void dim(SubFigures& f, double part) {
    changeStars(f, [&](SubStar& s) { s.flux *= part; });
}

SubReason reasonOf(const JudgedRun& run, int i) {
    return run.subs[static_cast<std::size_t>(i)].reason;
}

Plane skyWith(unsigned long long seed) {
    Random random(seed);
    Plane p(900, 600);
    for (std::size_t i = 0; i < p.size(); ++i) p.data()[i] = static_cast<float>(200 + 10 * random.normal());
    return p;
}

void draw(Plane& p, double x0, double y0, double x1, double y1, double height) {
    const double length = std::hypot(x1 - x0, y1 - y0);
    for (int y = 0; y < p.height(); ++y)
        for (int x = 0; x < p.width(); ++x) {
            const double off = ((x - x0) * (y1 - y0) - (y - y0) * (x1 - x0)) / length, along = ((x - x0) * (x1 - x0) + (y - y0) * (y1 - y0)) / length;
            if (along >= 0 && along <= length) p.at(x, y) += static_cast<float>(height * std::exp(-0.5 * off * off / 1.7));
        }
}

int trailsIn(const Plane& p, const std::vector<Star>& stars = {}) {
    return countTrails(p, findingSky(p), stars, 3);
}

} // namespace

class JudgingTest : public QObject {
    Q_OBJECT

private slots:
    void aGoodNightIsKept() {
        const auto run = judged(night(), {}, "");
        QVERIFY2(run.ok(), run.ok() ? "" : run.error().message.c_str());
        QCOMPARE(run->kept(), std::size_t{12});
        for (const JudgedSub& s : run->subs) QVERIFY(std::abs(*s.transparency - 1) < 0.01);
        QCOMPARE(run->kept_s(), 12 * 180.0);
    }

    void eachFaultHasItsReason() {
        auto f = night();
        dim(f[1], 0.6);
        f[3].eccentricity = 0.8;
        f[5].fwhm_px = 4.6;
        dim(f[5], 0.9); // the soft one's aperture loses light: no cloud
        f[7].level["G"] = 900;
        f[8].vignette = -0.3;
        f[9].problem = "It is cut short.";
        f[10].stars = 200;
        changeStars(f[11], [](SubStar& s) { s.at = {s.at.y, 1000 - 0.3 * s.at.x * s.at.x / 900}; }); // another field
        const auto run = judged(f, {}, "");
        QVERIFY(run.ok());
        const SubReason expected[] = {SubReason::None,         SubReason::Cloud,      SubReason::None,  SubReason::Trailed,
                                      SubReason::None,         SubReason::Soft,       SubReason::None,  SubReason::BrightSky,
                                      SubReason::FlatMismatch, SubReason::Unreadable, SubReason::Cloud, SubReason::NotAligned};
        for (int i = 0; i < 12; ++i)
            QVERIFY2(reasonOf(*run, i) == expected[i],
                     qPrintable(
                         QString("%1: %2 %3").arg(i).arg(reasonName(reasonOf(*run, i)), QString::fromStdString(run->subs[static_cast<std::size_t>(i)].words))));
        QCOMPARE(run->lost_s().at(SubReason::Cloud), 360.0);
    }

    void moonriseAndSettingAirAreNoFaults() {
        auto f = night(30);
        for (std::size_t i = 0; i < f.size(); ++i) {
            f[i].level["G"] = 300 * std::pow(1.06, static_cast<double>(i)); // five times as bright in the end
            f[i].airmass = 1 + 0.06 * static_cast<double>(i);
            dim(f[i], std::pow(10, -0.4 * 0.2 * 0.06 * static_cast<double>(i))); // 0.2 mag per airmass: 28 % gone
        }
        const auto run = judged(f, {}, "");
        QVERIFY(run.ok());
        for (const JudgedSub& s : run->subs) QVERIFY2(s.keep, s.words.c_str());
    }

    void aSteepRiseUnderTheMoonIsNoFaultButALampIs() {
        auto f = night();
        for (std::size_t i = 0; i < f.size(); ++i) f[i].level["G"] = 300 * std::pow(1.2, static_cast<double>(i)); // nine times as bright in the end
        auto run = judged(f, {}, "");
        for (const JudgedSub& s : run->subs) QVERIFY2(s.keep, s.words.c_str());
        f = night();
        f[0].level["G"] = f[10].level["G"] = f[11].level["G"] = 900; // at the ends there is only one side
        run = judged(f, {}, "");
        for (int i = 0; i < 12; ++i) QCOMPARE(reasonOf(*run, i), i == 0 || i > 9 ? SubReason::BrightSky : SubReason::None);
    }

    void aSoftCornerIsAReasonWhenItIsNotTheRuns() {
        auto f = night();
        for (SubFigures& x : f) x.tilt = 1.3, x.tiltSigma = 0.02; // the field's own
        f[4].tilt = 1.9;
        f[7].tilt = 1.9, f[7].tiltSigma = 0.3; // too few stars to tell
        f[9].tilt.reset();
        auto run = judged(f, {}, "");
        for (int i = 0; i < 12; ++i) QCOMPARE(reasonOf(*run, i), i == 4 ? SubReason::SoftCorner : SubReason::None);
        QVERIFY(run->subs[4].words.find("1.90 times") != std::string::npos && run->subs[4].words.find("1.30") != std::string::npos);
        CullOptions wide;
        wide.limits.tilt = 0.8;
        judgeAgain(*run, wide);
        QVERIFY(run->subs[4].keep);
    }

    void twilightIsTold() {
        auto f = night();
        for (SubFigures& x : f) x.sunAltitude_deg = -20;
        f[11].sunAltitude_deg = -6;
        const auto run = judged(f, {}, "");
        QCOMPARE(reasonOf(*run, 11), SubReason::Twilight);
        QVERIFY(run->subs[11].words.find("6 degrees below the horizon: nautical twilight") != std::string::npos);
    }

    void aPersonHasTheLastWord() {
        auto f = night();
        dim(f[1], 0.6);
        CullOptions cull;
        cull.keep = {"light-101.fits"};
        cull.reject = {"*-104.fits"};
        auto run = judged(f, cull, "light-103.fits");
        QVERIFY(run.ok());
        QVERIFY(run->subs[1].keep && run->subs[1].byHand && run->subs[1].reason == SubReason::Cloud);
        QVERIFY(!run->subs[4].keep && run->subs[4].reason == SubReason::ByHand);
        QCOMPARE(run->reference, std::size_t{3});
        cull = {};
        cull.automatic = false;
        judgeAgain(*run, cull);
        QCOMPARE(run->kept(), std::size_t{12});
        cull.automatic = true;
        cull.limits.transparency = 0.5;
        judgeAgain(*run, cull);
        QVERIFY(run->subs[1].keep);
        QVERIFY(!judged(f, {}, "nothing.fits").ok());
    }

    void twoSubsAreNotJudgedAgainstEachOther() {
        auto f = night(2);
        dim(f[1], 0.3);
        const auto run = judged(f, {}, "");
        QCOMPARE(run->kept(), std::size_t{2}); // nobody can tell which one is odd
    }

    void aCameraThatWasTurnedIsTold() {
        auto f = night();
        Alignment turn;
        turn.rotation_deg = 20;
        changeStars(f[6], [&](SubStar& s) { s.at = turn.map(s.at); });
        const auto run = judged(f, {}, "light-100.fits");
        QVERIFY(run->subs[6].keep && !run->notes.empty());
        turn.rotation_deg = 180; // the meridian
        f = night();
        changeStars(f[6], [&](SubStar& s) { s.at = turn.map(s.at); });
        QVERIFY(judged(f, {}, "light-100.fits")->notes.empty());
    }

    // --- trails

    void trailsAreCounted() {
        Plane p = skyWith(1);
        QCOMPARE(trailsIn(p), 0);
        draw(p, -10, 100, 910, 430, 9); // below one sigma of a pixel
        QCOMPARE(trailsIn(p), 1);
        draw(p, 300, -10, 420, 610, 40);
        QCOMPARE(trailsIn(p), 2);
        Plane faint = skyWith(2);
        draw(faint, 200, 200, 240, 215, 60); // a short stroke is no satellite
        QCOMPARE(trailsIn(faint), 0);
    }

    /// Noise makes knots of a trail, which pass for faint stars: they must not hide it.
    void itsKnotsDoNotHideATrail() {
        for (const unsigned long long seed : {1, 2, 3})
            for (const double height : {12.0, 20.0, 26.0, 40.0}) {
                Plane p = skyWith(seed);
                draw(p, -10, 420, 910, 130, height);
                QCOMPARE(trailsIn(p, findStars(p, 60'000).stars), 1);
            }
    }

    void starsAndCloudsAreNoTrails() {
        Plane p = skyWith(3);
        std::vector<Star> stars;
        for (int i = 0; i < 30; ++i) { // a row of stars
            Star s;
            s.x = 20 + 29 * i, s.y = 300, s.area = 40, s.a = s.b = 1.3;
            stars.push_back(s);
            for (int y = 290; y < 310; ++y)
                for (int x = static_cast<int>(s.x) - 8; x < s.x + 8; ++x)
                    if (x >= 0 && x < 900) p.at(x, y) += static_cast<float>(500 * std::exp(-0.5 * (std::pow(x - s.x, 2) + std::pow(y - 300, 2)) / 1.7));
        }
        for (int y = 0; y < 600; ++y)
            for (int x = 0; x < 900; ++x) p.at(x, y) += static_cast<float>(60 * std::exp(-std::pow((y - 0.3 * x - 200) / 60, 2))); // a band of cloud
        QCOMPARE(trailsIn(p, stars), 0);
    }

    // --- the moon

    void theMoonsResponseIsFound() {
        auto f = night(30);
        for (std::size_t i = 0; i < f.size(); ++i) {
            f[i].moonlight_nL = 10.0 * static_cast<double>(i);
            f[i].level["G"] = 180 / 0.8 * (0.5 + 0.004 * *f[i].moonlight_nL); // e-/s/px at 0.8 e-/ADU
        }
        const auto run = judged(f, {}, "");
        const auto moon = moonResponse(*run, "G", 0.8);
        QVERIFY2(moon.ok(), moon.ok() ? "" : moon.error().message.c_str());
        QVERIFY(std::abs(moon->intercept - 0.5) < 1e-6 && std::abs(moon->slope - 0.004) < 1e-8);
        MoonResponse filter = *moon;
        filter.slope = 0.0002, filter.slopeSigma = 1e-5;
        QVERIFY(std::abs(moonRejection(filter, *moon)->value - 0.05) < 1e-6);
        QVERIFY(!moonRejection(*moon, {0, 0, 1e-6, 1e-5, 10}));
        for (const JudgedSub& s : run->subs) QVERIFY(s.keep);
        auto dark = night();
        QVERIFY(!moonResponse(*judged(dark, {}, ""), "G", 1).ok());
        for (SubFigures& x : dark) x.moonlight_nL = 0;
        QVERIFY(moonResponse(*judged(dark, {}, ""), "G", 1).error().message.find("changed") != std::string::npos);
    }

    /// More subs tell more, whatever their number, and the claimed error is the true one.
    void moreSubsTellMoreOfTheMoon() {
        double before = 1;
        for (const int n : {24, 60, 99, 102, 250, 1'000, 2'400}) { // all pairs up to a hundred, far ones beyond
            std::vector<double> off, claimed;
            for (unsigned long long seed = 1; seed <= 12; ++seed) {
                Random random(seed);
                JudgedRun run;
                for (int i = 0; i < n; ++i) {
                    SubFigures f;
                    f.exposure_s = 100;
                    f.moonlight_nL = 300 * std::pow(random.uniform(), 2);
                    f.level["G"] = 100 * (0.5 + 0.004 * *f.moonlight_nL + 0.05 * random.normal() + (i % 12 == 0 ? 0.6 : 0)); // some under a passing cloud
                    run.subs.emplace_back();
                    run.subs.back().figures = std::move(f);
                }
                const auto moon = moonResponse(run, "G", 1);
                QVERIFY(moon.ok());
                QCOMPARE(moon->subs, static_cast<std::size_t>(n));
                off.push_back((moon->slope - 0.004) / moon->slopeSigma), claimed.push_back(moon->slopeSigma);
            }
            const double sigma = median(std::span<double>(claimed));
            QVERIFY2(sigma < 1.03 * before, qPrintable(QString("%1 subs: %2 after %3").arg(n).arg(sigma).arg(before)));
            before = sigma;
            double square = 0;
            for (const double o : off) square += o * o / 12;
            QVERIFY2(square < 2.6, qPrintable(QString("%1 subs: %2").arg(n).arg(square))); // 99.5 % of such dozens
        }
    }
};

QTEST_GUILESS_MAIN(JudgingTest)
#include "judging_test.moc"

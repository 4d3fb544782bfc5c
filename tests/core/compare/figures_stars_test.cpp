#include "core/base/statistics.h"
#include "core/measure/halo_discs.h"
#include "core/measure/halo_sectors.h"
#include "core/model/flags.h"
#include "core/model/quantity.h"
#include "core/optics/spacing.h"
#include "support/harvests.h"

#include <QTest>

using namespace caelumen;
using harvests::Channel;
using harvests::Sheet;

namespace {

constexpr double kFlux = 1e5;

/// Light around a star: noise, and a disc where a filter made one.
HaloProfile around(double radius, double height, unsigned long long seed, double noise = 0.3) {
    Random random(seed);
    HaloProfile p;
    p.flux = kFlux, p.fluxSigma = 100, p.blind = 6, p.fwhm = 3;
    for (int i = 0; i < 140; ++i) {
        const double r = i + 0.5, pixels = std::max(1.0, 2 * M_PI * r / kHaloSectors);
        std::array<float, kHaloSectors> ring{};
        for (float& v : ring) v = static_cast<float>((radius > 0 ? height * discLight(r, radius, 0, 0.8) : 0) + noise / std::sqrt(pixels) * random.normal());
        p.sectors.push_back(ring);
        const auto [mean, sigma] = meanOverSectors(ring);
        p.value.push_back(mean), p.sigma.push_back(sigma);
    }
    return p;
}

Trial oneStar() {
    Trial t;
    Region star;
    star.id = "H1", star.role = RegionRole::HaloStar;
    t.regions.push_back(star);
    return t;
}

RunEvidence evidenceOf(std::vector<Channel>& channels) {
    RunEvidence out;
    for (const Channel& c : channels) out.planes.push_back(c.plane);
    return out;
}

Rig rigOf() {
    Rig rig;
    rig.pixel_um = 4;
    rig.gaps_mm["window"] = ghostGap_mm(40, 4, 4);
    return rig;
}

constexpr std::array kRing{q::haloRadius, q::haloRadiusArcsec, q::haloHole, q::haloOffset, q::haloOffsetAngle, q::haloGapMm};
constexpr std::array kAll{q::haloCleanMag, q::haloRadius, q::haloRadiusArcsec, q::haloHole, q::haloFluxFraction,
                          q::haloDepth,    q::haloOffset, q::haloOffsetAngle,  q::haloGapMm};

/// Halo figures of a star with (or, radius 0, without) a disc that the baseline does not show.
void haloOf(Sheet& s, Result<HaloProfile> own, Result<HaloProfile> theirs, const Rig& rig = rigOf()) {
    std::vector<Channel> run{Channel("G")}, base{Channel("G")};
    run[0].plane.halos.emplace("H1", std::move(own)), base[0].plane.halos.emplace("H1", std::move(theirs));
    RunEvidence evidence = evidenceOf(run), baseline = evidenceOf(base);
    Sky sky = run[0].sky();
    sky.plane = &evidence.planes[0], sky.noise = harvests::boxNoise(0.01);
    haloFigures(s.sheet, oneStar(), rig, {sky}, evidence, baseline);
}

void know(Sheet& s) {
    s.conditions.scale_arcsec = 2, s.conditions.focal_ratio = 4;
}

/// Stars of all colours in three channels; the filter takes `lost` of each magnitude of colour.
std::vector<Channel> starColours(double lost, double cast, int stars = 60) {
    Random random(3);
    std::vector<Channel> out{Channel("R"), Channel("G"), Channel("B")};
    for (int i = 0; i < stars; ++i) {
        const double colour = (1 - lost) * (i % 20 / 10.0) + cast, bright = 1e4 * (1 + random.uniform());
        for (Channel& c : out) {
            const double part = c.plane.channel == "R" ? 0 : c.plane.channel == "G" ? 0.5 : 1;
            c.plane.fluxes.push_back({bright * std::pow(10, -0.4 * part * colour), 1, 0, true});
        }
    }
    return out;
}

void coloursOf(Sheet& s, std::vector<Channel> run, std::vector<Channel> base) {
    RunEvidence evidence = evidenceOf(run), baseline = evidenceOf(base);
    colourFigures(s.sheet, evidence, baseline);
}

} // namespace

/// What lies around stars and what becomes of their colours, from what was harvested.
class FiguresStarsTest : public QObject {
    Q_OBJECT

private slots:
    void aDiscIsDescribed() {
        Sheet s;
        know(s);
        haloOf(s, around(40, 5, 1), around(0, 0, 2));
        for (const char* q : kAll) QVERIFY2(s.find(q, "G", "H1"), q);
        QVERIFY(std::abs(s.value(q::haloRadius, "G", "H1") - 40) < 4 * s.sigma(q::haloRadius, "G", "H1") + 0.3);
        QCOMPARE(s.value(q::haloRadiusArcsec, "G", "H1"), 2 * s.value(q::haloRadius, "G", "H1"));
        const double fraction = M_PI * 40 * 40 * 5 / kFlux;
        QVERIFY(std::abs(s.value(q::haloFluxFraction, "G", "H1") / fraction - 1) < 0.05);
        QVERIFY(std::abs(s.value(q::haloDepth, "G", "H1") + 2.5 * std::log10(5 / kFlux / 4)) < 0.05); // per square arcsecond
        QVERIFY(std::abs(s.value(q::haloGapMm, "G", "H1") - rigOf().gaps_mm["window"]) < 0.02);
        QVERIFY2(s.find(q::haloGapMm, "G", "H1")->note.find("window") != std::string::npos, s.find(q::haloGapMm, "G", "H1")->note.c_str());
        QVERIFY(s.find(q::haloHole, "G", "H1")->flagged(flag::upperLimit)); // a full disc: no hole is seen
        QVERIFY(s.isOrderly());
    }

    /// Star and disc twice as bright, noise too: the same halo.
    void brightnessCancels() {
        Sheet one, two;
        know(one), know(two);
        haloOf(one, around(40, 5, 1), around(0, 0, 2));
        const auto twice = [](HaloProfile p) {
            p.flux *= 2;
            for (double& v : p.value) v *= 2;
            for (double& v : p.sigma) v *= 2;
            for (auto& ring : p.sectors)
                for (float& v : ring) v *= 2;
            return p;
        };
        haloOf(two, twice(around(40, 5, 1)), twice(around(0, 0, 2)));
        for (const char* q : kAll) QVERIFY2(std::abs(two.value(q, "G", "H1") - one.value(q, "G", "H1")) < 1e-6 * (1 + std::abs(one.value(q, "G", "H1"))), q);
    }

    void noneIsALimit() {
        Sheet s;
        know(s);
        haloOf(s, around(0, 0, 11), around(0, 0, 12));
        for (const char* q : kRing) QVERIFY2(!s.find(q, "G", "H1") && !s.why(q, "G", "H1").empty(), q);
        for (const char* q : {q::haloFluxFraction, q::haloDepth, q::haloCleanMag}) QVERIFY2(s.find(q, "G", "H1")->flagged(flag::upperLimit), q);
        // A disc three times as bright as the limit is found.
        const double limit = s.value(q::haloFluxFraction, "G", "H1") * kFlux / (M_PI * 40 * 40);
        Sheet seen;
        know(seen);
        haloOf(seen, around(40, 3 * limit, 11), around(0, 0, 12));
        QVERIFY(seen.find(q::haloRadius, "G", "H1"));
        // Noisier frames exclude less.
        Sheet noisy;
        know(noisy);
        haloOf(noisy, around(0, 0, 11, 1.2), around(0, 0, 12, 1.2));
        QVERIFY(noisy.value(q::haloFluxFraction, "G", "H1") > 2 * s.value(q::haloFluxFraction, "G", "H1"));
        QVERIFY(s.isOrderly() && noisy.isOrderly());
    }

    void noiseIsNoHalo() {
        int limits = 0;
        for (unsigned long long k = 0; k < 100; ++k) {
            const HaloExcess e = haloExcess(around(0, 0, 2 * k + 1), around(0, 0, 2 * k + 2), 1, 0, 40);
            QVERIFY(e.rings.empty());
            limits += e.limit > 0;
        }
        QVERIFY2(limits >= 98, qPrintable(QString::number(limits)));
    }

    /// The baseline has the same disc: the filter adds nothing.
    void whatTheBaselineShowsIsNotTheFilters() {
        Sheet s;
        know(s);
        haloOf(s, around(40, 5, 1), around(40, 5, 2));
        QVERIFY(!s.find(q::haloRadius, "G", "H1") && !s.why(q::haloRadius, "G", "H1").empty());
    }

    void whatIsUnknownSaysWhy() {
        Sheet noScale, noRig, failed, base, other;
        haloOf(noScale, around(40, 5, 1), around(0, 0, 2));
        for (const char* q : {q::haloRadiusArcsec, q::haloDepth}) QVERIFY2(noScale.why(q, "G", "H1").find("pixel scale") != std::string::npos, q);
        QVERIFY(noScale.why(q::haloGapMm, "G", "H1").find("f-ratio") != std::string::npos && noScale.find(q::haloRadius, "G", "H1"));
        know(noRig);
        haloOf(noRig, around(40, 5, 1), around(0, 0, 2), {});
        QVERIFY(!noRig.find(q::haloGapMm, "G", "H1") && noRig.find(q::haloDepth, "G", "H1"));
        haloOf(failed, Error{"the star is gone"}, around(0, 0, 2));
        haloOf(base, around(40, 5, 1), Error{"the star is gone"});
        for (const char* q : kAll) {
            QCOMPARE(failed.why(q, "G", "H1"), std::string("the star is gone"));
            QVERIFY(base.why(q, "G", "H1").find("baseline") != std::string::npos && base.why(q, "G", "H1").find("the star is gone") != std::string::npos);
        }
        QVERIFY(noScale.isOrderly() && noRig.isOrderly() && failed.isOrderly() && base.isOrderly());
    }

    void coloursKeptOrLost() {
        Sheet s;
        coloursOf(s, starColours(0.25, 0.1), starColours(0, 0));
        QVERIFY(std::abs(s.value(q::colourSlope, "B-R") - 0.75) < 0.01);
        QVERIFY(std::abs(s.value(q::colourCast, "B-R") - (0.1 - 0.25 * 0.95)) < 0.03);
        QVERIFY(s.find(q::colourSlope, "B-R")->headline && !s.find(q::colourSlope, "B-G")->headline);
        QVERIFY(std::abs(s.value(q::colourSlope, "G-R") - 0.75) < 0.01);
        // The same stars in the same colours.
        Sheet same;
        coloursOf(same, starColours(0, 0), starColours(0, 0));
        QVERIFY(std::abs(same.value(q::colourSlope, "B-R") - 1) < 1e-3 && std::abs(same.value(q::colourCast, "B-R")) < 1e-3);
        QVERIFY(s.isOrderly() && same.isOrderly());
    }

    void coloursNeedStarsAndChannels() {
        Sheet mono, few, enough, oneColour;
        coloursOf(mono, {Channel("L")}, starColours(0, 0));
        QVERIFY(mono.results.measurements.empty());
        for (const char* index : {"B-R", "B-G", "G-R"}) QVERIFY(mono.why(q::colourSlope, index).find("three channels") != std::string::npos);
        coloursOf(few, starColours(0.2, 0, 7), starColours(0, 0, 7));
        QVERIFY(few.why(q::colourScatter, "B-R").find("fewer than 8") != std::string::npos);
        coloursOf(enough, starColours(0.2, 0, 20), starColours(0, 0, 20));
        QVERIFY(enough.find(q::colourSlope, "B-R")->flagged(flag::fewStars));
        coloursOf(oneColour, starColours(1, 0), starColours(1, 0));
        QVERIFY(oneColour.why(q::colourSlope, "B-R").find("one colour") != std::string::npos);
        QVERIFY(mono.isOrderly() && few.isOrderly() && enough.isOrderly() && oneColour.isOrderly());
    }

    /// A faint or burnt star in one channel of one run has no say in any.
    void starsMustBeGoodEverywhere() {
        auto run = starColours(0.25, 0);
        const auto base = starColours(0, 0);
        Sheet clean, spoilt;
        coloursOf(clean, run, base);
        for (std::size_t i = 0; i < 60; i += 3) {
            run[1].plane.fluxes[i].flux *= 30;
            (i % 2 ? run[1].plane.fluxes[i].usable : run[2].plane.fluxes[i].usable) = false;
        }
        coloursOf(spoilt, run, base);
        QVERIFY(std::abs(clean.value(q::colourSlope, "B-G") - spoilt.value(q::colourSlope, "B-G")) < 0.01);
    }
};

QTEST_GUILESS_MAIN(FiguresStarsTest)
#include "figures_stars_test.moc"

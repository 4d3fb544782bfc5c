#include "core/model/flags.h"
#include "core/model/quantity.h"
#include "support/harvests.h"

#include <QTest>

using namespace caelumen;
using harvests::Channel;
using harvests::Sheet;

/// Background, noise, gradient, banding and stars of one channel, from what was harvested of it.
class FiguresSkyTest : public QObject {
    Q_OBJECT

private slots:
    void aRunBesideItselfIsNoDifferent() {
        Channel own("G");
        own.noise = harvests::boxNoise(0.01);
        Sheet s;
        const Sky sky = own.sky();
        backgroundFigures(s.sheet, sky, &sky, 1);
        QCOMPARE(s.value(q::background, "G"), 2.0);
        QCOMPARE(s.value(q::backgroundRatio, "G"), 1.0);
        QCOMPARE(s.value(q::backgroundMag, "G"), 0.0);
        QCOMPARE(s.value(q::pixelNoise, "G"), 0.1);
        QCOMPARE(s.value(q::boxNoise, "G"), 0.01);
        QVERIFY(s.isOrderly());
    }

    void anotherUnitChangesRatesAndNoRatio() {
        Channel own("G", 0.5), base("G", 2);
        own.noise = harvests::boxNoise(0.01), base.noise = harvests::boxNoise(0.02);
        own.plane.sky.skew = 0.01;
        Sheet one, two;
        backgroundFigures(one.sheet, own.sky(), nullptr, 1);
        const Sky before = base.sky();
        Sheet ratio, ratioLater;
        backgroundFigures(ratio.sheet, own.sky(), &before, 1);
        own.scale(7), base.scale(7);
        backgroundFigures(two.sheet, own.sky(), nullptr, 1);
        const Sky after = base.sky();
        backgroundFigures(ratioLater.sheet, own.sky(), &after, 1);
        for (const char* q : {q::background, q::pixelNoise, q::boxNoise}) {
            QVERIFY2(std::abs(two.value(q, "G") / one.value(q, "G") / 7 - 1) < 1e-9, q);
            QVERIFY2(std::abs(two.sigma(q, "G") / one.sigma(q, "G") / 7 - 1) < 1e-9, q);
        }
        for (const char* q : {q::backgroundRatio, q::backgroundMag}) {
            QVERIFY2(std::abs(ratio.value(q, "G") / ratioLater.value(q, "G") - 1) < 1e-9, q);
            QVERIFY2(std::abs(ratio.sigma(q, "G") / ratioLater.sigma(q, "G") - 1) < 1e-9, q);
        }
        QCOMPARE(ratio.value(q::backgroundRatio, "G"), 0.25);
        QVERIFY(std::abs(ratio.value(q::backgroundMag, "G") - 1.50515) < 1e-5);
        QVERIFY(!one.find(q::backgroundRatio, "G") && one.why(q::backgroundRatio, "G").empty()); // a baseline has none
    }

    void perAreaOfTheSky() {
        Channel own("L", 1), base("L", 1);
        Sheet s;
        const Sky b = base.sky();
        backgroundFigures(s.sheet, own.sky(), &b, 4); // its pixels see four times as much sky
        QCOMPARE(s.value(q::backgroundRatio, "L"), 0.25);
    }

    void withoutAPedestalNothingIsAbsolute() {
        Channel own("G"), base("G");
        Sheet s;
        s.conditions.flags = {flag::pedestalUnknown};
        const Sky b = base.sky();
        backgroundFigures(s.sheet, own.sky(), &b, 1);
        gradientFigures(s.sheet, own.sky(), {});
        QVERIFY(s.find(q::background, "G")->flagged(flag::pedestalUnknown));
        for (const char* q : {q::backgroundRatio, q::backgroundMag, q::gradient, q::vignette}) {
            QVERIFY2(!s.find(q, "G"), q);
            QVERIFY2(s.why(q, "G").find("pedestal") != std::string::npos, q);
        }
        QVERIFY(s.find(q::gradientRate, "G") && s.find(q::pixelNoise, "G")); // what no level enters stays
        QVERIFY(s.isOrderly());
    }

    void whatStandsInForTheSky() {
        Channel own("G");
        own.plane.sky = {};
        Sheet model;
        backgroundFigures(model.sheet, own.sky(), nullptr, 1);
        QCOMPARE(model.value(q::background, "G"), own.surface.b0);
        QVERIFY(model.find(q::background, "G")->flagged(flag::noSkyRegion));
        own.surface.valid = false, own.plane.noise.value = 0;
        Sheet none;
        backgroundFigures(none.sheet, own.sky(), nullptr, 1);
        gradientFigures(none.sheet, own.sky(), {});
        QVERIFY(none.results.measurements.empty());
        for (const char* q : {q::background, q::pixelNoise, q::boxNoise, q::gradient, q::gradientResidual}) QVERIFY2(!none.why(q, "G").empty(), q);
    }

    void unseenStarsWidenTheError() {
        Channel plain("G"), skewed("G"), crowded("G");
        skewed.plane.sky.skew = 0.05;
        crowded.noise.unseenLight = 0.1;
        const auto sigmaOf = [](const Channel& c) { return backgroundOf(c.sky()).sigma; };
        QVERIFY(sigmaOf(skewed) > 5 * sigmaOf(plain) && sigmaOf(skewed) < 0.06);
        QVERIFY(sigmaOf(crowded) > 0.03 && sigmaOf(crowded) < 0.1);
        QCOMPARE(backgroundOf(skewed.sky()).level, backgroundOf(plain.sky()).level);
    }

    void structureIsSeenOrLimited() {
        Channel own("G");
        own.noise = harvests::boxNoise(0.01);
        own.noise.structure = 1e-4, own.noise.structureSigma = 1e-5;
        Sheet seen, limited, unknown;
        backgroundFigures(seen.sheet, own.sky(), nullptr, 1);
        QCOMPARE(seen.value(q::skyStructure, "G"), 0.01);
        QVERIFY(!seen.find(q::skyStructure, "G")->flagged(flag::upperLimit));
        own.noise.structure = -1e-6;
        backgroundFigures(limited.sheet, own.sky(), nullptr, 1);
        QVERIFY(limited.find(q::skyStructure, "G")->flagged(flag::upperLimit));
        QVERIFY(std::abs(limited.value(q::skyStructure, "G") - std::sqrt(3e-5)) < 1e-9);
        own.noise.source = NoiseSource::Unknown;
        backgroundFigures(unknown.sheet, own.sky(), nullptr, 1);
        QVERIFY(!unknown.find(q::skyStructure, "G") && !unknown.why(q::skyStructure, "G").empty());
    }

    /// A frame mirrored left and right has its gradient towards the other side, and the same size of it.
    void gradientsTurnWithTheFrame() {
        Channel own("G"), mirrored("G");
        own.surface.bx = 0.2, own.surface.by = 0.1, own.surface.q = -0.3, own.surface.residual = 0.004;
        mirrored.surface = own.surface;
        mirrored.surface.bx = -0.2;
        Sheet a, b;
        gradientFigures(a.sheet, own.sky(), {});
        gradientFigures(b.sheet, mirrored.sky(), {});
        for (const char* q : {q::gradient, q::gradientRate, q::vignette, q::gradientResidual}) {
            QCOMPARE(a.value(q, "G"), b.value(q, "G"));
            QCOMPARE(a.sigma(q, "G"), b.sigma(q, "G"));
        }
        QVERIFY(std::abs(a.value(q::gradientAngle, "G") + b.value(q::gradientAngle, "G") - 180) < 1e-9);
        const double half = 0.5 * std::hypot(600, 400);
        QVERIFY(std::abs(a.value(q::gradientRate, "G") - 2 * (0.2 * 299.5 + 0.1 * 199.5) / half) < 1e-12);
        QCOMPARE(a.value(q::gradient, "G"), a.value(q::gradientRate, "G") / 2);
        QCOMPARE(a.value(q::vignette, "G"), -0.15);
        QVERIFY(!a.find(q::gradientRate, "G")->flagged(flag::noiseLimited));
        Channel flat("G");
        Sheet none;
        flat.surface.bx = 1e-5;
        gradientFigures(none.sheet, flat.sky(), {});
        QVERIFY(none.find(q::gradientRate, "G")->flagged(flag::noiseLimited));
        QVERIFY(none.sigma(q::gradientAngle, "G") > 80); // it points nowhere
    }

    void bandsAreSeenOrLimited() {
        Channel own("G");
        own.plane.banding.rows = {1e-4, 1e-5, true, {}};
        own.plane.banding.columns = {1e-5, 1e-5, true, {}};
        Sheet s;
        artefactFigures(s.sheet, own.sky());
        QCOMPARE(s.value(q::bandingRows, "G"), 0.01);
        QVERIFY(s.find(q::bandingColumns, "G")->flagged(flag::upperLimit));
        QVERIFY(std::abs(s.value(q::bandingColumns, "G") - std::sqrt(4e-5)) < 1e-9);
        own.plane.banding.rows.valid = false;
        Sheet none;
        artefactFigures(none.sheet, own.sky());
        QVERIFY(!none.find(q::bandingRows, "G") && !none.why(q::bandingRows, "G").empty());
        QVERIFY(s.isOrderly() && none.isOrderly());
    }

    /// The level beneath a region: the surface, shifted to what the sky regions hold.
    void skyBeneathARegion() {
        Channel own("G");
        own.surface.bx = 0.4;
        own.plane.sky.mean = 2.5; // half a unit above what the surface says there
        const SurfaceBasis right{0.5, 0, 0.25};
        const RegionSky under = regionSky(own.sky(), {}, right, 1);
        QVERIFY(under.valid && !under.fallback);
        QCOMPARE(under.level, 2.7);
        QVERIFY(under.sigma > under.shared && under.shared > 0);
        // Hardly any free sky: a plane through three sky regions.
        own.surface.coverage = 0.2;
        std::vector<Region> regions;
        for (const auto& [id, u, v] : {std::tuple("S1", -0.5, -0.5), {"S2", 0.5, -0.5}, {"S3", 0.0, 0.5}}) {
            Region r;
            r.id = id, r.role = RegionRole::Sky;
            regions.push_back(r);
            own.region(id, 0.3 * u - 0.2 * v);
            own.plane.regions[id].basis = {u, v, u * u + v * v};
        }
        const RegionSky plane = regionSky(own.sky(), regions, {0.1, 0.2, 0.05}, 1);
        QVERIFY(plane.valid && plane.fallback);
        QVERIFY2(std::abs(plane.level - (2.5 + 0.03 - 0.04)) < 1e-6, qPrintable(QString::number(plane.level, 'g', 9)));
        own.plane.regions.clear(), own.surface.valid = false;
        QVERIFY(!regionSky(own.sky(), regions, right, 1).valid);
    }

    void starsAreCountedAndCompared() {
        Channel own("G"), base("G");
        for (Channel* c : {&own, &base}) {
            Psf psf;
            psf.fwhm = c == &own ? 3.3 : 3, psf.fwhmSigma = 0.03, psf.stars = 40, psf.eccentricity = 0.3;
            c->plane.stars.psf = psf;
            for (int i = 0; i < 40; ++i) {
                Star star;
                star.snr = i < 30 ? 20 : 4, star.saturated = i < 2;
                c->plane.stars.stars.push_back(star);
                c->plane.fluxes.push_back({c == &own ? 300.0 + i % 3 : 1000.0, 5, 0, i >= 2});
            }
        }
        Sheet s;
        const Sky b = base.sky();
        s.conditions.scale_arcsec = 2;
        starFigures(s.sheet, own.sky(), &b);
        QCOMPARE(s.value(q::starCount, "G"), 30.0);
        QVERIFY(std::abs(s.value(q::starDensity, "G") - 30 / (600 * 400 * std::pow(2 / 3600.0, 2))) < 1e-9);
        QCOMPARE(s.value(q::saturatedStars, "G"), 2.0);
        QCOMPARE(s.value(q::starFwhmArcsec, "G"), 2 * s.value(q::starFwhm, "G"));
        QVERIFY(std::abs(s.value(q::softness, "G") - 1.1) < 1e-12);
        QVERIFY(std::abs(s.value(q::starThroughput, "G") - 0.301) < 0.0011);
        QVERIFY(!s.why(q::starTilt, "G").empty());
        QVERIFY(s.isOrderly());
        // The other way round the ratios turn over; without a scale there is no density; seven stars are too few.
        Sheet turned, bare;
        const Sky o = own.sky();
        starFigures(turned.sheet, base.sky(), &o);
        QVERIFY(std::abs(turned.value(q::softness, "G") * s.value(q::softness, "G") - 1) < 1e-12);
        QVERIFY(std::abs(turned.value(q::starThroughput, "G") * s.value(q::starThroughput, "G") - 1) < 0.01);
        own.plane.fluxes.resize(9);
        own.plane.stars.psf.reset();
        starFigures(bare.sheet, own.sky(), &b);
        for (const char* q : {q::starDensity, q::starFwhm, q::starEccentricity, q::starThroughput}) QVERIFY2(!bare.why(q, "G").empty(), q);
        QVERIFY(bare.isOrderly());
    }
};

QTEST_GUILESS_MAIN(FiguresSkyTest)
#include "figures_sky_test.moc"

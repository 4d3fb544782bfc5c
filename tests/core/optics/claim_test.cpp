#include "core/optics/claim.h"

#include <QTest>

using namespace caelumen;

class ClaimTest : public QObject {
    Q_OBJECT

    const std::vector<Band> m_measured{{500.9, 7.2, 0.9, 0, 0}, {656.2, 6.8, 0.93, 0, 0}};

private slots:
    void trueClaimsHold() {
        for (const ClaimVerdict& v : checkClaims({{500.7, 7, 0.9}, {656.3, 7, 0.95}}, m_measured)) QVERIFY2(v.holds, v.text.c_str());
    }

    // Each fault alone is named, and only that.
    void everyFaultIsNamed() {
        const auto one = [&](BandClaim c) { return checkClaims({c}, m_measured).front(); };
        const ClaimVerdict centre = one({502.5, 7, 0.9}), width = one({500.7, 5, 0.9}), peak = one({500.7, 7, 0.97}), gone = one({672, 7, 0.9});
        QVERIFY(!centre.holds && centre.text.find("centre lies at 500.9") != std::string::npos && centre.text.find("wide") == std::string::npos);
        QVERIFY(!width.holds && width.text.find("7.2 nm wide, not 5") != std::string::npos);
        QVERIFY(!peak.holds && peak.text.find("90 %, not 97") != std::string::npos);
        QVERIFY(!gone.holds && !gone.measured && gone.text.find("no band there") != std::string::npos);
    }

    void whatIsNotSaidIsNotChecked() { QVERIFY(checkClaims({{500.7, std::nullopt, std::nullopt}}, m_measured).front().holds); }
    void betterThanClaimedIsNoFault() { QVERIFY(checkClaims({{656.3, 7, 0.7}}, m_measured).front().holds); }
    void tolerancesCanBeEdited() { QVERIFY(checkClaims({{502.5, 7, 0.9}}, m_measured, {3, 0.15, 0.05}).front().holds); }

    void aCurveOfClaimsIsWhatWasClaimed() {
        const std::vector<BandClaim> claims{{500.7, 4, 0.85}, {656.3, 7, std::nullopt}, {672, std::nullopt, std::nullopt}};
        const Curve c = curveOfClaims(claims);
        const auto bands = bandsOf(c);
        QCOMPARE(bands.size(), std::size_t{2}); // one without a width is no band
        for (const ClaimVerdict& v : checkClaims({claims[0], claims[1]}, bands)) QVERIFY2(v.holds, v.text.c_str());
        QVERIFY(std::abs(bands[0].fwhm_nm - 4) < 0.05 && std::abs(bands[0].peak - 0.85) < 1e-3 && std::abs(bands[1].peak - 0.9) < 1e-3);
        QVERIFY(c.at(580) < 1e-9 && c.covers(450) && !c.covers(800));
        QVERIFY(curveOfClaims({}).empty() && curveOfClaims({{656.3, std::nullopt, 0.9}}).empty());
    }

    // A maker's density is held against the worst place, as far as the curve's own digits tell.
    void aClaimedDensityIsJudged() {
        const auto worst = [](double od) { return Leaks{od + 0.5, od, 590, std::nullopt}; };
        QVERIFY(checkDensity(4, worst(4.2)).holds);
        QVERIFY(checkDensity(4, worst(3.95)).holds);
        const LeakVerdict wrong = checkDensity(4, worst(2.8));
        QVERIFY(!wrong.holds && wrong.known && wrong.text.find("2.8 at 590 nm, 16 times") != std::string::npos);
        // Whole tenths of a per cent tell densities down to 3: nothing seen proves no more than that.
        QVERIFY(checkDensity(3, worst(9), 1e-3).holds);
        QVERIFY(!checkDensity(4, worst(9), 1e-3).known);
        QVERIFY(!checkDensity(4, worst(3), 1e-3).known);
        QVERIFY(checkDensity(4, worst(2), 1e-3).known && !checkDensity(4, worst(2), 1e-3).holds);
        QVERIFY(!checkDensity(4, Leaks{}).known);
        QCOMPARE(finestStep({{400, 401, 402, 403, 404}, {0, 0.001, 0.9, 0.002, 0.001}}), 0.001);
        QCOMPARE(finestStep({{400, 401}, {0.5, 0.9}}), 0.0);
    }

    void contradictionsAreFoundInTheClaimsThemselves() {
        QVERIFY(contradictions({{500.7, 7, 0.9}, {656.3, 7, 0.9}}).empty());
        QCOMPARE(contradictions({{500.7, 20, 0.9}, {510, 20, 0.9}}).size(), std::size_t{1});
        QCOMPARE(contradictions({{500.7, 7, 1.1}}).size(), std::size_t{1});
        QCOMPARE(contradictions({{660.5, 3, 0.9}}).size(), std::size_t{1}); // misses the nearest line, at 658.35
        QVERIFY(contradictions({{560, 100, 0.9}}).empty());                 // broadband: made for no line
    }
};

QTEST_GUILESS_MAIN(ClaimTest)
#include "claim_test.moc"

#include "core/grid/light.h"
#include "core/optics/camera.h"

#include <QTest>

#include <algorithm>
#include <cmath>
#include <vector>

using namespace caelumen;

namespace {

/// Clear by so much between two wavelengths, dark beyond.
Curve band(double from_nm, double to_nm, double clear = 1) {
    return {{from_nm - 0.1, from_nm, to_nm, to_nm + 0.1}, {0, clear, clear, 0}};
}

const GridChannel& channel(const std::vector<GridChannel>& all, const char* name) {
    return *std::find_if(all.begin(), all.end(), [&](const GridChannel& c) { return c.name == name; });
}

double signalOf(const GridChannel& c, TargetKind kind) {
    return c.signal[static_cast<std::size_t>(kind)];
}

double skyOf(const GridChannel& c, SkySource source) {
    return c.sky[static_cast<std::size_t>(source)];
}

std::vector<GridChannel> through(const Curve& curve, const LineRatios& ratios = {}) {
    return gridChannels(curve, typicalCameras().front(), ratios);
}

} // namespace

/// Electrons of skies and targets behind a filter.
class GridLightTest : public QObject {
    Q_OBJECT

private slots:
    void lampsAreShares() {
        const std::array<double, kLamps> shares{0.4, 0.1, 0.2, 0.25, 0.05};
        const auto back = sharesOf(mixOf(shares));
        for (std::size_t k = 0; k < kLamps; ++k) QVERIFY(std::abs(back[k] - shares[k]) < 1e-12);
        // In any unit, nothing below zero, and all alike where nothing is known.
        const auto counted = sharesOf({6, 1.5, 3, 3.75, -2});
        double sum = 0;
        for (const double s : counted) {
            QVERIFY(s >= 0);
            sum += s;
        }
        QVERIFY(std::abs(sum - 1) < 1e-12);
        for (const double s : sharesOf({0, 0, 0, 0, 0})) QCOMPARE(s, 1.0 / kLamps);
    }

    void namesComeBack() {
        for (const TargetKind k : kTargetKinds) {
            QVERIFY(targetKind(targetKindName(k)) == k);
            QVERIFY(std::string(targetKindLabel(k)).size() > 4);
        }
        QVERIFY(!targetKind("comet"));
        DeepSky t;
        QVERIFY(targetKindOf(t) == TargetKind::Stars);
        t.hydrogen = 2, t.oxygen = 1;
        QVERIFY(targetKindOf(t) == TargetKind::Emission);
        t.oxygen = 3;
        QVERIFY(targetKindOf(t) == TargetKind::Oxygen);
        t.kind = "galaxy";
        QVERIFY(targetKindOf(t) == TargetKind::Galaxy);
    }

    /// Half as clear a filter passes half of everything.
    void lightGoesWithTransmission() {
        const auto all = through(band(400, 700)), half = through(band(400, 700, 0.5));
        QCOMPARE(all.size(), half.size());
        for (std::size_t i = 0; i < all.size(); ++i) {
            for (std::size_t k = 0; k < kSkySources; ++k) QVERIFY(std::abs(half[i].sky[k] / all[i].sky[k] - 0.5) < 1e-9);
            for (const TargetKind kind : kTargetKinds)
                if (signalOf(all[i], kind) > 0) QVERIFY(std::abs(signalOf(half[i], kind) / signalOf(all[i], kind) - 0.5) < 1e-9);
        }
    }

    /// Two bands that together are one pass together what the one does.
    void bandsAddUp() {
        const auto whole = through(band(420, 680)), lower = through(band(420, 550)), upper = through(band(550.1, 680));
        for (std::size_t i = 0; i < whole.size(); ++i)
            for (std::size_t k = 0; k < kSkySources; ++k)
                QVERIFY2(std::abs((lower[i].sky[k] + upper[i].sky[k]) / whole[i].sky[k] - 1) < 0.01, qPrintable(QString::number(k)));
    }

    void noFilterIsAnEmptyCurve() {
        const auto none = through({}), clear = through(band(340, 1'060));
        for (std::size_t i = 0; i < none.size(); ++i) {
            for (std::size_t k = 0; k < kSkySources; ++k) QVERIFY(std::abs(none[i].sky[k] / clear[i].sky[k] - 1) < 1e-9);
            QVERIFY(std::abs(signalOf(none[i], TargetKind::Emission) / signalOf(clear[i], TargetKind::Emission) - 1) < 1e-9);
        }
    }

    /// Seven nanometres about a line keep all of it, and hardly any of a sky in a continuum.
    void aNarrowBandKeepsItsLine() {
        const auto none = through({}), narrow = through(band(652.8, 659.8));
        const GridChannel &open = channel(none, "R"), &line = channel(narrow, "R");
        QVERIFY(signalOf(line, TargetKind::Emission) > 0.98 * signalOf(open, TargetKind::Emission));
        for (const SkySource s : {SkySource::LedWarm, SkySource::LedCool, SkySource::Moon}) {
            const double part = skyOf(line, s) / skyOf(open, s);
            QVERIFY2(part > 0.005 && part < 0.1, qPrintable(QString::number(part)));
        }
        QVERIFY(signalOf(line, TargetKind::Sulphur) == 0 && signalOf(line, TargetKind::Oxygen) == 0);
        QVERIFY(signalOf(line, TargetKind::Galaxy) < 0.1 * signalOf(open, TargetKind::Galaxy));
        // Low pressure sodium is a line of its own, far from it.
        QVERIFY(skyOf(line, SkySource::LowSodium) < 0.02 * skyOf(open, SkySource::LowSodium));
        QVERIFY(skyOf(channel(through(band(586, 593)), "R"), SkySource::LowSodium) > 0.7 * skyOf(open, SkySource::LowSodium));
    }

    /// Nitrogen lies beside hydrogen: three nanometres leave it out, seven take it in.
    void nitrogenCounts() {
        const LineRatios without{0}, rich{1};
        const Curve wide = band(652.8, 659.8), tight = band(655.0, 657.5);
        const double plain = signalOf(channel(through(wide, without), "R"), TargetKind::Emission);
        QVERIFY(std::abs(signalOf(channel(through(wide, rich), "R"), TargetKind::Emission) / plain - 2) < 0.03);
        QVERIFY(std::abs(signalOf(channel(through(tight, rich), "R"), TargetKind::Emission) / plain - 1) < 1e-6);
    }

    /// A magnitude is a factor, twice the rayleighs are twice the light, and it goes with the pixel's area of sky and of pupil.
    void ratesFollowBrightnessAndTelescope() {
        const auto all = through({});
        const GridChannel& c = channel(all, "G");
        PlanRig rig;
        for (const TargetKind kind : kTargetKinds) {
            if (shinesInLines(kind))
                QVERIFY(std::abs(signalRate(c, kind, 200, rig) / signalRate(c, kind, 100, rig) - 2) < 1e-9 || signalOf(c, kind) == 0);
            else
                QVERIFY(std::abs(signalRate(c, kind, 20, rig) / signalRate(c, kind, 22.5, rig) - 10) < 1e-9);
        }
        PlanRig wide = rig;
        wide.aperture_mm *= 2, wide.focal_mm *= 2; // the same f-ratio: the same light in a pixel
        QVERIFY(std::abs(signalRate(c, TargetKind::Galaxy, 21, wide) / signalRate(c, TargetKind::Galaxy, 21, rig) - 1) < 1e-9);
        PlanRig coarse = rig;
        coarse.pixel_um *= 2;
        QVERIFY(std::abs(signalRate(c, TargetKind::Galaxy, 21, coarse) / signalRate(c, TargetKind::Galaxy, 21, rig) - 4) < 1e-9);
    }
};

QTEST_GUILESS_MAIN(GridLightTest)
#include "light_test.moc"

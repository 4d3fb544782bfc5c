#include "core/image/fits_writer.h"
#include "core/prepare/photon_transfer.h"
#include "core/simulate/demo.h"
#include "core/simulate/demo_subs.h"
#include "core/simulate/virtual_subs.h"

#include <QTemporaryDir>
#include <QTest>

#include <cmath>

using namespace caelumen;
namespace fs = std::filesystem;

namespace {

VirtualRun cameraOf(SceneCamera camera, double gain, double readNoise, int width = 960, int height = 640) {
    const SimulatedTrial garden = demoTrials()[1];
    VirtualRun run = virtualRun(demoFilters()[1], camera, width, height, 2, 5, "2026-06-21T17:20:00Z", garden.trial.site, garden.trial.target, 60);
    run.scene.rig.gain_e_per_adu = gain;
    run.scene.rig.readNoise_e = readNoise;
    return run;
}

/// Writes frames of a made-up camera where `name` says.
struct Bench {
    QTemporaryDir folder;
    fs::path place(const char* name) const { return fs::path(folder.path().toStdString()) / name; }
    fs::path write(const VirtualRun& run, const char* name, const Plane& plane, const char* kind, double exposure_s) const {
        const Status done = writeFits(place(name), {&plane}, subCards(run, kind, exposure_s, "2026-06-21T16:00:00Z"), FitsPixels::UInt16);
        if (!done) qFatal("%s", done.error().message.c_str());
        return place(name);
    }
    std::vector<fs::path> flats(const VirtualRun& run, double level_e, int count, double exposure_s = 2, unsigned long long seed = 1) const {
        std::vector<fs::path> out;
        for (int i = 0; i < count; ++i) {
            const QByteArray name = QString("flat-%1-%2-%3.fits").arg(level_e).arg(seed).arg(i).toUtf8();
            out.push_back(write(run, name.constData(), photographFlat(run, level_e, seed * 100 + static_cast<unsigned long long>(i)), "flat", exposure_s));
        }
        return out;
    }
    std::vector<fs::path> biases(const VirtualRun& run, int count, unsigned long long seed = 7) const {
        std::vector<fs::path> out;
        for (int i = 0; i < count; ++i) {
            const QByteArray name = QString("bias-%1-%2.fits").arg(seed).arg(i).toUtf8();
            out.push_back(write(run, name.constData(), photographDark(run, 0, seed * 1000 + static_cast<unsigned long long>(i)), "bias", 0));
        }
        return out;
    }
};

double pull(double value, double truth, double sigma) {
    return (value - truth) / sigma;
}

} // namespace

class PhotonTransferTest : public QObject {
    Q_OBJECT

private slots:
    void twoFlatsAndTwoBiasesTellTheCamera_data() {
        QTest::addColumn<bool>("mono");
        QTest::addColumn<double>("gain");
        QTest::addColumn<double>("readNoise");
        QTest::newRow("mosaic, usual gain") << false << 0.78 << 1.6;
        QTest::newRow("mono, high gain") << true << 0.25 << 1.2;
        QTest::newRow("mono, coarse converter") << true << 2.4 << 4.5;
        QTest::newRow("mosaic, noisy old camera") << false << 1.3 << 9.0;
    }
    void twoFlatsAndTwoBiasesTellTheCamera() {
        QFETCH(bool, mono);
        QFETCH(double, gain);
        QFETCH(double, readNoise);
        const Bench bench;
        const VirtualRun run = cameraOf(mono ? SceneCamera::Mono : SceneCamera::Mosaic, gain, readNoise);
        const auto found = photonTransfer(bench.flats(run, std::min(22'000.0, gain * 30'000), 2), bench.biases(run, 2));
        QVERIFY2(found.ok(), found ? "" : found.error().message.c_str());
        QCOMPARE(found->sites.size(), std::size_t(mono ? 1 : 4));
        qInfo("gain %.4f +- %.4f (%.3f), read noise %.3f +- %.3f (%.2f)", found->gain_e_per_adu, found->gainSigma, gain, *found->readNoise_e,
              *found->readNoiseSigma_e, readNoise);
        QVERIFY(std::abs(found->gain_e_per_adu / gain - 1) < 0.01);
        QVERIFY(std::abs(*found->readNoise_e / readNoise - 1) < 0.03);
        QVERIFY(found->header_e_per_adu.has_value());
        for (const SiteTransfer& s : found->sites) {
            QVERIFY(std::abs(pull(s.gain_e_per_adu, gain, s.gainSigma)) < 4);
            QVERIFY(std::abs(pull(*s.readNoise_e, readNoise, *s.readNoiseSigma_e)) < 4);
            QVERIFY(!s.fullWell_e); // nothing reached it: nothing is claimed
            QVERIFY(s.curve.size() > 3);
            for (const TransferPoint& p : s.curve) { // what is drawn lies on its line
                const double line = p.signal_adu / gain + std::pow(readNoise / gain, 2);
                QVERIFY2(std::abs(pull(p.variance_adu2, line, p.sigma_adu2)) < 5,
                         qPrintable(QString("%1 %2").arg(p.variance_adu2 / line).arg(p.sigma_adu2 / line)));
            }
        }
    }

    void claimedErrorsAreTrue() {
        const Bench bench;
        const VirtualRun run = cameraOf(SceneCamera::Mono, 0.78, 1.6, 320, 256);
        int within1 = 0, read1 = 0;
        constexpr int kTimes = 60;
        double squares = 0, readSquares = 0;
        for (unsigned long long i = 0; i < kTimes; ++i) {
            const auto found = photonTransfer(bench.flats(run, 15'000, 2, 2, i + 1), bench.biases(run, 2, i + 1));
            QVERIFY(found.ok());
            const double p = pull(found->gain_e_per_adu, 0.78, found->gainSigma), q = pull(*found->readNoise_e, 1.6, *found->readNoiseSigma_e);
            within1 += std::abs(p) < 1, read1 += std::abs(q) < 1;
            squares += p * p / kTimes, readSquares += q * q / kTimes;
        }
        qInfo("gain: %d of %d within one sigma, rms pull %.2f; read noise: %d, %.2f", within1, kTimes, std::sqrt(squares), read1, std::sqrt(readSquares));
        QVERIFY(squares > 0.5 && squares < 1.7);
        QVERIFY(readSquares > 0.5 && readSquares < 1.7);
    }

    void lampThatChangesAndFramesInAnyOrderDoNoHarm() {
        const Bench bench;
        const VirtualRun run = cameraOf(SceneCamera::Mosaic, 0.78, 1.6);
        auto flats = bench.flats(run, 20'000, 1, 2, 1);
        const auto dimmer = bench.flats(run, 17'000, 1, 2, 2);
        flats.push_back(dimmer.front());
        const auto biases = bench.biases(run, 2);
        const auto one = photonTransfer(flats, biases);
        std::swap(flats[0], flats[1]);
        const auto other = photonTransfer(flats, {biases[1], biases[0]});
        QVERIFY(one.ok() && other.ok());
        QVERIFY(std::abs(one->gain_e_per_adu / 0.78 - 1) < 0.01);
        QVERIFY(std::abs(one->gain_e_per_adu / other->gain_e_per_adu - 1) < 0.002);
    }

    void whereWellsAreFullIsSeenInALight() {
        const Bench bench;
        VirtualRun run = cameraOf(SceneCamera::Mono, 0.78, 1.6);
        run.scene.rig.fullWell_e = 30'000;
        Plane light = photographFlat(run, 3'000, 77);
        for (int k = 0; k < 60; ++k)
            for (int j = 0; j < 4; ++j) light.at(10 + 7 * k, 20 + j) = static_cast<float>(30'000 / 0.78 + run.scene.rig.pedestal_adu + (k + j) % 5 - 2);
        const auto lights = std::vector{bench.write(run, "light.fits", light, "light", 60)};
        const auto found = photonTransfer(bench.flats(run, 15'000, 2), bench.biases(run, 2), lights);
        QVERIFY(found.ok() && found->fullWell_e);
        QVERIFY(std::abs(*found->fullWell_e / 30'000 - 1) < 0.015);
    }

    void lineBendsOnlyWhereTheCameraDoes() {
        const Bench bench;
        const VirtualRun run = cameraOf(SceneCamera::Mono, 0.78, 1.6, 480, 320);
        std::vector<fs::path> flats, bent;
        for (const double seconds : {1.0, 2.0, 4.0, 8.0}) {
            for (const fs::path& f : bench.flats(run, 3'000 * seconds, 2, seconds, static_cast<unsigned long long>(10 * seconds))) flats.push_back(f);
            const double level = 3'000 * seconds * (1 - 0.005 * seconds); // 4 % less at the brightest
            for (const fs::path& f : bench.flats(run, level, 2, seconds, static_cast<unsigned long long>(1000 * seconds))) bent.push_back(f);
        }
        const auto biases = bench.biases(run, 2);
        const auto straight = photonTransfer(flats, biases), curved = photonTransfer(bent, biases), one = photonTransfer({flats[0], flats[1]}, biases);
        QVERIFY(straight.ok() && curved.ok() && one.ok());
        QVERIFY(straight->sites[0].bend && std::abs(*straight->sites[0].bend) < 0.005);
        QVERIFY(curved->sites[0].bend && *curved->sites[0].bend < -0.02);
        QVERIFY(!one->sites[0].bend);
        QVERIFY(std::abs(straight->gain_e_per_adu / 0.78 - 1) < 0.01);
    }

    void framesThatCannotTellAreRefused() {
        const Bench bench;
        const VirtualRun run = cameraOf(SceneCamera::Mono, 0.78, 1.6, 320, 256);
        const auto flats = bench.flats(run, 15'000, 2), biases = bench.biases(run, 2);
        const auto refused = [](const Result<PhotonTransfer>& r, const char* word) {
            return !r.ok() && QString::fromStdString(r.error().message).contains(word);
        };
        QVERIFY(refused(photonTransfer({flats[0]}, biases), "two flats"));
        QVERIFY(refused(photonTransfer(flats, {biases[0]}), "two flats"));
        QVERIFY(refused(photonTransfer(biases, bench.biases(run, 2, 9)), "faint"));
        const VirtualRun other = cameraOf(SceneCamera::Mono, 0.78, 1.6, 200, 160);
        QVERIFY(refused(photonTransfer(flats, bench.biases(other, 2, 21)), "same camera"));
        QVERIFY(refused(photonTransfer({flats[0], "/nowhere/flat.fits"}, biases), "/nowhere/flat.fits"));
        // Smoothed frames are no raw frames, and it is said.
        std::vector<fs::path> smooth;
        for (int k = 0; k < 2; ++k) {
            const Plane raw = photographFlat(run, 15'000, static_cast<unsigned long long>(50 + k));
            Plane s = raw;
            for (int y = 0; y < raw.height(); ++y)
                for (int x = 1; x + 1 < raw.width(); ++x) s.at(x, y) = std::round((raw.at(x - 1, y) + raw.at(x, y) + raw.at(x + 1, y)) / 3);
            smooth.push_back(bench.write(run, k ? "smooth-1.fits" : "smooth-0.fits", s, "flat", 2));
        }
        const auto found = photonTransfer(smooth, biases);
        QVERIFY(found.ok() && !found->notes.empty() && QString::fromStdString(found->notes.front()).contains("resampled"));
    }
};

QTEST_APPLESS_MAIN(PhotonTransferTest)
#include "photon_transfer_test.moc"

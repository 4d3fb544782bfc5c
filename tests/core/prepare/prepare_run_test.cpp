#include "core/prepare/prepare_run.h"

#include "core/base/json.h"
#include "core/base/statistics.h"
#include "core/image/frame_file.h"
#include "core/simulate/demo.h"
#include "core/simulate/virtual_subs.h"

#include <QTemporaryDir>
#include <QTest>

#include <cmath>
#include <fstream>

using namespace caelumen;
namespace fs = std::filesystem;

namespace {

Site plateau() {
    Site s;
    s.name = "Stonefold plateau";
    s.latitude_deg = -32.4;
    s.longitude_deg = 21.6;
    s.elevation_m = 1450;
    s.bortle = 4;
    return s;
}

VirtualRun twelve(SceneCamera camera, int filter = 0, int width = 900) {
    VirtualRun run = virtualRun(demoFilters()[static_cast<std::size_t>(filter)], camera, width, width * 2 / 3, 12, 11, "2026-06-15T20:00:00Z", plateau(), {"NGC 6188", 250.1, -48.7});
    run.scene.id = "A";
    return run;
}

/// Something goes wrong in five of the twelve.
void spoil(VirtualRun& run) {
    const double w = run.scene.width, h = run.scene.height;
    run.subs[2].transparency *= 0.5;                                 // a cloud
    run.subs[4].drift_px = 9, run.subs[4].drift_deg = 30;            // tracking lost
    run.subs[6].fwhm_px = 5.5;                                       // out of focus
    run.subs[8].trails = {{-5, 0.2 * h, w + 5, 0.7 * h}};            // a satellite
    run.subs[10].sky = 2.2;                                          // a torch
}

/// Median and scatter of a plane's difference from what it should be, over the middle, stars apart by the median.
struct Difference {
    double middle = 0, sigma = 0;
};
Difference differenceOf(const Plane& stack, const Plane& truth, int rim) {
    std::vector<double> d;
    for (int y = rim; y < stack.height() - rim; ++y)
        for (int x = rim; x < stack.width() - rim; ++x)
            if (std::isfinite(stack.at(x, y))) d.push_back(static_cast<double>(stack.at(x, y) - truth.at(x, y)));
    Difference out;
    std::vector<double> room = d;
    out.middle = median(std::span<double>(room));
    out.sigma = robustSigma(room);
    return out;
}

} // namespace

class PrepareRunTest : public QObject {
    Q_OBJECT

    QTemporaryDir m_folder;
    fs::path at(const char* name) const { return fs::path(m_folder.path().toStdString()) / name; }

    /// What the stack of the kept subs should hold, ADU: the mean of their clean skies plus the reference's stars.
    static Plane truthOf(const VirtualRun& run, const PreparedRun& prepared, std::size_t channel, bool half) {
        // Flats are normalised to the median of their central half, not to the sensor's most sensitive place.
        const Plane flat = sensitivityOf(run);
        std::vector<double> middle;
        for (int y = flat.height() / 4; y < flat.height() * 3 / 4; ++y)
            for (int x = flat.width() / 4; x < flat.width() * 3 / 4; ++x) middle.push_back(static_cast<double>(flat.at(x, y)));
        const double factor = run.scene.sub_exposure_s / run.scene.rig.gain_e_per_adu * median(std::span<double>(middle));
        Plane sum;
        int n = 0;
        for (const JudgedSub& s : prepared.run.subs) {
            if (!s.keep) continue;
            const auto number = static_cast<std::size_t>(std::stoi(fs::path(s.figures.file).stem().string().substr(6)) - 1);
            VirtualSub sub = run.subs[number];
            const auto reference = static_cast<std::size_t>(std::stoi(fs::path(prepared.run.subs[prepared.run.reference].figures.file).stem().string().substr(6)) - 1);
            sub.alignment = run.subs[reference].alignment;
            const CleanPlane c = cleanPlanes(run, sub)[channel];
            if (sum.empty()) sum = Plane(c.sky.width(), c.sky.height());
            for (std::size_t i = 0; i < sum.size(); ++i) sum.data()[i] += c.sky.data()[i] + c.nebula.data()[i] + c.stars.data()[i];
            ++n;
        }
        for (std::size_t i = 0; i < sum.size(); ++i) sum.data()[i] *= static_cast<float>(factor / n);
        return half ? mosaicPlane(sum, *mosaicPattern(run.scene.mosaic, 0, 0, false, run.scene.height), static_cast<int>(channel)) : sum;
    }

private slots:
    void badSubsAreFoundAndTheStackIsTrue_data() {
        QTest::addColumn<int>("camera");
        QTest::addColumn<int>("filter");
        QTest::addColumn<bool>("full");
        QTest::newRow("mosaic, half size") << static_cast<int>(SceneCamera::Mosaic) << 0 << false;
        QTest::newRow("mosaic, full size") << static_cast<int>(SceneCamera::Mosaic) << 0 << true;
        QTest::newRow("mosaic, two lines") << static_cast<int>(SceneCamera::Mosaic) << 3 << false;
        QTest::newRow("monochrome") << static_cast<int>(SceneCamera::Mono) << 3 << false;
    }
    void badSubsAreFoundAndTheStackIsTrue() {
        QFETCH(int, camera);
        QFETCH(int, filter);
        QFETCH(bool, full);
        VirtualRun run = twelve(static_cast<SceneCamera>(camera), filter);
        spoil(run);
        const fs::path folder = at(QTest::currentDataTag());
        QVERIFY(writeVirtualRun(run, folder).ok());
        auto recipe = readSubsRecipe(folder / "subs.json");
        QVERIFY2(recipe.ok(), recipe.ok() ? "" : recipe.error().message.c_str());
        recipe->site = plateau();
        recipe->mosaic = full ? MosaicMode::Full : MosaicMode::Half;
        const fs::path out = folder / "stack.fits";
        const auto prepared = prepareRun(*recipe, out);
        QVERIFY2(prepared.ok(), prepared.ok() ? "" : prepared.error().message.c_str());
        const std::map<int, SubReason> expected{{2, SubReason::Cloud}, {4, SubReason::Trailed}, {6, SubReason::Soft}, {10, SubReason::BrightSky}};
        for (const JudgedSub& s : prepared->run.subs) {
            const int number = std::stoi(fs::path(s.figures.file).stem().string().substr(6)) - 1;
            const auto it = expected.find(number);
            const auto want = it == expected.end() ? SubReason::None : it->second;
            QVERIFY2(s.reason == want, qPrintable(QString("sub %1: %2 %3, transparency %4, FWHM %5, eccentricity %6").arg(number).arg(reasonName(s.reason), QString::fromStdString(s.words)).arg(s.figures.transparency.value_or(-1)).arg(s.figures.fwhm_px.value_or(-1)).arg(s.figures.eccentricity.value_or(-1))));
            QCOMPARE(s.figures.trails, number == 8 ? 1 : 0);
            // Laid on the reference to a tenth of a pixel.
            if (!s.alignment || want != SubReason::None) continue;
            const auto reference = std::stoi(fs::path(prepared->run.subs[prepared->run.reference].figures.file).stem().string().substr(6)) - 1;
            const Point middle{run.scene.width / 2.0, run.scene.height / 2.0};
            const Point sky = run.subs[static_cast<std::size_t>(reference)].alignment.unmap(middle), true_ = run.subs[static_cast<std::size_t>(number)].alignment.map(sky), found = s.alignment->map(middle);
            QVERIFY2(std::hypot(true_.x - found.x, true_.y - found.y) < 0.15, qPrintable(QString("sub %1: %2 %3").arg(number).arg(true_.x - found.x).arg(true_.y - found.y)));
        }
        const auto file = FrameFile::open(out);
        QVERIFY2(file.ok(), file.ok() ? "" : file.error().message.c_str());
        QCOMPARE(file->info().channels.size(), static_cast<std::size_t>(camera == static_cast<int>(SceneCamera::Mono) ? 1 : 3));
        QCOMPARE(file->info().facts.sub_count.value_or(0), 8);
        QCOMPARE(file->info().facts.pedestal_adu.value_or(-1), 0.0);
        for (std::size_t c = 0; c < file->info().channels.size(); ++c) {
            const auto stack = file->readChannel(c);
            QVERIFY(stack.ok());
            const Plane truth = truthOf(run, *prepared, c, !full && camera == static_cast<int>(SceneCamera::Mosaic));
            QCOMPARE(stack->width(), truth.width());
            const Difference d = differenceOf(*stack, truth, 20);
            const std::string& name = file->info().channels[c];
            const double noise = prepared->stack->noise.at(name), level = prepared->run.subs[0].figures.level.at(name);
            // The mean sky within a tenth of the noise of the stack (flats' roughness and masters' noise are in it), and the noise as promised.
            QVERIFY2(std::abs(d.middle) < 0.1 * noise + 0.001 * level, qPrintable(QString("%1: off by %2, noise %3, level %4").arg(QString::fromStdString(name)).arg(d.middle).arg(noise).arg(level)));
            QVERIFY2(d.sigma < 1.35 * noise && d.sigma > 0.75 * noise, qPrintable(QString("%1: scatter %2 where the halves promise %3").arg(QString::fromStdString(name)).arg(d.sigma).arg(noise)));
        }
        QVERIFY(!fs::exists(out.string() + ".work"));
    }
};

QTEST_GUILESS_MAIN(PrepareRunTest)
#include "prepare_run_test.moc"

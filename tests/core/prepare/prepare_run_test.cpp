#include "core/base/json.h"
#include "core/base/statistics.h"
#include "core/compare/run_facts.h"
#include "core/image/frame_file.h"
#include "core/prepare/lines.h"
#include "core/prepare/prepare_run.h"
#include "core/simulate/demo.h"
#include "core/simulate/virtual_subs.h"

#include <QTemporaryDir>
#include <QTest>
#include <fmt/format.h>
#include <fmt/ranges.h>

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

VirtualRun twelve(SceneCamera camera, int filter = 0, int width = 720) {
    VirtualRun run = virtualRun(demoFilters()[static_cast<std::size_t>(filter)], camera, width, width * 2 / 3, 12, 11, "2026-06-15T20:00:00Z", plateau(),
                                {"NGC 6188", 250.1, -48.7});
    run.scene.id = "A";
    return run;
}

/// Something goes wrong in five of the twelve.
void spoil(VirtualRun& run) {
    const double w = run.scene.width, h = run.scene.height;
    run.subs[2].transparency *= 0.5;                      // a cloud
    run.subs[4].drift_px = 9, run.subs[4].drift_deg = 30; // tracking lost
    run.subs[6].fwhm_px = 5.5;                            // out of focus
    run.subs[8].trails = {{-5, 0.2 * h, w + 5, 0.7 * h}}; // a satellite
    run.subs[10].sky = 2.2;                               // a torch
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
            const auto number = static_cast<std::size_t>(std::stoi(fs::path(s.figures->file).stem().string().substr(6)) - 1);
            VirtualSub sub = run.subs[number];
            const auto reference =
                static_cast<std::size_t>(std::stoi(fs::path(prepared.run.subs[prepared.run.reference].figures->file).stem().string().substr(6)) - 1);
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
            const int number = std::stoi(fs::path(s.figures->file).stem().string().substr(6)) - 1;
            const auto it = expected.find(number);
            const auto want = it == expected.end() ? SubReason::None : it->second;
            QVERIFY2(s.reason == want, qPrintable(QString("sub %1: %2 %3, transparency %4, FWHM %5, eccentricity %6")
                                                      .arg(number)
                                                      .arg(reasonName(s.reason), QString::fromStdString(s.words))
                                                      .arg(s.transparency.value_or(-1))
                                                      .arg(s.figures->fwhm_px.value_or(-1))
                                                      .arg(s.figures->eccentricity.value_or(-1))));
            QCOMPARE(s.figures->trails, number == 8 ? 1 : 0);
            // Laid on the reference to a tenth of a pixel.
            if (!s.alignment || want != SubReason::None) continue;
            const auto reference = std::stoi(fs::path(prepared->run.subs[prepared->run.reference].figures->file).stem().string().substr(6)) - 1;
            const Point middle{run.scene.width / 2.0, run.scene.height / 2.0};
            const Point sky = run.subs[static_cast<std::size_t>(reference)].alignment.unmap(middle),
                        true_ = run.subs[static_cast<std::size_t>(number)].alignment.map(sky), found = s.alignment->map(middle);
            QVERIFY2(std::hypot(true_.x - found.x, true_.y - found.y) < 0.15,
                     qPrintable(QString("sub %1: %2 %3").arg(number).arg(true_.x - found.x).arg(true_.y - found.y)));
        }
        const auto file = FrameFile::open(out);
        QVERIFY2(file.ok(), file.ok() ? "" : file.error().message.c_str());
        QCOMPARE(file->info().channels.size(), static_cast<std::size_t>(camera == static_cast<int>(SceneCamera::Mono) ? 1 : 3));
        QCOMPARE(file->info().facts.sub_count.value_or(0), 8);
        QCOMPARE(file->info().facts.pedestal_adu.value_or(-1), 0.0);
        QCOMPARE(file->info().facts.sources.count("interpolated"), full ? 1UL : 0UL);
        Trial trial; // nothing typed but what the run is
        trial.filters = {Filter{}};
        trial.filters[0].id = "f";
        trial.runs = {Run{}};
        trial.runs[0].id = "A", trial.runs[0].filter = "f", trial.runs[0].stack = out.string();
        const auto opened = openRun(trial, trial.runs[0], {});
        QVERIFY2(opened.ok() && opened->problem.empty(), opened.ok() ? opened->problem.c_str() : opened.error().message.c_str());
        const auto& flags = opened->conditions.flags;
        QCOMPARE(std::count(flags.begin(), flags.end(), "interpolated"), full ? 1 : 0);
        QCOMPARE(std::count(flags.begin(), flags.end(), "pedestal-unknown"), 0);
        for (std::size_t c = 0; c < file->info().channels.size(); ++c) {
            const auto stack = file->readChannel(c);
            QVERIFY(stack.ok());
            const Plane truth = truthOf(run, *prepared, c, !full && camera == static_cast<int>(SceneCamera::Mosaic));
            QCOMPARE(stack->width(), truth.width());
            const Difference d = differenceOf(*stack, truth, 20);
            const std::string& name = file->info().channels[c];
            const double noise = prepared->stack->noise.at(name), level = prepared->run.subs[0].figures->level.at(name);
            // The mean sky within a tenth of the noise of the stack (flats' roughness and masters' noise are in it), and the noise as promised.
            QVERIFY2(std::abs(d.middle) < 0.1 * noise + 0.001 * level,
                     qPrintable(QString("%1: off by %2, noise %3, level %4").arg(QString::fromStdString(name)).arg(d.middle).arg(noise).arg(level)));
            QVERIFY2(d.sigma < 1.35 * noise && d.sigma > 0.75 * noise,
                     qPrintable(QString("%1: scatter %2 where the halves promise %3").arg(QString::fromStdString(name)).arg(d.sigma).arg(noise)));
        }
        QVERIFY(!fs::exists(out.string() + ".work"));
    }

    /// A run that is broken off leaves no stack, and figures that need not be measured again; what a kill leaves half-written is passed over.
    void aBrokenRunGoesOnWhereItWas() {
        VirtualRun run = twelve(SceneCamera::Mosaic, 0, 480);
        run.subs.resize(5);
        const fs::path folder = at("broken"), out = folder / "stack.fits", notebook = out.string() + ".work";
        QVERIFY(writeVirtualRun(run, folder, {2, 2, 2}).ok());
        auto recipe = readSubsRecipe(folder / "subs.json");
        std::stop_source stop;
        Job job;
        job.stop = stop.get_token();
        int measured = 0;
        job.progress = [&](double, const std::string& what) {
            if (what.starts_with("Measuring") && ++measured == 4) stop.request_stop();
        };
        const auto broken = prepareRun(*recipe, out, job);
        QVERIFY(!broken.ok() && broken.error().message == kCancelled);
        QVERIFY(!fs::exists(out) && fs::exists(notebook));
        {
            std::ofstream cut(notebook, std::ios::app);
            cut << "{\"masters\": \"12"; // killed while writing
        }
        const auto measurer = SubMeasurer::make(*recipe);
        QVERIFY(measurer.ok());
        int fresh = 0;
        Job counting;
        const auto size = fs::file_size(notebook);
        const auto figures = measureSubs(recipe->lights, *measurer, *notebookOf(*recipe, *measurer, notebook), counting, [&](const SubFigures&) { ++fresh; });
        QVERIFY(figures.ok() && figures->size() == 5 && fresh == 5);
        QVERIFY(fs::file_size(notebook) < size * 5 / 2); // three were known, two were added
        // Broken again, while stacking.
        std::stop_source later;
        Job second;
        second.stop = later.get_token();
        int bands = 0;
        second.progress = [&](double, const std::string& what) {
            if (what == "Stacking" && ++bands == 2) later.request_stop();
        };
        recipe->maps = true;
        const auto judged = judgeRun(*figures, recipe->cull, "");
        QVERIFY(judged.ok() && !stackSubs(*recipe, *measurer, *judged, out, second, 0).ok());
        const fs::path shelf = out.string() + ".bands";
        QVERIFY(!fs::exists(out) && fs::exists(shelf));
        fs::resize_file(shelf, fs::file_size(shelf) - 1000); // killed while writing
        int again = 0;
        Job third;
        third.progress = [&](double part, const std::string& what) { again += what == "Stacking" && part < 1; };
        const auto resumed = stackSubs(*recipe, *measurer, *judged, out, third, 0);
        QVERIFY(resumed.ok() && !fs::exists(shelf));
        const auto anew = stackSubs(*recipe, *measurer, *judged, folder / "anew.fits", {});
        QVERIFY(anew.ok() && !fs::exists(folder / "anew.fits.bands"));
        QCOMPARE(again, 2); // of three bands one was whole
        const auto a = FrameFile::open(out)->readStored(1), b = FrameFile::open(folder / "anew.fits")->readStored(1);
        for (std::size_t i = 0; i < a->size(); ++i) QVERIFY(a->data()[i] == b->data()[i] || (std::isnan(a->data()[i]) && std::isnan(b->data()[i])));
        QVERIFY(std::abs(resumed->noise.at("G") / anew->noise.at("G") - 1) < 1e-4);
        const auto whole = prepareRun(*recipe, out);
        QVERIFY2(whole.ok(), whole.ok() ? "" : whole.error().message.c_str());
        QVERIFY(fs::exists(out) && !fs::exists(notebook));
        for (const auto& entry : fs::directory_iterator(folder)) QVERIFY2(entry.path().string().find(".part") == std::string::npos, entry.path().c_str());
    }

    void whatCannotBeStackedIsSaid() {
        VirtualRun run = twelve(SceneCamera::Mono, 0, 480);
        run.subs.resize(4);
        const fs::path folder = at("odd");
        QVERIFY(writeVirtualRun(run, folder, {2, 2, 0}).ok());
        auto recipe = readSubsRecipe(folder / "subs.json");
        QVERIFY(recipe.ok());
        // One sub is cut short, one is of another size: told, left out, and the rest is stacked.
        fs::resize_file(folder / "light-002.fits", 20'000);
        const Plane small(300, 200, 500);
        QVERIFY(writeFits(folder / "light-009.fits", {&small}, {}).ok());
        recipe->lights.push_back(folder / "light-009.fits");
        const auto some = prepareRun(*recipe, folder / "stack.fits");
        QVERIFY2(some.ok(), some.ok() ? "" : some.error().message.c_str());
        QCOMPARE(some->run.kept(), std::size_t{3});
        int said = 0;
        for (const JudgedSub& s : some->run.subs) {
            if (s.reason != SubReason::Unreadable) continue;
            ++said;
            QVERIFY2(s.words.find("light-00") != std::string::npos, s.words.c_str());
        }
        QCOMPARE(said, 2);
        const Json report = preparedToJson(*some);
        QCOMPARE(report["kept"].get<int>(), 3);
        QCOMPARE(report["subs"].size(), std::size_t{5});
        // Nothing kept; darks of another size; no room.
        recipe->cull.reject = {"*.fits"};
        QVERIFY(prepareRun(*recipe, folder / "none.fits").error().message.find("nothing to stack") != std::string::npos);
        recipe->cull = {};
        auto wrong = *recipe;
        wrong.darks = {folder / "light-009.fits"};
        QVERIFY(prepareRun(wrong, folder / "none.fits").error().message.find("light-009") != std::string::npos);
        const auto full = prepareRun(*recipe, "/dev/full/stack.fits");
        QVERIFY(!full.ok());
        QVERIFY(!fs::exists(folder / "none.fits"));
    }

    void darksAndFlatsAreChosen() {
        VirtualRun run = twelve(SceneCamera::Mono, 0, 320);
        run.subs.resize(1);
        const fs::path folder = at("choose");
        QVERIFY(writeVirtualRun(run, folder, {3, 3, 3}).ok());
        const auto write = [&](const char* name, const VirtualRun& r, const char* kind, double seconds, const Plane& p) {
            return writeFits(folder / name, {&p}, subCards(r, kind, seconds, ""), FitsPixels::UInt16).ok();
        };
        VirtualRun warm = run;
        warm.sensor.temperature_c = 5;
        QVERIFY(write("warm.fits", warm, "Dark", 120, photographDark(warm, 120, 1)));
        QVERIFY(write("long.fits", run, "Dark", 600, photographDark(run, 600, 1)));
        QVERIFY(write("full.fits", run, "Flat", 1, photographFlat(run, 60'000, 1)));
        VirtualRun other = run;
        other.scene.filter.name = "Another filter";
        QVERIFY(write("other.fits", other, "Flat", 1, photographFlat(other, 22'000, 1)));
        auto recipe = readSubsRecipe(folder / "subs.json");
        QVERIFY(recipe.ok());
        const FrameInfo light = FrameFile::open(recipe->lights.front())->info();
        const auto said = [](const Calibration& c, const char* what) {
            return std::any_of(c.warnings.begin(), c.warnings.end(), [&](const std::string& w) { return w.find(what) != std::string::npos; }) ||
                   std::any_of(c.history.begin(), c.history.end(), [&](const std::string& h) { return h.find(what) != std::string::npos; });
        };
        for (const char* extra : {"warm.fits", "long.fits"}) recipe->darks.push_back(folder / extra);
        for (const char* extra : {"full.fits", "other.fits"}) recipe->flats.push_back(folder / extra);
        auto c = makeCalibration(*recipe, light);
        QVERIFY2(c.ok(), c.ok() ? "" : c.error().message.c_str());
        QVERIFY(said(*c, "3 of 5 frames, 120 s at -10 C") && said(*c, "1 of 5 flats are of another filter") && said(*c, "saturated") &&
                said(*c, "flat: mean of 3"));
        recipe->darks = {folder / "warm.fits"};
        c = makeCalibration(*recipe, light);
        QVERIFY(said(*c, "dark current is not fully removed"));
        recipe->darks = {folder / "long.fits"};
        c = makeCalibration(*recipe, light);
        QVERIFY(said(*c, "scaled"));
        recipe->biases.clear();
        c = makeCalibration(*recipe, light);
        QVERIFY(said(*c, "cannot be scaled"));
        recipe->flatSchool = FlatSchool::Subtract;
        c = makeCalibration(*recipe, light);
        QVERIFY(!c.ok() && c.error().message.find("of the subs' length") != std::string::npos); // flats of a second are no diffuser frames
        QVERIFY(write("diffuser.fits", run, "Flat", 120, photographFlat(run, 3'000, 1)));
        recipe->flats = {folder / "diffuser.fits"};
        c = makeCalibration(*recipe, light);
        QVERIFY2(c.ok(), c.ok() ? "" : c.error().message.c_str());
        QVERIFY(said(*c, "transmission is not corrected"));
        recipe->flats = {folder / "full.fits"};
        recipe->flatSchool = FlatSchool::Divide;
        QVERIFY(said(*makeCalibration(*recipe, light), "No usable flat"));
        recipe->flats.clear(), recipe->darks.clear();
        recipe->rig.pedestal_adu.reset();
        c = makeCalibration(*recipe, light);
        QVERIFY(c->dark.empty() && said(*c, "stays unknown") && !c->zeroKnown);
    }

    /// Light that leaked into darks is told by its slope, or because it does not grow as a current does; a warm sensor and the glow of electronics at its rim
    /// are neither.
    void lightInDarksIsTold() {
        VirtualRun run = twelve(SceneCamera::Mono, 0, 320);
        run.subs.resize(1);
        const fs::path folder = at("leaks");
        QVERIFY(writeVirtualRun(run, folder, {3, 0, 3}).ok());
        auto recipe = readSubsRecipe(folder / "subs.json");
        QVERIFY(recipe.ok());
        const FrameInfo light = FrameFile::open(recipe->lights.front())->info();
        const auto leaks = [&](const std::vector<fs::path>& darks) {
            recipe->darks = darks;
            const auto c = makeCalibration(*recipe, light);
            return c.ok() &&
                   std::any_of(c->warnings.begin(), c->warnings.end(), [](const std::string& w) { return w.find("light leaked in") != std::string::npos; });
        };
        const auto write = [&](const char* name, double seconds, auto leak) {
            std::vector<fs::path> out;
            for (int k = 0; k < 3; ++k) {
                Plane p = photographDark(run, seconds, static_cast<unsigned long long>(40 + k));
                for (int y = 0; y < p.height(); ++y)
                    for (int x = 0; x < p.width(); ++x)
                        p.at(x, y) += static_cast<float>(leak(static_cast<double>(x) / p.width(), static_cast<double>(y) / p.height()));
                out.push_back(folder / (name + std::to_string(k) + ".fits"));
                if (!writeFits(out.back(), {&p}, subCards(run, "Dark", seconds, ""), FitsPixels::UInt16).ok()) out.clear();
            }
            return out;
        };
        QVERIFY(!leaks(write("clean", 120, [](double, double) { return 0; })));
        QVERIFY(!leaks(write("warm", 120, [](double, double) { return 400; })));
        QVERIFY(!leaks(write("glow", 120, [](double x, double) { return 300 * std::exp((x - 1) / 0.05); }))); // at one rim
        QVERIFY(leaks(write("slope", 120, [](double x, double) { return 40 * x; })));
        QVERIFY(leaks(write("corner", 120, [](double x, double y) { return 60 * x * y; })));
        auto both = write("short", 60, [](double, double) { return 50; });
        const auto longer = write("long", 300, [](double, double) { return 50; });
        both.insert(both.end(), longer.begin(), longer.end());
        QVERIFY(leaks(both)); // the same in a fifth of the time
        auto current = write("cool", 60, [](double, double) { return 20; });
        const auto more = write("cool-long", 300, [](double, double) { return 100; });
        current.insert(current.end(), more.begin(), more.end());
        QVERIFY(!leaks(current));
    }

    void aSkyBelowZeroIsTold() {
        VirtualRun run = twelve(SceneCamera::Mono, 0, 320);
        run.subs.resize(4);
        const fs::path folder = at("below");
        QVERIFY(writeVirtualRun(run, folder, {0, 3, 0}).ok());
        std::vector<fs::path> darks;
        for (int k = 0; k < 3; ++k) {
            Plane p = photographDark(run, 120, static_cast<unsigned long long>(60 + k));
            for (std::size_t i = 0; i < p.size(); ++i) p.data()[i] += 9'000;
            darks.push_back(folder / fmt::format("lit{}.fits", k));
            QVERIFY(writeFits(darks.back(), {&p}, subCards(run, "Dark", 120, ""), FitsPixels::UInt16).ok());
        }
        auto recipe = readSubsRecipe(folder / "subs.json");
        QVERIFY(recipe.ok());
        const auto told = [&] {
            const auto made = prepareRun(*recipe, folder / "stack.fits");
            if (!made) return QString::fromStdString(made.error().message);
            return QString::fromStdString(fmt::format("{}", fmt::join(made->warnings, " ")));
        };
        QVERIFY(!told().contains("below zero"));
        recipe->darks = darks;
        QVERIFY2(told().contains("below zero"), qPrintable(told()));
    }

    void linesAreSeparated() {
        LineMatrix plain;
        const LineWeights w = lineWeights(plain, {5, 2, 4});
        QVERIFY(std::abs(w.red[0] - 1) < 1e-9 && std::abs(w.red[1]) < 1e-9);
        QVERIFY(std::abs(w.oxygen[1] - 0.8) < 1e-9 && std::abs(w.oxygen[2] - 0.2) < 1e-9); // 1/4 against 1/16
        // Crosstalk known: light of one line alone leaves nothing in the other.
        const LineMatrix mixed{{0.6, 0.05, 0.02}, {0.03, 0.5, 0.4}, LineMatrix::Source::FilterAndCamera, false};
        const LineWeights m = lineWeights(mixed, {3, 3, 3});
        double hydrogenInOxygen = 0, oxygenInOxygen = 0;
        for (std::size_t c = 0; c < 3; ++c) hydrogenInOxygen += m.oxygen[c] * mixed.red[c], oxygenInOxygen += m.oxygen[c] * mixed.oxygen[c];
        QVERIFY(std::abs(hydrogenInOxygen) < 1e-9 && std::abs(oxygenInOxygen - 0.45) < 1e-9);
        // The scale is the line's through this camera, whatever the noise; without a curve the camera still tells it.
        const Camera& camera = typicalCamera("colour-cut");
        const LineMatrix bare = lineMatrix({}, camera);
        QVERIFY(bare.source == LineMatrix::Source::Camera && bare.oxygen[1] > bare.oxygen[2] && bare.oxygen[2] > 0.05);
        for (const std::array<double, 3> noise : {std::array{3.0, 3.0, 3.0}, {5.0, 1.0, 9.0}, {2.0, 30.0, 1.0}}) {
            const LineWeights b = lineWeights(bare, noise);
            double line = 0;
            for (std::size_t c = 0; c < 3; ++c) line += b.oxygen[c] * bare.oxygen[c];
            QVERIFY(std::abs(line - (bare.oxygen[1] + bare.oxygen[2]) / 2) < 1e-9);
        }

        VirtualRun run = twelve(SceneCamera::Mosaic, 3, 480);
        run.subs.resize(4);
        const fs::path folder = at("lines");
        QVERIFY(writeVirtualRun(run, folder, {3, 3, 3}).ok());
        auto recipe = readSubsRecipe(folder / "subs.json");
        recipe->halves = recipe->maps = true;
        const fs::path out = folder / "b.fits";
        const auto prepared = prepareRun(*recipe, out);
        QVERIFY2(prepared.ok(), prepared.ok() ? "" : prepared.error().message.c_str());
        for (const JudgedSub& s : prepared->run.subs) QVERIFY2(s.keep, s.words.c_str());
        QCOMPARE(prepared->stack->files.size(), std::size_t{6});
        for (const fs::path& f : prepared->stack->files) QVERIFY2(FrameFile::open(f).ok(), f.c_str());
        QCOMPARE(*FrameFile::open(folder / "b-odd.fits")->info().facts.sub_count, 2);
        // The map of errors and the halves agree on the noise of the sky.
        const auto spread = FrameFile::open(folder / "b-noise.fits")->readChannel(1);
        std::vector<double> errors;
        for (std::size_t i = 0; i < spread->size(); ++i)
            if (std::isfinite(spread->data()[i])) errors.push_back(static_cast<double>(spread->data()[i]));
        const double typical = median(std::span<double>(errors)), promised = prepared->stack->noise.at("G");
        QVERIFY2(std::abs(typical / promised - 0.89) < 0.15,
                 qPrintable(QString("%1 %2").arg(typical).arg(promised))); // the median of a sigma from four values is 0.89 of it
        const auto lines = writeLines(out, {});
        QVERIFY2(lines.ok(), lines.ok() ? "" : lines.error().message.c_str());
        const auto red = FrameFile::open(lines->red)->readChannel(0), stack = FrameFile::open(out)->readChannel(0);
        QCOMPARE(red->at(100, 80), stack->at(100, 80));
        const Status sum = addOxygen({lines->oxygen, lines->oxygen}, folder / "sum.fits");
        QVERIFY2(sum.ok(), sum.ok() ? "" : sum.error().message.c_str());
        const auto one = FrameFile::open(lines->oxygen)->readChannel(0), two = FrameFile::open(folder / "sum.fits")->readChannel(0);
        QVERIFY2(std::abs(one->at(120, 90) - two->at(120, 90)) < 0.01F, qPrintable(QString("%1 %2").arg(one->at(120, 90)).arg(two->at(120, 90))));
        QVERIFY(!writeLines(lines->red, {}).ok());
        QVERIFY(!addOxygen({lines->oxygen}, folder / "x.fits").ok());
    }
};

QTEST_GUILESS_MAIN(PrepareRunTest)
#include "prepare_run_test.moc"

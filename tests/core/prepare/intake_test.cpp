#include "core/base/json.h"
#include "core/image/fits_writer.h"
#include "core/image/frame_file.h"
#include "core/image/stored_rows.h"
#include "core/model/trial_json.h"
#include "core/prepare/intake.h"
#include "core/simulate/scenario.h"

#include <QTemporaryDir>
#include <QTest>
#include <tiffio.h>

#include <fstream>

using namespace caelumen;
namespace fs = std::filesystem;

class IntakeTest : public QObject {
    Q_OBJECT

    QTemporaryDir m_folder;
    fs::path at(const std::string& name) const { return fs::path(m_folder.path().toStdString()) / name; }

    void frame(const std::string& name, std::vector<HeaderCard> cards, int width = 40) const {
        fs::create_directories(at(name).parent_path());
        const Plane p(width, 30, 100);
        cards.push_back({"GAIN", 100.0, ""});
        QVERIFY(writeFits(at(name), {&p}, cards, FitsPixels::UInt16).ok());
    }

    /// A camera raw file as small as one can be: a DNG with a mosaic and a few facts.
    static void writeDng(const fs::path& path, int width, int height) {
        TIFF* t = TIFFOpen(path.c_str(), "w");
        QVERIFY(t);
        const std::uint8_t version[] = {1, 4, 0, 0}, pattern[] = {0, 1, 1, 2};
        const std::uint16_t dim[] = {2, 2};
        const float matrix[] = {1, 0, 0, 0, 1, 0, 0, 0, 1}, neutral[] = {0.5F, 1, 0.6F};
        TIFFSetField(t, TIFFTAG_DNGVERSION, version);
        TIFFSetField(t, TIFFTAG_UNIQUECAMERAMODEL, "Made-up camera");
        TIFFSetField(t, TIFFTAG_MAKE, "Nobody");
        TIFFSetField(t, TIFFTAG_MODEL, "One");
        TIFFSetField(t, TIFFTAG_SUBFILETYPE, 0);
        TIFFSetField(t, TIFFTAG_IMAGEWIDTH, width);
        TIFFSetField(t, TIFFTAG_IMAGELENGTH, height);
        TIFFSetField(t, TIFFTAG_BITSPERSAMPLE, 16);
        TIFFSetField(t, TIFFTAG_SAMPLESPERPIXEL, 1);
        TIFFSetField(t, TIFFTAG_PHOTOMETRIC, 32803);
        TIFFSetField(t, TIFFTAG_PLANARCONFIG, PLANARCONFIG_CONTIG);
        TIFFSetField(t, TIFFTAG_COMPRESSION, COMPRESSION_NONE);
        TIFFSetField(t, TIFFTAG_ROWSPERSTRIP, height);
        TIFFSetField(t, TIFFTAG_CFAREPEATPATTERNDIM, dim);
        TIFFSetField(t, TIFFTAG_CFAPATTERN, 4, pattern);
        TIFFSetField(t, TIFFTAG_COLORMATRIX1, 9, matrix);
        TIFFSetField(t, TIFFTAG_ASSHOTNEUTRAL, 3, neutral);
        std::vector<std::uint16_t> row(static_cast<std::size_t>(width));
        for (int y = 0; y < height; ++y) {
            for (int x = 0; x < width; ++x) row[static_cast<std::size_t>(x)] = static_cast<std::uint16_t>(1000 + 10 * y + x);
            TIFFWriteScanline(t, row.data(), static_cast<std::uint32_t>(y), 0);
        }
        TIFFClose(t);
    }

private slots:
    void framesAreToldApart() {
        const std::vector<HeaderCard> garden{{"SITELONG", 22.4, ""}};
        const auto light = [&](const char* filter, const char* start, const char* kind = "Light Frame") {
            return std::vector<HeaderCard>{{"IMAGETYP", std::string(kind), ""},    {"FILTER", std::string(filter), ""},
                                           {"OBJECT", std::string("IC 2944"), ""}, {"EXPTIME", 180.0, ""},
                                           {"DATE-OBS", std::string(start), ""},   {"SITELONG", 22.4, ""}};
        };
        frame("a/1.fits", light("Open", "2026-06-21T22:30:00"));
        frame("a/2.fits", light("Open", "2026-06-22T01:30:00")); // after midnight: the same night
        frame("a/3.fits", light("Two lines", "2026-06-21T23:30:00"));
        frame("a/4.fits", light("Open", "2026-06-22T20:30:00"));
        frame("a/flat1.fits", {{"IMAGETYP", std::string("Flat Field"), ""},
                               {"FILTER", std::string("Open"), ""},
                               {"EXPTIME", 2.0, ""},
                               {"DATE-OBS", std::string("2026-06-22T05:00:00"), ""},
                               {"SITELONG", 22.4, ""}});
        frame("a/flat2.fits", {{"IMAGETYP", std::string("Flat Field"), ""},
                               {"FILTER", std::string("Open"), ""},
                               {"EXPTIME", 2.0, ""},
                               {"DATE-OBS", std::string("2026-06-10T05:00:00"), ""},
                               {"SITELONG", 22.4, ""}});
        frame("a/flat3.fits", {{"IMAGETYP", std::string("Flat Field"), ""}, {"FILTER", std::string("Two lines"), ""}, {"EXPTIME", 2.0, ""}});
        frame("darks/x1.fits", {{"EXPTIME", 180.0, ""}, {"CCD-TEMP", -10.2, ""}}); // by its folder
        frame("b/darkflat_1.fits", {{"EXPTIME", 2.0, ""}});
        frame("b/Bias-1.fits", {{"EXPTIME", 0.001, ""}});
        frame("b/other.fits", {{"IMAGETYP", std::string("Dark"), ""}, {"EXPTIME", 180.0, ""}}, 60); // of another camera
        std::ofstream(at("a/broken.fits")) << "SIMPLE  = nonsense";
        std::ofstream(at("a/notes.txt")) << "no frame";
        std::ofstream(at("a/5.fits.123.part")) << "being written";
        const auto files = framesBeneath(m_folder.path().toStdString());
        QCOMPARE(files.size(), std::size_t{12});
        const auto frames = takeInAll(files);
        const auto of = [&](const char* name) {
            return *std::find_if(frames.begin(), frames.end(), [&](const IntakeFrame& f) { return f.path.filename() == name; });
        };
        QCOMPARE(of("x1.fits").kind, FrameKind::Dark);
        QVERIFY(of("x1.fits").guessed);
        QCOMPARE(of("darkflat_1.fits").kind, FrameKind::FlatDark);
        QCOMPARE(of("Bias-1.fits").kind, FrameKind::Bias);
        QCOMPARE(of("flat1.fits").kind, FrameKind::Flat);
        QCOMPARE(of("2.fits").night, std::string("2026-06-21"));
        QVERIFY(!of("broken.fits").problem.empty());
        const auto groups = groupFrames(frames);
        QCOMPARE(std::count_if(groups.begin(), groups.end(), [](const FrameGroup& g) { return g.kind == FrameKind::Light; }), 3);
        const FrameGroup& open = groups.front();
        QCOMPARE(open.filter, std::string("Open"));
        QCOMPARE(open.frames.size(), std::size_t{2});
        QCOMPARE(open.total_s, 360.0);
        const SubsRecipe recipe = recipeFor(open, frames);
        QCOMPARE(recipe.lights.size(), std::size_t{2});
        QCOMPARE(recipe.flats.size(), std::size_t{1}); // of the nearest night
        QCOMPARE(recipe.flats.front().filename().string(), std::string("flat1.fits"));
        QCOMPARE(recipe.darks.size(), std::size_t{1}); // not the other camera's
        QCOMPARE(recipe.flatDarks.size(), std::size_t{1});
        QCOMPARE(recipe.biases.size(), std::size_t{1});
    }

    void anotherTemperatureIsAnotherRun() {
        std::vector<IntakeFrame> frames(6);
        const double temperatures[] = {-10.2, -9.6, -10, 5, 5.4, -9};
        for (std::size_t i = 0; i < 6; ++i) {
            frames[i].path = "/s/" + std::to_string(i) + ".fits";
            frames[i].exposure_s = 60, frames[i].temperature_c = temperatures[i];
            frames[i].start = "2026-06-21T20:0" + std::to_string(i) + ":00Z";
        }
        auto groups = groupFrames(frames);
        QCOMPARE(groups.size(), std::size_t{2});
        QCOMPARE(groups[0].frames, (std::vector<std::size_t>{0, 1, 2, 5})); // by time again
        QCOMPARE(groups[1].total_s, 120.0);
        frames[3].temperature_c.reset();
        QCOMPARE(groupFrames(frames).size(), std::size_t{3}); // a silent header stands alone
    }

    void recipesAreReadAndWritten() {
        frame("r/l1.fits", {});
        frame("r/l2.fits", {});
        const auto read = [&](const std::string& text) { return subsRecipeFromJson(*parseJson(text, "s.json"), "s.json", at("r")); };
        const auto good = read(
            R"({"caelumen_subs":1,"rig":{"gain_e_per_adu":0.8},"run":{"id":"B","filter":"duo7","sub_exposure_s":180},"mosaic":"full","lights":["l*.fits","l1.fits"],
                                  "combine":{"method":"mean","reject":"winsor","low":4,"high":3},"cull":{"auto":false,"keep":["l1.fits"],"limits":{"fwhm":1.5}},"reference":null})");
        QVERIFY2(good.ok(), good.ok() ? "" : good.error().message.c_str());
        QCOMPARE(good->lights.size(), std::size_t{2});
        QVERIFY(good->mosaic == MosaicMode::Full && good->combine.reject == Rejection::Winsor && good->combine.low == 4 && !good->cull.automatic &&
                good->cull.limits.fwhm == 1.5);
        QCOMPARE(*good->rig.gain_e_per_adu, 0.8);
        const auto again = subsRecipeFromJson(subsRecipeToJson(*good), "again", "/");
        QVERIFY(again.ok());
        QCOMPARE(subsRecipeToJson(*again).dump(), subsRecipeToJson(*good).dump());
        for (const char* bad :
             {R"({})", R"({"caelumen_subs":2,"lights":["l1.fits"]})", R"({"caelumen_subs":1})", R"({"caelumen_subs":1,"lights":[]})",
              R"({"caelumen_subs":1,"lights":["gone*.fits"]})", R"({"caelumen_subs":1,"lights":"l1.fits"})",
              R"({"caelumen_subs":1,"lights":["l1.fits"],"mosaic":"quarter"})", R"({"caelumen_subs":1,"lights":["l1.fits"],"combine":{"low":-1}})",
              R"({"caelumen_subs":1,"lights":["l1.fits"],"combine":3})", R"({"caelumen_subs":1,"lights":["l1.fits"],"cull":{"keep":[1]}})",
              R"({"caelumen_subs":1,"lights":["l1.fits"],"rig":{"gain_e_per_adu":-2}})", R"({"caelumen_subs":1,"lights":[7]})", R"([1])"}) {
            const auto r = read(bad);
            QVERIFY2(!r.ok() && r.error().message.find("s.json") != std::string::npos, bad);
        }
        QVERIFY(isMeant("/a/b/l1.fits", "b/l1.fits") && isMeant("/a/b/l1.fits", "l?.fits") && !isMeant("/a/b/l1.fits", "1.fits") && !isMeant("/a/l1.fits", ""));
    }

    void cameraRawIsReadAsItLies() {
        writeDng(at("one.dng"), 64, 48);
        const auto file = FrameFile::open(at("one.dng"));
        QVERIFY2(file.ok(), file.ok() ? "" : file.error().message.c_str());
        QCOMPARE(file->info().width, 64);
        QCOMPARE(file->info().mosaic->name, std::string("RGGB"));
        const auto stored = file->readStored(0);
        QVERIFY(stored.ok());
        QCOMPARE(stored->at(5, 7), 1075.0F);
        const auto rows = StoredRows::open(*file);
        std::vector<float> two(128);
        QVERIFY(rows.ok() && rows->read(0, 10, 2, two.data()).ok());
        QCOMPARE(two[64], 1110.0F);
        QCOMPARE(file->readChannel(0)->at(3, 2), 1046.0F); // the red site of that cell
        fs::resize_file(at("one.dng"), 300);
        QVERIFY(!FrameFile::open(at("one.dng")).ok() || !FrameFile::open(at("one.dng"))->readStored(0).ok());
        std::ofstream(at("two.nef")) << "no raw at all";
        QVERIFY(FrameFile::open(at("two.nef")).error().message.find("two.nef") != std::string::npos);
    }

    void scenariosAreReadOrRefused() {
        const auto read = [&](const std::string& text) { return scenarioFromJson(*parseJson(text, "n.json"), "n.json", at("")); };
        const auto good = read(
            R"({"caelumen_scenario":1,"width":240,"height":200,"sub_count":3,"filters":[{"id":"open"},{"id":"mine","name":"Mine"}],"site":{"latitude_deg":-34,"longitude_deg":22,"bortle":5},
                                  "target":{"name":"IC 2944","ra_deg":174.5,"dec_deg":-63},"calibration":{"darks":1,"flats":1,"biases":1},"events":[{"kind":"cloud","sub":2,"transparency":0.3},{"kind":"flip","from":3,"to":3,"filter":"open"}]})");
        QVERIFY2(good.ok(), good.ok() ? "" : good.error().message.c_str());
        QCOMPARE(good->runs.size(), std::size_t{2});
        QVERIFY(good->runs[0].subs[1].transparency < 0.31 && good->runs[0].subs[0].transparency > 0.8);
        QVERIFY(std::abs(std::abs(good->runs[0].subs[2].alignment.rotation_deg) - 180) < 1 && std::abs(good->runs[1].subs[2].alignment.rotation_deg) < 1);
        const Status written = writeScenario(*good, at("night"));
        QVERIFY2(written.ok(), written.ok() ? "" : written.error().message.c_str());
        QVERIFY(readSubsRecipe(at("night/A-open/subs.json")).ok() && fs::exists(at("night/truth.json")));
        for (const char* bad : {R"({})", R"({"caelumen_scenario":1})", R"({"caelumen_scenario":1,"filters":[{"id":"open"}],"width":5})",
                                R"({"caelumen_scenario":1,"filters":[{"id":"open"}],"events":[{"kind":"rain"}]})",
                                R"({"caelumen_scenario":1,"filters":[{"id":"x","curve":"gone.csv"}]})",
                                R"({"caelumen_scenario":1,"filters":[{"id":"open"}],"start":"yesterday"})",
                                R"({"caelumen_scenario":1,"filters":[{"id":"open"}],"camera":"film"})",
                                R"({"caelumen_scenario":1,"filters":[{"id":"open"}],"rig":{"focal_length_mm":2,"pixel_um":20},"width":1000,"height":1000})"})
            QVERIFY2(!read(bad).ok(), bad);
    }
};

QTEST_GUILESS_MAIN(IntakeTest)
#include "intake_test.moc"

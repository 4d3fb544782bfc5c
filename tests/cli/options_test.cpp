#include "core/base/file.h"
#include "core/base/json.h"
#include "core/base/statistics.h"
#include "core/image/fits_writer.h"
#include "support/program.h"
#include "support/scenes.h"

#include <cmath>

using namespace caelumen;

/// What the options of the small commands do to their answers: by what must rise, fall or stay, not by examples.
class OptionsTest : public QObject {
    Q_OBJECT

    scenes::Folder m_folder;

    Ran run(const QStringList& arguments) const { return runProgram(CAELUMEN_CLI, m_folder.path(), arguments); }
    Json told(QStringList arguments) const {
        const Ran r = run(arguments << "--json");
        if (r.code != 0) qFatal("%s: %s", qPrintable(arguments.join(' ')), r.err.constData());
        return Json::parse(r.out.toStdString());
    }
    /// The one band of the test's filter in a cone.
    Json band(const QStringList& cone) const { return told(QStringList{"passband", "band.csv"} + cone)["bands"][0]; }
    static double centre(const Json& band) { return band["effective"]["center_nm"].get<double>(); }

    /// Figures of one filter of the trial under one sky.
    Json cell(const QStringList& options) const {
        const Json grid = told(QStringList{"grid", "trial/trial.json"} + options);
        for (const Json& c : grid["cells"])
            if (c["filter"] == "duo7") return c;
        qFatal("no cell of duo7");
    }
    double background(const QStringList& options) const { return cell(options)["background"]["G"].get<double>(); }

private slots:
    void initTestCase() {
        QVERIFY(writeTrial(scenes::smallTrial({"open", "duo7"}, 480), m_folder.path()).ok());
        QVERIFY(writeFile(m_folder / "band.csv", "nm,T\n640,0\n652,0\n653,0.9\n660,0.9\n661,0\n680,0\n").ok());
    }

    void conesShiftBandsToTheBlue() {
        const Json slow = band({"--f-ratio", "1000"});
        QVERIFY(std::abs(centre(slow) - slow["center_nm"].get<double>()) < 1e-3); // as good as parallel light
        double before = centre(slow);
        for (const char* faster : {"8", "5", "3", "2"}) {
            const double here = centre(band({"--f-ratio", faster}));
            QVERIFY2(here < before, faster);
            before = here;
        }
        // A hole in the middle leaves the steep rays; a denser stack of layers bends them less; a tilted filter adds to it.
        const double plain = centre(band({"--f-ratio", "3"}));
        QVERIFY(centre(band({"--f-ratio", "3", "--obstruction", "0.5"})) < plain - 0.05);
        QVERIFY(centre(band({"--f-ratio", "3", "--n-eff", "2.1"})) > plain + 0.05);
        QVERIFY(centre(band({"--f-ratio", "3", "--tilt", "5"})) < plain - 0.1);
        QCOMPARE(centre(band({"--f-ratio", "3", "--tilt", "0", "--obstruction", "0"})), plain);
        // Parallel light at a tilt: the law of one ray, lambda sqrt(1 - (sin t / n)^2).
        const double tilted = centre(band({"--f-ratio", "1000", "--tilt", "10", "--n-eff", "1.8"}));
        const double law = slow["center_nm"].get<double>() * std::sqrt(1 - std::pow(std::sin(10 * M_PI / 180) / 1.8, 2));
        QVERIFY2(std::abs(tilted - law) < 0.02, qPrintable(QString("%1 for %2").arg(tilted).arg(law)));
        for (const QStringList& bad : {QStringList{"--tilt", "50"}, {"--n-eff", "1"}, {"--obstruction", "1"}})
            QCOMPARE(run(QStringList{"passband", "band.csv", "--f-ratio", "3"} + bad).code, 2);
    }

    /// A full circle more in longitude is the same place; some kilometres up move the moon by its parallax and nothing else.
    void placesAreWhereTheyAre() {
        const auto sky = [&](const QStringList& place) {
            return told(QStringList{"sky", "--time", "2026-06-21T19:00:00Z", "--ra", "250", "--dec", "-48.6"} + place);
        };
        const Json west = sky({"--lat", "-33", "--lon", "-70.5"}), same = sky({"--lat", "-33", "--lon", "289.5"});
        for (const char* of : {"sun", "moon", "target"})
            for (const char* angle : {"alt_deg", "az_deg"}) QVERIFY(std::abs(west[of][angle].get<double>() - same[of][angle].get<double>()) < 1e-6);
        const Json high = sky({"--lat", "-33", "--lon", "-70.5", "--elevation", "5000"});
        QVERIFY(std::abs(high["target"]["alt_deg"].get<double>() - west["target"]["alt_deg"].get<double>()) < 1e-3);
        const double moved = std::abs(high["moon"]["alt_deg"].get<double>() - west["moon"]["alt_deg"].get<double>());
        QVERIFY2(moved < 0.01, qPrintable(QString::number(moved))); // 5 km of 380 000
        QVERIFY(high["moon"]["distance_km"].get<double>() != west["moon"]["distance_km"].get<double>());
        // Words say what the numbers say.
        const QByteArray words = run({"sky", "--lat", "-33", "--lon", "-70.5", "--time", "2026-06-21T19:00:00Z", "--ra", "250", "--dec", "-48.6"}).out;
        QVERIFY(words.contains(QByteArray::number(west["sun"]["alt_deg"].get<double>(), 'f', 2)) && words.contains("from the moon"));
        QCOMPARE(run({"sky", "--lat", "-33", "--lon", "-70.5", "--elevation", "99999", "--time", "2026-06-21T19:00:00Z", "--ra", "1", "--dec", "1"}).code, 2);
    }

    void brighterSkiesGiveMoreBackground() {
        double before = 0;
        for (const char* mag : {"21.8", "20.5", "19", "17.5"}) {
            const double here = background({"--sky-mag", mag});
            QVERIFY2(here > before, mag);
            before = here;
        }
        // A reading and the class that it is give the same cell.
        const Json classed = cell({"--bortle", "6"});
        const double asRead = background({"--sky-mag", QString::number(classed["sky_mag"].get<double>(), 'f', 6)});
        QVERIFY2(std::abs(asRead / classed["background"]["G"].get<double>() - 1) < 0.01, qPrintable(QString::number(asRead)));
        // Nearer to the horizon there is more air that shines; a moon adds to it, the more the nearer it stands.
        QVERIFY(background({"--bortle", "4", "--altitude", "25"}) > background({"--bortle", "4", "--altitude", "80"}));
        const double dark = background({"--bortle", "3", "--moon", "none"}), far = background({"--bortle", "3", "--moon", "0.9,50,100"}),
                     near = background({"--bortle", "3", "--moon", "0.9,50,20"});
        QVERIFY(near > far && far > dark);
        for (const QStringList& bad :
             {QStringList{"--sky-mag", "30"}, {"--altitude", "0"}, {"--brightness", "-1"}, {"--f-ratio", "0"}, {"--camera", "nobody's"}})
            QCOMPARE(run(QStringList{"grid", "trial/trial.json", "--bortle", "4"} + bad).code, 2);
    }

    /// A fainter nebula needs more hours, by the square where the sky is bright; what the camera is like stands in a file of anybody's.
    void hoursFollowTheNebulaAndTheCamera() {
        const auto hours = [&](const QStringList& options) {
            const Json c = cell(QStringList{"--bortle", "7", "--quantity", "hours"} + options);
            return c["value"].is_null() ? 0.0 : c["value"].get<double>();
        };
        const double bright = hours({"--brightness", "100"}), faint = hours({"--brightness", "50"});
        QVERIFY2(bright > 0 && faint > 3.5 * bright && faint < 4.5 * bright, qPrintable(QString("%1 %2").arg(bright).arg(faint)));
        QVERIFY(writeFile(m_folder / "blind.json", R"({"caelumen_camera": 1, "name": "Blind in red", "pixel_um": 3.8, "gains": [{"setting": 0, "e_per_adu": 1}],
            "channels": [{"name": "R", "points": [[300, 0], [400, 0.05], [700, 0.05], [1000, 0]]}, {"name": "G", "points": [[300, 0], [400, 0.5], [700, 0.5], [1000, 0]]}]})")
                    .ok());
        const Ran own = run({"grid", "trial/trial.json", "--bortle", "5", "--camera", "blind.json"});
        QVERIFY2(own.code == 0, own.err);
        const Ran broken = run({"grid", "trial/trial.json", "--bortle", "5", "--camera", "band.csv"});
        QVERIFY2(broken.code == 2 && broken.err.contains("band.csv"), broken.err);
    }

    /// Poisson light of a known gain on a known read noise, as flats and biases.
    void aCamerasNumbersComeOutOfItsFrames() {
        constexpr double kGain = 1.25, kRead = 4, kOffset = 300, kTop = 30'000;
        unsigned seed = 1;
        const auto frame = [&](const std::string& name, double electrons) {
            Random random(seed++);
            Plane plane(200, 200);
            for (int y = 0; y < 200; ++y)
                for (int x = 0; x < 200; ++x) {
                    const double e = electrons > 0 ? random.poisson(electrons) : 0;
                    plane.at(x, y) = static_cast<float>(std::round(std::min(kTop, (e + kRead * random.normal()) / kGain + kOffset)));
                }
            return writeFits(m_folder / name.c_str(), {&plane}, {{"EGAIN", 2.0, ""}}, FitsPixels::UInt16).ok(); // a header that is wrong
        };
        QStringList flats{"--flats"}, biases{"--biases"};
        for (const char* pair : {"a", "b"})
            for (const double level : {4000.0, 9000.0, 15'000.0}) {
                const std::string name = std::string("flat-") + pair + std::to_string(static_cast<int>(level)) + ".fits";
                QVERIFY(frame(name, level));
                flats << QString::fromStdString(name);
            }
        for (const char* name : {"bias-1.fits", "bias-2.fits", "bias-3.fits", "bias-4.fits"}) {
            QVERIFY(frame(name, 0));
            biases << name;
        }
        const Json t = told(QStringList{"transfer"} + flats + biases);
        const double gain = t["gain_e_per_adu"].get<double>(), sigma = t["gain_sigma"].get<double>();
        QVERIFY2(std::abs(gain - kGain) < 5 * sigma && sigma < 0.02 * kGain, qPrintable(QString("%1 +- %2").arg(gain).arg(sigma)));
        const double read = t["read_noise_e"].get<double>(), readSigma = t["read_noise_sigma_e"].get<double>();
        QVERIFY2(std::abs(read - std::sqrt(kRead * kRead + kGain * kGain / 12)) < 5 * readSigma + 0.01 * kRead, qPrintable(QString::number(read)));
        QCOMPARE(t["header_e_per_adu"].get<double>(), 2.0);
        QVERIFY(t["full_well_e"].is_null()); // nothing is full
        // More pairs know it better, and the order of the files is nobody's business.
        QStringList turned = flats;
        std::reverse(turned.begin() + 1, turned.end());
        QVERIFY(std::abs(told(QStringList{"transfer"} + turned + biases)["gain_e_per_adu"].get<double>() / gain - 1) < 1e-3);
    }

    /// Only the swaps count when that is asked for: fewer steps, and never more certain.
    void swapsAloneTellLess() {
        std::string rows = "second,filter,value\n";
        Random random(7);
        for (int i = 0; i < 64; ++i)
            rows += std::to_string(120 * i) + ((i / 4 + 1) / 2 % 2 ? ",duo," : ",open,") +
                    std::to_string(0.05 * random.normal() + ((i / 4 + 1) / 2 % 2 ? 0.1 : 0)) + "\n";
        QVERIFY(writeFile(m_folder / "night.csv", rows).ok());
        const auto pair = [&](const QStringList& more) { return told(QStringList{"evidence", "night.csv"} + more)["tables"][0]["pairs"][0]; };
        const Json all = pair({}), swaps = pair({"--swaps-only"});
        QVERIFY(swaps["steps"].get<int>() < all["steps"].get<int>() && swaps["steps"].get<int>() > 4);
        QVERIFY(swaps["sigma"].get<double>() > 0 && std::abs(swaps["difference"].get<double>() - all["difference"].get<double>()) <
                                                        4 * std::hypot(swaps["sigma"].get<double>(), all["sigma"].get<double>()));
        // Who wants to be surer waits longer, and the range at all looks is wider.
        const Json sure = pair({"--alpha", "0.0001"});
        QCOMPARE(sure["difference"].get<double>(), all["difference"].get<double>());
        QVERIFY(all["told_apart"] == true);
        QVERIFY(sure["told_at"].is_null() || sure["told_at"].get<double>() >= all["told_at"].get<double>());
        QVERIFY(!all["low"].is_null() && !sure["low"].is_null() && sure["low"].get<double>() < all["low"].get<double>());
    }

    /// Larger and smaller, one night alone: what the demo's options promise.
    void demosAreAsLargeAsAsked() {
        QCOMPARE(run({"demo", "--out", "small", "--width", "320", "--trial", "roof-full-moon"}).code, 0);
        std::vector<std::string> trials;
        for (const auto& entry : std::filesystem::directory_iterator(m_folder / "small"))
            if (std::filesystem::exists(entry.path() / "trial.json")) trials.push_back(entry.path().filename().string());
        QCOMPARE(trials.size(), std::size_t{1});
        QCOMPARE(trials.front(), std::string("roof-full-moon"));
        const Json frames = told(
            {"frames",
             QString("small/roof-full-moon/%1")
                 .arg(QString::fromStdString(Json::parse(*readText(m_folder / "small/roof-full-moon/trial.json"))["runs"][0]["stack"].get<std::string>()))});
        QVERIFY(frames.dump().find("320") != std::string::npos);
        const Ran nobody = run({"demo", "--out", "none", "--trial", "nowhere"});
        QVERIFY2(nobody.code != 0 && nobody.err.contains("nowhere") && !std::filesystem::exists(m_folder / "none/trial.json"), nobody.err);
        QCOMPARE(run({"demo", "--out", "none", "--width", "12"}).code, 2);
    }
};

QTEST_GUILESS_MAIN(OptionsTest)
#include "options_test.moc"

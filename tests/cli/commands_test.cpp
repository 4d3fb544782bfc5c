#include "core/base/file.h"
#include "core/base/json.h"
#include "core/base/text.h"
#include "core/image/fits_writer.h"
#include "core/model/trial_json.h"
#include "support/program.h"
#include "support/scenes.h"

#include <QDir>

using namespace caelumen;
namespace fs = std::filesystem;

/// The real program, as scripts call it.
class CommandsTest : public QObject {
    Q_OBJECT

    scenes::Folder m_folder;

    Ran run(const QStringList& arguments, const char* language = nullptr) const { return runProgram(CAELUMEN_CLI, m_folder.path(), arguments, language); }

private slots:
    void initTestCase() { QVERIFY(writeTrial(scenes::smallTrial({"open", "duo7"}, 640), m_folder.path()).ok()); }

    void measureWritesJsonAndCsv() {
        const Ran r = run({"measure", "trial/trial.json", "--out", "r.json", "--csv", "r.csv"});
        QVERIFY2(r.code == 0, r.err);
        QVERIFY(r.out.isEmpty());
        const auto text = readText(m_folder / "r.json");
        const Json j = Json::parse(*text);
        QCOMPARE(j["caelumen_results"].get<int>(), 1);
        QVERIFY(j["measurements"].size() > 50);
        const Ran direct = run({"measure", "trial/trial.json"});
        QCOMPARE(direct.code, 0);
        QCOMPARE(direct.out.toStdString(), *text);
        QVERIFY(readText(m_folder / "r.csv")->starts_with("run,filter,channel,quantity,region,value,sigma,unit,flags"));
    }

    /// A desktop that writes commas and another language: the same bytes.
    void theDesktopsLanguageChangesNoFile() {
        for (const auto& [command, file] : {std::pair{"measure", "out.json"}, {"report", "out.html"}}) {
            const QString first = QString("c-") + file, second = QString("de-") + file;
            QCOMPARE(run({command, "trial/trial.json", "--out", first}, "C").code, 0);
            QCOMPARE(run({command, "trial/trial.json", "--out", second}, "de_DE.UTF-8").code, 0);
            const auto a = readText(m_folder / first.toUtf8().constData()), b = readText(m_folder / second.toUtf8().constData());
            QVERIFY(a.ok() && b.ok() && a->size() > 10'000);
            QVERIFY2(*a == *b, file);
        }
    }

    void evidenceIsWeighedFromTables() {
        std::string apart = "second,filter,value\n", alike = apart;
        for (int i = 0; i < 48; ++i) {
            const int block = i / 4;
            const bool b = (block + 1) / 2 % 2 != 0;
            const double noise = 0.01 * std::sin(12.9898 * i + 78.233);
            apart += std::to_string(120 * i) + (b ? ",duo," : ",open,") + std::to_string(0.001 * i + noise + (b ? 0.4 : 0)) + "\r\n";
            alike += std::to_string(120 * i) + (b ? ",duo," : ",open,") + std::to_string(0.001 * i + noise) + "\n";
        }
        QVERIFY(writeFile(m_folder / "apart.csv", apart).ok() && writeFile(m_folder / "alike.csv", alike).ok());
        const Ran r = run({"evidence", "apart.csv", "alike.csv", "--json"});
        QVERIFY2(r.code == 0, r.err);
        const Json j = Json::parse(r.out.toStdString());
        QVERIFY(j["tables"][0]["pairs"][0]["told_apart"] == true && j["tables"][1]["pairs"][0]["told_apart"] == false);
        QVERIFY(std::abs(j["tables"][0]["pairs"][0]["difference"].get<double>() - 0.4) < 0.05);
        QVERIFY(run({"evidence", "apart.csv"}).out.contains("told apart"));
        QVERIFY(writeFile(m_folder / "odd.csv", "0,open,1\n5,duo,much\n").ok() && writeFile(m_folder / "one.csv", "0,open,1\n5,open,2\n").ok());
        const Ran odd = run({"evidence", "odd.csv"}), one = run({"evidence", "one.csv"});
        QVERIFY(odd.code == 1 && odd.err.contains("row 2") && one.code == 1 && one.err.contains("fewer than two"));
        QCOMPARE(run({"evidence", "apart.csv", "--alpha", "2"}).code, 2);
    }

    void transferNeedsPairsAndNamesWhatIsWrong() {
        QCOMPARE(run({"transfer", "--flats", "a.fits", "--biases", "b.fits", "c.fits"}).code, 2);
        QCOMPARE(run({"transfer", "--biases", "b.fits", "c.fits"}).code, 2);
        const Ran gone = run({"transfer", "--flats", "a.fits", "b.fits", "--biases", "c.fits", "d.fits"});
        QVERIFY(gone.code == 1 && gone.err.contains("a.fits"));
        // Dark frames of one level are no flats; what light there is decides.
        const Plane bias(128, 128, 100), lit(128, 128, 20'000);
        for (const char* name : {"b1.fits", "b2.fits"}) QVERIFY(writeFits(m_folder / name, {&bias}, {}, FitsPixels::UInt16).ok());
        for (const char* name : {"f1.fits", "f2.fits"}) QVERIFY(writeFits(m_folder / name, {&lit}, {}, FitsPixels::UInt16).ok());
        const Ran flat = run({"transfer", "--flats", "f1.fits", "f2.fits", "--biases", "b1.fits", "b2.fits", "--json"});
        QVERIFY(flat.code == 1 && flat.out.isEmpty() && flat.err.contains("noise"));
    }

    void gridFillsCellsAndSaysWhereFrom() {
        QVERIFY(
            QFile::copy(QString::fromStdString((m_folder / "trial/curves/duo7.csv").string()), QString::fromStdString((m_folder / "lone duo.csv").string())));
        const Ran r = run({"grid", "trial/trial.json", "--curve-only", "lone duo.csv", "--bortle", "2..4", "7", "--moon", "none", "0.5,45,60", "--moon",
                           "1,-5,60", "--json"});
        QVERIFY2(r.code == 0, r.err);
        const Json j = Json::parse(r.out.toStdString());
        QCOMPARE(j["caelumen_grid"].get<int>(), 1);
        QCOMPARE(j["cells"].size(), std::size_t(3 * 4 * 3)); // the moon below the horizon is none
        int lone = 0;
        for (const Json& c : j["cells"]) {
            QVERIFY(c.contains("filter") && c.contains("channel") && c.contains("sky_mag") && c.contains("background") && c.contains("origin"));
            if (c["filter"] != "lone duo") continue;
            ++lone;
            QCOMPARE(c["origin"].get<std::string>(), std::string("modelled"));
            QVERIFY(c["sigma"].get<double>() > 0 && c["sigma"] == c["model_sigma"]);
        }
        QCOMPARE(lone, 12);
        QCOMPARE(run({"grid", "trial/trial.json", "--bortle", "5", "--csv", "grid.csv"}).code, 0);
        QVERIFY(readText(m_folder / "grid.csv")->starts_with("filter,channel,bortle,sky_mag"));
        QVERIFY(run({"grid", "--bortle", "5", "trial/trial.json"}).out.contains("Bortle 5"));
        for (const QStringList& bad :
             {QStringList{"--bortle", "10"}, {"--moon", "2,45,60"}, {"--moon", "0.5,45"}, {"--kind", "comet"}, {"--quantity", "joy"}, {"--bortle"}})
            QCOMPARE(run(QStringList{"grid", "trial/trial.json"} + bad).code, 2);
        QCOMPARE(run({"grid"}).code, 2);
        const Ran gone = run({"grid", "gone.json"}), twice = run({"grid", "trial/trial.json", "--curve-only", "trial/curves/duo7.csv"});
        QVERIFY(gone.code == 1 && gone.err.contains("gone.json") && gone.err.count('\n') == 1);
        QVERIFY2(twice.code == 1 && twice.err.contains("duo7"), twice.err);
        QCOMPARE(run({"grid", "trial/trial.json", "--csv", "trial/trial.json"}).code, 1);
    }

    void aReportIsMadeOfResultsToo() {
        QVERIFY(run({"measure", "trial/trial.json", "--out", "kept.json"}).code == 0);
        QCOMPARE(run({"report", "kept.json", "--out", "again.json"}).code, 0);
        const Json first = Json::parse(*readText(m_folder / "kept.json")), again = Json::parse(*readText(m_folder / "again.json"));
        for (const char* part : {"trial", "baseline", "alignment", "measurements", "absent", "ranking", "fairness", "warnings"})
            QVERIFY2(first[part] == again[part], part);
        QCOMPARE(run({"report", "kept.json", "--out", "kept.csv"}).code, 0);
        QCOMPARE(run({"report", "kept.json", "--out", "LOUD.CSV"}).code, 0);
        QVERIFY(*readText(m_folder / "LOUD.CSV") == *readText(m_folder / "kept.csv"));
        const Ran page = run({"report", "kept.json", "--out", "kept.html"});
        QVERIFY2(page.code == 0, page.err);
        QVERIFY(readText(m_folder / "kept.html")->find("Scores") != std::string::npos);
        for (const char* of : {"kept.json", "trial/trial.json"}) {
            const Ran r = run({"report", of, "--out", "page.pdf"});
            QVERIFY2(r.code == 0, r.err);
            const auto pdf = readBytes(m_folder / "page.pdf", 1u << 30);
            QVERIFY(pdf->starts_with("%PDF-") && pdf->size() > 20'000);
        }
        // With a profile it holds the verdict, in the order that a template wants.
        const char* profile = R"({"caelumen_profile": 1, "name": "Roof", "skies": [{"bortle": 8}], "kinds": {"emission": 1}, "weights": {"nebula": 1}})";
        QVERIFY(writeFile(m_folder / "roof.json", profile).ok());
        QVERIFY(writeFile(m_folder / "page-of-mine.html", "<html><body>{{verdict}} END</body></html>").ok());
        for (const char* out : {"roof.html", "roof.zip"}) {
            const Ran r = run({"report", "trial/trial.json", "--profile", "roof.json", "--template", "page-of-mine.html", "--paper", "letter", "--out", out});
            QVERIFY2(r.code == 0, r.err);
        }
        const auto mine = readText(m_folder / "roof.html");
        QVERIFY(mine && mine->find("Verdict: Roof") != std::string::npos && mine->find("END") != std::string::npos &&
                mine->find("Appendix") == std::string::npos);
        QVERIFY(readBytes(m_folder / "roof.zip", 1U << 30)->starts_with("PK"));
        QCOMPARE(run({"report", "trial/trial.json", "--paper", "a3", "--out", "roof.pdf"}).code, 2);
        const Ran none = run({"report", "trial/trial.json", "--profile", "gone.json", "--out", "none.html"});
        QVERIFY(none.code == 1 && none.err.contains("gone.json") && !QFile::exists(QString::fromStdString((m_folder / "none.html").string())));
        QVERIFY(writeFile(m_folder / "odd.json", R"({"caelumen_results": 1, "measurements": [{"run": "A"}]})").ok());
        const Ran odd = run({"report", "odd.json", "--out", "odd.html"});
        QVERIFY(odd.code == 1 && odd.err.contains("odd.json") && odd.err.count('\n') == 1);
        QCOMPARE(run({"report", "kept.json", "--out", "kept.json"}).code, 1);
    }

    void filtersAreRankedForAProfile() {
        QVERIFY(writeFile(m_folder / "profile.json",
                          R"({"caelumen_profile": 1, "skies": [{"bortle": 8, "moon": "full", "share": 0.3}, {"bortle": 5, "moon": "none", "share": 0.7}],
            "kinds": {"emission": 1}, "weights": {"nebula": 3, "halo": 1}, "owned": "open", "clear_hours_per_year": 100, "budget": {"amount": 400, "currency": "EUR"}})")
                    .ok());
        const Ran r = run({"verdict", "profile.json", "trial/trial.json", "--json"});
        QVERIFY2(r.code == 0, r.err);
        const Json j = Json::parse(r.out.toStdString());
        QCOMPARE(j["caelumen_verdict"].get<int>(), 1);
        QCOMPARE(j["ranking"].size(), std::size_t(2));
        for (const char* key : {"value", "sensitivity", "sentences", "not_tested"}) QVERIFY(j.contains(key));
        QCOMPARE(run({"verdict", "profile.json", "trial/trial.json", "--json"}).out, r.out);
        QVERIFY(run({"verdict", "profile.json", "trial/trial.json"}).out.contains("comes first"));
        QVERIFY(writeFile(m_folder / "stranger.json",
                          R"({"caelumen_profile": 1, "skies": [{"bortle": 8}], "kinds": {"emission": 1}, "weights": {"nebula": 3}, "owned": "nobody"})")
                    .ok());
        const Ran stranger = run({"verdict", "stranger.json", "trial/trial.json"});
        QVERIFY(stranger.code == 1 && stranger.err.contains("nobody") && stranger.err.count('\n') == 1);
        QCOMPARE(run({"verdict", "profile.json"}).code, 2);
        QCOMPARE(run({"verdict", "gone.json", "trial/trial.json"}).code, 1);
    }

    void picturesAreComposed() {
        const Trial t = *readTrial(m_folder / "trial/trial.json");
        const std::string a = "trial/" + t.runs[0].stack, b = "trial/" + t.runs[1].stack;
        const auto write = [&](const char* name, const std::string& rest) {
            return writeFile(m_folder / name, R"({"caelumen_palette": 1, "inputs": {"H": {"stack": ")" + b + R"(", "line": "Ha"}, "O": {"stack": ")" + b +
                                                  R"(", "line": "OIII"}, "C": {"stack": ")" + a +
                                                  R"(", "channel": "R"}}, "map": {"R": {"H": 1}, "G": {"O": 1}, "B": {"O": 1, "C": 0.1}})" + rest + "}")
                .ok();
        };
        QVERIFY(write("linear.json", R"(, "background": "keep", "stretch": {"kind": "none"})") &&
                write("shown.json", R"(, "scale": "equal-signal", "stars": {"mode": "desaturate"})"));
        Ran r = run({"compose", "linear.json", "--out", "linear.tif"});
        QVERIFY2(r.code == 0, r.err);
        const auto tiff = readBytes(m_folder / "linear.tif", 1u << 30);
        QVERIFY(tiff->find("factor=1\n") != std::string::npos && tiff->find("caelumen_palette") != std::string::npos &&
                tiff->find("acsp") != std::string::npos);
        r = run({"compose", "shown.json", "--out", "shown.png"});
        QVERIFY2(r.code == 0, r.err);
        const auto png = readBytes(m_folder / "shown.png", 1u << 30);
        QVERIFY(png->starts_with("\x89PNG") && png->find("iCCP") != std::string::npos && png->find("Recipe") != std::string::npos);
        QCOMPARE(run({"compose", "shown.json", "--out", "shown.tif"}).code, 0);
        QCOMPARE(run({"compose", "shown.json"}).code, 2);
        QCOMPARE(run({"compose", "shown.json", "--out", "x.jpg"}).code, 2);
        const Ran gone = run({"compose", "gone.json", "--out", "x.tif"}), over = run({"compose", "shown.json", "--out", "none/x.tif"});
        QVERIFY(gone.code == 1 && gone.err.contains("gone.json") && gone.err.count('\n') == 1);
        QCOMPARE(over.code, 1);
        QVERIFY(!fs::exists(m_folder / "x.tif"));
    }

    void resultsOfSeveralTestersAreMerged() {
        QVERIFY(run({"measure", "trial/trial.json", "--out", "t1.json"}).code == 0);
        Json other = Json::parse(*readText(m_folder / "t1.json"));
        for (Json& m : other["measurements"])
            if (m["quantity"] == "background") m["value"] = m["value"].get<double>() * 1.1;
        QVERIFY(writeFile(m_folder / "t2.json", other.dump()).ok() && writeFile(m_folder / "same.json", *readText(m_folder / "t1.json")).ok());
        const Ran r = run({"merge", "t1.json", "t2.json", "same.json", "--json"});
        QCOMPARE(r.code, 0);
        QVERIFY2(r.err.contains("same.json holds the same results as t1.json") && r.err.count('\n') == 1, r.err);
        const Json j = Json::parse(r.out.toStdString());
        QCOMPARE(j["caelumen_merged"].get<int>(), 1);
        int backgrounds = 0;
        for (const Json& f : j["figures"]) {
            QVERIFY(f["each"].size() == 2 && f["testers"].get<int>() <= 2);
            if (f["quantity"] != "background" || f["filter"] != "duo7") continue;
            ++backgrounds;
            const double a = f["each"][0]["value"], b = f["each"][1]["value"];
            QVERIFY(std::abs(b / a - 1.1) < 1e-9 && std::abs(f["value"].get<double>() - (a + b) / 2) < 0.01 * a && f["between_sigma"].get<double>() > 0);
        }
        QCOMPARE(backgrounds, 3);
        QVERIFY(run({"merge", "t1.json", "t2.json"}).out.contains("duo7"));
        const Ran bad = run({"merge", "t1.json", "trial/trial.json"}), none = run({"merge", "gone.json"});
        QVERIFY2(bad.code == 1 && bad.out.isEmpty() && bad.err.contains("trial.json"), bad.err);
        QVERIFY(none.code == 1 && none.err.contains("gone.json"));
        QCOMPARE(run({"merge"}).code, 2);
    }

    void threadsDoNotChangeNumbers() {
        const Ran one = run({"measure", "trial/trial.json", "--threads", "1"}), two = run({"measure", "trial/trial.json", "--threads=2"});
        QCOMPARE(one.code, 0);
        QCOMPARE(one.out, two.out);
    }

    void subsBecomeAStackAndLines() {
        QVERIFY(
            writeFile(
                m_folder / "night.json",
                R"({"caelumen_scenario":1,"seed":3,"width":480,"height":320,"sub_count":5,"filters":[{"id":"duo7"}],"calibration":{"darks":2,"flats":2,"biases":2},
            "target":{"name":"IC 2944","ra_deg":174.5,"dec_deg":-63},"events":[{"kind":"cloud","sub":2,"transparency":0.4}]})")
                .ok());
        QCOMPARE(run({"simulate", "night.json"}).code, 2);
        const Ran night = run({"simulate", "night.json", "--out", "night"});
        QVERIFY2(night.code == 0, night.err);
        QCOMPARE(run({"stack", "night/A-duo7/subs.json"}).code, 2);
        QCOMPARE(run({"stack", "night/A-duo7/subs.json", "--out", "s.png"}).code, 2);
        const Ran stack = run({"stack", "night/A-duo7/subs.json", "--out", "s.fits", "--report", "s.json"});
        QVERIFY2(stack.code == 0, stack.err);
        const Json report = Json::parse(*readText(m_folder / "s.json"));
        QCOMPARE(report["caelumen_stack"].get<int>(), 1);
        QCOMPARE(report["kept"].get<int>(), 4);
        QCOMPARE(report["subs"][1]["verdict"].get<std::string>(), std::string("reject"));
        QCOMPARE(report["subs"][1]["reason"].get<std::string>(), std::string("cloud"));
        const Ran frames = run({"frames", "s.fits", "--json"});
        QVERIFY2(frames.code == 0 && frames.out.contains("\"sub_count\": 4"), frames.err);
        const Ran lines = run({"lines", "s.fits"});
        QVERIFY2(lines.code == 0 && lines.out.contains("s-oxygen.fits"), lines.err);
        QCOMPARE(run({"lines", "s-oxygen.fits"}).code, 1);
        QVERIFY(writeFile(m_folder / "bad.json", "{\"caelumen_subs\": 1, \"lights\": [\"gone.fits\"]}").ok());
        const Ran bad = run({"stack", "bad.json", "--out", "bad.fits"});
        QVERIFY2(bad.code == 1 && bad.err.contains("gone.fits") && bad.err.count('\n') == 1, bad.err);
        QVERIFY(!std::filesystem::exists(m_folder / "bad.fits"));
    }

    void framesTellFacts() {
        const Ran r = run({"frames", "trial/A.fits", "trial/B.fits", "--json"});
        QVERIFY2(r.code == 0, r.err);
        const Json j = Json::parse(r.out.toStdString());
        QCOMPARE(j.size(), std::size_t{2});
        QCOMPARE(j[0]["width"].get<int>(), 640);
        QCOMPARE(j[1]["facts"]["filter"].get<std::string>(), std::string("Twinline 7"));
        for (const char* key : {"file", "width", "height", "channels", "bayer", "level", "noise", "stars", "fwhm_px", "eccentricity", "facts"})
            QVERIFY2(j[0].contains(key), key);
        QVERIFY(run({"frames", "trial/A.fits"}).out.contains("EXPTIME"));
    }

    void reportsAreWritten() {
        QVERIFY2(run({"report", "trial/trial.json", "--out", "page.html"}).code == 0, "html");
        QVERIFY(readText(m_folder / "page.html")->find("data:image/png") != std::string::npos);
        QCOMPARE(run({"report", "trial/trial.json", "--out", "table.csv"}).code, 0);
        QCOMPARE(run({"report", "trial/trial.json", "--out", "page.docx"}).code, 2);
        QCOMPARE(run({"report", "trial/trial.json"}).code, 2);
    }

    void passbandTellsBandsAndLines() {
        QVERIFY(writeFile(m_folder / "band.csv", "nm;T %\n650;0\n654,28;0\n654,3;90,0\n658,3;90,0\n658,32;0\n670;0\n").ok());
        const Ran ran = run({"passband", "band.csv", "--f-ratio", "2.8", "--json"});
        QVERIFY2(ran.code == 0, ran.err);
        const Json j = Json::parse(ran.out.toStdString());
        QVERIFY(std::abs(j["bands"][0]["center_nm"].get<double>() - 656.3) < 0.01);
        QVERIFY(std::abs(j["bands"][0]["fwhm_nm"].get<double>() - 4.02) < 0.01);
        QVERIFY(std::abs(j["lines"]["Ha"]["normal"].get<double>() - 0.9) < 1e-9);
        QVERIFY(j["bands"][0]["effective"]["center_nm"].get<double>() < 655.8);
        QVERIFY(run({"passband", "band.csv", "--f-ratio", "2.8"}).out.contains("in the cone"));
        const Ran bad = run({"passband", "trial/trial.json", "--f-ratio", "2.8"});
        QVERIFY(bad.code == 1 && bad.out.isEmpty() && bad.err.count('\n') == 1 && bad.err.contains("trial.json"));
    }

    // The sun's altitude as python3-ephem gives it for this place and time; positions themselves are checked in ephemeris_test.
    void skyTellsSunMoonAndTarget() {
        const Ran ran = run({"sky", "--lat", "-33.9", "--lon", "18.4", "--time", "2026-06-20T18:05:00Z", "--ra", "250", "--dec", "-48.6", "--json"});
        QVERIFY2(ran.code == 0, ran.err);
        const Json j = Json::parse(ran.out.toStdString());
        QVERIFY(std::abs(j["sun"]["alt_deg"].get<double>() + 28.2) < 0.1);
        QCOMPARE(QString::fromStdString(j["twilight"].get<std::string>()), QString("night"));
        QVERIFY(j["moon"]["illuminated"].get<double>() > 0.3 && j["moon"]["illuminated"].get<double>() < 0.45);
        QVERIFY(j["target"]["airmass"].get<double>() > 1.3 && j["target"]["airmass"].get<double>() < 1.35);
        const Ran low = run({"sky", "--lat", "60", "--lon", "18.4", "--time", "2026-06-20T18:05:00Z", "--ra", "250", "--dec", "-48.6", "--json"});
        QVERIFY(Json::parse(low.out.toStdString())["target"]["airmass"].is_null());
    }

    void wrongUsageIsTwo_data() {
        QTest::addColumn<QStringList>("arguments");
        QTest::newRow("nothing") << QStringList{};
        QTest::newRow("unknown command") << QStringList{"improve"};
        QTest::newRow("unknown option") << QStringList{"measure", "trial/trial.json", "--fast"};
        QTest::newRow("short option") << QStringList{"measure", "-x", "trial/trial.json"};
        QTest::newRow("missing value") << QStringList{"measure", "trial/trial.json", "--out"};
        QTest::newRow("missing file") << QStringList{"measure"};
        QTest::newRow("too many") << QStringList{"measure", "a.json", "b.json"};
        QTest::newRow("twice") << QStringList{"measure", "a.json", "--out", "x", "--out", "y"};
        QTest::newRow("threads zero") << QStringList{"measure", "trial/trial.json", "--threads", "0"};
        QTest::newRow("threads words") << QStringList{"measure", "trial/trial.json", "--threads", "many"};
        QTest::newRow("demo without folder") << QStringList{"demo"};
        QTest::newRow("passband without f-ratio") << QStringList{"passband", "trial/duo7.csv"};
        QTest::newRow("passband, index out of range") << QStringList{"passband", "trial/duo7.csv", "--f-ratio", "5", "--n-eff", "9"};
        QTest::newRow("passband, obstruction is no number") << QStringList{"passband", "trial/duo7.csv", "--f-ratio", "5", "--obstruction", "30%"};
        QTest::newRow("sky without target") << QStringList{"sky", "--lat", "-31.9", "--lon", "20.7", "--time", "2026-06-20T18:05:00Z"};
        QTest::newRow("sky, latitude out of range") << QStringList{"sky",  "--lat", "-131.9", "--lon", "20.7", "--time", "2026-06-20T18:05:00Z",
                                                                   "--ra", "250",   "--dec",  "-48"};
        QTest::newRow("sky, year without ephemeris") << QStringList{"sky",  "--lat", "-31.9", "--lon", "20.7", "--time", "1840-06-20T18:05:00Z",
                                                                    "--ra", "250",   "--dec", "-48"};
        QTest::newRow("frames without file") << QStringList{"frames", "--json"};
    }
    void wrongUsageIsTwo() {
        QFETCH(QStringList, arguments);
        const Ran r = run(arguments);
        QCOMPARE(r.code, 2);
        QVERIFY(r.out.isEmpty());
        QVERIFY(!r.err.isEmpty());
    }

    void badInputIsOneLineAndOne_data() {
        QTest::addColumn<QString>("fault");
        for (const char* fault : {"missing", "not-json", "not-a-trial", "missing-stack", "cut-stack", "region-outside", "unwritable"})
            QTest::newRow(fault) << QString(fault);
    }
    void badInputIsOneLineAndOne() {
        QFETCH(QString, fault);
        const fs::path path = m_folder / "trial/bad.json";
        Json j = Json::parse(*readText(m_folder / "trial/trial.json"));
        QStringList arguments{"measure", "trial/bad.json", "--out", "bad-results.json"};
        if (fault == "missing")
            arguments[1] = "none.json";
        else if (fault == "not-a-trial")
            j = Json::parse("{\"a\":1}");
        else if (fault == "missing-stack")
            j["runs"][1]["stack"] = "gone.fits";
        else if (fault == "cut-stack") {
            fs::copy_file(m_folder / "trial/B.fits", m_folder / "trial/cut.fits", fs::copy_options::overwrite_existing);
            fs::resize_file(m_folder / "trial/cut.fits", 300'000);
            j["runs"][1]["stack"] = "cut.fits";
        } else if (fault == "region-outside")
            j["regions"][0]["center"] = {90000, 5};
        else if (fault == "unwritable")
            arguments[3] = "no/such/folder/r.json";
        QVERIFY(writeFile(path, fault == "not-json" ? "{\"caelumen_trial\": 1," : j.dump()).ok());
        const Ran r = run(arguments);
        QVERIFY2(r.code == 1, r.err);
        QCOMPARE(r.err.count('\n'), 1);
        QVERIFY(r.out.isEmpty());
        QVERIFY(!fs::exists(m_folder / "bad-results.json"));
    }

    void framesThatAreNoneAreOneLine() {
        const Ran r = run({"frames", "trial/trial.json"});
        QCOMPARE(r.code, 1);
        QCOMPARE(r.err.count('\n'), 1);
        QVERIFY(r.err.contains("trial.json"));
    }

    void helpAndVersion() {
        QCOMPARE(run({"--help"}).code, 0);
        QVERIFY(run({"--help"}).out.contains("measure"));
        QVERIFY(run({"measure", "--help"}).out.contains("--csv"));
        QVERIFY(run({"--version"}).out.startsWith("caelumen-cli "));
    }

    /// Every word that a header or a name holds comes out as text, whatever its bytes were.
    void textFromOutsideEndsNothing() {
        const QByteArray odd = QFile::encodeName(QString::fromStdString(m_folder.path().string())) + "/caf\xE9.fits";
        Plane p(32, 24, 100);
        for (int i = 0; i < 32 * 24; ++i) p.data()[i] += static_cast<float>(i % 7);
        QVERIFY(writeFits(m_folder / "plain.fits", {&p}, {{"OBJECT", std::string("M 42"), ""}}).ok());
        auto bytes = readBytes(m_folder / "plain.fits", 1 << 20);
        const auto at = bytes->find("'M 42");
        QVERIFY(at != std::string::npos);
        bytes->replace(at, 6, "'M \xFC\xE9'");
        QVERIFY(writeFile(fs::path(odd.toStdString()), *bytes).ok());
        QProcess shell; // names that are no UTF-8 do not pass through QProcess
        shell.start("sh", {"-c", QString("'%1' frames '%2'/caf*.fits --json").arg(CAELUMEN_CLI, QString::fromStdString(m_folder.path().string()))});
        QVERIFY(shell.waitForFinished(60'000));
        QCOMPARE(shell.exitCode(), 0);
        const Json j = Json::parse(shell.readAllStandardOutput().toStdString());
        QCOMPARE(QString::fromStdString(j[0]["facts"]["target"].get<std::string>()), QString::fromUtf8("M \u00fc\u00e9"));
        QCOMPARE(QByteArray::fromStdString(pathOf(j[0]["file"].get<std::string>()).native()), odd);
    }

    void badFramesAmongGoodOnesHaveALineEach() {
        Plane p(32, 24, 100);
        QVERIFY(writeFits(m_folder / "g.fits", {&p}, {}).ok());
        QVERIFY(writeFile(m_folder / "junk.fits", "SIMPLE and no more").ok());
        const Ran r = run({"frames", "g.fits", "junk.fits", "gone.fits", "g.fits", "--json"});
        QCOMPARE(r.code, 1);
        QCOMPARE(Json::parse(r.out.toStdString()).size(), std::size_t{2});
        QCOMPARE(r.err.count('\n'), 2);
        QVERIFY(r.err.contains("junk.fits") && r.err.contains("gone.fits"));
    }

    void outputsOverInputsAreRefused_data() {
        QTest::addColumn<QStringList>("words");
        QTest::newRow("results over the trial") << QStringList{"measure", "trial/trial.json", "--out", "trial/trial.json"};
        QTest::newRow("table over a stack") << QStringList{"measure", "trial/trial.json", "--csv", "trial/open.fits"};
        QTest::newRow("results over a link to the trial") << QStringList{"measure", "trial/trial.json", "--out", "trial-link.json"};
        QTest::newRow("one file for both") << QStringList{"measure", "trial/trial.json", "--out", "same", "--csv", "same"};
        QTest::newRow("a page over a curve") << QStringList{"report", "trial/trial.json", "--out", "trial/curves/duo7.csv"};
        QTest::newRow("oxygen over the stack") << QStringList{"lines", "trial/B.fits", "--oxygen", "trial/B.fits"};
        QTest::newRow("oxygen over a line frame") << QStringList{"lines", "trial/B.fits", "--oxygen", "trial/B-oxygen.fits"};
        QTest::newRow("a device") << QStringList{"measure", "trial/trial.json", "--out", "/dev/null"};
    }
    void outputsOverInputsAreRefused() {
        QFETCH(QStringList, words);
        if (!fs::exists(m_folder / "trial-link.json")) fs::create_symlink("trial/trial.json", m_folder / "trial-link.json");
        if (words.last() == "trial/open.fits") // whatever the baseline's stack is called
            words.last() = "trial/" + QString::fromStdString(readTrial(m_folder / "trial/trial.json")->runs[0].stack);
        const auto before = readBytes(m_folder / "trial/trial.json", 1 << 20);
        const Ran r = run(words);
        QCOMPARE(r.code, 1);
        QVERIFY2(r.err.contains(words.last().toUtf8()) && r.err.count('\n') == 1, r.err);
        QCOMPARE(*readBytes(m_folder / "trial/trial.json", 1 << 20), *before);
        QVERIFY(!fs::exists(m_folder / "same"));
    }

    void idsDoNotLeaveTheirFolder() {
        for (const char* bad : {"../../out", "/abs", ".", "a/b"}) {
            QVERIFY(writeFile(m_folder / "leave.json",
                              jsonText({{"caelumen_scenario", 1}, {"width", 64}, {"height", 64}, {"filters", Json::array({{{"id", bad}}})}}))
                        .ok());
            const Ran r = run({"simulate", "leave.json", "--out", "leaving"});
            QVERIFY2(r.code == 1 && r.err.contains("leave.json"), bad);
            QVERIFY(!fs::exists(m_folder / "leaving"));
        }
    }

    void aFullStandardOutputIsAFailure() {
        QProcess shell;
        shell.start("sh", {"-c", QString("'%1' --help > /dev/full").arg(CAELUMEN_CLI)});
        QVERIFY(shell.waitForFinished(60'000));
        QCOMPARE(shell.exitCode(), 1);
        QVERIFY(shell.readAllStandardError().contains("standard output"));
    }

    void aCurveThatIsMissingIsNamed() {
        auto trial = readTrial(m_folder / "trial/trial.json");
        trial->filters.back().curve = "curves/gone.csv";
        QVERIFY(writeFile(m_folder / "trial/missing.json", jsonText(trialToJson(*trial))).ok());
        const Ran r = run({"measure", "trial/missing.json"});
        QCOMPARE(r.code, 0); // no figure rests on it
        QVERIFY2(r.err.contains("gone.csv"), r.err);
        QVERIFY(Json::parse(r.out.toStdString())["warnings"].size() == 1);
    }

    void reportMakesNoCampaign() {
        const Ran r = run({"report", "none.caelumen", "--out", "none.html"});
        QCOMPARE(r.code, 1);
        QVERIFY(r.err.contains("none.caelumen"));
        QVERIFY(!fs::exists(m_folder / "none.caelumen") && !fs::exists(m_folder / "none.html"));
    }
};

QTEST_GUILESS_MAIN(CommandsTest)
#include "commands_test.moc"

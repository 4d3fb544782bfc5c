#include "core/base/file.h"
#include "core/base/tables.h"
#include "core/model/kit_file.h"
#include "core/model/trial_json.h"
#include "core/optics/camera_file.h"
#include "core/optics/light_cone.h"
#include "core/optics/starter.h"
#include "support/scenes.h"

#include <QTest>

#include <set>

using namespace caelumen;

namespace {

Trial trialWithKit(const std::filesystem::path& folder) {
    Trial t;
    t.title = "A night";
    t.rig.focal_length_mm = 420;
    t.rig.reducer = 0.8;
    t.rig.back_focus_mm = 55;
    t.rig.gaps_mm = {{"filter to window", 9.5}};
    t.site.name = "Windmill hill";
    t.site.sqm = 19.4;
    t.site.horizon = {{0, 12}, {90, 30}, {200, 5}};
    t.site.domes = {{310, 25, 1.4}};
    t.site.lamps = LampMix{0.2, 0, 0, 0.5, 0.3};
    for (const StarterFilter& s : starterFilters()) {
        Filter f;
        f.id = s.id;
        f.name = s.name;
        f.kind = s.kind;
        f.claims = s.claims;
        f.curve = s.id + ".csv";
        f.price = Price{120, 9.5, "CRD"};
        f.set_size = 2;
        f.obtained = "bought";
        if (s.kind == "dual-band") f.claimed_curve = f.curve;
        f.notes = "bought \"second hand\", scratched; still good";
        if (!writeFile(folder / f.curve, curveToCsv(s.curve))) qFatal("no folder");
        t.filters.push_back(f);
    }
    return t;
}

} // namespace

class KitFileTest : public QObject {
    Q_OBJECT

private slots:
    void aKitGoesFromOneTrialToAnother() {
        const scenes::Folder folder;
        const Trial from = trialWithKit(folder.path());
        const auto kit = kitOf(from, folder.path());
        QVERIFY(kit.ok());
        const auto back = kitFromText(kitToText(*kit), "kit.json");
        QVERIFY2(back.ok(), back.ok() ? "" : back.error().message.c_str());
        QVERIFY(back->rig == from.rig && back->site == from.site);
        QCOMPARE(back->filters.size(), from.filters.size());
        Trial to;
        to.filters.push_back(from.filters[3]); // the same filter, without its curve here
        to.filters[0].id = "mine";
        to.filters[0].curve.clear();
        QVERIFY(addToTrial(*back, to, folder / "curves").ok());
        QCOMPARE(to.filters.size(), from.filters.size());
        QCOMPARE(to.filters[0].id, std::string("mine")); // runs still find it
        for (const Filter& f : to.filters) {
            const auto curve = readCurve(f.curve);
            QVERIFY(curve.ok());
            const auto& same = *std::find_if(starterFilters().begin(), starterFilters().end(), [&](const StarterFilter& s) { return s.name == f.name; });
            for (double nm = 360; nm < 1040; nm += 7.3) QVERIFY(std::abs(curve->at(nm) - same.curve.at(nm)) < 1e-4);
            QCOMPARE(f.claimed_curve.empty(), f.kind != "dual-band");
            if (!f.claimed_curve.empty()) QVERIFY(readCurve(f.claimed_curve).ok() && f.claimed_curve != f.curve);
        }
        // A second time: nothing doubles, and no file that another trial may use is written over.
        const std::string before = to.filters[0].curve;
        QVERIFY(addToTrial(*back, to, folder / "curves").ok());
        QCOMPARE(to.filters.size(), from.filters.size());
        QVERIFY(to.filters[0].curve != before && std::filesystem::exists(before));
    }

    void idsOfStrangersAreChanged() {
        KitFile kit;
        kit.filters.push_back({});
        kit.filters[0].id = "duo";
        kit.filters[0].name = "Theirs";
        Trial t;
        t.filters.push_back({});
        t.filters[0].id = "duo";
        t.filters[0].name = "Mine";
        const scenes::Folder folder;
        QVERIFY(addToTrial(kit, t, folder.path()).ok());
        QCOMPARE(t.filters.size(), std::size_t{2});
        QCOMPARE(t.filters[1].id, std::string("duo-2"));
    }

    void aTableOfFiltersComesBack() {
        const scenes::Folder folder;
        Trial from = trialWithKit(folder.path());
        const auto back = filtersFromCsv(filtersToCsv(from.filters), "filters.csv");
        QVERIFY2(back.ok(), back.ok() ? "" : back.error().message.c_str());
        for (Filter& f : from.filters) f.curve.clear(), f.claimed_curve.clear();
        QVERIFY(*back == from.filters);
        std::vector<std::string> unknown;
        QVERIFY(filtersFromCsv("name,colour,price,weight\nA,blue,,12\n", "f.csv", &unknown).ok());
        QCOMPARE(unknown, (std::vector<std::string>{"colour", "weight"}));
        unknown.clear();
        QVERIFY(filtersFromCsv(filtersToCsv(from.filters), "filters.csv", &unknown).ok() && unknown.empty());
        const auto german = filtersFromCsv("name;price;claimed_bands\nNordlicht;12,5;656,3 x 6,5 x 0,9\n", "f.csv");
        QVERIFY2(german.ok(), german.ok() ? "" : german.error().message.c_str());
        QCOMPARE((*german)[0].price->amount, 12.5);
        QCOMPARE(*(*german)[0].claims[0].fwhm_nm, 6.5);
    }

    void damagedKitsAreOneSentence_data() {
        QTest::addColumn<QString>("text");
        QTest::newRow("empty") << "";
        QTest::newRow("no kit") << "{}";
        QTest::newRow("another format") << R"({"caelumen_kit": 2})";
        QTest::newRow("list") << "[1, 2]";
        QTest::newRow("points that are none") << R"({"caelumen_kit": 1, "filters": [{"id": "a", "curve_points": [1, 2, 3]}]})";
        QTest::newRow("absurd curve") << R"({"caelumen_kit": 1, "filters": [{"id": "a", "curve_points": [[1e9, 1], [2e9, 1], [3e9, 1]]}]})";
        QTest::newRow("twice the same id") << R"({"caelumen_kit": 1, "filters": [{"id": "a"}, {"id": "a"}]})";
        QTest::newRow("horizon") << R"({"caelumen_kit": 1, "site": {"horizon": [{"azimuth_deg": 900, "altitude_deg": 3}]}})";
        QTest::newRow("dome") << R"({"caelumen_kit": 1, "site": {"light_domes": [{}]}})";
        QTest::newRow("lamps") << R"({"caelumen_kit": 1, "site": {"lamps": {"led_warm": "much"}}})";
        QTest::newRow("photos") << R"({"caelumen_kit": 1, "filters": [{"id": "a", "photos": [3]}]})";
    }
    void damagedKitsAreOneSentence() {
        QFETCH(QString, text);
        const auto kit = kitFromText(text.toStdString(), "their.json");
        QVERIFY(!kit.ok());
        QVERIFY2(kit.error().message.find("their.json") != std::string::npos, kit.error().message.c_str());
        QVERIFY(!filtersFromCsv("id;kind\na;b\n", "their.csv").ok());
        QVERIFY(!filtersFromCsv("name,price\nA,much\n", "their.csv").ok());
    }

    void camerasGoOutAndComeIn() {
        for (const Camera& c : typicalCameras()) {
            const auto back = cameraFromText(cameraToText(c), "camera.json");
            QVERIFY2(back.ok(), back.ok() ? "" : back.error().message.c_str());
            QCOMPARE(back->channels.size(), c.channels.size());
            for (double nm = 350; nm < 1040; nm += 11.7)
                QVERIFY(std::abs(back->channels.front().efficiency.at(nm) - c.channels.front().efficiency.at(nm)) < 2e-5);
            QVERIFY(back->pixel_um == c.pixel_um && back->gains.size() == c.gains.size() && back->passesInfrared == c.passesInfrared);
        }
        for (const char* bad : {"", "[]", "{}", R"({"caelumen_camera": 3})", R"({"caelumen_camera": 1})", R"({"caelumen_camera": 1, "name": "a"})",
                                R"({"caelumen_camera": 1, "name": "a", "channels": [4]})",
                                R"({"caelumen_camera": 1, "name": "a", "channels": [{"name": "R", "points": [[1, "x"]]}]})",
                                R"({"caelumen_camera": 1, "name": "a", "pixel_um": -2, "channels": []})",
                                R"({"caelumen_camera": 1, "name": "a", "gains": [{"setting": 2}], "channels": []})"}) {
            const auto camera = cameraFromText(bad, "camera.json");
            QVERIFY(!camera.ok());
            QVERIFY2(camera.error().message.find("camera.json") != std::string::npos, camera.error().message.c_str());
        }
    }

    void horizonsRunAroundTheCircle() {
        const std::vector<HorizonPoint> h{{10, 20}, {100, 0}, {350, 10}};
        QCOMPARE(horizonAt(h, 10), 20.0);
        QCOMPARE(horizonAt(h, 55), 10.0);
        QCOMPARE(horizonAt(h, 0), 15.0); // half way from 350 to 370
        QCOMPARE(horizonAt(h, 360), 15.0);
        QCOMPARE(horizonAt(h, -5), 12.5);
        QCOMPARE(horizonAt({}, 77), 0.0);
        const auto read = parseHorizon("azimuth;altitude\n270;5,5\n0;12\n90;30\n", "h.csv");
        QVERIFY(read.ok() && read->size() == 3 && read->back().altitude_deg == 5.5);
        QVERIFY(!parseHorizon("nothing", "h.csv").ok());
        QVERIFY(!parseHorizon("400,1\n20,2\n", "h.csv").ok());
    }

    void tablesKeepQuotesAndSeparators() {
        const auto rows = csvRows(csvRow({"a", "b, c", "say \"hi\"", "two\nlines"}) + csvRow({"1", "", "x;y", "z"}));
        QCOMPARE(rows.size(), std::size_t{2});
        QCOMPARE(rows[0], (std::vector<std::string>{"a", "b, c", "say \"hi\"", "two\nlines"}));
        QCOMPARE(rows[1][2], std::string("x;y"));
        QVERIFY(csvRows("").empty());
    }

    /// What the starter library claims is what its curves hold, and its kinds are all there.
    void theStarterLibraryIsWhatItSays() {
        std::set<std::string> kinds;
        for (const StarterFilter& s : starterFilters()) {
            kinds.insert(s.kind);
            QVERIFY(!s.source.empty() && !s.name.empty());
            for (const double t : s.curve.transmission) QVERIFY(t >= 0 && t <= 1);
            auto bands = bandsOf(s.curve);
            if (s.madeForFRatio) bands = bandsOf(ConeShift({*s.madeForFRatio, 0, *s.effectiveIndex, 0}).apply(s.curve));
            int failing = 0;
            for (const ClaimVerdict& v : checkClaims(s.claims, bands)) {
                if (!v.holds) qInfo("%s", v.text.c_str());
                failing += !v.holds;
            }
            QVERIFY2(failing == 0 || s.kind == "multi-band", s.name.c_str()); // one of the library claims too much, as happens
        }
        for (const char* kind : {"uv-ir-cut", "light-pollution", "multi-band", "dual-band", "single-line", "near-infrared", "other"})
            QVERIFY2(kinds.count(kind), kind);
        for (const StarterLight& l : starterLights()) {
            QVERIFY(!l.source.empty());
            double sum = 0;
            for (double nm = 380; nm < 1000; nm += 1) {
                QVERIFY(l.spectrum(nm) >= 0);
                sum += l.spectrum(nm);
            }
            QVERIFY(sum > 0);
        }
    }
};

QTEST_GUILESS_MAIN(KitFileTest)
#include "kit_file_test.moc"

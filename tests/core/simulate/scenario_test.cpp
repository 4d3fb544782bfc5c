#include "core/base/json.h"
#include "core/simulate/scenario.h"
#include "support/scenes.h"

#include <QTest>

#include <cmath>

using namespace caelumen;

namespace {

Json night() {
    return {{"caelumen_scenario", 1},
            {"width", 240},
            {"height", 200},
            {"sub_count", 4},
            {"sub_exposure_s", 60},
            {"stars_per_square_degree", 800},
            {"filters", {{{"id", "open"}}, {{"id", "duo7"}}}}};
}

Result<Scenario> read(const Json& json) {
    return scenarioFromJson(json, "night.json", ".");
}

} // namespace

/// A virtual night as a person writes it down.
class ScenarioTest : public QObject {
    Q_OBJECT

    Scenario of(const Json& json) {
        auto s = read(json);
        if (!s) QTest::qFail(s.error().message.c_str(), __FILE__, __LINE__);
        return s ? std::move(*s) : Scenario{};
    }

private slots:
    void runsFollowOneAnother() {
        Json j = night();
        j["start"] = "2026-06-20T18:00:00Z", j["swap_s"] = 500;
        const Scenario s = of(j);
        QCOMPARE(s.runs.size(), std::size_t{2});
        QCOMPARE(s.runs[0].scene.id, std::string("A"));
        QCOMPARE(s.runs[1].scene.filter.id, std::string("duo7"));
        QCOMPARE(s.runs[0].subs.size(), std::size_t{4});
        QCOMPARE(s.runs[0].subs[0].start, std::string("2026-06-20T18:00:00Z"));
        QCOMPARE(s.runs[1].subs[0].start, std::string("2026-06-20T18:12:44Z"));       // four subs of 66 s, and the swap
        QCOMPARE(s.runs[0].nebula.hydrogen.size(), s.runs[1].nebula.hydrogen.size()); // one target for all
    }

    /// Each event does what its name says, to the subs that it names, of the filter that it names.
    void eventsHappenWhereTheyAreSaid() {
        Json j = night();
        j["events"] = Json::array({{{"kind", "cloud"}, {"sub", 2}, {"transparency", 0.3}, {"sky", 2}, {"filter", "open"}},
                                   {{"kind", "light"}, {"from", 3}, {"to", 4}, {"sky", 5}},
                                   {{"kind", "soft"}, {"sub", 1}, {"factor", 2}},
                                   {{"kind", "drift"}, {"sub", 4}, {"px", 12}, {"deg", 90}},
                                   {{"kind", "trail"}, {"sub", 3}, {"electrons", 900}}});
        const Scenario plain = of(night()), s = of(j);
        for (std::size_t r = 0; r < 2; ++r)
            for (std::size_t i = 0; i < 4; ++i) {
                const VirtualSub &a = plain.runs[r].subs[i], &b = s.runs[r].subs[i];
                const bool clouded = r == 0 && i == 1;
                QCOMPARE(b.transparency, a.transparency * (clouded ? 0.3 : 1));
                QCOMPARE(b.sky, a.sky * (clouded ? 2 : i >= 2 ? 5 : 1));
                QCOMPARE(b.fwhm_px, a.fwhm_px * (i == 0 ? 2 : 1));
                QCOMPARE(b.drift_px, i == 3 ? 12.0 : 0.0);
                QCOMPARE(b.trails.size(), std::size_t(i == 2));
                QCOMPARE(b.alignment.dx, a.alignment.dx);
            }
        QCOMPARE(s.runs[0].subs[2].trail_e, 900.0);
    }

    /// After a flip the middle of the frame sees the same sky, the other way up.
    void aFlipTurnsAboutTheMiddle() {
        Json j = night();
        j["events"] = Json::array({{{"kind", "flip"}, {"from", 3}}});
        const Scenario plain = of(night()), s = of(j);
        const Point middle{119.5, 99.5};
        for (std::size_t i = 2; i < 4; ++i) {
            const Alignment &a = plain.runs[0].subs[i].alignment, &b = s.runs[0].subs[i].alignment;
            QVERIFY(std::hypot(a.map(middle).x - b.map(middle).x, a.map(middle).y - b.map(middle).y) < 1e-9);
            const Point before = a.map({129.5, 99.5}), after = b.map({129.5, 99.5}), centre = a.map(middle);
            QVERIFY(std::hypot(before.x - centre.x + after.x - centre.x, before.y - centre.y + after.y - centre.y) < 1e-9);
        }
        QCOMPARE(s.runs[0].subs[1].alignment.rotation_deg, plain.runs[0].subs[1].alignment.rotation_deg);
    }

    void ditherRotationAndFocusAreAsSaid() {
        Json j = night();
        j["dither_px"] = 0, j["field_rotation_deg_per_hour"] = 10, j["focus_drift_per_hour"] = 0.5;
        const Scenario plain = of(night()), s = of(j);
        for (std::size_t i = 0; i < 4; ++i) {
            const VirtualSub& sub = s.runs[0].subs[i];
            QCOMPARE(sub.alignment.dx, 0.0);
            QVERIFY(std::abs(sub.alignment.rotation_deg - plain.runs[0].subs[i].alignment.rotation_deg - 10 * static_cast<double>(i) * 66 / 3600) < 1e-9);
            QVERIFY(std::abs(sub.fwhm_px / plain.runs[0].subs[i].fwhm_px - (1 + 0.5 * static_cast<double>(i) * 66 / 3600)) < 1e-9);
        }
    }

    void theRigIsTheOneThatIsTold() {
        Json j = night();
        j["rig"] = {{"aperture_mm", 120}, {"focal_length_mm", 480}, {"pixel_um", 2.9}, {"gain_e_per_adu", 0.5}, {"pedestal_adu", 400}};
        j["sensor"] = {{"dust", 0}, {"vignette", 0.4}, {"temperature_c", -5}};
        const Scenario s = of(j);
        QCOMPARE(s.runs[0].scene.rig.aperture_mm, 120.0);
        QCOMPARE(s.runs[1].scene.rig.gain_e_per_adu, 0.5);
        QCOMPARE(s.runs[1].scene.rig.pedestal_adu, 400.0);
        QCOMPARE(s.runs[0].sensor.dust, 0);
        QCOMPARE(s.runs[0].sensor.temperature_c, -5.0);
    }

    /// The same night twice is the same night; another seed another.
    void nightsCanBeHadAgain() {
        const Scenario a = of(night()), b = of(night());
        Json other = night();
        other["seed"] = 2;
        const Scenario c = of(other);
        const Plane x = photographSub(a.runs[0], a.runs[0].subs[1]), y = photographSub(b.runs[0], b.runs[0].subs[1]),
                    z = photographSub(c.runs[0], c.runs[0].subs[1]);
        bool same = true, differs = false;
        for (int row = 0; row < x.height(); ++row)
            for (int col = 0; col < x.width(); ++col) same = same && x.at(col, row) == y.at(col, row), differs = differs || x.at(col, row) != z.at(col, row);
        QVERIFY(same && differs);
    }

    void whatIsWrongIsSaidInOneSentence_data() {
        QTest::addColumn<QString>("patch");
        QTest::addColumn<QString>("says");
        QTest::newRow("no filters") << R"({"filters":[]})"
                                    << "filters";
        QTest::newRow("a folder as a name") << R"({"filters":[{"id":"../x"}]})"
                                            << "names a folder";
        QTest::newRow("a filter without a name") << R"({"filters":[{}]})"
                                                 << "needs \"id\"";
        QTest::newRow("a curve that is not there") << R"({"filters":[{"id":"mine","curve":"none.csv"}]})"
                                                   << "none.csv";
        QTest::newRow("a camera of another kind") << R"({"camera":"film"})"
                                                  << "mosaic or mono";
        QTest::newRow("no time") << R"({"start":"yesterday"})"
                                 << "2026-06-20T18:05:00Z";
        QTest::newRow("no pattern") << R"({"mosaic":"RGBX"})"
                                    << "pattern";
        QTest::newRow("an event of no kind") << R"({"events":[{"kind":"meteor"}]})"
                                             << "cloud, light, soft, drift, trail or flip";
        QTest::newRow("an event that ends before it begins") << R"({"events":[{"kind":"cloud","from":3,"to":2}]})"
                                                             << "after";
        QTest::newRow("a sub that is not there") << R"({"events":[{"kind":"cloud","sub":9}]})"
                                                 << "sub";
        QTest::newRow("a huge field of stars") << R"({"stars_per_square_degree":1000000,"width":20000,"height":20000})"
                                               << "three million";
        QTest::newRow("a tiny frame") << R"({"width":3})"
                                      << "width";
        QTest::newRow("no scenario") << R"({"caelumen_scenario":2})"
                                     << "night.json";
    }
    void whatIsWrongIsSaidInOneSentence() {
        QFETCH(QString, patch);
        QFETCH(QString, says);
        Json j = night();
        j.update(Json::parse(patch.toStdString()));
        const auto s = read(j);
        QVERIFY(!s.ok());
        const QString message = QString::fromStdString(s.error().message);
        QVERIFY2(message.contains(says) && message.contains("night.json") | (patch.contains("none.csv")), qPrintable(message));
        QVERIFY(!message.contains('\n'));
    }

    void filtersOfTheirOwnPassWhatTheirCurveSays() {
        scenes::Folder folder;
        const auto curve = folder / "mine.csv";
        std::FILE* f = std::fopen(curve.c_str(), "w");
        QVERIFY(f);
        std::fputs("wavelength,transmission\n400,0.1\n500,0.5\n600,0.9\n", f);
        std::fclose(f);
        Json j = night();
        j["filters"] =
            Json::array({{{"id", "mine"}, {"curve", "mine.csv"}, {"ghosts", Json::array({{{"gap_mm", 3}, {"fraction", 0.01}}})}}, {{"id", "clear"}}});
        const auto s = scenarioFromJson(j, "night.json", folder.path());
        QVERIFY2(s.ok(), s.ok() ? "" : s.error().message.c_str());
        QCOMPARE(s->runs[0].scene.filter.curve.at(500), 0.5);
        QCOMPARE(s->runs[0].scene.filter.ghosts.size(), std::size_t{1});
        QCOMPARE(s->runs[1].scene.filter.curve.at(500), 1.0); // without a curve everything passes
    }
};

QTEST_GUILESS_MAIN(ScenarioTest)
#include "scenario_test.moc"

#include "core/base/json.h"
#include "core/model/trial_json.h"
#include "support/scenes.h"

#include <functional>

using namespace caelumen;

namespace {

Json good() {
    return Json::parse(
        R"({"caelumen_trial": 1, "title": "Ridge", "site": {"name": "R", "latitude_deg": -31.9, "longitude_deg": 20.7, "elevation_m": 1100, "bortle": 4, "sqm": null},
      "target": {"name": "T", "ra_deg": 250.0, "dec_deg": -48.6},
      "rig": {"name": "r", "focal_length_mm": 480, "aperture_mm": 80, "obstruction": 0.0, "pixel_um": 3.76, "gain_e_per_adu": 0.78, "gaps_mm": {"window": 4.0}, "filter_thickness_mm": 1.85},
      "filters": [{"id": "open", "name": "No filter", "kind": "none"}, {"id": "duo7", "name": "Duo", "kind": "dual-band", "curve": "duo7.csv", "claimed_bands": [{"center_nm": 500.7, "fwhm_nm": 7, "peak": 0.9}, {"center_nm": 656.3}],
                   "effective_index": 1.75, "made_for_f_ratio": 2.2, "thickness_mm": 2, "set_size": 3, "mount": "2 inch", "notes": "n", "obtained": "lent", "price": {"amount": 210, "currency": "EUR", "shipping": 15}}],
      "runs": [{"id": "A", "filter": "open", "baseline": true, "stack": "a.fits", "combine": "mean", "sub_exposure_s": 180, "sub_count": 20, "start": "2026-06-20T18:05:00Z"},
               {"id": "B", "filter": "duo7", "stack": "b.fits", "pedestal_adu": 100}],
      "regions": [{"id": "n1", "role": "nebula", "shape": "circle", "center": [812.0, 430.5], "radius": 60, "channel": "R"}, {"id": "s1", "role": "sky", "shape": "rect", "min": [40, 40], "max": [240, 200]},
                  {"id": "s2", "role": "sky", "shape": "polygon", "points": [[1500, 60], [1700, 60], [1700, 220]]}, {"id": "h1", "role": "halo_star", "at": [1010.2, 655.8]}]})");
}

} // namespace

class TrialJsonTest : public QObject {
    Q_OBJECT

private slots:
    void theContractReads() {
        const auto t = trialFromJson(good(), "t.json");
        QVERIFY2(t.ok(), t.ok() ? "" : t.error().message.c_str());
        QCOMPARE(t->runs.size(), std::size_t{2});
        QCOMPARE(*t->runs[1].rig.pedestal_adu, 100.0);
        QVERIFY(!t->rig.pedestal_adu);
        QCOMPARE(*effectiveRig(*t, t->runs[1]).pedestal_adu, 100.0);
        QCOMPARE(*effectiveRig(*t, t->runs[1]).gain_e_per_adu, 0.78);
        QCOMPARE(t->regions[0].channel, std::string("R"));
        QCOMPARE(t->filters[1].price->shipping, 15.0);
        QVERIFY(!t->site.sqm);
        QCOMPARE(t->baseline()->id, std::string("A"));
        QCOMPARE(t->rig.gaps_mm.at("window"), 4.0);
    }

    void writingLosesNothing() {
        const auto t = trialFromJson(good(), "t.json");
        const auto back = trialFromJson(trialToJson(*t), "back.json");
        QVERIFY(back.ok());
        QVERIFY(*t == *back);
    }

    void onlyWhatIsMeasuredWithCountsForFigures() {
        const Trial trial = *trialFromJson(good(), "t.json");
        Trial same = trial;
        same.title = "Another";
        same.filters[1].price->amount = 1;
        same.filters[1].claims.clear();
        same.filters[1].photos = {"p.jpg"};
        same.site.horizon = {{90, 10}};
        QVERIFY(measuredAlike(trial, same));
        std::vector<Trial> others(5, trial);
        others[0].filters[1].curve = "other.csv";
        others[1].runs[0].sub_count = 21;
        others[2].regions.pop_back();
        others[3].rig.gaps_mm["window"] = 5;
        others[4].site.sqm = 20;
        for (const Trial& other : others) QVERIFY(!measuredAlike(trial, other));
    }

    void unknownFieldsArePassedOver() {
        Json j = good();
        j["weather"] = "fine";
        j["runs"][0]["observer"] = "somebody";
        QVERIFY(trialFromJson(j, "t.json").ok());
    }

    void everyFaultGetsASentence_data() {
        QTest::addColumn<QByteArray>("patch");
        QTest::addColumn<QString>("says");
        QTest::newRow("no version") << QByteArray(R"([{"op":"remove","path":"/caelumen_trial"}])") << "caelumen_trial";
        QTest::newRow("future") << QByteArray(R"([{"op":"replace","path":"/caelumen_trial","value":9}])") << "format 9";
        QTest::newRow("duplicate run") << QByteArray(R"([{"op":"replace","path":"/runs/1/id","value":"A"}])") << "repeats the id";
        QTest::newRow("duplicate region") << QByteArray(R"([{"op":"replace","path":"/regions/1/id","value":"n1"}])") << "repeats the id";
        QTest::newRow("unknown filter") << QByteArray(R"([{"op":"replace","path":"/runs/1/filter","value":"zzz"}])") << "not among its filters";
        QTest::newRow("two baselines") << QByteArray(R"([{"op":"add","path":"/runs/1/baseline","value":true}])") << "more than one";
        QTest::newRow("text for number") << QByteArray(R"([{"op":"replace","path":"/runs/0/sub_exposure_s","value":"180"}])") << "sub_exposure_s";
        QTest::newRow("negative exposure") << QByteArray(R"([{"op":"replace","path":"/runs/0/sub_exposure_s","value":-1}])") << "sub_exposure_s";
        QTest::newRow("zero exposure") << QByteArray(R"([{"op":"replace","path":"/runs/0/sub_exposure_s","value":0}])") << "sub_exposure_s";
        QTest::newRow("fractional count") << QByteArray(R"([{"op":"replace","path":"/runs/0/sub_count","value":2.5}])") << "whole number";
        QTest::newRow("wrong combine") << QByteArray(R"([{"op":"replace","path":"/runs/0/combine","value":"mode"}])") << "combine";
        QTest::newRow("latitude") << QByteArray(R"([{"op":"replace","path":"/site/latitude_deg","value":95}])") << "latitude_deg";
        QTest::newRow("bortle") << QByteArray(R"([{"op":"replace","path":"/site/bortle","value":12}])") << "bortle";
        QTest::newRow("no stack") << QByteArray(R"([{"op":"remove","path":"/runs/0/stack"}])") << "stack";
        QTest::newRow("time") << QByteArray(R"([{"op":"replace","path":"/runs/0/start","value":"last night"}])") << "start";
        QTest::newRow("role") << QByteArray(R"([{"op":"replace","path":"/regions/0/role","value":"galaxy"}])") << "role";
        QTest::newRow("shape") << QByteArray(R"([{"op":"replace","path":"/regions/0/shape","value":"blob"}])") << "shape";
        QTest::newRow("point") << QByteArray(R"([{"op":"replace","path":"/regions/0/center","value":[1]}])") << "center";
        QTest::newRow("huge point") << QByteArray(R"([{"op":"replace","path":"/regions/0/center","value":[1e12,3]}])") << "center";
        QTest::newRow("two corners") << QByteArray(R"([{"op":"replace","path":"/regions/2/points","value":[[1,2],[3,4]]}])") << "three or more";
        QTest::newRow("gap") << QByteArray(R"([{"op":"replace","path":"/rig/gaps_mm/window","value":-2}])") << "gap";
        QTest::newRow("claim without centre") << QByteArray(R"([{"op":"remove","path":"/filters/1/claimed_bands/1/center_nm"}])") << "center_nm";
        QTest::newRow("claim no object") << QByteArray(R"([{"op":"replace","path":"/filters/1/claimed_bands/0","value":656}])") << "claimed band";
        QTest::newRow("index") << QByteArray(R"([{"op":"replace","path":"/filters/1/effective_index","value":3}])") << "effective_index";
        QTest::newRow("runs no list") << QByteArray(R"([{"op":"replace","path":"/runs","value":7}])") << "runs";
        QTest::newRow("site no object") << QByteArray(R"([{"op":"replace","path":"/site","value":[1]}])") << "site";
    }
    void everyFaultGetsASentence() {
        QFETCH(QByteArray, patch);
        QFETCH(QString, says);
        const Json j = good().patch(Json::parse(patch.toStdString()));
        const auto t = trialFromJson(j, "ridge.json");
        QVERIFY(!t.ok());
        const QString sentence = QString::fromStdString(t.error().message);
        QVERIFY2(sentence.contains(says) && sentence.contains("ridge.json") && !sentence.contains('\n'), qPrintable(sentence));
    }

    void brokenTextTellsWhere() {
        const auto j = parseJson("{\"a\": [1, 2", "cut.json");
        QVERIFY(!j.ok());
        QVERIFY(j.error().message.find("cut.json") != std::string::npos);
        QVERIFY(!trialFromJson(Json::parse("[1, 2]"), "list.json").ok());
        QVERIFY(!trialFromJson(Json(nullptr), "null.json").ok());
    }

    void bortleClassesHaveTheirCentres() {
        QCOMPARE(bortleBrightness(1), 21.99);
        QCOMPARE(bortleBrightness(5), 20.0);
        QCOMPARE(bortleBrightness(9), 17.5);
    }
};

QTEST_GUILESS_MAIN(TrialJsonTest)
#include "trial_json_test.moc"

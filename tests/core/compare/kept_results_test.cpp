#include "core/base/json.h"
#include "core/compare/evidence.h"
#include "core/compare/measure_trial.h"
#include "core/compare/propose.h"
#include "core/compare/results_archive.h"
#include "core/compare/same_field.h"
#include "support/scenes.h"

#include <QTest>

using namespace caelumen;

/// Results that are kept say the same when they come back, and damage is noticed.
class KeptResultsTest : public QObject {
    Q_OBJECT

    scenes::Folder m_folder;
    Trial m_trial;

private slots:
    void initTestCase() {
        QVERIFY(writeTrial(scenes::smallTrial({"open", "duo7"}, 480), m_folder.path()).ok());
        m_trial = *readTrial(m_folder / "trial/trial.json");
        resolveFiles(m_trial, m_folder / "trial");
    }

    void theyComeBackWhole() {
        const auto measured = measureTrial(m_trial, {});
        QVERIFY(measured.ok());
        const std::string bytes = packResults(*measured);
        const auto back = unpackResults(bytes);
        QVERIFY2(back.ok(), back ? "" : back.error().message.c_str());
        QCOMPARE(jsonText(resultsToJson(*back), 1), jsonText(resultsToJson(*measured), 1));
        QCOMPARE(packResults(*back), bytes);
        const auto &was = *measured->evidence, &is = *back->evidence;
        QCOMPARE(is.size(), was.size());
        for (std::size_t i = 0; i < is.size(); ++i)
            for (std::size_t p = 0; p < is[i].planes.size(); ++p) {
                QCOMPARE(is[i].planes[p].discs->size(), was[i].planes[p].discs->size());
                QCOMPARE(is[i].planes[p].mesh.cells.size(), was[i].planes[p].mesh.cells.size());
                QVERIFY(is[i].planes[p].skyValues == was[i].planes[p].skyValues);
                QVERIFY(is[i].planes[p].stars.psf->fwhm == was[i].planes[p].stars.psf->fwhm);
            }
        // What is proposed from them is the same too.
        QVERIFY(proposeRegions(*back) == proposeRegions(*measured));
    }

    void damageIsNoticed() {
        TrialResults r;
        r.baseline = "A";
        r.measurements = {{"A", "open", "R", "background", "", 1, 0.1, {"x"}, true, "y"}};
        const std::string whole = packResults(r);
        QVERIFY(unpackResults(whole).ok());
        for (std::size_t n = 0; n < whole.size(); n += 7) QVERIFY(!unpackResults(std::string_view(whole).substr(0, n)));
        for (std::size_t i = 0; i < whole.size(); i += 5) {
            std::string other = whole;
            other[i] = static_cast<char>(other[i] ^ 0x41);
            QVERIFY(!unpackResults(other));
        }
    }

    void oneFieldIsFoundInAnother() {
        QVERIFY(sameTarget({"NGC 3372", {}, {}}, {"ngc3372", {}, {}}) && !sameTarget({"", {}, {}}, {"", {}, {}}));
        QVERIFY(sameTarget({"Carina", 161.26, -59.87}, {"NGC 3372", 161.3, -59.9}) && !sameTarget({"x", 161.26, -59.87}, {"x", 171.3, -59.9}));
        // The second run of the same field, by its stars: as the measurement aligned them.
        Trial second = m_trial;
        second.runs.erase(second.runs.begin());
        second.runs.front().baseline = true;
        const auto map = alignmentBetween(m_trial, second);
        QVERIFY2(map.ok(), map ? "" : map.error().message.c_str());
        const Alignment known = measureTrial(m_trial, {})->alignment.front().alignment;
        for (const Point p : {Point{50, 60}, Point{400, 100}, Point{240, 250}}) {
            const Point a = map->map(p), b = known.map(p);
            QVERIFY2(std::hypot(a.x - b.x, a.y - b.y) < 0.5, qPrintable(QString("%1 %2").arg(a.x - b.x).arg(a.y - b.y)));
        }
        Trial none;
        QVERIFY(!alignmentBetween(none, second));
    }
};

QTEST_GUILESS_MAIN(KeptResultsTest)
#include "kept_results_test.moc"

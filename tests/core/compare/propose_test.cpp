#include "core/compare/measure_trial.h"
#include "core/compare/propose.h"
#include "core/image/fits_writer.h"
#include "support/scenes.h"

using namespace caelumen;

class ProposeTest : public QObject {
    Q_OBJECT

    scenes::Folder m_folder;

private slots:
    void kindsAreGuessedFromNames_data() {
        QTest::addColumn<QString>("name");
        QTest::addColumn<QString>("kind");
        for (const auto& [name, kind] : std::initializer_list<std::pair<const char*, const char*>>{{"No filter", "none"},
                                                                                                   {"UV/IR cut", "uv-ir-cut"},
                                                                                                   {"Clearpane UV/IR cut", "uv-ir-cut"},
                                                                                                   {"Twinline 7 dual band", "dual-band"},
                                                                                                   {"duo_3nm", "dual-band"},
                                                                                                   {"Quartet 10 four-band", "multi-band"},
                                                                                                   {"Veldglow city suppressor", "light-pollution"},
                                                                                                   {"Ha", "single-line"},
                                                                                                   {"m42_ha_3nm", "single-line"},
                                                                                                   {"OIII", "single-line"},
                                                                                                   {"Halo tester", "other"},
                                                                                                   {"L", "uv-ir-cut"},
                                                                                                   {"Thing", "other"}})
            QTest::newRow(name) << QString(name) << QString(kind);
    }
    void kindsAreGuessedFromNames() {
        QFETCH(QString, name);
        QFETCH(QString, kind);
        QCOMPARE(QString::fromStdString(guessKind(name.toStdString())), kind);
    }

    void framesBecomeATrialWithRegions() {
        SimulatedTrial s = scenes::smallTrial({"duo3", "open"}, 800);
        s.runs[0].alignment = {};
        s.runs[1].alignment = {};
        QVERIFY(writeTrial(s, m_folder.path()).ok());
        const auto trial = proposeTrial({m_folder.path() / "trial/A.fits", m_folder.path() / "trial/B.fits"});
        QVERIFY(trial.ok());
        QCOMPARE(trial->runs.size(), std::size_t{2});
        QVERIFY(!trial->runs[0].baseline && trial->runs[1].baseline); // the UV/IR cut, though it came second
        QVERIFY(trial->filters[0].guessed);
        QVERIFY(std::abs(*trial->site.latitude_deg - *s.trial.site.latitude_deg) < 1e-6);

        const auto first = measureTrial(*trial, {});
        QVERIFY2(first.ok(), first.ok() ? "" : first.error().message.c_str());
        const auto regions = proposeRegions(*first);
        int nebula = 0, sky = 0, halo = 0;
        for (const Region& r : regions) {
            QVERIFY(r.guessed);
            nebula += r.role == RegionRole::Nebula;
            sky += r.role == RegionRole::Sky;
            halo += r.role == RegionRole::HaloStar;
            if (r.role == RegionRole::HaloStar) QVERIFY(std::hypot(r.points[0].x - s.brightStar.at.x, r.points[0].y - s.brightStar.at.y) < 6);
            if (r.role == RegionRole::Nebula) QVERIFY(std::hypot(r.points[0].x - 400, r.points[0].y - 266) < 250);
        }
        QVERIFY(nebula >= 1 && sky >= 2 && halo == 1);
        Trial full = *trial;
        full.regions = regions;
        const auto second = measureTrial(full, {});
        QVERIFY(second.ok());
        const Measurement* ratio = second->headline("A", "time_ratio", "N1");
        QVERIFY(ratio && ratio->value > 2);
    }

    void idsGoOnAndFiltersAreShared() {
        const Plane p(64, 64, 100.0F);
        for (const char* name : {"a.fits", "b.fits", "c.fits"}) QVERIFY(writeFits(m_folder / name, {&p}, {{"FILTER", std::string("Twinline 7"), ""}}).ok());
        auto trial = proposeTrial({m_folder / "a.fits", m_folder / "b.fits"});
        QVERIFY(trial.ok());
        QVERIFY(addRuns(*trial, {m_folder / "c.fits"}).ok());
        QCOMPARE(trial->runs[2].id, std::string("C"));
        QCOMPARE(trial->filters.size(), std::size_t{1});
        QVERIFY(!addRuns(*trial, {m_folder / "missing.fits"}).ok());
    }

    /// Halves belong to the stack that they lie beside; dropped together with it they make no runs, dropped alone they do.
    void halvesBelongToTheirStack() {
        const Plane p(64, 64, 100.0F);
        for (const char* name : {"whole.fits", "whole-odd.fits", "whole-even.fits", "lone.fits", "lone-odd.fits"})
            QVERIFY(writeFits(m_folder / name, {&p}, {}).ok());
        const auto trial = proposeTrial({m_folder / "whole-odd.fits", m_folder / "whole.fits", m_folder / "lone.fits", m_folder / "whole-even.fits"});
        QVERIFY(trial.ok());
        QCOMPARE(trial->runs.size(), std::size_t{2});
        const Halves halves = halvesOf(trial->runs[0], {});
        QCOMPARE(halves.odd, m_folder / "whole-odd.fits");
        QCOMPARE(halves.even, m_folder / "whole-even.fits");
        QVERIFY(!halves.named && halvesOf(trial->runs[1], {}).odd.empty());
        const auto read = filesOf(*trial, {}); // so that nothing is written over them
        QVERIFY(std::find(read.begin(), read.end(), m_folder / "whole-even.fits") != read.end());
        QCOMPARE(proposeTrial({m_folder / "whole-odd.fits"})->runs.size(), std::size_t{1});
    }

    void noNebulaNoNebulaRegion() {
        scenes::PlaneScene s;
        s.width = 800;
        s.height = 533;
        s.stars = 150;
        const Plane p = scenes::make(s).plane;
        QVERIFY(writeFits(m_folder / "flat.fits", {&p}, {{"EXPTIME", 60.0, ""}}).ok());
        const auto trial = proposeTrial({m_folder / "flat.fits"});
        const auto r = measureTrial(*trial, {});
        QVERIFY(r.ok());
        for (const Region& region : proposeRegions(*r)) QVERIFY(region.role != RegionRole::Nebula);
    }
};

QTEST_GUILESS_MAIN(ProposeTest)
#include "propose_test.moc"

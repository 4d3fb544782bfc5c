#include "core/base/json.h"
#include "core/image/fits_writer.h"
#include "core/image/frame_file.h"
#include "core/prepare/prepare_run.h"
#include "support/scenes.h"

using namespace caelumen;
namespace fs = std::filesystem;

/// What a stack says of its subs, and what it refuses: nothing unknown is written, nothing unlike is mixed.
class SubFactsTest : public QObject {
    Q_OBJECT
    scenes::Folder m_folder;

    void write(const std::string& name, int i, std::vector<HeaderCard> cards, double clear = 1, double unit = 1) const {
        scenes::PlaneScene s;
        s.width = 300, s.height = 240;
        s.sky = 500, s.noise = 12, s.stars = 50;
        s.faintest = 3000 * clear, s.brightest = 60'000 * clear;
        s.seed = 5;
        Plane p = scenes::make(s).plane;
        scenes::addNoise(p, 4, 100 + static_cast<unsigned long long>(i));
        for (std::size_t k = 0; k < p.size(); ++k) p.data()[k] = static_cast<float>(static_cast<double>(p.data()[k]) * unit);
        QVERIFY(writeFits(m_folder.path() / name, {&p}, std::move(cards)).ok());
    }
    SubsRecipe recipeOf(const std::vector<std::string>& names) const {
        SubsRecipe r;
        for (const std::string& n : names) r.lights.push_back(m_folder.path() / n);
        r.run.id = "A", r.run.filter = "unknown";
        return r;
    }
    FrameFacts factsOfStack() const { return FrameFile::open(m_folder.path() / "stack.fits")->info().facts; }
    Result<PreparedRun> prepared(const std::vector<std::string>& names) const { return prepareRun(recipeOf(names), m_folder.path() / "stack.fits"); }
    static bool warns(const PreparedRun& p, const char* words) {
        return std::any_of(p.warnings.begin(), p.warnings.end(), [&](const std::string& w) { return w.find(words) != std::string::npos; });
    }

private slots:
    void whatIsUnknownIsNotWritten() {
        for (int i = 0; i < 4; ++i) write("bare" + std::to_string(i) + ".fits", i, {});
        const auto p = prepared({"bare0.fits", "bare1.fits", "bare2.fits", "bare3.fits"});
        QVERIFY2(p.ok(), p ? "" : p.error().message.c_str());
        const FrameFacts f = factsOfStack();
        QVERIFY(!f.sub_exposure_s && !f.filter && !f.gain_setting);
        const Json report = preparedToJson(*p);
        QVERIFY(report["total_s"].is_null() && report["subs"][0]["exposure_s"].is_null());
    }

    void namesHelpWhereHeadersAreSilent() {
        std::vector<std::string> names;
        for (int i = 0; i < 4; ++i) write(names.emplace_back("M8_Ha_180s_gain100_" + std::to_string(i) + ".fits"), i, {});
        const auto p = prepared(names);
        QVERIFY2(p.ok(), p ? "" : p.error().message.c_str());
        const FrameFacts f = factsOfStack();
        QCOMPARE(f.sub_exposure_s.value(), 180.0);
        QCOMPARE(f.filter.value(), std::string("Ha"));
        QVERIFY(warns(*p, "names of the files: filter, exposure, gain"));
    }

    void theOddOneIsNamed_data() {
        QTest::addColumn<QString>("keyword");
        QTest::addColumn<QString>("said");
        QTest::newRow("filter") << "FILTER"
                                << "through Other, the other subs through Usual";
        QTest::newRow("gain") << "GAIN"
                              << "with gain 0, the other subs with gain 100";
        QTest::newRow("pixels") << "XPIXSZ"
                                << "with pixels of 7.52 um, the other subs with 3.76 um";
    }
    void theOddOneIsNamed() {
        QFETCH(QString, keyword);
        QFETCH(QString, said);
        std::vector<std::string> names;
        for (int i = 0; i < 4; ++i) {
            const bool odd = i == 2;
            HeaderCard card{keyword.toStdString(), std::string(), ""};
            if (keyword == "FILTER")
                card.value = std::string(odd ? "Other" : "Usual");
            else if (keyword == "GAIN")
                card.value = odd ? 0.0 : 100.0;
            else
                card.value = odd ? 7.52 : 3.76;
            write(names.emplace_back("mixed" + std::to_string(i) + ".fits"), i, {card, {"EXPTIME", 60.0, ""}});
        }
        fs::remove(m_folder.path() / "stack.fits");
        const auto p = prepared(names);
        QVERIFY(!p.ok());
        QVERIFY2(p.error().message.find("mixed2.fits") != std::string::npos && p.error().message.find(said.toStdString()) != std::string::npos,
                 p.error().message.c_str());
        QVERIFY(!fs::exists(m_folder.path() / "stack.fits"));
    }

    /// Values from 0 to 1 are parts of the full scale, in each file by itself.
    void partsOfOneAreAdu() {
        std::vector<std::string> names, adu;
        for (int i = 0; i < 4; ++i) {
            write(adu.emplace_back("adu" + std::to_string(i) + ".fits"), i, {{"EXPTIME", 60.0, ""}});
            write(names.emplace_back("part" + std::to_string(i) + ".fits"), i, {{"EXPTIME", 60.0, ""}}, 1, i < 3 ? 1 / 65535.0 : 1);
        }
        const auto a = prepared(adu), b = prepared(names);
        QVERIFY(a.ok() && b.ok());
        QVERIFY(warns(*b, "values from 0 to 1") && !warns(*a, "values from 0 to 1"));
        for (std::size_t i = 0; i < 4; ++i) {
            const SubFigures &x = a->run.subs[i].figures, &y = b->run.subs[i].figures;
            QVERIFY(std::abs(y.level.at("L") / x.level.at("L") - 1) < 1e-4 && std::abs(y.noise.at("L") / x.noise.at("L") - 1) < 1e-3);
            QVERIFY(b->run.subs[i].keep);
        }
    }

    void thinCloudIsToldAndWritten() {
        std::vector<std::string> names;
        for (int i = 0; i < 10; ++i) write(names.emplace_back("veil" + std::to_string(i) + ".fits"), i, {{"EXPTIME", 60.0, ""}}, i == 4 || i == 5 ? 0.82 : 1);
        const auto p = prepared(names);
        QVERIFY(p.ok());
        QCOMPARE(p->run.kept(), std::size_t{10});
        const auto clear = p->run.transparency();
        QVERIFY(clear && std::abs(clear->mean - 0.964) < 0.01 && std::abs(clear->least - 0.82) < 0.02);
        QVERIFY(warns(*p, "2 of 10 kept subs show less than 92 %"));
        QVERIFY(std::abs(preparedToJson(*p)["transparency"]["mean"].get<double>() - clear->mean) < 1e-5);
    }
};

QTEST_APPLESS_MAIN(SubFactsTest)
#include "sub_facts_test.moc"

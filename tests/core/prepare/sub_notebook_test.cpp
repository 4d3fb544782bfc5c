#include "core/base/statistics.h"
#include "core/prepare/sub_notebook.h"
#include "core/prepare/verdict.h"

#include <QTemporaryDir>
#include <QTest>

#include <cmath>
#include <fstream>
#include <limits>

using namespace caelumen;
namespace fs = std::filesystem;

namespace {

/// Subs of one field, each shifted a little, of differing sharpness and clearness.
std::vector<SubFigures> night(int n) {
    Random random(9);
    SubStars stars;
    for (int i = 0; i < 80; ++i) stars.push_back({{40 + 900 * random.uniform(), 40 + 600 * random.uniform()}, std::pow(10, 3 + 2 * random.uniform()), 0});
    std::vector<SubFigures> out;
    for (int i = 0; i < n; ++i) {
        SubFigures f;
        f.file = "/subs/nuit-\xc3\xa9toil\xc3\xa9" + std::to_string(100 + i) + ".fits";
        f.start = "2026-06-15T18:" + std::to_string(10 + i) + ":00Z";
        f.exposure_s = 60;
        f.channel = "G";
        f.level["G"] = 500, f.noise["G"] = 20, f.sky["G"] = {500, 0, 0, 0};
        f.stars = 700 + i % 7;
        f.fwhm_px = 3 + 0.1 * random.normal(), f.eccentricity = 0.3;
        f.aperture_px = 6;
        const double clear = 1 - 0.05 * random.uniform();
        SubStars found;
        for (const SubStar& s : stars) found.push_back({{s.at.x + 2.5 * i, s.at.y - 1.25 * i}, clear * s.flux, s.flux});
        f.found = std::move(found);
        out.push_back(std::move(f));
    }
    return out;
}

bool sameStars(const SubStars& a, const SubStars& b) {
    return std::equal(a.begin(), a.end(), b.begin(), b.end(), [](const SubStar& s, const SubStar& t) {
        return s.at.x == t.at.x && s.at.y == t.at.y && s.flux == t.flux && s.brightness == t.brightness;
    });
}

void compare(const JudgedRun& a, const JudgedRun& b) {
    QCOMPARE(a.subs.size(), b.subs.size());
    QCOMPARE(a.reference, b.reference);
    for (std::size_t i = 0; i < a.subs.size(); ++i) {
        QCOMPARE(a.subs[i].figures->file, b.subs[i].figures->file);
        QCOMPARE(a.subs[i].keep, b.subs[i].keep);
        QCOMPARE(a.subs[i].words, b.subs[i].words);
        QVERIFY(a.subs[i].transparency == b.subs[i].transparency);
        QVERIFY(a.subs[i].alignment.has_value() && b.subs[i].alignment.has_value());
        QVERIFY(a.subs[i].alignment->dx == b.subs[i].alignment->dx && a.subs[i].alignment->rotation_deg == b.subs[i].alignment->rotation_deg);
    }
}

} // namespace

class SubNotebookTest : public QObject {
    Q_OBJECT

    QTemporaryDir m_folder;
    fs::path at(const char* name) const { return fs::path(m_folder.path().toStdString()) / name; }

private slots:
    void starsComeBackToTheLastBit() {
        const auto book = SubNotebook::open(at("kept.work"), "masters");
        const auto subs = night(3);
        for (const SubFigures& f : subs) {
            const SubFigures kept = book->keep(f.file, f);
            QCOMPARE(kept.found.size(), f.found.size());
            QVERIFY(!kept.found.sameAs(f.found) && sameStars(kept.found.list(), f.found.list()));
            QVERIFY(kept.found.sameAs(book->find(f.file)->found));
        }
        const auto again = SubNotebook::open(at("kept.work"), "masters");
        QVERIFY(sameStars(again->find(subs[1].file)->found.list(), subs[1].found.list()));
        QVERIFY(again->find(subs[1].file)->sky == subs[1].sky);
        QVERIFY(!again->find("another"));
        QVERIFY(!SubNotebook::open(at("kept.work"), "other masters")->find(subs[1].file));
        // What was kept last holds.
        SubFigures changed = subs[1];
        changed.stars = 12;
        (void)again->keep(changed.file, changed);
        QCOMPARE(again->find(changed.file)->stars, 12);
        QCOMPARE(SubNotebook::open(at("kept.work"), "masters")->find(changed.file)->stars, 12);
    }

    void whatWasCutShortSpoilsNothing() {
        const auto subs = night(3);
        (void)SubNotebook::open(at("torn.work"), "m")->keep("0", subs[0]);
        const auto whole = fs::file_size(at("torn.work"));
        (void)SubNotebook::open(at("torn.work"), "m")->keep("1", subs[1]);
        fs::resize_file(at("torn.work"), whole + 100); // killed while writing
        const auto book = SubNotebook::open(at("torn.work"), "m");
        QVERIFY(book->find("0") && !book->find("1"));
        QVERIFY(sameStars(book->keep("2", subs[2]).found.list(), subs[2].found.list()));
        const auto again = SubNotebook::open(at("torn.work"), "m");
        QVERIFY(again->find("0") && !again->find("1") && again->find("2"));
        std::ofstream(at("strange.work")) << "[1, 2]\n{}\n\n\xff\xfe\n{\"masters\": \"m\", \"stamp\": 3}\n";
        QVERIFY(!SubNotebook::open(at("strange.work"), "m")->find("0"));
    }

    void twoMayWrite() {
        const auto subs = night(20);
        const auto a = SubNotebook::open(at("two.work"), "m"), b = SubNotebook::open(at("two.work"), "m");
        std::vector<SubFigures> kept;
        for (std::size_t i = 0; i < subs.size(); ++i) kept.push_back((i % 3 == 0 ? a : b)->keep(subs[i].file, subs[i]));
        for (std::size_t i = 0; i < subs.size(); ++i) QVERIFY(sameStars(kept[i].found.list(), subs[i].found.list()));
    }

    void withoutAFileStarsStayInMemory() {
        const auto subs = night(1);
        for (const fs::path& nowhere : {fs::path(), at("no/such/folder.work"), fs::path("/dev/full")}) {
            const auto book = SubNotebook::open(nowhere, "m");
            const SubFigures kept = book->keep("0", subs[0]);
            QVERIFY(kept.found.sameAs(subs[0].found));
            QVERIFY(!book->find("0"));
        }
        // A figure that is no number cannot be written down; its stars are not lost with it.
        SubFigures odd = subs[0];
        odd.gradient = std::numeric_limits<double>::quiet_NaN();
        const auto book = SubNotebook::open(at("odd.work"), "m");
        QVERIFY(sameStars(book->keep("0", odd).found.list(), odd.found.list()));
    }

    void judgingGoesOnWhereItWas() {
        const auto book = SubNotebook::open(at("judged.work"), "m");
        std::vector<SubFigures> subs = night(14);
        subs[6].fwhm_px = 2.2, subs[12].fwhm_px = 2.0; // the best so far, and one better still
        std::optional<JudgedRun> earlier;
        for (std::size_t n = 8; n <= subs.size(); ++n) {
            std::vector<SharedFigures> shelved;
            for (std::size_t i = 0; i < n; ++i) {
                const auto known = book->find(subs[i].file);
                shelved.push_back(known ? *known : book->keep(subs[i].file, subs[i]));
            }
            const auto anew = judgeRun({subs.begin(), subs.begin() + static_cast<std::ptrdiff_t>(n)}, {}, "");
            auto onward = judgeRun(shelved, {}, "", earlier ? &*earlier : nullptr);
            QVERIFY(anew.ok() && onward.ok());
            QCOMPARE(anew->reference, n > 12 ? std::size_t{12} : std::size_t{6});
            compare(*anew, *onward);
            earlier = std::move(*onward);
        }
        // One that was measured again is laid again, one that is gone is not missed.
        SubFigures moved = subs[3];
        SubStars stars = moved.found.list();
        for (SubStar& s : stars) s.at.x += 40;
        moved.found = std::move(stars);
        subs[3] = moved;
        subs.erase(subs.begin() + 5);
        std::vector<SharedFigures> shelved;
        for (const SubFigures& f : subs) shelved.push_back(&f == &subs[3] ? f : *book->find(f.file));
        const auto anew = judgeRun({subs.begin(), subs.end()}, {}, ""), onward = judgeRun(shelved, {}, "", &*earlier);
        QVERIFY(std::abs(anew->subs[3].alignment->dx - earlier->subs[3].alignment->dx - 40) < 0.1);
        compare(*anew, *onward);
    }
};

QTEST_GUILESS_MAIN(SubNotebookTest)
#include "sub_notebook_test.moc"

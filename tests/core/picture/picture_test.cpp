#include "core/image/fits_writer.h"
#include "core/picture/stretch.h"
#include "support/scenes.h"

using namespace caelumen;

class PictureTest : public QObject {
    Q_OBJECT

    scenes::Folder m_folder;

    PicturePyramid load(const std::vector<const Plane*>& planes, std::vector<HeaderCard> cards = {}) {
        cards.push_back({"EXPTIME", 10.0, ""});
        cards.push_back({"EGAIN", 0.5, ""});
        cards.push_back({"PEDESTAL", 20.0, ""});
        if (!writeFits(m_folder / "p.fits", planes, cards).ok()) qFatal("cannot write");
        Trial t;
        Run r;
        r.id = "A";
        r.stack = "p.fits";
        t.runs = {r};
        const auto open = openRun(t, r, m_folder.path());
        auto p = PicturePyramid::load(*open);
        if (!p) qFatal("%s", p.error().message.c_str());
        return std::move(*p);
    }

private slots:
    void codesKeepRatesFinerThanNoise() {
        scenes::PlaneScene s;
        s.width = 700;
        s.height = 600;
        const Plane plane = scenes::make(s).plane;
        const PicturePyramid p = load({&plane});
        QCOMPARE(p.levels().front().width, 700);
        for (int y = 50; y < 550; y += 37) {
            for (int x = 50; x < 650; x += 41) {
                const double rate = (static_cast<double>(plane.at(x, y)) - 20) * 0.5 / 10;
                QVERIFY(std::abs(p.rate(0, p.row(0, 0, y)[x]) - rate) < 0.01 * p.stats(0).noise + 1e-3 * std::abs(rate));
            }
        }
    }

    void levelsHalveAndKeepTheMean() {
        scenes::PlaneScene s;
        s.width = 1301;
        s.height = 777;
        s.stars = 0;
        const Plane plane = scenes::make(s).plane;
        const PicturePyramid p = load({&plane});
        QCOMPARE(p.levels().size(), std::size_t{3});
        QCOMPARE(p.levels()[1].width, 651);
        double sum = 0;
        const auto& last = p.levels().back();
        for (int y = 0; y < last.height; ++y)
            for (int x = 0; x < last.width; ++x) sum += p.rate(0, p.row(2, 0, y)[x]);
        QVERIFY(std::abs(sum / (last.width * last.height) - 4) < 0.01);
    }

    void missingPixelsAreBlack() {
        Plane plane(600, 600, 50.0F);
        scenes::addNoise(plane, 2, 1);
        plane.at(10, 10) = kNoData;
        const PicturePyramid p = load({&plane});
        const StretchTable table = stretchTable(p, ownSkyStretch(p));
        QCOMPARE(table[0][p.row(0, 0, 10)[10]], std::uint8_t{0});
        QVERIFY(table[0][p.row(0, 0, 11)[11]] > 0);
    }

    /// One stretch for all: what is brighter in electrons is never darker on the screen, whichever run it stands in.
    void theSharedStretchIsOneScale() {
        Plane dark(520, 520, 40.0F), light(520, 520, 400.0F);
        scenes::addNoise(dark, 2, 1);
        scenes::addNoise(light, 6, 2);
        const PicturePyramid a = load({&dark}), b = load({&light});
        const Stretch s = sharedStretch({&a, &b}, b);
        double before = -1;
        for (double rate = 0; rate < 60; rate += 0.5) {
            const double grey = s.grey(1, rate);
            QVERIFY(grey >= before);
            before = grey;
        }
        QVERIFY(s.grey(1, b.stats(0).sky) > s.grey(1, a.stats(0).sky) + 0.1);
        // Each to its own sky: both skies look alike.
        QVERIFY(std::abs(ownSkyStretch(a).grey(1, a.stats(0).sky) - ownSkyStretch(b).grey(1, b.stats(0).sky)) < 0.03);
        // Wishes: more light is lighter.
        QVERIFY(sharedStretch({&a, &b}, b, {0.5, 0}).grey(1, 15) > s.grey(1, 15));
    }

    void redTintHasNoOtherColour() {
        Plane r(520, 520, 300.0F), g(520, 520, 500.0F), bl(520, 520, 200.0F);
        for (Plane* p : {&r, &g, &bl}) scenes::addNoise(*p, 5, 3);
        const PicturePyramid p = load({&r, &g, &bl});
        std::vector<std::uint32_t> out(64 * 64);
        renderTile(p, stretchTable(p, ownSkyStretch(p)), PictureTint::Red, 0, 10, 10, 64, 64, out.data(), 64);
        bool lit = false;
        for (const auto v : out) {
            QCOMPARE(v & 0xffffU, 0U);
            lit = lit || (v & 0xff0000U) != 0;
        }
        QVERIFY(lit);
    }
};

QTEST_GUILESS_MAIN(PictureTest)
#include "picture_test.moc"

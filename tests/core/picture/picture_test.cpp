#include "core/image/fits_writer.h"
#include "core/picture/view_render.h"
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
        const StretchTable table = stretchTable(p, ownSkyStretch({&p}));
        QCOMPARE(table[0][p.row(0, 0, 10)[10]], std::uint8_t{0});
        QVERIFY(table[0][p.row(0, 0, 11)[11]] > 0);
    }

    /// One stretch for all: what is brighter in electrons is never darker on the screen, whichever run it stands in.
    void theSharedStretchIsOneScale() {
        Plane dark(520, 520, 40.0F), light(520, 520, 400.0F);
        scenes::addNoise(dark, 2, 1);
        scenes::addNoise(light, 6, 2);
        const PicturePyramid a = load({&dark}), b = load({&light});
        const Stretch s = sharedStretch({{&a}, {&b}}, {&b});
        double before = -1;
        for (double rate = 0; rate < 60; rate += 0.5) {
            const double grey = s.grey(1, rate);
            QVERIFY(grey >= before);
            before = grey;
        }
        QVERIFY(s.grey(1, b.stats(0).sky) > s.grey(1, a.stats(0).sky) + 0.1);
        // Each to its own sky: both skies look alike.
        QVERIFY(std::abs(ownSkyStretch({&a}).grey(1, a.stats(0).sky) - ownSkyStretch({&b}).grey(1, b.stats(0).sky)) < 0.03);
        // Wishes: more light is lighter.
        QVERIFY(sharedStretch({{&a}, {&b}}, {&b}, {0.5, 0}).grey(1, 15) > s.grey(1, 15));
    }

    void redTintHasNoOtherColour() {
        Plane r(520, 520, 300.0F), g(520, 520, 500.0F), bl(520, 520, 200.0F);
        for (Plane* p : {&r, &g, &bl}) scenes::addNoise(*p, 5, 3);
        const PicturePyramid p = load({&r, &g, &bl});
        std::vector<std::uint32_t> out(64 * 64);
        renderView({{&p}, {}}, {64, 64, 10, 10, 1}, ownSkyStretch({&p}), PictureTint::Red, out.data(), 64);
        bool lit = false;
        for (const auto v : out) {
            QCOMPARE(v & 0xffffU, 0U);
            lit = lit || (v & 0xff0000U) != 0;
        }
        QVERIFY(lit);
    }

    /// What stands under a pixel of the screen is what the frame has there, whatever the zoom and however the run is turned.
    void aViewShowsThePlaceItNames() {
        Plane plane(700, 560, 50.0F);
        scenes::addNoise(plane, 2, 1);
        for (int y = 298; y <= 302; ++y)
            for (int x = 398; x <= 402; ++x) plane.at(x, y) = 5000;
        const PicturePyramid p = load({&plane});
        const Alignment turned{500, 60, 30, 1.1, true, 0, 0};
        const Point star = turned.unmap({400, 300});
        for (const Alignment& a : {Alignment{}, turned})
            for (const double step : {0.25, 1.0, 2.3}) {
                const Point at = a.rotation_deg == 0 ? Point{400, 300} : star;
                std::vector<std::uint32_t> out(101 * 81);
                renderView({{&p}, a}, {101, 81, at.x - 50 * step, at.y - 40 * step, step}, ownSkyStretch({&p}), PictureTint::Natural, out.data(), 101);
                double sx = 0, sy = 0, n = 0;
                for (int y = 0; y < 81; ++y)
                    for (int x = 0; x < 101; ++x)
                        if ((out[static_cast<std::size_t>(y * 101 + x)] & 255U) > 180) sx += x, sy += y, n += 1;
                QVERIFY(n > 0);
                QVERIFY2(std::hypot(sx / n - 50, sy / n - 40) < 0.7 / step + 0.3, qPrintable(QString("%1 %2 at step %3").arg(sx / n).arg(sy / n).arg(step)));
                QVERIFY(rateAt({{&p}, a}, at, 1).value()[0] > 60);
            }
        // Beyond the frame there is nothing.
        QVERIFY(!rateAt({{&p}, {}}, {-3, 100}, 1));
        std::vector<std::uint32_t> out(4);
        renderView({{&p}, {}}, {2, 2, -50, -50, 1}, ownSkyStretch({&p}), PictureTint::Natural, out.data(), 2);
        for (const auto v : out) QCOMPARE(v, 0xff000000U);
    }

    void sumsOfChannelsAndRatios() {
        Plane r(520, 520, 300.0F), g(520, 520, 500.0F), b(520, 520, 200.0F), half(520, 520, 500.0F);
        std::uint64_t seed = 1;
        for (Plane* p : {&r, &g, &b, &half}) scenes::addNoise(*p, 1, seed++);
        const PicturePyramid three = load({&r, &g, &b}), one = load({&half});
        const auto rate = [](double adu) { return (adu - 20) * 0.5 / 10; };
        const Showing red{false, {1, 0, 0}}, line{false, {1, -0.2, 0.5}};
        QVERIFY(std::abs(rateAt({{&three, red}, {}}, {100, 100}, 8)->at(0) - rate(300)) < 0.2);
        QVERIFY(std::abs(rateAt({{&three, line}, {}}, {100, 100}, 8)->at(0) - (rate(300) - 0.2 * rate(500) + 0.5 * rate(200))) < 0.2);
        QCOMPARE(rateAt({{&three}, {}}, {100, 100}, 8)->size(), std::size_t{3});
        QVERIFY(std::abs(Seen{&three, line}.stats()[0].sky - (rate(300) - 0.2 * rate(500) + 0.5 * rate(200))) < 0.03);
        std::vector<std::uint32_t> out(16 * 16);
        renderRatio({{&one}, {}}, {{&three}, {}}, {16, 16, 100, 100, 4}, ViewShades({&one}, Seen{&three}), PictureTint::Natural, out.data(), 16);
        const std::uint32_t want = ratioColour(rate(500) / (rate(300) + rate(500) + rate(200)), PictureTint::Natural);
        for (const auto v : out)
            for (const int shift : {0, 8, 16}) QVERIFY(std::abs(static_cast<int>(v >> shift & 255U) - static_cast<int>(want >> shift & 255U)) <= 3);
        // From the same area of the sky: a run with half the pixel scale has four pixels for one of the baseline's.
        renderRatio({{&one}, {0, 0, 0, 2, false, 0, 0}}, {{&one}, {}}, {16, 16, 100, 100, 4}, ViewShades({&one}, Seen{&one}), PictureTint::Natural, out.data(),
                    16);
        const std::uint32_t four = ratioColour(4, PictureTint::Natural);
        for (const auto v : out)
            for (const int shift : {0, 8, 16}) QVERIFY(std::abs(static_cast<int>(v >> shift & 255U) - static_cast<int>(four >> shift & 255U)) <= 3);
        // A run against itself is one everywhere.
        renderRatio({{&one}, {}}, {{&one}, {}}, {16, 16, 100, 100, 1}, ViewShades({&one}, Seen{&one}), PictureTint::Natural, out.data(), 16);
        const std::uint32_t even = ratioColour(1, PictureTint::Natural);
        for (const auto v : out)
            for (const int shift : {0, 8, 16}) QVERIFY(std::abs(static_cast<int>(v >> shift & 255U) - static_cast<int>(even >> shift & 255U)) <= 1);
        double before = -1; // lighter and lighter, also in red
        for (double t = kRatioLow; t <= kRatioHigh; t *= 1.3)
            for (const auto tint : {PictureTint::Red}) {
                const double v = ratioColour(t, tint) >> 16 & 255U;
                QVERIFY(v > before);
                before = v;
            }
    }

    void pointsOfTheStretchAreWhatTheyWere() {
        Plane plane(520, 520, 40.0F);
        scenes::addNoise(plane, 2, 1);
        const PicturePyramid p = load({&plane});
        const Stretch s = sharedStretch({{&p}}, {&p});
        QVERIFY(std::abs(s.grey(1, middleOf(s)) - 0.5) < 1e-9);
        const Stretch same = withMiddle(s, middleOf(s));
        QVERIFY(std::abs(same.soft / s.soft - 1) < 1e-6);
        const Stretch straight = linearStretch({{&p}}, {&p});
        for (const double part : {0.1, 0.37, 0.8}) QVERIFY(std::abs(straight.grey(1, straight.black + part * (straight.white - straight.black)) - part) < 1e-6);
        QVERIFY(std::abs(middleOf(withMiddle(s, s.black + 0.5 * (s.white - s.black))) / (0.5 * (s.white + s.black)) - 1) < 0.01);
    }
};

QTEST_GUILESS_MAIN(PictureTest)
#include "picture_test.moc"

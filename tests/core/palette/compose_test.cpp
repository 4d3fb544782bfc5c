#include "core/base/file.h"
#include "core/base/json.h"
#include "core/image/tiff_reader.h"
#include "core/image/tiff_writer.h"
#include "core/palette/compose.h"
#include "core/palette/starless.h"
#include "support/picture_scene.h"

#include <QTest>

#include <cmath>

using namespace caelumen;
using namespace caelumen::picture_scene;

namespace {

Recipe recipe(const char* text) {
    const auto r = recipeFromText(text, "recipe.json");
    return r ? *r : Recipe{};
}

constexpr const char* kLinear = R"({"caelumen_palette": 1, "inputs": {"H": {"stack": "a.fits", "channel": "R"}, "O": {"stack": "a.fits", "channel": "B"}},
    "map": {"R": {"H": 1.0}, "G": {"O": 0.8, "H": 0.2}, "B": {"O": 1.0}}, "background": "keep", "scale": "none", "stars": {"mode": "keep"}, "stretch": {"kind": "none"}})";

} // namespace

class ComposeTest : public QObject {
    Q_OBJECT

private slots:
    void withoutScaleAndStretchItIsTheMatrix() {
        Folder folder;
        const std::vector<Sky> skies{{0.4, 1, 0, 0.5, 0.006, {}, 1}, {0.2, 1, 0, 0.4, 0.006, {}, 2}, {0.1, 1, 0, 0.3, 0.006, {}, 3}};
        folder.stack("a.fits", skies);
        const auto picture = compose(recipe(kLinear), folder.path());
        QVERIFY2(picture.ok(), picture ? "" : picture.error().message.c_str());
        const Plane h = rates(skies[0]), o = rates(skies[2]);
        double most = 0;
        for (int y = 0; y < kHeight; ++y)
            for (int x = 0; x < kWidth; ++x) {
                const double r = static_cast<double>(h.at(x, y)), b = static_cast<double>(o.at(x, y));
                most = std::max({most, std::abs(static_cast<double>(picture->planes[0].at(x, y)) - r) / (1 + r),
                                 std::abs(static_cast<double>(picture->planes[1].at(x, y)) - (0.8 * b + 0.2 * r)) / (1 + r),
                                 std::abs(static_cast<double>(picture->planes[2].at(x, y)) - b) / (1 + b)});
            }
        QVERIFY2(most < 1e-4, qPrintable(QString::number(most))); // as ADU are stored in single precision
    }

    void otherFramesAreLaidOnTheFirst() {
        Folder folder;
        Alignment turned;
        turned.dx = 6.3, turned.dy = -4.2, turned.rotation_deg = 0.7;
        folder.stack("a.fits", {{0.4, 1, 0, 0.5, 0.004, {}, 1}});
        folder.stack("b.fits", {{0.2, 1, 0, 0.3, 0.004, turned, 2}});
        const auto picture = compose(
            recipe(
                R"({"caelumen_palette": 1, "inputs": {"A": {"stack": "a.fits"}, "B": {"stack": "b.fits"}}, "map": {"R": {"A": 1}, "G": {"B": 1}, "B": {"B": 1}},
            "background": "keep", "stretch": {"kind": "none"}})"),
            folder.path());
        QVERIFY2(picture.ok(), picture ? "" : picture.error().message.c_str());
        const Plane truth = rates({0.2, 1, 0, 0.3, 0, {}, 2});
        double sum = 0, sum2 = 0, n = 0;
        for (int y = 30; y < kHeight - 30; ++y)
            for (int x = 30; x < kWidth - 30; ++x) {
                const double t = static_cast<double>(truth.at(x, y)), d = static_cast<double>(picture->planes[1].at(x, y)) - t;
                if (t > 0.7) continue; // nebula and sky; steep stars follow
                sum += d, sum2 += d * d, n += 1;
            }
        QVERIFY2(std::abs(sum / n) < 0.003 && std::sqrt(sum2 / n) < 0.012, qPrintable(QString("%1 %2").arg(sum / n).arg(std::sqrt(sum2 / n))));
        QVERIFY(!std::isfinite(static_cast<double>(picture->planes[1].at(kWidth - 1, kHeight - 1))) ||
                !std::isfinite(static_cast<double>(picture->planes[1].at(0, 0))) ||
                !std::isfinite(static_cast<double>(picture->planes[1].at(0, kHeight - 1)))); // where the other frame ends nothing is made up
    }

    void starsGoAndNebulaStays_data() {
        QTest::addColumn<double>("ghost");
        QTest::newRow("plain") << 0.0;
        QTest::newRow("with a halo") << 0.06;
    }
    void starsGoAndNebulaStays() {
        QFETCH(double, ghost);
        const Sky sky{0.4, 1, ghost, 0.5, 0.006, {}, 4};
        const Plane p = rates(sky);
        const Starless out = withoutStars(p, findStars(p, kNeverSaturated), sky.noise);
        const Plane truth = rates({0.4, 0, 0, 0.5, 0, {}, 4});
        double flux = 0, own = 0, worst = 0;
        for (int y = 0; y < kHeight; ++y)
            for (int x = 0; x < kWidth; ++x) {
                const double t = static_cast<double>(truth.at(x, y)), v = static_cast<double>(out.ground.at(x, y)), nebula = 0.4 * nebulaAt(x, y);
                if (nebula > 0.08) flux += v - (t - nebula), own += nebula;
                worst = std::min(worst, v - t);
            }
        QVERIFY2(std::abs(flux / own - 1) < 0.01, qPrintable(QString::number(flux / own)));
        QVERIFY2(worst > -7 * sky.noise, qPrintable(QString::number(worst / sky.noise))); // no dark holes
        // Nothing is left where the brightest was.
        double there = 0;
        for (int y = 120; y <= 143; ++y)
            for (int x = 200; x <= 224; ++x) there += static_cast<double>(out.ground.at(x, y) - truth.at(x, y)) / (24 * 25);
        QVERIFY2(std::abs(there) < 0.012, qPrintable(QString::number(there)));
        QVERIFY(out.stars.size() > 60);
    }

    void anAureoleGoesWithItsStar() {
        const Sky sky{0.4, 1, 0, 0.5, 0.006, {}, 4};
        Plane p = rates(sky);
        const auto aureole = [](double r) { return 0.6 / (1 + std::pow(r / 9, 2)); };
        for (int y = 0; y < kHeight; ++y)
            for (int x = 0; x < kWidth; ++x) p.at(x, y) += static_cast<float>(aureole(std::hypot(x - 212.3, y - 131.7)));
        const Starless out = withoutStars(p, findStars(p, kNeverSaturated), sky.noise);
        const Plane truth = rates({0.4, 0, 0, 0.5, 0, {}, 4});
        double left = 0, had = 0, worst = 0;
        for (int y = 0; y < kHeight; ++y)
            for (int x = 0; x < kWidth; ++x) {
                const double r = std::hypot(x - 212.3, y - 131.7), d = static_cast<double>(out.ground.at(x, y) - truth.at(x, y));
                if (r > 15 && r < 45) left += d, had += aureole(r);
                worst = std::min(worst, d);
            }
        QVERIFY2(std::abs(left) < 0.4 * had, qPrintable(QString("%1 of %2").arg(left).arg(had))); // the star image alone leaves it all
        QVERIFY2(worst > -8 * sky.noise, qPrintable(QString::number(worst / sky.noise)));
    }

    void starsOfAnotherStackAreOnlyWhereStarsAre() {
        Folder folder;
        folder.stack("a.fits", {{0.4, 0.1, 0, 0.5, 0.006, {}, 1}, {0.2, 0.1, 0, 0.4, 0.006, {}, 2}, {0.1, 0.1, 0, 0.3, 0.006, {}, 3}});
        folder.stack("rgb.fits", {{0.5, 1, 0, 2, 0.01, {}, 5}, {0.5, 1, 0, 2, 0.01, {}, 6}, {0.5, 1, 0, 2, 0.01, {}, 7}});
        Recipe r = recipe(kLinear);
        const auto kept = compose(r, folder.path());
        r.stars = PaletteStars::None;
        const auto none = compose(r, folder.path());
        r.stars = PaletteStars::Replace, r.starsFrom.stack = "rgb.fits";
        const auto replaced = compose(r, folder.path());
        QVERIFY(kept && none && replaced);
        const auto at = [](const ColourPicture& p, std::size_t c, int x, int y) { return static_cast<double>(p.planes[c].at(x, y)); };
        // The brightest star is there again, in all channels alike; the nebula between stars is that of the picture.
        QVERIFY(at(*none, 0, 212, 132) < 1.2 && at(*kept, 0, 212, 132) > 5);
        const double red = at(*replaced, 0, 212, 132) - at(*none, 0, 212, 132), blue = at(*replaced, 2, 212, 132) - at(*none, 2, 212, 132);
        QVERIFY2(red > 3 && std::abs(red / blue - 1) < 0.05, qPrintable(QString("%1 %2").arg(red).arg(blue)));
        double same = 0, n = 0;
        for (int y = 20; y < kHeight - 20; ++y)
            for (int x = 20; x < kWidth - 20; ++x) same += at(*replaced, 0, x, y) == at(*none, 0, x, y), n += 1;
        QVERIFY(same / n > 0.6);
    }

    void desaturatedStarsLoseTheirColourAlone() {
        Folder folder;
        folder.stack("a.fits", {{0.4, 2, 0, 0.5, 0.006, {}, 1}, {0.2, 1, 0, 0.5, 0.006, {}, 2}, {0.1, 0.5, 0, 0.5, 0.006, {}, 3}});
        Recipe r = recipe(
            R"({"caelumen_palette": 1, "inputs": {"R": {"stack": "a.fits", "channel": "R"}, "G": {"stack": "a.fits", "channel": "G"}, "B": {"stack": "a.fits", "channel": "B"}},
            "map": {"R": {"R": 1}, "G": {"G": 1}, "B": {"B": 1}}, "background": "subtract", "stars": {"mode": "desaturate", "amount": 1}, "stretch": {"kind": "none"}})");
        const auto grey = compose(r, folder.path());
        r.stars = PaletteStars::Keep;
        const auto kept = compose(r, folder.path());
        QVERIFY(grey && kept);
        const auto spread = [](const ColourPicture& p, int x, int y) { return std::abs(static_cast<double>(p.planes[0].at(x, y) - p.planes[2].at(x, y))); };
        QVERIFY(spread(*grey, 212, 132) < 0.05 * spread(*kept, 212, 132));
        QVERIFY(std::abs(spread(*grey, 160, 185) / spread(*kept, 160, 185) - 1) < 0.3); // nebula between the stars
    }

    void aGalaxyKeepsItsKnots() {
        Folder folder;
        Sky galaxy{0.4, 0.3, 0, 0.5, 0.006, {}, 1, true};
        folder.stack("a.fits", {galaxy, galaxy, galaxy});
        Recipe r = recipe(kLinear);
        r.stars = PaletteStars::None;
        const auto refused = compose(r, folder.path());
        QVERIFY(!refused.ok() && refused.error().message.find("galaxy") != std::string::npos);
        r.starsOnGalaxy = true;
        QVERIFY(compose(r, folder.path()).ok());
        folder.stack("n.fits", {{0.4, 0.3, 0, 0.5, 0.006, {}, 1}, {0.4, 0.3, 0, 0.5, 0.006, {}, 2}, {0.4, 0.3, 0, 0.5, 0.006, {}, 3}});
        for (auto& [id, input] : r.inputs) input.stack = "n.fits";
        r.starsOnGalaxy = false;
        QVERIFY(compose(r, folder.path()).ok());
    }

    void starsThatALayerHardlyShowsLeaveNoHoles() {
        Folder folder; // a filter that weakens stars to a hundredth, beside one that does not; and a quiet one in other units
        folder.stack("a.fits", {{0.4, 1, 0, 0.5, 0.004, {}, 1}, {0.4, 0.01, 0, 0.5, 0.05, {}, 2}, {0.004, 0.001, 0, 0.005, 0.00004, {}, 3}});
        const char* text =
            R"({"caelumen_palette": 1, "inputs": {"R": {"stack": "a.fits", "channel": "R"}, "G": {"stack": "a.fits", "channel": "G"}, "B": {"stack": "a.fits", "channel": "B"}},
            "map": {"R": {"R": 1}, "G": {"G": 1}, "B": {"B": 1}}, "background": "keep", "stars": {"mode": "none"}, "stretch": {"kind": "none"}})";
        const auto out = compose(recipe(text), folder.path());
        QVERIFY2(out.ok(), out ? "" : out.error().message.c_str());
        const std::array<double, 3> nebula{0.4, 0.4, 0.004}, level{0.5, 0.5, 0.005}, noise{0.004, 0.05, 0.00004};
        for (std::size_t c = 0; c < 3; ++c) {
            const Plane truth = rates({nebula[c], 0, 0, level[c], 0, {}, 1});
            double sum = 0, n = 0;
            for (const auto& [x, y, flux] : field())
                for (int j = -4; j <= 4; ++j)
                    for (int i = -4; i <= 4; ++i) {
                        const int px = static_cast<int>(x) + i, py = static_cast<int>(y) + j;
                        if (!truth.contains(px, py)) continue;
                        sum += static_cast<double>(out->planes[c].at(px, py) - truth.at(px, py)), n += 1;
                    }
            QVERIFY2(std::abs(sum / n) < 0.5 * noise[c], qPrintable(QString("%1: %2 noises").arg(c).arg(sum / n / noise[c]))); // single pixels have one each
        }
    }

    void anAureoleAndACloudAreNoGalaxies() {
        // A bright star in its wide aureole.
        Plane aureole = rates({0, 0.3, 0, 0.5, 0.006, {}, 1});
        for (int y = 0; y < kHeight; ++y)
            for (int x = 0; x < kWidth; ++x) {
                const double r = std::hypot(x - 212.3, y - 131.7);
                aureole.at(x, y) += static_cast<float>(0.5 * std::exp(-r / 20) + 400 * std::exp(-r * r / 6));
            }
        QVERIFY(!looksLikeGalaxy(aureole, findStars(aureole, kNeverSaturated)));
        // A shell of nebula with a bright side, as wide as a large galaxy.
        Plane cloud = rates({0, 0.3, 0, 0.5, 0.006, {}, 1});
        for (int y = 0; y < kHeight; ++y)
            for (int x = 0; x < kWidth; ++x) {
                const double r = std::hypot((x - 200) / 1.3, y - 160.0), side = 1 + 0.8 * (x - 200) / 100.0;
                cloud.at(x, y) += static_cast<float>(0.3 * std::max(0.2, side) / (1 + std::exp((r - 60) / 14)));
            }
        QVERIFY(!looksLikeGalaxy(cloud, findStars(cloud, kNeverSaturated)));
        // And a galaxy beside such a star is one.
        Plane both = rates({0.4, 0.3, 0, 0.5, 0.006, {}, 1, true});
        for (int y = 0; y < kHeight; ++y)
            for (int x = 0; x < kWidth; ++x) {
                const double r = std::hypot(x - 360.0, y - 60.0);
                both.at(x, y) += static_cast<float>(3 * std::exp(-r / 12) + 2000 * std::exp(-r * r / 6));
            }
        QVERIFY(looksLikeGalaxy(both, findStars(both, kNeverSaturated)));
    }

    void scalesMakeEqual() {
        Folder folder;
        folder.stack("a.fits", {{0.4, 1, 0, 0.5, 0.006, {}, 1}, {0.2, 1, 0, 0.4, 0.006, {}, 2}, {0.1, 1, 0, 0.3, 0.012, {}, 3}});
        Recipe r = recipe(kLinear);
        r.map = {{{{"H", 1}}, {{"H", 1}}, {{"O", 1}}}};
        r.background = PaletteBackground::Subtract, r.scale = PaletteScale::EqualNoise;
        const auto noise = compose(r, folder.path());
        QVERIFY(noise && std::abs(noise->noise[2] / noise->noise[0] - 1) < 0.1);
        r.scale = PaletteScale::EqualSignal;
        const auto signal = compose(r, folder.path());
        QVERIFY(signal.ok());
        double red = 0, blue = 0;
        for (int y = 175; y < 190; ++y)
            for (int x = 150; x < 170; ++x) red += static_cast<double>(signal->planes[0].at(x, y)), blue += static_cast<double>(signal->planes[2].at(x, y));
        QVERIFY2(std::abs(blue / red - 1) < 0.1, qPrintable(QString::number(blue / red)));
        QVERIFY(std::abs(signal->sky[0]) < 0.01 && std::abs(signal->sky[2]) < 0.05); // sky and gradient are off
    }

    void oneLookShowsWhatDiffers() {
        ColourPicture faint;
        faint.width = 64, faint.height = 48;
        for (std::size_t c = 0; c < 3; ++c) {
            faint.planes[c] = Plane(64, 48, 1);
            for (int x = 20; x < 40; ++x) faint.planes[c].at(x, 20) = 3;
            faint.noise[c] = 0.05, faint.sky[c] = 1;
        }
        ColourPicture bright = faint;
        for (std::size_t c = 0; c < 3; ++c)
            for (int x = 20; x < 40; ++x) bright.planes[c].at(x, 20) = 2;
        const Look look = lookOf(faint, 0.5, 0.5);
        const auto a = shownPixels(faint, look), b = shownPixels(bright, look);
        const std::size_t at = 3 * (20 * 64 + 30), sky = 0;
        QVERIFY(a[at] > b[at] && b[at] > b[sky] && a[sky] == b[sky] && a[sky] > 0);
        std::vector<std::uint32_t> screen(64 * 48);
        screenPixels(faint, look, screen.data(), 64);
        for (std::size_t i = 0; i < screen.size(); ++i) QVERIFY(std::abs(static_cast<int>(screen[i] >> 8 & 0xff) - static_cast<int>(a[3 * i + 1]) / 257) <= 1);
        const Look deep = lookOf(faint, 0.5, 1), shallow = lookOf(faint, 0.5, 0);
        QVERIFY(deep.grey(0.3) > look.grey(0.3) && look.grey(0.3) > shallow.grey(0.3));
        QVERIFY(lookOf(faint, 1, 0.5).grey(0) > lookOf(faint, 0, 0.5).grey(0));
        for (double v = -1; v < 5; v += 0.01) QVERIFY(look.grey(v) <= look.grey(v + 0.01));
    }

    void recipesAreReadAndWrittenWhole() {
        const Recipe r = recipe(
            R"({"caelumen_palette": 1, "name": "Mine", "inputs": {"Z": {"stack": "z.fits", "line": "OIII", "curve": "c.csv", "camera": "colour-cut"}, "A": {"stack": "a.fits", "combine": "sum", "sub_count": 5}},
            "map": {"R": {"Z": 0.5}, "B": {"A": -0.25}}, "background": "keep", "scale": "equal-noise", "stars": {"mode": "replace", "from": "rgb.fits"}, "detail": {"stack": "l.fits", "share": 0.25},
            "stretch": {"kind": "shared", "light": 0.3, "depth": 0.9}})");
        QCOMPARE(r.first, std::string("Z")); // as the file has them
        QCOMPARE(r.starsFrom.stack, std::string("rgb.fits"));
        QCOMPARE(recipe(jsonText(recipeToJson(r)).c_str()), r);
        QCOMPARE(filesOf(r, "/x").size(), std::size_t(5));
        for (const char* bad : {"{}", R"({"caelumen_palette": 1})", R"({"caelumen_palette": 1, "inputs": {"H": {"stack": "a"}}, "map": {}})",
                                R"({"caelumen_palette": 1, "inputs": {"H": {"stack": "a", "line": "Hb"}}, "map": {"R": {"H": 1}}})",
                                R"({"caelumen_palette": 1, "inputs": {"H": {"stack": "a"}}, "map": {"R": {"H": "much"}}})",
                                R"({"caelumen_palette": 1, "inputs": {"H": {"stack": "a"}}, "map": {"R": {"H": 1}}, "stars": {"mode": "replace"}})",
                                R"({"caelumen_palette": 1, "inputs": {"H": {"stack": "a"}}, "map": {"R": {"H": 1}}, "stretch": {"light": 2}})"}) {
            const auto read = recipeFromText(bad, "bad.json");
            QVERIFY2(!read.ok() && read.error().message.find("bad.json") != std::string::npos, bad);
        }
        for (const RecipeStart& s : recipeStarts()) QVERIFY(!s.map[0].empty() && !s.name.empty());
    }

    void tiffsComeBackAsTheyWere() {
        Folder folder;
        std::vector<float> values(3 * 20 * 10);
        for (std::size_t i = 0; i < values.size(); ++i) values[i] = static_cast<float>(i) * 0.125F - 3;
        QVERIFY(writeTiff(folder / "f.tif", 20, 10, std::span<const float>(values), "factor=1").ok());
        const auto file = FrameFile::open(folder / "f.tif");
        QVERIFY(file.ok());
        QCOMPARE(file->info().channels.size(), std::size_t(3));
        const auto green = file->readStored(1);
        QVERIFY(green.ok());
        for (int y = 0; y < 10; ++y)
            for (int x = 0; x < 20; ++x) QCOMPARE(green->at(x, y), values[3 * static_cast<std::size_t>(y * 20 + x) + 1]);
        QVERIFY(!writeTiff(folder / "none/f.tif", 20, 10, std::span<const float>(values), "").ok());
    }
};

QTEST_GUILESS_MAIN(ComposeTest)
#include "compose_test.moc"

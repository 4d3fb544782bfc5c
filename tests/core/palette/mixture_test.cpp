#include "core/base/json.h"
#include "core/palette/colour_vision.h"
#include "core/palette/compose.h"
#include "core/palette/mixture_shelf.h"
#include "core/palette/other_time.h"
#include "support/picture_scene.h"

#include <QTest>

#include <cmath>

using namespace caelumen;
using namespace caelumen::picture_scene;

namespace {

Recipe grey(const char* file) {
    Recipe r;
    r.inputs["L"].stack = file;
    for (auto& channel : r.map) channel["L"] = 1;
    r.first = "L", r.background = PaletteBackground::Keep, r.stretched = false;
    return r;
}

Recipe colour(const char* file) {
    Recipe r;
    const std::array<const char*, 3> names{"R", "G", "B"};
    for (std::size_t c = 0; c < 3; ++c) {
        r.inputs[names[c]].stack = file, r.inputs[names[c]].channel = names[c];
        r.map[c][names[c]] = 1;
    }
    r.first = "R", r.background = PaletteBackground::Subtract, r.stretched = false;
    return r;
}

/// Every 33rd pixel is a star of these fields, with wings: their sky seems that much noisier than it is.
constexpr double kCrowded = 0.12;

/// Of what a picture has beside the truth.
double noiseOf(const Plane& p, const Plane& truth) {
    std::vector<double> differences;
    for (int y = 0; y < p.height(); ++y)
        for (int x = 4; x < p.width(); ++x) {
            const double d = static_cast<double>(p.at(x, y) - truth.at(x, y)) - static_cast<double>(p.at(x - 4, y) - truth.at(x - 4, y));
            if (truth.at(x, y) < 0.6F && std::isfinite(d)) differences.push_back(d / std::sqrt(2)); // sky: nebula and stars are noisier by themselves
        }
    return robustSigma(differences);
}
Plane truthOf(double nebula, double star, double level) {
    return rates({nebula, star, 0, level, 0, {}, 1});
}

} // namespace

/// What a picture is mixed of: other times, more stacks for one light, stars that balance it, and that its own words about its noise hold.
class MixtureTest : public QObject {
    Q_OBJECT

private slots:
    void halfTheTimeIsTheOddSubs() {
        Folder folder;
        const auto [odd, even] = folder.stackWithHalves("a", {0.4, 1, 0, 0.5, 0.006, {}, 1});
        Recipe r = grey("a.fits");
        r.hours = 20 * kExposure / 3600 / 2;
        const auto half = compose(r, folder.path());
        QVERIFY2(half.ok(), half ? "" : half.error().message.c_str());
        double most = 0;
        for (std::size_t i = 0; i < odd.size(); ++i)
            most = std::max(most, std::abs(static_cast<double>(half->planes[0].data()[i] - odd.data()[i])) / (1 + static_cast<double>(odd.data()[i])));
        QVERIFY2(most < 1e-3, qPrintable(QString::number(most))); // electrons in single precision, twice
        QVERIFY(std::any_of(half->done.begin(), half->done.end(), [](const std::string& s) { return s.find("odd and even") != std::string::npos; }));
    }

    void timeChangesTheNoiseAndNothingElse_data() {
        QTest::addColumn<bool>("halves");
        QTest::addColumn<double>("part");
        for (const bool halves : {true, false})
            for (const double part : {0.1, 0.5, 0.8, 3.0, 12.0}) QTest::addRow("%s %g", halves ? "halves" : "none", part) << halves << part;
    }
    void timeChangesTheNoiseAndNothingElse() {
        QFETCH(bool, halves);
        QFETCH(double, part);
        Folder folder;
        const Sky sky{0.4, 1, 0, 0.5, 0.006, {}, 1};
        if (halves)
            folder.stackWithHalves("a", sky);
        else
            folder.stack("a.fits", {sky});
        Recipe r = grey("a.fits");
        const auto own = compose(r, folder.path());
        r.hours = part * 20 * kExposure / 3600;
        const auto other = compose(r, folder.path());
        QVERIFY(own && other);
        const Plane truth = truthOf(0.4, 1, 0.5);
        const double expected = 0.006 / std::sqrt(part), found = noiseOf(other->planes[0], truth);
        // What is foretold keeps a little of the noise that looks like light.
        QVERIFY2(std::abs(found / expected - 1) < (part > 1 ? 0.3 : halves ? 0.06 : kCrowded), qPrintable(QString("%1 %2").arg(found).arg(expected)));
        QVERIFY2(std::abs(other->noise[0] / expected - 1) < kCrowded, qPrintable(QString::number(other->noise[0] / expected)));
        // Nebula and stars keep their light.
        double nebula = 0, nebulaOwn = 0;
        for (int y = 120; y < 200; ++y)
            for (int x = 140; x < 260; ++x)
                nebula += static_cast<double>(other->planes[0].at(x, y)) - 0.5, nebulaOwn += static_cast<double>(own->planes[0].at(x, y)) - 0.5;
        QVERIFY2(std::abs(nebula / nebulaOwn - 1) < 0.01, qPrintable(QString::number(nebula / nebulaOwn)));
        const double peak = static_cast<double>(other->planes[0].at(212, 132) / own->planes[0].at(212, 132));
        QVERIFY2(std::abs(peak - 1) < 0.03, qPrintable(QString::number(peak)));
        bool predicted = false;
        for (const std::string& s : other->done) predicted |= s.find("PREDICTED") != std::string::npos;
        QCOMPARE(predicted, part > 1 || !halves);
    }

    void foretoldLightIsCloserToTheTruth() {
        const Sky sky{0.1, 1, 0, 0.5, 0.02, {}, 3};
        Plane seen = rates(sky);
        seen.at(10, 10) = kNoData;
        const Plane truth = rates({0.1, 1, 0, 0.5, 0, {}, 3}), out = foretoldLight(seen, madeUpNoise(seen, sky.noise, 0.5, 0, 9));
        QVERIFY(out.at(10, 10) != out.at(10, 10));
        double before = 0, after = 0;
        for (std::size_t i = 0; i < truth.size(); ++i) {
            if (seen.data()[i] != seen.data()[i]) continue;
            before += std::pow(static_cast<double>(seen.data()[i] - truth.data()[i]), 2),
                after += std::pow(static_cast<double>(out.data()[i] - truth.data()[i]), 2);
        }
        QVERIFY2(after < 0.2 * before, qPrintable(QString::number(after / before)));
    }

    void oneLightOfTwoStacksIsQuieterAndAsBright() {
        Folder folder;
        folder.stack("a.fits", {{0.4, 1, 0, 0.5, 0.012, {}, 1}});
        folder.stack("b.fits", {{0.2, 0.5, 0, 0.9, 0.004, {}, 2}}); // half as bright and a third as noisy
        Recipe r = grey("a.fits");
        r.background = PaletteBackground::Subtract;
        const auto alone = compose(r, folder.path());
        PaletteInput other;
        other.stack = "b.fits";
        r.inputs["L"].also.push_back(other);
        const auto both = compose(r, folder.path());
        QVERIFY2(both.ok(), both ? "" : both.error().message.c_str());
        const double expected = 1 / std::sqrt(1 / (0.012 * 0.012) + 0.25 / (0.004 * 0.004)); // k = 1/2
        const double found = noiseOf(both->planes[0], truthOf(0.4, 1, 0.5));
        QVERIFY2(std::abs(found / expected - 1) < 0.08, qPrintable(QString::number(found / expected)));
        double one = 0, two = 0;
        for (int y = 150; y < 170; ++y)
            for (int x = 180; x < 205; ++x) one += static_cast<double>(alone->planes[0].at(x, y)), two += static_cast<double>(both->planes[0].at(x, y));
        QVERIFY2(std::abs(two / one - 1) < 0.03, qPrintable(QString::number(two / one)));
        // Which is named first changes the unit alone.
        std::swap(r.inputs["L"].stack, r.inputs["L"].also[0].stack);
        const auto swapped = compose(r, folder.path());
        QVERIFY(swapped.ok());
        const double ratio = found / noiseOf(swapped->planes[0], truthOf(0.2, 0.5, 0.5));
        QVERIFY2(std::abs(ratio / 2 - 1) < 0.06, qPrintable(QString::number(ratio)));
    }

    void starsBalanceTheColours() {
        Folder folder;
        folder.stack("a.fits", {{0.4, 2, 0, 0.5, 0.006, {}, 1}, {0.2, 1, 0, 0.5, 0.006, {}, 2}, {0.1, 0.5, 0, 0.5, 0.006, {}, 3}});
        Recipe r = colour("a.fits");
        const auto own = compose(r, folder.path());
        r.scale = PaletteScale::StarColours;
        const auto balanced = compose(r, folder.path());
        QVERIFY(own && balanced);
        const auto at = [](const ColourPicture& p, std::size_t c) { return static_cast<double>(p.planes[c].at(212, 132)) - p.sky[c]; };
        QVERIFY(at(*own, 0) / at(*own, 2) > 3);
        QVERIFY2(std::abs(at(*balanced, 0) / at(*balanced, 2) - 1) < 0.05, qPrintable(QString::number(at(*balanced, 0) / at(*balanced, 2))));
        for (std::size_t c = 0; c < 3; ++c) QVERIFY(std::abs(balanced->noise[c] / (0.006 * (c == 0 ? 1 : c == 1 ? 2 : 4)) - 1) < kCrowded);
    }

    void detailHasThePicturesNoise() {
        Folder folder;
        folder.stack("a.fits", {{0.4, 1, 0, 0.5, 0.006, {}, 1}, {0.2, 1, 0, 0.5, 0.006, {}, 2}, {0.1, 1, 0, 0.5, 0.006, {}, 3}});
        folder.stack("l.fits", {{0.8, 1, 0, 1.5, 0.03, {}, 4}});
        Recipe r = colour("a.fits");
        r.detail.emplace().stack = "l.fits";
        for (const double share : {0.0, 0.5, 1.0}) {
            r.detailShare = share;
            const auto picture = compose(r, folder.path());
            QVERIFY(picture.ok());
            for (std::size_t c = 0; c < 3; ++c) {
                // The mean of three is 0.006 / sqrt(3); a channel less a share s of it, and s times as much again.
                const double found = 0.006 * std::sqrt((1 - share / 3) * (1 - share / 3) + 2 * share * share / 9 + share * share / 3);
                QVERIFY2(std::abs(picture->noise[c] / found - 1) < kCrowded, qPrintable(QString("%1 %2 %3").arg(share).arg(picture->noise[c]).arg(found)));
            }
        }
        r.stars = PaletteStars::None, r.detailShare = 1; // and no star comes back with it
        const auto without = compose(r, folder.path());
        QVERIFY(without && static_cast<double>(without->planes[0].at(212, 132)) < 1);
    }

    void noiseOfLinesFromOneStackIsNotCountedTwice() {
        Folder folder;
        folder.stack("a.fits", {{0.4, 1, 0, 0.5, 0.006, {}, 1}, {0.2, 1, 0, 0.5, 0.006, {}, 2}, {0.1, 1, 0, 0.5, 0.006, {}, 3}});
        Recipe r = colour("a.fits");
        r.inputs["G"].channel = "R"; // the same light under two names
        r.map[0] = {{"R", 1}, {"G", 1}};
        r.map[1] = {{"R", 1}, {"G", -0.9}};
        const auto picture = compose(r, folder.path());
        QVERIFY(picture.ok());
        for (std::size_t c = 0; c < 2; ++c) {
            const double found = c == 0 ? 0.012 : 0.0006;
            QVERIFY2(std::abs(picture->noise[c] / found - 1) < kCrowded, qPrintable(QString("%1 %2").arg(picture->noise[c]).arg(found)));
        }
    }

    void smallerOnesShowTheSamePicture() {
        Folder folder;
        folder.stack("a.fits", {{0.4, 0, 0, 0.5, 0.006, {}, 1}, {0.2, 0, 0, 0.5, 0.006, {}, 2}, {0.1, 0, 0, 0.5, 0.006, {}, 3}});
        const Recipe r = colour("a.fits");
        const auto m = prepareMixture(r, folder.path(), true);
        QVERIFY(m.ok());
        const Mixture small = smaller(*m, 4);
        QCOMPARE(small.width, kWidth / 4);
        const ColourPicture large = mix(*m, r), little = mix(small, r);
        for (int y = 0; y < small.height; y += 7)
            for (int x = 0; x < small.width; x += 5) {
                double mean = 0;
                for (int j = 0; j < 4; ++j)
                    for (int i = 0; i < 4; ++i) mean += static_cast<double>(large.planes[1].at(4 * x + i, 4 * y + j)) / 16;
                QVERIFY(std::abs(mean - static_cast<double>(little.planes[1].at(x, y))) < 1e-4 * (1 + std::abs(mean)));
            }
        QVERIFY2(std::abs(4 * little.noise[0] / large.noise[0] - 1) < 0.5, qPrintable(QString("%1 %2").arg(little.noise[0]).arg(large.noise[0])));
        const Look look = lookOf(little, 0.5, 0.5);
        std::vector<std::uint32_t> screen(little.planes[0].size()), mixed(screen.size());
        screenPixels(little, look, screen.data(), static_cast<std::size_t>(little.width));
        mixOnScreen(small, r, LookTable(look), mixed.data(), static_cast<std::size_t>(little.width));
        QVERIFY(screen == mixed);
        const ColourPicture told = mixedLevels(*m, r);
        QVERIFY(told.noise == large.noise && told.sky == large.sky && told.done == large.done);
    }

    void theShelfHoldsEveryPixel() {
        Folder folder;
        folder.stack("a.fits", {{0.4, 1, 0, 0.5, 0.006, {}, 1}, {0.2, 1, 0, 0.5, 0.006, {}, 2}, {0.1, 1, 0, 0.5, 0.006, {}, 3}});
        Recipe r = colour("a.fits");
        auto m = prepareMixture(r, folder.path(), true);
        QVERIFY(m.ok());
        m->layers[0].rate.at(100, 50) = kNoData;
        const MixtureShelf shelf(*m);
        r.hours = 3;
        const ColourPicture whole = mix(*m, r), part = mix(shelf.part(60, 40, 100, 80), r);
        QCOMPARE(part.width, 100);
        for (int y = 0; y < 80; ++y)
            for (int x = 0; x < 100; ++x)
                for (std::size_t c = 0; c < 3; ++c) {
                    const float a = whole.planes[c].at(60 + x, 40 + y), b = part.planes[c].at(x, y);
                    QVERIFY((a == a) == (b == b));
                    if (a == a && a < 0.5F) QVERIFY2(std::abs(a - b) < 0.006F / 4, qPrintable(QString("%1 %2").arg(a).arg(b)));
                }
        QVERIFY(part.noise == whole.noise && part.sky == whole.sky);
        QCOMPARE(shelf.part(kWidth - 20, -5, 100, 30).width, 20); // cut at the edges
        QCOMPARE(shelf.part(kWidth - 20, -5, 100, 30).height, 25);
    }

    void eyesThatSeeLess() {
        for (const auto eyes : {ColourVision::NoRedCones, ColourVision::NoGreenCones, ColourVision::NoBlueCones}) {
            std::vector<std::uint32_t> greys{0xff000000U, 0xff202020U, 0xff808080U, 0xffffffffU};
            const auto before = greys;
            asSeenBy(eyes, greys.data(), greys.size());
            for (std::size_t i = 0; i < greys.size(); ++i)
                for (int shift : {0, 8, 16})
                    QVERIFY(std::abs(static_cast<int>(greys[i] >> shift & 0xff) - static_cast<int>(before[i] >> shift & 0xff)) <= 2); // greys stay grey
        }
        const auto apart = [](ColourVision eyes) {
            std::vector<std::uint32_t> two{0xffc03030U, 0xff309030U};
            asSeenBy(eyes, two.data(), two.size());
            int sum = 0;
            for (int shift : {0, 8, 16}) sum += std::abs(static_cast<int>(two[0] >> shift & 0xff) - static_cast<int>(two[1] >> shift & 0xff));
            return sum;
        };
        QCOMPARE(apart(ColourVision::Usual), 240);
        QVERIFY(apart(ColourVision::NoGreenCones) < 120 && apart(ColourVision::NoBlueCones) > 180);
    }

    void anIdeaIsARecipeWithoutStacks() {
        Recipe r = colour("a.fits");
        r.name = "Warm", r.map[0] = {{"R", 0.8}, {"G", 0.2}}, r.scale = PaletteScale::StarColours, r.stars = PaletteStars::Desaturate, r.starsAmount = 0.3,
        r.hours = 2;
        const std::string text = jsonText(recipeIdeaToJson(r));
        QVERIFY(text.find("a.fits") == std::string::npos);
        QVERIFY(!recipeFromText(text, "idea.json").ok()); // nothing to make a picture of
        const auto back = recipeIdeaFromText(text, "idea.json");
        QVERIFY(back.ok());
        QVERIFY(back->map == r.map && back->scale == r.scale && back->starsAmount == r.starsAmount && back->hours == r.hours && back->name == r.name);
        const auto foreign = recipeIdeaFromText(
            R"({"caelumen_palette": 1, "inputs": {"x": {"stack": "a", "line": "Ha"}, "y": {"stack": "b", "line": "OIII"}}, "map": {"R": {"x": 1}, "B": {"y": 0.5}}})",
            "f.json");
        QVERIFY(foreign && foreign->map[0].at("H") == 1 && foreign->map[2].at("O") == 0.5);
        QVERIFY(!recipeIdeaFromText(R"({"caelumen_palette": 1, "map": {"R": {"z": 1}}})", "z.json").ok());
        Recipe two = colour("a.fits");
        two.inputs["R"].also.push_back(two.inputs["G"]);
        const auto read = recipeFromText(jsonText(recipeToJson(two)), "two.json");
        QVERIFY(read && read->inputs == two.inputs);
        QCOMPARE(filesOf(two, "/x").size(), std::size_t(4));
    }
};

QTEST_GUILESS_MAIN(MixtureTest)
#include "mixture_test.moc"

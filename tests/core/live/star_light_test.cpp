#include "core/base/statistics.h"
#include "core/live/star_light.h"

#include <QTest>

#include <algorithm>
#include <cmath>

using namespace caelumen;

namespace {

constexpr int kStars = 120;

const SubStars& field() {
    static const SubStars stars = [] {
        Random random(6);
        SubStars out;
        for (int i = 0; i < kStars; ++i)
            out.push_back({{60 + 900 * random.uniform(), 60 + 600 * random.uniform()}, std::pow(10, 3 + 1.5 * random.uniform()), 0});
        std::sort(out.begin(), out.end(), [](const SubStar& a, const SubStar& b) { return a.flux > b.flux; });
        return out;
    }();
    return stars;
}

/// A sub that lies `dx` aside of its run's reference and shows so much of the stars' light.
JudgedSub sub(const std::string& name, double dx, double light, unsigned long long seed, double exposure_s = 60, const SubStars& of = field()) {
    Random random(seed);
    SubFigures f;
    f.file = "/night/" + name + ".fits", f.exposure_s = exposure_s, f.channel = "L";
    SubStars found;
    for (const SubStar& s : of) {
        const double flux = s.flux * light * exposure_s / 60 * (1 + 0.01 * random.normal());
        found.push_back({{s.at.x + dx, s.at.y}, flux, flux});
    }
    f.found = std::move(found);
    JudgedSub out;
    out.figures = std::move(f);
    out.alignment = Alignment{dx, 0, 0, 1, false, 0.1, kStars};
    return out;
}

/// A run whose first sub is its reference.
JudgedRun runOf(const std::string& name, double light, int n, unsigned long long seed = 1) {
    JudgedRun out;
    for (int i = 0; i < n; ++i) out.subs.push_back(sub(name + std::to_string(i), 3.0 * i, light * (1 - 0.01 * i), seed + static_cast<unsigned long long>(i)));
    return out;
}

std::map<std::string, double> lightOf(StarLight& light, const std::vector<JudgedRun>& runs, std::vector<std::optional<double>> gains = {}) {
    std::vector<const JudgedRun*> list;
    for (const JudgedRun& r : runs) list.push_back(&r);
    gains.resize(runs.size());
    return light.of(list, gains);
}

std::map<std::string, double> afresh(const std::vector<JudgedRun>& runs, const std::vector<std::optional<double>>& gains = {}) {
    StarLight light;
    return lightOf(light, runs, gains);
}

} // namespace

/// Starlight of a night's subs, in whatever filter, by the same stars.
class StarLightTest : public QObject {
    Q_OBJECT

private slots:
    void whatFiltersAndAirTake() {
        const auto light = afresh({runOf("a", 1, 6), runOf("b", 0.3, 6, 40)});
        QCOMPARE(light.size(), std::size_t{12});
        for (int i = 0; i < 6; ++i) {
            const double between = light.at("/night/b" + std::to_string(i) + ".fits") - light.at("/night/a" + std::to_string(i) + ".fits");
            QVERIFY2(std::abs(between - std::log(0.3)) < 0.01, qPrintable(QString::number(between)));
        }
        const double faded = light.at("/night/a5.fits") - light.at("/night/a0.fits");
        QVERIFY(std::abs(faded - std::log(0.95)) < 0.01);
    }

    /// A longer sub has more light and the same rate; electrons are electrons in any gain.
    void ratesAndGains() {
        std::vector<JudgedRun> runs{runOf("a", 1, 4), runOf("b", 1, 4, 40)};
        for (JudgedSub& s : runs[1].subs) {
            SubFigures f = *s.figures;
            SubStars stars = f.found.list();
            for (SubStar& star : stars) star.flux *= 6; // three times as long, at half the electrons in each ADU
            f.found = std::move(stars), f.exposure_s = 180;
            s.figures = std::move(f);
        }
        const auto known = afresh(runs, {1.0, 0.5}), unknown = afresh(runs, {1.0, std::nullopt});
        QVERIFY(std::abs(known.at("/night/b0.fits") - known.at("/night/a0.fits")) < 0.01);
        QVERIFY(std::abs(unknown.at("/night/b0.fits") - unknown.at("/night/a0.fits") - std::log(2)) < 0.01);
    }

    /// What is remembered changes nothing: as subs land, are left out, come back, lose stars, or the gain is told.
    void whatIsRememberedIsWhatIsFound() {
        StarLight remembered;
        const std::vector<JudgedRun> all{runOf("a", 1, 12), runOf("b", 0.4, 12, 40)};
        const auto same = [&](const std::vector<JudgedRun>& runs, const std::vector<std::optional<double>>& gains = {}) {
            return lightOf(remembered, runs, gains) == afresh(runs, gains);
        };
        for (std::size_t n = 1; n <= 12; ++n) {
            std::vector<JudgedRun> now = all;
            for (JudgedRun& r : now) r.subs.resize(n);
            QVERIFY2(same(now), qPrintable(QString::number(n)));
        }
        std::vector<JudgedRun> now = all;
        now[0].subs[3].keep = false;
        QVERIFY(same(now));
        QVERIFY(!lightOf(remembered, now).count("/night/a3.fits"));
        QVERIFY(same(all));
        QVERIFY(same(all, {0.8, 1.6}) && same(all));
        now[1].subs[5].alignment.reset();
        QVERIFY(same(now));
        // A cloudy one that shows half of the stars: others are compared by those that are left.
        SubStars few(field().begin(), field().begin() + kStars / 2);
        for (int i = 0; i < 3; ++i) now[0].subs.push_back(sub("c" + std::to_string(i), 1, 0.5, 90 + static_cast<unsigned long long>(i), 60, few));
        QVERIFY(same(now));
        // A file that was written anew under its name.
        now[1].subs[2] = sub("b2", 6, 0.2, 99);
        QVERIFY(same(now));
        // Another reference: all is looked up anew.
        now[0].reference = 1;
        for (JudgedSub& s : now[0].subs) s.alignment->dx -= 3;
        QVERIFY(same(now));
    }

    void tooFewStarsAreNone() {
        QVERIFY(afresh({}).empty());
        QVERIFY(afresh({runOf("a", 1, 3), JudgedRun()}).empty());
        const SubStars few(field().begin(), field().begin() + 15);
        JudgedRun poor;
        for (int i = 0; i < 4; ++i) poor.subs.push_back(sub("p" + std::to_string(i), i, 1, 7, 60, few));
        QVERIFY(afresh({poor}).empty());
        // Another field altogether.
        SubStars elsewhere = field();
        Random random(77);
        for (SubStar& s : elsewhere) s.at = {60 + 900 * random.uniform(), 60 + 600 * random.uniform()};
        JudgedRun other;
        for (int i = 0; i < 4; ++i) other.subs.push_back(sub("o" + std::to_string(i), i, 1, 8, 60, elsewhere));
        QVERIFY(afresh({runOf("a", 1, 4), other}).empty());
    }

    /// Burnt or blended stars have no flux and no say.
    void spoiltStarsHaveNoSay() {
        std::vector<JudgedRun> runs{runOf("a", 1, 5)};
        const auto before = afresh(runs);
        SubFigures f = *runs[0].subs[2].figures;
        SubStars stars = f.found.list();
        for (std::size_t i = 0; i < 40; ++i) stars[i].flux = 0;
        f.found = std::move(stars);
        runs[0].subs[2].figures = std::move(f);
        const auto after = afresh(runs);
        QVERIFY(std::abs(after.at("/night/a2.fits") - before.at("/night/a2.fits")) < 0.005);
    }
};

QTEST_GUILESS_MAIN(StarLightTest)
#include "star_light_test.moc"

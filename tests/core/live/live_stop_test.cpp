#include "core/base/statistics.h"
#include "core/live/live_stop.h"
#include "core/sky/night_track.h"

#include <QTest>

#include <cmath>

using namespace caelumen;

namespace {

struct Glass {
    std::string name;
    double sky = 0, stars = 0, fwhm = 0; ///< logarithms against the first
    double turn_deg = 0;                 ///< how the camera was turned
};

/// Runs of a night with stars, in the order of `order`, judged as they would be.
std::vector<JudgedRun> nightOf(const std::vector<Glass>& filters, const std::vector<std::size_t>& order, int perBlock, unsigned long long seed, int blocks) {
    Random random(seed);
    std::vector<SubStar> stars;
    for (int i = 0; i < 120; ++i) {
        const double flux = 500 * std::exp(4 * random.uniform());
        stars.push_back({{1500 * random.uniform(), 1000 * random.uniform()}, flux, flux});
    }
    std::sort(stars.begin(), stars.end(), [](const SubStar& a, const SubStar& b) { return a.brightness > b.brightness; });
    std::vector<std::vector<SubFigures>> subs(filters.size());
    double t = 0, haze = 0;
    const auto start = *parseTime("2026-06-20T18:00:00Z");
    for (int k = 0; k < blocks; ++k) {
        const std::size_t f = order[static_cast<std::size_t>(k) % order.size()];
        t += 60;
        for (int i = 0; i < perBlock; ++i, t += 125) {
            haze = 0.97 * haze + 0.01 * random.normal();
            SubFigures s;
            s.file = filters[f].name + std::to_string(subs[f].size());
            s.start = isoTime(start.plusSeconds(t));
            s.exposure_s = 120;
            s.channel = "G";
            for (const char* c : {"R", "G", "B"}) {
                s.level[c] = 800 * std::exp(filters[f].sky + 0.05 * t / 3600 + 0.5 * haze + 0.003 * random.normal());
                s.noise[c] = std::sqrt(s.level[c]);
                s.sky[c] = {s.level[c], 0, 0, 0};
            }
            s.fwhm_px = 3 * std::exp(filters[f].fwhm + 0.02 * random.normal());
            s.eccentricity = 0.3;
            s.aperture_px = 6;
            const Alignment turned = [&] {
                Alignment a;
                a.rotation_deg = filters[f].turn_deg, a.dx = 5 * random.normal() + 200 * (filters[f].turn_deg != 0), a.dy = 5 * random.normal();
                return a;
            }();
            std::vector<SubStar> found;
            for (const SubStar& star : stars) {
                SubStar seen = star;
                seen.at = turned.map(star.at);
                seen.flux = star.flux * std::exp(filters[f].stars - haze) * (1 + 0.01 * random.normal());
                seen.brightness = seen.flux;
                found.push_back(seen);
            }
            s.found = std::move(found);
            s.stars = static_cast<int>(s.found.size());
            subs[f].push_back(std::move(s));
        }
    }
    std::vector<JudgedRun> out;
    for (auto& list : subs) {
        auto judged = judgeRun({list.begin(), list.end()}, {}, {});
        if (!judged) qFatal("%s", judged.error().message.c_str());
        out.push_back(std::move(*judged));
    }
    return out;
}

std::vector<LiveRun> liveOf(const std::vector<Glass>& filters, const std::vector<JudgedRun>& runs, double gain = 0.8) {
    std::vector<LiveRun> out;
    for (std::size_t i = 0; i < runs.size(); ++i) out.push_back({filters[i].name, &runs[i], gain});
    return out;
}

std::vector<std::string> namesOf(const std::vector<Glass>& filters) {
    std::vector<std::string> out;
    for (const Glass& g : filters) out.push_back(g.name);
    return out;
}

LivePair pairOf(const LiveStop& stop, LiveQuantity quantity, const std::string& channel = {}, std::size_t a = 0, std::size_t b = 1) {
    for (const LivePair& p : stop.pairs)
        if (p.quantity == quantity && p.channel == channel && p.a == a && p.b == b) return p;
    qFatal("no such pair");
}

const std::vector<std::size_t> kAbba{0, 1, 1, 0};

} // namespace

class LiveStopTest : public QObject {
    Q_OBJECT

private slots:
    void filtersThatDifferAreToldApart() {
        const std::vector<Glass> filters{{"Open", 0, 0, 0, 0}, {"Duo", -1.6, -0.9, 0.1, 7}};
        const auto runs = nightOf(filters, kAbba, 5, 3, 16);
        StarLight light;
        const auto live = namesOf(filters);
        const LiveStop stop = judgeLive(liveNight(liveOf(filters, runs), light), {});
        QCOMPARE(stop.pairs.size(), std::size_t(6)); // three channels, starlight, star time, FWHM
        const LivePair &sky = pairOf(stop, LiveQuantity::Background, "G"), &stars = pairOf(stop, LiveQuantity::Starlight),
                       &time = pairOf(stop, LiveQuantity::StarTime), &sharp = pairOf(stop, LiveQuantity::Sharpness);
        QCOMPARE(sky.word, LiveWord::ToldApart);
        QVERIFY(std::abs(std::log(sky.ratio()) + 1.6) < 0.05);
        QCOMPARE(stars.word, LiveWord::ToldApart);
        QVERIFY2(std::abs(std::log(stars.ratio()) + 0.9) < 0.03, qPrintable(QString::number(std::log(stars.ratio()))));
        QVERIFY(*stars.lowRatio() < std::exp(-0.9) && *stars.highRatio() > std::exp(-0.9));
        QCOMPARE(time.word, LiveWord::ToldApart); // (sky) e^-1.6 / (stars squared) e^-1.8
        QVERIFY(std::abs(std::log(time.ratio()) - 0.2) < 0.1);
        QVERIFY(std::abs(std::log(sharp.ratio()) - 0.1) < 0.05);
        QVERIFY(QString::fromStdString(sky.sentence(live)).contains("Duo against Open: sky background in G 0.20"));
        QVERIFY(QString::fromStdString(sky.sentence(live)).contains("told apart, stop"));
        QVERIFY(sky.toldAt && *sky.toldAt > 0);
    }

    void whatIsTheSameIsAlikeOrGoesOn() {
        const std::vector<Glass> filters{{"Open", 0, 0, 0, 0}, {"Clear", 0, 0, 0, 0}};
        const auto runs = nightOf(filters, kAbba, 4, 11, 60);
        StarLight light;
        const LiveStop stop = judgeLive(liveNight(liveOf(filters, runs), light), {});
        for (const LivePair& p : stop.pairs) QVERIFY(p.word != LiveWord::ToldApart);
        QCOMPARE(pairOf(stop, LiveQuantity::Background, "G").word, LiveWord::Alike);
    }

    void littleTimeIsSaid() {
        const std::vector<Glass> filters{{"Open", 0, 0, 0, 0}, {"Clear", 0.004, 0, 0, 0}};
        const auto runs = nightOf(filters, kAbba, 4, 12, 10);
        StarLight light;
        const auto live = namesOf(filters);
        LiveOptions little;
        little.secondsLeft = 600;
        little.notice = 0.0001;
        const LivePair p = pairOf(judgeLive(liveNight(liveOf(filters, runs), light), little), LiveQuantity::Starlight);
        QCOMPARE(p.word, LiveWord::NotTonight);
        QVERIFY(QString::fromStdString(p.sentence(live)).contains("tonight"));
        LiveOptions plenty = little;
        plenty.secondsLeft = 1e9;
        QCOMPARE(pairOf(judgeLive(liveNight(liveOf(filters, runs), light), plenty), LiveQuantity::Background, "G").word, LiveWord::GoOn);
    }

    void oneSwapIsTooEarly() {
        const std::vector<Glass> filters{{"Open", 0, 0, 0, 0}, {"Duo", -1.6, -0.9, 0, 0}};
        const auto runs = nightOf(filters, {0, 1}, 5, 5, 2);
        StarLight light;
        const auto live = namesOf(filters);
        const LiveStop stop = judgeLive(liveNight(liveOf(filters, runs), light), {});
        for (const LivePair& p : stop.pairs) QVERIFY(p.word == LiveWord::TooEarly || p.word == LiveWord::GoOn);
        QCOMPARE(pairOf(stop, LiveQuantity::Sharpness).word, LiveWord::TooEarly);
        QVERIFY(QString::fromStdString(pairOf(stop, LiveQuantity::Sharpness).sentence(live)).contains("A B B A"));
        QVERIFY(judgeLive(liveNight({liveOf(filters, runs).front()}, light), {}).pairs.empty());
    }

    void lookingAfterEverySubChangesNoStep() {
        const std::vector<Glass> filters{{"Open", 0, 0, 0, 0}, {"Duo", -0.3, -0.2, 0, 0}};
        const auto runs = nightOf(filters, kAbba, 4, 9, 12);
        StarLight remembering, fresh;
        const auto live = namesOf(filters);
        judgeLive(liveNight(liveOf(filters, runs), remembering), {});
        const LiveStop again = judgeLive(liveNight(liveOf(filters, runs), remembering), {}), once = judgeLive(liveNight(liveOf(filters, runs), fresh), {});
        for (std::size_t i = 0; i < once.pairs.size(); ++i) {
            QCOMPARE(again.pairs[i].evidence.size(), once.pairs[i].evidence.size());
            if (!once.pairs[i].evidence.empty()) QVERIFY(again.pairs[i].ratio() == once.pairs[i].ratio());
        }
    }

    void clearlyAnotherFieldIsNotCompared() {
        const std::vector<Glass> filters{{"Open", 0, 0, 0, 0}, {"Duo", -0.3, -0.2, 0, 0}};
        const auto one = nightOf(filters, kAbba, 4, 9, 12), other = nightOf(filters, kAbba, 4, 1009, 12);
        StarLight light;
        const std::vector<LiveRun> live{{"Open", &one[0], {}}, {"Duo", &other[1], {}}};
        const LiveNight night = liveNight(live, light);
        const LiveStop stop = judgeLive(night, {});
        const LivePair& p = pairOf(stop, LiveQuantity::Starlight);
        QCOMPARE(p.word, LiveWord::TooEarly);
        QVERIFY(QString::fromStdString(p.sentence(night.filters)).contains("do not share twenty stars"));
        QVERIFY(!night.notes.empty()); // gain unknown
    }
};

QTEST_APPLESS_MAIN(LiveStopTest)
#include "live_stop_test.moc"

#include "core/base/json.h"
#include "core/base/statistics.h"
#include "core/merge/merge.h"
#include "core/merge/share_file.h"

#include <QTest>

#include <cmath>

using namespace caelumen;

namespace {

Json measurement(const char* quantity, double value, double sigma, const Json& region = nullptr, const char* run = "B", Json flags = Json::array()) {
    return {{"run", run},     {"filter", "duo7"}, {"channel", "R"}, {"quantity", quantity},     {"region", region},
            {"value", value}, {"sigma", sigma},   {"unit", "1"},    {"flags", std::move(flags)}};
}

TesterResults tester(const std::string& name, std::vector<Json> measurements, Json fairness = Json::array()) {
    Json j{{"caelumen_results", 1}, {"measurements", Json::array()}, {"fairness", std::move(fairness)}};
    for (Json& m : measurements) j["measurements"].push_back(std::move(m));
    auto read = testerResultsFromJson(j, name);
    if (!read) qFatal("%s", read.error().message.c_str());
    return *read;
}

bool close(double a, double b) {
    return std::abs(a - b) <= 1e-12 * (1 + std::abs(b));
}

} // namespace

class MergeTest : public QObject {
    Q_OBJECT

private slots:
    // Three testers, worked out by hand: x = 1, 2, 4 with sigmas 0.5, 0.5, 1.
    void handArithmeticAgrees() {
        const auto merged = mergeResults(
            {tester("a", {measurement("star_fwhm", 1, 0.5)}), tester("b", {measurement("star_fwhm", 2, 0.5)}), tester("c", {measurement("star_fwhm", 4, 1)})});
        QCOMPARE(merged.size(), std::size_t{1});
        const MergedFigure& f = merged[0];
        const double fixed = (4 * 1 + 4 * 2 + 1 * 4) / 9.0, q = 4 * std::pow(1 - fixed, 2) + 4 * std::pow(2 - fixed, 2) + std::pow(4 - fixed, 2),
                     tau2 = (q - 2) / (9 - 33.0 / 9);
        const double w1 = 1 / (0.25 + tau2), w3 = 1 / (1 + tau2), mu = (w1 * 3 + w3 * 4) / (2 * w1 + w3);
        QVERIFY(close(f.q, q) && close(f.betweenSigma, std::sqrt(tau2)) && close(f.value, mu) && close(f.sigma, 1 / std::sqrt(2 * w1 + w3)));
        QVERIFY(close(f.each[0].weight, w1) && close(f.each[2].weight, w3));
        QCOMPARE(f.testers, 3);
        QVERIFY(f.regionKind.empty());
    }

    void testersWhoAgreeHaveNoScatter() {
        const auto f = mergeResults({tester("a", {measurement("background", 1.00, 0.1)}), tester("b", {measurement("background", 1.02, 0.1)})}).front();
        QVERIFY(f.betweenSigma == 0 && close(f.value, 1.01) && close(f.sigma, 0.1 / std::sqrt(2.0)) && f.q < 1);
        const auto one = mergeResults({tester("a", {measurement("background", 1.5, 0.2)})}).front();
        QVERIFY(one.testers == 1 && close(one.value, 1.5) && close(one.sigma, 0.2) && one.q == 0);
    }

    void ratiosAreAveragedInLogarithms() {
        const auto f = mergeResults({tester("a", {measurement("time_ratio", 2, 0.2, "n1")}), tester("b", {measurement("time_ratio", 8, 0.8, "n1")})}).front();
        QVERIFY(close(f.value, 4)); // equal errors in logarithms: the geometric mean
        const double x = std::log(2.0), s2 = 0.01, q = 2 * x * x / s2, tau2 = (q - 1) / (200 - 100);
        QVERIFY(close(f.q, q) && close(f.betweenSigma, std::sqrt(tau2)) && close(f.sigma, 4 * std::sqrt((s2 + tau2) / 2)));
        QCOMPARE(f.regionKind, std::string("nebula"));
        for (const char* quantity : {"background_ratio", "throughput", "star_throughput", "softness"}) QVERIFY(isAveragedInLogarithms(quantity));
        for (const char* quantity : {"background", "background_mag", "halo_depth", "nebula_snr"}) QVERIFY(!isAveragedInLogarithms(quantity));
    }

    void regionsOfOneKindCountOnce() {
        const auto t = tester("a", {measurement("nebula_signal", 1, 0.1, "n1"), measurement("nebula_signal", 3, 0.2, "n2"),
                                    measurement("halo_radius", 40, 1, "h1"), measurement("halo_radius", 90, 1, "h1#2")});
        QCOMPARE(t.figures.size(), std::size_t{3});
        QVERIFY(close(t.figures[0].value, (1 / 0.01 + 3 / 0.04) / (1 / 0.01 + 1 / 0.04)) && close(t.figures[0].sigma, 1 / std::sqrt(125.0)));
        QCOMPARE(t.figures[1].regionKind, std::string("halo_star"));
        QCOMPARE(t.figures[2].regionKind, std::string("halo_star#2")); // a ring further out is another ring
    }

    void whatDoesNotCountIsListed() {
        const Json voids =
            Json::array({{{"run", "B"}, {"subject", "moon"}, {"grade", "voids"}, {"quantities", {"background"}}, {"text", "x"}, {"normalised", false}}});
        Json weakens = voids, normalised = voids;
        weakens[0]["grade"] = "weakens", normalised[0]["normalised"] = true;
        const auto f =
            mergeResults({tester("a", {measurement("background", 1, 0.1)}), tester("b", {measurement("background", 5, 0.1)}, voids),
                          tester("c", {measurement("background", 1, 0.1, nullptr, "B", {"upper-limit"})}), tester("d", {measurement("background", 1, 0)}),
                          tester("e", {measurement("background", 2, 0.1)}, weakens), tester("f", {measurement("background", 3, 0.1)}, normalised)})
                .front();
        QCOMPARE(f.testers, 3);
        QCOMPARE(f.each.size(), std::size_t{6});
        const std::vector<LeftOut> why{LeftOut::No, LeftOut::Voided, LeftOut::Limit, LeftOut::NoError, LeftOut::No, LeftOut::No};
        for (std::size_t i = 0; i < why.size(); ++i) QVERIFY(f.each[i].leftOut == why[i] && (f.each[i].weight == 0) == (why[i] != LeftOut::No));
        QVERIFY(close(f.value, 2));
        const auto none = mergeResults({tester("a", {measurement("time_ratio", -1, 0.1, "n1")})});
        QVERIFY(none.front().testers == 0 && none.front().each[0].leftOut == LeftOut::NotPositive);
        const Json j = mergedToJson(none);
        QVERIFY(j["figures"][0]["value"].is_null() && j["figures"][0]["each"][0]["weight"] == 0.0 && j["figures"][0]["each"][0]["voided"] == false);
    }

    // Whose figure does not fit the others is told; a half that is void does not spoil the other.
    void whoStandsOutIsTold() {
        std::vector<TesterResults> all;
        for (int i = 0; i < 5; ++i)
            all.push_back(tester(std::string(1, static_cast<char>('a' + i)), {measurement("halo_depth", i == 3 ? 24 : 20 + 0.05 * i, 0.1, "h1")}));
        const auto f = mergeResults(all).front();
        for (std::size_t i = 0; i < 5; ++i) QVERIFY2((std::abs(f.each[i].apart) > 3) == (i == 3), qPrintable(QString::number(f.each[i].apart)));
    }

    void anglesMeetAcrossTheTurn() {
        const auto f = mergeResults({tester("a", {measurement("gradient_angle", 179, 1)}), tester("b", {measurement("gradient_angle", -179, 1)})}).front();
        QVERIFY2(std::abs(std::abs(f.value) - 180) < 1e-9 && f.betweenSigma < 1.01, qPrintable(QString::number(f.value)));
        // Two runs of one tester as well, whichever comes first and however far round they are given.
        for (const auto& [a, b] : {std::pair{179.0, -179.0}, {-179.0, 179.0}, {539.0, 181.0}}) {
            const auto one = tester("a", {measurement("gradient_angle", a, 1, nullptr, "B"), measurement("gradient_angle", b, 1, nullptr, "E")});
            QCOMPARE(one.figures.size(), std::size_t{1});
            QVERIFY2(std::abs(std::abs(one.figures[0].value) - 180) < 1e-9, qPrintable(QString::number(one.figures[0].value)));
            QVERIFY(close(one.figures[0].sigma, std::sqrt(0.5)));
        }
        QVERIFY(close(tester("a", {measurement("gradient_angle", 10, 1), measurement("gradient_angle", 30, 1, nullptr, "E")}).figures[0].value, 20));
        for (const char* quantity : {"gradient_angle", "halo_offset_angle"}) QVERIFY(isAngle(quantity));
        for (const char* quantity : {"gradient", "background", "halo_radius", "no such"}) QVERIFY(!isAngle(quantity));
    }

    // The order of files does not matter, nor does adding a tester who knows nothing of the filter.
    void theOrderDoesNotMatter() {
        Random random(3);
        std::vector<TesterResults> all;
        for (int i = 0; i < 6; ++i)
            all.push_back(tester(std::to_string(i), {measurement("time_ratio", std::exp(random.normal()), 0.1 + random.uniform(), "n1")}));
        const auto there = mergeResults(all).front();
        std::reverse(all.begin(), all.end());
        const auto back = mergeResults(all).front();
        QVERIFY(close(there.value, back.value) && close(there.sigma, back.sigma) && close(there.q, back.q));
    }

    /// Among testers who agree seldom is anybody named, and seldom are they said to differ. Who is wrong is named, and scatter is told.
    void nobodyIsNamedByChance() {
        Random random(23);
        const auto made = [&](int testers, double between, double wrong) {
            std::vector<TesterResults> all;
            for (int i = 0; i < testers; ++i) {
                const double s = 0.1 + 0.1 * random.uniform();
                all.push_back(
                    tester(std::to_string(i), {measurement("background_mag", 2 + between * random.normal() + s * random.normal() + (i == 0 ? wrong : 0), s)}));
            }
            return mergeResults(all).front();
        };
        const auto names = [](const MergedFigure& f) {
            return std::any_of(f.each.begin(), f.each.end(), [&](const MergeShare& s) { return standsOut(f, s); });
        };
        constexpr int kTimes = 1500;
        for (const int testers : {2, 3, 5, 12}) {
            int named = 0, differ = 0, wrong = 0, scatter = 0;
            for (int t = 0; t < kTimes; ++t) {
                const MergedFigure agree = made(testers, 0, 0);
                named += names(agree), differ += differBeyondErrors(agree);
                if (t % 10) continue;
                const MergedFigure off = made(testers, 0, 1.5);
                wrong += standsOut(off, off.each.front());
                scatter += differBeyondErrors(made(testers, 0.6, 0));
            }
            QVERIFY2(named < 0.07 * kTimes, qPrintable(QString("%1 named among %2").arg(named).arg(testers)));
            QVERIFY2(differ > 0.03 * kTimes && differ < 0.07 * kTimes, qPrintable(QString("%1 differ among %2").arg(differ).arg(testers)));
            if (testers >= 5) QVERIFY2(wrong > 0.9 * kTimes / 10 && scatter > 0.9 * kTimes / 10, qPrintable(QString("%1 %2").arg(wrong).arg(scatter)));
        }
    }

    /// A thousand made-up campaigns: the truth lies within the stated errors as often as it should, and the scatter comes back.
    void errorsAreTrue() {
        Random random(17);
        int inside1 = 0, inside2 = 0;
        std::vector<double> scatter;
        constexpr int kTimes = 1000, kTesters = 12;
        for (int t = 0; t < kTimes; ++t) {
            std::vector<TesterResults> all;
            for (int i = 0; i < kTesters; ++i) {
                const double s = 0.1 + 0.2 * random.uniform();
                all.push_back(tester(std::to_string(i), {measurement("background_mag", 2 + 0.25 * random.normal() + s * random.normal(), s)}));
            }
            const auto f = mergeResults(all).front();
            inside1 += std::abs(f.value - 2) < f.sigma, inside2 += std::abs(f.value - 2) < 2 * f.sigma;
            scatter.push_back(f.betweenSigma);
        }
        QVERIFY2(inside1 > 620 && inside1 < 720 && inside2 > 915, qPrintable(QString("%1 %2").arg(inside1).arg(inside2)));
        QVERIFY(std::abs(median(std::span<double>(scatter)) - 0.25) < 0.02);
    }

    void badFilesAreNamed() {
        const auto wrong = [](const Json& j) {
            const auto r = testerResultsFromJson(j, "x.json");
            return r ? std::string() : r.error().message;
        };
        QVERIFY(wrong(Json::array()).find("x.json") != std::string::npos);
        QVERIFY(wrong({{"caelumen_trial", 1}}).find("x.json") != std::string::npos);
        QVERIFY(wrong({{"caelumen_results", 1}, {"measurements", Json::array({{{"filter", "a"}, {"quantity", "background"}, {"value", "much"}}})}})
                    .find("x.json") != std::string::npos);
        QVERIFY(wrong({{"caelumen_results", 1}, {"measurements", Json::array({{{"filter", "a"}, {"quantity", "background"}}})}}).find("without a \"value\"") !=
                std::string::npos);
        QVERIFY(wrong({{"caelumen_results", 1}}).empty()); // nothing in it is nothing wrong
    }

    void whoStandsOutIsToldWhy() {
        const auto night = [](const char* name, double moon, double focal, Json fairness) {
            Json j{{"caelumen_results", 1},
                   {"measurements", Json::array({measurement("time_ratio", 3, 0.1, "n1")})},
                   {"fairness", std::move(fairness)},
                   {"conditions", Json::array({{{"run", "B"},
                                                {"moon", {{"illuminated", moon}, {"alt_deg", 40}}},
                                                {"facts", {{"focal_length_mm", {{"value", focal}}}, {"aperture_mm", {{"value", 100}}}}}}})}};
            auto read = testerResultsFromJson(j, name);
            if (!read) qFatal("%s", read.error().message.c_str());
            return *read;
        };
        const Json haze = Json::array({{{"run", "B"}, {"subject", "haze"}, {"grade", "weakens"}, {"quantities", Json::array()}, {"text", "There was haze."}}});
        const std::vector<TesterResults> all{night("a", 0.1, 600, Json::array()), night("b", 0.1, 610, Json::array()), night("c", 0.95, 280, haze)};
        const auto why = whyApart(all, 2, "duo7");
        QCOMPARE(why.size(), std::size_t(3));
        QVERIFY(why[0] == "There was haze." && why[1].find("95 %") != std::string::npos && why[2].find("f/2.8") != std::string::npos);
        QVERIFY(whyApart(all, 0, "duo7").empty() || whyApart(all, 0, "duo7").front().find("moon") != std::string::npos);
        QVERIFY(whyApart(all, 2, "open").empty());
    }

    void oneNightSharedTwiceIsNoticed() {
        std::vector<Json> figures, other;
        for (const char* q : {"background", "nebula_signal", "star_fwhm", "gradient", "colour_slope", "softness"})
            figures.push_back(measurement(q, 1.25, 0.1)), other.push_back(measurement(q, 1.26, 0.1));
        QVERIFY(areTheSame(tester("a", figures), tester("b", figures)));
        QVERIFY(!areTheSame(tester("a", figures), tester("b", other)));
        QVERIFY(!areTheSame(tester("a", {figures[0]}), tester("b", {figures[0]}))); // one figure may agree by chance
    }

    void sharedFilesNameNobodyUnlessWanted() {
        Trial t;
        t.title = "Ridge garden of Thandi";
        t.site.name = "Kwaggafontein", t.site.latitude_deg = -31.873, t.site.longitude_deg = 20.712, t.site.bortle = 4;
        t.rig.name = "Thandi's refractor", t.rig.focal_length_mm = 480;
        t.target = {"NGC 6188", 250.0, -48.6};
        t.filters = {{"duo7", "Duo 7", "dual-band", "/home/thandi/duo7.csv", {}}};
        TrialResults r;
        r.trial = t.title;
        r.measurements = {{"B", "duo7", "R", "time_ratio", "n1", 6.1, 0.4, {}, true, ""}};
        RunConditions c;
        c.run = "B", c.start = "2026-06-20T18:05:00Z", c.conflicts = {"the header of /home/thandi/b.fits says 3"};
        c.facts = {{"gain_e_per_adu", 0.78, FactSource::Camera, "Thandi's camera"}};
        r.conditions = {c};
        const std::string png = std::string("\x89PNG\r\n\x1a\n") + std::string(7, '\0') + "end";
        const Json anonymous = shareFile(t, r, {}, {{"B", png}}), named = shareFile(t, r, {"Thandi", true});
        const std::string text = jsonText(anonymous);
        for (const char* own : {"Thandi", "thandi", "Kwagga", "20.712", "31.873", "18:05", "/home"}) QVERIFY2(text.find(own) == std::string::npos, own);
        QVERIFY(text.find("Duo 7") != std::string::npos && text.find("2026-06-20") != std::string::npos);
        QCOMPARE(sharedThumbnails(anonymous).at("B"), png);
        const auto read = testerResultsFromJson(anonymous, "one.json"), other = testerResultsFromJson(named, "two.json");
        QVERIFY(read.ok() && other.ok());
        QVERIFY(read->source == "one.json" && other->source == "Thandi (two.json)");
        QVERIFY(read->figures.size() == 1 && read->names.at("duo7") == "Duo 7" && read->runs.front().skyMag);
        QVERIFY(jsonText(named).find("Kwagga") != std::string::npos);
    }
};

QTEST_GUILESS_MAIN(MergeTest)
#include "merge_test.moc"

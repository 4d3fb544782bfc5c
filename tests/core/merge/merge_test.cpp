#include "core/base/json.h"
#include "core/base/statistics.h"
#include "core/merge/merge.h"

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
};

QTEST_GUILESS_MAIN(MergeTest)
#include "merge_test.moc"

#include "core/base/json.h"
#include "core/compare/measure_trial.h"
#include "core/model/quantity.h"
#include "support/scenes.h"

#include <QTemporaryDir>
#include <QTest>

#include <array>
#include <filesystem>
#include <map>
#include <set>

using namespace caelumen;

namespace {

/// How each quantity is held against the truth of a virtual night: within so many claimed sigmas, or by what must hold of it whatever the truth.
struct Row {
    enum Kind { Truth, Between } kind;
    double first = 4.5, second = 0; ///< sigmas; or the least and the most
};
const std::map<std::string, Row, std::less<>> kRows{
    {"background", {Row::Between, 0.001, 5}}, // its truth is in docs/accuracy.md: stars that nobody can hide are part of it
    {"background_ratio", {Row::Between, 0.001, 1}},
    {"background_mag", {Row::Between, 0, 5}},
    {"pixel_noise", {Row::Truth}},
    {"box_noise", {Row::Truth}},
    {"sky_structure", {Row::Between, 0, 0.05}},
    {"noise_correlation", {Row::Truth}},
    {"nebula_signal", {Row::Truth}},
    {"nebula_contrast", {Row::Truth}},
    {"nebula_snr", {Row::Truth}},
    {"nebula_snr_hour", {Row::Truth}},
    {"time_ratio", {Row::Between, -2, 300}}, // the square of ratios: held against the truth by its root in measure_trial_test
    {"faint_limit", {Row::Truth}},
    {"throughput", {Row::Truth}},
    {"halo_radius", {Row::Truth, 5}},
    {"halo_radius_arcsec", {Row::Truth, 5}},
    {"halo_hole", {Row::Between, 0, 1}},
    {"halo_flux_fraction", {Row::Truth, 5}},
    {"halo_depth", {Row::Truth, 5}},
    {"halo_offset", {Row::Between, 0, 20}},
    {"halo_offset_angle", {Row::Between, -180, 180}},
    {"halo_gap_mm", {Row::Truth, 5}},
    {"halo_clean_mag", {Row::Between, -15, 5}},
    {"colour_slope", {Row::Truth, 5}},
    {"colour_cast", {Row::Truth, 5}},
    {"colour_scatter", {Row::Between, 0, 0.5}},
    {"gradient", {Row::Truth, 5}},
    {"gradient_rate", {Row::Truth, 5}},
    {"gradient_angle", {Row::Truth, 5}},
    {"vignette", {Row::Truth, 5}},
    {"gradient_residual", {Row::Between, 0, 0.2}},
    {"star_count", {Row::Between, 300, 30'000}},
    {"star_density", {Row::Between, 1000, 100'000}},
    {"star_fwhm", {Row::Truth}},
    {"star_fwhm_arcsec", {Row::Between, 3, 10}},
    {"star_eccentricity", {Row::Between, 0, 0.7}},
    {"star_tilt", {Row::Between, 0.8, 1.4}},
    {"star_throughput", {Row::Between, 0.001, 1.2}},
    {"saturated_stars", {Row::Between, 0, 200}},
    {"softness", {Row::Between, 0.7, 1.4}},
    {"banding_rows", {Row::Between, 0, 0.01}},
    {"banding_columns", {Row::Between, 0, 0.01}},
};

} // namespace

class QuantitiesTest : public QObject {
    Q_OBJECT
private slots:
    void everyQuantityHasARow() {
        for (const Quantity& q : quantities()) QVERIFY2(kRows.count(q.id), q.id.data());
        for (const auto& row : kRows) QVERIFY2(quantity(row.first), row.first.c_str());
    }

    void everyFigureHolds() {
        QTemporaryDir folder;
        const SimulatedTrial night = scenes::smallTrial({"open", "duo7", "duo3"}, 1200);
        QVERIFY(writeTrial(night, folder.path().toStdString()).ok());
        const auto at = std::filesystem::path(folder.path().toStdString()) / night.folder;
        const auto results = measureTrial(night.trial, at);
        QVERIFY(results.ok());
        const Json truth = *readJson(at / "truth.json");
        std::map<std::string, double> known;
        const auto key = [](const std::string& run, const std::string& channel, const std::string& what, const std::string& region) {
            return run + "/" + channel + "/" + what + "/" + region;
        };
        for (const auto& m : truth["measurements"])
            known[key(m["run"], m["channel"], m["quantity"], m["region"].is_null() ? "" : m["region"].get<std::string>())] = m["value"];
        std::set<std::string> seen;
        std::map<std::string, std::array<int, 2>> kept; // by quantity: within its sigmas, of all
        for (const Measurement& m : results->measurements) {
            const Row& row = kRows.at(m.quantity);
            seen.insert(m.quantity);
            QVERIFY2(std::isfinite(m.value) && std::isfinite(m.sigma) && m.sigma >= 0, m.quantity.c_str());
            if (row.kind == Row::Between) {
                QVERIFY2(m.value >= row.first && m.value <= row.second,
                         qPrintable(QString("%1 %2 %3: %4")
                                        .arg(QString::fromStdString(m.run), QString::fromStdString(m.channel), QString::fromStdString(m.quantity))
                                        .arg(m.value)));
                continue;
            }
            const auto real = known.find(key(m.run, m.channel, m.quantity, m.region));
            if (real == known.end() || m.flagged("upper-limit") || m.flagged("unexplained-light")) continue;
            auto& [within, all] = kept[m.quantity];
            ++all;
            double error = m.value - real->second;
            if (m.quantity == "gradient_angle") error = std::remainder(error, 360);
            within += std::abs(error) <= row.first * m.sigma;
        }
        for (const Quantity& q : quantities()) QVERIFY2(seen.count(std::string(q.id)), q.id.data());
        for (const auto& [what, n] : kept)
            QVERIFY2(n[1] - n[0] <= std::max(1, n[1] / 8),
                     qPrintable(QString("%1: %2 of %3 within its error").arg(QString::fromStdString(what)).arg(n[0]).arg(n[1])));
    }
};

QTEST_APPLESS_MAIN(QuantitiesTest)
#include "quantities_test.moc"

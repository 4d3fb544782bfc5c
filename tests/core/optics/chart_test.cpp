#include "core/base/statistics.h"
#include "core/optics/chart.h"
#include "core/optics/passband.h"
#include "support/curves.h"

#include <QTest>

#include <cmath>

using namespace caelumen;

namespace {

/// A narrow band with steep sides, a wide hump and flat feet: what printed charts hold.
double filterAt(double nm) {
    const double narrow = 0.93 / (1 + std::pow(std::abs(nm - 656.3) / 3.5, 6)), wide = 0.6 / (1 + std::pow(std::abs(nm - 498) / 14, 8));
    return std::min(1.0, 0.01 + narrow + wide);
}

struct Look {
    int width = 1400, height = 800;
    double turn_deg = 0, thickness = 2.5;
    std::array<int, 3> colour{200, 30, 40}, paper{255, 255, 255};
    bool grid = true;
};

/// A chart as a scanner sees it, with where its axes' marks lie.
struct Chart {
    ChartPicture picture;
    std::array<AxisMark, 2> wavelength, transmission;
};

Chart draw(const Look& look) {
    Chart out;
    out.picture = {look.width, look.height, std::vector<std::uint8_t>(3UL * static_cast<unsigned>(look.width) * static_cast<unsigned>(look.height))};
    const double c = std::cos(look.turn_deg * M_PI / 180), s = std::sin(look.turn_deg * M_PI / 180);
    const double left = 100, bottom = look.height - 90.0, perNm = (look.width - 200) / 350.0, tall = look.height - 180.0;
    const auto turned = [&](double x, double y) { return ChartPoint{c * (x - 700) - s * (y - 400) + 700, s * (x - 700) + c * (y - 400) + 400}; };
    const auto placeOf = [&](double nm, double t) { return turned(left + (nm - 400) * perNm, bottom - t * tall); };
    out.wavelength = {AxisMark{placeOf(400, 0), 400}, AxisMark{placeOf(700, 0), 700}};
    out.transmission = {AxisMark{placeOf(400, 0), 0}, AxisMark{placeOf(400, 1), 1}};
    std::vector<ChartPoint> line;
    for (double nm = 402; nm <= 740; nm += std::abs(nm - 656.3) < 12 ? 0.002 : 0.01) line.push_back(placeOf(nm, filterAt(nm)));
    std::vector<double> away(out.picture.rgb.size() / 3, 99);
    const int reach = static_cast<int>(look.thickness) + 2;
    for (const ChartPoint& p : line)
        for (int y = static_cast<int>(p.y) - reach; y <= static_cast<int>(p.y) + reach; ++y)
            for (int x = static_cast<int>(p.x) - reach; x <= static_cast<int>(p.x) + reach; ++x)
                if (x >= 0 && y >= 0 && x < look.width && y < look.height) {
                    double& d = away[static_cast<std::size_t>(y * look.width + x)];
                    d = std::min(d, std::hypot(x - p.x, y - p.y));
                }
    for (int y = 0; y < look.height; ++y) {
        for (int x = 0; x < look.width; ++x) {
            const auto i = static_cast<std::size_t>(y * look.width + x);
            const double cover = std::clamp(look.thickness / 2 + 0.5 - away[i], 0.0, 1.0);
            const bool grid = look.grid && look.turn_deg == 0 && (static_cast<int>(x - left) % 60 == 0 || static_cast<int>(bottom - y) % 62 == 0);
            for (std::size_t k = 0; k < 3; ++k) {
                const double ground = grid ? 0.75 * look.paper[k] : look.paper[k];
                out.picture.rgb[3 * i + k] = static_cast<std::uint8_t>(std::lround(ground + cover * (look.colour[k] - ground)));
            }
        }
    }
    return out;
}

} // namespace

class ChartTest : public QObject {
    Q_OBJECT

private slots:
    void scaleKnowsTurnedAxes() {
        const Chart chart = draw({.turn_deg = 3, .grid = false});
        const auto scale = ChartScale::from(chart.wavelength, chart.transmission);
        QVERIFY(scale.ok());
        const ChartPoint p = scale->place(612.5, 0.37);
        QVERIFY(std::abs(scale->wavelength(p) - 612.5) < 1e-9 && std::abs(scale->transmission(p) - 0.37) < 1e-9);
        QVERIFY(std::abs(scale->wavelength(chart.wavelength[1].at) - 700) < 1e-9 && std::abs(scale->transmission(chart.transmission[1].at) - 1) < 1e-9);
    }

    void marksThatTellNothingAreRefused() {
        const AxisMark a{{100, 500}, 400}, b{{900, 500}, 700}, low{{100, 500}, 0}, high{{100, 100}, 1};
        QVERIFY(ChartScale::from({a, b}, {low, high}).ok());
        QVERIFY(!ChartScale::from({a, a}, {low, high}).ok());
        QVERIFY(!ChartScale::from({a, AxisMark{{900, 500}, 400}}, {low, high}).ok());
        QVERIFY(!ChartScale::from({a, b}, {low, AxisMark{{900, 480}, 1}}).ok());
        // Marks in the other order, and an axis that runs down, mean the same.
        const auto swapped = ChartScale::from({b, a}, {high, low});
        QVERIFY(swapped.ok() && std::abs(swapped->wavelength({500, 300}) - 550) < 1e-9 && std::abs(swapped->transmission({500, 300}) - 0.5) < 1e-9);
    }

    void aLogarithmicAxisGivesDecades() {
        Chart chart = draw({});
        chart.transmission[0].value = 1e-4; // the drawn heights 0 to 1 are four decades
        const auto scale = ChartScale::from(chart.wavelength, chart.transmission, ChartRun::Logarithmic);
        QVERIFY(scale.ok());
        const ChartPoint p = scale->place(656.3, 0.02);
        QVERIFY(std::abs(scale->transmission(p) / 0.02 - 1) < 1e-9 && std::abs(scale->wavelength(p) - 656.3) < 1e-9);
        const auto line = followLine(chart.picture, *scale, scale->place(550, std::pow(10, 4 * (filterAt(550) - 1))));
        QVERIFY2(line.ok(), line.ok() ? "" : line.error().message.c_str());
        Curve heights = curveFrom(*line, *scale);
        for (double& t : heights.transmission) t = 1 + std::log10(t) / 4;
        const double worst = worstMiss(heights, filterAt, 406, 734);
        QVERIFY2(worst < 0.01, qPrintable(QString::number(worst)));
        QVERIFY(
            !ChartScale::from(chart.wavelength, {AxisMark{chart.transmission[0].at, 0}, chart.transmission[1]}, ChartRun::Logarithmic).ok()); // no zero there
    }

    void theLineComesBack_data() {
        QTest::addColumn<double>("turn");
        QTest::addColumn<double>("thickness");
        QTest::addColumn<int>("width");
        QTest::addColumn<bool>("dark");
        QTest::newRow("plain") << 0.0 << 2.5 << 1400 << false;
        QTest::newRow("turned by a scanner") << 2.0 << 2.5 << 1400 << false;
        QTest::newRow("thick line") << 0.0 << 6.0 << 1400 << false;
        QTest::newRow("small picture") << 0.0 << 2.0 << 900 << false;
        QTest::newRow("light line on dark ground") << 0.0 << 3.0 << 1400 << true;
    }
    void theLineComesBack() {
        QFETCH(double, turn);
        QFETCH(double, thickness);
        QFETCH(int, width);
        QFETCH(bool, dark);
        Look look{.width = width, .turn_deg = turn, .thickness = thickness};
        if (dark) look.colour = {240, 220, 120}, look.paper = {30, 34, 40};
        const Chart chart = draw(look);
        const auto scale = ChartScale::from(chart.wavelength, chart.transmission);
        QVERIFY(scale.ok());
        const auto line = followLine(chart.picture, *scale, scale->place(560, filterAt(560)));
        QVERIFY2(line.ok(), line.ok() ? "" : line.error().message.c_str());
        const Curve curve = curveFrom(thinnedLine(*line, 0.1), *scale);
        QVERIFY2(curve.wavelength_nm.front() < 404 && curve.wavelength_nm.back() > 738,
                 qPrintable(QString("%1 to %2").arg(curve.wavelength_nm.front()).arg(curve.wavelength_nm.back())));
        // Within one per cent of transmission or half a nanometre everywhere.
        const double worst = worstMiss(curve, filterAt, 406, 736);
        QVERIFY2(worst < 0.01, qPrintable(QString::number(worst)));
        Curve truth;
        for (double nm = 402; nm <= 740; nm += 0.05) truth.wavelength_nm.push_back(nm), truth.transmission.push_back(filterAt(nm));
        const auto bands = bandsOf(curve), real = bandsOf(truth);
        QCOMPARE(bands.size(), real.size());
        for (std::size_t i = 0; i < bands.size(); ++i) {
            const QString got =
                QString("%1 %2 %3").arg(bands[i].center_nm - real[i].center_nm).arg(bands[i].fwhm_nm - real[i].fwhm_nm).arg(bands[i].peak - real[i].peak);
            QVERIFY2(std::abs(bands[i].center_nm - real[i].center_nm) < 0.5, qPrintable(got));
            QVERIFY2(std::abs(bands[i].fwhm_nm - real[i].fwhm_nm) < 0.5, qPrintable(got));
            QVERIFY2(std::abs(bands[i].peak - real[i].peak) < 0.01, qPrintable(got));
        }
    }

    void anotherLineAcrossIsNotFollowed() {
        Chart chart = draw({});
        for (int x = 100; x < 1300; ++x) // a blue one falls across
            for (int d = -1; d <= 1; ++d) {
                const std::size_t i = 3 * static_cast<std::size_t>((150 + x / 3 + d) * chart.picture.width + x);
                chart.picture.rgb[i] = 20, chart.picture.rgb[i + 1] = 40, chart.picture.rgb[i + 2] = 200;
            }
        const auto scale = ChartScale::from(chart.wavelength, chart.transmission);
        const auto line = followLine(chart.picture, *scale, scale->place(560, filterAt(560)));
        QVERIFY(line.ok());
        const Curve curve = curveFrom(*line, *scale);
        const auto bands = bandsOf(curve);
        QCOMPARE(bands.size(), std::size_t{2});
        QVERIFY2(std::abs(bands[1].center_nm - 656.3) < 0.5, qPrintable(QString::number(bands[1].center_nm)));
    }

    void emptyPaperIsRefused() {
        const Chart chart = draw({});
        const auto scale = ChartScale::from(chart.wavelength, chart.transmission);
        QVERIFY(!followLine(chart.picture, *scale, scale->place(580, 0.765)).ok());
        QVERIFY(!followLine({}, *scale, {10, 10}).ok());
    }

    void thinningKeepsTheShape() {
        std::vector<ChartPoint> line;
        for (int i = 0; i <= 1000; ++i) line.push_back({static_cast<double>(i), 100 * std::sin(i / 80.0)});
        const auto few = thinnedLine(line, 0.2);
        QVERIFY(few.size() < 200 && few.size() > 20);
        QCOMPARE(few.front(), line.front());
        QCOMPARE(few.back(), line.back());
    }
};

QTEST_GUILESS_MAIN(ChartTest)
#include "chart_test.moc"

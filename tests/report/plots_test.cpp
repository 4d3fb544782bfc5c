#include "core/model/quantity.h"
#include "report/plots.h"

#include <QRegularExpression>
#include <QTest>
#include <QXmlStreamReader>

#include <cmath>

using namespace caelumen;

namespace {

Trial twoRuns() {
    Trial t;
    t.filters = {{"open", "No filter", "none", "", std::nullopt, false}, {"duo", "Duo & co <7>", "dual-band", "", std::nullopt, false}};
    for (const char* id : {"A", "B", "C"}) {
        Run r;
        r.id = id, r.filter = r.id == "A" ? "open" : "duo";
        t.runs.push_back(r);
    }
    return t;
}

/// A disc of radius 40 with some scatter of rings, and stars whose colours are halved.
TrialResults measured() {
    TrialResults r;
    r.baseline = "A";
    auto evidence = std::make_shared<std::vector<RunEvidence>>();
    for (const char* id : {"B", "C"}) {
        RunEvidence e;
        e.run = id;
        HaloExcess x;
        for (int i = 0; i < 120; ++i) {
            x.radius.push_back(i + 0.5);
            x.value.push_back((i < 40 ? 3e-7 : 0) + 2e-8 * std::sin(i)), x.sigma.push_back(i < 8 ? 0 : 2e-8), x.focus.push_back(0);
        }
        HaloRing ring;
        ring.radius = 40, ring.plateau = 3e-7;
        x.rings = {ring};
        e.halos["H1/G"] = x;
        for (int i = 0; i < 400; ++i) e.colours["B-R"].push_back({-1 + i * 0.005, 0.01, -0.5 + i * 0.0025, 0.01, {double(i), 5}});
        ColourFit fit;
        fit.slope = 0.5, fit.cast = 0, fit.medianIndex = 0;
        e.colourFits["B-R"] = fit;
        evidence->push_back(std::move(e));
        r.measurements.push_back({id, "duo", "G", q::haloFluxFraction, "H1", 1e-3, 1e-4, {}, true, {}});
    }
    r.evidence = evidence;
    return r;
}

PlotInk ink() {
    PlotInk v;
    v.colourOf = [](const std::string& run) { return run == "B" ? QColor("#aa0000") : QColor("#0000aa"); };
    v.accent = QColor("#00aa00");
    return v;
}

FilterValue worth(const char* id, std::optional<double> price, double hours, double sigma) {
    FilterValue v;
    v.id = id, v.price = price, v.currency = "EUR", v.hoursSaved = hours, v.sigma = sigma;
    return v;
}

struct Drawn {
    bool wellFormed = false;
    QStringList texts;
    QList<QPointF> points; ///< of all lines, bands and dots
    int lines = 0, polygons = 0, polylines = 0, circles = 0;
    QList<double> nameHeights;
};
Drawn drawn(const std::string& svg) {
    Drawn out;
    QXmlStreamReader xml(QString::fromStdString(svg));
    while (!xml.atEnd()) {
        if (xml.readNext() != QXmlStreamReader::StartElement) continue;
        const auto a = xml.attributes();
        const auto name = xml.name();
        if (name == u"line") ++out.lines, out.points << QPointF(a.value("x1").toDouble(), a.value("y1").toDouble());
        if (name == u"circle") ++out.circles, out.points << QPointF(a.value("cx").toDouble(), a.value("cy").toDouble());
        if (name == u"polygon" || name == u"polyline") {
            ++(name == u"polygon" ? out.polygons : out.polylines);
            for (const auto& pair : a.value("points").toString().split(' ', Qt::SkipEmptyParts))
                out.points << QPointF(pair.section(',', 0, 0).toDouble(), pair.section(',', 1).toDouble());
        }
        if (name == u"text") {
            if (!a.hasAttribute("text-anchor")) out.nameHeights << a.value("y").toDouble();
            out.texts << xml.readElementText();
        }
    }
    out.wellFormed = !xml.hasError();
    return out;
}

} // namespace

/// Plots as they are meant, and as SVG.
class PlotsTest : public QObject {
    Q_OBJECT

private slots:
    void halosOfAllRunsOrOfOne() {
        const Trial t = twoRuns();
        const TrialResults r = measured();
        const Plot all = haloPlot(t, r, "H1", ink()), one = haloPlot(t, r, "H1", ink(), "B");
        QCOMPARE(all.series.size(), std::size_t{2});
        QCOMPARE(all.marks.size(), std::size_t{2});
        QCOMPARE(all.marks[0].x, 40.0);
        QCOMPARE(all.series[0].points.size(), std::size_t{112}); // rings that nothing was seen of have no place
        QVERIFY(all.series[0].band.empty());
        QVERIFY(std::abs(all.series[0].points[10].y() - 3) < 0.3); // in units of 1e-7
        QVERIFY(all.yLabel.contains("1e-07"));
        QVERIFY(all.low.y() < 0 && all.high.y() > 3.5);
        QCOMPARE(one.series.size(), std::size_t{3}); // its excess, the same with focus, the plateau
        QCOMPARE(one.series[0].band.size(), one.series[0].points.size());
        for (std::size_t i = 0; i < one.series[0].points.size(); ++i) {
            QVERIFY(one.series[0].band[i].x() < one.series[0].points[i].y() && one.series[0].points[i].y() < one.series[0].band[i].y());
            QVERIFY(std::abs(one.series[0].band[i].y() - one.series[0].band[i].x() - 0.4) < 1e-6);
        }
        QCOMPARE(one.series[0].colour, QColor("#aa0000"));
        QCOMPARE(one.marks[0].colour, QColor("#00aa00"));
        QVERIFY(haloPlot(t, r, "H2", ink()).empty()); // no such star
        QVERIFY(haloPlot(t, {}, "H1", ink()).empty());
        QVERIFY(haloPlot(t, r, "H1", ink(), "A").empty());
    }

    void coloursOfAllRunsAreThinned() {
        const Trial t = twoRuns();
        const TrialResults r = measured();
        const Plot all = colourPlot(t, r, "B-R", ink()), one = colourPlot(t, r, "B-R", ink(), "C");
        QCOMPARE(all.series.size(), std::size_t{2});
        QVERIFY(all.series[0].points.size() <= 200);
        QCOMPARE(one.series.size(), std::size_t{3}); // dots, its line, and all colour kept
        QCOMPARE(one.series[0].points.size(), std::size_t{400});
        const auto slope = [](const Plot::Series& s) { return (s.points[1].y() - s.points[0].y()) / (s.points[1].x() - s.points[0].x()); };
        QCOMPARE(slope(one.series[1]), 0.5);
        QCOMPARE(slope(one.series[2]), 1.0);
        QVERIFY(one.low.x() < -0.98 && one.high.x() > 0.98 && one.low.x() > -1.6);
        QVERIFY(colourPlot(t, r, "G-R", ink()).empty());
    }

    void payOffIsPriceOverHours() {
        const Plot plot = payoffPlot(
            {{"Duo", {}, worth("duo", 300, 20, 4)}, {"No price", {}, worth("x", std::nullopt, 20, 4)}, {"Saves nothing", {}, worth("y", 200, 1, 4)}});
        QCOMPARE(plot.series.size(), std::size_t{1});
        const Plot::Series& s = plot.series[0];
        QCOMPARE(s.points.front(), QPointF(1, 15));
        QCOMPARE(s.points.back(), QPointF(10, 1.5));
        QCOMPARE(s.band.front(), QPointF(300.0 / 24, 300.0 / 16));
        QVERIFY(plot.logarithmic && plot.low.y() < 1.5 && plot.high.y() > 15);
        QVERIFY(plot.yLabel.startsWith("EUR"));
        QVERIFY(payoffPlot({}).empty());
        QVERIFY(plotSvg(payoffPlot({})).empty());
    }

    void svgStaysWithinItsFrame_data() {
        QTest::addColumn<int>("which");
        QTest::newRow("halos") << 0;
        QTest::newRow("colours") << 1;
        QTest::newRow("pay-off") << 2;
    }
    void svgStaysWithinItsFrame() {
        QFETCH(int, which);
        const Trial t = twoRuns();
        const TrialResults r = measured();
        Plot plot;
        if (which == 0) plot = haloPlot(t, r, "H1", ink(), "B");
        if (which == 1) plot = colourPlot(t, r, "B-R", ink());
        if (which == 2) plot = payoffPlot({{"Duo & co <7>", {}, worth("a", 300, 20, 4)}, {"Second", {}, worth("b", 301, 20, 4)}});
        const Drawn d = drawn(plotSvg(plot));
        QVERIFY(d.wellFormed);
        QVERIFY(!d.points.isEmpty());
        for (const QPointF& p : d.points)
            QVERIFY2(p.x() >= 59.9 && p.x() <= 620.1 && p.y() >= 13.9 && p.y() <= 250.1, qPrintable(QString("%1 %2").arg(p.x()).arg(p.y())));
        QVERIFY(d.texts.contains(plot.xLabel) && d.texts.contains(plot.yLabel));
        QVERIFY(d.texts.filter(QRegularExpression("^-?[0-9.]+$")).size() >= 6); // ticks along both axes
        QCOMPARE(plotSvg(plot), plotSvg(plot));
    }

    /// Lines that end at one place have names that can be read.
    void namesMakeRoomForEachOther() {
        std::vector<PayoffLine> lines;
        for (int i = 0; i < 5; ++i) lines.push_back({QString("Filter %1").arg(i), {}, worth("f", 300 + i, 20, 1)});
        const Drawn d = drawn(plotSvg(payoffPlot(lines)));
        QCOMPARE(d.nameHeights.size(), 5);
        for (int i = 1; i < 5; ++i) QVERIFY(d.nameHeights[i] - d.nameHeights[i - 1] >= 15.9);
        QCOMPARE(d.polygons, 5);
        QCOMPARE(d.polylines, 5);
    }

    void marksBesideThePlotAreNotDrawn() {
        Plot plot;
        plot.low = {0, 0}, plot.high = {10, 10};
        plot.series = {{{}, Qt::red, {{0, 0}, {10, 10}}, {}}};
        const int before = drawn(plotSvg(plot)).lines;
        plot.marks = {{-1, Qt::blue}, {11, Qt::blue}};
        QCOMPARE(drawn(plotSvg(plot)).lines, before);
        plot.marks.push_back({5, Qt::blue});
        QCOMPARE(drawn(plotSvg(plot)).lines, before + 1);
    }
};

QTEST_GUILESS_MAIN(PlotsTest)
#include "plots_test.moc"

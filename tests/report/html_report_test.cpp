#include "core/compare/measure_trial.h"
#include "report/filter_style.h"
#include "report/html_report.h"
#include "report/moon_picture.h"
#include "report/svg_plots.h"
#include "support/scenes.h"

#include <QImage>
#include <QXmlStreamReader>

using namespace caelumen;

class HtmlReportTest : public QObject {
    Q_OBJECT

private slots:
    void thePageStandsAlone() {
        const scenes::Folder folder;
        SimulatedTrial s = scenes::smallTrial({"open", "duo3"}, 640);
        s.trial.title = "Roof <b>&\"test\"";
        QVERIFY(writeTrial(s, folder.path()).ok());
        const auto results = measureTrial(s.trial, folder / "trial");
        QVERIFY(results.ok());
        const auto page = htmlReport(s.trial, *results, folder / "trial");
        QVERIFY(page.ok());
        const QString html = QString::fromStdString(*page);
        QVERIFY(html.contains("Roof &lt;b&gt;&amp;&quot;test&quot;"));
        QCOMPARE(html.count("data:image/png;base64,"), 6); // two frames, and two parts of each
        QVERIFY(html.count("<svg") >= 6);
        QVERIFY(html.count("data:image/svg+xml;base64,") >= 1);
        for (const char* link : {"http://", "https://", "<script", "src=\"/"}) {
            QString rest = html;
            rest.remove("http://www.w3.org/2000/svg"); // a name, not a link
            QVERIFY2(!rest.contains(link), link);
        }
        for (const char* part :
             {"Conditions", "What else differed", "Pictures", "Scores", "Under other skies", "Method", "Time ratio", "Bortle", "caelumen 0."})
            QVERIFY2(html.contains(part), part);
    }

    void cancellingStops() {
        std::stop_source stop;
        stop.request_stop();
        Job job;
        job.stop = stop.get_token();
        QVERIFY(!htmlReport({}, {}, {}, job).ok());
    }

    void plotsAreWellFormed() {
        TrialResults r;
        r.baseline = "A";
        Trial t;
        t.runs.resize(2);
        t.runs[0].id = "A";
        t.runs[1].id = "B";
        r.measurements = {{"B", "duo", "R", "background_mag", "", 3.2, 0.1, {}, true, {}}};
        const std::string svg = svgScore(t, r, scores()[1], "");
        QXmlStreamReader xml(QString::fromStdString(svg));
        while (!xml.atEnd()) xml.readNext();
        QVERIFY2(!xml.hasError(), qPrintable(xml.errorString()));
        QVERIFY(svg.find("baseline") != std::string::npos);
        QVERIFY(svgScore(t, {}, scores()[0], "N1").empty());
    }

    void filtersDifferWithoutColour() {
        for (int i = 0; i < 6; ++i)
            for (int j = i + 1; j < 6; ++j) {
                QVERIFY(filterStyle(i, false).shape != filterStyle(j, false).shape);
                QVERIFY(filterStyle(i, false).colour != filterStyle(j, false).colour);
                QVERIFY(filterStyle(i, false).marker(6) != filterStyle(j, false).marker(6));
            }
        for (int i = 0; i < 8; ++i) {
            const QColor red = filterStyle(i, false, true).colour;
            QVERIFY(red.red() > 2 * red.blue() && red.red() > 2 * red.green());
        }
    }

    /// The lit part of the drawn disc is the lit part of the moon, on the right side for each hemisphere.
    void moonsAreDrawnAsLit_data() {
        QTest::addColumn<double>("lit");
        QTest::addColumn<bool>("waxing");
        QTest::addColumn<bool>("south");
        QTest::newRow("crescent north") << 0.2 << true << false;
        QTest::newRow("quarter south") << 0.5 << true << true;
        QTest::newRow("gibbous waning") << 0.8 << false << false;
        QTest::newRow("full") << 1.0 << true << false;
    }
    void moonsAreDrawnAsLit() {
        QFETCH(double, lit);
        QFETCH(bool, waxing);
        QFETCH(bool, south);
        QImage image(200, 200, QImage::Format_RGB32);
        image.fill(Qt::blue);
        QPainter painter(&image);
        drawMoon(painter, QRectF(10, 10, 180, 180), lit, waxing, south, Qt::white, Qt::black);
        painter.end();
        double light = 0, right = 0;
        for (int y = 0; y < 200; ++y)
            for (int x = 0; x < 200; ++x)
                if (std::hypot(x - 99.5, y - 99.5) < 88 && qGray(image.pixel(x, y)) > 127) {
                    ++light;
                    right += x > 99.5;
                }
        QVERIFY2(std::abs(light / (M_PI * 88 * 88) - lit) < 0.03, qPrintable(QString::number(light / (M_PI * 88 * 88))));
        if (lit < 0.9) QVERIFY((right / light > 0.5) == (waxing != south));
    }
};

QTEST_MAIN(HtmlReportTest)
#include "html_report_test.moc"

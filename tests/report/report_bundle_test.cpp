#include "core/base/file.h"
#include "core/base/json.h"
#include "core/base/phrase.h"
#include "core/compare/measure_trial.h"
#include "report/html_report.h"
#include "report/page_template.h"
#include "report/pdf_report.h"
#include "report/report_bundle.h"
#include "report/slides.h"
#include "report/summary_card.h"
#include "report/verdict_picture.h"
#include "support/scenes.h"

#include <QImage>
#include <QRegularExpression>
#include <QTest>
#include <QXmlStreamReader>

#include <archive.h>
#include <archive_entry.h>

using namespace caelumen;

/// Everything that goes out: pages by a template, sheets, archives, cards, slides. All of it can be remade byte for byte.
class ReportBundleTest : public QObject {
    Q_OBJECT

    scenes::Folder m_folder;
    Trial m_trial;
    TrialResults m_results;
    ReportExtras m_extras;

    std::map<std::string, std::string> opened(const std::string& zip) {
        std::map<std::string, std::string> out;
        archive* a = archive_read_new();
        archive_read_support_format_zip(a);
        archive_read_open_memory(a, zip.data(), zip.size());
        archive_entry* e = nullptr;
        while (archive_read_next_header(a, &e) == ARCHIVE_OK) {
            std::string bytes(static_cast<std::size_t>(archive_entry_size(e)), '\0');
            archive_read_data(a, bytes.data(), bytes.size());
            out[archive_entry_pathname(e)] = bytes;
        }
        archive_read_free(a);
        return out;
    }

private slots:
    void initTestCase() {
        SimulatedTrial s = scenes::smallTrial({"open", "duo7", "duo3"}, 640);
        s.trial.title = "Roof & <garden>";
        s.trial.filters[1].price = Price{200, 10, "EUR"};
        QVERIFY(writeTrial(s, m_folder.path()).ok());
        m_trial = s.trial;
        auto results = measureTrial(m_trial, m_folder / "trial");
        QVERIFY(results.ok());
        m_results = std::move(*results);
        m_extras.tester = "A <b>tester</b>", m_extras.disclosure = "Lent.\n\nGoes back.", m_extras.remarks = "Windy.";
        const auto profile = profileFromText(
            R"({"caelumen_profile": 1, "name": "Roof", "skies": [{"bortle": 8}], "kinds": {"emission": 1}, "weights": {"nebula": 1, "halo": 1}, "clear_hours_per_year": 100, "budget": {"amount": 300, "currency": "EUR"}})",
            "profile");
        QVERIFY(profile.ok());
        const std::vector<GridTrial> trials{{m_trial.title, m_trial, m_folder / "trial", std::make_shared<const TrialResults>(m_results)}};
        const GridModel model(*gridInput(trials, {}));
        const auto verdict = judge(*profile, trials, model);
        QVERIFY(verdict.ok());
        m_extras.profile = *profile, m_extras.verdict = std::make_shared<const Verdict>(*verdict);
        LabelledPicture p;
        p.image = QImage(300, 200, QImage::Format_RGB32);
        p.image.fill(Qt::darkRed);
        p.name = "B  Twinline", p.lines = {"as from 1 h"};
        m_extras.palettes.push_back(p);
    }

    void thePageHoldsWhatThePersonSays() {
        const auto page = htmlReport(m_trial, m_results, m_folder / "trial", {}, m_extras);
        QVERIFY(page.ok());
        for (const char* part : {"Verdict: Roof", "A &lt;b&gt;tester&lt;/b&gt;", "<p>Lent.</p><p>Goes back.</p>", "Windy.", "In colour", "as from 1 h",
                                 "Pixel by pixel", "Appendix", "One step is", "solar filter", "caelumen 0."})
            QVERIFY2(page->find(part) != std::string::npos, part);
        QVERIFY(page->find("<script") == std::string::npos && page->find("<garden>") == std::string::npos);
        std::size_t images = 0, described = 0;
        for (std::size_t at = 0; (at = page->find("<img", at)) != std::string::npos; ++at)
            ++images, described += page->substr(at, page->find('>', at) - at).find("alt=\"") != std::string::npos;
        QVERIFY(images > 8);
        QCOMPARE(described, images); // each says what it shows
        QCOMPARE(*htmlReport(m_trial, m_results, m_folder / "trial", {}, m_extras), *page);
    }

    /// Who reads it in another language finds no English between its sentences; names, units and ids stay.
    void theWholePageIsInTheReadersLanguage() {
        speak([](const char* english) { return "\u00AB" + std::string(english) + "\u00BB"; });
        const auto results = measureTrial(m_trial, m_folder / "trial");
        const auto page = htmlReport(m_trial, *results, m_folder / "trial", {}, m_extras);
        const auto figures = reportFigures(m_trial, *results, m_extras);
        speak(nullptr);
        QVERIFY(page.ok());
        QString html = QString::fromStdString(*page);
        html.remove(QRegularExpression("<style>.*?</style>", QRegularExpression::DotMatchesEverythingOption));
        html.remove(QRegularExpression("<svg.*?</svg>", QRegularExpression::DotMatchesEverythingOption)); // looked at below
        QStringList english;
        for (const QString& text : html.split(QRegularExpression("<[^>]*>"), Qt::SkipEmptyParts))
            if (text.contains(QRegularExpression("[a-z]{3,} [a-z]{2,} [a-z]{2,}")) && !text.contains(QChar(0xAB))) english << text.trimmed();
        english.removeIf([&](const QString& text) { // what the person and the trial say themselves, and a verdict that was made before
            for (const std::string& s : m_extras.verdict->sentences)
                if (text.contains(QString::fromStdString(s).toHtmlEscaped())) return true;
            for (const std::string& s : m_extras.verdict->notTested)
                if (text.contains(QString::fromStdString(s).toHtmlEscaped())) return true;
            return text.contains("as from 1 h") || text.contains(QString::fromStdString(m_trial.rig.name)); // a rig's own words
        });
        QVERIFY2(english.isEmpty(), qPrintable(english.join("\n")));
        for (const char* part : {"\u00ABPictures\u00BB", "\u00ABWhat else differed\u00BB", "\u00ABMethod\u00BB"})
            QVERIFY2(page->find(part) != std::string::npos, part);
        for (const ReportFigure& f : figures)
            if (!f.svg.isEmpty()) QVERIFY2(f.title.contains(QChar(0xAB)), qPrintable(f.title));
        QVERIFY(figures.front().svg.contains("\u00ABbaseline\u00BB"));
    }

    void aTemplateOfOnesOwn() {
        QCOMPARE(filledPage("<p>{{a}} {{b}} {{none}} {{a}}</p>", {{"a", "1"}, {"b", "2"}}), std::string("<p>1 2  1</p>"));
        QCOMPARE(filledPage("{{ <script>x</script>", {}), std::string("{{ "));
        QCOMPARE(filledPage("{{a}}", {{"a", "{{b}}"}, {"b", "no"}}), std::string("{{b}}")); // what is put in is no place
        ReportExtras extras = m_extras;
        extras.page = "<html><body><h1>Mine: {{title}}</h1>{{verdict}}</body></html>";
        const auto page = htmlReport(m_trial, m_results, m_folder / "trial", {}, extras);
        QVERIFY(page && page->find("<h1>Mine: Roof &amp; &lt;garden&gt;</h1>") != std::string::npos && page->find("Appendix") == std::string::npos);
    }

    void sheetsOfBothPapers() {
        const auto page = htmlReport(m_trial, m_results, m_folder / "trial", {}, m_extras);
        QVERIFY(page.ok());
        const auto a4 = pdfReport(*page, "Roof"), again = pdfReport(*page, "Roof"), letter = pdfReport(*page, "Roof", true);
        QVERIFY(a4 && again && letter);
        QVERIFY(*a4 == *again); // byte for byte
        QVERIFY(a4->find("MediaBox [0 0 595") != std::string::npos);
        QVERIFY(letter->find("MediaBox [0 0 612") != std::string::npos);
        const auto sheets = reportSheets(*page, false, 620);
        std::size_t pages = 0;
        for (std::size_t at = 0; (at = a4->find("/Type /Page\n", at)) != std::string::npos; ++at) ++pages;
        QCOMPARE(sheets.size(), pages); // the preview has the sheets of the paper
        QVERIFY(std::abs(sheets[0].height() / 620.0 - 297.0 / 210) < 0.01);
        QVERIFY(sheets[0].pixel(2, 2) == qRgb(255, 255, 255));
    }

    void theArchiveHoldsEverything() {
        const auto zip = reportBundle(m_trial, m_results, m_folder / "trial", m_extras);
        QVERIFY2(zip.ok(), zip ? "" : zip.error().message.c_str());
        const auto files = opened(*zip);
        for (const char* name : {"report.html", "report.pdf", "results.json", "figures.csv", "trial.json", "profile.json", "verdict.json", "frames.json",
                                 "card-1200x630.svg", "card-1080x1350.svg", "figures/ranking.svg", "figures/colour-1.png", "pictures/1.png", "pictures/3.png"})
            QVERIFY2(files.count(name) && !files.at(name).empty(), name);
        QVERIFY(Json::parse(files.at("verdict.json"))["caelumen_verdict"] == 1);
        QCOMPARE(Json::parse(files.at("frames.json")).size(), std::size_t(3));
        const auto again = reportBundle(m_trial, m_results, m_folder / "trial", m_extras);
        QVERIFY(again.ok());
        const auto other = opened(*again);
        for (const auto& [name, bytes] : files) QVERIFY2(other.at(name) == bytes, name.c_str());
        QVERIFY(*again == *zip); // byte for byte
    }

    void cardsAndSlidesCarryTheirConditions() {
        for (const QSize size : {kWideCard, kTallCard}) {
            const QImage card = summaryCard(m_trial, m_results, m_extras, size);
            QCOMPARE(card.size(), size);
            const QString svg = QString::fromUtf8(summaryCardSvg(m_trial, m_results, m_extras, size));
            QXmlStreamReader xml(svg);
            while (!xml.atEnd()) xml.readNext();
            QVERIFY2(!xml.hasError(), qPrintable(xml.errorString()));
            QVERIFY(svg.contains("Bortle") && svg.contains("caelumen 0."));
            ReportExtras bare;
            QVERIFY(summaryCard(m_trial, m_results, bare, size) != card); // without a verdict the time ratios
        }
        const auto written = writeSlides(m_folder / "slides", reportFigures(m_trial, m_results, m_extras), {1920, 1080}, conditionsLine(m_trial, m_results));
        QVERIFY(written && written->size() > 6);
        for (const std::string& name : *written) QCOMPARE(QImage(QString::fromStdString((m_folder / "slides" / name).string())).size(), QSize(1920, 1080));
        const ReportFigure figure = reportFigures(m_trial, m_results, m_extras).front();
        QVERIFY(slideOf(figure, {1920, 1080}, "one sky") != slideOf(figure, {1920, 1080}, "another sky")); // burnt in
        QVERIFY(!writeSlides("/proc/none", {}, {1920, 1080}, {}).ok());
    }

    void drawingsAreWellFormed() {
        for (const std::string& svg : {svgRanking(m_trial, *m_extras.verdict, *m_extras.profile), svgPayoff(m_trial, *m_extras.verdict)}) {
            QXmlStreamReader xml(QString::fromStdString(svg));
            while (!xml.atEnd()) xml.readNext();
            QVERIFY2(!xml.hasError(), qPrintable(xml.errorString()));
        }
        QVERIFY(svgRanking(m_trial, *m_extras.verdict, *m_extras.profile).find("Clearpane") != std::string::npos);
    }
};

QTEST_MAIN(ReportBundleTest)
#include "report_bundle_test.moc"

#include "report/text_page.h"

#include <QTest>
#include <QTextDocument>
#include <QTextTable>
#include <QXmlStreamReader>

using namespace caelumen;
using Tone = TextPage::Tone;

namespace {

const TextPage::Ink kInk{"#111111", "#222222", "#333333", "#444444", "#555555"};

bool isWellFormed(const QString& html) {
    QXmlStreamReader xml("<page>" + QString(html).replace("&nbsp;", " ").replace("<br>", "<br/>") + "</page>");
    while (!xml.atEnd()) xml.readNext();
    return !xml.hasError();
}

} // namespace

class TextPageTest : public QObject {
    Q_OBJECT

private slots:
    /// Names of filters and places come from anywhere.
    void textIsTextWhateverItHolds() {
        const QString nasty = "<b>\"Duo\" & 'Co' %1 %99</b>";
        for (TextPage page : {TextPage(kInk), TextPage()}) {
            page.title(nasty);
            page.heading(nasty);
            page.line(nasty, Tone::Warn);
            page.lines({nasty.toStdString(), "two"}, Tone::Dim);
            page.section(nasty, {nasty.toStdString()});
            page.table({{nasty}, {"n", true}}, {{nasty, "1"}});
            page.facts({{nasty, TextPage::safe(nasty)}});
            page.paragraph(page.link(nasty, nasty));
            QVERIFY2(isWellFormed(page.html()), qPrintable(page.html()));
            QTextDocument document;
            document.setHtml(page.html());
            QCOMPARE(document.toPlainText().replace(QChar(0xa0), ' ').count(nasty), 11);
            QVERIFY(!document.toHtml().contains("font-weight:600;\">\"Duo\""));
        }
    }

    /// Where there is ink every line has its colour; a report's style sheet knows the classes instead.
    void tonesAreColoursOrClasses() {
        TextPage inked(kInk), classed;
        for (TextPage* page : {&inked, &classed})
            for (const Tone tone : {Tone::Plain, Tone::Dim, Tone::Warn, Tone::Bad}) page->line("x", tone);
        for (const QString& colour : {kInk.plain, kInk.dim, kInk.warn, kInk.bad}) QCOMPARE(inked.html().count(colour), 1);
        QVERIFY(!inked.html().contains("class="));
        for (const char* name : {"small", "weakens", "voids"}) QCOMPARE(classed.html().count(QString("class='%1'").arg(name)), 1);
        QVERIFY(!classed.html().contains("style=") && classed.html().contains("<p>x</p>"));
    }

    void numbersStandToTheRight() {
        TextPage inked(kInk), classed;
        for (TextPage* page : {&inked, &classed})
            page->table({{"Filter"}, {"subs", true}, {"a", false, true}}, {{"Duo", "12", "<b>x</b>"}, {"Open", "7", "y"}});
        QTextDocument document;
        document.setHtml(inked.html());
        const auto* table = qobject_cast<QTextTable*>(document.rootFrame()->childFrames().value(0));
        QVERIFY(table);
        QCOMPARE(table->rows(), 3);
        QCOMPARE(table->columns(), 3);
        QCOMPARE(table->cellAt(1, 1).firstCursorPosition().block().text(), QString("12"));
        QVERIFY(table->cellAt(1, 1).firstCursorPosition().blockFormat().alignment() & Qt::AlignRight);
        QVERIFY(!(table->cellAt(1, 0).firstCursorPosition().blockFormat().alignment() & Qt::AlignRight));
        QCOMPARE(table->cellAt(1, 2).firstCursorPosition().block().text(), QString("x")); // markup went through
        QCOMPARE(classed.html().count("<td class='n'>"), 2);
        QCOMPARE(classed.html().count("<th"), 3);
    }

    void whatIsEmptyLeavesNoTrace() {
        TextPage page(kInk);
        page.lines({});
        page.section("Notes", {});
        page.facts({});
        page.table(QList<QStringList>{{"only", "a head"}});
        QVERIFY(page.html().isEmpty());
    }

    void aNumberKeepsItsUnitOnItsLine() {
        TextPage page(kInk);
        page.line("it keeps 88 % of it");
        QVERIFY(page.html().contains(QString::fromUtf8("88\u00A0%")));
    }
};

QTEST_GUILESS_MAIN(TextPageTest)
#include "text_page_test.moc"

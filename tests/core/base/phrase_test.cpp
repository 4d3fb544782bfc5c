#include "core/base/phrase.h"

#include <QTest>

#include <map>
#include <thread>
#include <vector>

using namespace caelumen;

namespace {

std::string inverted(const char* english) {
    static const std::map<std::string, std::string> book{{"{} shows {} times more.", "{1} mal mehr zeigt {0}."},
                                                         {"{:.2f} mag of {:g}", "{:.2f} mag von {:g}"},
                                                         {"{} of {}", "{} von {} und {}"}, // a slip: one too many
                                                         {"{:.1f} {{braces}} {:d}", "{:.1f} {{Klammern}} {:d}"},
                                                         {"dark", "dunkel"}};
    const auto it = book.find(english);
    return it == book.end() ? english : it->second;
}

} // namespace

class PhraseTest : public QObject {
    Q_OBJECT

private slots:
    void cleanup() { speak(nullptr); }

    void withoutABookAllIsEnglish() {
        QCOMPARE(phrase("{} shows {} times more.", "Duo", 3), std::string("Duo shows 3 times more."));
        QCOMPARE(phrase("{:.2f} mag of {:g}", 1.5, 2.25), std::string("1.50 mag of 2.25"));
        QCOMPARE(numbers("{:.{}f} \u00B1{:.1f}", 1.234, 2, 0.5), std::string("1.23 \u00B10.5"));
        QCOMPARE(wordOf("dark"), std::string("dark"));
    }

    /// Another language may turn the order round, and has its own comma.
    void theBookGivesWordsAndTheLanguageItsComma() {
        speak(inverted, ',');
        QCOMPARE(phrase("{} shows {} times more.", "Duo", 3), std::string("3 mal mehr zeigt Duo."));
        QCOMPARE(phrase("{:.2f} mag of {:g}", 1.5, 2.25), std::string("1,50 mag von 2,25"));
        QCOMPARE(phrase("{:.1f} {{braces}} {:d}", 0.5, 12345), std::string("0,5 {Klammern} 12345"));
        QCOMPARE(numbers("{:.{}f} \u00B1{:.1f}", 1234.5, 1, 0.5), std::string("1234,5 \u00B10,5"));
        QCOMPARE(numbers("{:+.0f} %", 12.3), std::string("+12 %"));
        QCOMPARE(wordOf("dark"), std::string("dunkel"));
        QCOMPARE(phrase("what nobody translated: {:.1f}", 0.5), std::string("what nobody translated: 0,5"));
    }

    /// A slip in a translation costs the words, never the sentence.
    void aSlipFallsBackToEnglish() {
        speak(inverted, ',');
        QCOMPARE(phrase("{} of {}", 1, 2), std::string("1 of 2"));
    }

    void sentencesAreMadeInAnyThread() {
        speak(inverted, ',');
        std::vector<std::string> out(8);
        {
            std::vector<std::jthread> threads;
            for (std::string& s : out)
                threads.emplace_back([&s] {
                    for (int i = 0; i < 500; ++i) s = phrase("{:.2f} mag of {:g}", 1.5, 2.25);
                });
        }
        for (const std::string& s : out) QCOMPARE(s, std::string("1,50 mag von 2,25"));
    }
};

QTEST_GUILESS_MAIN(PhraseTest)
#include "phrase_test.moc"

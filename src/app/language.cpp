#include "app/language.h"

#include "core/base/phrase.h"

#include <QCoreApplication>
#include <QDir>
#include <QLibraryInfo>
#include <QLocale>
#include <QRegularExpression>
#include <QStandardPaths>
#include <QTranslator>

#include <map>

namespace caelumen {
namespace {

/// "%n run(s)" as it is said of one, and of more.
class EnglishPlurals : public QTranslator {
public:
    bool isEmpty() const override { return false; }
    QString translate(const char*, const char* source, const char*, int n) const override {
        if (n < 0 || !source) return {};
        return QString::fromUtf8(source).replace("(s)", n == 1 ? "" : "s");
    }
};

/// Every letter with an accent, brackets around it and a third more of it; what stands for something else stays: placeholders, tags, endings of files.
class PseudoLanguage : public QTranslator {
public:
    bool isEmpty() const override { return false; }
    QString translate(const char*, const char* source, const char*, int n) const override {
        QString text = QString::fromUtf8(source ? source : "");
        if (n >= 0) text.replace("(s)", n == 1 ? "" : "s");
        static const QRegularExpression letters("[A-Za-z]"), kept("%L?[0-9n]+|<[^>]*>|&[a-z]+;|\\(\\*[^)]*\\)|\\{[^}]*\\}");
        if (!text.contains(letters)) return text;
        QString out;
        qsizetype from = 0;
        for (auto it = kept.globalMatch(text); it.hasNext();) {
            const auto match = it.next();
            out += accented(text.mid(from, match.capturedStart() - from)) + match.captured();
            from = match.capturedEnd();
        }
        out += accented(text.mid(from));
        return QChar(0x27E6) + out + QString(text.size() / 3, QChar(0x00B7)) + QChar(0x27E7);
    }

private:
    static QString accented(QString text) {
        static const std::map<QChar, QChar> all{{'a', QChar(0xE1)}, {'e', QChar(0xE9)}, {'i', QChar(0xED)}, {'o', QChar(0xF3)},
                                                {'u', QChar(0xFA)}, {'c', QChar(0xE7)}, {'n', QChar(0xF1)}, {'s', QChar(0x161)},
                                                {'A', QChar(0xC5)}, {'E', QChar(0xC9)}, {'I', QChar(0xCD)}, {'O', QChar(0xD6)},
                                                {'U', QChar(0xDC)}, {'C', QChar(0xC7)}, {'N', QChar(0xD1)}, {'S', QChar(0x160)}};
        for (QChar& c : text)
            if (const auto it = all.find(c); it != all.end()) c = it->second;
        return text;
    }
};

PseudoLanguage& pseudo() {
    static PseudoLanguage one;
    return one;
}

/// Sentences that the core puts together.
std::string ofTheCore(const char* english) {
    return QCoreApplication::translate("caelumen::core", english).toStdString();
}

/// Numbers are said by the same rules as words.
void speakBoth(const QLocale& locale) {
    QLocale::setDefault(locale);
    speak(ofTheCore, locale.decimalPoint() == "," ? ',' : '.');
}

} // namespace

void installLanguage(QCoreApplication& app) {
    static EnglishPlurals plurals;
    QCoreApplication::installTranslator(&plurals);
    QLocale::setDefault(QLocale::c()); // English of no country: points in numbers, whatever the desktop says
    const QString wanted = qEnvironmentVariable("CAELUMEN_LANGUAGE");
    if (wanted == "pseudo") return speakPseudo(true);
    const QLocale locale = wanted.isEmpty() ? QLocale::system() : QLocale(wanted);
    auto* own = new QTranslator(&app);
    const QString folder = QStandardPaths::locate(QStandardPaths::AppDataLocation, "translations", QStandardPaths::LocateDirectory);
    for (const QString& place : {folder, QCoreApplication::applicationDirPath() + "/translations"}) {
        if (place.isEmpty() || !own->load(locale, "caelumen", "_", place)) continue;
        QCoreApplication::installTranslator(own);
        speakBoth(locale);
        auto* toolkit = new QTranslator(&app); // the words of its own dialogs, only where all others are said in that language too
        if (toolkit->load(locale, "qtbase", "_", QLibraryInfo::path(QLibraryInfo::TranslationsPath))) QCoreApplication::installTranslator(toolkit);
        return;
    }
}

void speakPseudo(bool yes) {
    if (yes) {
        QCoreApplication::installTranslator(&pseudo());
        speakBoth(QLocale(QLocale::German)); // a comma in every number, as in most of the world's languages
    } else {
        QCoreApplication::removeTranslator(&pseudo());
        QLocale::setDefault(QLocale::c());
        speak(nullptr);
    }
}

} // namespace caelumen

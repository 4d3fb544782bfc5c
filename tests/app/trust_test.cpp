#include "app/event_log.h"
#include "app/help/help_window.h"
#include "app/settings_file.h"
#include "core/model/quantity.h"
#include "support/bench_fixture.h"
#include "support/watched_app.h"

#include <QClipboard>
#include <QDialog>
#include <QDir>
#include <QFile>
#include <QLineEdit>
#include <QListWidget>
#include <QMenu>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QRegularExpression>
#include <QTableWidget>
#include <QTextBrowser>

#include <cmath>

using namespace caelumen;

namespace {

/// Relative luminance and contrast after WCAG 2.1.
double luminance(const QColor& c) {
    const auto linear = [](double v) { return v <= 0.03928 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4); };
    return 0.2126 * linear(c.redF()) + 0.7152 * linear(c.greenF()) + 0.0722 * linear(c.blueF());
}
double contrast(const QColor& a, const QColor& b) {
    const double x = luminance(a) + 0.05, y = luminance(b) + 0.05;
    return std::max(x, y) / std::min(x, y);
}

} // namespace

/// What a person relies on: legible letters, what went wrong and what was left, settings that can be taken along.
class TrustTest : public QObject, BenchFixture {
    Q_OBJECT

    QAction* action(const QString& text) {
        for (QAction* a : m_window->findChildren<QAction*>())
            if (a->text().remove('&').startsWith(text)) return a;
        return nullptr;
    }
    static QString running() { return QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/running"; }

private slots:
    void initTestCase() { makeScene(320); }
    void init() {
        QSettings().clear();
        openWindow();
    }
    void cleanup() { m_window.reset(); }

    void lettersStandOutInEveryTheme_data() {
        QTest::addColumn<int>("kind");
        QTest::newRow("grey") << static_cast<int>(ThemeKind::Grey);
        QTest::newRow("daylight") << static_cast<int>(ThemeKind::Light);
        QTest::newRow("red") << static_cast<int>(ThemeKind::Red);
    }
    void lettersStandOutInEveryTheme() {
        QFETCH(int, kind);
        const Theme t = makeTheme(static_cast<ThemeKind>(kind));
        const std::pair<const char*, QColor> grounds[] = {{"window", t.window}, {"panel", t.panel}, {"raised", t.raised}, {"plot", t.plot}};
        const std::pair<const char*, QColor> letters[] = {{"text", t.text}, {"dim", t.dim}, {"warn", t.warn}, {"bad", t.bad}, {"accent", t.accent}};
        for (const auto& [ground, back] : grounds)
            for (const auto& [letter, front] : letters)
                QVERIFY2(contrast(front, back) >= 4.5, qPrintable(QString("%1 on %2: %3").arg(letter, ground).arg(contrast(front, back))));
        QVERIFY(contrast(t.window, t.accent) >= 4.5); // what is chosen
        if (kind == static_cast<int>(ThemeKind::Red))
            for (const QColor& c : {t.window, t.panel, t.raised, t.line, t.text, t.dim, t.accent, t.warn, t.bad, t.plot})
                QVERIFY2(c.blue() <= c.red() / 3 && c.green() <= c.red() / 2, qPrintable(c.name())); // nothing white or blue at night
    }

    void largerLettersFitTheirRows() {
        m_window.reset();
        setLetterScale(1.7);
        openWindow();
        m_window->setTheme(ThemeKind::Grey);
        for (int key = Qt::Key_1; key <= Qt::Key_8; ++key) {
            QTest::keyClick(m_window.get(), static_cast<Qt::Key>(key), Qt::AltModifier);
            QApplication::processEvents(); // what the style asks of the layouts is on its way
            for (const QTableView* table : m_window->findChildren<QTableView*>())
                if (table->isVisible() && table->verticalHeader()->isHidden())
                    QVERIFY2(table->verticalHeader()->defaultSectionSize() >= QFontMetrics(table->font()).height(), qPrintable(table->accessibleName()));
            for (const QPushButton* b : m_window->findChildren<QPushButton*>())
                if (b->isVisible()) QVERIFY2(b->height() >= b->fontMetrics().height(), qPrintable(b->text()));
        }
        QCOMPARE(QFontInfo(m_window->font()).pixelSize(), 20);
        m_window.reset();
        setLetterScale(1);
        openWindow();
        m_window->setTheme(ThemeKind::Grey);
    }

    void aCampaignIsCheckedTrialByTrial() {
        drop({at("trial/trial.json")});
        QAction* check = action("Check this campaign");
        QVERIFY(check);
        check->trigger();
        QTRY_VERIFY_WITH_TIMEOUT(m_window->findChild<QDialog*>("campaignCheck"), 10'000);
        auto* dialog = m_window->findChild<QDialog*>("campaignCheck");
        QVERIFY(dialog->findChild<QLabel*>("checkSummary")->text().contains("is whole"));
        const auto* table = dialog->findChild<QTableWidget*>("checkTable");
        QCOMPARE(table->rowCount(), 1);
        QCOMPARE(table->item(0, 1)->text(), QString("whole"));
        QCOMPARE(table->item(0, 2)->text(), QString("none"));
        QVERIFY(!dialog->findChild<QPushButton*>("mend")->isEnabled());
        QTest::keyClick(dialog, Qt::Key_Escape);
        QTRY_VERIFY(!m_window->findChild<QDialog*>("campaignCheck"));
    }

    void whatWasGoingOnWhenItDiedIsTold() {
        // A process that is no more left this behind.
        QDir().mkpath(running());
        const QString other = at("other.caelumen");
        m_window->openCampaign(other);
        m_window->openCampaign(at("now.caelumen"));
        QFile mark(running() + "/999999999.json");
        QVERIFY(mark.open(QIODevice::WriteOnly));
        mark.write(
            QString("{\"caelumen_running\": 1, \"campaign\": \"%1\", \"doing\": \"Stacking\", \"since\": \"2026-06-20T20:00:00Z\"}").arg(other).toUtf8());
        mark.close();
        m_window->offerRecovery();
        QVERIFY(m_answers->question.contains("Stacking") && m_answers->question.contains("other"));
        QCOMPARE(session().campaign()->path(), other);
        QVERIFY(problem().contains("without closing"));
        QVERIFY(!mark.exists());
        // Told once; and never of one that lives.
        m_answers->asked = 0;
        m_window->offerRecovery();
        QCOMPARE(m_answers->asked, 0);
        QCOMPARE(QDir(running()).entryList({QString("%1.json").arg(QCoreApplication::applicationPid())}).size(), 1);
        m_window.reset();
        QVERIFY(QDir(running()).entryList({QString("%1.json").arg(QCoreApplication::applicationPid())}).isEmpty());
        // Rubbish in its place is no fault.
        QVERIFY(mark.open(QIODevice::WriteOnly));
        mark.write("{{{");
        mark.close();
        openWindow();
        m_window->offerRecovery();
        QVERIFY(!mark.exists());
    }

    void theEventLogCanBeCopiedAndNamesNoHome() {
        m_window->fail("A fault in " + QDir::homePath() + "/private/frame.fits.");
        drop({at("trial/trial.json")});
        QVERIFY(settled());
        action("Event log")->trigger();
        auto* dialog = m_window->findChild<QDialog*>("eventLog");
        QVERIFY(dialog);
        const QString text = dialog->findChild<QPlainTextEdit*>()->toPlainText();
        QVERIFY(text.startsWith("Caelumen ") && text.contains("told: A fault in ~/private/frame.fits.") && text.contains("works: ") &&
                text.contains("campaign: "));
        QVERIFY(!text.contains(QDir::homePath() + "/private"));
        for (QPushButton* b : dialog->findChildren<QPushButton*>())
            if (b->text() == "Copy all of it") QTest::mouseClick(b, Qt::LeftButton);
        QCOMPARE(QGuiApplication::clipboard()->text(), text);
        // It does not grow for ever.
        for (int i = 0; i < 3000; ++i) noteEvent(QString(200, 'x'));
        QVERIFY(QFile(eventLogFile()).size() < 300 * 1024);
    }

    void theManualOpensAtTheScreenInSight() {
        int n = 0;
        for (const char* page : {"kit", "night", "subs", "bench", "sky-grid", "palette", "verdict", "log"}) {
            QTest::keyClick(m_window.get(), static_cast<Qt::Key>(Qt::Key_1 + n++), Qt::AltModifier);
            QTest::keyClick(m_window.get(), Qt::Key_F1);
            QVERIFY(m_window->manual() && m_window->manual()->isVisible());
            QCOMPARE(m_window->manual()->page(), QString(page));
            QVERIFY(m_window->manual()->browser().toPlainText().size() > 500);
        }
        HelpWindow& help = *m_window->manual();
        QTest::keyClicks(&help.search(), "photon");
        QVERIFY(help.list().count() < HelpWindow::pages().size());
        help.search().clear();
        QTest::keyClicks(&help.search(), "mirrored order");
        QCOMPARE(help.list().count(), 1);
        QTest::keyClick(&help.search(), Qt::Key_Return);
        QCOMPARE(help.page(), QString("night"));
        help.search().clear();
        QCOMPARE(help.list().count(), static_cast<int>(HelpWindow::pages().size()));
    }

    void theManualIsWhole() {
        QString figures;
        m_window->showManual();
        for (const QString& page : HelpWindow::pages()) {
            QFile file(":/manual/" + page + ".md");
            QVERIFY2(file.open(QIODevice::ReadOnly), qPrintable(page));
            const QString text = QString::fromUtf8(file.readAll());
            if (page == "figures") figures = text;
            static const QRegularExpression link("\\]\\(([^)]+)\\)");
            for (auto it = link.globalMatch(text); it.hasNext();) {
                const QString to = it.next().captured(1);
                QVERIFY2(QFile::exists(":/manual/" + to), qPrintable(page + ": " + to));
            }
        }
        for (const Quantity& q : quantities()) {
            const QString label = QString::fromUtf8(q.label.data(), static_cast<qsizetype>(q.label.size()));
            QVERIFY2(figures.contains("**" + label + "**"), qPrintable(label));
        }
    }

    void settingsAreTakenAlong() {
        m_window->setTheme(ThemeKind::Light);
        m_answers->save = at("mine.ini");
        action("Export the settings")->trigger();
        QVERIFY(QFile::exists(at("mine.ini")));
        m_window->setTheme(ThemeKind::Grey);
        QSettings().setValue("dark-library", "/nowhere");
        action("Import settings")->trigger();
        QCOMPARE(theme().kind, ThemeKind::Light);
        m_window->setTheme(ThemeKind::Grey);
        m_answers->save = at("trial/trial.json");
        action("Import settings")->trigger();
        QVERIFY(problem().contains("no settings"));
        m_answers->save = at("gone.ini");
        action("Import settings")->trigger();
        QVERIFY(problem().contains("gone.ini"));
    }
};

CAELUMEN_WINDOW_TEST(TrustTest)
#include "trust_test.moc"

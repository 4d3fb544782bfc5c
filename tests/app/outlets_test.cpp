#include "app/bench/bench.h"
#include "app/grid/sky_grid.h"
#include "app/palette/palette.h"
#include "app/verdict/report_panel.h"
#include "app/verdict/verdict_room.h"
#include "core/base/json.h"
#include "core/base/tables.h"
#include "support/kit_fixture.h"
#include "support/watched_app.h"

#include <QClipboard>
#include <QFileInfo>
#include <QImage>
#include <QMenu>
#include <QMenuBar>
#include <QMimeData>
#include <QXmlStreamReader>

using namespace caelumen;

/// Whatever leaves the program by a menu: each export is the kind of file that its entry says, each copy is on the clipboard, and what cannot be written is
/// said.
class OutletsTest : public QObject, KitFixture {
    Q_OBJECT

    using Workspace = MainWindow::Workspace;

    static QString plain(const QAction& a) { return QString(a.text()).remove('&'); }
    QMenu* menu(const QString& title) {
        for (QAction* a : m_window->menuBar()->actions())
            if (a->menu() && plain(*a) == title) return a->menu();
        return nullptr;
    }
    /// The entries of all export menus that can be chosen on this screen.
    QList<QAction*> exports() {
        QList<QAction*> out;
        for (QAction* a : menu("File")->actions())
            if (a->menu() && plain(*a).startsWith("Export"))
                for (QAction* entry : a->menu()->actions())
                    if (entry->isEnabled()) out << entry;
        return out;
    }
    bool idle() { return !session().jobs().busy() && !m_window->palette().model().busy() && !m_window->verdict().report().busy(); }
    bool show(Workspace which) {
        m_window->showWorkspace(which);
        if (which == Workspace::Palette && !QTest::qWaitFor([this] { return !m_window->palette().model().shots().empty(); }, 120'000)) return false;
        if (which == Workspace::Verdict && !QTest::qWaitFor([this] { return m_window->verdict().model().verdict() != nullptr; }, 120'000)) return false;
        if (which == Workspace::SkyGrid && !QTest::qWaitFor([this] { return !m_window->skyGrid().model().cells().empty(); }, 120'000)) return false;
        QTest::qWait(50);
        return QTest::qWaitFor([this] { return idle(); }, 120'000);
    }
    static QString endingOf(const QAction& entry) {
        static const QStringList known{"HTML", "PDF", "CSV", "JSON", "PNG", "SVG", "TIFF", "WebP", "ZIP"};
        for (const QString& k : known)
            if (entry.text().contains("(" + k + ")")) return k == "TIFF" ? "tif" : k.toLower();
        return {};
    }
    /// Empty, or what is wrong with a file of that ending.
    static QString faultOf(const QString& path, const QString& ending) {
        QFile file(path);
        if (!file.open(QIODevice::ReadOnly)) return "it is not there";
        const QByteArray bytes = file.readAll();
        if (bytes.size() < 100) return "it is nearly empty";
        if (ending == "png") return QImage(path).width() < 100 ? "no picture" : QString();
        if (ending == "webp") return bytes.startsWith("RIFF") && bytes.mid(8, 4) == "WEBP" && bytes.contains("ANMF") ? QString() : "no animation";
        if (ending == "tif") return bytes.startsWith("II*") || bytes.startsWith("MM") ? QString() : "no TIFF";
        if (ending == "pdf") return bytes.startsWith("%PDF-") && bytes.contains("%%EOF") ? QString() : "no PDF";
        if (ending == "zip") return bytes.startsWith("PK") ? QString() : "no archive";
        if (ending == "html") return bytes.contains("<html") && bytes.contains("</html>") ? QString() : "no whole page";
        if (ending == "json") return Json::parse(bytes.toStdString(), nullptr, false).is_object() ? QString() : "no JSON";
        if (ending == "svg") {
            QXmlStreamReader xml(bytes);
            while (!xml.atEnd()) xml.readNext();
            return xml.hasError() ? xml.errorString() : QString();
        }
        const auto rows = csvRows(bytes.toStdString());
        for (const auto& row : rows)
            if (row.size() != rows.front().size() && !(row.size() == 1 && row[0].empty())) return "rows of different length";
        return rows.size() > 1 ? QString() : "no rows";
    }

private slots:
    void initTestCase() { makeScene(); }
    void init() {
        openWindow();
        QVERIFY(QTest::qWaitFor([this] { return session().results() && session().resultsAreCurrent() && !session().jobs().busy(); }, 120'000));
    }
    void cleanup() { m_window.reset(); }

    void everyExportIsWhatItsEntrySays_data() {
        QTest::addColumn<int>("workspace");
        QTest::addColumn<int>("least");
        QTest::newRow("Bench") << static_cast<int>(Workspace::Bench) << 4;
        QTest::newRow("Sky grid") << static_cast<int>(Workspace::SkyGrid) << 8;
        QTest::newRow("Palette") << static_cast<int>(Workspace::Palette) << 10;
        QTest::newRow("Verdict") << static_cast<int>(Workspace::Verdict) << 13;
    }
    void everyExportIsWhatItsEntrySays() {
        QFETCH(int, workspace);
        QFETCH(int, least);
        QVERIFY(show(static_cast<Workspace>(workspace)));
        const QList<QAction*> entries = exports();
        QVERIFY2(entries.size() >= least, qPrintable(QString::number(entries.size())));
        int number = 0;
        for (QAction* entry : entries) {
            const QString ending = endingOf(*entry), what = plain(*entry);
            if (ending.isEmpty()) { // a folder of figures
                m_answers->place = at(QString("%1-%2").arg(QTest::currentDataTag()).arg(++number));
                QDir().mkpath(m_answers->place);
                entry->trigger();
                QTRY_VERIFY_WITH_TIMEOUT(idle() && QDir(m_answers->place).entryList({"*.png"}).size() > 2, 60'000);
                const QImage slide(QDir(m_answers->place).entryInfoList({"*.png"}).front().filePath());
                QCOMPARE(slide.size(), what.contains("3840") ? QSize(3840, 2160) : QSize(1920, 1080));
                continue;
            }
            // Without an ending typed, the file gets its own; what was suggested has it too.
            const QString path = at(QString("out %1-%2").arg(QTest::currentDataTag()).arg(++number));
            m_answers->save = path;
            entry->trigger();
            QTRY_VERIFY2_WITH_TIMEOUT(idle() && QFile::exists(path + "." + ending), qPrintable(what + ": " + problem()), 60'000);
            QVERIFY2(m_answers->suggested.endsWith("." + ending) && !m_answers->suggested.contains('/'), qPrintable(what + ": " + m_answers->suggested));
            const QString fault = faultOf(path + "." + ending, ending);
            QVERIFY2(fault.isEmpty(), qPrintable(what + ": " + fault));
            QVERIFY2(!QFileInfo(path + "." + ending).isExecutable(), qPrintable(what));
        }
        // Thought better of it: nothing is written and nothing is wrong.
        m_answers->save = QString(), m_answers->place = QString();
        const auto before = QDir(at("")).entryList().size();
        for (QAction* entry : entries) entry->trigger();
        QVERIFY(QTest::qWaitFor([this] { return idle(); }, 60'000));
        QCOMPARE(QDir(at("")).entryList().size(), before);
    }

    /// A folder that is not there, and a file that the trial itself needs: one sentence with the name, and nothing changes.
    void whatCannotBeWrittenIsSaid() {
        for (const Workspace which : {Workspace::Bench, Workspace::SkyGrid, Workspace::Palette, Workspace::Verdict}) {
            QVERIFY(show(which));
            for (QAction* entry : exports()) {
                const QString ending = endingOf(*entry);
                if (ending.isEmpty()) continue;
                m_answers->save = at("no such folder/out." + ending);
                m_window->fail({});
                entry->trigger();
                QTRY_VERIFY2_WITH_TIMEOUT(idle() && problem().contains("out." + ending), qPrintable(plain(*entry) + ": " + problem()), 60'000);
            }
        }
        QVERIFY(!QFile::exists(at("no such folder")));
        QFile frame(at("trial/A.fits"));
        QVERIFY(frame.open(QIODevice::ReadOnly));
        const QByteArray bytes = frame.readAll();
        frame.close();
        m_window->showWorkspace(Workspace::Bench);
        for (QAction* entry : exports()) {
            m_answers->save = at("trial/A.fits");
            m_window->fail({});
            entry->trigger();
            QTRY_VERIFY2_WITH_TIMEOUT(idle() && problem().contains("A.fits"), qPrintable(plain(*entry) + ": " + problem()), 60'000);
        }
        QVERIFY(frame.open(QIODevice::ReadOnly));
        QVERIFY(frame.readAll() == bytes);
    }

    /// A key that two entries have does neither.
    void noTwoEntriesShareAKey() {
        for (const Workspace which : {Workspace::Kit, Workspace::Night, Workspace::Subs, Workspace::Bench, Workspace::SkyGrid, Workspace::Palette,
                                      Workspace::Verdict, Workspace::Log}) {
            QVERIFY(show(which));
            QMap<QString, QAction*> taken;
            for (QAction* a : m_window->findChildren<QAction*>()) {
                if (!a->isEnabled() || a->shortcutContext() != Qt::WindowShortcut) continue;
                const auto shown = [](const QObject* w) { return qobject_cast<const QWidget*>(w) && static_cast<const QWidget*>(w)->isVisible(); };
                bool reached = false; // in a menu of the bar, or of a widget in sight
                for (const QObject* of : a->associatedObjects())
                    reached = reached || shown(of) || (qobject_cast<const QMenu*>(of) && m_window->menuBar()->isAncestorOf(qobject_cast<const QWidget*>(of))) ||
                              (qobject_cast<const QMenu*>(of) && of->parent() == m_window->menuBar());
                if (!reached) continue;
                for (const QKeySequence& key : a->shortcuts()) {
                    const QString name = key.toString();
                    QVERIFY2(!taken.contains(name) || taken[name] == a,
                             qPrintable(QString("%1: %2 and %3").arg(name, plain(*a), taken.contains(name) ? plain(*taken[name]) : QString())));
                    taken[name] = a;
                }
            }
            QVERIFY(taken.size() > 10);
        }
        // In the Verdict it is the sentences that are copied.
        QVERIFY(show(Workspace::Verdict));
        QGuiApplication::clipboard()->clear();
        QTest::keyClick(m_window.get(), Qt::Key_C, Qt::ControlModifier | Qt::ShiftModifier);
        QVERIFY(QGuiApplication::clipboard()->text().size() > 40);
    }

    /// No row of a table has more cells than its heading; where there is nothing yet, the clipboard keeps what it has.
    void everyCopyIsOnTheClipboard() {
        QClipboard& clipboard = *QGuiApplication::clipboard();
        int copied = 0, refused = 0;
        for (const Workspace which : {Workspace::Kit, Workspace::Night, Workspace::Subs, Workspace::Bench, Workspace::SkyGrid, Workspace::Palette,
                                      Workspace::Verdict, Workspace::Log}) {
            QVERIFY(show(which));
            if (which == Workspace::Log) QTest::qWait(1500);
            for (QAction* entry : menu("Edit")->actions()) {
                if (!plain(*entry).startsWith("Copy") || !entry->isEnabled()) continue;
                clipboard.setText("what was there before");
                m_window->fail({});
                entry->trigger();
                if (clipboard.mimeData()->hasImage()) {
                    QVERIFY2(clipboard.image().width() > 100, qPrintable(plain(*entry)));
                    ++copied;
                    continue;
                }
                const QString text = clipboard.text();
                if (text == "what was there before") {
                    QVERIFY2(!problem().isEmpty(), qPrintable(plain(*entry)));
                    ++refused;
                    continue;
                }
                ++copied;
                QVERIFY2(text.size() > 20, qPrintable(plain(*entry) + ": " + text));
                if (!plain(*entry).contains("as a table")) continue;
                const QStringList rows = text.trimmed().split('\n');
                QVERIFY2(rows.size() > 1, qPrintable(plain(*entry) + ": " + text));
                for (const QString& row : rows)
                    QVERIFY2(row.count('\t') <= rows.front().count('\t') || rows.front().isEmpty(), qPrintable(plain(*entry) + ":\n" + text));
            }
        }
        QVERIFY2(copied >= 8, qPrintable(QString::number(copied)));
        QVERIFY2(refused >= 1, "the Subs have no subs in this campaign");
    }
};

CAELUMEN_WINDOW_TEST(OutletsTest)
#include "outlets_test.moc"

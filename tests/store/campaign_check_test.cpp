#include "store/campaign.h"
#include "store/campaign_check.h"
#include "store/database.h"
#include "support/campaigns.h"
#include "support/scenes.h"

#include <QCoreApplication>
#include <QDir>
#include <QFile>
#include <QSqlDatabase>
#include <QSqlQuery>

#include <csignal>
#include <sys/stat.h>
#include <sys/wait.h>
#include <thread>
#include <unistd.h>

using namespace caelumen;

/// Campaigns that are damaged, old or no campaigns at all.
class CampaignCheckTest : public QObject {
    Q_OBJECT

    scenes::Folder m_folder;
    QString at(const char* name) const { return QString::fromStdString((m_folder / name).string()); }

private slots:
    void aGoodCopyIsKeptAndOffered() {
        const QString path = at("kept.caelumen");
        {
            auto c = Campaign::open(path);
            QVERIFY((*c)->addTrial(sampleTrial("Good")).ok());
        }
        QVERIFY(Campaign::lastGoodCopy(path).isEmpty()); // it was new
        QVERIFY(Campaign::open(path).ok());
        QVERIFY(!Campaign::lastGoodCopy(path).isEmpty());
        QFile file(path);
        QVERIFY(file.open(QIODevice::ReadWrite) && file.seek(4096));
        file.write(QByteArray(4096, 'x'));
        file.close();
        QVERIFY(!Campaign::open(path).ok());
        const CampaignCheck found = checkCampaignWhole(path);
        QVERIFY(!found.isWhole() && found.canBeMended() && !found.damage.isEmpty() && !found.copy.isEmpty());
        const auto fresh = mendCampaign(path), another = mendCampaign(path);
        QVERIFY2(fresh.ok() && another.ok() && *fresh != *another, fresh.ok() ? "" : fresh.error().message.c_str());
        auto c = Campaign::open(*fresh);
        QVERIFY2(c.ok(), c.ok() ? "" : c.error().message.c_str());
        QCOMPARE(trialsOf(**c)[0].title, QString("Good"));
        QVERIFY(QFile::exists(path));
    }

    /// The window looks a campaign through away from itself, and opens it after that.
    void lookingThroughTouchesNothing() {
        const QString path = at("looked.caelumen");
        QVERIFY(Campaign::lookThrough(path).ok() && !QFile::exists(path)); // what is not there is made by opening it
        {
            auto c = Campaign::open(path, true);
            QVERIFY(c.ok() && (*c)->addTrial(sampleTrial("Good")).ok());
            QVERIFY(Campaign::lookThrough(path).ok()); // while somebody works on it
        }
        Status told = Done{};
        std::thread([&] { told = Campaign::lookThrough(path); }).join();
        QVERIFY(told.ok());
        QVERIFY(Campaign::open(path, true).ok() && Campaign::lastGoodCopy(path).isEmpty());
        std::thread([&] { told = Campaign::keepGoodCopy(path); }).join();
        QVERIFY(told.ok() && !Campaign::lastGoodCopy(path).isEmpty());
        QFile file(path);
        QVERIFY(file.open(QIODevice::ReadWrite) && file.seek(4096));
        file.write(QByteArray(4096, 'x'));
        file.seek(0);
        const QByteArray before = file.readAll();
        file.close();
        QVERIFY(!Campaign::lookThrough(path).ok());
        QVERIFY(file.open(QIODevice::ReadOnly));
        QVERIFY(file.readAll() == before);
    }

    /// What is read again is what stands in the file, whoever wrote it.
    void aTrialIsReadAsItStands() {
        const QString path = at("read.caelumen");
        auto mine = Campaign::open(path);
        const qint64 id = *(*mine)->addTrial(sampleTrial("One"));
        QCOMPARE((*mine)->trial(id)->title, std::string("One"));
        QCOMPARE((*mine)->trial(id)->title, std::string("One"));
        QVERIFY((*mine)->saveTrial(id, sampleTrial("Two")).ok());
        QCOMPARE((*mine)->trial(id)->title, std::string("Two"));
        auto reader = Campaign::openToRead(path);
        QCOMPARE((*reader)->trial(id)->title, std::string("Two"));
        QVERIFY((*mine)->saveTrial(id, sampleTrial("Three")).ok());
        QCOMPARE((*reader)->trial(id)->title, std::string("Three"));
        QVERIFY((*mine)->removeTrial(id).ok());
        QVERIFY(!(*mine)->trial(id).ok());
    }

    /// What can still be read stays as it is; what cannot comes from the copy; what was taken out on purpose stays out.
    void mendingTakesTheNewestThatCanBeRead() {
        const QString path = at("mended.caelumen");
        qint64 spoilt = 0, changed = 0, removed = 0;
        {
            auto c = Campaign::open(path);
            spoilt = *(*c)->addTrial(sampleTrial("Spoilt"));
            changed = *(*c)->addTrial(sampleTrial("Before"));
            removed = *(*c)->addTrial(sampleTrial("Removed"));
            QVERIFY((*c)->setSetting("shown", "2").ok());
        }
        {
            auto c = Campaign::open(path); // keeps a copy of all three
            QVERIFY((*c)->saveTrial(changed, sampleTrial("After")).ok());
            QVERIFY((*c)->removeTrial(removed).ok());
            QVERIFY((*c)->addTrial(sampleTrial("New")).ok());
        }
        const CampaignCheck whole = checkCampaignWhole(path);
        QVERIFY(whole.isWhole() && !whole.canBeMended());
        QCOMPARE(whole.trials.size(), std::size_t{3});
        QVERIFY(!whole.trials[0].gone.isEmpty()); // no frame of it was ever written
        {
            Database db(path);
            QVERIFY(QSqlQuery(db.get()).exec(QString("UPDATE trial SET body = '{' WHERE id = %1").arg(spoilt)));
        }
        const CampaignCheck found = checkCampaignWhole(path);
        QVERIFY(!found.isWhole() && found.canBeMended() && found.damage.isEmpty());
        QVERIFY(!found.trials[0].problem.isEmpty() && found.trials[0].inCopy);
        const auto fresh = mendCampaign(path);
        QVERIFY(fresh.ok());
        auto c = Campaign::open(*fresh);
        QVERIFY(c.ok());
        QStringList titles;
        for (const auto& e : trialsOf(**c)) titles << e.title;
        QCOMPARE(titles, (QStringList{"Spoilt", "After", "New"}));
        QVERIFY((*c)->trial(spoilt).ok());
        QCOMPARE((*c)->setting("shown"), QString("2"));
        QCOMPARE(checkCampaignWhole(path).trials.size(), std::size_t{3}); // the file itself stays
    }

    /// A medium that cannot be written is no damage, and looking leaves nothing behind.
    void lookingMakesNoFile() {
        const QString folder = at("quiet"), path = folder + "/c.caelumen";
        QDir().mkpath(folder);
        {
            auto c = Campaign::open(path);
            QVERIFY((*c)->addTrial(sampleTrial("x")).ok());
        }
        const QStringList before = QDir(folder).entryList(QDir::Files);
        QVERIFY(checkCampaignWhole(path).isWhole());
        QCOMPARE(QDir(folder).entryList(QDir::Files), before);
    }

    /// Wherever a page of the file is overwritten: never a crash, and with a copy every trial comes back.
    void anyPageMayBeDamaged() {
        const QString path = at("pages.caelumen"), work = at("page.caelumen");
        {
            auto c = Campaign::open(path);
            for (int i = 0; i < 40; ++i) {
                Trial t = sampleTrial(QString("Trial %1").arg(i).toStdString().c_str());
                t.target.name = std::string(3000, 'n');
                QVERIFY((*c)->addTrial(t).ok());
            }
        }
        QVERIFY(Campaign::open(path).ok()); // keeps a copy
        const qint64 pages = QFileInfo(path).size() / 4096;
        QVERIFY(pages > 20);
        for (qint64 page = 0; page < pages; page += 3) {
            for (const char* ending : {"", ".last-good", "-wal", "-shm"}) {
                QFile::remove(work + ending);
                if (QFile::exists(path + ending)) QVERIFY(QFile::copy(path + ending, work + ending));
            }
            QFile file(work);
            QVERIFY(file.open(QIODevice::ReadWrite) && file.seek(4096 * page));
            file.write(QByteArray(4096, static_cast<char>(0x5a + page)));
            file.close();
            const auto fresh = mendCampaign(work);
            QVERIFY2(fresh.ok(), fresh.ok() ? "" : fresh.error().message.c_str());
            auto c = Campaign::open(*fresh);
            QVERIFY(c.ok());
            QCOMPARE(trialsOf(**c).size(), std::size_t{40});
            for (const auto& e : trialsOf(**c)) QVERIFY((*c)->trial(e.id).ok());
            c = Error{""};
            QFile::remove(*fresh);
        }
    }

    /// Campaigns as versions of the program wrote them, kept as statements: each opens, with all that it holds.
    void campaignsOfEveryFormatOpen_data() {
        QTest::addColumn<QString>("script");
        const QDir folder(QFINDTESTDATA("campaigns"));
        for (const QString& name : folder.entryList({"format-*.sql"})) QTest::newRow(qPrintable(name)) << folder.filePath(name);
    }
    void campaignsOfEveryFormatOpen() {
        QFETCH(QString, script);
        QFile file(script);
        QVERIFY(file.open(QIODevice::ReadOnly));
        const QString path = at("old.caelumen");
        {
            Database db(path);
            for (const QString& statement : QString::fromUtf8(file.readAll()).split(";\n", Qt::SkipEmptyParts))
                if (!statement.trimmed().isEmpty()) QVERIFY2(QSqlQuery(db.get()).exec(statement), qPrintable(statement));
        }
        {
            auto c = Campaign::open(path);
            QVERIFY2(c.ok(), c.ok() ? "" : c.error().message.c_str());
            QVERIFY(!(*c)->isReadOnly());
            const auto all = trialsOf(**c);
            QCOMPARE(all.size(), std::size_t{2});
            QCOMPARE(all[0].title, QString("Roof at full moon \u00B7 \u201Cfirst try\u201D"));
            const auto t = (*c)->trial(all[0].id);
            QVERIFY2(t.ok(), t.ok() ? "" : t.error().message.c_str());
            QCOMPARE(t->runs.size(), std::size_t{2});
            QVERIFY(t->runs[0].baseline && t->runs[1].filter == "duo7");
            QCOMPARE(t->regions.size(), std::size_t{3});
            QCOMPARE((*c)->setting("shown"), QString("2"));
            QVERIFY((*c)->saveTrial(all[1].id, *t).ok());
        }
        QVERIFY(checkCampaignWhole(path).isWhole());
        QFile::remove(path);
    }

    /// A database that only looks like a campaign is told from one before anything in it can act.
    void databasesThatAreNoCampaignAreRefused_data() {
        QTest::addColumn<QString>("sql");
        QTest::newRow("no trials") << "DROP TABLE trial";
        QTest::newRow("no settings") << "DROP TABLE setting";
        QTest::newRow("a view of trials") << "ALTER TABLE trial RENAME TO t; CREATE VIEW trial AS SELECT * FROM t";
        QTest::newRow("an endless view") << "CREATE VIEW v AS WITH RECURSIVE c(x) AS (SELECT 1 UNION ALL SELECT x + 1 FROM c) SELECT x FROM c";
        QTest::newRow("a trigger") << "CREATE TRIGGER t AFTER INSERT ON setting BEGIN DELETE FROM trial; END";
        QTest::newRow("columns gone") << "ALTER TABLE trial DROP COLUMN changed";
        QTest::newRow("a huge text") << "INSERT INTO trial VALUES (9, 9, 'x', zeroblob(70000000), '')";
        QTest::newRow("a huge setting") << "INSERT INTO setting VALUES ('x', zeroblob(70000000))";
    }
    void databasesThatAreNoCampaignAreRefused() {
        QFETCH(QString, sql);
        const QString path = at((QString(QTest::currentDataTag()) + ".caelumen").toUtf8().constData());
        {
            auto c = Campaign::open(path);
            QVERIFY((*c)->addTrial(sampleTrial("x")).ok());
        }
        {
            QSqlDatabase db = QSqlDatabase::addDatabase("QSQLITE", "hostile");
            db.setDatabaseName(path);
            QVERIFY(db.open());
            for (const QString& statement : sql.contains("BEGIN") ? QStringList{sql} : sql.split("; "))
                QVERIFY2(QSqlQuery(db).exec(statement), qPrintable(statement));
            db.close();
        }
        QSqlDatabase::removeDatabase("hostile");
        for (const auto& c : {Campaign::open(path).ok() ? std::string() : Campaign::open(path).error().message,
                              Campaign::openToRead(path).ok() ? std::string() : Campaign::openToRead(path).error().message})
            QVERIFY2(c.find(path.toStdString()) != std::string::npos && c.find("damaged") != std::string::npos, c.c_str());
    }

    void oneBadTrialLeavesTheOthers() {
        const QString path = at("one bad.caelumen");
        qint64 bad = 0;
        {
            auto c = Campaign::open(path);
            bad = *(*c)->addTrial(sampleTrial("Bad"));
            QVERIFY((*c)->addTrial(sampleTrial("Good")).ok());
        }
        {
            QSqlDatabase db = QSqlDatabase::addDatabase("QSQLITE", "hostile");
            db.setDatabaseName(path);
            QVERIFY(db.open() && QSqlQuery(db).exec(QString("UPDATE trial SET body = '%1' WHERE id = %2").arg(QString(2000, '[')).arg(bad)));
            db.close();
        }
        QSqlDatabase::removeDatabase("hostile");
        auto c = Campaign::open(path);
        QVERIFY(c.ok());
        QCOMPARE(trialsOf(**c).size(), std::size_t{2});
        const auto t = (*c)->trial(bad);
        QVERIFY(!t.ok() && t.error().message.find("\"Bad\"") != std::string::npos);
        QVERIFY((*c)->trial(trialsOf(**c)[1].id).ok());
    }

    void filesThatAreNoFilesAreRefusedAtOnce() {
        QCOMPARE(::mkfifo(at("pipe.caelumen").toUtf8().constData(), 0600), 0);
        for (const QString& path : {at("pipe.caelumen"), QString("/dev/null"), QString("/dev/zero")}) {
            const auto c = Campaign::open(path);
            QVERIFY(!c.ok() && c.error().message.find(path.toStdString()) != std::string::npos);
        }
    }

    void strangersAreRefusedAndLeftAlone_data() {
        QTest::addColumn<QString>("kind");
        for (const char* kind : {"text", "other-database", "newer", "folder", "cut"}) QTest::newRow(kind) << QString(kind);
    }
    void strangersAreRefusedAndLeftAlone() {
        QFETCH(QString, kind);
        const QString path = at((kind + ".caelumen").toUtf8().constData());
        if (kind == "text") {
            QFile f(path);
            QVERIFY(f.open(QIODevice::WriteOnly));
            f.write("my notes about filters");
        } else if (kind == "folder") {
            QVERIFY(QDir().mkdir(path));
        } else {
            {
                auto c = Campaign::open(path);
                QVERIFY((*c)->addTrial(sampleTrial("x")).ok());
            }
            if (kind == "cut") {
                QVERIFY(QFile::resize(path, 5000));
            } else {
                QSqlDatabase db = QSqlDatabase::addDatabase("QSQLITE", "patch");
                db.setDatabaseName(path);
                QVERIFY(db.open());
                QSqlQuery(db).exec(kind == "newer" ? "PRAGMA user_version = 99" : "PRAGMA application_id = 5");
                db.close();
            }
            QSqlDatabase::removeDatabase("patch");
        }
        QByteArray before;
        if (kind != "folder") {
            QFile f(path);
            QVERIFY(f.open(QIODevice::ReadOnly));
            before = f.readAll();
        }
        const auto c = Campaign::open(path);
        QVERIFY(!c.ok());
        QVERIFY2(c.error().message.find(path.toStdString()) != std::string::npos, c.error().message.c_str());
        QVERIFY(c.error().message.find('\n') == std::string::npos);
        if (kind == "folder") return;
        QFile f(path);
        QVERIFY(f.open(QIODevice::ReadOnly));
        QCOMPARE(f.readAll(), before);
    }
};

QTEST_GUILESS_MAIN(CampaignCheckTest)
#include "campaign_check_test.moc"

#include "store/campaign.h"
#include "store/campaign_check.h"
#include "store/database.h"
#include "support/scenes.h"

#include <QCoreApplication>
#include <QDir>
#include <QFile>
#include <QSqlDatabase>
#include <QSqlQuery>

#include <csignal>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

using namespace caelumen;

namespace {

Trial sample(const char* title) {
    Trial t;
    t.title = title;
    t.filters = {{"open", "No filter", "none", "", std::nullopt, false}};
    Run r;
    r.id = "A";
    r.filter = "open";
    r.stack = "frames/a.fits";
    t.runs = {r};
    t.regions = {{"N1", RegionRole::Nebula, RegionShape::Circle, {{5.25, 6.5}}, 3, "R", "shell", true}};
    return t;
}

std::vector<Campaign::Entry> trialsOf(const Campaign& campaign) {
    const auto all = campaign.trials();
    return all ? *all : std::vector<Campaign::Entry>{};
}

} // namespace

class CampaignTest : public QObject {
    Q_OBJECT

    scenes::Folder m_folder;
    QString at(const char* name) const { return QString::fromStdString((m_folder / name).string()); }

private slots:
    void trialsComeBackAsTheyWere() {
        qint64 id = 0;
        {
            auto c = Campaign::open(at("a.caelumen"));
            QVERIFY2(c.ok(), c.ok() ? "" : c.error().message.c_str());
            QVERIFY(trialsOf(**c).empty());
            id = *(*c)->addTrial(sample("First"));
            QVERIFY((*c)->addTrial(sample("Second")).ok());
        }
        auto c = Campaign::open(at("a.caelumen"));
        QVERIFY(c.ok());
        QCOMPARE(trialsOf(**c).size(), std::size_t{2});
        QCOMPARE(trialsOf(**c)[0].title, QString("First"));
        const auto t = (*c)->trial(id);
        QVERIFY(t.ok());
        QCOMPARE(t->runs[0].stack, (m_folder / "frames/a.fits").string()); // absolute outside, relative inside
        QVERIFY(t->regions == sample("x").regions);
        Trial changed = *t;
        changed.title = "Renamed";
        changed.regions[0].radius = 9;
        QVERIFY((*c)->saveTrial(id, changed).ok());
        QCOMPARE((*c)->trial(id)->regions[0].radius, 9.0);
        QCOMPARE(trialsOf(**c)[0].title, QString("Renamed"));
        QVERIFY((*c)->removeTrial(id).ok());
        QVERIFY(!(*c)->trial(id).ok());
        QVERIFY(!(*c)->saveTrial(id, changed).ok());
    }

    void settingsAreKept() {
        auto c = Campaign::open(at("s.caelumen"));
        QCOMPARE((*c)->setting("shown"), QString());
        QVERIFY((*c)->setSetting("shown", "7").ok());
        QVERIFY((*c)->setSetting("shown", "8").ok());
        QCOMPARE((*c)->setting("shown"), QString("8"));
    }

    void aCopyHoldsEverythingAndFindsItsFrames() {
        auto c = Campaign::open(at("from.caelumen"));
        QVERIFY((*c)->addTrial(sample("One")).ok());
        QDir(QString::fromStdString(m_folder.path().string())).mkdir("elsewhere");
        QVERIFY((*c)->copyTo(at("elsewhere/to.caelumen")).ok());
        auto copy = Campaign::open(at("elsewhere/to.caelumen"));
        QVERIFY(copy.ok());
        const auto t = (*copy)->trial(trialsOf(**copy)[0].id);
        QCOMPARE(t->runs[0].stack, (m_folder / "frames/a.fits").string());
        QVERIFY(!QFile::exists(at("elsewhere/to.caelumen.part")));
    }

    /// A process killed right after saving, without closing anything, loses nothing of what was saved.
    void aKilledProcessLosesNothing() {
        const QString path = at("killed.caelumen");
        const pid_t child = ::fork();
        if (child == 0) {
            auto c = Campaign::open(path);
            if (!c || !(*c)->addTrial(sample("Saved before the end"))) ::_exit(3);
            ::kill(::getpid(), SIGKILL);
        }
        int status = 0;
        ::waitpid(child, &status, 0);
        QVERIFY(WIFSIGNALED(status));
        auto c = Campaign::open(path);
        QVERIFY2(c.ok(), c.ok() ? "" : c.error().message.c_str());
        QCOMPARE(trialsOf(**c).size(), std::size_t{1});
        QCOMPARE(trialsOf(**c)[0].title, QString("Saved before the end"));
    }

    /// Settings hold what the Subs have decided: a copy has them, and what could not be saved yet.
    void aCopyHoldsSettingsAndWhatIsNotSavedYet() {
        auto c = Campaign::open(at("decided.caelumen"));
        const qint64 first = *(*c)->addTrial(sample("One"));
        QVERIFY((*c)->addTrial(sample("Two")).ok());
        QVERIFY((*c)->setSetting("subs", R"({"sources": ["/a"]})").ok());
        QVERIFY((*c)->setSetting("shown", "2").ok());
        Campaign::Unsaved unsaved;
        unsaved.trials[first] = sample("One, edited");
        unsaved.settings["shown"] = "1";
        QVERIFY((*c)->copyTo(at("decided copy.caelumen"), unsaved).ok());
        auto copy = Campaign::open(at("decided copy.caelumen"));
        QVERIFY2(copy.ok(), copy.ok() ? "" : copy.error().message.c_str());
        QCOMPARE((*copy)->setting("subs"), QString(R"({"sources": ["/a"]})"));
        QCOMPARE((*copy)->setting("shown"), QString("1"));
        QCOMPARE(trialsOf(**copy).size(), std::size_t{2});
        QCOMPARE(trialsOf(**copy)[0].id, first);
        QCOMPARE(trialsOf(**copy)[0].title, QString("One, edited"));
        QCOMPARE(trialsOf(**c)[0].title, QString("One")); // the one it came from is as it was
    }

    /// What stands under the name is replaced in one step, or stays: while it is open elsewhere, and when the copy fails.
    void aCopyReplacesWholeOrNotAtAll() {
        auto from = Campaign::open(at("source.caelumen"));
        QVERIFY((*from)->addTrial(sample("New")).ok());
        {
            auto old = Campaign::open(at("target.caelumen"));
            QVERIFY((*old)->addTrial(sample("Old")).ok());
            const Status refused = (*from)->copyTo(at("target.caelumen"));
            QVERIFY(!refused.ok() && refused.error().message.find("target.caelumen") != std::string::npos);
            QCOMPARE(trialsOf(**old)[0].title, QString("Old"));
        }
        QVERIFY(!(*from)->copyTo(at("source.caelumen")).ok());
        QVERIFY(!(*from)->copyTo(at("nowhere/x.caelumen")).ok());
        QFile::setPermissions(at("target.caelumen"), QFile::ReadOwner);
        QVERIFY(!(*from)->copyTo(at("target.caelumen")).ok());
        QFile::setPermissions(at("target.caelumen"), QFile::ReadOwner | QFile::WriteOwner);
        // A killed process left its last change in the log beside the old file: it must not come to life in the new one.
        const pid_t child = ::fork();
        if (child == 0) {
            auto old = Campaign::open(at("target.caelumen"));
            if (!old || !(*old)->addTrial(sample("In the log"))) ::_exit(3);
            ::kill(::getpid(), SIGKILL);
        }
        int status = 0;
        ::waitpid(child, &status, 0);
        QVERIFY(QFile::exists(at("target.caelumen-wal")));
        QVERIFY((*from)->copyTo(at("target.caelumen")).ok());
        auto now = Campaign::open(at("target.caelumen"));
        QVERIFY(now.ok());
        QCOMPARE(trialsOf(**now).size(), std::size_t{1});
        QCOMPARE(trialsOf(**now)[0].title, QString("New"));
    }

    void theSecondOneReadsAndCanTakeOver() {
        auto first = Campaign::open(at("two.caelumen"));
        const qint64 id = *(*first)->addTrial(sample("From the first"));
        auto second = Campaign::open(at("two.caelumen"));
        QVERIFY(second.ok());
        QVERIFY((*second)->isReadOnly() && (*second)->isHeldElsewhere() && !(*first)->isReadOnly());
        QVERIFY((*second)->whyReadOnly().contains(QString("process %1").arg(::getpid())));
        QVERIFY(!(*second)->saveTrial(id, sample("From the second")).ok());
        QVERIFY(!(*second)->addTrial(sample("x")).ok() && !(*second)->removeTrial(id).ok() && !(*second)->setSetting("a", "b").ok());
        QVERIFY(!(*second)->lookAround().changed);
        QVERIFY((*first)->saveTrial(id, sample("Changed by the first")).ok());
        QVERIFY((*second)->lookAround().changed);
        QVERIFY(!(*second)->lookAround().changed);
        QCOMPARE(trialsOf(**second)[0].title, QString("Changed by the first"));

        QVERIFY((*second)->takeOver().ok());
        QVERIFY((*second)->saveTrial(id, sample("From the second")).ok());
        // The first one may not have looked yet: its edit is refused all the same.
        const Status late = (*first)->saveTrial(id, sample("Late"));
        QVERIFY(!late.ok() && late.error().message.find("taken over") != std::string::npos);
        QVERIFY((*first)->isReadOnly() && (*first)->isHeldElsewhere());
        QCOMPARE(trialsOf(**first)[0].title, QString("From the second"));
        QVERIFY((*first)->takeOver().ok());
        QVERIFY((*second)->lookAround().lostWriting && (*second)->isReadOnly());
        first->reset();
        auto third = Campaign::open(at("two.caelumen"));
        QVERIFY(!(*third)->isReadOnly()); // nobody holds it any more
    }

    /// Another program in the middle of a change, or a full disk, keeps nobody from reading; when it is over the campaign can be worked on.
    void whatCannotBeWrittenOpensToBeRead() {
        const QString path = at("busy.caelumen");
        {
            auto c = Campaign::open(path);
            QVERIFY((*c)->addTrial(sample("x")).ok());
        }
        QSqlDatabase db = QSqlDatabase::addDatabase("QSQLITE", "holder");
        db.setDatabaseName(path);
        QVERIFY(db.open() && QSqlQuery(db).exec("BEGIN IMMEDIATE"));
        auto c = Campaign::open(path);
        QVERIFY2(c.ok(), c.ok() ? "" : c.error().message.c_str());
        QVERIFY2((*c)->isReadOnly() && (*c)->whyReadOnly().contains("another program"), qPrintable((*c)->whyReadOnly()));
        QCOMPARE(trialsOf(**c).size(), std::size_t{1});
        QVERIFY(!(*c)->takeOver().ok());
        QSqlQuery(db).exec("ROLLBACK");
        db.close();
        db = {};
        QSqlDatabase::removeDatabase("holder");
        QVERIFY((*c)->takeOver().ok());
        QVERIFY((*c)->addTrial(sample("y")).ok());
    }

    void theLockDiesWithItsProcess() {
        const QString path = at("dead.caelumen");
        const pid_t child = ::fork();
        if (child == 0) {
            auto c = Campaign::open(path);
            if (!c || !(*c)->addTrial(sample("x"))) ::_exit(3);
            ::kill(::getpid(), SIGKILL);
        }
        int status = 0;
        ::waitpid(child, &status, 0);
        auto c = Campaign::open(path);
        QVERIFY(c.ok() && !(*c)->isReadOnly());
    }

    void aFileThatIsGoneOrReplacedIsNotWritten() {
        auto c = Campaign::open(at("moved.caelumen"));
        const qint64 id = *(*c)->addTrial(sample("x"));
        QVERIFY(QFile::rename(at("moved.caelumen"), at("away.caelumen")));
        const Status gone = (*c)->saveTrial(id, sample("y"));
        QVERIFY(!gone.ok() && gone.error().message.find("moved.caelumen") != std::string::npos && gone.error().message.find("gone") != std::string::npos);
        QVERIFY((*c)->copyTo(at("saved elsewhere.caelumen"), {{{id, sample("y")}}, {}}).ok()); // what is known is not lost
        auto copy = Campaign::open(at("saved elsewhere.caelumen"));
        QCOMPARE(trialsOf(**copy)[0].title, QString("y"));
    }

    void readingMakesAndChangesNothing() {
        const QString path = at("read/only.caelumen");
        QVERIFY(QDir().mkpath(at("read")));
        QVERIFY(!Campaign::openToRead(path).ok());
        QVERIFY(QDir(at("read")).isEmpty());
        {
            auto c = Campaign::open(path);
            QVERIFY((*c)->addTrial(sample("x")).ok());
        }
        const auto listing = [&] {
            QMap<QString, QByteArray> out;
            for (const QFileInfo& f : QDir(at("read")).entryInfoList(QDir::Files | QDir::Hidden)) {
                QFile file(f.filePath());
                if (file.open(QIODevice::ReadOnly)) out[f.fileName()] = file.readAll();
            }
            return out;
        };
        const auto before = listing();
        {
            auto c = Campaign::openToRead(path);
            QVERIFY(c.ok());
            QCOMPARE(trialsOf(**c).size(), std::size_t{1});
            QVERIFY(!(*c)->addTrial(sample("y")).ok());
        }
        QVERIFY(listing() == before);
    }

    void aGoodCopyIsKeptAndOffered() {
        const QString path = at("kept.caelumen");
        {
            auto c = Campaign::open(path);
            QVERIFY((*c)->addTrial(sample("Good")).ok());
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

    /// What can still be read stays as it is; what cannot comes from the copy; what was taken out on purpose stays out.
    void mendingTakesTheNewestThatCanBeRead() {
        const QString path = at("mended.caelumen");
        qint64 spoilt = 0, changed = 0, removed = 0;
        {
            auto c = Campaign::open(path);
            spoilt = *(*c)->addTrial(sample("Spoilt"));
            changed = *(*c)->addTrial(sample("Before"));
            removed = *(*c)->addTrial(sample("Removed"));
            QVERIFY((*c)->setSetting("shown", "2").ok());
        }
        {
            auto c = Campaign::open(path); // keeps a copy of all three
            QVERIFY((*c)->saveTrial(changed, sample("After")).ok());
            QVERIFY((*c)->removeTrial(removed).ok());
            QVERIFY((*c)->addTrial(sample("New")).ok());
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
            QVERIFY((*c)->addTrial(sample("x")).ok());
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
                Trial t = sample(QString("Trial %1").arg(i).toStdString().c_str());
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
            QVERIFY((*c)->addTrial(sample("x")).ok());
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
            bad = *(*c)->addTrial(sample("Bad"));
            QVERIFY((*c)->addTrial(sample("Good")).ok());
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
                QVERIFY((*c)->addTrial(sample("x")).ok());
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

QTEST_GUILESS_MAIN(CampaignTest)
#include "campaign_test.moc"

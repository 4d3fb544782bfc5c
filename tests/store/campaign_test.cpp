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
#include <unistd.h>

using namespace caelumen;

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
            id = *(*c)->addTrial(sampleTrial("First"));
            QVERIFY((*c)->addTrial(sampleTrial("Second")).ok());
        }
        auto c = Campaign::open(at("a.caelumen"));
        QVERIFY(c.ok());
        QCOMPARE(trialsOf(**c).size(), std::size_t{2});
        QCOMPARE(trialsOf(**c)[0].title, QString("First"));
        const auto t = (*c)->trial(id);
        QVERIFY(t.ok());
        QCOMPARE(t->runs[0].stack, (m_folder / "frames/a.fits").string()); // absolute outside, relative inside
        QVERIFY(t->regions == sampleTrial("x").regions);
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
        QVERIFY((*c)->addTrial(sampleTrial("One")).ok());
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
            if (!c || !(*c)->addTrial(sampleTrial("Saved before the end"))) ::_exit(3);
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

    /// What lies on the disk itself is in the file, not only in the log beside it that a power cut may take.
    void whatIsBroughtToTheDiskStandsInTheFile() {
        const QString path = at("power.caelumen"), after = at("after the power cut.caelumen");
        auto c = Campaign::open(path);
        QVERIFY(c.ok());
        const auto before = (*c)->changes();
        QVERIFY((*c)->addTrial(sampleTrial("Saved")).ok());
        QCOMPARE((*c)->changes(), before + 1);
        const auto trialsInFileAlone = [&] {
            QFile::remove(after);
            if (!QFile::copy(path, after)) return std::size_t{99};
            const auto alone = Campaign::openToRead(after);
            return alone.ok() ? trialsOf(**alone).size() : std::size_t{98};
        };
        QVERIFY(trialsInFileAlone() != 1); // else this test would show nothing
        QVERIFY(Campaign::toDisk(path).ok());
        QCOMPARE(trialsInFileAlone(), std::size_t{1});
        QVERIFY((*c)->saveTrial(trialsOf(**c)[0].id, sampleTrial("Saved again")).ok()); // and goes on
    }

    void whatIsGoneIsNotMade() {
        QVERIFY(Campaign::toDisk(at("never.caelumen")).ok());
        QVERIFY(!QFile::exists(at("never.caelumen")));
    }

    /// Settings hold what the Subs have decided: a copy has them, and what could not be saved yet.
    void aCopyHoldsSettingsAndWhatIsNotSavedYet() {
        auto c = Campaign::open(at("decided.caelumen"));
        const qint64 first = *(*c)->addTrial(sampleTrial("One"));
        QVERIFY((*c)->addTrial(sampleTrial("Two")).ok());
        QVERIFY((*c)->setSetting("subs", R"({"sources": ["/a"]})").ok());
        QVERIFY((*c)->setSetting("shown", "2").ok());
        Campaign::Unsaved unsaved;
        unsaved.trials[first] = sampleTrial("One, edited");
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
        QVERIFY((*from)->addTrial(sampleTrial("New")).ok());
        {
            auto old = Campaign::open(at("target.caelumen"));
            QVERIFY((*old)->addTrial(sampleTrial("Old")).ok());
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
            if (!old || !(*old)->addTrial(sampleTrial("In the log"))) ::_exit(3);
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
        const qint64 id = *(*first)->addTrial(sampleTrial("From the first"));
        auto second = Campaign::open(at("two.caelumen"));
        QVERIFY(second.ok());
        QVERIFY((*second)->isReadOnly() && (*second)->isHeldElsewhere() && !(*first)->isReadOnly());
        QVERIFY((*second)->whyReadOnly().contains(QString("process %1").arg(::getpid())));
        QVERIFY(!(*second)->saveTrial(id, sampleTrial("From the second")).ok());
        QVERIFY(!(*second)->addTrial(sampleTrial("x")).ok() && !(*second)->removeTrial(id).ok() && !(*second)->setSetting("a", "b").ok());
        QVERIFY(!(*second)->lookAround().changed);
        QVERIFY((*first)->saveTrial(id, sampleTrial("Changed by the first")).ok());
        QVERIFY((*second)->lookAround().changed);
        QVERIFY(!(*second)->lookAround().changed);
        QCOMPARE(trialsOf(**second)[0].title, QString("Changed by the first"));

        QVERIFY((*second)->takeOver().ok());
        QVERIFY((*second)->saveTrial(id, sampleTrial("From the second")).ok());
        // The first one may not have looked yet: its edit is refused all the same.
        const Status late = (*first)->saveTrial(id, sampleTrial("Late"));
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
            QVERIFY((*c)->addTrial(sampleTrial("x")).ok());
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
        QVERIFY((*c)->addTrial(sampleTrial("y")).ok());
    }

    void theLockDiesWithItsProcess() {
        const QString path = at("dead.caelumen");
        const pid_t child = ::fork();
        if (child == 0) {
            auto c = Campaign::open(path);
            if (!c || !(*c)->addTrial(sampleTrial("x"))) ::_exit(3);
            ::kill(::getpid(), SIGKILL);
        }
        int status = 0;
        ::waitpid(child, &status, 0);
        auto c = Campaign::open(path);
        QVERIFY(c.ok() && !(*c)->isReadOnly());
    }

    void aFileThatIsGoneOrReplacedIsNotWritten() {
        auto c = Campaign::open(at("moved.caelumen"));
        const qint64 id = *(*c)->addTrial(sampleTrial("x"));
        QVERIFY(QFile::rename(at("moved.caelumen"), at("away.caelumen")));
        const Status gone = (*c)->saveTrial(id, sampleTrial("y"));
        QVERIFY(!gone.ok() && gone.error().message.find("moved.caelumen") != std::string::npos && gone.error().message.find("gone") != std::string::npos);
        QVERIFY((*c)->copyTo(at("saved elsewhere.caelumen"), {{{id, sampleTrial("y")}}, {}}).ok()); // what is known is not lost
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
            QVERIFY((*c)->addTrial(sampleTrial("x")).ok());
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
            QVERIFY(!(*c)->addTrial(sampleTrial("y")).ok());
        }
        QVERIFY(listing() == before);
    }
};

QTEST_GUILESS_MAIN(CampaignTest)
#include "campaign_test.moc"

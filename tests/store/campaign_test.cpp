#include "store/campaign.h"

#include "support/scenes.h"

#include <QCoreApplication>
#include <QDir>
#include <QFile>
#include <QSqlDatabase>
#include <QSqlQuery>

#include <csignal>
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

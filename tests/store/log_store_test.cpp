#include "store/log_store.h"

#include <QFile>
#include <QSet>
#include <QTemporaryDir>
#include <QTest>

using namespace caelumen;

namespace {

LogEntry entry(const std::string& uid, const std::string& filter, const std::string& target, const std::string& night, double hours = 1) {
    LogEntry e;
    e.uid = uid, e.filter = filter, e.target.name = target, e.night = night, e.total_s = 3600 * hours;
    e.campaign = "/club/one.caelumen", e.run = "A", e.trial = "Ridge garden", e.place = "Kwaggafontein ridge", e.rig = "Small refractor";
    e.bortle = 4, e.skyMag = 21.1, e.moonIlluminated = 0.98, e.moonAltitude_deg = 40;
    e.figures = {{"time_ratio", "R", 6.1, 0.4, false, false}, {"halo_clean_mag", "B", 5.2, 0.1, true, true}};
    return e;
}

} // namespace

class LogStoreTest : public QObject {
    Q_OBJECT

    QTemporaryDir m_folder;
    std::unique_ptr<LogStore> opened(const char* name) {
        auto store = LogStore::open(m_folder.filePath(name));
        if (!store) qFatal("%s", store.error().message.c_str());
        return std::move(*store);
    }
    static QSet<QString> found(const LogStore& store, const char* query) {
        const auto ids = store.find(parseLogQuery(query));
        if (!ids) qFatal("%s", ids.error().message.c_str());
        QSet<QString> out;
        if (*ids)
            for (const std::string& uid : **ids) out << QString::fromStdString(uid);
        return out;
    }
    using Set = QSet<QString>;

private slots:
    void whatIsPutComesBack() {
        const auto store = opened("a.sqlite");
        const std::vector<LogEntry> all{entry("1", "Duo 7", "NGC 3372", "2026-06-20"), entry("2", "Open", "NGC 3372", "2026-06-21", 2)};
        QVERIFY(store->put(all).ok());
        const auto back = store->entries();
        QVERIFY(back.ok() && back->size() == 2);
        QVERIFY((*back)[0] == all[1] && (*back)[1] == all[0]); // newest first
        // Another window sees it.
        const auto other = opened("a.sqlite");
        QCOMPARE(other->entries()->size(), std::size_t(2));
    }

    void wordsFieldsAndDatesFindRuns() {
        const auto store = opened("b.sqlite");
        auto special = entry("3", "Schärfe-Filter \"S2\"", "LMC", "2025-01-05");
        special.moonAltitude_deg = -10, special.bortle = 8, special.tags = "loan, scratched", special.notes = "dew after midnight";
        QVERIFY(store->put({entry("1", "Duo 7", "NGC 3372", "2026-06-20"), entry("2", "Open", "NGC 3372", "2026-07-02"), special}).ok());
        QCOMPARE(found(*store, "duo"), Set{"1"});
        QCOMPARE(found(*store, "DUO ngc"), Set{"1"});
        QCOMPARE(found(*store, "ngc3372"), (Set{"1", "2"}));
        QCOMPARE(found(*store, "scharfe"), Set{"3"}); // without its dots
        QCOMPARE(found(*store, "filter:open"), Set{"2"});
        QCOMPARE(found(*store, "moon:none"), Set{"3"});
        QCOMPARE(found(*store, "sky:\"bortle 8\""), Set{"3"});
        QCOMPARE(found(*store, "ngc -duo"), Set{"2"});
        QCOMPARE(found(*store, "-duo"), (Set{"2", "3"}));
        QCOMPARE(found(*store, "-duo -tag:loan"), Set{"2"});
        QCOMPARE(found(*store, "from:2026-07"), Set{"2"});
        QCOMPARE(found(*store, "to:2026-06"), (Set{"1", "3"}));
        QCOMPARE(found(*store, "from:2026 to:2026-06-20"), Set{"1"});
        QCOMPARE(found(*store, "note:dew"), Set{"3"});
        QCOMPARE(found(*store, "tag:scratch"), Set{"3"});
        QVERIFY(!*store->find(parseLogQuery("   ")));
        // Whatever is typed is a question, never a fault.
        for (const char* odd : {"\"", "((", "a AND", "NOT", "*", "filter:", "x:y", "-", "' OR 1", "NEAR(", "\xF0\x9F\x8C\x99", "^", "a\"b", "from:x"})
            QVERIFY(store->find(parseLogQuery(odd)).ok());
    }

    void aPersonsWordsStayWhenTheRestIsWrittenAnew() {
        const auto store = opened("c.sqlite");
        QVERIFY(store->put({entry("1", "Duo 7", "NGC 3372", "2026-06-20")}).ok());
        QVERIFY(store->remark("1", "best", "steady air").ok());
        auto changed = entry("1", "Duo 7 mark II", "NGC 3372", "2026-06-20");
        QVERIFY(store->put({changed}, "/club/one.caelumen").ok());
        const auto back = store->entries();
        QVERIFY((*back)[0].tags == "best" && (*back)[0].notes == "steady air" && (*back)[0].filter == "Duo 7 mark II");
        QCOMPARE(found(*store, "mark tag:best"), Set{"1"});
        QVERIFY(!store->remark("nobody", "x", "").ok());
    }

    void runsThatACampaignNoLongerHasGo() {
        const auto store = opened("d.sqlite");
        auto other = entry("9", "Open", "LMC", "2024-02-02");
        other.campaign = "/club/two.caelumen";
        QVERIFY(store->put({entry("1", "Duo 7", "NGC 3372", "2026-06-20"), entry("2", "Open", "NGC 3372", "2026-06-20"), other}).ok());
        QVERIFY(store->put({entry("1", "Duo 7", "NGC 3372", "2026-06-20")}, "/club/one.caelumen").ok());
        QCOMPARE(store->entries()->size(), std::size_t(2));
        QCOMPARE(found(*store, "open"), Set{"9"});
        QVERIFY(store->remove({"9"}).ok());
        QCOMPARE(found(*store, "open"), Set{});
    }

    void aCampaignThatWasMovedTakesItsRemarksAlong() {
        const auto store = opened("moved.sqlite");
        auto one = entry("", "Duo 7", "NGC 3372", "2026-06-20");
        one.trialId = 2, one.uid = logUid(one.campaign, 2, "A");
        QVERIFY(store->put({one}).ok() && store->remark(one.uid, "best", "").ok());
        auto now = one;
        now.campaign = "/elsewhere/one.caelumen", now.uid = logUid(now.campaign, 2, "A");
        QVERIFY(isOneCampaign({&one}, {now}));
        QVERIFY(store->rename(one.campaign, now.campaign).ok());
        const auto all = store->entries();
        QVERIFY(all->size() == 1 && all->front().uid == now.uid && all->front().campaign == now.campaign && all->front().tags == "best");
        QCOMPARE(found(*store, "tag:best"), Set{QString::fromStdString(now.uid)});
        now.start = "2020-01-01T00:00:00Z"; // another night of the same names
        QVERIFY(!isOneCampaign({&one}, {now}) && !isOneCampaign({}, {now}));
    }

    void searchesEventsAndAnswersAreKept() {
        const auto store = opened("e.sqlite");
        QVERIFY(store->saveSearch("full moon", "moon:full").ok() && store->saveSearch("full moon", "moon:full duo").ok());
        QCOMPARE(store->searches()->size(), std::size_t(1));
        QCOMPARE(store->searches()->front().query, std::string("moon:full duo"));
        QVERIFY(store->removeSearch(store->searches()->front().id).ok());
        QVERIFY(store->searches()->empty());
        EquipmentEvent e{0, false, "Duo 7", "2026-03-14", "cleaned", "", ""};
        QVERIFY(store->saveEvent(e).ok());
        e = store->events()->front();
        e.note = "a smear was left";
        QVERIFY(store->saveEvent(e).ok());
        QCOMPARE(store->events()->size(), std::size_t(1));
        QCOMPARE(store->events()->front().note, std::string("a smear was left"));
        QVERIFY(store->removeEvent(e.id).ok() && store->events()->empty());
        QVERIFY(store->addAnswer({0, "haze", "2026-06-20T20:00:00Z", 1, 0, false}).ok());
        QVERIFY(store->answers()->size() == 1 && !store->answers()->front().right);
    }

    void otherFilesAreRefusedAndStayWhole() {
        const QString path = m_folder.filePath("f.sqlite");
        QFile file(path);
        QVERIFY(file.open(QIODevice::WriteOnly));
        file.write("this is no log, it is a letter to a friend, and long enough to look like something");
        file.close();
        const auto bad = LogStore::open(path);
        QVERIFY(!bad.ok() && QString::fromStdString(bad.error().message).contains("f.sqlite"));
        QVERIFY(file.open(QIODevice::ReadOnly) && file.readAll().startsWith("this is no log"));
    }

    void twoWindowsWriteByTurns() {
        const auto one = opened("g.sqlite"), two = opened("g.sqlite");
        const qint64 before = two->version();
        for (int i = 0; i < 20; ++i) {
            QVERIFY(one->put({entry("a" + std::to_string(i), "Open", "LMC", "2026-01-01")}).ok());
            QVERIFY(two->put({entry("b" + std::to_string(i), "Duo", "SMC", "2026-01-01")}).ok());
        }
        QCOMPARE(one->entries()->size(), std::size_t(40));
        QVERIFY(two->version() != before);
    }
};

QTEST_GUILESS_MAIN(LogStoreTest)
#include "log_store_test.moc"

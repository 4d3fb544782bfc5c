#include "app/await.h"
#include "app/job_service.h"

#include <QSignalSpy>
#include <QTest>
#include <QThread>
#include <QTimer>

#include <atomic>
#include <stdexcept>
#include <string>

using namespace caelumen;

class JobServiceTest : public QObject {
    Q_OBJECT

private slots:
    void resultsArriveOnTheInterfaceThread() {
        JobService jobs;
        QThread* worker = nullptr;
        QThread* finisher = nullptr;
        jobs.run("a", "A", [&](const Job&) -> JobService::Finish {
            worker = QThread::currentThread();
            return [&] { finisher = QThread::currentThread(); };
        });
        QTRY_VERIFY(finisher != nullptr);
        QVERIFY(worker != QThread::currentThread());
        QCOMPARE(finisher, QThread::currentThread());
        QTRY_VERIFY(!jobs.busy());
    }

    /// What cannot go on without waits, while timers and painting go on; keys and clicks stay for afterwards.
    void waitingKeepsTheWindowAlive() {
        int ticks = 0;
        QTimer tick;
        tick.setInterval(5);
        connect(&tick, &QTimer::timeout, [&] { ++ticks; });
        tick.start();
        QThread* worker = nullptr;
        const int got = awaited([&] {
            worker = QThread::currentThread();
            QThread::msleep(300);
            return 7;
        });
        QCOMPARE(got, 7);
        QVERIFY(worker && worker != QThread::currentThread());
        QVERIFY2(ticks > 5, qPrintable(QString::number(ticks)));
        QCOMPARE(awaited([] { return std::string("at once"); }), std::string("at once"));
    }

    void whatIsThrownWhileWaitingComesOut() {
        QVERIFY_EXCEPTION_THROWN(awaited([]() -> int { throw std::runtime_error("no"); }), std::runtime_error);
        QVERIFY_EXCEPTION_THROWN(awaited([]() -> int {
                                     QThread::msleep(100);
                                     throw std::runtime_error("no");
                                 }),
                                 std::runtime_error);
    }

    void aNewerJobReplacesAnOlderOne() {
        JobService jobs;
        std::atomic<bool> started{false};
        int finished = 0;
        jobs.run("measure", "old", [&](const Job& job) -> JobService::Finish {
            started = true;
            while (!job.cancelled()) QThread::msleep(2);
            return [&] { finished += 100; };
        });
        QTRY_VERIFY(started);
        jobs.run("measure", "new", [&](const Job&) -> JobService::Finish { return [&] { finished += 1; }; });
        QTRY_COMPARE(finished, 1);
        QTRY_VERIFY(!jobs.busy());
        QCOMPARE(finished, 1);
    }

    /// What a job or its finish throws becomes a sentence; the next job runs.
    void nothingThrownEndsTheProgram() {
        JobService jobs;
        QStringList said;
        connect(&jobs, &JobService::failed, this, [&](const QString& sentence) { said << sentence; });
        bool after = false;
        jobs.run("memory", "A", [](const Job&) -> JobService::Finish { throw std::bad_alloc(); });
        jobs.run("fault", "B", [](const Job&) -> JobService::Finish { throw std::runtime_error("odd \xE9"); });
        jobs.run("finish", "C", [](const Job&) -> JobService::Finish { return [] { throw 7; }; });
        jobs.run("good", "D", [&](const Job&) -> JobService::Finish { return [&] { after = true; }; });
        QTRY_VERIFY(after);
        QCOMPARE(said.size(), qsizetype{3});
        QVERIFY(said[0].contains("memory") && said[1].contains("odd") && said[2].contains("fault"));
        QVERIFY(!jobs.busy());
    }

    void otherKindsWaitTheirTurn() {
        JobService jobs;
        QStringList order;
        for (const char* name : {"a", "b", "c"})
            jobs.run(name, name, [&order, name](const Job&) -> JobService::Finish { return [&order, name] { order << name; }; });
        QTRY_COMPARE(order, QStringList({"a", "b", "c"}));
    }

    void cancelDropsEverything() {
        JobService jobs;
        QSignalSpy idle(&jobs, &JobService::idle);
        std::atomic<bool> started{false};
        bool finished = false;
        jobs.run("a", "A", [&](const Job& job) -> JobService::Finish {
            started = true;
            while (!job.cancelled()) QThread::msleep(2);
            return [&] { finished = true; };
        });
        jobs.run("b", "B", [&](const Job&) -> JobService::Finish { return [&] { finished = true; }; });
        QTRY_VERIFY(started);
        jobs.cancel();
        QTRY_VERIFY(!jobs.busy());
        QVERIFY(!finished);
        QCOMPARE(idle.count(), 1);
    }

    void progressTellsWhat() {
        JobService jobs;
        QStringList seen;
        connect(&jobs, &JobService::progressed, this, [&](double, const QString& what, int) { seen << what; });
        jobs.run("a", "A", [&](const Job& job) -> JobService::Finish {
            job.report(0.5, "half way");
            return {};
        });
        QTRY_VERIFY(seen.contains("half way"));
    }
};

QTEST_GUILESS_MAIN(JobServiceTest)
#include "job_service_test.moc"

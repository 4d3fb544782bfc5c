#pragma once

#include <QApplication>
#include <QElapsedTimer>
#include <QEvent>
#include <QMetaEnum>
#include <QTest>
#include <QThread>

#include <algorithm>
#include <cstdio>
#include <ctime>
#include <vector>

namespace caelumen {

/// Notes every event that keeps the interface thread longer than a twentieth of a second, and prints the longest of them when the tests are over: what takes
/// longer belongs into a job. Where an event runs a loop of its own (a dialog), the thread's own time counts.
class WatchedApplication : public QApplication {
public:
    using QApplication::QApplication;
    ~WatchedApplication() override {
        std::sort(m_slow.begin(), m_slow.end(), [](const Slow& a, const Slow& b) { return a.ms > b.ms; });
        std::printf("watchdog: %zu events took longer than %.0f ms\n", m_slow.size(), kLimit_ms);
        for (std::size_t i = 0; i < std::min<std::size_t>(8, m_slow.size()); ++i)
            std::printf("watchdog: %4.0f ms in %s: %s to %s\n", m_slow[i].ms, qPrintable(m_slow[i].test), qPrintable(m_slow[i].event),
                        qPrintable(m_slow[i].receiver));
    }

    bool notify(QObject* receiver, QEvent* event) override {
        if (QThread::currentThread() != thread()) return QApplication::notify(receiver, event);
        const QString to = receiver->metaObject()->className(), name = receiver->objectName(); // it may be gone afterwards
        const QEvent::Type type = event->type();
        const int level = thread()->loopLevel();
        if (m_depth > 0 && level > m_level) m_looped = true;
        if (m_depth == 0) m_level = level, m_looped = false;
        ++m_depth;
        QElapsedTimer wall;
        wall.start();
        const double before = ownTime_ms();
        const bool done = QApplication::notify(receiver, event);
        --m_depth;
        const double ms = m_looped ? ownTime_ms() - before : static_cast<double>(wall.nsecsElapsed()) / 1e6;
        if (m_depth == 0 && ms > kLimit_ms)
            m_slow.push_back({ms, QTest::currentTestFunction(), QMetaEnum::fromType<QEvent::Type>().valueToKey(type), name.isEmpty() ? to : to + " " + name});
        return done;
    }

private:
    static constexpr double kLimit_ms = 50;
    struct Slow {
        double ms;
        QString test, event, receiver;
    };
    static double ownTime_ms() {
        timespec t{};
        ::clock_gettime(CLOCK_THREAD_CPUTIME_ID, &t);
        return 1e3 * static_cast<double>(t.tv_sec) + 1e-6 * static_cast<double>(t.tv_nsec);
    }
    int m_depth = 0, m_level = 0;
    bool m_looped = false;
    std::vector<Slow> m_slow;
};

} // namespace caelumen

/// As QTEST_MAIN, with the watchdog.
#define CAELUMEN_WINDOW_TEST(TestClass)                                                                                                                        \
    int main(int argc, char** argv) {                                                                                                                          \
        caelumen::WatchedApplication app(argc, argv);                                                                                                          \
        TestClass test;                                                                                                                                        \
        QTEST_SET_MAIN_SOURCE_PATH                                                                                                                             \
        return QTest::qExec(&test, argc, argv);                                                                                                                \
    }

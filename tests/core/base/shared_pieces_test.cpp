#include "core/base/shared_pieces.h"

#include <QTest>

#include <atomic>
#include <thread>
#include <vector>

using namespace caelumen;

class SharedPiecesTest : public QObject {
    Q_OBJECT

private slots:
    void oneWorkerGoesThroughAllInOrder() {
        SharedPieces pieces(7);
        int last = -1;
        for (int i = 0; i < 7; ++i) QCOMPARE(last = pieces.take(last), i);
        QCOMPARE(pieces.take(last), -1);
        QCOMPARE(SharedPieces(0).take(-1), -1);
    }

    /// Two begin half the way apart, and whoever is done helps the other.
    void theLongestStretchIsHalved() {
        SharedPieces pieces(12);
        QCOMPARE(pieces.take(-1), 0);
        QCOMPARE(pieces.take(-1), 6); // of 1 to 11
        for (int i = 1; i < 6; ++i) QCOMPARE(pieces.take(i - 1), i);
        QCOMPARE(pieces.take(5), 9); // of 7 to 11
        QCOMPARE(pieces.take(6), 7);
        QCOMPARE(pieces.take(7), 8);
        QCOMPARE(pieces.take(9), 10);
        QCOMPARE(pieces.take(8), 11);
        QCOMPARE(pieces.take(10), -1);
    }

    void everyPieceIsTakenOnce() {
        constexpr int kPieces = 3000;
        SharedPieces pieces(kPieces);
        std::vector<std::atomic<int>> times(kPieces);
        std::atomic<int> begun = 0;
        std::vector<std::thread> workers;
        for (int k = 0; k < 4; ++k)
            workers.emplace_back([&] {
                for (int last = -1, next = pieces.take(last); next >= 0; last = next, next = pieces.take(last)) {
                    ++times[static_cast<std::size_t>(next)];
                    if (next != last + 1 || last < 0) ++begun;
                }
            });
        for (auto& w : workers) w.join();
        for (const auto& t : times) QCOMPARE(t.load(), 1);
        QVERIFY2(begun < 200, qPrintable(QString::number(begun)));
    }
};

QTEST_GUILESS_MAIN(SharedPiecesTest)
#include "shared_pieces_test.moc"

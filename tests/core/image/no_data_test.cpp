#include "core/image/no_data.h"
#include "support/scenes.h"

using namespace caelumen;

class NoDataTest : public QObject {
    Q_OBJECT

private slots:
    void rimsAndHolesOfZeroBecomeNoData() {
        scenes::PlaneScene s;
        s.stars = 0;
        Plane p = scenes::make(s).plane;
        for (int y = 0; y < p.height(); ++y)
            for (int x = 0; x < 9; ++x) p.at(x, y) = 0;
        for (int y = 100; y < 112; ++y)
            for (int x = 200; x < 212; ++x) p.at(x, y) = 0;
        p.at(300, 300) = 0; // a lone zero is a value
        markNoData(p);
        QVERIFY(std::isnan(p.at(0, 0)));
        QVERIFY(std::isnan(p.at(8, 200)));
        QVERIFY(std::isnan(p.at(205, 105)));
        QVERIFY(std::isfinite(p.at(9, 200)));
        QCOMPARE(p.at(300, 300), 0.0F);
    }
    /// A dark stack clipped at zero is full of honest zeros; only a rim is none.
    void zerosOfADarkSkyStay() {
        Plane p(300, 200);
        Random random(3);
        for (std::size_t i = 0; i < p.size(); ++i) p.data()[i] = static_cast<float>(std::max(0.0, std::round(random.normal())));
        for (int y = 0; y < 200; ++y)
            for (int x = 290; x < 300; ++x) p.at(x, y) = 0;
        markNoData(p);
        std::size_t missing = 0;
        for (int y = 5; y < 195; ++y)
            for (int x = 5; x < 280; ++x) missing += std::isnan(p.at(x, y));
        QVERIFY(static_cast<double>(missing) < 0.9 * 190 * 275);
        QVERIFY(std::isnan(p.at(299, 100)));
    }
    void infinitiesAreNoData() {
        Plane p(20, 20, 5.0F);
        p.at(3, 3) = std::numeric_limits<float>::infinity();
        markNoData(p);
        QVERIFY(std::isnan(p.at(3, 3)));
        QCOMPARE(p.at(4, 4), 5.0F);
    }
};

QTEST_GUILESS_MAIN(NoDataTest)
#include "no_data_test.moc"

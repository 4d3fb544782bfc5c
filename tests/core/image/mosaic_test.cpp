#include "core/image/fits_writer.h"
#include "core/image/frame_file.h"
#include "core/image/mosaic.h"

#include <QTemporaryDir>
#include <QTest>

using namespace caelumen;

class MosaicTest : public QObject {
    Q_OBJECT

private slots:
    void patternsFollowOffsetsAndRowOrder_data() {
        QTest::addColumn<QString>("pattern");
        QTest::addColumn<int>("dx");
        QTest::addColumn<int>("dy");
        QTest::addColumn<bool>("bottomUp");
        QTest::addColumn<int>("height");
        QTest::addColumn<QString>("stored");
        QTest::newRow("as it is") << "RGGB" << 0 << 0 << false << 100 << "RGGB";
        QTest::newRow("one right") << "RGGB" << 1 << 0 << false << 100 << "GRBG";
        QTest::newRow("one down") << "RGGB" << 0 << 1 << false << 100 << "GBRG";
        QTest::newRow("negative offset") << "RGGB" << -1 << -1 << false << 100 << "BGGR";
        // Even height: the first stored row is an odd row from the top.
        QTest::newRow("bottom up, even") << "RGGB" << 0 << 0 << true << 100 << "GBRG";
        QTest::newRow("bottom up, odd") << "RGGB" << 0 << 0 << true << 101 << "RGGB";
        QTest::newRow("small letters") << "bggr" << 0 << 0 << false << 10 << "BGGR";
    }
    void patternsFollowOffsetsAndRowOrder() {
        QFETCH(QString, pattern);
        QFETCH(int, dx);
        QFETCH(int, dy);
        QFETCH(bool, bottomUp);
        QFETCH(int, height);
        QFETCH(QString, stored);
        const auto p = mosaicPattern(pattern.toStdString(), dx, dy, bottomUp, height);
        QVERIFY(p.has_value());
        QCOMPARE(QString::fromStdString(p->name), stored);
    }

    /// A mosaic can be told where a header is silent, and denied where it is wrong.
    void aPatternIsTold() {
        QTemporaryDir folder;
        const std::filesystem::path path = folder.filePath("raw.fits").toStdString(), colour = folder.filePath("colour.fits").toStdString();
        Plane stored(8, 6);
        for (int y = 0; y < 6; ++y)
            for (int x = 0; x < 8; ++x) stored.at(x, y) = static_cast<float>(100 * (y & 1) + 10 * (x & 1) + 1);
        QVERIFY(writeFits(path, {&stored}, {}).ok() && writeFits(colour, {&stored, &stored, &stored}, {}).ok());
        QCOMPARE(FrameFile::open(path)->info().channels, std::vector<std::string>{"L"});
        const auto told = FrameFile::open(path, "GBRG");
        QVERIFY(told.ok());
        QCOMPARE(told->info().channels.size(), std::size_t{3});
        QCOMPARE(told->readChannel(0)->at(1, 1), 101.0F); // red lies in the second row
        QCOMPARE(told->readChannel(2)->at(1, 1), 11.0F);
        QVERIFY(!FrameFile::open(path, "RGBG").ok() && !FrameFile::open(colour, "RGGB").ok());
        QVERIFY(writeFits(path, {&stored}, {{"BAYERPAT", std::string("RGGB"), ""}}).ok());
        QCOMPARE(FrameFile::open(path, "none")->info().channels, std::vector<std::string>{"L"});
        QVERIFY(!FrameFile::open(path, "none")->info().mosaic);
    }

    void wordsThatAreNoPatternAreRefused() {
        for (const char* bad : {"RGBG", "RRGB", "XYZW", "RGB", "", "GGRB"}) QVERIFY2(!mosaicPattern(bad, 0, 0, false, 10), bad);
    }

    /// A linear ramp read through each colour's geometry must give the ramp's value at the place the geometry claims.
    void geometryTellsWherePixelsLie() {
        Plane stored(41, 31); // odd sizes: the last row and column have no partner
        for (int y = 0; y < 31; ++y)
            for (int x = 0; x < 41; ++x) stored.at(x, y) = static_cast<float>(3 * x + 7 * y);
        for (const char* name : {"RGGB", "BGGR", "GRBG", "GBRG"}) {
            const auto p = mosaicPattern(name, 0, 0, false, 31);
            for (int colour = 0; colour < 3; ++colour) {
                const Plane plane = mosaicPlane(stored, *p, colour);
                QCOMPARE(plane.width(), 20);
                QCOMPARE(plane.height(), 15);
                const Point at = mosaicGeometry(*p, colour).toStored({7, 4});
                QCOMPARE(plane.at(7, 4), static_cast<float>(3 * at.x + 7 * at.y));
            }
        }
    }

    void missingSitesStayMissing() {
        Plane stored(4, 4, 1.0F);
        stored.at(0, 0) = kNoData;
        const auto p = mosaicPattern("RGGB", 0, 0, false, 4);
        QVERIFY(std::isnan(mosaicPlane(stored, *p, 0).at(0, 0)));
        QCOMPARE(mosaicPlane(stored, *p, 1).at(0, 0), 1.0F);
    }
};

QTEST_GUILESS_MAIN(MosaicTest)
#include "mosaic_test.moc"

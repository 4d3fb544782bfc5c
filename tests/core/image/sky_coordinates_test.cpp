#include "core/compare/wcs_alignment.h"
#include "core/image/sky_coordinates.h"

#include <QTest>

#include <array>
#include <map>
#include <thread>
#include <vector>

using namespace caelumen;

namespace {

using Header = std::map<std::string, std::string>;

const Header kHeader{{"CTYPE1", "'RA---TAN'"}, {"CTYPE2", "'DEC--TAN'"}, {"CRPIX1", "801.0"}, {"CRPIX2", "534.0"}, {"CRVAL1", "250.1"},
                     {"CRVAL2", "-48.7"},      {"CD1_1", "-5.1E-4"},     {"CD1_2", "3.0E-5"}, {"CD2_1", "3.0E-5"}, {"CD2_2", "5.1E-4"}};

std::string cardsOf(const Header& header) {
    std::string out;
    for (const auto& [keyword, value] : header) out += QString("%1= %2").arg(keyword.c_str(), -8).arg(value.c_str(), 20).leftJustified(80).toStdString();
    return out;
}
std::optional<SkyCoordinates> read(const Header& header) {
    return SkyCoordinates::read(cardsOf(header));
}
Header with(Header header, const Header& more) {
    for (const auto& [keyword, value] : more) header[keyword] = value;
    return header;
}
Header projected(const std::string& name, const Header& more = {}) {
    return with(with(kHeader, {{"CTYPE1", "'RA---" + name + "'"}, {"CTYPE2", "'DEC--" + name + "'"}}), more);
}

} // namespace

class SkyCoordinatesTest : public QObject {
    Q_OBJECT

private slots:
    void headersAreUnderstood() {
        const auto w = read(kHeader);
        QVERIFY(w);
        QCOMPARE(w->reference().x, 800.0);
        const auto middle = w->toSky({800, 533});
        QVERIFY(middle && std::abs(middle->x - 250.1) < 1e-9 && std::abs(middle->y + 48.7) < 1e-9);
        // Read again from what it keeps, as from a file of results.
        const auto again = SkyCoordinates::read(w->cards());
        QVERIFY(again && length(again->toSky({3, 5})->x - w->toSky({3, 5})->x, 0) == 0);
    }

    void whatIsNoDescriptionIsLeftOut_data() {
        QTest::addColumn<std::string>("cards");
        QTest::newRow("nothing") << std::string();
        QTest::newRow("half a line") << std::string("CTYPE1  = 'RA---TAN'");
        QTest::newRow("galactic") << cardsOf(with(kHeader, {{"CTYPE1", "'GLON-CAR'"}, {"CTYPE2", "'GLAT-CAR'"}}));
        QTest::newRow("a pixel of no size") << cardsOf(with(kHeader, {{"CD1_1", "0.0"}, {"CD1_2", "0.0"}, {"CD2_1", "0.0"}, {"CD2_2", "0.0"}}));
        QTest::newRow("all pixels in a line") << cardsOf(with(kHeader, {{"CD1_1", "5E-4"}, {"CD1_2", "5E-4"}, {"CD2_1", "5E-4"}, {"CD2_2", "5E-4"}}));
        QTest::newRow("a pixel of the whole sky") << cardsOf(with(kHeader, {{"CD1_1", "200.0"}, {"CD2_2", "200.0"}}));
        QTest::newRow("beyond the pole") << cardsOf(with(kHeader, {{"CRVAL2", "-148.7"}}));
        QTest::newRow("a projection that nobody knows") << cardsOf(projected("XYZ"));
        QTest::newRow("no reference pixel") << cardsOf(with(kHeader, {{"CRPIX2", "'middle'"}}));
        QTest::newRow("not a number") << cardsOf(with(kHeader, {{"CRVAL1", "'north'"}}));
        std::string noise;
        for (int i = 0; i < 800; ++i) noise += static_cast<char>((i * 131) % 251);
        QTest::newRow("noise") << noise + cardsOf({{"CTYPE1", "'RA---TAN"}, {"CRVAL1", noise.substr(0, 20)}});
    }
    void whatIsNoDescriptionIsLeftOut() {
        QFETCH(std::string, cards);
        QVERIFY(!SkyCoordinates::read(cards));
    }

    /// Values of astropy.wcs 5.2 for these headers, at the pixels (0, 0) and (1599, 1066).
    void agreesWithAnIndependentLibrary_data() {
        QTest::addColumn<std::string>("cards");
        QTest::addColumn<Point>("corner");
        QTest::addColumn<Point>("far");
        QTest::newRow("gnomonic") << cardsOf(kHeader) << Point{250.697442782, -48.994285027} << Point{249.510305998, -48.402695999};
        QTest::newRow("polynomial distortion")
            << cardsOf(projected("TAN-SIP", {{"A_ORDER", "2"}, {"B_ORDER", "2"}, {"A_2_0", "2E-6"}, {"A_1_1", "-1E-6"}, {"B_0_2", "3E-6"}, {"B_2_0", "1E-6"}}))
            << Point{250.696838198, -48.993501498} << Point{249.509728884, -48.401907296};
        QTest::newRow("equal areas") << cardsOf(projected("ZEA")) << Point{250.697459339, -48.994293093} << Point{249.510289874, -48.402687781};
        QTest::newRow("equal distances") << cardsOf(projected("ARC")) << Point{250.697457499, -48.994292196} << Point{249.510291666, -48.402688694};
        QTest::newRow("distorted gnomonic") << cardsOf(projected(
                                                   "TPV", {{"PV1_0", "0.0"}, {"PV1_1", "1.0"}, {"PV1_4", "0.002"}, {"PV2_1", "1.0"}, {"PV2_5", "-0.003"}}))
                                            << Point{250.697906998, -48.993934731} << Point{249.510771738, -48.402350968};
    }
    void agreesWithAnIndependentLibrary() {
        QFETCH(std::string, cards);
        QFETCH(Point, corner);
        QFETCH(Point, far);
        const auto w = SkyCoordinates::read(cards);
        QVERIFY(w);
        for (const auto& [pixel, sky] : {std::pair{Point{0, 0}, corner}, std::pair{Point{1599, 1066}, far}}) {
            const auto got = w->toSky(pixel);
            QVERIFY2(got && std::abs(got->x - sky.x) < 1e-8 && std::abs(got->y - sky.y) < 1e-8,
                     qPrintable(QString("%1 %2").arg(got->x, 0, 'f', 9).arg(got->y, 0, 'f', 9)));
            const auto back = w->toPixel(sky);
            QVERIFY(back && length(back->x - pixel.x, back->y - pixel.y) < 1e-4);
        }
    }

    void skyAndPixelsAreInverse() {
        const auto w = read(kHeader);
        for (const Point p : {Point{0, 0}, Point{1599, 3}, Point{20, 1066}, Point{812.25, 400.5}}) {
            const auto back = w->toPixel(*w->toSky(p));
            QVERIFY(back && length(back->x - p.x, back->y - p.y) < 1e-6);
        }
        QVERIFY(!w->toPixel({70.1, 48.7}));
    }

    /// Right ascension begins anew at 0 hours, and a frame may lie across it.
    void framesAcrossZeroHours() {
        for (const char* ra : {"0.0", "1.0E-4", "359.9999"}) {
            const auto w = read(with(kHeader, {{"CRVAL1", ra}}));
            QVERIFY2(w, ra);
            const auto left = w->toSky({0, 533}), right = w->toSky({1599, 533});
            QVERIFY(left && right && left->x < 1 && right->x > 359); // east is to the left
            const auto back = w->toPixel(*right);
            QVERIFY(back && length(back->x - 1599, back->y - 533) < 1e-6);
        }
    }

    /// Colour frames have a third axis that is no place, and some headers name declination first.
    void otherAxesDoNotMatter() {
        const auto cube = read(with(kHeader, {{"WCSAXES", "3"}, {"CTYPE3", "'RGB     '"}, {"CRPIX3", "1.0"}, {"CRVAL3", "0.0"}, {"CD3_3", "1.0"}}));
        QVERIFY(cube && std::abs(cube->toSky({0, 0})->x - 250.697442782) < 1e-8);
        Header turned = with(kHeader, {{"CTYPE1", "'DEC--TAN'"}, {"CTYPE2", "'RA---TAN'"}, {"CRVAL1", "-48.7"}, {"CRVAL2", "250.1"}});
        turned["CD1_1"] = kHeader.at("CD2_1"), turned["CD1_2"] = kHeader.at("CD2_2"), turned["CD2_1"] = kHeader.at("CD1_1"),
        turned["CD2_2"] = kHeader.at("CD1_2");
        const auto w = read(turned);
        QVERIFY(w && std::abs(w->toSky({0, 0})->x - 250.697442782) < 1e-8 && std::abs(w->toSky({0, 0})->y + 48.994285027) < 1e-8);
    }

    void rotationsInOldHeaders() {
        Header old = kHeader;
        for (const char* k : {"CD1_1", "CD1_2", "CD2_1", "CD2_2"}) old.erase(k);
        old["CDELT1"] = "-5.0E-4";
        old["CDELT2"] = "5.0E-4";
        old["CROTA2"] = "30.0";
        const auto w = read(old);
        QVERIFY(w);
        // +y points 30 degrees from north towards ... the position angle of +y is minus CROTA2 for a sky seen from inside.
        const Point from = *w->toSky({800, 533}), to = *w->toSky({800, 543});
        const double east = (to.x - from.x) * std::cos(from.y * M_PI / 180), north = to.y - from.y;
        double angle = std::atan2(east, north) * 180 / M_PI;
        if (angle < 0) angle += 360;
        QVERIFY(std::abs(w->positionAngle(90) - angle) < 0.05);
        QVERIFY(std::abs(std::abs(angle > 180 ? angle - 360 : angle) - 30) < 0.05);
    }

    void twoHeadersPromiseAnAlignment() {
        const auto a = read(kHeader), moved = read(with(kHeader, {{"CRPIX1", "821.0"}, {"CRPIX2", "521.0"}}));
        auto shift = alignmentFromWcs(*a, *moved, 1600, 1067);
        QVERIFY(shift && !shift->mirrored);
        QVERIFY(std::abs(shift->dx - 20) < 0.01 && std::abs(shift->dy + 13) < 0.01 && std::abs(shift->scale - 1) < 1e-5);
        const auto turned = read(with(kHeader, {{"CD1_1", "5.1E-4"}, {"CD1_2", "-3.0E-5"}})); // the x axis turned over
        QVERIFY(turned->mirrored() != a->mirrored());
        shift = alignmentFromWcs(*a, *turned, 1600, 1067);
        QVERIFY(shift && shift->mirrored);
        QVERIFY(distanceBetween(*shift, *shift, 1600, 1067) == 0);
    }

    void threadsMayShareIt() {
        const auto w = read(projected("TAN-SIP", {{"A_ORDER", "2"}, {"B_ORDER", "2"}, {"A_2_0", "2E-6"}, {"B_0_2", "3E-6"}}));
        const Point expected = *w->toSky({10, 20});
        std::array<int, 4> wrong{};
        std::vector<std::thread> threads;
        for (int& n : wrong)
            threads.emplace_back([&, copy = *w] {
                for (int k = 0; k < 2000; ++k) {
                    const auto sky = copy.toSky({10, 20});
                    n += !sky || sky->x != expected.x || !copy.toPixel(*sky);
                }
            });
        for (auto& t : threads) t.join();
        QCOMPARE(wrong, (std::array<int, 4>{}));
    }
};

QTEST_GUILESS_MAIN(SkyCoordinatesTest)
#include "sky_coordinates_test.moc"

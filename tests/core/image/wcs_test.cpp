#include "core/compare/wcs_alignment.h"
#include "core/image/fits_facts.h"

#include <QTest>

#include <map>

using namespace caelumen;

namespace {

const std::map<std::string, std::string> kHeader{{"CTYPE1", "RA---TAN"}, {"CTYPE2", "DEC--TAN"}, {"CRPIX1", "801.0"}, {"CRPIX2", "534.0"}, {"CRVAL1", "250.1"},
                                                 {"CRVAL2", "-48.7"},    {"CD1_1", "-5.1E-4"},   {"CD1_2", "3.0E-5"}, {"CD2_1", "3.0E-5"}, {"CD2_2", "5.1E-4"}};

FrameFacts factsOf(std::map<std::string, std::string> header) {
    return factsFromHeader([&](const char* key) -> std::optional<std::string> {
        const auto it = header.find(key);
        return it == header.end() ? std::nullopt : std::optional(it->second);
    });
}

} // namespace

class WcsTest : public QObject {
    Q_OBJECT

private slots:
    void headersAreUnderstood() {
        const auto w = factsOf(kHeader).wcs;
        QVERIFY(w);
        QCOMPARE(w->reference.x, 800.0);
        const Point middle = w->toSky({800, 533});
        QVERIFY(std::abs(middle.x - 250.1) < 1e-9 && std::abs(middle.y + 48.7) < 1e-9);
        auto bad = kHeader;
        bad["CTYPE1"] = "GLON-CAR";
        QVERIFY(!factsOf(bad).wcs);
        bad = kHeader;
        bad["CD2_2"] = "0";
        bad["CD1_1"] = "0";
        bad["CD1_2"] = "0";
        QVERIFY(!factsOf(bad).wcs);
    }

    /// Values of astropy.wcs 5.2 for this header.
    void agreesWithAnIndependentLibrary() {
        const TanWcs w = *factsOf(kHeader).wcs;
        const Point corner = w.toSky({0, 0}), far = w.toSky({1599, 1066});
        QVERIFY2(std::abs(corner.x - 250.69744278) < 1e-6 && std::abs(corner.y + 48.99428503) < 1e-6,
                 qPrintable(QString("%1 %2").arg(corner.x, 0, 'f', 8).arg(corner.y, 0, 'f', 8)));
        QVERIFY2(std::abs(far.x - 249.51030600) < 1e-6 && std::abs(far.y + 48.40269600) < 1e-6,
                 qPrintable(QString("%1 %2").arg(far.x, 0, 'f', 8).arg(far.y, 0, 'f', 8)));
    }

    void skyAndPixelsAreInverse() {
        const TanWcs w = *factsOf(kHeader).wcs;
        for (const Point p : {Point{0, 0}, Point{1599, 3}, Point{20, 1066}, Point{812.25, 400.5}}) {
            const auto back = w.toPixel(w.toSky(p));
            QVERIFY(back && length(back->x - p.x, back->y - p.y) < 1e-6);
        }
        QVERIFY(!w.toPixel({70.1, 48.7}));
    }

    void rotationsInOldHeaders() {
        auto old = kHeader;
        for (const char* k : {"CD1_1", "CD1_2", "CD2_1", "CD2_2"}) old.erase(k);
        old["CDELT1"] = "-5.0E-4";
        old["CDELT2"] = "5.0E-4";
        old["CROTA2"] = "30";
        const auto w = factsOf(old).wcs;
        QVERIFY(w);
        // +y points 30 degrees from north towards ... the position angle of +y is minus CROTA2 for a sky seen from inside.
        const Point from = w->toSky({800, 533}), to = w->toSky({800, 543});
        const double east = (to.x - from.x) * std::cos(from.y * M_PI / 180), north = to.y - from.y;
        double angle = std::atan2(east, north) * 180 / M_PI;
        if (angle < 0) angle += 360;
        QVERIFY(std::abs(w->positionAngle(90) - angle) < 0.05);
        QVERIFY(std::abs(std::abs(angle > 180 ? angle - 360 : angle) - 30) < 0.05);
    }

    void twoHeadersPromiseAnAlignment() {
        const TanWcs a = *factsOf(kHeader).wcs;
        TanWcs b = a;
        b.reference = {820, 520};
        auto shift = alignmentFromWcs(a, b, 1600, 1067);
        QVERIFY(shift && !shift->mirrored);
        QVERIFY(std::abs(shift->dx - 20) < 0.01 && std::abs(shift->dy + 13) < 0.01 && std::abs(shift->scale - 1) < 1e-5);
        b.cd = {5.1e-4, -3e-5, 3e-5, 5.1e-4}; // the x axis turned over
        shift = alignmentFromWcs(a, b, 1600, 1067);
        QVERIFY(shift && shift->mirrored);
        QVERIFY(distanceBetween(*shift, *shift, 1600, 1067) == 0);
    }
};

QTEST_GUILESS_MAIN(WcsTest)
#include "wcs_test.moc"

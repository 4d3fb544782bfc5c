#include "core/optics/system_response.h"

#include <QTest>

#include <cmath>

using namespace caelumen;

namespace {

Curve flat(double t) {
    return {{300, 700, 1100}, {t, t, t}};
}
Curve boxOf(double from, double to, double t = 0.9) {
    return {{300, from - 0.1, from, to, to + 0.1, 1100}, {0, 0, t, t, 0, 0}};
}
const SystemChannel& channel(const std::vector<SystemChannel>& all, const std::string& name) {
    return *std::find_if(all.begin(), all.end(), [&](const SystemChannel& c) { return c.name == name; });
}

} // namespace

class SystemResponseTest : public QObject {
    Q_OBJECT

private slots:
    // A grey filter takes the same part of everything and leaves all colours.
    void greyIsGrey() {
        for (const Camera& camera : typicalCameras()) {
            for (const SystemChannel& c : systemResponse(flat(0.4), camera))
                for (const auto& [name, part] : c.sky) QVERIFY2(std::abs(part - 0.4) < 1e-9, name.c_str());
            for (const ColourPrediction& p : predictColours(flat(0.4), camera)) QVERIFY(std::abs(*p.slope - 1) < 1e-9);
        }
    }

    void noFilterIsTheCameraItself() {
        const Camera& camera = typicalCamera("colour-clear");
        const auto all = systemResponse({}, camera);
        QCOMPARE(all.size(), std::size_t{3});
        for (const CameraChannel& c : camera.channels) QVERIFY(std::abs(channel(all, c.name).lines.at(EmissionLine::Halpha) - c.efficiency.at(656.28)) < 1e-12);
    }

    void linesGoToTheirChannels() {
        const auto all = systemResponse(boxOf(490, 670), typicalCamera("colour-clear"));
        QVERIFY(channel(all, "R").lines.at(EmissionLine::Halpha) > 10 * channel(all, "B").lines.at(EmissionLine::Halpha));
        QVERIFY(channel(all, "G").lines.at(EmissionLine::OIII) > 5 * channel(all, "R").lines.at(EmissionLine::OIII));
        QCOMPARE(channel(all, "G").lines.at(EmissionLine::SII), 0.0);
    }

    // Low-pressure sodium is one line at 589 nm: a filter that leaves that out leaves all of it out, and one that holds it takes it whole.
    void lampsAreJudgedByTheirLight() {
        const Camera& mono = typicalCamera("mono-clear");
        QVERIFY(systemResponse(boxOf(495, 506), mono)[0].sky.at("low-pressure sodium") < 1e-4);
        QVERIFY(std::abs(systemResponse(boxOf(580, 600), mono)[0].sky.at("low-pressure sodium") - 0.9) < 0.06); // a few per cent of it shine at 819 nm
        QVERIFY(systemResponse(boxOf(495, 506), mono)[0].sky.at("LED 4000 K") > 0.002);
    }

    void infraredIsCountedAndWarnedOf() {
        const Camera &clear = typicalCamera("mono-clear"), &cut = typicalCamera("colour-cut");
        const auto open = systemResponse({}, clear), stopped = systemResponse({}, cut);
        QVERIFY(open[0].nearInfrared > 0.2 && open[0].nearInfrared < 0.6);
        for (const SystemChannel& c : stopped) QVERIFY(c.nearInfrared < 0.03);
        QVERIFY(!systemWarnings(open, clear, {}).empty());
        QVERIFY(systemWarnings(stopped, cut, {}).empty());
    }

    void aCameraThatCannotSeeTheLineIsNamed() {
        const Curve hydrogen = boxOf(653, 660);
        const Camera& still = typicalCamera("still");
        const auto said = systemWarnings(systemResponse(hydrogen, still), still, hydrogen);
        QVERIFY(!said.empty() && said.front().find("Ha") != std::string::npos);
    }

    // One band for each of two channels: each sees the same colour of every star in it, so that the index is a straight line of known slope: narrow bands at
    // 450 and 650 nm against the camera's own wide ones. Narrow bands lie further apart in colour than wide ones overlapping.
    void coloursFollowFromTheBands() {
        Curve two{{300, 449, 450, 460, 461, 645, 646, 656, 657, 1100}, {0, 0, 0.9, 0.9, 0, 0, 0.9, 0.9, 0, 0}};
        const auto slopes = predictColours(two, typicalCamera("colour-cut"));
        QCOMPARE(slopes.size(), std::size_t{3});
        QVERIFY(*slopes[0].slope > 1.0 && *slopes[0].slope < 1.5);
        const auto dark = predictColours(boxOf(653, 660), typicalCamera("colour-cut"));
        QVERIFY(dark[0].slope.has_value());      // blue sites see a little of the red band
        QVERIFY(std::abs(*dark[0].slope) < 0.1); // and then the same light: no colour is left
        QVERIFY(predictColours(two, typicalCamera("mono-clear")).empty());
    }
};

QTEST_GUILESS_MAIN(SystemResponseTest)
#include "system_response_test.moc"

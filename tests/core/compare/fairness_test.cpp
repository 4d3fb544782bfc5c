#include "core/compare/evidence.h"
#include "core/compare/fairness.h"

#include <QTest>

#include <algorithm>
#include <cmath>
#include <functional>

using namespace caelumen;

namespace {

RunConditions plain(const char* run) {
    RunConditions c;
    c.run = run;
    c.sub_exposure_s = 180;
    c.sub_count = 20;
    c.total_s = 3600;
    c.gain_e_per_adu = 0.8;
    c.scale_arcsec = 1.6;
    c.sensor_temperature_c = -10;
    c.start = "2026-06-20T18:00:00Z";
    c.camera = "cam";
    c.combine = "mean";
    c.sky = SkyMoment{};
    c.sky->moon.alt_deg = 30;
    c.sky->moonIlluminated = 0.5;
    c.sky->target = Horizontal{60, 100};
    c.sky->airmass = 1.15;
    c.sky->twilight = "night";
    return c;
}

std::vector<Unfairness> judged(const std::function<void(RunConditions&)>& change) {
    TrialResults r;
    r.baseline = "A";
    r.conditions = {plain("A"), plain("B")};
    change(r.conditions[1]);
    r.evidence = std::make_shared<const std::vector<RunEvidence>>();
    return judgeFairness({}, r);
}

const Unfairness* of(const std::vector<Unfairness>& list, const char* subject) {
    const auto it = std::find_if(list.begin(), list.end(), [&](const Unfairness& u) { return u.subject == subject; });
    return it == list.end() ? nullptr : &*it;
}

/// A star image of FWHM 3 whose profile is known out to 14 pixels.
Psf starImage(const std::function<double(double)>& light) {
    Psf psf;
    psf.fwhm = 3;
    psf.stars = 20;
    psf.unit.amplitude = light(0);
    psf.unit.beta = 3.2;
    psf.unit.cxx = psf.unit.cyy = std::pow(2 * std::sqrt(std::pow(2, 1 / 3.2) - 1) / 3, 2);
    for (int r = 0; r <= 14; ++r) psf.wings.push_back(light(r));
    return psf;
}

/// Light per pixel of a round Moffat of flux 1.
double moffat(double r, double fwhm, double beta) {
    const double a2 = fwhm * fwhm / 4 / (std::pow(2, 1 / beta) - 1);
    return (beta - 1) / (M_PI * a2) * std::pow(1 + r * r / a2, -beta);
}

/// What is said about run B, whose stars have this profile, against a baseline with plain Moffat stars.
std::vector<Unfairness> judgedStars(const std::function<double(double)>& light) {
    TrialResults r;
    r.baseline = "A";
    r.conditions = {plain("A"), plain("B")};
    std::vector<RunEvidence> evidence(2);
    for (std::size_t i = 0; i < 2; ++i) {
        evidence[i].run = i == 0 ? "A" : "B";
        PlaneHarvest plane;
        plane.channel = "G";
        plane.stars.psf = i == 0 ? starImage([](double x) { return moffat(x, 3, 3.2); }) : starImage(light);
        evidence[i].planes.push_back(plane);
    }
    r.evidence = std::make_shared<const std::vector<RunEvidence>>(std::move(evidence));
    return judgeFairness({}, r);
}

} // namespace

class FairnessTest : public QObject {
    Q_OBJECT

private slots:
    void equalRunsAreFair() {
        QVERIFY(judged([](RunConditions&) {}).empty());
    }

    /// A target that stood higher looked through less air, not more.
    void sentencesFollowTheSign() {
        const auto lower = judged([](RunConditions&c) { c.sky->target->alt_deg = 22, c.sky->airmass = 2.6; }),
                   higher = judged([](RunConditions&c) { c.sky->target->alt_deg = 85, c.sky->airmass = 1.004; });
        QVERIFY(of(lower, "altitude") && of(lower, "altitude")->text.find("more air") != std::string::npos);
        QVERIFY(of(higher, "altitude") && of(higher, "altitude")->text.find("less air") != std::string::npos);
    }

    /// Where all runs of a night were judged on one scale, thinner air than the baseline's is told, as far as its error allows.
    void theAirOfTheNightCounts() {
        const auto told = [](double mine, double base, double sigma, bool sameNight = true) {
            TrialResults r;
            r.baseline = "A";
            r.conditions = {plain("A"), plain("B")};
            r.conditions[0].night_transparency = base, r.conditions[1].night_transparency = mine, r.conditions[1].night_transparency_sigma = sigma;
            if (!sameNight) r.conditions[1].start = "2026-06-24T18:00:00Z";
            r.evidence = std::make_shared<const std::vector<RunEvidence>>();
            const auto all = judgeFairness({}, r);
            const Unfairness* u = of(all, "transparency");
            return u ? std::optional(*u) : std::nullopt;
        };
        QVERIFY(!told(0.97, 0.98, 0.01));
        QVERIFY(!told(0.90, 0.98, 0.06));        // within its error
        QVERIFY(!told(0.70, 0.98, 0.01, false)); // scales of two nights tell nothing
        const auto veiled = told(0.88, 0.98, 0.01), thick = told(0.75, 0.98, 0.01), clearer = told(0.98, 0.90, 0.01);
        QVERIFY(veiled && veiled->grade == Grade::Weakens && veiled->text.find("10 % less") != std::string::npos);
        QVERIFY(thick && thick->grade == Grade::Voids);
        QVERIFY(clearer && clearer->text.find("9 % more") != std::string::npos);
    }

    void everyDifferenceIsFoundAndGraded() {
        const auto check = [](const char* subject, Grade grade, const std::function<void(RunConditions&)>& change) {
            const auto list = judged(change);
            const Unfairness* u = of(list, subject);
            QVERIFY2(u, subject);
            QVERIFY2(u->grade == grade, qPrintable(QString("%1: %2").arg(subject, QString::fromStdString(u->text))));
            QVERIFY(!u->quantities.empty() && u->text.ends_with('.'));
        };
        check("exposure", Grade::Note, [](RunConditions& c) { c.sub_exposure_s = 120; });
        check("exposure", Grade::Weakens, [](RunConditions& c) { c.sub_exposure_s = 20; });
        check("exposure", Grade::Voids, [](RunConditions& c) { c.sub_exposure_s.reset(); });
        check("sub_count", Grade::Note, [](RunConditions& c) { c.sub_count = 15; });
        check("sub_count", Grade::Weakens, [](RunConditions& c) { c.sub_count.reset(); });
        check("gain", Grade::Note, [](RunConditions& c) { c.gain_e_per_adu = 0.25; });
        check("gain", Grade::Weakens, [](RunConditions& c) { c.gainAssumed = true; });
        check("temperature", Grade::Note, [](RunConditions& c) { c.sensor_temperature_c = -13; });
        check("temperature", Grade::Weakens, [](RunConditions& c) { c.sensor_temperature_c = 5; });
        check("night", Grade::Weakens, [](RunConditions& c) { c.start = "2026-06-22T18:00:00Z"; });
        check("night", Grade::Note, [](RunConditions& c) { c.start.clear(); });
        check("moon", Grade::Weakens, [](RunConditions& c) { c.sky->moon.alt_deg = -5; });
        check("moon", Grade::Note, [](RunConditions& c) { c.sky->moon.alt_deg = 45; });
        check("altitude", Grade::Note, [](RunConditions& c) { c.sky->target->alt_deg = 48, c.sky->airmass = 1.35; });
        check("altitude", Grade::Weakens, [](RunConditions& c) { c.sky->target->alt_deg = 22, c.sky->airmass = 2.6; });
        check("camera", Grade::Weakens, [](RunConditions& c) { c.camera = "other"; });
        check("optics", Grade::Weakens, [](RunConditions& c) { c.scale_arcsec = 2.1; });
        check("stacking", Grade::Note, [](RunConditions& c) { c.combine = "median"; });
        check("offset", Grade::Voids, [](RunConditions& c) { c.flags = {"pedestal-unknown"}; });
        check("calibration", Grade::Note, [](RunConditions& c) { c.conflicts = {"gain: the header says 1, the trial 2"}; });
    }

    // Fog throws light into a glow of many FWHM; the wings of another seeing (a smaller beta) hold as much, but nearer.
    void hazeIsToldFromSeeing() {
        const auto fog = [](double part) { return [part](double r) { return (1 - part) * moffat(r, 3, 3.2) + part * moffat(r, 42, 1.5); }; };
        QVERIFY(!of(judgedStars(fog(0)), "haze"));
        QVERIFY(!of(judgedStars(fog(0.02)), "haze"));
        QVERIFY(of(judgedStars(fog(0.1)), "haze")->grade == Grade::Weakens);
        QVERIFY(of(judgedStars(fog(0.25)), "haze")->grade == Grade::Voids);
        QVERIFY(!of(judgedStars([](double r) { return moffat(r, 3, 2.5); }), "haze"));
        QVERIFY(!of(judgedStars([](double r) { return moffat(r, 3, 4.5); }), "haze"));
    }

    void worstComesFirst() {
        const auto list = judged([](RunConditions& c) {
            c.sub_exposure_s = 120;
            c.flags = {"pedestal-unknown"};
            c.camera = "other";
        });
        QVERIFY(list.size() >= 3);
        for (std::size_t i = 1; i < list.size(); ++i) QVERIFY(static_cast<int>(list[i - 1].grade) >= static_cast<int>(list[i].grade));
    }

    void whatIsAllowedForIsSaid() {
        QVERIFY(of(judged([](RunConditions& c) { c.sub_exposure_s = 120; }), "exposure")->normalised);
        const auto list = judged([](RunConditions& c) { c.camera = "other"; });
        QVERIFY(!of(list, "camera")->normalised);
    }
};

QTEST_GUILESS_MAIN(FairnessTest)
#include "fairness_test.moc"

#include "core/base/json.h"
#include "core/grid/contour.h"
#include "core/grid/grid_out.h"
#include "core/grid/predicted.h"
#include "core/optics/light_cone.h"
#include "core/simulate/demo.h"

#include <QTest>

#include <cmath>
#include <set>

using namespace caelumen;

namespace {

constexpr double kGain = 0.88; ///< of electrons over those of clear optics

/// Runs whose figures are the model's own, so that everything it finds can be known.
struct Exact {
    GridInput in;

    explicit Exact(const std::vector<std::string>& ids = {"open", "duo7", "veldglow", "ember"}) {
        in.camera = typicalCameras().front();
        in.baseline = "open";
        in.rig.aperture_mm = 84, in.rig.focal_mm = 420;
        for (const SceneFilter& f : demoFilters())
            if (std::find(ids.begin(), ids.end(), f.id) != ids.end())
                in.filters.push_back({f.id, f.name, GridSource::Curve, gridChannels(ConeShift({5, 0, 1.8, 0}).apply(f.curve, 0.5), in.camera)});
    }

    std::size_t place(const char* name, int bortle, std::optional<LampMix> lamps = {}) {
        GridSite s;
        s.name = s.site.name = name;
        s.site.bortle = bortle, s.site.lamps = lamps;
        s.stated_mag = bortleBrightness(bortle), s.statedSigma = 0.3;
        in.sites.push_back(s);
        return in.sites.size() - 1;
    }

    GridRun& run(std::size_t site, const char* filter, const LampMix& lamps, std::optional<GridMoon> moon = {}, double brighter = 1) {
        GridRun r;
        r.trial = in.sites[site].name + ".json", r.run = filter, r.filter = filter, r.baseline = r.filter == "open", r.against = "open";
        r.site = site, r.rig = in.rig;
        r.sky = skyOfClass(*in.sites[site].site.bortle, moon);
        const GridFilter *f = in.filter(filter), *open = in.filter("open");
        for (const GridChannel& c : f->channels) {
            const auto sum = [&](const GridChannel& x) {
                double all = 0;
                for (const double p : backgroundParts(x, *r.sky, sharesOf(lamps), in.rig)) all += kGain * p;
                return all;
            };
            const double read = in.rig.readNoise_e * in.rig.readNoise_e / r.exposure_s, b = sum(c);
            r.background[c.name] = {brighter * b, 0.004 * b};
            const auto k = static_cast<std::size_t>(TargetKind::Emission);
            const double t = c.signal[k] / open->channel(c.name)->signal[k];
            if (r.baseline || t < 0.05) continue;
            r.throughput[c.name] = {t, 0.03 * t};
            const double ratio = t * t * (sum(*open->channel(c.name)) + read) / (b + read);
            r.timeRatio[c.name] = {ratio, 0.1 * ratio};
        }
        in.runs.push_back(std::move(r));
        return in.runs.back();
    }
};

GridCell cellOf(const GridModel& model, const char* filter, const GridSky& sky, GridQuestion q = {}) {
    return gridCell(model, q, *model.input().filter(filter), sky);
}

const LampMix kTown{0.6, 0.1, 0.05, 0.15, 0.1};

} // namespace

class GridTest : public QObject {
    Q_OBJECT

private slots:
    void whatWasMeasuredStaysAsItWas() {
        Exact e;
        const auto garden = e.place("garden", 5);
        e.run(garden, "open", kTown);
        const GridFigure figure = e.run(garden, "duo7", kTown).timeRatio.at("R");
        const GridModel model(e.in);
        const GridCell here = cellOf(model, "duo7", skyOfClass(5, std::nullopt));
        QCOMPARE(here.origin, CellOrigin::Measured);
        QCOMPARE(here.channel, std::string("R"));
        QCOMPARE(here.value, figure.value);
        QVERIFY(here.sigma >= figure.sigma && here.modelSigma > 0);
        QVERIFY(std::abs(here.sigma - std::hypot(figure.sigma, here.modelSigma)) < 1e-9 * here.sigma);
        QCOMPARE(here.runs.size(), std::size_t(1));
        QVERIFY(here.background.size() == 3);
        // Another class, or a moon, is another cell.
        QCOMPARE(cellOf(model, "duo7", skyOfClass(7, std::nullopt)).origin, CellOrigin::Scaled);
        QCOMPARE(cellOf(model, "duo7", skyOfClass(5, GridMoon{1, 50, 40})).origin, CellOrigin::Scaled);
        QCOMPARE(cellOf(model, "veldglow", skyOfClass(5, std::nullopt)).origin, CellOrigin::Modelled);
        const GridCell none = cellOf(model, "open", skyOfClass(5, std::nullopt));
        QVERIFY(none.origin == CellOrigin::Measured && none.value == 1 && none.sigma == 0);
    }

    void aMoonThatBrightensNothingIsNone() {
        Exact e;
        const auto garden = e.place("garden", 5);
        e.run(garden, "open", kTown, GridMoon{0.03, 10, 100});
        e.run(garden, "duo7", kTown, GridMoon{0.03, 10, 100});
        const GridModel model(e.in);
        QCOMPARE(cellOf(model, "duo7", skyOfClass(5, std::nullopt)).origin, CellOrigin::Measured);
    }

    void scaledCellsFollowTheModel() {
        Exact e;
        const auto garden = e.place("garden", 5, kTown);
        e.run(garden, "open", kTown);
        const double here = e.run(garden, "duo7", kTown).timeRatio.at("R").value;
        GridModel model(e.in);
        model.setLamps(kTown);
        double last = 0;
        for (int b = 2; b <= 8; ++b) {
            const GridCell c = cellOf(model, "duo7", skyOfClass(b, std::nullopt));
            QVERIFY(c.value > last); // a dual-band filter gains with the town's light
            last = c.value;
            if (b == 5) QVERIFY(std::abs(c.value / here - 1) < 1e-9);
            if (b != 5) QVERIFY(c.origin == CellOrigin::Scaled && c.modelSigma > 0 && c.sigma > c.modelSigma);
        }
        // The moon costs a narrow filter less of its hour than it costs none.
        const GridSky full = skyOfClass(5, GridMoon{1, 45, 60});
        const GridCell with = cellOf(model, "duo7", full), without = cellOf(model, "open", full);
        QVERIFY(with.minutesOfDark && without.minutesOfDark);
        QVERIFY(with.minutesOfDark->value < 60 && without.minutesOfDark->value < 60 && without.minutesOfDark->value > 1);
        QVERIFY(!cellOf(model, "duo7", skyOfClass(5, std::nullopt)).minutesOfDark);
    }

    void moonlightThatWasSeenToPassCounts() {
        Exact e;
        const auto garden = e.place("garden", 5, kTown);
        e.run(garden, "open", kTown);
        GridRun& run = e.run(garden, "duo7", kTown);
        const GridSky full = skyOfClass(5, GridMoon{1, 45, 60});
        const double curve = cellOf(GridModel(e.in), "duo7", full).value;
        const auto moon = static_cast<std::size_t>(SkySource::Moon);
        const double part = e.in.filter("duo7")->channel("R")->sky[moon] / e.in.filter("open")->channel("R")->sky[moon];
        run.moonRejection["R"] = {2 * part, 0.05 * part}; // it leaks
        const GridModel model(e.in);
        QVERIFY(cellOf(model, "duo7", full).value < 0.9 * curve);
        QVERIFY(
            std::any_of(model.input().notes.begin(), model.input().notes.end(), [](const std::string& n) { return n.find("moonlight") != std::string::npos; }));
        // Without moon nothing changes.
        run.moonRejection.clear();
        QVERIFY(std::abs(cellOf(model, "duo7", skyOfClass(5, std::nullopt)).value / cellOf(GridModel(e.in), "duo7", skyOfClass(5, std::nullopt)).value - 1) <
                1e-9);
    }

    void otherLightIsNeverSaidToBeMeasured() {
        Exact e;
        const auto garden = e.place("garden", 5);
        e.run(garden, "open", kTown);
        e.run(garden, "duo7", kTown);
        e.run(garden, "ember", kTown);
        const GridModel model(e.in);
        GridQuestion q;
        q.kind = TargetKind::Galaxy;
        const GridCell galaxy = cellOf(model, "duo7", skyOfClass(5, std::nullopt), q);
        QVERIFY(galaxy.origin == CellOrigin::Scaled && galaxy.value < 1);
        const GridCell hydrogen = cellOf(model, "ember", skyOfClass(5, std::nullopt));
        QCOMPARE(hydrogen.origin, CellOrigin::Empty);
        QVERIFY(hydrogen.reason.find("passes no more than") != std::string::npos);
        q.kind = TargetKind::Sulphur;
        QVERIFY(cellOf(model, "ember", skyOfClass(5, std::nullopt), q).value > 1);
    }

    void emptyCellsSayWhy() {
        Exact e;
        const auto garden = e.place("garden", 5);
        e.run(garden, "open", kTown);
        GridRun& foggy = e.run(garden, "duo7", kTown);
        foggy.timeRatio.clear(), foggy.voided["time_ratio"] = "fog came up";
        e.in.filters.push_back({"secret", "Secret", GridSource::Nothing, {}});
        GridModel model(e.in);
        const GridCell voided = cellOf(model, "duo7", skyOfClass(5, std::nullopt));
        QCOMPARE(voided.origin, CellOrigin::Modelled);
        QVERIFY(voided.notes.size() == 1 && voided.notes[0].find("fog came up") != std::string::npos);
        const GridCell secret = cellOf(model, "secret", skyOfClass(5, std::nullopt));
        QCOMPARE(secret.origin, CellOrigin::Empty);
        QVERIFY(secret.reason.find("no curve") != std::string::npos);
        GridQuestion q;
        q.quantity = GridQuantity::HaloCleanMag;
        QVERIFY(cellOf(model, "duo7", skyOfClass(5, std::nullopt), q).reason.find("halo") != std::string::npos);

        // A run of a filter without a curve still fills its own cell, and no other.
        GridRun r = e.in.runs[1];
        r.filter = r.run = "secret", r.voided.clear(), r.timeRatio = {{"R", {9, 1}}};
        e.in.runs.push_back(r);
        model = GridModel(e.in);
        const GridCell own = cellOf(model, "secret", skyOfClass(5, std::nullopt));
        QVERIFY(own.origin == CellOrigin::Measured && std::abs(own.value - 9) < 1e-9);
        QCOMPARE(cellOf(model, "secret", skyOfClass(6, std::nullopt)).origin, CellOrigin::Empty);
        e.in.runs.back().sky.reset(), e.in.runs.back().whyNoSky = "its time is not known";
        QVERIFY(cellOf(GridModel(e.in), "secret", skyOfClass(5, std::nullopt)).reason.find("its time is not known") != std::string::npos);
    }

    void filtersWithoutCurvesAreTakenForWhatTheyAre() {
        GridTrial t;
        t.name = "t.json";
        t.trial.site.bortle = 5;
        Filter cut, bare, claimed, unknown;
        cut.id = cut.name = "cut", cut.kind = "uv-ir-cut";
        bare.id = bare.name = "bare", bare.kind = "none";
        claimed.id = claimed.name = "duo", claimed.kind = "dual-band", claimed.claims = {{500.7, 7, 0.9}, {656.3, 7, 0.9}};
        unknown.id = unknown.name = "what", unknown.kind = "other";
        t.trial.filters = {cut, bare, claimed, unknown};
        Run run;
        run.id = "A", run.filter = "cut", run.baseline = true;
        t.trial.runs = {run};
        auto results = std::make_shared<TrialResults>();
        results->baseline = "A";
        t.results = results;
        const auto input = gridInput({t}, {});
        QVERIFY(input.ok());
        QVERIFY(input->filter("cut")->source == GridSource::Claims && !input->filter("cut")->channels.empty());
        QVERIFY(input->filter("bare")->source == GridSource::NoFilter && !input->filter("bare")->channels.empty());
        QVERIFY(input->filter("duo")->source == GridSource::Claims && input->filter("what")->channels.empty());
        QCOMPARE(input->filters.front().id, std::string("cut")); // the baseline first
        const auto said = [&](const char* words) {
            return std::any_of(input->notes.begin(), input->notes.end(), [&](const std::string& n) { return n.find(words) != std::string::npos; });
        };
        QVERIFY(said("usual UV/IR cut") && said("claims alone") && said("No camera is named"));
        // A lone curve may not be taken for one of them; trials may not be missing.
        QVERIFY(!gridInput({t}, {{"duo", "duo", {{400, 700}, {1, 1}}}}).ok() && !gridInput({}, {}).ok());
    }

    void theSiteIsFound() {
        Exact e;
        const LampMix leds{0.05, 0, 0.05, 0.3, 0.6};
        const auto roof = e.place("roof", 8);
        for (const char* id : {"open", "duo7", "veldglow", "ember"}) e.run(roof, id, leds);
        const GridModel model(e.in);
        const SiteFit& fit = model.sites()[0];
        QVERIFY(fit.fitted && fit.residuals.size() == 12);
        QVERIFY2(std::abs(fit.sky_mag - bortleBrightness(8)) < fit.sky_mag_sigma, qPrintable(QString::number(fit.sky_mag)));
        QVERIFY(fit.sky_mag_sigma < 0.3);
        QVERIFY2(fit.shares[3] + fit.shares[4] > 0.7, qPrintable(QString::number(fit.shares[3] + fit.shares[4]))); // the stated mix knew of none
        for (const SkyResidual& r : fit.residuals) QVERIFY2(std::abs(r.ln()) < 0.35, qPrintable(QString::number(r.ln())));
        QVERIFY(fit.brighter.empty());
    }

    void aLeakIsToldFromHaze() {
        const auto judged = [](bool leak) {
            Exact e;
            const auto garden = e.place("garden", 5, kTown);
            for (const char* id : {"open", "veldglow", "ember"}) e.run(garden, id, kTown);
            GridRun& odd = e.run(garden, "duo7", kTown, {}, leak ? 1 : 2);
            const GridFilter *f = e.in.filter("duo7"), *open = e.in.filter("open");
            const auto stars = static_cast<std::size_t>(TargetKind::Stars);
            for (auto& [name, figure] : odd.background) {
                const double t = f->channel(name)->signal[stars] / open->channel(name)->signal[stars];
                odd.starThroughput[name] = {(leak ? t + 0.05 : 0.6 * t), 0.01};
                if (leak) figure.value += 0.05 * e.in.runs[0].background[name].value;
            }
            return GridModel(e.in).sites()[0].brighter;
        };
        const auto leak = judged(true), haze = judged(false);
        QVERIFY(leak.size() == 1 && haze.size() == 1);
        QVERIFY2(leak[0].pLeak > 0.8 && leak[0].text.find("leak") != std::string::npos, leak[0].text.c_str());
        QVERIFY2(haze[0].pLeak < 0.2 && haze[0].text.find("hazy") != std::string::npos, haze[0].text.c_str());
        QVERIFY2(std::abs(leak[0].leak - 0.05) < 0.025, leak[0].text.c_str());
    }

    void whatShouldNotChangeDoesNot() {
        Exact e;
        const auto garden = e.place("garden", 5), roof = e.place("roof", 8);
        for (const auto site : {garden, roof})
            for (const char* id : {"open", "duo7", "veldglow"}) e.run(site, id, kTown);
        Exact turned({"open", "duo7", "veldglow", "ember"});
        turned.in = e.in;
        std::reverse(turned.in.runs.begin(), turned.in.runs.end());
        const GridModel a(e.in), b(turned.in);
        for (int bortle = 2; bortle <= 9; ++bortle)
            for (const char* id : {"duo7", "veldglow", "ember"}) {
                GridQuestion q;
                if (std::string(id) == "ember") q.kind = TargetKind::Oxygen;
                const GridCell x = cellOf(a, id, skyOfClass(bortle, std::nullopt), q), y = cellOf(b, id, skyOfClass(bortle, std::nullopt), q);
                QCOMPARE(x.origin, y.origin);
                QVERIFY(std::abs(x.value / y.value - 1) < 1e-6 && std::abs(x.sigma / y.sigma - 1) < 1e-6);
            }
        // Twice the telescope: four times the light, the same time ratio.
        Exact large = e;
        large.in.rig.aperture_mm *= 2, large.in.rig.focal_mm *= 2, large.in.rig.pixel_um *= 2, large.in.rig.readNoise_e = 0;
        Exact small = e;
        small.in.rig.readNoise_e = 0;
        const GridCell x = cellOf(GridModel(large.in), "veldglow", skyOfClass(3, std::nullopt)),
                       y = cellOf(GridModel(small.in), "veldglow", skyOfClass(3, std::nullopt));
        QVERIFY(std::abs(x.value / y.value - 1) < 1e-9);
        QVERIFY(std::abs(x.background.at("R") / y.background.at("R") / 4 - 1) < 1e-6);
    }

    void otherFiguresAreMadeOfTheBackground() {
        Exact e;
        const auto garden = e.place("garden", 5, kTown);
        e.run(garden, "open", kTown);
        e.run(garden, "duo7", kTown);
        const GridModel model(e.in);
        const GridSky sky = skyOfClass(5, std::nullopt);
        const auto value = [&](const char* filter, GridQuantity quantity, std::optional<double> brightness = {}) {
            GridQuestion q;
            q.quantity = quantity, q.brightness = brightness;
            return cellOf(model, filter, sky, q);
        };
        QVERIFY(value("duo7", GridQuantity::Background).origin == CellOrigin::Measured);
        QVERIFY(value("duo7", GridQuantity::Contrast).value > 5 * value("open", GridQuantity::Contrast).value);
        // Twice as faint takes four times as long; hours and time ratio tell the same.
        const double five = value("duo7", GridQuantity::Hours, 5).value, ten = value("duo7", GridQuantity::Hours, 10).value;
        QVERIFY(std::abs(five / ten - 4) < 1e-9);
        const double hours = value("open", GridQuantity::Hours).value / value("duo7", GridQuantity::Hours).value;
        QVERIFY2(std::abs(hours / value("duo7", GridQuantity::TimeRatio).value - 1) < 0.05, qPrintable(QString::number(hours)));
        const GridCell length = value("duo7", GridQuantity::SubLength);
        QVERIFY(length.histogram_s && length.histogram_s->second > length.histogram_s->first && length.value > value("open", GridQuantity::SubLength).value);
    }

    void frontiersAndWhatToMeasureNext() {
        Exact e;
        const auto garden = e.place("garden", 5, kTown);
        e.run(garden, "open", kTown);
        e.run(garden, "duo7", kTown);
        const GridModel model(e.in);
        const auto borders = frontiers(model, std::nullopt);
        QCOMPARE(borders.size(), kTargetKinds.size());
        QVERIFY2(borders[0].text.find("beats") != std::string::npos && borders[0].filter == "duo7", borders[0].text.c_str());
        QVERIFY2(borders[3].text.find("galaxies") != std::string::npos, borders[3].text.c_str());
        // What a border says holds in every cell beyond it, and not in the one before.
        for (const Frontier& f : borders) {
            GridQuestion there;
            there.kind = f.kind;
            int first = 10;
            bool broken = false;
            std::set<std::string> always;
            for (int b = 9; b >= 1; --b) {
                std::set<std::string> sure;
                for (const GridFilter& filter : model.input().filters) {
                    const GridCell c = gridCell(model, there, filter, skyOfClass(b, std::nullopt));
                    if (filter.id != "open" && c.origin != CellOrigin::Empty && std::log(c.value) > 1.645 * c.sigma / c.value) sure.insert(filter.id);
                }
                broken = broken || (!sure.empty() && first != b + 1);
                if (sure.empty() || first != b + 1) continue;
                std::set<std::string> still;
                for (const std::string& id : sure)
                    if (b == 9 || always.count(id)) still.insert(id);
                always = still, first = b;
            }
            QCOMPARE(f.filter.empty(), first == 10);
            QCOMPARE(f.from_mag.has_value(), first > 1 && first < 10);
            if (f.from_mag) QVERIFY(*f.from_mag > bortleBrightness(first) && *f.from_mag < bortleBrightness(first - 1));
            if (!f.filter.empty()) QVERIFY2(always.empty() || always.count(f.filter), f.text.c_str());
            QCOMPARE(f.text.find("not the same one") != std::string::npos, first < 10 && always.empty() && !broken);
            if (broken) QVERIFY2(f.text.find("othing") == std::string::npos, f.text.c_str()); // it is not "nothing" under darker skies
        }
        GridQuestion q;
        for (int b = 3; b <= 8; ++b) q.skies.push_back(skyOfClass(b, std::nullopt));
        const auto next = nextMeasurements(model, q);
        QVERIFY(!next.empty());
        QVERIFY2(next[0].filter == "veldglow", next[0].text.c_str()); // the other one is known
        QVERIFY(next[0].gain > 0 && next[0].hours > 0);
        for (std::size_t i = 1; i < next.size(); ++i) QVERIFY(next[i].gain <= next[i - 1].gain);
    }

    void contoursLieWhereTheValueIs() {
        ValueGrid cone{21, 21, {}};
        for (int y = 0; y < 21; ++y)
            for (int x = 0; x < 21; ++x) cone.values.push_back(std::hypot(x - 10, y - 10));
        const auto pieces = contour(cone, 6);
        QVERIFY(pieces.size() > 20);
        double length = 0;
        for (const ContourPiece& c : pieces) {
            for (const Point& p : {c.from, c.to}) QVERIFY(std::abs(std::hypot(p.x - 10, p.y - 10) - 6) < 0.05);
            length += std::hypot(c.to.x - c.from.x, c.to.y - c.from.y);
        }
        QVERIFY(std::abs(length / (2 * M_PI * 6) - 1) < 0.02); // closed, each piece once
        cone.values[10 * 21 + 16] = NAN;                       // a hole ends the line there
        QVERIFY(contour(cone, 6).size() < pieces.size());
        QVERIFY(contour(cone, 100).empty());
    }

    void predictedPicturesShowWhatTheGridSays() {
        Exact e;
        const auto garden = e.place("garden", 5, kTown);
        e.run(garden, "open", kTown);
        e.run(garden, "duo7", kTown);
        const GridModel model(e.in);
        PictureWish wish;
        wish.sky = skyOfClass(5, std::nullopt);
        wish.width = 120, wish.height = 90;
        const auto two = predictPictures(model, "duo7", wish), again = predictPictures(model, "duo7", wish);
        QVERIFY(two && again && (*two)[1].pixels.size() == 120 * 90);
        QVERIFY((*two)[1].pixels == (*again)[1].pixels && (*two)[0].pixels != (*two)[1].pixels);
        // The square of their signals to noise is the time ratio of the cell.
        const double ratio = std::pow((*two)[1].snr / (*two)[0].snr, 2), cell = cellOf(model, "duo7", wish.sky).value;
        QVERIFY2(std::abs(ratio / cell - 1) < 0.15, qPrintable(QString("%1 %2").arg(ratio).arg(cell)));
        // Sky without nebula is quieter with the filter.
        const auto scatter = [](const PredictedPicture& p) {
            double sum = 0, sum2 = 0;
            for (int y = 0; y < 12; ++y)
                for (int x = 0; x < 12; ++x) {
                    const double r = p.pixels[static_cast<std::size_t>(y * p.width + x)] >> 16 & 0xff;
                    sum += r, sum2 += r * r;
                }
            return std::sqrt(sum2 / 144 - sum / 144 * sum / 144);
        };
        QVERIFY(scatter((*two)[1]) < 0.7 * scatter((*two)[0]));
        wish.hours = 50;
        QVERIFY(std::abs((*predictPictures(model, "duo7", wish))[1].snr / (*two)[1].snr - 5) < 1e-6);
        wish.kind = TargetKind::Sulphur;
        QVERIFY(!predictPictures(model, "duo7", wish) && !predictPictures(model, "nobody", wish));
        for (const TargetKind kind : {TargetKind::Galaxy, TargetKind::Reflection, TargetKind::Stars}) {
            wish.kind = kind;
            QVERIFY(predictPictures(model, "veldglow", wish));
        }
    }

    void jsonAndTableHoldTheSame() {
        Exact e;
        const auto garden = e.place("garden", 5);
        e.run(garden, "open", kTown);
        e.run(garden, "duo7", kTown);
        const GridModel model(e.in);
        GridQuestion q;
        q.skies = {skyOfClass(5, std::nullopt), skyOfClass(5, GridMoon{1, 45, 60})};
        const auto cells = gridCells(model, q);
        const Json j = gridToJson(model, q, cells, frontiers(model, std::nullopt));
        QCOMPARE(j["cells"].size(), e.in.filters.size() * 2);
        for (const Json& c : j["cells"]) {
            QVERIFY(c["origin"] == "empty" ? c["value"].is_null() && c.contains("reason") : c["value"].is_number() && c["sigma"].is_number());
            QVERIFY(c["bortle"] == 5 && (c["moon"].is_null() || c["moon"]["altitude_deg"] == 45));
        }
        QCOMPARE(j["sites"][0]["name"].get<std::string>(), std::string("garden"));
        double shares = 0;
        for (const auto& [name, share] : j["sites"][0]["lamps"].items()) shares += share.get<double>();
        QVERIFY(std::abs(shares - 1) < 0.03);
        const std::string table = gridToCsv(model, q, cells);
        QCOMPARE(std::count(table.begin(), table.end(), '\n'), static_cast<long>(cells.size()) + 1);
    }
};

QTEST_GUILESS_MAIN(GridTest)
#include "grid_test.moc"

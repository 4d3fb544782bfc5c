#include "core/base/json.h"
#include "core/verdict/old_new.h"
#include "core/verdict/run_merits.h"
#include "core/verdict/verdict.h"

#include <QTest>

#include <cmath>

using namespace caelumen;

namespace {

Measurement figure(const char* run, const char* quantity, const char* channel, double value, double sigma, std::vector<std::string> flags = {},
                   bool headline = true) {
    return {run,   run,   channel,          quantity, quantity == std::string("time_ratio") || quantity == std::string("throughput") ? "n1" : "",
            value, sigma, std::move(flags), headline, {}};
}

/// A trial whose figures are written by hand: no filter, a dual-band filter with a halo, a broad one.
GridTrial trial() {
    GridTrial t;
    t.name = "garden.json";
    t.trial.site.bortle = 5, t.trial.site.name = "garden";
    t.trial.target.name = "thing";
    t.trial.rig.focal_length_mm = 420, t.trial.rig.aperture_mm = 84, t.trial.rig.pixel_um = 3.76, t.trial.rig.read_noise_e = 1.6,
    t.trial.rig.gain_e_per_adu = 0.78, t.trial.rig.full_well_e = 50'000;
    Filter open{"open", "No filter", "none", {}, {}, false, {}, {}},
        duo{"duo", "Duo", "dual-band", {}, Price{200, 20, "EUR"}, false, {{500.7, 7, 0.92}, {656.3, 7, 0.92}}, {}},
        city{"city", "City", "light-pollution", {}, Price{100, 0, "USD"}, false, {{470, 110, 0.93}, {655, 64, 0.93}}, {}};
    t.trial.filters = {open, duo, city};
    auto results = std::make_shared<TrialResults>();
    results->baseline = "open";
    for (const char* id : {"open", "duo", "city"}) {
        Run r;
        r.id = r.filter = id, r.baseline = r.id == "open";
        t.trial.runs.push_back(r);
        RunConditions c;
        c.run = id, c.sub_exposure_s = 180, c.total_s = 3600;
        c.sky.emplace();
        c.sky->target = Horizontal{60, 0}, c.sky->moon.alt_deg = -30;
        results->conditions.push_back(c);
    }
    auto& m = results->measurements;
    for (const auto& [channel, open_, duo_, city_] : {std::tuple{"R", 1.0, 0.045, 0.3}, {"G", 1.3, 0.05, 0.25}, {"B", 0.9, 0.03, 0.4}}) {
        m.push_back(figure("open", "background", channel, open_, 0.005));
        m.push_back(figure("duo", "background", channel, duo_, 0.0005));
        m.push_back(figure("city", "background", channel, city_, 0.002));
    }
    m.push_back(figure("duo", "time_ratio", "R", 18, 2)), m.push_back(figure("duo", "throughput", "R", 0.92, 0.03));
    m.push_back(figure("city", "time_ratio", "R", 2.9, 0.3)), m.push_back(figure("city", "throughput", "R", 0.93, 0.03));
    m.push_back(figure("duo", "halo_flux_fraction", "B", 0.004, 0.0004));
    m.push_back(figure("city", "halo_flux_fraction", "B", 0.0006, 0.0002, {"upper-limit"}));
    for (const char* index : {"B-R", "B-G", "G-R"})
        m.push_back(figure("duo", "colour_slope", index, 0.4, 0.02)), m.push_back(figure("city", "colour_slope", index, 0.8, 0.02));
    m.push_back(figure("open", "gradient", "R", 0.2, 0.01)), m.push_back(figure("duo", "gradient", "R", 0.1, 0.01)),
        m.push_back(figure("city", "gradient", "R", 0.15, 0.01));
    t.results = results;
    return t;
}

TrialResults& resultsOf(GridTrial& t) {
    auto copy = std::make_shared<TrialResults>(*t.results);
    TrialResults& out = *copy;
    t.results = copy;
    return out;
}

Profile profile(const char* rest = "") {
    const std::string text =
        std::string(
            R"({"caelumen_profile": 1, "skies": [{"bortle": 5, "moon": "none", "share": 0.7}, {"bortle": 7, "moon": "half", "share": 0.3}], "kinds": {"emission": 0.8, "galaxy": 0.2},
        "weights": {"nebula": 3, "background": 1, "halo": 2, "star_colour": 1, "gradient": 1}, "owned": "city", "clear_hours_per_year": 160,
        "budget": {"amount": 150, "currency": "EUR"}, "rates": {"USD": 0.9})") +
        rest + "}";
    const auto p = profileFromText(text, "profile.json");
    return p ? *p : Profile{};
}

Verdict judged(const Profile& p, const std::vector<GridTrial>& trials) {
    const GridModel model(*gridInput(trials, {}));
    const auto v = judge(p, trials, model);
    return v ? *v : Verdict{};
}

const RankedFilter& of(const Verdict& v, const std::string& id) {
    return *std::find_if(v.ranking.begin(), v.ranking.end(), [&](const RankedFilter& f) { return f.id == id; });
}

} // namespace

class VerdictTest : public QObject {
    Q_OBJECT

private slots:
    void scoresCanBeSummedByHand() {
        const Profile p = profile();
        const Verdict v = judged(p, {trial()});
        QCOMPARE(v.ranking.size(), std::size_t(3));
        double chances = 0;
        for (const RankedFilter& f : v.ranking) {
            double score = 0, weights = 0;
            for (const Merit m : kMerits) {
                double sum = 0, shares = 0;
                for (const VerdictFigure& x : f.figures)
                    if (x.merit == m) sum += x.share * x.step, shares += x.share;
                score += p.weights[static_cast<std::size_t>(m)] * sum / shares, weights += p.weights[static_cast<std::size_t>(m)];
            }
            QVERIFY(std::abs(score / weights - f.score) < 1e-9);
            chances += f.pBest;
        }
        QVERIFY(std::abs(chances - 1) < 1e-9);
        const RankedFilter &open = of(v, "open"), &duo = of(v, "duo"), &city = of(v, "city");
        QVERIFY(open.score == 0 && open.sigma == 0);
        QVERIFY(duo.steps[0] > city.steps[0] && duo.steps[1] > city.steps[1]);
        // 0.4 % of a star's light in the halo, slopes 0.6 from one, half the gradient.
        QVERIFY(std::abs(duo.steps[2] + 2) < 1e-9 && std::abs(duo.steps[3] + 6) < 1e-9 && std::abs(duo.steps[4] - 2) < 1e-9);
        QVERIFY(city.steps[2] == 0 && city.stepSigmas[2] > 0); // a limit is no halo, as far as the star tells
        QVERIFY(std::is_sorted(v.ranking.begin(), v.ranking.end(), [](const RankedFilter& a, const RankedFilter& b) { return a.score > b.score; }));
    }

    void theSameTwice() {
        const Profile p = profile();
        QCOMPARE(jsonText(verdictToJson(p, judged(p, {trial()}))), jsonText(verdictToJson(p, judged(p, {trial()}))));
        // Filters in another order rank alike.
        GridTrial turned = trial();
        std::reverse(turned.trial.runs.begin(), turned.trial.runs.end());
        std::reverse(turned.trial.filters.begin(), turned.trial.filters.end());
        const Verdict a = judged(p, {trial()}), b = judged(p, {turned});
        for (std::size_t i = 0; i < a.ranking.size(); ++i) {
            QCOMPARE(a.ranking[i].id, b.ranking[i].id);
            QVERIFY(std::abs(a.ranking[i].score - b.ranking[i].score) < 1e-6 && std::abs(a.ranking[i].sigma - b.ranking[i].sigma) < 1e-6);
        }
    }

    void hoursAndPrices() {
        const Profile p = profile();
        const Verdict v = judged(p, {trial()});
        const auto value = [&](const char* id) { return *std::find_if(v.value.begin(), v.value.end(), [&](const FilterValue& x) { return x.id == id; }); };
        // H (1 - r_owned / r), by shares.
        double sum = 0;
        const auto &duo = of(v, "duo").figures, &city = of(v, "city").figures;
        for (std::size_t k = 0; k < duo.size(); ++k)
            if (duo[k].merit == Merit::Nebula) sum += duo[k].share * (1 - city[k].value / duo[k].value);
        QVERIFY(std::abs(value("duo").hoursSaved - 160 * sum) < 1e-9);
        QVERIFY(value("city").hoursSaved == 0 && value("city").sigma == 0);
        QCOMPARE(value("duo").price.value(), 220.0);
        QCOMPARE(value("city").price.value(), 90.0);
        QVERIFY(!value("open").price && !value("open").whyNoPrice.empty());
        QVERIFY(value("duo").beyondBudget && !value("city").beyondBudget);
        Profile without = p;
        without.rates.clear();
        const Verdict poor = judged(without, {trial()});
        for (const FilterValue& x : poor.value)
            if (x.id == "city") QVERIFY(!x.price && x.whyNoPrice.find("USD") != std::string::npos);
    }

    void noHoursForLightThatItDoesNotPass() {
        const char* text =
            R"({"caelumen_profile": 1, "skies": [{"bortle": 5}], "kinds": {"emission": 0.5, "sulphur": 0.5}, "weights": {"nebula": 1}, "clear_hours_per_year": 100})";
        const Profile p = *profileFromText(text, "p.json");
        const Verdict v = judged(p, {trial()});
        const auto value = *std::find_if(v.value.begin(), v.value.end(), [](const FilterValue& x) { return x.id == "duo"; });
        const auto& figures = of(v, "duo").figures; // a dual-band filter blocks sulphur
        const auto sulphur =
            std::find_if(figures.begin(), figures.end(), [](const VerdictFigure& f) { return f.merit == Merit::Nebula && f.kind == TargetKind::Sulphur; });
        QVERIFY(sulphur != figures.end());
        QVERIFY2(sulphur->value <= 0.01, qPrintable(QString::number(sulphur->value)));
        QCOMPARE(value.takenOut, 0.5);
        QVERIFY2(value.hoursSaved > 0 && value.hoursSaved < 50, qPrintable(QString::number(value.hoursSaved))); // of the half that it is used for
        bool said = false;
        for (const std::string& s : v.sentences) said |= s.find("no hours are counted") != std::string::npos;
        QVERIFY(said);
    }

    void forWhomAndForWhat() {
        const Verdict v = judged(profile(), {trial()});
        const auto about = [&](const std::string& name) {
            for (const std::string& s : v.sentences)
                if (s.rfind(name + ":", 0) == 0) return s;
            return std::string();
        };
        QVERIFY(v.sentences.front().find("at f/5.0") != std::string::npos);
        const std::string duo = about("Duo");
        QVERIFY2(duo.find("; for hydrogen in nebulae (") != std::string::npos, duo.c_str());
        QVERIFY2(duo.find("; not for galaxies (0.") != std::string::npos, duo.c_str());
        // What is not known is not claimed.
        GridTrial t = trial();
        std::erase_if(resultsOf(t).measurements, [](const Measurement& m) { return m.run == "duo" && m.quantity != "gradient"; });
        for (Filter& f : t.trial.filters)
            if (f.id == "duo") f.claims.clear();
        const Verdict blind = judged(profile(), {t});
        for (const std::string& s : blind.sentences) QVERIFY2(s.rfind("Duo:", 0) != 0 || s.find("times as fast") == std::string::npos, s.c_str());
    }

    void aSetIsNoWorseThanItsMembers() {
        GridTrial t = trial();
        for (Filter& f : t.trial.filters)
            if (f.id != "open") f.set = "Pair", f.set_size = 2, f.price = Price{300, 12, "EUR"};
        const Profile p = profile();
        const Verdict v = judged(p, {t});
        QCOMPARE(v.sets.size(), std::size_t(1));
        const SetValue& set = v.sets.front();
        QCOMPARE(set.members.size(), std::size_t(2));
        QCOMPARE(set.value.price.value(), 312.0); // the whole set
        const auto price = [&](const char* id) {
            return std::find_if(v.value.begin(), v.value.end(), [&](const FilterValue& x) { return x.id == id; })->price.value();
        };
        QCOMPARE(price("duo"), 156.0);
        // Whatever light: the better member is put in.
        double nebula = 0;
        const auto &duo = of(v, "duo").figures, &city = of(v, "city").figures;
        for (std::size_t k = 0; k < duo.size(); ++k)
            if (duo[k].merit == Merit::Nebula) nebula += duo[k].share * (1 - city[k].value / std::max(duo[k].value, city[k].value));
        QVERIFY2(std::abs(set.value.hoursSaved - 160 * nebula) < 1e-9, qPrintable(QString("%1 %2").arg(set.value.hoursSaved).arg(160 * nebula)));
        QVERIFY(set.moreHours >= 0);
        QVERIFY(judged(p, {trial()}).sets.empty()); // without a name there is no set
        const Json j = verdictToJson(p, v);
        QVERIFY(j["sets"].size() == 1 && j["sets"][0]["set"] == "Pair");
    }

    void oldAgainstNew() {
        GridTrial before = trial(), now = trial();
        before.name = "before", now.name = "now";
        const auto same = compareOldNew(before, "duo", now, "duo");
        QVERIFY2(same.ok(), same ? "" : same.error().message.c_str());
        QCOMPARE(same->rows.size(), std::size_t(5));
        for (const OldNewRow& r : same->rows) { // a filter is no better than itself
            QVERIFY2(r.difference.has_value(), r.label.c_str());
            QVERIFY2(std::abs(*r.difference) < 1e-6 && !r.toldApart, r.label.c_str());
            QVERIFY(*r.sigma > 0);
        }
        QVERIFY(same->fairness.empty());
        const auto other = compareOldNew(before, "city", now, "duo"), back = compareOldNew(before, "duo", now, "city");
        QVERIFY(other && back);
        QVERIFY(other->rows[0].toldApart && *other->rows[0].difference > 5); // 18 times for 2.9
        QVERIFY(*other->rows[3].difference < -3);                            // star colours 0.4 for 0.8
        for (std::size_t i = 0; i < 5; ++i)
            QVERIFY2(std::abs(*other->rows[i].difference + *back->rows[i].difference) < 0.2 * *other->rows[i].sigma + 1e-6, other->rows[i].label.c_str());
        // Another sky: what depends on it is carried there, with a larger error.
        GridTrial city = trial();
        city.name = "city", city.trial.site.bortle = 8, city.trial.site.name = "city roof";
        const auto carried = compareOldNew(city, "duo", now, "duo");
        QVERIFY(carried.ok());
        QCOMPARE(carried->rows[0].beforeOrigin, std::string("scaled"));
        QVERIFY(*carried->rows[0].sigma > *same->rows[0].sigma);
        QCOMPARE(carried->fairness.size(), std::size_t(1));
        // Without a common baseline nothing joins them.
        GridTrial strange = trial();
        for (Filter& f : strange.trial.filters)
            if (f.id == "open") f.id = "clear", f.name = "Clear";
        for (Run& r : strange.trial.runs)
            if (r.filter == "open") r.filter = "clear";
        const auto apart = compareOldNew(strange, "duo", now, "duo");
        QVERIFY(apart && apart->isVoid && apart->rows.empty() && apart->sentences.size() == 1);
        QVERIFY(!compareOldNew(before, "none", now, "duo").ok());
        // What is void in one of the trials is not compared.
        GridTrial hazy = trial();
        resultsOf(hazy).fairness.push_back({"duo", "haze", Grade::Voids, {"halo_flux_fraction"}, "haze", false});
        const auto gone = compareOldNew(hazy, "duo", now, "duo");
        QVERIFY(gone && !gone->rows[2].difference && gone->rows[2].why.find("void") != std::string::npos);
    }

    /// A run's halo is all rings of the star that shows most, in the channel that shows it: neither other channels nor other stars add to it.
    void ringsOfOneStarInOneChannelMakeItsHalo() {
        const auto ring = [](const char* region, const char* channel, double value, bool headline = false) {
            Measurement m = figure("duo", "halo_flux_fraction", channel, value, 0.0003, {}, headline);
            m.region = region;
            return m;
        };
        GridTrial t = trial();
        std::erase_if(resultsOf(t).measurements, [](const Measurement& m) { return m.run == "duo" && m.quantity == "halo_flux_fraction"; });
        auto& rows = resultsOf(t).measurements;
        rows.push_back(ring("h1", "B", 0.004, true));
        const double one = runMerits(t, "duo").halo->value;
        QCOMPARE(one, 0.004);
        resultsOf(t).measurements.push_back(ring("h1#2", "B", 0.001));
        const RunMerits two = runMerits(t, "duo");
        QVERIFY(std::abs(two.halo->value - 0.005) < 1e-12 && std::abs(two.halo->sigma - 0.0003 * std::sqrt(2)) < 1e-9);
        for (const Measurement& other :
             {ring("h1", "R", 0.002), ring("h1#2", "R", 0.0008), ring("h1#2", "G", 0.0009), ring("h2", "B", 0.003), ring("h2#2", "B", 0.001)})
            resultsOf(t).measurements.push_back(other);
        QCOMPARE(runMerits(t, "duo").halo->value, two.halo->value);
        QCOMPARE(runMerits(t, "duo").halo->sigma, two.halo->sigma);
        // The outer ring may be the one that shows most.
        for (Measurement& m : resultsOf(t).measurements)
            if (m.run == "duo" && m.quantity == "halo_flux_fraction") m.headline = m.region == "h1#2" && m.channel == "B";
        QCOMPARE(runMerits(t, "duo").halo->value, two.halo->value);
    }

    void telescopeAndCameraOfTheProfile() {
        const char* telescope = R"(, "f_ratio": 2.2, "camera": "colour-cut")";
        const char* strange = R"({"caelumen_profile": 1, "skies": [{"bortle": 5}], "kinds": {"emission": 1}, "weights": {"nebula": 1}, "camera": "nobody"})";
        const Profile p = profile(telescope);
        QCOMPARE(p.fRatio.value(), 2.2);
        const auto back = profileFromText(jsonText(profileToJson(p)), "again");
        QVERIFY(back && *back == p);
        const GridSetting setting = settingOf(p);
        QVERIFY(setting.fRatio && setting.camera && setting.camera->id == "colour-cut");
        QVERIFY(!profileFromText(strange, "p").ok());
    }

    void anotherWeightAnotherWinner() {
        Profile p = profile();
        const Verdict v = judged(p, {trial()});
        QVERIFY(!v.sensitivity.empty());
        for (const WeightChange& c : v.sensitivity) {
            Profile changed = p;
            const double beyond = c.to > c.from ? 1.02 * c.to + 0.01 : 0.98 * c.to - 0.01;
            if (beyond < 0) continue;
            changed.weights[static_cast<std::size_t>(c.merit)] = beyond;
            QCOMPARE(judged(changed, {trial()}).ranking.front().id, c.winner);
            changed.weights[static_cast<std::size_t>(c.merit)] = 0.5 * (c.from + c.to);
            QCOMPARE(judged(changed, {trial()}).ranking.front().id, v.ranking.front().id);
        }
    }

    void whatIsVoidOrUntestedSaysSo() {
        const Profile p = profile();
        GridTrial t = trial();
        TrialResults& r = resultsOf(t);
        std::erase_if(r.measurements, [](const Measurement& m) { return m.run == "city" && m.quantity == "halo_flux_fraction"; });
        r.fairness.push_back({"duo", "haze", Grade::Voids, {"time_ratio", "halo_flux_fraction"}, "fog", false});
        const Verdict v = judged(p, {t});
        const auto said = [&](const std::string& words) {
            return std::any_of(v.notTested.begin(), v.notTested.end(), [&](const std::string& s) { return s.find(words) != std::string::npos; });
        };
        QVERIFY(said("City: no star was bright enough") && said("Duo: its halos are void"));
        QVERIFY(!v.notes.empty() && v.notes.front().find("haze") != std::string::npos);
        QVERIFY(of(v, "city").stepSigmas[2] == 1.5 && of(v, "city").steps[2] == 0);
        for (const VerdictFigure& x : of(v, "duo").figures)
            if (x.merit == Merit::Nebula) QVERIFY(x.origin != "measured"); // the curve speaks in its place
        Profile lenient = p;
        lenient.anyHaloIsAFault = false;
        QCOMPARE(of(judged(lenient, {trial()}), "duo").steps[2], 0.0); // below half a per cent
    }

    void noFilterMayWin() {
        const auto p = profileFromText(
            R"({"caelumen_profile": 1, "skies": [{"bortle": 2, "moon": "none"}], "kinds": {"galaxy": 1}, "weights": {"nebula": 3, "star_colour": 1}})",
            "galaxies.json");
        QVERIFY(p.ok());
        const Verdict v = judged(*p, {trial()});
        QCOMPARE(v.ranking.front().id, std::string("open"));
        QVERIFY2(v.sentences.front().find("nothing here is better than No filter") != std::string::npos, v.sentences.front().c_str());
    }

    void profilesAreReadWithCare() {
        QCOMPARE(profileFromText(jsonText(profileToJson(profile())), "again.json")->skies, profile().skies);
        const auto scaled = profileFromText(
            R"({"caelumen_profile": 1, "skies": [{"bortle": 5, "share": 2}, {"sky_mag": 21.3, "moon": "full", "share": 6}], "kinds": {"emission": 5}, "weights": {"halo": 1}})",
            "p.json");
        QVERIFY(scaled.ok() && scaled->skies[1].share == 0.75 && scaled->notes.size() == 2);
        QVERIFY(scaled->skies[1].sky().moon && scaled->skies[1].sky().moon->illuminated == 1);
        for (const char* bad : {"{}", R"({"caelumen_profile": 1, "skies": [], "kinds": {"emission": 1}, "weights": {"halo": 1}})",
                                R"({"caelumen_profile": 1, "skies": [{"bortle": 5, "share": -1}], "kinds": {"emission": 1}, "weights": {"halo": 1}})",
                                R"({"caelumen_profile": 1, "skies": [{"bortle": 11}], "kinds": {"emission": 1}, "weights": {"halo": 1}})",
                                R"({"caelumen_profile": 1, "skies": [{"bortle": 5, "moon": "blue"}], "kinds": {"emission": 1}, "weights": {"halo": 1}})",
                                R"({"caelumen_profile": 1, "skies": [{"bortle": 5}], "kinds": {"comet": 1}, "weights": {"halo": 1}})",
                                R"({"caelumen_profile": 1, "skies": [{"bortle": 5}], "kinds": {"emission": 1}, "weights": {"halo": 0}})",
                                R"({"caelumen_profile": 1, "skies": [{"bortle": 5, "share": 0}], "kinds": {"emission": 1}, "weights": {"halo": 1}})",
                                R"({"caelumen_profile": 1, "skies": [{"bortle": 5}], "kinds": {"emission": 1}, "weights": {"joy": 1}})"}) {
            const auto p = profileFromText(bad, "bad.json");
            QVERIFY2(!p.ok() && p.error().message.find("bad.json") != std::string::npos, bad);
        }
        Profile stranger = profile();
        stranger.owned = "nobody";
        const std::vector<GridTrial> trials{trial()};
        const GridModel model(*gridInput(trials, {}));
        QVERIFY(!judge(stranger, trials, model).ok());
        for (const Profile& p : startProfiles()) QVERIFY(!judged(p, trials).ranking.empty());
    }
};

QTEST_GUILESS_MAIN(VerdictTest)
#include "verdict_test.moc"

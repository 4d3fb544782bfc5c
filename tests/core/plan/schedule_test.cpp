#include "core/base/json.h"
#include "core/model/plan_json.h"
#include "core/model/trial_json.h"
#include "core/plan/plan_out.h"
#include "core/plan/schedule.h"
#include "core/plan/star_series.h"

#include <QTest>

#include <cmath>
#include <set>

using namespace caelumen;

namespace {

Site plateau() {
    Site s;
    s.name = "Stonefold plateau";
    s.latitude_deg = -32.4;
    s.longitude_deg = 21.6;
    s.elevation_m = 1450;
    s.bortle = 3;
    return s;
}

const Site kSite = plateau();

NightTrack night(const char* date = "2026-06-15") {
    return *NightTrack::of({-32.4, 21.6, 1450}, date, 250.1, -48.7);
}

Filter named(const char* id, const char* name) {
    Filter f;
    f.id = id;
    f.name = name;
    return f;
}

Trial trialHere() {
    Trial t;
    t.site = kSite;
    t.filters = {named("open", "Clear glass"), named("duo", "Two lines")};
    return t;
}

Plan planFor(std::vector<std::string> filters) {
    Plan p;
    p.date = "2026-06-15";
    p.filters = std::move(filters);
    return p;
}

} // namespace

class ScheduleTest : public QObject {
    Q_OBJECT

private slots:
    void mirroredOrderGoesBackTheWayItCame() {
        Plan p = planFor({"a", "b", "c"});
        QCOMPARE(blockOrder(p), (std::vector<std::string>{"a", "b", "c", "c", "b", "a"}));
        p.rounds = 3;
        p.order = BlockOrder::Square;
        const auto square = blockOrder(p);
        for (std::size_t place = 0; place < 3; ++place) // each filter once in each place
            QCOMPARE((std::set<std::string>{square[place], square[place + 3], square[place + 6]}).size(), std::size_t{3});
    }

    /// What mirroring is for: the mean time of every filter's light is the same, up to the pauses of swaps.
    void aSteadyDriftCancels() {
        Plan p = planFor({"a", "b", "c"});
        p.flip = FlipSchool::Flipped;
        p.subs = 8;
        const Schedule laid = scheduleBlocks(p, kSite, night());
        QVERIFY2(laid.problem.empty(), laid.problem.c_str());
        for (const Balance& b : balanceOf(laid.plan, kSite, night())) {
            QCOMPARE(b.subs, 16);
            QVERIFY2(std::abs(b.later_s) < 200, qPrintable(QString::number(b.later_s)));
            QVERIFY(b.low_deg > 30);
        }
        p.rounds = 1; // without the way back the last filter comes late
        const auto straight = balanceOf(scheduleBlocks(p, kSite, night()).plan, kSite, night());
        QVERIFY(straight[2].later_s > 3000);
    }

    void blocksKeepTheirDistanceAndTheirWindow() {
        for (const int subs : {3, 9, 14}) {
            Plan p = planFor({"a", "b", "c", "d"});
            p.subs = subs;
            const NightTrack track = night();
            const Schedule laid = scheduleBlocks(p, kSite, track);
            QVERIFY(blockProblems(laid.plan, trialHere(), track).empty() || !laid.problem.empty());
            for (std::size_t i = 0; i + 1 < laid.plan.blocks.size(); ++i) {
                const PlanBlock &a = laid.plan.blocks[i], &b = laid.plan.blocks[i + 1];
                QVERIFY(b.start_s - blockEnd(p, a) > (a.filter == b.filter ? -1 : p.swap_s + p.refocus_s - 1));
            }
            // No block over the meridian.
            for (const PlanBlock& b : laid.plan.blocks) QVERIFY(!(b.start_s < *track.transit() && blockEnd(p, b) > *track.transit()));
        }
    }

    void asManySubsAsFitDoFit() {
        Plan p = planFor({"a", "b", "c"});
        const NightTrack track = night();
        const int most = subsThatFit(p, kSite, track);
        QVERIFY(most > 10 && most < 60);
        p.subs = most;
        QVERIFY(scheduleBlocks(p, kSite, track).problem.empty());
        p.subs = most + 1;
        const Schedule over = scheduleBlocks(p, kSite, track);
        QVERIFY2(over.problem.find("of 6 blocks fit") != std::string::npos, over.problem.c_str());
    }

    void whatCannotBeIsSaid() {
        Plan p = planFor({"a", "b"});
        const auto problem = [&](const Observer& here, const char* date, double ra, double dec) {
            return scheduleBlocks(p, kSite, *NightTrack::of(here, date, ra, dec)).problem;
        };
        QVERIFY(problem({69.6, 18.9, 0}, "2026-06-21", 250, 40).find("does not sink") != std::string::npos);
        QVERIFY(problem({-32.4, 21.6, 0}, "2026-06-15", 37.9, 89.2).find("does not rise") != std::string::npos);
        QVERIFY(problem({-32.4, 21.6, 0}, "2026-06-15", 84, -5).find("by day only") != std::string::npos);
    }

    void aSeriesTakesWhatItsBlocksTake() {
        Plan p = planFor({"a", "b", "c"});
        p.brightStar = "Antares";
        p.flip = FlipSchool::Flipped;
        const Plan laid = scheduleBlocks(p, kSite, night()).plan;
        QCOMPARE(laid.blocks.size(), std::size_t{6});
        const double whole = blockEnd(laid, laid.blocks.back()) - laid.blocks.front().start_s + p.refocus_s; // the first block waits for the focus, too
        const double told = seriesLength(p, slewTime(p, night()));
        QVERIFY2(std::abs(told - whole) < 1, qPrintable(QString("%1 %2").arg(told).arg(whole)));
    }

    void draggedBlocksAreJudged() {
        Plan p = scheduleBlocks(planFor({"a", "b"}), kSite, night()).plan;
        QVERIFY(blockProblems(p, trialHere(), night()).empty());
        Plan early = p;
        early.blocks[0].start_s = 3600;
        QVERIFY(blockProblems(early, trialHere(), night())[0].find("daylight") != std::string::npos);
        Plan over = p;
        over.blocks[1].start_s = p.blocks[0].start_s + 60;
        QVERIFY(blockProblems(over, trialHere(), night())[0].find("runs into") != std::string::npos);
        Plan named = p;
        named.filters = {"a", "b", "duo"};
        QCOMPARE(blockProblems(named, trialHere(), night()).back(), std::string("Two lines has no block."));
        Plan alone = p;
        std::erase_if(alone.blocks, [](const PlanBlock& b) { return b.filter == "a"; });
        const auto said = blockProblems(alone, trialHere(), night());
        QVERIFY(std::any_of(said.begin(), said.end(), [](const std::string& s) { return s.find("baseline") != std::string::npos; }));
    }

    void aPlanSurvivesItsFile() {
        Plan p = scheduleBlocks(planFor({"a", "b"}), kSite, night()).plan;
        p.brightStar = "Antares";
        p.order = BlockOrder::Square;
        p.flip = FlipSchool::Flipped;
        p.battery_Wh = 500;
        p.done = {"mask"};
        const auto back = planFromJson(planToJson(p), "plan");
        QVERIFY2(back.ok(), back.ok() ? "" : back.error().message.c_str());
        QVERIFY(*back == p);
        Trial t;
        t.filters = {named("a", "A"), named("b", "B")};
        t.plan = p;
        const auto trial = trialFromJson(trialToJson(t), "t");
        QVERIFY(trial.ok() && *trial == t);
        for (const char* bad :
             {R"({"subs": 0})", R"({"subs": 1.5})", R"({"order": "any"})", R"({"blocks": 3})", R"({"blocks": [{"start_s": -1, "exposure_s": 1}]})",
              R"({"blocks": [{"start_s": 1}]})", R"({"exposures": {"a": null}})", R"({"exposures": [1]})", R"({"exposure_s": "long"})", R"({"filters": [1]})",
              R"({"twilight_deg": 5})", R"({"date": "2026-02-30"})", R"({"date": "tonight"})", R"({"date": "2026-06-15x"})", R"([])"})
            QVERIFY2(!planFromJson(Json::parse(bad), "plan").ok(), bad);
    }

    void itGoesOutAsTableAndCalendar() {
        Trial t;
        t.target.name = "NGC 6188";
        t.filters = {named("a", "Clear, open; wide"), named("b", "B")};
        const Plan p = scheduleBlocks(planFor({"a", "b"}), kSite, night()).plan;
        const std::string csv = blocksToCsv(p, t, night()), ics = planToCalendar(p, t, night());
        QCOMPARE(std::count(csv.begin(), csv.end(), '\n'), static_cast<std::ptrdiff_t>(p.blocks.size() + 1));
        QVERIFY(csv.find("\"Clear, open; wide\"") != std::string::npos);
        QVERIFY(ics.starts_with("BEGIN:VCALENDAR\r\n") && ics.ends_with("END:VCALENDAR\r\n"));
        QVERIFY(ics.find("Clear\\, open\\; wide") != std::string::npos);
        std::size_t events = 0;
        for (std::size_t at = ics.find("BEGIN:VEVENT"); at != std::string::npos; at = ics.find("BEGIN:VEVENT", at + 1)) ++events;
        QCOMPARE(events, p.blocks.size());
        QVERIFY(ics.find("BEGIN:VALARM\r\nACTION:DISPLAY\r\nTRIGGER:-PT240S") != std::string::npos); // in time to swap and refocus
        // Line ends in a name make no lines of their own, and no formula leaves in the table.
        t.filters[0].name = "a\r\nEND:VCALENDAR\r\n";
        t.filters[1].name = "=1+1";
        const std::string again = planToCalendar(p, t, night());
        QCOMPARE(std::count(again.begin(), again.end(), '\n'), std::count(ics.begin(), ics.end(), '\n'));
        QCOMPARE(again.find("\r\nEND:VCALENDAR"), again.rfind("END:VCALENDAR") - 2);
        QVERIFY(blocksToCsv(p, t, night()).find(",'=1+1,") != std::string::npos);
        for (std::size_t from = 0, end = 0; (end = ics.find("\r\n", from)) != std::string::npos; from = end + 2) QVERIFY(end - from <= 75);
    }

    void ownLengthsGatherTheSameLight() {
        Plan p = planFor({"a", "b"});
        p.exposures = {{"b", 600}};
        p.brightStar = "Antares";
        const Plan laid = scheduleBlocks(p, kSite, night()).plan;
        QCOMPARE(laid.blocks[1].exposure_s, 600.0);
        QCOMPARE(laid.blocks[1].subs, 3); // 10 x 180 s
        QCOMPARE(laid.blocks[0].subs, 10);
        const auto series = starSeries(laid, night());
        QCOMPARE(series.size(), std::size_t{2});
        const double slew = slewTime(laid, night());
        QVERIFY(slew > laid.slewSettle_s + 5 && slew < 60); // from NGC 6188 to Antares, some 22 degrees
        for (const StarBlock& s : series) {                 // in its filter, and there and back before the next block
            for (const PlanBlock& b : laid.blocks) QVERIFY(blockEnd(laid, s.block) + slew <= b.start_s || s.block.start_s >= blockEnd(laid, b) + slew - 1e-6);
            const SkyMoment there = skyAt(night().observer(), night().start().plusSeconds(s.block.start_s + 5 * 18.0), 247.352, -26.432);
            QVERIFY(std::abs(s.star.alt_deg - there.target->alt_deg) < 0.5 && std::abs(s.moonAway_deg - *there.moonSeparation_deg) < 0.5);
        }
        Trial named2;
        named2.filters = {named("a", "A"), named("b", "B")};
        const auto mentions = [&](const Plan& plan, const char* words) {
            for (const std::string& s : blockProblems(plan, named2, night()))
                if (s.find(words) != std::string::npos) return true;
            return false;
        };
        QVERIFY(!mentions(laid, "going back"));
        Plan dragged = laid;
        dragged.blocks[1].start_s -= 120; // still time to swap and refocus after the block itself, not after the series
        QVERIFY(mentions(dragged, "going back, swapping and refocusing"));
        Plan slow = laid;
        slow.slew_deg_s = 0.2;
        QVERIFY(mentions(slow, "going back"));
        Plan unknown = laid;
        unknown.brightStar = "Nobody";
        QVERIFY(mentions(unknown, "not in the list"));
        Plan set = laid;
        set.brightStar = "Capella"; // never up there in June
        QVERIFY(mentions(set, "stands below"));
        const auto back = planFromJson(planToJson(laid), "plan");
        QVERIFY(back.ok() && *back == laid);
        Trial t;
        t.filters = {named("a", "A"), named("b", "B")};
        const std::string csv = blocksToCsv(laid, t, night());
        QVERIFY(csv.find("Antares") != std::string::npos);
        QCOMPARE(std::count(csv.begin(), csv.end(), '\n'), std::ptrdiff_t{7}); // four blocks, two series
        // Darks that are at hand are not asked for.
        const auto darks = [&](std::vector<double> have) {
            for (const auto& [id, words] : checklist(laid, t, have))
                if (id == "darks") return words;
            return std::string();
        };
        QVERIFY(darks({}).find("180 s") != std::string::npos && darks({}).find("10 s") != std::string::npos);
        QVERIFY(darks({180, 10}).find("600 s") != std::string::npos && darks({180, 10}).find("180") == std::string::npos);
        QVERIFY(darks({180, 10, 600}).empty());
    }

    void planAgainstWhatHappened() {
        Trial t;
        t.filters = {named("a", "A"), named("b", "B")};
        const Plan p = scheduleBlocks(planFor({"a", "b"}), kSite, night()).plan;
        Run r;
        r.id = "A";
        r.filter = "a";
        r.sub_count = 12;
        r.sub_exposure_s = 180;
        t.runs = {r};
        const auto h = progressOf(p, t, nullptr);
        QCOMPARE(h[0].plannedSubs, 20);
        QCOMPARE(h[0].subs, 12);
        QCOMPARE(h[0].shot_s, 2160.0);
        QCOMPARE(h[1].subs, 0);
        QVERIFY(!awaitsStacks(t)); // it has no plan
        // What the trial does not say, the headers of the stacks do.
        TrialResults measured;
        RunConditions read;
        read.run = "B";
        read.sub_count = 7, read.sub_exposure_s = 120, read.total_s = 840;
        measured.conditions = {read};
        r.id = "B", r.filter = "b";
        r.sub_count.reset(), r.sub_exposure_s.reset();
        t.runs.push_back(r);
        QCOMPARE(progressOf(p, t, nullptr)[1].shot_s, 0.0);
        QCOMPARE(progressOf(p, t, &measured)[1].subs, 7);
        QCOMPARE(progressOf(p, t, &measured)[1].shot_s, 840.0);
        const Trial fresh = trialOfPlan(p, t);
        QVERIFY(awaitsStacks(fresh));
        t.plan = p;
        QVERIFY(!awaitsStacks(t));
        QVERIFY(fresh.runs.empty() && fresh.plan && *fresh.plan == p);
    }

    void budgetsAddUp() {
        Plan p = scheduleBlocks(planFor({"a", "b"}), kSite, night()).plan;
        p.battery_Wh = 200;
        const Budget b = budgetOf(p, 6000, 4000);
        QCOMPARE(b.files, 40);
        QCOMPARE(b.calibrationFiles, 20 * (2 + 1 + 1)); // flats of two filters, darks of one length, biases
        QVERIFY(std::abs(b.storage_GB - 120 * 0.048) < 1e-9);
        QCOMPARE(budgetOf(p, 6000, 4000, {180}).calibrationFiles, 60);
        QVERIFY(b.flats_min > 4 && b.darks_min > 60 && budgetOf(p, 6000, 4000, {180}).darks_min == 0);
        QVERIFY(std::abs(b.energy_Wh - b.hours * 52) < 1e-9 && std::abs(b.part - b.energy_Wh / 200) < 1e-9);
        QVERIFY(b.hours > 2 && b.hours < 4);
    }
};

QTEST_APPLESS_MAIN(ScheduleTest)
#include "schedule_test.moc"

#include "core/plan/plan_out.h"

#include "core/base/phrase.h"
#include "core/base/tables.h"
#include "core/model/filter_kinds.h"
#include "core/plan/star_series.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace caelumen {
namespace {

const std::string& nameOf(const Trial& trial, const std::string& filter) {
    const Filter* f = trial.filter(filter);
    return f && !f->name.empty() ? f->name : filter;
}

/// "20260620T180500Z"
std::string basicTime(const JulianDate& t) {
    std::string out;
    for (const char c : isoTime(t))
        if (c != '-' && c != ':') out += c;
    return out;
}

/// Text of an iCalendar: commas, semicolons, backslashes and line ends masked, lines folded at 74 bytes between characters.
std::string calendarLine(const std::string& key, const std::string& text) {
    std::string masked = key + ":";
    for (const char c : text) {
        if (c == ',' || c == ';' || c == '\\') masked += '\\';
        if (c == '\n')
            masked += "\\n";
        else if (const auto code = static_cast<unsigned char>(c); code >= 0x20 && code != 0x7F)
            masked += c;
    }
    std::string out;
    std::size_t column = 0;
    for (std::size_t i = 0; i < masked.size(); ++i) {
        const bool starts = (static_cast<unsigned char>(masked[i]) & 0xC0U) != 0x80U;
        if (column >= 70 && starts) out += "\r\n ", column = 1;
        out += masked[i];
        ++column;
    }
    return out + "\r\n";
}

/// Blocks and bright-star series in order of time; what is shot on, and with which filter.
struct Shot {
    PlanBlock block;
    std::string target;
    Horizontal at;
    std::optional<double> airmass;
    double moonAway_deg = 0;
    bool star = false;
};
std::vector<Shot> shots(const Plan& plan, const Trial& trial, const NightTrack& track) {
    std::vector<Shot> out;
    for (const PlanBlock& b : plan.blocks) {
        const SkyMoment m = track.at((b.start_s + blockEnd(plan, b)) / 2);
        out.push_back({b, trial.target.name, *m.target, m.airmass, *m.moonSeparation_deg});
    }
    for (const StarBlock& s : starSeries(plan, track)) out.push_back({s.block, plan.brightStar, s.star, airmassAt(s.star.alt_deg), s.moonAway_deg, true});
    std::stable_sort(out.begin(), out.end(), [](const Shot& a, const Shot& b) { return a.block.start_s < b.block.start_s; });
    return out;
}

std::string amount(double subs) {
    return subs >= 2000 ? phrase("more than a night of subs") : subs < 2 ? phrase("{:.0f} sub", subs) : phrase("{:.0f} subs", subs);
}

} // namespace

std::string blocksToCsv(const Plan& plan, const Trial& trial, const NightTrack& track) {
    std::string out =
        csvRow({"block", "filter", "on", "start_utc", "end_utc", "subs", "exposure_s", "altitude_deg", "airmass", "moon_altitude_deg", "moon_separation_deg"});
    int n = 0;
    for (const Shot& s : shots(plan, trial, track)) {
        const PlanBlock& b = s.block;
        out += csvRow({std::to_string(++n), nameOf(trial, b.filter), s.target, isoTime(track.start().plusSeconds(b.start_s)),
                       isoTime(track.start().plusSeconds(blockEnd(plan, b))), std::to_string(b.subs), fmt::format("{:g}", b.exposure_s),
                       fmt::format("{:.1f}", s.at.alt_deg), s.airmass ? fmt::format("{:.3f}", *s.airmass) : "",
                       fmt::format("{:.1f}", track.at((b.start_s + blockEnd(plan, b)) / 2).moon.alt_deg), fmt::format("{:.1f}", s.moonAway_deg)});
    }
    return out;
}

std::string planToCalendar(const Plan& plan, const Trial& trial, const NightTrack& track) {
    std::string out = "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Caelumen//Night//EN\r\n";
    const auto all = shots(plan, trial, track);
    int n = 0;
    for (const Shot& s : all) {
        const PlanBlock& b = s.block;
        out += "BEGIN:VEVENT\r\n";
        out += fmt::format("UID:{}-{}@caelumen\r\n", basicTime(track.start().plusSeconds(b.start_s)), ++n);
        out += fmt::format("DTSTAMP:{}\r\n", basicTime(track.start()));
        out +=
            fmt::format("DTSTART:{}\r\nDTEND:{}\r\n", basicTime(track.start().plusSeconds(b.start_s)), basicTime(track.start().plusSeconds(blockEnd(plan, b))));
        out += calendarLine("SUMMARY", fmt::format("{}: {} x {:g} s", nameOf(trial, b.filter), b.subs, b.exposure_s));
        out += calendarLine("DESCRIPTION", fmt::format("{}, {} of {}", s.target, n, all.size()));
        if (!trial.site.name.empty()) out += calendarLine("LOCATION", trial.site.name);
        // In time to swap and refocus.
        out += fmt::format("BEGIN:VALARM\r\nACTION:DISPLAY\r\nTRIGGER:-PT{:.0f}S\r\n", std::max(60.0, s.star ? 60.0 : plan.swap_s + plan.refocus_s));
        out += calendarLine("DESCRIPTION", fmt::format("{} on {}", nameOf(trial, b.filter), s.target));
        out += "END:VALARM\r\n";
        out += "END:VEVENT\r\n";
    }
    return out + "END:VCALENDAR\r\n";
}

std::vector<std::string> proofSentences(const Forecasts& all, const std::vector<Balance>& balance, const Plan& plan, const Trial& trial,
                                        const DeepSky& target) {
    std::vector<std::string> out;
    if (plan.blocks.empty()) return out;
    if (all.empty()) {
        out.emplace_back(
            phrase("What the night can prove is foretold when the target is up, the place has a sky class or meter reading and the filters have curves."));
    }
    const auto subsOf = [&](const std::string& filter) {
        const auto b = std::find_if(balance.begin(), balance.end(), [&](const Balance& x) { return x.filter == filter; });
        return b == balance.end() ? 0 : b->subs;
    };
    const auto judge = [&](const std::string& one, const std::string& other, double ratio, double sigma, const std::optional<double>& needed,
                           const std::string& where) {
        const std::string &name = nameOf(trial, one), &base = nameOf(trial, other);
        const int subs = std::min(subsOf(one), subsOf(other));
        if (needed && subs >= *needed)
            out.push_back(phrase("It can tell {} from {}: {:.1f} \u00B1 {:.1f} times {}{}, for which {} of each would do; {} are planned.", name, base,
                                 ratio > 1 ? ratio : 1 / ratio, std::max(0.05, ratio > 1 ? sigma : sigma / (ratio * ratio)),
                                 ratio > 1 ? phrase("faster") : phrase("slower"), where, amount(*needed), subs));
        else if (needed)
            out.push_back(phrase("It cannot tell {} from {}: that takes {} of each, {} are planned.", name, base, amount(*needed), subs));
        else
            out.push_back(phrase("It cannot tell {} from {} ({:.1f} \u00B1 {:.1f} times {}): gradients, faint stars and the nebula's rim leave more in "
                                 "doubt than what separates them, however many subs there are.",
                                 name, base, ratio > 1 ? ratio : 1 / ratio, std::max(0.05, ratio > 1 ? sigma : sigma / (ratio * ratio)),
                                 ratio > 1 ? phrase("faster") : phrase("slower")));
    };
    for (const Forecast& f : all.filters)
        if (f.filter != plan.filters.front() && f.timeRatio > 0)
            judge(f.filter, plan.filters.front(), f.timeRatio, f.timeRatioSigma, f.subsToTell, phrase(" in {}", f.channel));
    for (const ForetoldPair& p : all.pairs) judge(p.faster, p.slower, p.ratio, p.sigma, p.subsToTell, "");
    for (const Forecast& f : all.filters)
        if (!f.seen())
            out.push_back(phrase("The target will hardly be seen through {}: {:.1f} sigma above its sky, where {:.0f} are needed.", nameOf(trial, f.filter),
                                 f.signal / f.signalSigma, kSeen));
    for (const Forecast& f : all.filters)
        if (f.claimed) out.push_back(phrase("{} is foretold from what its maker claims: no measured curve is known.", nameOf(trial, f.filter)));
    if (!all.empty())
        for (const std::string& id : plan.filters)
            if (std::none_of(all.filters.begin(), all.filters.end(), [&](const Forecast& f) { return f.filter == id; }))
                out.push_back(phrase("Nothing is foretold of {}: it has no curve, passes nothing of this target, or its blocks lie while the target is down.",
                                     nameOf(trial, id)));
    if (target.continuum > 0 && target.hydrogen + target.oxygen + target.sulphur <= 1)
        for (const std::string& id : plan.filters)
            if (const Filter* f = trial.filter(id);
                f && (f->kind == filter_kind::dualBand || f->kind == filter_kind::multiBand || f->kind == filter_kind::singleLine))
                out.push_back(phrase("{} shines by its stars and dust, of which {} passes a sliver: it will lose here, and tells nothing about nebulae.",
                                     target.id, nameOf(trial, id)));
    for (const Balance& b : balance) {
        if (b.subs == 0) continue;
        if (std::abs(b.skyMore) > 0.05)
            out.push_back(phrase("The sky over {}'s blocks is {:.0f} % {} than over the baseline's: its background would be wronged by as much.",
                                 nameOf(trial, b.filter), 100 * std::abs(b.skyMore), b.skyMore > 0 ? phrase("brighter") : phrase("darker")));
        if (std::abs(b.airmassMore) > 0.1)
            out.push_back(phrase("{} looks through {:.2f} {} air than the baseline.", nameOf(trial, b.filter), std::abs(b.airmassMore),
                                 b.airmassMore > 0 ? phrase("more") : phrase("less")));
    }
    if (plan.brightStar.empty()) out.emplace_back(phrase("It says nothing about halos beyond the stars of the field: no bright-star series is planned."));
    return out;
}

Budget budgetOf(const Plan& plan, int width, int height, const std::vector<double>& darksAtHand) {
    constexpr int kCalibration = 20; // frames of each kind
    constexpr double kFlat_s = 6;    // to take one, with reading
    Budget b;
    if (plan.blocks.empty()) return b;
    double first = 1e9, last = 0;
    std::set<std::string> filters;
    for (const PlanBlock& block : plan.blocks) {
        first = std::min(first, block.start_s);
        last = std::max(last, blockEnd(plan, block));
        b.files += block.subs;
        filters.insert(block.filter);
    }
    if (!plan.brightStar.empty()) b.files += plan.starSubs * static_cast<int>(filters.size());
    b.hours = (last - first) / 3600;
    b.energy_Wh = b.hours * (plan.mount_W + plan.camera_W + plan.heaters_W);
    b.part = plan.battery_Wh > 0 ? b.energy_Wh / plan.battery_Wh : 0;
    // Flats of each filter; darks of each length; biases, or darks of the flats' length.
    std::set<double> lengths;
    for (const PlanBlock& block : plan.blocks) lengths.insert(block.exposure_s);
    if (!plan.brightStar.empty()) lengths.insert(plan.starExposure_s);
    const auto missing = std::count_if(lengths.begin(), lengths.end(), [&](double s) {
        return std::none_of(darksAtHand.begin(), darksAtHand.end(), [&](double have) { return std::abs(have / s - 1) < 0.01; });
    });
    b.calibrationFiles = kCalibration * (static_cast<int>(filters.size()) + static_cast<int>(missing) + 1);
    b.flats_min = static_cast<double>(filters.size()) * (plan.swap_s + kCalibration * kFlat_s) / 60;
    for (const double s : lengths)
        if (std::none_of(darksAtHand.begin(), darksAtHand.end(), [&](double have) { return std::abs(have / s - 1) < 0.01; }))
            b.darks_min += kCalibration * (s + 2) / 60;
    b.storage_GB = static_cast<double>(b.files + b.calibrationFiles) * width * height * 2 / 1e9;
    return b;
}

std::vector<std::pair<std::string, std::string>> checklist(const Plan& plan, const Trial& trial, const std::vector<double>& darksAtHand) {
    std::vector<std::pair<std::string, std::string>> out{
        {"rotator", phrase("Rotator and all screws tight: a loose one tilts the filter")},
        {"mask", phrase("Focus mask off, cap off")},
        {"gain", phrase("Gain, offset and sensor temperature the same for every filter")},
        {"camera", phrase("Camera not turned between filters")},
        {"refocus", phrase("Focus redone after every swap")},
        {"spacing", phrase("Spacing right with the filter's glass in place")},
    };
    std::string flats, darks;
    std::set<double> lengths;
    for (const std::string& f : plan.filters) flats += (flats.empty() ? "" : ", ") + nameOf(trial, f);
    for (const PlanBlock& b : plan.blocks) lengths.insert(b.exposure_s);
    if (!plan.brightStar.empty()) lengths.insert(plan.starExposure_s);
    for (const double s : lengths)
        if (std::none_of(darksAtHand.begin(), darksAtHand.end(), [&](double have) { return std::abs(have / s - 1) < 0.01; }))
            darks += (darks.empty() ? "" : ", ") + fmt::format("{:g} s", s);
    if (!flats.empty()) out.emplace_back("flats", phrase("Flats for each filter, before the camera comes off: ") + flats);
    if (!darks.empty())
        out.emplace_back("darks",
                         (darksAtHand.empty() ? phrase("Darks at the night's temperature: ") : phrase("Darks that are missing, at the night's temperature: ")) +
                             darks);
    out.emplace_back("dew", phrase("Heaters on before the dew falls: fog on glass passes for a filter's halo"));
    out.emplace_back("power", phrase("Batteries full, mains outdoors behind residual-current protection and dry"));
    out.emplace_back("told", phrase("Somebody knows where you are and when you come back"));
    return out;
}

Trial trialOfPlan(const Plan& plan, const Trial& trial) {
    Trial out = trial;
    out.runs.clear();
    out.regions.clear();
    out.title = fmt::format("{}, {}", trial.target.name.empty() ? phrase("New trial") : trial.target.name, plan.date);
    std::erase_if(out.filters, [&](const Filter& f) { return std::find(plan.filters.begin(), plan.filters.end(), f.id) == plan.filters.end(); });
    out.plan = plan;
    return out;
}

std::vector<PlanProgress> progressOf(const Plan& plan, const Trial& trial, const TrialResults* results) {
    std::vector<PlanProgress> out;
    for (const std::string& id : plan.filters) {
        PlanProgress h;
        h.filter = id;
        for (const PlanBlock& b : plan.blocks)
            if (b.filter == id) h.plannedSubs += b.subs, h.planned_s += b.subs * b.exposure_s;
        for (const Run& r : trial.runs) {
            if (r.filter != id) continue;
            const RunConditions* c = results ? results->conditionsOf(r.id) : nullptr;
            const int subs = r.sub_count.value_or(c ? c->sub_count.value_or(0) : 0);
            const auto each = r.sub_exposure_s ? r.sub_exposure_s : c ? c->sub_exposure_s : std::nullopt;
            h.subs += subs;
            h.shot_s += each ? subs * *each : c ? c->total_s.value_or(0) : 0;
        }
        out.push_back(h);
    }
    return out;
}

} // namespace caelumen

#include "core/grid/measured.h"

#include "core/base/phrase.h"
#include "core/model/filter_kinds.h"
#include "core/model/flags.h"
#include "core/model/quantity.h"
#include "core/optics/claim.h"
#include "core/optics/light_cone.h"
#include "core/plan/cells.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace caelumen {
namespace {

constexpr double kClassSigma = 0.3, kMeterSigma = 0.1; ///< mag

/// Mean of figures of one channel by their errors, in logarithms for what is above zero.
class Means {
public:
    void add(const std::string& channel, double value, double sigma) {
        if (!(value > 0) || !(sigma > 0)) return;
        const double s = sigma / value;
        Sum& sum = m_sums[channel];
        sum.weight += 1 / (s * s), sum.value += std::log(value) / (s * s), sum.best = std::min(sum.best, s);
    }
    std::map<std::string, GridFigure> all() const {
        std::map<std::string, GridFigure> out;
        // Regions of one trial share their sky: their errors do not fall with their number.
        for (const auto& [channel, sum] : m_sums) out[channel] = {std::exp(sum.value / sum.weight), std::exp(sum.value / sum.weight) * sum.best};
        return out;
    }

private:
    struct Sum {
        double weight = 0, value = 0, best = 1e9;
    };
    std::map<std::string, Sum> m_sums;
};

void readFigures(const TrialResults& results, GridRun& run) {
    for (const Unfairness& u : results.fairness)
        if (u.run == run.run && u.grade == Grade::Voids && !u.normalised)
            for (const std::string& quantity : u.quantities) run.voided.emplace(quantity, u.text);
    run.backgroundVoid = run.voided.count(q::background) > 0;
    Means timeRatio, throughput;
    for (const Measurement& m : results.measurements) {
        if (m.run != run.run || (run.voided.count(m.quantity) && m.quantity != q::background)) continue;
        const bool limit = m.flagged(flag::upperLimit);
        if (m.quantity == q::background && !m.flagged(flag::pedestalUnknown) && m.value > 0) run.background[m.channel] = {m.value, m.sigma};
        if (m.quantity == q::timeRatio && !limit) timeRatio.add(m.channel, m.value, m.sigma);
        if (m.quantity == q::throughput && !limit) throughput.add(m.channel, m.value, m.sigma);
        if (m.quantity == q::starThroughput && m.value > 0) run.starThroughput[m.channel] = {m.value, m.sigma};
        if (m.quantity == q::haloCleanMag && m.headline && !limit) run.haloClean = GridFigure{m.value, m.sigma}, run.haloChannel = m.channel;
    }
    run.timeRatio = timeRatio.all();
    run.throughput = throughput.all();
}

/// How much moonlight passes, by the subs themselves. Absent where the baseline's own is not told.
void readMoon(const RunConditions& mine, const RunConditions& base, GridRun& run) {
    for (const auto& [channel, slope] : mine.moon_response) {
        const auto open = base.moon_response.find(channel);
        if (open == base.moon_response.end() || !(open->second.first > 3 * open->second.second) || !(slope.first > 3 * slope.second)) continue;
        const double ratio = slope.first / open->second.first;
        run.moonRejection[channel] = {ratio, ratio * std::hypot(slope.second / slope.first, open->second.second / open->second.first)};
    }
}

/// The moon moves while a run lasts: the sky of its brightest moment where it was not up at the middle, and the mean of its light over the run.
void followMoon(const Site& site, const Target& target, const RunConditions& c, GridRun& run) {
    const auto start = parseTime(c.start);
    if (!run.sky || !start || !site.latitude_deg || !site.longitude_deg || !target.ra_deg || !target.dec_deg || !(run.total_s > 0)) return;
    constexpr int kMoments = 7;
    double sum = 0, most = 0;
    std::optional<GridSky> brightest;
    for (int k = 0; k < kMoments; ++k) {
        const SkyMoment m = skyAt({*site.latitude_deg, *site.longitude_deg, site.elevation_m}, start->plusSeconds((k + 0.5) / kMoments * run.total_s),
                                  target.ra_deg, target.dec_deg);
        const auto sky = skyOfMoment(m, run.sky->zenith_mag, run.sky->bortle);
        const double light = sky ? lightOf(*sky).moon : 0;
        sum += light / kMoments;
        if (light > most) most = light, brightest = sky;
    }
    if (!brightest) return;
    if (!run.sky->moon) {
        const SkyLight dark = lightOf(*run.sky);
        constexpr double kCounts = 0.05; // of the sky without it
        if (sum < kCounts * (dark.natural + dark.lamps)) return;
        run.sky = brightest;
    }
    if (const double here = lightOf(*run.sky).moon; here > 0) run.moonOverRun = sum / here;
}

std::size_t siteOf(const Site& site, std::vector<GridSite>& sites) {
    for (std::size_t i = 0; i < sites.size(); ++i)
        if (sites[i].site.name == site.name && skyBrightness(sites[i].site) == skyBrightness(site)) return i;
    GridSite out{site, site.name.empty() ? fmt::format("place {}", sites.size() + 1) : site.name, skyBrightness(site), site.sqm ? kMeterSigma : kClassSigma};
    sites.push_back(std::move(out));
    return sites.size() - 1;
}

struct KnownCurve {
    Curve curve; ///< empty for no filter
    GridSource source = GridSource::Nothing;
    double index = 1.8;
};

KnownCurve curveOf(const Filter& filter, const std::filesystem::path& folder, std::vector<std::string>& notes) {
    KnownCurve out;
    out.index = filter.effective_index.value_or(1.8);
    for (const auto& [file, source] : {std::pair{&filter.curve, GridSource::Curve}, {&filter.claimed_curve, GridSource::MakersCurve}}) {
        if (file->empty()) continue;
        if (auto read = readCurve(folder / *file)) {
            out.curve = std::move(*read), out.source = source;
            return out;
        } else {
            notes.push_back(read.error().message);
        }
    }
    if (Curve claimed = curveOfClaims(filter.claims); !claimed.empty()) {
        out.curve = std::move(claimed), out.source = GridSource::Claims;
        notes.push_back(phrase("{} is modelled from its maker's claims alone: nothing leaks there.", filter.name));
    } else if (filter.kind == filter_kind::none) {
        out.source = GridSource::NoFilter;
    } else if (filter.kind == filter_kind::uvIrCut) { // they are all alike
        out.curve = {{340, 398, 404, 688, 700, 1050}, {0, 0, 0.96, 0.96, 0, 0}};
        out.source = GridSource::Claims;
        notes.push_back(phrase("No curve of {} is known: it is taken for a usual UV/IR cut, 400 to 694 nm.", filter.name.empty() ? filter.id : filter.name));
    }
    return out;
}

bool hasChannels(const Camera& camera, const std::set<std::string>& wanted) {
    return std::all_of(wanted.begin(), wanted.end(), [&](const std::string& name) {
        return std::any_of(camera.channels.begin(), camera.channels.end(), [&](const CameraChannel& c) { return c.name == name; });
    });
}

const Camera* typicalNamed(const std::string& id) {
    const auto& all = typicalCameras();
    const auto found = std::find_if(all.begin(), all.end(), [&](const Camera& c) { return c.id == id; });
    return found == all.end() ? nullptr : &*found;
}

/// A typical camera with these channels; a person's filters cut the infrared or are told to leak, so that a clear window is the careful choice.
const Camera* typicalWith(const std::set<std::string>& channels) {
    for (const Camera& c : typicalCameras())
        if (hasChannels(c, channels) && c.channels.size() == std::max<std::size_t>(channels.size(), 1)) return &c;
    for (const Camera& c : typicalCameras())
        if (hasChannels(c, channels)) return &c;
    return nullptr;
}

/// Whether the trial's target shines in lines: told by how much of its light each filter passed, against how much of either it should.
bool looksLikeLines(const std::vector<const GridRun*>& runs, const GridInput& input) {
    double apart = 0;
    for (const GridRun* r : runs) {
        const GridFilter *f = input.filter(r->filter), *b = input.filter(r->against);
        if (!f || !b) continue;
        for (const auto& [name, t] : r->throughput) {
            const GridChannel *with = f->channel(name), *open = b->channel(name);
            if (!with || !open) continue;
            const auto misfit = [&](TargetKind k) {
                const auto i = static_cast<std::size_t>(k);
                if (!(open->signal[i] > 0)) return 25.0;
                const double z = std::log(t.value / std::max(1e-4, with->signal[i] / open->signal[i])) / std::hypot(0.3, t.sigma / t.value);
                return std::min(25.0, z * z);
            };
            double lines = 25;
            for (const TargetKind k : {TargetKind::Emission, TargetKind::Oxygen, TargetKind::Sulphur}) lines = std::min(lines, misfit(k));
            apart += misfit(TargetKind::Galaxy) - lines;
        }
    }
    return apart >= 0;
}

/// Whether a find of the catalogue is the trial's target: by place where it has one, else by its number.
bool isMeant(const DeepSky& found, const Target& target) {
    if (target.ra_deg && target.dec_deg) return separation_deg(found.ra_deg, found.dec_deg, *target.ra_deg, *target.dec_deg) < 1.5;
    const auto plain = [](const std::string& text) {
        std::string out;
        for (const char c : text)
            if (c != ' ') out += static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
        return out;
    };
    return plain(found.id) == plain(target.name) || plain(found.name) == plain(target.name);
}

} // namespace

double GridInput::usualAltitude_deg() const {
    double sum = 0, n = 0;
    for (const GridRun& r : runs)
        if (r.sky) sum += r.sky->altitude_deg, n += 1;
    return n > 0 ? std::round(sum / n) : 60;
}

const GridFilter* GridInput::filter(const std::string& id) const {
    const auto at = std::find_if(filters.begin(), filters.end(), [&](const GridFilter& f) { return f.id == id; });
    return at == filters.end() ? nullptr : &*at;
}

namespace {

/// One run's figures and its sky, or why its sky is not known.
GridRun gridRun(const GridTrial& t, const Run& r, std::size_t site, std::optional<double> stated_mag) {
    GridRun run;
    const TrialResults& results = *t.results;
    const Run* base = t.trial.run(results.baseline);
    run.trial = t.name, run.run = r.id, run.filter = r.filter, run.site = site;
    run.baseline = r.id == results.baseline;
    run.against = base ? base->filter : std::string();
    const RunConditions* c = results.conditionsOf(r.id);
    if (!c)
        run.whyNoSky = phrase("the run was not measured");
    else if (!stated_mag && !c->sky)
        run.whyNoSky = phrase("neither the sky's class nor the run's time and place are known");
    else if (!c->sky)
        run.whyNoSky = phrase("its time or place is not known, so that the moon is not either");
    else if (auto sky = skyOfMoment(*c->sky, stated_mag.value_or(20.5), skyClass(t.trial.site)))
        run.sky = sky;
    else
        run.whyNoSky = c->sky->target ? phrase("its target was below the horizon at the time that is given")
                                      : phrase("its target's place is not known, and the moon was up");
    if (c) {
        run.exposure_s = c->sub_exposure_s.value_or(180);
        run.total_s = c->total_s.value_or(run.exposure_s);
        if (const RunConditions* b = results.conditionsOf(results.baseline); b && !run.baseline) readMoon(*c, *b, run);
        followMoon(t.trial.site, t.trial.target, *c, run);
    }
    readFigures(results, run);
    return run;
}

void readRuns(const std::vector<GridTrial>& trials, GridInput& out) {
    for (const GridTrial& t : trials) {
        const std::size_t site = siteOf(t.trial.site, out.sites);
        for (const Run& r : t.trial.runs) out.runs.push_back(gridRun(t, r, site, out.sites[site].stated_mag));
    }
}

/// One camera for all cells: the first trial's.
void chooseCamera(const GridTrial& first, const GridSetting& setting, GridInput& out) {
    std::set<std::string> channels;
    for (const GridRun& run : out.runs)
        for (const auto& [name, figure] : run.background) channels.insert(name);
    if (setting.camera) {
        out.camera = *setting.camera;
    } else if (first.camera) {
        out.camera = *first.camera;
    } else if (const Camera* named = typicalNamed(first.trial.rig.camera)) {
        out.camera = *named;
    } else if (const Camera* typical = typicalWith(channels)) {
        out.camera = *typical;
        out.notes.push_back(phrase("No camera is named by the trial: a typical one is taken ({}).", typical->name));
    } else {
        out.camera = typicalCameras().front();
    }
    if (!hasChannels(out.camera, channels))
        out.notes.push_back(phrase("{} does not have all channels of the frames: what it lacks is not modelled.", out.camera.name));
}

/// Each run's telescope, and the first trial's for all cells.
void chooseRigs(const std::vector<GridTrial>& trials, const GridSetting& setting, GridInput& out) {
    const auto rigOf = [&](const GridTrial& t, const Run* run) {
        const RunConditions* c = run ? t.results->conditionsOf(run->id) : nullptr;
        Rig rig = run ? effectiveRig(t.trial, *run) : t.trial.rig;
        if (c) rig = completed(rig, c->facts);
        return planRig(rig, out.camera);
    };
    std::size_t next = 0;
    for (const GridTrial& t : trials)
        for (const Run& r : t.trial.runs) out.runs[next++].rig = rigOf(t, &r);
    const Run* first = trials.front().trial.run(trials.front().results->baseline);
    out.rig = rigOf(trials.front(), first);
    if (setting.fRatio) out.rig.focal_mm = *setting.fRatio * out.rig.aperture_mm;
    for (const std::string& what : out.rig.assumed) out.notes.push_back(phrase("The telescope's {} is not known: a usual one is taken.", what));
    out.baseline = first ? first->filter : std::string();
}

/// What passes each filter of the trials and each further curve, behind that telescope's cone.
Status readFilters(const std::vector<GridTrial>& trials, const std::vector<GridCurve>& curves, const GridSetting& setting, GridInput& out) {
    const auto coned = [&](const Curve& curve, double index) { return ConeShift({out.rig.fRatio(), out.rig.obstruction, index, 0}).apply(curve, 0.5); };
    for (const GridTrial& t : trials)
        for (const Filter& f : t.trial.filters) {
            GridFilter known{f.id, f.name.empty() ? f.id : f.name, GridSource::Nothing, {}};
            const KnownCurve curve = curveOf(f, t.folder, out.notes);
            known.source = curve.source;
            if (curve.source != GridSource::Nothing)
                known.channels = gridChannels(curve.curve.empty() ? Curve() : coned(curve.curve, curve.index), out.camera, setting.lines);
            const auto at = std::find_if(out.filters.begin(), out.filters.end(), [&](const GridFilter& x) { return x.id == f.id; });
            if (at == out.filters.end())
                out.filters.push_back(std::move(known));
            else if (known.source < at->source) // an earlier trial knew less of it
                *at = std::move(known);
        }
    for (const GridCurve& c : curves) {
        if (out.filter(c.id)) return Error{phrase("The curve {} is named like a filter of a trial, or like another curve; give it another file name.", c.id)};
        out.filters.push_back({c.id, c.name, GridSource::Curve, gridChannels(coned(c.curve, 1.8), out.camera, setting.lines)});
    }
    std::stable_partition(out.filters.begin(), out.filters.end(), [&](const GridFilter& f) { return f.id == out.baseline; });
    return Done{};
}

/// What each trial's target sends: by the catalogue, else by what passed the filters.
void tellTargets(const std::vector<GridTrial>& trials, GridInput& out) {
    std::size_t next = 0; // runs stand trial by trial: two trials may have one name
    for (const GridTrial& t : trials) {
        const auto first = out.runs.begin() + static_cast<std::ptrdiff_t>(next), last = first + static_cast<std::ptrdiff_t>(t.trial.runs.size());
        next += t.trial.runs.size();
        TargetKind kind = TargetKind::Emission;
        const auto found = t.trial.target.name.empty() ? std::vector<const DeepSky*>() : findTargets(deepSkyCatalogue(), t.trial.target.name);
        std::vector<const GridRun*> mine;
        for (auto r = first; r != last; ++r)
            if (!r->baseline) mine.push_back(&*r);
        if (!found.empty() && isMeant(*found.front(), t.trial.target))
            kind = targetKindOf(*found.front());
        else if (!looksLikeLines(mine, out))
            kind = TargetKind::Galaxy;
        for (auto r = first; r != last; ++r) r->kind = kind;
        if (&t == &trials.front()) out.kind = kind;
    }
}

} // namespace

Result<GridInput> gridInput(const std::vector<GridTrial>& trials, const std::vector<GridCurve>& curves, const GridSetting& setting) {
    if (trials.empty()) return Error{phrase("A grid needs at least one trial: without a measured run nothing tells the place and the telescope.")};
    GridInput out;
    readRuns(trials, out);
    chooseCamera(trials.front(), setting, out);
    chooseRigs(trials, setting, out);
    if (const Status read = readFilters(trials, curves, setting, out); !read) return read.error();
    std::sort(out.notes.begin(), out.notes.end());
    out.notes.erase(std::unique(out.notes.begin(), out.notes.end()), out.notes.end());
    tellTargets(trials, out);
    return out;
}

} // namespace caelumen

#include "core/compare/measure_trial.h"

#include "core/base/phrase.h"
#include "core/base/text.h"
#include "core/compare/assemble.h"
#include "core/compare/halves.h"
#include "core/compare/reference.h"
#include "core/compare/star_memory.h"
#include "core/compare/wcs_alignment.h"
#include "core/model/filter_kinds.h"
#include "core/model/flags.h"
#include "core/optics/curve.h"
#include "core/optics/passband.h"
#include "core/stars/defects.h"

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <map>
#include <set>

namespace caelumen {
namespace fs = std::filesystem;
namespace {

std::size_t baselineIndex(const Trial& trial) {
    const auto index = [&](auto wanted) {
        const auto it = std::find_if(trial.runs.begin(), trial.runs.end(), wanted);
        return static_cast<std::size_t>(it - trial.runs.begin());
    };
    const auto ofKind = [&](const char* kind) {
        return index([&](const Run& r) {
            const Filter* f = trial.filter(r.filter);
            return f && f->kind == kind;
        });
    };
    for (const std::size_t i : {index([](const Run& r) { return r.baseline; }), ofKind(filter_kind::none), ofKind(filter_kind::uvIrCut)})
        if (i < trial.runs.size()) return i;
    return 0;
}

/// Green first: it has the stars to align by in most filters, and stands for the eye.
std::vector<std::size_t> channelOrder(const FrameInfo& info) {
    return info.channels.size() == 3 ? std::vector<std::size_t>{1, 0, 2} : std::vector<std::size_t>{0};
}

/// d ln FWHM / d ln amplitude: linear frames show a few thousandths at most, the stretches that people use from two hundredths to a quarter.
constexpr double kStretchedGrowth = 0.02;

class Measurer {
public:
    /// `alone`: nobody asks the memory for these stars again. `byColour`: one colour of all runs after the other, which spares reading, where that is possible.
    Measurer(const Trial& trial, const fs::path& folder, const Job& job, StarMemory& memory, bool alone, bool byColour)
        : m_trial(trial)
        , m_folder(folder)
        , m_job(job)
        , m_memory(memory)
        , m_alone(alone)
        , m_byColour(byColour) {}

    Result<TrialResults> run() {
        if (m_trial.runs.empty()) return Error{phrase("The trial has no runs; add two or more stacked frames.")};
        for (const Run& r : m_trial.runs) {
            auto open = openRun(m_trial, r, m_folder);
            if (!open) return open.error();
            open->conditions.nearInfrared = nearInfrared(m_trial.filter(r.filter));
            m_open.push_back(std::move(*open));
        }
        m_baseline = baselineIndex(m_trial);
        if (!m_open[m_baseline].problem.empty())
            return Error{
                phrase("The baseline run \"{}\" cannot be measured: {}; add it to the trial.", m_trial.runs[m_baseline].id, m_open[m_baseline].problem)};
        if (Status regions = checkRegions(); !regions) return regions.error();

        m_evidence.resize(m_open.size());
        m_refused.resize(m_open.size());
        m_stretched.resize(m_open.size());
        std::size_t planes = 0;
        for (std::size_t i = 0; i < m_open.size(); ++i) {
            m_evidence[i].run = m_trial.runs[i].id;
            m_refused[i] = m_open[i].problem;
            planes += m_open[i].file.info().channels.size();
        }
        m_step = 0.97 / static_cast<double>(2 * planes);
        m_surveys.resize(m_open.size());
        m_looks.resize(m_open.size());
        m_grid = structureGrid();
        if (Status done = takeAll(); !done) return done.error();
        m_spare = {}, m_spareMask = {};
        m_job.report(0.97, "Comparing");
        TrialResults results = assembleResults({m_trial, m_baseline, m_open, std::move(m_evidence), m_refused, m_stretched, m_reference.photometry, m_grid});
        results.warnings = m_warnings;
        m_job.report(1, "Done");
        return results;
    }

    bool needsOtherOrder() const { return m_needsOtherOrder; }

private:
    /// Mean transmission from 700 to 1000 nm, where the filter has a curve that can be read: no figure needs it.
    std::optional<double> nearInfrared(const Filter* filter) {
        if (!filter || filter->curve.empty()) return std::nullopt;
        const auto curve = readCurve(m_folder / pathOf(filter->curve));
        if (!curve) {
            warn(phrase("The curve of filter \"{}\" was left out: {}", filter->id, curve.error().message));
            return std::nullopt;
        }
        return leaksOf(*curve, {}).nearInfrared; // not told where the curve ends before that
    }

    Status checkRegions() const {
        const RunConditions& c = m_open[m_baseline].conditions;
        for (const Region& r : m_trial.regions) {
            const Region::Bounds b = r.bounds();
            if (b.max.x < -0.5 || b.max.y < -0.5 || b.min.x > c.width - 0.5 || b.min.y > c.height - 0.5)
                return Error{phrase("Region \"{}\" lies outside the baseline's frame of {} x {} pixels; move it into the picture.", r.id, c.width, c.height)};
        }
        return Done{};
    }

    HarvestRequest request(std::size_t i, std::size_t channel, const Plane& plane) {
        const OpenRun& o = m_open[i];
        HarvestRequest rq;
        rq.channel = o.file.info().channels[channel];
        rq.view = {o.file.info().geometry(channel), m_evidence[i].alignment, plane.width(), plane.height()};
        rq.arcsecPerStoredPixel = o.conditions.scale_arcsec;
        rq.total_s = o.conditions.total_s.value_or(0);
        rq.regions = &m_trial.regions;
        rq.haloReach = m_reference.haloReach;
        rq.grid = m_grid;
        rq.photometry = &m_reference.photometry;
        rq.apertureRadius = m_reference.apertureRadius;
        return rq;
    }

    /// What a pixel of the baseline is in pixels of a run, where both say how large theirs are.
    std::optional<double> statedScale(std::size_t i) const {
        const auto &base = m_open[m_baseline].conditions.scale_arcsec, &own = m_open[i].conditions.scale_arcsec;
        return base && own ? std::optional(*base / *own) : std::nullopt;
    }

    std::optional<Alignment> promisedAlignment(std::size_t i) const {
        const RunConditions &base = m_open[m_baseline].conditions, &own = m_open[i].conditions;
        if (!base.wcs || !own.wcs) return std::nullopt;
        const auto promised = alignmentFromWcs(*base.wcs, *own.wcs, base.width, base.height);
        if (!promised) return std::nullopt;
        const Point middle = promised->map({0.5 * base.width, 0.5 * base.height}); // another field is no alignment
        return middle.x > 0 && middle.y > 0 && middle.x < own.width && middle.y < own.height ? promised : std::nullopt;
    }

    /// Stretched data has no electrons any more: the brighter a star, the wider it looks.
    static bool looksStretched(const PlaneStars& stars) {
        return stars.psf && stars.psf->growth > kStretchedGrowth && stars.psf->growth > 5 * stars.psf->growthSigma;
    }

    PlaneView viewOf(std::size_t i, std::size_t c) const {
        const FrameInfo& info = m_open[i].file.info();
        const PlaneGeometry geometry = info.geometry(c);
        const auto size = [&](int stored) { return static_cast<int>(std::lround(stored / geometry.pitch)); };
        return {geometry, m_evidence[i].alignment, size(info.width), size(info.height)};
    }

    /// One plane at a time: all threads share it, so that memory holds no other. First the stars of all runs, since what any of them shows is hidden in all;
    /// then everything else, backwards, since the last plane is still at hand. The baseline first, since all others are measured by its stars.
    Status takeAll() {
        std::vector<std::size_t> order{m_baseline};
        for (std::size_t i = 0; i < m_open.size(); ++i)
            if (i != m_baseline) order.push_back(i);
        const std::vector<std::size_t> channels = channelOrder(m_open[m_baseline].file.info());
        std::vector<std::vector<std::size_t>> groups{channels};
        if (m_byColour && channels.size() > 1) {
            if (Status done = surveyAll(order, {channels[0]}); !done) return done;
            if (firstColourTellsAll()) {
                groups.clear();
                for (const std::size_t c : channels) groups.push_back({c});
            }
        }
        for (const auto& group : groups) {
            if (Status done = surveyAll(order, group); !done) return done;
            const bool last = &group == &groups.back();
            for (const std::size_t i : order)
                if (last && m_refused[i].empty())
                    if (Status done = concludeSurvey(i); !done) return done;
            for (const std::size_t i : order) // before the first run's stars go on into what is measured
                if (m_refused[i].empty())
                    for (const std::size_t c : channelsOf(i, group)) discsFor(m_open[i].file.info().channels[c]);
            if (m_alone) m_keys.clear();
            if (m_alone || last) m_memory.keepOnly(m_keys);
            for (auto i = order.rbegin(); i != order.rend(); ++i) {
                std::vector<std::size_t> own = m_refused[*i].empty() ? channelsOf(*i, group) : std::vector<std::size_t>{};
                for (auto c = own.rbegin(); c != own.rend(); ++c)
                    if (Status done = harvestPlaneOf(*i, *c); !done) return done;
            }
            m_hasHarvest = true;
        }
        for (auto i = order.rbegin(); i != order.rend(); ++i)
            if (m_refused[*i].empty())
                if (Status done = concludeHarvest(*i); !done) return done;
        return Done{};
    }

    /// A group of the baseline's channels in another run: all of its own for all of them; single ones are asked for where both have the same.
    std::vector<std::size_t> channelsOf(std::size_t i, const std::vector<std::size_t>& group) const {
        return group.size() == m_open[m_baseline].file.info().channels.size() ? channelOrder(m_open[i].file.info()) : group;
    }

    /// All runs have the same colours and are aligned by now, and the stars to measure are chosen: one colour after the other can be measured, so that the last
    /// plane of each need not be read again.
    bool firstColourTellsAll() const {
        if (m_reference.photometry.empty()) return false;
        for (std::size_t i = 0; i < m_open.size(); ++i)
            if (m_refused[i].empty() && (!m_looks[i].aligned || m_open[i].file.info().channels != m_open[m_baseline].file.info().channels)) return false;
        return true;
    }

    Status surveyAll(const std::vector<std::size_t>& order, const std::vector<std::size_t>& group) {
        for (const std::size_t i : order) {
            m_surveys[i].resize(m_open[i].file.info().channels.size());
            for (const std::size_t c : channelsOf(i, group))
                if (c < m_surveys[i].size() && !m_surveys[i][c] && m_refused[i].empty())
                    if (Status done = survey(i, c); !done) return done;
        }
        tbb::parallel_for(std::size_t{0}, m_open.size(), [&](std::size_t i) { // no run knows of another's
            if (i == m_baseline || !m_refused[i].empty()) return;
            for (const std::size_t c : channelsOf(i, group))
                if (!m_looks[i].aligned && c < m_surveys[i].size() && m_looks[i].tried.insert(c).second) alignBy(i, c, m_surveys[i][c]->stars);
        });
        return Done{};
    }

    Status survey(std::size_t i, std::size_t c) {
        OpenRun& o = m_open[i];
        const FrameInfo& info = o.file.info();
        Look& look = m_looks[i];
        if (m_job.cancelled()) return Error{kCancelled};
        m_job.report(m_step * m_done++, phrase("Finding the stars of run {} ({})", o.run->id, info.channels[c]));
        const std::string key = surveyKey(o, c);
        m_keys.insert(key);
        auto known = m_memory.find(key);
        if (!known) {
            auto fresh = surveyPlane(o, c, look.scaled01, m_spare);
            if (!fresh) return fresh.error();
            m_kept = std::pair(i, c);
            known = std::make_shared<const Survey>(std::move(*fresh));
            m_memory.keep(key, known);
        }
        m_surveys[i][c] = known;
        const Survey& found = *known;
        if (!look.scaled01 && found.scaled01) addFlag(o.conditions, flag::assumedScale);
        look.scaled01 = found.scaled01;
        look.hasValues = look.hasValues || found.hasValues;
        if (looksStretched(found.stars)) {
            if (i == m_baseline)
                return Error{phrase("{} is stretched (its bright stars are wider than its faint ones), so nothing in it can be measured; give the "
                                    "linear stack as the baseline.",
                                    shown(info.path))};
            if (m_hasHarvest) { // its stars are hidden in what was measured
                m_needsOtherOrder = true;
                return Error{kCancelled};
            }
            m_stretched[i] = true;
            m_refused[i] =
                phrase("the frame is stretched, not linear (its bright stars are wider than its faint ones); give the stack as it was before stretching");
            return Done{};
        }
        if (i == m_baseline) m_reference.learn(found.stars, viewOf(i, c), info.channels[c], o);
        return Done{};
    }

    void alignBy(std::size_t i, std::size_t c, const PlaneStars& stars) {
        OpenRun& o = m_open[i];
        const FrameInfo& info = o.file.info();
        const auto* reference = m_reference.starsFor(info.channels[c]);
        const auto promised = promisedAlignment(i);
        auto alignment = align(reference ? *reference : std::vector<AlignStar>{}, alignStars(stars, info.geometry(c)), statedScale(i));
        if (!alignment && promised && c == channelOrder(info).back()) alignment = *promised; // better than nothing; fairness says so
        if (alignment && promised)
            o.conditions.wcsOffset_px = distanceBetween(*alignment, *promised, m_open[m_baseline].conditions.width, m_open[m_baseline].conditions.height);
        if (alignment) {
            m_evidence[i].alignment = *alignment;
            m_looks[i].aligned = true;
        } else if (m_looks[i].refusal.empty()) {
            m_looks[i].refusal = alignment.error().message;
        }
    }

    Status concludeSurvey(std::size_t i) {
        const Look& look = m_looks[i];
        if (!look.hasValues && i == m_baseline)
            return Error{
                phrase("{} has no pixel with a value: all are NaN, infinite or zero; give another frame as the baseline.", shown(m_open[i].file.info().path))};
        if (!look.aligned && i != m_baseline) m_refused[i] = look.hasValues ? look.refusal : phrase("no pixel has a value: all are NaN, infinite or zero");
        return Done{};
    }

    StructureGrid structureGrid() const {
        const RunConditions& c = m_open[m_baseline].conditions;
        return StructureGrid::over(c.width, c.height, apartPixels(boxSide(c.scale_arcsec)));
    }

    /// What is hidden in a plane: the stars of its channel in every run, of all channels where a run has no such one.
    const SharedDiscs& discsFor(const std::string& channel) {
        const auto [known, fresh] = m_discs.try_emplace(channel);
        if (!fresh) return known->second;
        std::vector<MaskSource> sources;
        for (std::size_t i = 0; i < m_open.size(); ++i) {
            if (!m_refused[i].empty()) continue;
            const auto& channels = m_open[i].file.info().channels;
            const bool has = std::find(channels.begin(), channels.end(), channel) != channels.end();
            for (std::size_t c = 0; c < channels.size(); ++c)
                if (!has || channels[c] == channel)
                    sources.push_back({&m_surveys[i][c]->stars.stars, &m_surveys[i][c]->stars.psf, m_surveys[i][c]->stars.typicalNoise, viewOf(i, c)});
        }
        return known->second = std::make_shared<const std::vector<StarDisc>>(commonDiscs(sources));
    }

    Status harvestPlaneOf(std::size_t i, std::size_t c) {
        OpenRun& o = m_open[i];
        const FrameInfo& info = o.file.info();
        if (m_job.cancelled()) return Error{kCancelled};
        m_job.report(m_step * m_done++, phrase("Measuring run {} ({})", o.run->id, info.channels[c]));
        const Survey& found = *m_surveys[i][c];
        Result<Plane> plane = isKept(i, c) ? std::move(m_spare) : o.file.readChannel(c, std::move(m_spare), o.toRate(found.scaled01));
        if (!plane) return plane.error();
        markDefects(*plane, found.defects);
        const auto halves = halvesOf(i, c, *plane, found.scaled01);
        if (!halves) return halves.error();
        HarvestRequest rq = request(i, c, *plane);
        rq.discs = discsFor(info.channels[c]);
        rq.spare = &m_spareMask;
        if (*halves) rq.halves = &**halves;
        PlaneStars stars = found.stars;
        m_surveys[i][c].reset(); // held twice only where others want it
        m_evidence[i].planes.push_back(harvestPlane(*plane, std::move(stars), rq));
        keep(std::move(*plane), i, c);
        return Done{};
    }

    Status concludeHarvest(std::size_t i) {
        if (!m_open[i].run->short_stack.empty())
            if (Status done = takeShortFluxes(i); !done) return done;
        const auto& channels = m_open[i].file.info().channels;
        std::sort(m_evidence[i].planes.begin(), m_evidence[i].planes.end(), [&](const PlaneHarvest& a, const PlaneHarvest& b) {
            const auto rank = [&](const std::string& ch) { return std::find(channels.begin(), channels.end(), ch); };
            return rank(a.channel) < rank(b.channel);
        });
        return Done{};
    }

    /// The light of halo stars from the run's short exposures, in which they are not saturated.
    Status takeShortFluxes(std::size_t i) {
        Run brief = *m_open[i].run;
        brief.stack = brief.short_stack;
        brief.sub_exposure_s = brief.short_exposure_s;
        brief.sub_count = brief.short_count;
        auto opened = openRun(m_trial, brief, m_folder);
        if (!opened) return opened.error();
        const FrameInfo& info = opened->file.info();
        if (!opened->problem.empty())
            return Error{phrase("The short stack {} cannot be used: {}; add it to the trial as short_exposure_s.", shown(info.path), opened->problem)};
        std::optional<bool> scaled01;
        for (std::size_t c = 0; c < info.channels.size(); ++c) {
            const auto target =
                std::find_if(m_evidence[i].planes.begin(), m_evidence[i].planes.end(), [&](const PlaneHarvest& p) { return p.channel == info.channels[c]; });
            if (target == m_evidence[i].planes.end()) continue;
            const auto plane = opened->readRates(c, scaled01);
            if (!plane) return plane.error();
            const PlaneGeometry geometry = info.geometry(c);
            const PlaneStars stars = findStars(*plane, opened->rateOf(opened->knownSaturation), geometry.split);
            const auto* reference = m_reference.starsFor(info.channels[c]);
            auto alignment = align(reference ? *reference : std::vector<AlignStar>{}, alignStars(stars, geometry), statedScale(i));
            if (!alignment) alignment = m_evidence[i].alignment; // few stars in so short a stack: it was taken beside the long one
            const PlaneView view{geometry, *alignment, plane->width(), plane->height()};
            for (const Region& r : m_trial.regions) {
                const auto halo = target->halos.find(r.id);
                if (r.role != RegionRole::HaloStar || halo == target->halos.end() || !halo->second) continue;
                const auto flux = starFlux(*plane, stars, view.toPlane(r.points[0]));
                if (!flux) continue; // the long stack's own estimate stays
                halo->second->flux = flux->flux;
                halo->second->fluxSigma = flux->sigma;
                halo->second->fromShort = true;
            }
        }
        return Done{};
    }

    /// What the halves of a stack differ by, in its own rates and with its own noise; nothing where it has no halves. Halves that merely lie beside it and do
    /// not fit are left out.
    Result<std::optional<Plane>> halvesOf(std::size_t i, std::size_t c, const Plane& whole, bool scaled01) {
        const OpenRun& o = m_open[i];
        if (o.halves.odd.empty()) return std::optional<Plane>{};
        auto difference = readHalves(o, c, whole, scaled01);
        if (difference) return std::optional<Plane>(std::move(*difference));
        if (o.halves.named) return difference.error();
        warn(phrase("Noise of run {} is not taken from the halves beside its stack: {}", o.run->id, difference.error().message));
        return std::optional<Plane>{};
    }

    /// The last plane, in rates and without defects.
    void keep(Plane&& plane, std::size_t run, std::size_t channel) {
        m_spare = std::move(plane);
        m_kept = std::pair(run, channel);
    }
    bool isKept(std::size_t run, std::size_t channel) const { return m_kept == std::pair(run, channel); }

    void warn(std::string text) {
        if (std::find(m_warnings.begin(), m_warnings.end(), text) == m_warnings.end()) m_warnings.push_back(std::move(text));
    }

    static void addFlag(RunConditions& c, const std::string& flag) {
        if (std::find(c.flags.begin(), c.flags.end(), flag) == c.flags.end()) c.flags.push_back(flag);
    }

    const Trial& m_trial;
    const fs::path& m_folder;
    const Job& m_job;
    StarMemory& m_memory;
    bool m_alone, m_byColour;
    bool m_hasHarvest = false;      ///< of a colour of all runs
    bool m_needsOtherOrder = false; ///< a later colour told what the first should have known
    std::vector<OpenRun> m_open;
    std::vector<RunEvidence> m_evidence;
    std::vector<char> m_stretched;      ///< by run
    std::vector<std::string> m_refused; ///< by run: why it is not measured; empty when it is
    std::vector<std::string> m_warnings;
    Reference m_reference;
    /// What the planes of a run told so far.
    struct Look {
        bool aligned = false, hasValues = false;
        std::optional<bool> scaled01; ///< whether values go from 0 to 1: the first plane tells
        std::set<std::size_t> tried;  ///< channels to align by
        std::string refusal;
    };
    std::vector<Look> m_looks;                                         ///< by run
    std::vector<std::vector<std::shared_ptr<const Survey>>> m_surveys; ///< by run and channel
    std::set<std::string> m_keys;                                      ///< of them in the memory
    std::map<std::string, SharedDiscs> m_discs;                        ///< by channel
    StructureGrid m_grid;
    std::size_t m_baseline = 0;
    Plane m_spare; ///< the last plane, and memory for the next
    Mask m_spareMask;
    std::optional<std::pair<std::size_t, std::size_t>> m_kept; ///< which run and channel that is
    int m_done = 0;
    double m_step = 0;
};

} // namespace

Result<TrialResults> measureTrial(const Trial& trial, const fs::path& folder, const Job& job, StarMemory* memory) {
    try {
        StarMemory own;
        StarMemory& stars = memory ? *memory : own;
        Measurer byColour(trial, folder, job, stars, !memory, true);
        auto results = byColour.run();
        return byColour.needsOtherOrder() ? Measurer(trial, folder, job, stars, !memory, false).run() : results;
    } catch (const std::bad_alloc&) {
        return Error{phrase("There is not enough memory for these frames; close other programs or measure fewer runs at once.")};
    } catch (const std::exception& e) {
        return Error{phrase("The trial could not be measured because of a fault in the program ({}); please report it.", e.what())};
    }
}

} // namespace caelumen

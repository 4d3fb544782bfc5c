#include "core/prepare/verdict.h"

#include "core/base/phrase.h"
#include "core/base/statistics.h"
#include "core/stars/star_grid.h"

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <unordered_map>

namespace caelumen {
namespace {

double medianOf(std::vector<double> v) {
    return median(std::span<double>(v));
}

double scatterOf(std::vector<double> v) {
    return v.size() < 3 ? 0 : robustSigma(v);
}

std::vector<AlignStar> forAlignment(const SubStars& stars) {
    std::vector<AlignStar> out;
    for (const SubStar& s : stars) out.push_back({s.at, s.brightness});
    return out;
}

/// Sharp, round and rich in stars.
double goodness(const SubFigures& f) {
    return f.problem.empty() && f.fwhm_px ? f.stars / (std::pow(*f.fwhm_px, 2) * (0.3 + f.eccentricity.value_or(1))) : -1;
}

/// Light of a star within the run's aperture: a soft sub must not pass for a cloudy one. Moffat of beta 3, as turbulent air makes it (Trujillo et al. 2001,
/// MNRAS 328, 977).
double enclosed(const SubFigures& f) {
    const double ratio = 1.0196 * f.aperture_px / f.fwhm_px.value_or(f.aperture_px);
    return 1 - std::pow(1 + ratio * ratio, -2);
}

/// Subs laid on the reference, and their starlight held against its.
class OnReference {
public:
    explicit OnReference(const SubFigures& reference)
        : m_reference(reference) {
        const SubStars stars = reference.found.list();
        m_stars = forAlignment(stars);
        for (const SubStar& s : stars)
            if (s.flux > 0) m_places.push_back(s.at), m_fluxes.push_back(s.flux);
    }

    void lay(JudgedSub& s) const {
        s.alignment.reset(), s.starlight.reset();
        const SubStars stars = s.figures->found.list();
        if (&*s.figures == &m_reference)
            s.alignment = Alignment{0, 0, 0, 1, false, 0, static_cast<int>(s.figures->found.size())};
        else if (s.figures->problem.empty())
            if (auto found = align(m_stars, forAlignment(stars))) s.alignment = *found;
        if (s.alignment && m_places.size() >= 5) s.starlight = starlightOf(s, stars);
    }

private:
    std::optional<double> starlightOf(const JudgedSub& s, const SubStars& stars) const {
        const double reach = std::max(2.0, s.figures->fwhm_px.value_or(3));
        const StarGrid grid(m_places, reach);
        std::vector<double> parts;
        for (const SubStar& star : stars) {
            if (star.flux <= 0) continue;
            const auto at = grid.nearest(s.alignment->unmap(star.at), reach);
            if (at >= 0) parts.push_back(star.flux / m_fluxes[static_cast<std::size_t>(at)]);
        }
        if (parts.size() < 5) return std::nullopt;
        const double seconds = s.figures->exposure_s && m_reference.exposure_s ? *s.figures->exposure_s / *m_reference.exposure_s : 1;
        return medianOf(std::move(parts)) / seconds * enclosed(m_reference) / enclosed(s.figures);
    }

    const SubFigures& m_reference;
    std::vector<AlignStar> m_stars;
    std::vector<Point> m_places;
    std::vector<double> m_fluxes;
};

/// What each sub's stars lost against the best: their light over the run's best decile.
void compareStars(JudgedRun& run) {
    std::vector<double> known;
    for (const JudgedSub& s : run.subs)
        if (s.starlight) known.push_back(*s.starlight);
    const double best = known.empty() ? 1 : quantile(known, 0.9);
    for (JudgedSub& s : run.subs) s.transparency = s.starlight ? std::optional(*s.starlight / best) : std::nullopt;
}

/// Lays all subs on one of them. What an earlier judging of the same reference found for a sub holds: each that lands costs one sub's work.
void layOn(JudgedRun& run, std::size_t reference, const JudgedRun* earlier) {
    const auto same = [](const SubFigures& a, const SubFigures& b) { return a.file == b.file && a.found.sameAs(b.found); };
    std::unordered_map<std::string, const JudgedSub*> laid;
    if (earlier && !earlier->subs.empty() && same(earlier->subs[earlier->reference].figures, run.subs[reference].figures))
        for (const JudgedSub& s : earlier->subs) laid[s.figures->file] = &s;
    const OnReference on(run.subs[reference].figures);
    run.reference = reference;
    tbb::parallel_for(std::size_t{0}, run.subs.size(), [&](std::size_t i) {
        JudgedSub& s = run.subs[i];
        const auto before = laid.find(s.figures->file);
        if (before != laid.end() && before->second->compared && same(before->second->figures, s.figures))
            s.alignment = before->second->alignment, s.starlight = before->second->starlight;
        else
            on.lay(s);
        s.compared = true;
    });
    compareStars(run);
}

/// Transmission of clear air at this sub over that of the run's highest one, at 0.2 mag per airmass.
double airOf(const SubFigures& f, double least) {
    return f.airmass && least > 0 ? std::pow(10, -0.4 * 0.2 * (*f.airmass - least)) : 1;
}

/// The sky that the subs before and after let expect: the brighter of both sides, so that a rise under the moon passes; at the ends of the run one side, drawn
/// on as it grows. 0: unknown.
double expectedSky(const JudgedRun& run, std::size_t of) {
    const auto side = [&](int direction) {
        std::vector<double> out; // nearest first
        for (auto k = static_cast<std::ptrdiff_t>(of) + direction; k >= 0 && k < static_cast<std::ptrdiff_t>(run.subs.size()) && out.size() < 4; k += direction)
            if (const SubFigures& f = run.subs[static_cast<std::size_t>(k)].figures; f.problem.empty()) out.push_back(skyRate(f, {}));
        return out;
    };
    const auto middle = [](const std::vector<double>& s) {
        return medianOf({s.begin(), s.begin() + static_cast<std::ptrdiff_t>(std::min<std::size_t>(3, s.size()))});
    };
    const auto before = side(-1), after = side(1);
    if (before.size() >= 2 && after.size() >= 2) return std::max(middle(before), middle(after));
    const auto& only = before.size() >= after.size() ? before : after;
    if (only.size() < 2) return 0;
    std::vector<double> growth;
    for (std::size_t k = 0; k + 1 < only.size(); ++k)
        if (only[k + 1] > 0) growth.push_back(only[k] / only[k + 1]);
    const double each = growth.empty() ? 1 : std::clamp(medianOf(growth), 1.0, 1.5);
    return middle(only) * each * each; // the middle of three lies two subs away
}

} // namespace

const char* reasonName(SubReason reason) {
    switch (reason) {
    case SubReason::None:
        return "";
    case SubReason::Unreadable:
        return "unreadable";
    case SubReason::Cloud:
        return "cloud";
    case SubReason::Trailed:
        return "trailed";
    case SubReason::Soft:
        return "soft";
    case SubReason::SoftCorner:
        return "soft corner";
    case SubReason::BrightSky:
        return "bright sky";
    case SubReason::Twilight:
        return "twilight";
    case SubReason::FlatMismatch:
        return "flat mismatch";
    case SubReason::NotAligned:
        return "not aligned";
    case SubReason::ByHand:
        return "by hand";
    }
    return "";
}

std::size_t JudgedRun::kept() const {
    return static_cast<std::size_t>(std::count_if(subs.begin(), subs.end(), [](const JudgedSub& s) { return s.keep; }));
}

double JudgedRun::kept_s() const {
    return std::accumulate(subs.begin(), subs.end(), 0.0,
                           [](double sum, const JudgedSub& s) { return sum + (s.keep ? s.figures->exposure_s.value_or(0) : 0); });
}

std::optional<Clearness> JudgedRun::transparency() const {
    Clearness out;
    double n = 0;
    for (const JudgedSub& s : subs) {
        if (!s.keep || !s.transparency) continue;
        const double t = *s.transparency;
        if (n == 0 || t < out.least) out.least = t, out.dimmest = s.figures->file;
        out.most = n == 0 ? t : std::max(out.most, t);
        out.mean += t, n += 1;
    }
    if (n == 0) return std::nullopt;
    out.mean /= n;
    return out;
}

std::map<SubReason, double> JudgedRun::lost_s() const {
    std::map<SubReason, double> out;
    for (const JudgedSub& s : subs)
        if (!s.keep) out[s.reason] += s.figures->exposure_s.value_or(0);
    return out;
}

Result<JudgedRun> judgeRun(std::vector<SharedFigures> figures, const CullOptions& cull, const std::string& wanted, const JudgedRun* earlier) {
    JudgedRun run;
    std::stable_sort(figures.begin(), figures.end(),
                     [](const SubFigures& a, const SubFigures& b) { return !a.start.empty() && !b.start.empty() && a.start < b.start; });
    for (SharedFigures& f : figures) {
        run.subs.emplace_back();
        run.subs.back().figures = std::move(f);
    }
    if (run.subs.empty()) return Error{phrase("There are no subs to judge.")};

    std::optional<std::size_t> given;
    if (!wanted.empty()) {
        for (std::size_t i = 0; i < run.subs.size(); ++i)
            if (isMeant(run.subs[i].figures->file, wanted)) given = i;
        if (!given) return Error{phrase("The reference {} is none of the subs; name one of them.", wanted)};
        if (!run.subs[*given].figures->problem.empty()) return Error{phrase("The reference {} cannot be used: {}", wanted, run.subs[*given].figures->problem)};
    }
    const auto best =
        std::max_element(run.subs.begin(), run.subs.end(), [](const JudgedSub& a, const JudgedSub& b) { return goodness(a.figures) < goodness(b.figures); });
    if (!given && goodness(best->figures) < 0) {
        const auto readable = std::find_if(run.subs.begin(), run.subs.end(), [](const JudgedSub& s) { return s.figures->problem.empty(); });
        if (readable == run.subs.end()) return Error{run.subs.front().figures->problem};
        return Error{phrase("No stars can be measured in any of the {} subs; nothing can be laid on each other.", run.subs.size())};
    }
    layOn(run, given.value_or(static_cast<std::size_t>(best - run.subs.begin())), earlier);
    judgeAgain(run, cull);
    if (!run.subs[run.reference].keep && !given) { // another that is kept
        std::size_t next = run.reference;
        double most = -1;
        for (std::size_t i = 0; i < run.subs.size(); ++i)
            if (run.subs[i].keep && goodness(run.subs[i].figures) > most) most = goodness(run.subs[i].figures), next = i;
        if (next != run.reference) {
            layOn(run, next, earlier);
            judgeAgain(run, cull);
        }
    }
    return run;
}

namespace {

/// What is usual in a run: middles of its subs' figures and how far these scatter.
struct Usual {
    double width = 0, shape = 0, stars = 0, vignette = 0, tilt = 0;
    double widthSpread = 0, shapeSpread = 0, vignetteSpread = 0, tiltSpread = 0;
    double leastAirmass = 0; ///< 0: none is known
    bool several = false;    ///< fewer cannot tell which of them is odd
    bool tilts = false;
};

Usual usualOf(const JudgedRun& run) {
    std::vector<double> fwhm, shape, stars, vignette, tilt;
    Usual out;
    for (const JudgedSub& s : run.subs) {
        const SubFigures& f = s.figures;
        if (!f.problem.empty()) continue;
        if (f.fwhm_px) fwhm.push_back(*f.fwhm_px), shape.push_back(*f.eccentricity);
        if (f.tilt) tilt.push_back(*f.tilt);
        stars.push_back(f.stars);
        vignette.push_back(f.vignette);
        if (f.airmass && (out.leastAirmass == 0 || *f.airmass < out.leastAirmass)) out.leastAirmass = *f.airmass;
    }
    out.several = stars.size() >= 3, out.tilts = tilt.size() >= 3;
    out.width = medianOf(fwhm), out.shape = medianOf(shape), out.stars = medianOf(stars), out.vignette = medianOf(vignette), out.tilt = medianOf(tilt);
    out.widthSpread = scatterOf(fwhm), out.shapeSpread = scatterOf(shape), out.vignetteSpread = scatterOf(vignette), out.tiltSpread = scatterOf(tilt);
    return out;
}

struct Objection {
    SubReason reason = SubReason::None;
    std::string words;
};

/// What speaks against a sub by itself or beside its neighbours; the first that counts, by weight.
Objection objectionTo(const JudgedRun& run, std::size_t i, const Usual& usual, const CullLimits& limit) {
    const JudgedSub& s = run.subs[i];
    const SubFigures& f = s.figures;
    if (!f.problem.empty()) return {SubReason::Unreadable, f.problem};
    const double beside = expectedSky(run, i), brighter = beside > 0 ? skyRate(f, {}) / beside : 1;
    const double air = airOf(f, usual.leastAirmass);
    if (f.sunAltitude_deg && *f.sunAltitude_deg > -9)
        return {SubReason::Twilight, *f.sunAltitude_deg > 0 ? phrase("The sun was up.")
                                                            : phrase("The sun stood only {:.0f} degrees below the horizon: {} twilight.", -*f.sunAltitude_deg,
                                                                     *f.sunAltitude_deg > -6 ? phrase("civil") : phrase("nautical"))};
    if (usual.several && s.transparency && *s.transparency < limit.transparency * air)
        return {SubReason::Cloud, phrase("Stars give {:.0f} % of their light{}.", 100 * *s.transparency,
                                         air < 0.97 ? phrase(" where clear air at this altitude lets {:.0f} % through", 100 * air) : "")};
    if (usual.several && f.eccentricity && *f.eccentricity > 0.5 && *f.eccentricity > usual.shape + std::max(limit.eccentricity, 5 * usual.shapeSpread))
        return {SubReason::Trailed, phrase("Stars are drawn out: eccentricity {:.2f} where the run has {:.2f}.", *f.eccentricity, usual.shape)};
    if (usual.several && f.fwhm_px && *f.fwhm_px > usual.width * limit.fwhm && *f.fwhm_px > usual.width + 4 * usual.widthSpread)
        return {SubReason::Soft, phrase("FWHM {:.2f} px where the run has {:.2f}.", *f.fwhm_px, usual.width)};
    if (usual.tilts && f.tilt && *f.tilt > usual.tilt + std::max({limit.tilt, 5 * usual.tiltSpread, 4 * f.tiltSigma}))
        return {SubReason::SoftCorner,
                phrase("Stars in one corner are {:.2f} times as wide as in the middle where the run has {:.2f}: tilt, or something in the light.", *f.tilt,
                       usual.tilt)};
    if (usual.several && f.stars < limit.stars * usual.stars) return {SubReason::Cloud, phrase("{} stars where the run has {:.0f}.", f.stars, usual.stars)};
    // It must show in the pixels, too: next to no sky doubles by chance.
    const double more = f.level.empty() ? 0 : f.level.at(f.channel) * (1 - 1 / std::max(1.0, brighter));
    if (usual.several && brighter > limit.sky && more > 0.25 * f.noise.at(f.channel))
        return {SubReason::BrightSky, phrase("The sky is {:.1f} times as bright as before and after.", brighter)};
    if (usual.several && std::abs(f.vignette - usual.vignette) > std::max({limit.vignette, 5 * usual.vignetteSpread, 5 * f.vignetteSigma}))
        return {SubReason::FlatMismatch,
                phrase("The corners are {:+.0f} % off the run's shape: flat, dew or an obstacle.", 100 * (f.vignette - usual.vignette))};
    if (!s.alignment) return {SubReason::NotAligned, phrase("Its {} stars do not lie as the reference's do.", f.found.size())};
    return {};
}

/// A person's word counts over all others, as far as the sub can be used at all.
void takePersonsWord(JudgedSub& s, const CullOptions& cull) {
    const auto named = [&](const std::vector<std::string>& list) {
        return std::any_of(list.begin(), list.end(), [&](const std::string& p) { return isMeant(s.figures->file, p); });
    };
    if (named(cull.reject)) {
        if (s.keep) s.reason = SubReason::ByHand, s.words = phrase("Left out by a person.");
        s.keep = false, s.byHand = true;
    } else if (named(cull.keep) && s.figures->problem.empty() && s.alignment) {
        s.byHand = !s.keep;
        s.keep = true;
    }
}

std::vector<std::string> notesOn(const JudgedRun& run, bool several) {
    std::vector<std::string> notes;
    double turned = 0;
    for (const JudgedSub& s : run.subs)
        if (s.keep && s.alignment) turned = std::max(turned, std::abs(std::remainder(s.alignment->rotation_deg, 180)));
    const auto starless = std::count_if(run.subs.begin(), run.subs.end(), [](const JudgedSub& s) { return s.figures->problem.empty() && !s.transparency; });
    if (several && starless > 0)
        notes.push_back(phrase("{} of {} subs share too few stars with the reference: clouds over {} are not told by starlight, only by the sky.", starless,
                               run.subs.size(), starless == 1 ? phrase("it") : phrase("them")));
    if (!several)
        notes.push_back(phrase("{} {} too few to tell which is odd: none is left out for clouds, focus or trails.", run.subs.size(),
                               run.subs.size() == 1 ? phrase("sub is") : phrase("subs are")));
    if (turned > 2) notes.push_back(phrase("The camera was turned by {:.1f} degrees within the run: one set of flats cannot fit all its subs.", turned));
    return notes;
}

} // namespace

void judgeAgain(JudgedRun& run, const CullOptions& cull) {
    const Usual usual = usualOf(run);
    for (std::size_t i = 0; i < run.subs.size(); ++i) {
        JudgedSub& s = run.subs[i];
        Objection against = objectionTo(run, i, usual, cull.limits);
        s.byHand = false, s.reason = against.reason, s.words = std::move(against.words);
        s.keep = s.reason == SubReason::None || (!cull.automatic && s.reason != SubReason::Unreadable && s.reason != SubReason::NotAligned);
        takePersonsWord(s, cull);
    }
    run.notes = notesOn(run, usual.several);
}

} // namespace caelumen

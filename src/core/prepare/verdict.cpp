#include "core/prepare/verdict.h"

#include "core/base/statistics.h"
#include "core/stars/star_grid.h"

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <numeric>

namespace caelumen {
namespace {

double medianOf(std::vector<double> v) {
    return median(std::span<double>(v));
}

double scatterOf(std::vector<double> v) {
    return v.size() < 3 ? 0 : robustSigma(v);
}

std::vector<AlignStar> starsOf(const SubFigures& f) {
    std::vector<AlignStar> out;
    for (const SubStar& s : f.found) out.push_back({s.at, s.brightness});
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

/// What each sub's stars lost against the best: medians of flux ratios to the reference, over the run's best decile, freed of what the air takes with altitude.
void compareStars(JudgedRun& run) {
    const SubFigures& reference = run.subs[run.reference].figures;
    std::vector<Point> places;
    std::vector<double> fluxes;
    for (const SubStar& s : reference.found)
        if (s.flux > 0) places.push_back(s.at), fluxes.push_back(s.flux);
    if (places.size() < 5) return;
    std::vector<std::optional<double>> ratios(run.subs.size());
    tbb::parallel_for(std::size_t{0}, run.subs.size(), [&](std::size_t i) {
        const JudgedSub& s = run.subs[i];
        if (!s.alignment) return;
        const double reach = std::max(2.0, s.figures.fwhm_px.value_or(3));
        const StarGrid grid(places, reach);
        std::vector<double> parts;
        for (const SubStar& star : s.figures.found) {
            if (star.flux <= 0) continue;
            const auto at = grid.nearest(s.alignment->unmap(star.at), reach);
            if (at >= 0) parts.push_back(star.flux / fluxes[static_cast<std::size_t>(at)]);
        }
        const double seconds = s.figures.exposure_s > 0 && reference.exposure_s > 0 ? s.figures.exposure_s / reference.exposure_s : 1;
        if (parts.size() >= 5) ratios[i] = medianOf(std::move(parts)) / seconds * enclosed(reference) / enclosed(s.figures);
    });
    std::vector<double> known;
    for (const auto& r : ratios)
        if (r) known.push_back(*r);
    if (known.empty()) return;
    const double best = quantile(known, 0.9);
    for (std::size_t i = 0; i < ratios.size(); ++i)
        if (ratios[i]) run.subs[i].figures.transparency = *ratios[i] / best;
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
            if (const SubFigures& f = run.subs[static_cast<std::size_t>(k)].figures; f.problem.empty()) out.push_back(skyRate(f, 0));
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
    return std::accumulate(subs.begin(), subs.end(), 0.0, [](double sum, const JudgedSub& s) { return sum + (s.keep ? s.figures.exposure_s : 0); });
}

std::optional<Clearness> JudgedRun::transparency() const {
    Clearness out;
    double n = 0;
    for (const JudgedSub& s : subs) {
        if (!s.keep || !s.figures.transparency) continue;
        const double t = *s.figures.transparency;
        if (n == 0 || t < out.least) out.least = t, out.dimmest = s.figures.file;
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
        if (!s.keep) out[s.reason] += s.figures.exposure_s;
    return out;
}

Result<JudgedRun> judgeRun(std::vector<SubFigures> figures, const CullOptions& cull, const std::string& wanted) {
    JudgedRun run;
    std::stable_sort(figures.begin(), figures.end(),
                     [](const SubFigures& a, const SubFigures& b) { return !a.start.empty() && !b.start.empty() && a.start < b.start; });
    for (SubFigures& f : figures) run.subs.push_back({std::move(f), true, SubReason::None, {}, false, {}});
    if (run.subs.empty()) return Error{"There are no subs to judge."};

    const auto align = [&](std::size_t to) {
        tbb::parallel_for(std::size_t{0}, run.subs.size(), [&](std::size_t i) {
            JudgedSub& s = run.subs[i];
            s.alignment.reset();
            if (i == to)
                s.alignment = Alignment{0, 0, 0, 1, false, 0, static_cast<int>(s.figures.found.size())};
            else if (s.figures.problem.empty())
                if (auto found = caelumen::align(starsOf(run.subs[to].figures), starsOf(s.figures))) s.alignment = *found;
        });
        run.reference = to;
    };
    std::optional<std::size_t> given;
    if (!wanted.empty()) {
        for (std::size_t i = 0; i < run.subs.size(); ++i)
            if (isMeant(run.subs[i].figures.file, wanted)) given = i;
        if (!given) return Error{fmt::format("The reference {} is none of the subs; name one of them.", wanted)};
        if (!run.subs[*given].figures.problem.empty())
            return Error{fmt::format("The reference {} cannot be used: {}", wanted, run.subs[*given].figures.problem)};
    }
    const auto best =
        std::max_element(run.subs.begin(), run.subs.end(), [](const JudgedSub& a, const JudgedSub& b) { return goodness(a.figures) < goodness(b.figures); });
    if (!given && goodness(best->figures) < 0) {
        const auto readable = std::find_if(run.subs.begin(), run.subs.end(), [](const JudgedSub& s) { return s.figures.problem.empty(); });
        if (readable == run.subs.end()) return Error{run.subs.front().figures.problem};
        return Error{fmt::format("No stars can be measured in any of the {} subs; nothing can be laid on each other.", run.subs.size())};
    }
    align(given.value_or(static_cast<std::size_t>(best - run.subs.begin())));
    compareStars(run);
    judgeAgain(run, cull);
    if (!run.subs[run.reference].keep && !given) { // another that is kept
        std::size_t next = run.reference;
        double most = -1;
        for (std::size_t i = 0; i < run.subs.size(); ++i)
            if (run.subs[i].keep && goodness(run.subs[i].figures) > most) most = goodness(run.subs[i].figures), next = i;
        if (next != run.reference) {
            align(next);
            compareStars(run);
            judgeAgain(run, cull);
        }
    }
    return run;
}

void judgeAgain(JudgedRun& run, const CullOptions& cull) {
    const CullLimits& limit = cull.limits;
    std::vector<double> fwhm, shape, stars, vignette, tilt;
    double least = 0;
    for (const JudgedSub& s : run.subs) {
        const SubFigures& f = s.figures;
        if (!f.problem.empty()) continue;
        if (f.fwhm_px) fwhm.push_back(*f.fwhm_px), shape.push_back(*f.eccentricity);
        if (f.tilt) tilt.push_back(*f.tilt);
        stars.push_back(f.stars);
        vignette.push_back(f.vignette);
        if (f.airmass && (least == 0 || *f.airmass < least)) least = *f.airmass;
    }
    const bool several = stars.size() >= 3; // fewer cannot tell which of them is odd
    const double usualWidth = medianOf(fwhm), usualShape = medianOf(shape), usualStars = medianOf(stars), usualVignette = medianOf(vignette),
                 usualTilt = medianOf(tilt);
    const double widthSpread = scatterOf(fwhm), shapeSpread = scatterOf(shape), vignetteSpread = scatterOf(vignette), tiltSpread = scatterOf(tilt);
    run.notes.clear();
    for (std::size_t i = 0; i < run.subs.size(); ++i) {
        JudgedSub& s = run.subs[i];
        const SubFigures& f = s.figures;
        s.keep = true, s.byHand = false, s.reason = SubReason::None, s.words.clear();
        const auto against = [&](SubReason reason, std::string words) {
            if (s.reason != SubReason::None) return; // the first one counts
            s.reason = reason, s.words = std::move(words);
        };
        if (!f.problem.empty()) {
            against(SubReason::Unreadable, f.problem);
        } else {
            const double beside = expectedSky(run, i), brighter = beside > 0 ? skyRate(f, 0) / beside : 1;
            const double air = airOf(f, least);
            if (f.sunAltitude_deg && *f.sunAltitude_deg > -9)
                against(SubReason::Twilight, *f.sunAltitude_deg > 0 ? "The sun was up."
                                                                    : fmt::format("The sun stood only {:.0f} degrees below the horizon: {} twilight.",
                                                                                  -*f.sunAltitude_deg, *f.sunAltitude_deg > -6 ? "civil" : "nautical"));
            if (several && f.transparency && *f.transparency < limit.transparency * air)
                against(SubReason::Cloud, fmt::format("Stars give {:.0f} % of their light{}.", 100 * *f.transparency,
                                                      air < 0.97 ? fmt::format(" where clear air at this altitude lets {:.0f} % through", 100 * air) : ""));
            const double few = limit.stars * usualStars;
            const bool elongated =
                several && f.eccentricity && *f.eccentricity > 0.5 && *f.eccentricity > usualShape + std::max(limit.eccentricity, 5 * shapeSpread);
            if (several && elongated)
                against(SubReason::Trailed, fmt::format("Stars are drawn out: eccentricity {:.2f} where the run has {:.2f}.", *f.eccentricity, usualShape));
            if (several && f.fwhm_px && *f.fwhm_px > usualWidth * limit.fwhm && *f.fwhm_px > usualWidth + 4 * widthSpread)
                against(SubReason::Soft, fmt::format("FWHM {:.2f} px where the run has {:.2f}.", *f.fwhm_px, usualWidth));
            if (tilt.size() >= 3 && f.tilt && *f.tilt > usualTilt + std::max({limit.tilt, 5 * tiltSpread, 4 * f.tiltSigma}))
                against(SubReason::SoftCorner,
                        fmt::format("Stars in one corner are {:.2f} times as wide as in the middle where the run has {:.2f}: tilt, or something in the light.",
                                    *f.tilt, usualTilt));
            if (several && f.stars < few) against(SubReason::Cloud, fmt::format("{} stars where the run has {:.0f}.", f.stars, usualStars));
            const double more =
                f.level.empty() ? 0
                                : f.level.at(f.channel) * (1 - 1 / std::max(1.0, brighter)); // must show in the pixels, too: next to no sky doubles by chance
            if (several && brighter > limit.sky && more > 0.25 * f.noise.at(f.channel))
                against(SubReason::BrightSky, fmt::format("The sky is {:.1f} times as bright as before and after.", brighter));
            if (several && std::abs(f.vignette - usualVignette) > std::max({limit.vignette, 5 * vignetteSpread, 5 * f.vignetteSigma}))
                against(SubReason::FlatMismatch,
                        fmt::format("The corners are {:+.0f} % off the run's shape: flat, dew or an obstacle.", 100 * (f.vignette - usualVignette)));
            if (!s.alignment) against(SubReason::NotAligned, fmt::format("Its {} stars do not lie as the reference's do.", f.found.size()));
        }
        s.keep = s.reason == SubReason::None || (!cull.automatic && s.reason != SubReason::Unreadable && s.reason != SubReason::NotAligned);
        const auto named = [&](const std::vector<std::string>& list) {
            return std::any_of(list.begin(), list.end(), [&](const std::string& p) { return isMeant(f.file, p); });
        };
        if (named(cull.reject)) {
            if (s.keep) s.reason = SubReason::ByHand, s.words = "Left out by a person.";
            s.keep = false, s.byHand = true;
        } else if (named(cull.keep) && f.problem.empty() && s.alignment) {
            s.byHand = !s.keep;
            s.keep = true;
        }
    }
    double turned = 0;
    for (const JudgedSub& s : run.subs)
        if (s.keep && s.alignment) turned = std::max(turned, std::abs(std::remainder(s.alignment->rotation_deg, 180)));
    const auto starless =
        std::count_if(run.subs.begin(), run.subs.end(), [](const JudgedSub& s) { return s.figures.problem.empty() && !s.figures.transparency; });
    if (several && starless > 0)
        run.notes.push_back(fmt::format("{} of {} subs share too few stars with the reference: clouds over {} are not told by starlight, only by the sky.",
                                        starless, run.subs.size(), starless == 1 ? "it" : "them"));
    if (!several)
        run.notes.push_back(fmt::format("{} {} too few to tell which is odd: none is left out for clouds, focus or trails.", run.subs.size(),
                                        run.subs.size() == 1 ? "sub is" : "subs are"));
    if (turned > 2)
        run.notes.push_back(fmt::format("The camera was turned by {:.1f} degrees within the run: one set of flats cannot fit all its subs.", turned));
}

} // namespace caelumen

#include "core/live/star_light.h"

#include "core/base/statistics.h"

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

constexpr std::size_t kStars = 300, kFewest = 20;
constexpr std::size_t kLookedThrough = 4000; ///< the brightest of a sub, among which those of the base are
constexpr double kReach_px = 2.5;

/// Brightest unspoilt stars of a sub.
std::vector<SubStar> brightest(const SubFigures& f) {
    std::vector<SubStar> out;
    for (const SubStar& s : f.found.list())
        if (s.flux > 0 && out.size() < kStars) out.push_back(s);
    return out;
}

std::vector<AlignStar> forAlignment(const SubFigures& f) {
    std::vector<AlignStar> out;
    for (const SubStar& s : f.found.list())
        if (out.size() < kStars) out.push_back({s.at, s.brightness});
    return out;
}

const SubFigures& referenceOf(const JudgedRun& run) {
    return run.subs[run.reference].figures;
}

/// Fluxes of stars where the alignment puts them.
std::vector<float> lookedUp(const std::vector<SubStar>& stars, const SubFigures& f, const Alignment& toReference, const Alignment& toSub) {
    const SubStars list = f.found.list();
    std::vector<const SubStar*> byRow;
    for (const SubStar& s : list)
        if (byRow.size() < kLookedThrough) byRow.push_back(&s);
    std::sort(byRow.begin(), byRow.end(), [](const SubStar* a, const SubStar* b) { return a->at.y < b->at.y; });
    std::vector<float> out(stars.size(), 0);
    for (std::size_t i = 0; i < stars.size(); ++i) {
        const Point at = toSub.map(toReference.map(stars[i].at));
        auto it = std::lower_bound(byRow.begin(), byRow.end(), at.y - kReach_px, [](const SubStar* s, double y) { return s->at.y < y; });
        const SubStar* best = nullptr;
        double nearest = kReach_px * kReach_px;
        for (; it != byRow.end() && (*it)->at.y <= at.y + kReach_px; ++it) {
            const double d = std::pow((*it)->at.x - at.x, 2) + std::pow((*it)->at.y - at.y, 2);
            if (d < nearest) nearest = d, best = *it;
        }
        if (best && best->flux > 0) out[i] = static_cast<float>(best->flux);
    }
    return out;
}

} // namespace

std::map<std::string, double> StarLight::of(const std::vector<const JudgedRun*>& runs, const std::vector<std::optional<double>>& gains) {
    if (runs.empty() || std::any_of(runs.begin(), runs.end(), [](const JudgedRun* r) { return r->subs.empty(); })) return {};
    const JudgedRun& first = *runs.front();
    const auto stars = brightest(referenceOf(first));
    if (stars.size() < kFewest) return {};
    // What was looked up holds as long as all are laid on the same subs.
    std::string base;
    for (const JudgedRun* r : runs) base += referenceOf(*r).file + "\n";
    if (base != m_base) {
        m_looked.clear(), m_toReference.clear(), m_common.clear(), m_light.clear(), m_base = base;
        for (const JudgedRun* r : runs) {
            const auto found = r == &first ? Result<Alignment>(Alignment{}) : align(forAlignment(referenceOf(first)), forAlignment(referenceOf(*r)), 1.0);
            m_toReference.push_back(found ? std::optional(*found) : std::nullopt);
        }
    }
    if (std::any_of(m_toReference.begin(), m_toReference.end(), [](const auto& a) { return !a; })) return {};
    const bool electrons = std::all_of(gains.begin(), gains.end(), [](const auto& g) { return g.has_value(); });
    struct Seen {
        const SubFigures* sub;
        const std::vector<float>* fluxes;
        double factor;
    };
    std::vector<Seen> seen;
    for (std::size_t r = 0; r < runs.size(); ++r)
        for (const JudgedSub& s : runs[r]->subs) {
            if (!s.keep || !s.alignment || !s.figures->exposure_s) continue;
            Looked& looked = m_looked[s.figures->file];
            if (looked.fluxes.empty() || !looked.of.sameAs(s.figures->found)) { // a file may have been written anew
                looked = {s.figures->found, lookedUp(stars, s.figures, *m_toReference[r], *s.alignment)};
                m_light.erase(s.figures->file);
            }
            seen.push_back({&*s.figures, &looked.fluxes, (electrons ? *gains[r] : 1) / *s.figures->exposure_s});
        }
    // The same stars in all of them.
    std::vector<int> times(stars.size(), 0);
    for (const Seen& s : seen)
        for (std::size_t i = 0; i < stars.size(); ++i) times[i] += (*s.fluxes)[i] > 0;
    std::vector<std::size_t> common;
    for (std::size_t i = 0; i < stars.size(); ++i)
        if (10 * times[i] >= 9 * static_cast<int>(seen.size())) common.push_back(i);
    if (common.size() < kFewest) return {};
    if (common != m_common) m_light.clear(), m_common = common;
    std::map<std::string, double> out;
    for (const Seen& s : seen) {
        auto& [factor, light] = m_light[s.sub->file];
        if (factor != s.factor) {
            std::vector<double> ratios;
            for (const std::size_t i : common)
                if (const double flux = (*s.fluxes)[i]; flux > 0) ratios.push_back(std::log(flux * s.factor / stars[i].flux));
            factor = s.factor, light = ratios.size() >= kFewest ? std::optional(median(std::span<double>(ratios))) : std::nullopt;
        }
        if (light) out[s.sub->file] = *light;
    }
    return out;
}

} // namespace caelumen

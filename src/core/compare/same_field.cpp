#include "core/compare/same_field.h"

#include "core/base/phrase.h"
#include "core/base/text.h"
#include "core/compare/run_facts.h"
#include "core/compare/star_memory.h"
#include "core/compare/wcs_alignment.h"
#include "core/sky/ephemeris.h"

#include <fmt/format.h>

#include <cctype>

namespace caelumen {
namespace {

constexpr double kSameField_deg = 0.5;

std::string plain(const std::string& name) {
    std::string out;
    for (const char c : name)
        if (!std::isspace(static_cast<unsigned char>(c))) out += static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    return out;
}

const Run* baselineOf(const Trial& trial) {
    const Run* marked = trial.baseline();
    return marked ? marked : trial.runs.empty() ? nullptr : &trial.runs.front();
}

std::vector<AlignStar> starsOf(const PlaneGeometry& geometry, const std::vector<Star>& stars) {
    std::vector<AlignStar> out;
    for (const Star& s : stars) out.push_back({geometry.toStored({s.x, s.y}), s.flux});
    return out;
}

} // namespace

bool sameTarget(const Target& a, const Target& b) {
    if (a.ra_deg && a.dec_deg && b.ra_deg && b.dec_deg) return separation_deg(*a.ra_deg, *a.dec_deg, *b.ra_deg, *b.dec_deg) < kSameField_deg;
    return !a.name.empty() && plain(a.name) == plain(b.name);
}

Result<Alignment> alignmentBetween(const Trial& from, const Trial& to, const Job& job) {
    const Run *a = baselineOf(from), *b = baselineOf(to);
    if (!a || !b) return Error{phrase("A trial without runs has no frame to lay regions on; add its frames first.")};
    const auto openA = openRun(from, *a, {}), openB = openRun(to, *b, {});
    if (!openA) return openA.error();
    if (!openB) return openB.error();
    if (openA->conditions.wcs && openB->conditions.wcs)
        if (const auto map = alignmentFromWcs(*openA->conditions.wcs, *openB->conditions.wcs, openA->conditions.width, openA->conditions.height)) return *map;
    std::vector<AlignStar> stars[2];
    int i = 0;
    for (const OpenRun* run : {&*openA, &*openB}) {
        if (job.cancelled()) return Error{kCancelled};
        job.report(0.5 * i, phrase("Finding stars of ") + shown(run->file.info().path.filename()));
        Plane plane;
        const std::size_t channel = run->file.info().channels.size() / 2; // green, where there is one
        const auto survey = surveyPlane(*run, channel, std::nullopt, plane);
        if (!survey) return survey.error();
        stars[i++] = starsOf(run->file.info().geometry(channel), survey->stars.stars);
    }
    std::optional<double> scale;
    if (openA->conditions.scale_arcsec && openB->conditions.scale_arcsec) scale = *openA->conditions.scale_arcsec / *openB->conditions.scale_arcsec;
    auto map = align(std::move(stars[0]), std::move(stars[1]), scale);
    if (!map)
        return Error{phrase("{} and {} have no sky coordinates and too few stars in common, so that regions cannot be taken over: {}",
                            shown(openA->file.info().path.filename()), shown(openB->file.info().path.filename()), map.error().message)};
    return map;
}

} // namespace caelumen

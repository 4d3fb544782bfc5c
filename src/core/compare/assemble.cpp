#include "core/compare/assemble.h"

#include "core/base/phrase.h"
#include "core/compare/fairness.h"
#include "core/compare/figures.h"
#include "core/compare/headlines.h"
#include "core/compare/nebula_mask.h"
#include "core/compare/rank_runs.h"
#include "core/model/quantity.h"

#include <tbb/parallel_for.h>

#include <cmath>
#include <memory>
#include <utility>

namespace caelumen {
namespace {

std::vector<std::string> allQuantities() {
    std::vector<std::string> out;
    for (const Quantity& q : quantities()) out.emplace_back(q.id);
    return out;
}

/// By run, its channels.
std::vector<std::vector<Sky>> skiesOf(const MeasuredRuns& m) {
    std::vector<std::vector<Sky>> out(m.evidence.size());
    std::vector<std::pair<std::size_t, std::size_t>> all;
    for (std::size_t i = 0; i < out.size(); ++i) {
        const RunEvidence& e = m.evidence[i];
        for (const PlaneHarvest& h : e.planes) {
            all.emplace_back(i, out[i].size());
            out[i].push_back({&h, &e.surfaces.at(h.channel), &e.excludedCells.at(h.channel), {}, {}});
        }
    }
    const auto skyOf = [&](std::size_t n) -> Sky& { return out[all[n].first][all[n].second]; };
    std::vector<const Sky*> planes;
    std::vector<std::size_t> runs;
    for (std::size_t n = 0; n < all.size(); ++n) planes.push_back(&skyOf(n)), runs.push_back(all[n].first);
    const auto repeats = whatRepeats(planes, runs, m.grid);
    tbb::parallel_for(std::size_t{0}, all.size(), [&](std::size_t n) {
        skyOf(n).repeats = repeats[n];
        skyOf(n).noise = boxNoise(skyOf(n), m.open[all[n].first].conditions.scale_arcsec.value_or(0));
    });
    return out;
}

} // namespace

TrialResults assembleResults(MeasuredRuns m) {
    TrialResults r;
    r.trial = m.trial.title;
    r.baseline = m.trial.runs[m.baseline].id;
    fitSurfaces(m.trial, m.evidence, m.baseline);
    for (const OpenRun& o : m.open) r.conditions.push_back(o.conditions);
    const std::vector<std::vector<Sky>> allSkies = skiesOf(m);
    const std::vector<Sky>& base = allSkies[m.baseline];
    const RunConditions& baseConditions = m.open[m.baseline].conditions;
    std::vector<TrialResults> parts(m.open.size());
    tbb::parallel_for(std::size_t{0}, m.open.size(), [&](std::size_t i) {
        TrialResults& part = parts[i];
        const Run& run = m.trial.runs[i];
        FigureSheet sheet(part, run, m.open[i].conditions);
        if (!m.refused[i].empty()) {
            for (const char* q : {q::background, q::nebulaSignal, q::nebulaContrast, q::timeRatio, q::haloRadius, q::haloDepth, q::colourSlope, q::colourCast,
                                  q::colourScatter, q::gradient, q::starCount})
                sheet.absent("", q, "", m.refused[i]);
            return;
        }
        if (i != m.baseline) part.alignment.push_back({run.id, m.evidence[i].alignment});
        const RunConditions& c = m.open[i].conditions;
        const double perArea = c.scale_arcsec && baseConditions.scale_arcsec ? std::pow(*c.scale_arcsec / *baseConditions.scale_arcsec, 2)
                                                                             : 1 / std::pow(m.evidence[i].alignment.scale, 2);
        const std::vector<Sky>& skies = allSkies[i];
        for (const Sky& sky : skies) {
            const Sky* other = nullptr;
            if (i != m.baseline)
                for (const Sky& b : base)
                    if (b.plane->channel == sky.plane->channel || base.size() == 1) other = &b;
            if (!other && i != m.baseline)
                for (const char* q : {q::backgroundRatio, q::backgroundMag, q::starThroughput, q::softness})
                    sheet.absent(sky.plane->channel, q, "", phrase("the baseline has no such channel"));
            backgroundFigures(sheet, sky, other, perArea);
            gradientFigures(sheet, sky, m.trial.site);
            starFigures(sheet, sky, other);
            artefactFigures(sheet, sky);
        }
        nebulaFigures(sheet, m.trial, skies, base, i == m.baseline, baseConditions, perArea);
        if (i == m.baseline) return;
        haloFigures(sheet, m.trial, m.open[i].rig, skies, m.evidence[i], m.evidence[m.baseline]);
        m.evidence[i].starsMeasured = m.photometry;
        colourFigures(sheet, m.evidence[i], m.evidence[m.baseline]);
    });
    for (const TrialResults& part : parts) {
        r.alignment.insert(r.alignment.end(), part.alignment.begin(), part.alignment.end());
        r.measurements.insert(r.measurements.end(), part.measurements.begin(), part.measurements.end());
        r.absent.insert(r.absent.end(), part.absent.begin(), part.absent.end());
    }
    chooseHeadlines(m.trial, r);
    r.evidence = std::make_shared<const std::vector<RunEvidence>>(std::move(m.evidence));
    r.fairness = judgeFairness(m.trial, r);
    for (std::size_t i = 0; i < m.open.size(); ++i)
        if (m.stretched[i])
            r.fairness.insert(r.fairness.begin(),
                              {m.trial.runs[i].id, "stretch", Grade::Voids, allQuantities(),
                               phrase("The frame is stretched, not linear: its bright stars are wider than its faint ones. Nothing in it was measured."),
                               false});
    r.ranking = rankRuns(m.trial, r);
    return r;
}

} // namespace caelumen

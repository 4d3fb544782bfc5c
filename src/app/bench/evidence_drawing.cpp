#include "app/bench/evidence_drawing.h"

#include "app/widgets/theme.h"
#include "core/compare/sentences.h"
#include "report/filter_style.h"

namespace caelumen {

const std::vector<EvidenceKind>& evidenceKinds() {
    using namespace evidence;
    static const std::vector<EvidenceKind> all{
        {"nebula", QT_TRANSLATE_NOOP("caelumen::EvidencePlot", "Against time"), againstTime},
        {"nebula", QT_TRANSLATE_NOOP("caelumen::EvidencePlot", "Its pixels"), regionPixels},
        {"background", QT_TRANSLATE_NOOP("caelumen::EvidencePlot", "Its pixels"), skyPixels},
        {"background", QT_TRANSLATE_NOOP("caelumen::EvidencePlot", "Across the frame"), skyMap},
        {"halo", QT_TRANSLATE_NOOP("caelumen::EvidencePlot", "Against radius"), haloProfile},
        {"colour", QT_TRANSLATE_NOOP("caelumen::EvidencePlot", "Star by star"), colourDiagram},
        {"gradient", QT_TRANSLATE_NOOP("caelumen::EvidencePlot", "Across the frame"), gradientMap},
        {"gradient", QT_TRANSLATE_NOOP("caelumen::EvidencePlot", "Along it"), alongGradient},
        {"artefacts", QT_TRANSLATE_NOOP("caelumen::EvidencePlot", "Rows"), rowLevels},
        {"artefacts", QT_TRANSLATE_NOOP("caelumen::EvidencePlot", "Columns"), columnLevels},
        {"artefacts", QT_TRANSLATE_NOOP("caelumen::EvidencePlot", "Star width"), widthMap},
    };
    return all;
}

namespace evidence {

const RunEvidence* of(const TrialResults& r, const QString& run) {
    if (!r.evidence) return nullptr;
    for (const RunEvidence& e : *r.evidence)
        if (e.run == run.toStdString() && !e.planes.empty()) return &e;
    return nullptr;
}

const PlaneHarvest* planeOf(const RunEvidence& e, const std::string& channel) {
    for (const PlaneHarvest& p : e.planes)
        if (p.channel == channel) return &p;
    return e.planes.empty() ? nullptr : &e.planes.front();
}

QString valueText(const Measurement* m, const QString& unit) {
    return m ? QString::fromStdString(formatValue(*m)) + (unit.isEmpty() ? "" : " " + unit) : tr("not measured");
}

QColor colourOf(const EvidenceSubject& s, const std::string& run) {
    return s.trial.run(run) ? runStyle(s.trial, run, run == s.results.baseline, theme().isRed()).colour : theme().text;
}

QString whyNot(const EvidenceSubject& s, const char* figure, const QString& otherwise) {
    if (const Absence* why = s.results.whyAbsent(s.run.toStdString(), figure)) return QString::fromStdString(why->reason);
    if (s.run.toStdString() == s.results.baseline) return tr("The baseline is what others are measured against; choose another run.");
    return otherwise;
}

} // namespace evidence
} // namespace caelumen

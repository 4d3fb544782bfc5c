#pragma once

#include "core/compare/evidence.h"
#include "core/model/results.h"

#include <QColor>
#include <QCoreApplication>
#include <QPointF>

#include <functional>
#include <vector>

class QCustomPlot;

namespace caelumen {

/// What a plot is of.
struct EvidenceSubject {
    const Trial& trial;
    const TrialResults& results;
    QString run, region;
    /// Rates of a run's pixels in a region of the baseline's frame, by name of its channel, at most some ten thousands, e-/s per pixel; none without a picture.
    std::function<std::vector<double>(const std::string& run, const Region& region, const std::string& channel)> pixels = {};
};

/// What stands around it.
struct EvidenceDrawn {
    QString title, text;
    std::vector<std::pair<QPointF, Point>> stars = {}; ///< points of a colour diagram, and where their stars are, baseline pixels
    bool map = false;                                  ///< a picture of the frame: both axes have one scale
};

/// One way to show where a figure comes from.
struct EvidenceKind {
    const char* score; ///< id
    const char* name;  ///< for tr
    EvidenceDrawn (*draw)(QCustomPlot& plot, const EvidenceSubject& subject);
};
/// All of them, the first of each score before the others.
const std::vector<EvidenceKind>& evidenceKinds();

namespace evidence {

inline QString tr(const char* text, const char* disambiguation = nullptr, int n = -1) {
    return QCoreApplication::translate("caelumen::EvidencePlot", text, disambiguation, n);
}
const RunEvidence* of(const TrialResults& results, const QString& run);                 ///< null without
const PlaneHarvest* planeOf(const RunEvidence& e, const std::string& channel);          ///< of that channel, else the first
QString valueText(const Measurement* m, const QString& unit = {});                      ///< "not measured" for null
QColor colourOf(const EvidenceSubject& subject, const std::string& run);                ///< as its filter has everywhere
QString whyNot(const EvidenceSubject& s, const char* figure, const QString& otherwise); ///< the reason of an absence, in words

EvidenceDrawn skyPixels(QCustomPlot& plot, const EvidenceSubject& s);
EvidenceDrawn skyMap(QCustomPlot& plot, const EvidenceSubject& s);
EvidenceDrawn againstTime(QCustomPlot& plot, const EvidenceSubject& s);
EvidenceDrawn regionPixels(QCustomPlot& plot, const EvidenceSubject& s);
EvidenceDrawn haloProfile(QCustomPlot& plot, const EvidenceSubject& s);
EvidenceDrawn colourDiagram(QCustomPlot& plot, const EvidenceSubject& s);
EvidenceDrawn gradientMap(QCustomPlot& plot, const EvidenceSubject& s);
EvidenceDrawn alongGradient(QCustomPlot& plot, const EvidenceSubject& s);
EvidenceDrawn rowLevels(QCustomPlot& plot, const EvidenceSubject& s);
EvidenceDrawn columnLevels(QCustomPlot& plot, const EvidenceSubject& s);
EvidenceDrawn widthMap(QCustomPlot& plot, const EvidenceSubject& s);

} // namespace evidence
} // namespace caelumen

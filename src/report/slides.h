#pragma once

#include "core/model/results.h"
#include "report/report_extras.h"

#include <QByteArray>
#include <QImage>
#include <QSize>
#include <QString>

#include <filesystem>
#include <vector>

namespace caelumen {

/// A figure of a report, alone.
struct ReportFigure {
    std::string id; ///< names its file: "nebula-n1"
    QString title;
    QByteArray svg;    ///< a drawing, or
    QImage image = {}; ///< a picture
};
/// Every drawing of the report: scores, halos, colours, ranking, pay-off; and colour pictures.
std::vector<ReportFigure> reportFigures(const Trial& trial, const TrialResults& results, const ReportExtras& extras);

/// What stands under every figure that leaves the report: target, place, conditions of the baseline, program.
QString conditionsLine(const Trial& trial, const TrialResults& results);

/// A figure for a slide or a video, white ground, with its title and the conditions.
QImage slideOf(const ReportFigure& figure, QSize size, const QString& conditions);

/// All of them as PNG into a folder, made where it is not there: "nebula-n1-1920.png". Names of the files written.
Result<std::vector<std::string>> writeSlides(const std::filesystem::path& folder, const std::vector<ReportFigure>& figures, QSize size,
                                             const QString& conditions);

std::string pngOf(const QImage& image);

} // namespace caelumen

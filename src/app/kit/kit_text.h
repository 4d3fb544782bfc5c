#pragma once

#include "app/filter_curve.h"
#include "core/model/trial.h"
#include "core/optics/passband_report.h"
#include "core/optics/system_response.h"

#include <QSize>
#include <QString>

#include <map>

namespace caelumen {

/// All that is said about one filter in one cone on one camera, as rich text: what matters first, then tables.
struct KitFacts {
    const Filter* filter = nullptr;
    const Rig* rig = nullptr;
    const Camera* camera = nullptr;
    PassbandReport report;
    std::vector<SystemChannel> system;
    std::vector<ColourPrediction> colours;
    std::vector<ClaimVerdict> claims;
    std::optional<LeakVerdict> density; ///< what is claimed between the bands
    ClaimTolerance tolerance;
    struct Measured {
        double value = 0, sigma = 0;
    };
    std::map<std::string, Measured> starThroughput;                          ///< by channel, as the trial's frames say
    std::map<std::string, std::map<std::string, Measured>> nebulaThroughput; ///< by region and channel
    std::vector<SystemChannel> baselineSystem;                               ///< what the baseline's own filter leaves; empty: it has none
    QString baseline;                                                        ///< name of that filter
    std::optional<double> skyBrightness;                                     ///< V mag per square arcsecond of the site
    QSize frame;                                                             ///< of the trial, pixels; empty: not known
    std::vector<std::string> contradictions;
    std::vector<std::string> otherwise;        ///< in what the campaign says something else of this filter
    CurveSource source = CurveSource::Nothing; ///< of what follows
    std::vector<std::string> warnings;
};

QString kitPage(const KitFacts& facts);
/// The tables as tab-separated text.
QString kitTable(const KitFacts& facts);

} // namespace caelumen

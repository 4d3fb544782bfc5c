#pragma once

#include "core/prepare/moon_response.h"
#include "core/prepare/night_scale.h"
#include "core/prepare/prepare_run.h"

#include <QString>

#include <map>
#include <memory>
#include <optional>

namespace caelumen {

/// The lights of one group: their figures as they become known, then their verdicts.
struct SubsRun {
    QString of;                                  ///< the recipe that the figures hold for
    JudgedRun run;                               ///< all lights, those too that are not measured yet
    bool judged = false, hopeless = false;       ///< judged: all as they are; hopeless: nothing can be judged before something changes
    std::optional<double> gain = {};             ///< e-/ADU
    std::shared_ptr<SubNotebook> notebook;       ///< of its figures
    std::shared_ptr<const SubMeasurer> measurer; ///< with its masters, which are large: of the run in hand and the last measured one
    std::optional<MoonResponse> moon;            ///< of the channel that stars were looked for in, where it can be told
    std::optional<NightScale> scale;             ///< of its transparency among all runs of the night
};

/// A light of which only the name is known.
JudgedSub notMeasured(std::string file, std::optional<double> exposure_s);

} // namespace caelumen

#pragma once

#include "core/prepare/intake.h"

#include <QStringList>

#include <map>
#include <optional>

namespace caelumen {

/// What a person knows of frames whose headers do not say it, or say it wrongly. Empty: as the header says.
struct ToldFacts {
    std::string filter, target, bayer;
    std::optional<double> exposure_s, gain_e_per_adu, latitude_deg, longitude_deg;
    friend bool operator==(const ToldFacts&, const ToldFacts&) = default;
};

/// What a person has decided about subs: kept in the campaign, undone like every edit.
struct SubsDecisions {
    QStringList sources;                    ///< folders and files
    std::map<std::string, FrameKind> kinds; ///< by file: told otherwise than its header
    std::map<std::string, ToldFacts> told;  ///< by file
    std::vector<std::string> keep, reject;  ///< files
    CullLimits limits = CullLimits::forFairTest();
    CombineOptions combine;
    MosaicMode mosaic = MosaicMode::Half;
    FlatSchool flats = FlatSchool::Divide;
    bool halves = true, maps = false;
    friend bool operator==(const SubsDecisions&, const SubsDecisions&) = default;
};
/// A recipe of them, to go through what recipes already go through.
SubsRecipe asRecipe(const SubsDecisions& decisions);
Json decisionsToJson(const SubsDecisions& decisions);
SubsDecisions decisionsFromJson(const Json& json);

} // namespace caelumen

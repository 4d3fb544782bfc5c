#pragma once

#include "core/base/json_fwd.h"
#include "core/base/result.h"
#include "core/image/frame_file.h"
#include "core/model/results.h"

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

namespace caelumen {

/// One figure of a run that the log shows: the headline of its quantity.
struct LogFigure {
    std::string quantity, channel;
    double value = 0, sigma = 0; ///< in the unit of the quantity
    bool limit = false;          ///< it lies below that
    bool voided = false;         ///< something besides the filter explains it
    friend bool operator==(const LogFigure&, const LogFigure&) = default;
};

/// One run of some night, as a person finds it again years later.
struct LogEntry {
    std::string uid;          ///< the same for the same run whenever it is written
    std::string campaign;     ///< file; empty: a stack that was found in a folder
    long long trialId = 0;    ///< in that campaign
    std::string trial, run;   ///< title and id
    std::string stack;        ///< file
    std::string filter, kind; ///< name of the filter, and what kind it is
    bool baseline = false;
    Target target;
    std::string place;
    std::optional<double> latitude_deg, longitude_deg, skyMag; ///< zenith brightness, mag/arcsec^2
    std::optional<int> bortle;
    std::optional<double> moonIlluminated, moonAltitude_deg, moonSeparation_deg;
    std::string rig, camera;
    std::string start, night; ///< ISO 8601 UTC; date of its evening, "2026-06-15"
    std::optional<double> exposure_s, total_s;
    std::optional<int> count;
    std::vector<LogFigure> figures;
    std::vector<std::string> photos; ///< of filter or rig, files
    // A person's own, kept when the rest is written anew:
    std::string tags, notes;
    friend bool operator==(const LogEntry&, const LogEntry&) = default;

    const LogFigure* figure(const std::string& quantity) const;
    std::string sky() const;  ///< "Bortle 5", "20.1 mag", or empty
    std::string moon() const; ///< none, crescent, half, gibbous, full; empty: unknown
};

/// What a run of a campaign is known by.
std::string logUid(const std::string& campaign, long long trialId, const std::string& run);

/// Whether all runs of `before` are among `now`, of the same trials and of the same times: one campaign under two names.
bool isOneCampaign(const std::vector<const LogEntry*>& before, const std::vector<LogEntry>& now);

/// None below the horizon, else by the lit part: crescent to 35 %, half to 65 %, gibbous to 95 %, full.
std::string moonWord(std::optional<double> illuminated, std::optional<double> altitude_deg);

/// The runs of a trial. `results` may be null. File names as the trial has them (absolute in a campaign).
std::vector<LogEntry> logEntries(const Trial& trial, const TrialResults* results, const std::string& campaign, long long trialId);

/// A stack that nobody has measured, by its header (and what its name says).
LogEntry logEntryOf(const FrameInfo& frame);

Json logEntryToJson(const LogEntry& entry);
Result<LogEntry> logEntryFromJson(const Json& json, const std::string& source);

} // namespace caelumen

#pragma once

#include "core/live/evidence.h"
#include "core/live/star_light.h"

#include <string>

namespace caelumen {

/// What of two filters is held against each other while subs land.
enum class LiveQuantity {
    Background, ///< of the sky, of one channel
    Starlight,  ///< of the same stars
    StarTime,   ///< time to the same signal to noise on a faint star: sky noise squared over starlight squared
    Sharpness,  ///< FWHM of stars
};
const char* liveQuantityName(LiveQuantity quantity); ///< "sky background", ...

/// One filter's subs of the night, as judged so far.
struct LiveRun {
    std::string filter;
    const JudgedRun* run = nullptr;
    double gain_e_per_adu = 0; ///< 0: unknown
};

enum class LiveWord {
    TooEarly, ///< the order of the blocks cannot tell yet
    GoOn,
    ToldApart, ///< stop
    Alike,     ///< whatever the difference is, it is too small to be noticed: stop
    NotTonight ///< the time that is left is not enough
};

/// One quantity of two filters.
struct LivePair {
    std::size_t a = 0, b = 0; ///< of the runs
    LiveQuantity quantity = LiveQuantity::Background;
    std::string channel;
    LiveWord word = LiveWord::TooEarly;
    std::vector<LiveEvidence> evidence; ///< as it grew
    std::optional<double> toldAt;       ///< second
    std::optional<int> moreSubs;        ///< of each filter, if the difference is what it seems to be
    std::string absent;                 ///< why there is nothing to hold against each other; a sentence
    double ratio() const;               ///< b over a
    std::optional<double> lowRatio() const, highRatio() const;
    std::string sentence(const std::vector<LiveRun>& runs) const; ///< in words, with numbers
};

struct LiveOptions {
    double alpha = 0.05;               ///< part of nights in which anything may be told apart wrongly, all pairs and quantities together
    double notice = 0.03;              ///< a ratio that lies within so much of 1 is no difference to anybody
    std::optional<double> secondsLeft; ///< of the night for this target; unknown without
};

struct LiveStop {
    std::vector<LivePair> pairs;
    double alphaEach = 0.05; ///< what one of them is allowed
    double start = 0;        ///< julian day that seconds count from
    std::vector<std::string> notes;
};

/// What the night has told so far. Subs that were left out do not count; clouds and pauses break the steps that lead over them. `light` remembers stars between
/// calls.
LiveStop judgeLive(const std::vector<LiveRun>& runs, StarLight& light, const LiveOptions& options);

} // namespace caelumen

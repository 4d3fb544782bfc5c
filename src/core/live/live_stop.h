#pragma once

#include "core/live/evidence.h"
#include "core/live/star_light.h"

#include <optional>
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
    std::optional<double> gain_e_per_adu = {};
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
    std::string sentence(const std::vector<std::string>& filters) const; ///< in words, with numbers
};

struct LiveOptions {
    double alpha = 0.05;               ///< part of nights in which anything may be told apart wrongly, all pairs and quantities together
    double notice = 0.03;              ///< a ratio that lies within so much of 1 is no difference to anybody
    std::optional<double> secondsLeft; ///< of the night for this target; unknown without
};

/// What subs of several filters say about one quantity.
struct LiveSeries {
    LiveQuantity quantity = LiveQuantity::Background;
    std::string channel;
    std::vector<LivePoint> points;
    bool within = true; ///< steps within blocks tell how it wanders; focus changes at swaps
};

/// A night's subs, ready to be judged away from where they are kept.
struct LiveNight {
    std::vector<std::string> filters;
    std::vector<LiveSeries> series;
    double perBlock = 1;  ///< subs between two swaps, on average
    double cadence_s = 0; ///< from one sub to the next, clouds and pauses included
    double start = 0;     ///< julian day that seconds count from
    double latest = 0;    ///< second of the last sub
    std::vector<std::string> notes;
};

/// Subs that were left out do not count. `light` remembers stars between calls.
LiveNight liveNight(const std::vector<LiveRun>& runs, StarLight& light);

struct LiveStop {
    std::vector<LivePair> pairs;
    double alphaEach = 0.05; ///< what one of them is allowed
};

/// What the night has told so far. Clouds and pauses break the steps that lead over them.
LiveStop judgeLive(const LiveNight& night, const LiveOptions& options);

} // namespace caelumen

#pragma once

#include "core/compare/run_facts.h"
#include "core/measure/harvest.h"
#include "core/stars/alignment.h"

#include <map>
#include <string>
#include <vector>

namespace caelumen {

/// A plane's stars for aligning, stored pixels; the brightest ones.
std::vector<AlignStar> alignStars(const PlaneStars& found, const PlaneGeometry& geometry);

/// What every run is measured with, taken from the baseline.
struct Reference {
    std::map<std::string, std::vector<AlignStar>> stars; ///< by channel
    std::vector<Point> photometry;                       ///< whose light is measured in all channels and runs, baseline pixels
    double apertureRadius = 4, haloReach = 100;          ///< baseline pixels

    /// Takes what one channel of the baseline shows; the first one with a star image decides about photometry.
    void learn(const PlaneStars& found, const PlaneView& view, const std::string& channel, const OpenRun& baseline);
    /// The stars to align a channel by: its own, else green, else any; null without any.
    const std::vector<AlignStar>* starsFor(const std::string& channel) const;
};

} // namespace caelumen

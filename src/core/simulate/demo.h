#pragma once

#include "core/base/job.h"
#include "core/base/result.h"
#include "core/model/trial.h"
#include "core/simulate/scene.h"

#include <filesystem>
#include <vector>

namespace caelumen {

/// One trial of the virtual night: what a person would have written down, and the scene behind it.
struct SimulatedTrial {
    std::string folder; ///< beneath the output folder
    Trial trial;
    std::vector<SceneRun> runs; ///< in the order of trial.runs
    unsigned long long seed = 1;
    double nebulaBrightness = 250;      ///< rayleigh
    double starsPerSquareDegree = 5500; ///< down to the faintest of the scene
    SceneStar brightStar;
};

/// The six made-up filters of the demo.
std::vector<SceneFilter> demoFilters();

/// The demo campaign: the Bergwind Star Circle tests six filters from a city roof at full moon, a garden at first quarter and a dry plateau at new moon.
/// `width` scales the frames (1600 for the real one).
std::vector<SimulatedTrial> demoTrials(int width = 1600);

/// Photographs a trial: frames, curves, trial.json and truth.json in out/folder. Existing frames are replaced.
Status writeTrial(const SimulatedTrial& simulated, const std::filesystem::path& out, const Job& job = {});

/// All demo trials, or the one whose folder is `only`; an Error names the folders when there is none such.
Status writeDemo(const std::filesystem::path& out, const Job& job = {}, int width = 1600, const std::string& only = {});

} // namespace caelumen

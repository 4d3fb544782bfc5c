#pragma once

#include "core/grid/sky.h"
#include "core/model/results.h"

#include <filesystem>
#include <map>

namespace caelumen {

/// A trial that was measured, as it goes into a grid.
struct GridTrial {
    std::string name; ///< as it is shown, unique among those of a grid
    Trial trial;
    std::filesystem::path folder; ///< its files are named from here
    std::shared_ptr<const TrialResults> results;
    std::optional<Camera> camera = {}; ///< of its rig, where it is known; else a typical one is chosen
};

/// A filter of which only a curve is known.
struct GridCurve {
    std::string id, name;
    Curve curve;
};

struct GridFigure {
    double value = 0, sigma = 0;
};

/// One run of a trial and what counts of its figures. What a fairness finding voids is not among them.
struct GridRun {
    std::string trial, run, filter;
    bool baseline = false;
    std::string against; ///< the trial's baseline filter
    std::size_t site = 0;
    PlanRig rig;
    double exposure_s = 180, total_s = 3600;
    std::optional<GridSky> sky;
    double moonOverRun = 1;                       ///< mean moonlight of the run over that of `sky`
    std::string whyNoSky;                         ///< one sentence where there is none
    TargetKind kind = TargetKind::Emission;       ///< of the trial's target
    std::map<std::string, GridFigure> background; ///< by channel, e-/s/px of this run's rig; of a void one only what is shown
    bool backgroundVoid = false;
    std::map<std::string, GridFigure> timeRatio;  ///< mean over the nebula regions, in logarithms
    std::map<std::string, GridFigure> throughput; ///< the same
    std::map<std::string, GridFigure> starThroughput;
    std::optional<GridFigure> haloClean; ///< mag, of the worst channel's bright star
    std::string haloChannel;
    std::map<std::string, GridFigure> moonRejection; ///< by channel, of subs across moonrise: moonlight passed over what the baseline passes
    std::map<std::string, std::string> voided;       ///< quantity: why
    std::string label() const { return trial + "#" + run; }
};

/// A place, and the trials made there.
struct GridSite {
    Site site;
    std::string name;
    std::optional<double> stated_mag; ///< by meter or class
    double statedSigma = 0;           ///< mag: a class is coarser than a meter
};

/// Everything that a grid is made from.
struct GridInput {
    std::string baseline;            ///< filter that all others are compared with
    std::vector<GridFilter> filters; ///< the baseline first
    std::vector<GridRun> runs;
    std::vector<GridSite> sites;
    PlanRig rig;
    Camera camera;
    TargetKind kind = TargetKind::Emission; ///< of the first trial
    std::vector<std::string> notes;         ///< what was taken for granted or left out, in sentences

    const GridFilter* filter(const std::string& id) const;
    double usualAltitude_deg() const; ///< mean of the runs, whole degrees; 60 where none is known
};

/// What a person may have changed of it: the telescope's cone, the camera, the lines.
struct GridSetting {
    std::optional<double> fRatio;
    std::optional<Camera> camera;
    LineRatios lines;
};

/// Takes trials and lone curves together. Filters are the same where their ids are; curves are read from the trials' folders. The first trial's baseline is
/// everybody's. An Error for no trial, or for a curve that is named like a filter of a trial.
Result<GridInput> gridInput(const std::vector<GridTrial>& trials, const std::vector<GridCurve>& curves, const GridSetting& setting = {});

} // namespace caelumen

#pragma once

#include "core/model/results.h"
#include "core/simulate/render.h"

namespace caelumen {

/// What a perfect measurement of these frames would give, by the definitions of docs/measurements.md: computed from the noiseless light, never from the frames.
class TruthBook {
public:
    TruthBook(const Trial& trial, const NebulaMap& nebula, const std::vector<SceneStar>& stars)
        : m_trial(trial)
        , m_nebula(nebula)
        , m_stars(stars) {}

    /// Adds all figures of one channel of one run. Call the baseline first.
    void add(const SceneRun& run, int channel, const std::string& channelName, bool baseline, const CleanPlane& clean);
    /// Adds star-colour figures of a three-channel run.
    void addColours(const SceneRun& run, bool baseline);

    Json toJson() const;
    const std::vector<Measurement>& figures() const { return m_figures; }

private:
    /// What the sky regions hold, e-/s/px, and the noise of a box.
    struct Sky {
        double light = 0, gas = 0, boxNoise = 0;
    };
    void addNebula(const SceneRun& run, const std::string& channel, bool baseline, const CleanPlane& clean, const Sky& here);
    void addGradient(const SceneRun& run, const std::string& channel, const ChannelRates& rates);
    void addHalos(const SceneRun& run, const std::string& channel);
    void put(const SceneRun& run, const std::string& channel, const char* quantity, const std::string& region, double value);
    const Measurement* find(const std::string& run, const std::string& channel, const char* quantity, const std::string& region) const;
    std::string baselineId() const { return m_baseline ? m_baseline->id : std::string(); }

    const Trial& m_trial;
    const NebulaMap& m_nebula;
    const std::vector<SceneStar>& m_stars;
    std::optional<SceneRun> m_baseline;
    std::vector<Measurement> m_figures;
    /// Whether a star is bright enough (SNR 20) and unsaturated in all channels of a run, as the colour figures ask.
    bool usable(const SceneRun& run, const std::array<ChannelRates, 3>& rates, const SceneStar& star) const;
};

} // namespace caelumen

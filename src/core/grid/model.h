#pragma once

#include "core/grid/site_fit.h"

namespace caelumen {

/// A logarithm with what is not known of it.
struct LnEstimate {
    double ln = 0, sigma = 0; ///< natural logarithm
};

/// What all measured runs together say about skies, filters and telescope, and how far that may be trusted: its errors come from what the runs are off when
/// each is left out, drawn towards a usual error where runs are few.
class GridModel {
public:
    explicit GridModel(GridInput input);

    const GridInput& input() const { return m_input; }
    const std::vector<SiteFit>& sites() const { return m_sites; }

    /// Lamps of a sky: the given mix, else those of the places that were fitted, by how bright their skies are.
    void setLamps(const std::optional<LampMix>& mix) { m_lamps = mix; }
    std::array<double, kLamps> sharesFor(const GridSky& sky) const;

    /// Background in e-/s/px of a telescope. The whole error.
    LnEstimate background(const GridChannel& channel, const GridSky& sky, const PlanRig& rig) const;
    /// Background there over background here; of the same filter.
    LnEstimate backgroundStep(const GridChannel& channel, const GridSky& here, const GridSky& there, const PlanRig& rig) const;

    /// Two filters in one channel, with the exposures of their subs (s).
    struct Pair {
        const GridChannel *filter, *baseline;
        double exposure_s = 180, baselineExposure_s = 180;
    };
    /// Time ratio on a kind of target. Nothing where the baseline's channel does not see it.
    std::optional<LnEstimate> timeRatio(const Pair& pair, TargetKind kind, const GridSky& sky, const PlanRig& rig) const;
    /// Time ratio there over time ratio here, for the same target.
    LnEstimate timeRatioStep(const Pair& pair, const GridSky& here, const GridSky& there, const PlanRig& rig) const;
    /// Part of a target's light that the filter leaves of the baseline's.
    std::optional<LnEstimate> throughput(const Pair& pair, TargetKind kind) const;
    /// Squared noise of a pixel and second, filter over baseline.
    double lnNoise(const Pair& pair, const GridSky& sky, const PlanRig& rig, const std::array<double, kLamps>& shares) const;

    double backgroundError() const { return m_background; } ///< of one source of light through one filter, in logarithms
    double throughputError() const { return m_throughput; } ///< likewise
    double scaleError() const { return m_scale.sigma; }     ///< in logarithms
    double scale() const { return m_scale.ln; }             ///< logarithm of electrons over those of clear optics
    int runsBehind() const { return m_runs; }               ///< that the errors were found from

private:
    std::array<double, kSkySources> parts(const GridChannel& channel, const GridSky& sky, const PlanRig& rig, const std::array<double, kLamps>& shares) const;
    double nearestSite(double zenith_mag, std::size_t& site) const;
    template<class F>
    double mixError(const GridSky& here, const GridSky& there, const F& ln) const;
    void takeMoon();
    void learnErrors();

    GridInput m_input;
    std::vector<SiteFit> m_sites;
    std::optional<LampMix> m_lamps;
    LnEstimate m_scale; ///< electrons over those of clear optics
    double m_moon = 1;
    double m_background = 0.15, m_throughput = 0.08;
    int m_runs = 0;
};

} // namespace caelumen

#pragma once

#include "core/grid/grid.h"

namespace caelumen::testing {

/// A campaign of made-up nights as its figures would come out, and the truth behind them. Everything that a model takes for granted is off in its own way:
/// lamps' spectra and mixes, airglow, the moon's light, the camera's efficiency, the telescope's transmission, the filters' curves, the stated sky.
class VirtualCampaign {
public:
    explicit VirtualCampaign(unsigned long long seed);
    ~VirtualCampaign();

    const GridInput& input() const;
    /// True time ratio and background of a filter under a sky: at the place that has such a sky, else in a town where nobody measured.
    double trueTimeRatio(const std::string& filter, const std::string& channel, TargetKind kind, const GridSky& sky) const;
    double trueBackground(const std::string& filter, const std::string& channel, const GridSky& sky) const;

private:
    struct World;
    std::unique_ptr<World> m_world;
};

} // namespace caelumen::testing

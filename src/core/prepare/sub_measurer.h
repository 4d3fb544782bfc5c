#pragma once

#include "core/prepare/sub_figures.h"

#include <optional>

namespace caelumen {

/// Measures the subs of one run alike: same masters, same channel, same aperture. Made once, then each sub by itself, in any order and as it lands.
class SubMeasurer {
public:
    /// Makes the masters, then looks at a few lights to choose channel and aperture.
    static Result<SubMeasurer> make(const SubsRecipe& recipe, const Job& job = {});

    /// A sub that cannot be read or does not belong to the others comes back with `problem`.
    /// `spare`: the planes of the one before, whose memory is taken and given back.
    SubFigures measure(const std::filesystem::path& file, std::vector<Plane>* spare = nullptr) const;
    /// Its calibrated pixels, for stacking and looking.
    Result<SubPixels> pixels(const std::filesystem::path& file) const;
    const Calibration& calibration() const { return *m_calibration; }
    const FrameInfo& like() const { return *m_like; }     ///< the light that the others must resemble
    std::optional<double> gain() const { return m_gain; } ///< e-/ADU
    const SubMeasuring& how() const { return m_how; }
    double fullScale() const { return m_how.fullScale; } ///< ADU above zero
    std::optional<double> exposure_s() const { return m_exposure; }
    const Site& site() const { return m_site; }       ///< told, else as headers say
    const Target& target() const { return m_target; } ///< likewise

private:
    Result<SubPixels> pixels(const FrameFile& file) const;
    std::shared_ptr<const Calibration> m_calibration;
    std::shared_ptr<const FrameInfo> m_like;
    SubMeasuring m_how;
    Site m_site;
    Target m_target;
    std::string m_bayer; ///< told; empty: as headers say
    std::optional<double> m_gain;
    std::optional<double> m_exposure;
    double m_unit = 65535; ///< ADU that 1 stands for in subs from 0 to 1
};

} // namespace caelumen

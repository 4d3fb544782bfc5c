#pragma once

#include "core/prepare/verdict.h"

#include <map>
#include <optional>
#include <vector>

namespace caelumen {

/// Starlight of every sub of a night, in whatever filter, through the same stars: logarithm of the flux over that in one sub of the night (the base), median
/// over those stars that nine tenths of all subs show. Subs are remembered by file, so that each new one costs little.
class StarLight {
public:
    /// The logarithm for each kept sub, by file; empty where the runs do not share twenty stars. Fluxes are per second; in electrons where `gains` are known
    /// (0: unknown; one unknown makes all count in ADU).
    std::map<std::string, double> of(const std::vector<const JudgedRun*>& runs, const std::vector<std::optional<double>>& gains);

private:
    std::string m_base;                                  ///< what all below was looked up for
    std::vector<std::optional<Alignment>> m_toReference; ///< from the base to each run's reference
    struct Looked {
        FoundStars of;
        std::vector<float> fluxes; ///< of the base's stars; 0 where one is not seen
    };
    std::map<std::string, Looked> m_looked;                                  ///< by file
    std::vector<std::size_t> m_common;                                       ///< those of the base's stars that were compared
    std::map<std::string, std::pair<double, std::optional<double>>> m_light; ///< by file: factor of its fluxes, and what came out of m_common
};

} // namespace caelumen

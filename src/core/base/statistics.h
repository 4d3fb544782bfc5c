#pragma once

#include <cstddef>
#include <optional>
#include <span>
#include <vector>

namespace caelumen {

/// 1 / Phi^-1(3/4): turns a median absolute deviation into the sigma of a normal distribution.
inline constexpr double kMadToSigma = 1.482602218505602;
/// Full width at half maximum of a Gaussian in its sigmas, 2 sqrt(2 ln 2).
inline constexpr double kSigmaToFwhm = 2.3548200450309493;

/// The standard deviation of a unit normal cut at three sigma: what clipping takes away.
inline constexpr double kSigmaCutAt3 = 0.986578;

struct ClippedStats {
    double mean = 0;   ///< of the values that were kept; in their unit
    double sigma = 0;  ///< standard deviation of the values kept, corrected for the tails that clipping removed
    double median = 0; ///< of the values kept
    std::size_t count = 0;
};

/// Iterative `kappa`-sigma clipping about the median, to convergence or `rounds`. Values must be finite; the span is
/// reordered. Empty input gives count 0.
ClippedStats clippedStats(std::span<float> values, double kappa = 3.0, int rounds = 10);
ClippedStats clippedStats(std::span<double> values, double kappa = 3.0, int rounds = 10);

/// Median of a span, which is reordered; 0 for an empty one. The mean of the middle two for even counts.
double median(std::span<float> values);
double median(std::span<double> values);

/// 1.4826 * median absolute deviation; the span is reordered.
double robustSigma(std::span<double> values);

/// Whether that is more than a limit, in half the time.
bool robustSigmaExceeds(std::span<double> values, double limit);

/// Standard error of the median, from order statistics, so that it holds for values of unequal errors too (Conover 1999, Practical Nonparametric Statistics,
/// chapter 3.2); from the robust sigma for fewer than 20 values. The span is reordered.
double medianSigma(std::span<double> values);

/// The value below which the part `fraction` (0..1) of the values lies; the span is reordered.
double quantile(std::span<double> values, double fraction);

/// A small, fast, seedable generator (SplitMix64; Steele et al. 2014, OOPSLA) for bootstrap and simulation,
/// the same on every machine.
class Random {
public:
    explicit Random(unsigned long long seed)
        : m_state(seed) {}
    unsigned long long next();
    double uniform();                 ///< 0 <= x < 1
    double normal();                  ///< mean 0, sigma 1 (Marsaglia polar)
    double poisson(double mean);      ///< exact below 30, else a rounded normal, never negative
    std::size_t index(std::size_t n); ///< 0..n-1

private:
    unsigned long long m_state;
    std::optional<double> m_spare;
};

} // namespace caelumen

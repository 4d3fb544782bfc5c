#pragma once

#include <algorithm>
#include <cmath>

namespace caelumen {

/// Mean of figures by their errors.
class ErrorMean {
public:
    void add(double value, double sigma) {
        const double w = 1 / std::max(1e-18, sigma * sigma);
        m_sum += w * value, m_weight += w;
    }
    bool any() const { return m_weight > 0; }
    double value() const { return m_sum / m_weight; }
    double sigma() const { return 1 / std::sqrt(m_weight); }

private:
    double m_sum = 0, m_weight = 0;
};

/// What somebody would notice: one step of each merit.
inline constexpr double kTimeNotice = 1.25, kMagNotice = 0.25, kHaloNotice = 0.002, kColourNotice = 0.1, kGradientNotice = 0.05;
/// Time ratio of a filter that passes none of a kind's light.
inline constexpr double kNoLight = 0.01;
/// Two figures further apart than so many of both errors are told apart (95 %).
inline constexpr double kCertain = 1.96;

} // namespace caelumen

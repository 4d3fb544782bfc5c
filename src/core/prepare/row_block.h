#pragma once

#include "core/prepare/stack_plan.h"

#include <cstdint>
#include <span>
#include <vector>

namespace caelumen {

/// A stack's rows first <= y < end of every channel and kept sub, calibrated and brought to the stack's grid. The rows next to those that are combined are held
/// too, and go on to the next band.
class RowBlock {
public:
    /// Room for bands of so many rows. The plan must outlive it.
    RowBlock(const StackPlan& plan, int rows);

    /// Makes rows y to y + rows - 1 and their neighbours available. Errors: a sub that cannot be read.
    Status hold(int y, int rows);

    /// The plan's width in values, ADU; NaN where a sub has none.
    const float* row(std::size_t channel, std::size_t sub, int y) const { return m_channels[channel].values.data() + offset(sub, y); }
    /// Of a drizzled channel: 1 for pixels whose values are drops; and the number of subs that reach each pixel.
    std::span<const std::uint8_t> dropped(std::size_t channel, int y) const { return {m_channels[channel].dropped.data() + offset(0, y), m_row}; }
    std::span<const std::uint16_t> covered(std::size_t channel, int y) const { return {m_channels[channel].covered.data() + offset(0, y), m_row}; }

private:
    struct Channel {
        std::vector<float> values; ///< sub after sub, row after row
        std::vector<std::uint8_t> dropped;
        std::vector<std::uint16_t> covered;
    };
    std::size_t offset(std::size_t sub, int y) const { return (sub * static_cast<std::size_t>(m_room) + static_cast<std::size_t>(y - m_first)) * m_row; }

    void move(int by, int rows);
    Status fill(int from, int end);
    Status fillSubs(int from, int end);
    Status fillSub(std::size_t sub, int from, int end);
    void markDropped(std::size_t channel, int y);
    bool settleDrops(std::size_t channel, int y);
    template<class Do>
    void eachDrizzledRow(int from, int end, Do with);

    const StackPlan& m_plan;
    int m_room, m_first = 0, m_end = 0;
    std::size_t m_row;
    std::vector<Channel> m_channels;
};

} // namespace caelumen

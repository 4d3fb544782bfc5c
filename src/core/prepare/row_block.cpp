#include "core/prepare/row_block.h"

#include "core/base/stack_rows.h"
#include "core/prepare/drizzle.h"
#include "core/prepare/resample.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <atomic>
#include <cstring>
#include <mutex>

namespace caelumen {

RowBlock::RowBlock(const StackPlan& plan, int rows)
    : m_plan(plan)
    , m_room(rows + 2)
    , m_row(static_cast<std::size_t>(plan.width))
    , m_channels(plan.channels.size()) {
    const std::size_t size = static_cast<std::size_t>(m_room) * m_row;
    for (std::size_t c = 0; c < m_channels.size(); ++c) {
        m_channels[c].values.resize(plan.inputs.size() * size);
        if (plan.channels[c].dropReach > 0) m_channels[c].dropped.resize(size), m_channels[c].covered.resize(size);
    }
}

Status RowBlock::hold(int y, int rows) {
    const int first = std::max(0, y - 1), end = std::min(m_plan.height, y + rows + 1);
    const int known = m_end > first && first >= m_first ? m_end - first : 0;
    if (known > 0 && first > m_first) move(first - m_first, known);
    m_first = first, m_end = end;
    return fill(first + known, end);
}

void RowBlock::move(int by, int rows) {
    const auto down = [&](auto* to) { std::memmove(to, to + static_cast<std::size_t>(by) * m_row, static_cast<std::size_t>(rows) * m_row * sizeof *to); };
    for (Channel& channel : m_channels) {
        for (std::size_t i = 0; i < m_plan.inputs.size(); ++i) down(channel.values.data() + i * static_cast<std::size_t>(m_room) * m_row);
        if (!channel.dropped.empty()) down(channel.dropped.data()), down(channel.covered.data());
    }
}

Status RowBlock::fill(int from, int end) {
    eachDrizzledRow(from, end, [&](std::size_t c, int y) { markDropped(c, y); });
    if (const Status filled = fillSubs(from, end); !filled) return filled;
    std::vector<std::atomic<bool>> lacks(static_cast<std::size_t>(end - from));
    eachDrizzledRow(from, end, [&](std::size_t c, int y) {
        if (!settleDrops(c, y)) lacks[static_cast<std::size_t>(y - from)] = true;
    });
    for (int y = from, last = from; y < end; y = last + 1) { // there all subs count after all
        for (last = y; last < end && lacks[static_cast<std::size_t>(last - from)];) ++last;
        if (last == y) continue;
        if (const Status filled = fillSubs(y, last); !filled) return filled;
        eachDrizzledRow(y, last, [&](std::size_t c, int again) { settleDrops(c, again); });
    }
    return Done{};
}

template<class Do>
void RowBlock::eachDrizzledRow(int from, int end, Do with) {
    for (std::size_t c = 0; c < m_channels.size(); ++c)
        if (m_plan.channels[c].dropReach > 0) tbb::parallel_for(from, end, [&](int y) { with(c, y); });
}

void RowBlock::markDropped(std::size_t c, int y) {
    std::uint8_t* const dropped = m_channels[c].dropped.data() + offset(0, y);
    std::fill_n(dropped, m_row, std::uint8_t{0});
    for (const StackInput& in : m_plan.inputs)
        countDrops(in.to[c], y, m_plan.width, m_plan.channels[c].dropReach, m_plan.latticeWidth, m_plan.latticeHeight, dropped);
    for (std::size_t x = 0; x < m_row; ++x) dropped[x] = dropped[x] >= kFewestDrops;
}

/// Counts what reaches each pixel, and forgets what only does that. Takes the mark from pixels whose drops have too few values (a sub may have gaps); false if
/// there were any.
bool RowBlock::settleDrops(std::size_t c, int y) {
    thread_local std::vector<std::uint16_t> values;
    values.assign(m_row, 0);
    std::uint16_t* const covered = m_channels[c].covered.data() + offset(0, y);
    std::fill_n(covered, m_row, std::uint16_t{0});
    for (std::size_t i = 0; i < m_plan.inputs.size(); ++i) rows::takeDrops(m_channels[c].values.data() + offset(i, y), m_plan.width, values.data(), covered);
    std::uint8_t* const dropped = m_channels[c].dropped.data() + offset(0, y);
    unsigned lost = 0;
    for (std::size_t x = 0; x < m_row; ++x) {
        const bool lacks = dropped[x] != 0 && values[x] < kFewestDrops;
        lost += lacks, dropped[x] = lacks ? 0 : dropped[x];
    }
    return lost == 0;
}

Status RowBlock::fillSubs(int from, int end) {
    std::mutex guard;
    std::optional<Error> failure;
    tbb::parallel_for(std::size_t{0}, m_plan.inputs.size(), [&](std::size_t i) {
        const Status filled = fillSub(i, from, end);
        if (filled) return;
        const std::scoped_lock lock(guard);
        if (!failure) failure = filled.error();
    });
    if (failure) return *failure;
    return Done{};
}

Status RowBlock::fillSub(std::size_t i, int from, int end) {
    const StackInput& in = m_plan.inputs[i];
    int low = m_plan.latticeHeight, high = 0;
    for (const auto& channel : in.to)
        for (const Alignment::Affine& a : channel) {
            const auto [first, last] = rowsNeeded(a, m_plan.width, from, end, m_plan.latticeHeight);
            low = std::min(low, first), high = std::max(high, last);
        }
    const auto latticeSize = static_cast<std::size_t>(m_plan.latticeWidth) * static_cast<std::size_t>(std::max(0, high - low));
    thread_local std::vector<float> stored;
    stored.resize(std::max<std::size_t>(1, latticeSize) * m_plan.lattices.size());
    std::vector<float*> to;
    for (std::size_t l = 0; l < m_plan.lattices.size(); ++l) to.push_back(stored.data() + l * latticeSize);
    if (high > low)
        if (const Status read = in.pixels.read(m_plan.lattices, m_plan.together, low, high - low, to); !read) return read;
    for (std::size_t c = 0; c < m_plan.channels.size(); ++c) {
        const StackChannel& channel = m_plan.channels[c];
        const auto weight = 1.0F / static_cast<float>(channel.lattices.size());
        for (int y = from; y < end; ++y) {
            float* out = m_channels[c].values.data() + offset(i, y);
            const std::uint8_t* dropped = channel.dropReach > 0 ? m_channels[c].dropped.data() + offset(0, y) : nullptr;
            std::fill_n(out, m_plan.width, 0.0F);
            std::vector<RowBand> bands;
            for (const std::size_t l : channel.lattices) bands.push_back({to[l], m_plan.latticeWidth, low, std::max(0, high - low)});
            for (std::size_t l = 0; l < bands.size(); ++l) resampleRow(bands[l], in.to[c][l], y, m_plan.width, weight, out, dropped);
            if (dropped) dropInto(bands, in.to[c], y, m_plan.width, channel.dropReach, dropped, out);
            const SkyPlane& o = channel.offset[i];
            const double scale = channel.scale[i], start = o.middle + o.x * (-0.5 * (m_plan.width - 1)) + o.y * (y - 0.5 * (m_plan.height - 1));
            const double pivot = scale == 1 ? 0 : channel.model.level;
            rows::level(out, m_plan.width, static_cast<float>(start + pivot), static_cast<float>(o.x), static_cast<float>(scale), static_cast<float>(pivot));
        }
    }
    return Done{};
}

} // namespace caelumen

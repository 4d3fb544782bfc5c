#pragma once

#include "core/base/job.h"
#include "core/base/mapped_buffer.h"
#include "core/compare/run_facts.h"

#include <array>
#include <vector>

namespace caelumen {

/// A run's picture for the screen: electron rates coded in 16 bits on an asinh scale (finer than the noise everywhere), at full size and halved again and
/// again. For looking only; nothing is measured here.
class PicturePyramid {
public:
    struct Level {
        int width = 0, height = 0;
        std::size_t offset = 0; ///< of the first channel, in words
    };
    struct ChannelStats {
        double sky = 0, noise = 0; ///< median and robust sigma, e-/s per pixel
    };

    /// Reads the run's frame. The colour planes of a mosaic are shown at half size.
    static Result<PicturePyramid> load(const OpenRun& run, const Job& job = {});

    int channels() const { return m_channels; }
    const std::vector<Level>& levels() const { return m_levels; }
    const ChannelStats& stats(int channel) const { return m_stats[static_cast<std::size_t>(channel)]; }
    /// Stored pixels of the frame per pixel of level 0 (2 for mosaics).
    double pitch() const { return m_pitch; }
    const std::uint16_t* row(int level, int channel, int y) const;
    /// The rate a code stands for, e-/s.
    double rate(int channel, std::uint16_t code) const;

private:
    std::uint16_t* words(int level, int channel);

    MappedBuffer m_buffer;
    std::vector<Level> m_levels;
    std::array<ChannelStats, 3> m_stats{};
    int m_channels = 1;
    double m_pitch = 1;
};

} // namespace caelumen

#include "core/picture/pyramid.h"

#include "core/base/phrase.h"
#include "core/base/pixel_rows.h"
#include "core/base/statistics.h"
#include "core/base/text.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

constexpr double kSteps = 2600; // codes per unit of asinh: 1/2600 of the noise near the sky
constexpr double kZero = 22000; // code of the sky level

} // namespace

double PicturePyramid::rate(int channel, std::uint16_t code) const {
    const ChannelStats& s = m_stats[static_cast<std::size_t>(channel)];
    return s.sky + s.noise * std::sinh((code - kZero) / kSteps);
}

const std::uint16_t* PicturePyramid::row(int level, int channel, int y) const {
    const Level& l = m_levels[static_cast<std::size_t>(level)];
    const auto w = static_cast<std::size_t>(l.width);
    return m_buffer.words() + l.offset + (static_cast<std::size_t>(channel) * static_cast<std::size_t>(l.height) + static_cast<std::size_t>(y)) * w;
}

std::uint16_t* PicturePyramid::words(int level, int channel) {
    const Level& l = m_levels[static_cast<std::size_t>(level)];
    return m_buffer.words() + l.offset + static_cast<std::size_t>(channel) * static_cast<std::size_t>(l.height) * static_cast<std::size_t>(l.width);
}

Result<PicturePyramid> PicturePyramid::load(const OpenRun& run, const Job& job) {
    try {
        PicturePyramid p;
        const FrameInfo& info = run.file.info();
        p.m_channels = static_cast<int>(info.channels.size());
        p.m_pitch = info.mosaic ? 2 : 1;
        int w = info.width / static_cast<int>(p.m_pitch), h = info.height / static_cast<int>(p.m_pitch);
        std::size_t words = 0;
        for (;; w = (w + 1) / 2, h = (h + 1) / 2) {
            p.m_levels.push_back({w, h, words});
            words += static_cast<std::size_t>(w) * static_cast<std::size_t>(h) * static_cast<std::size_t>(p.m_channels);
            if (std::max(w, h) <= 512) break;
        }
        p.m_buffer = MappedBuffer(words * sizeof(std::uint16_t));
        // Without an exposure there is no rate; the picture is then in ADU, which is good enough to look at.
        OpenRun shown = run;
        if (!(shown.seconds > 0)) shown.seconds = 1;
        bool scaled01 = false;
        Plane spare; // its memory serves all channels
        for (int c = 0; c < p.m_channels; ++c) {
            if (job.cancelled()) return Error{kCancelled};
            job.report(static_cast<double>(c) / p.m_channels, "Reading " + caelumen::shown(info.path.filename()));
            auto plane = run.file.readChannel(static_cast<std::size_t>(c), std::move(spare));
            if (!plane) return plane.error();
            std::vector<double> sample;
            float top = 0;
            const std::size_t step = std::max<std::size_t>(1, plane->size() / 200'000) | 1;
            for (std::size_t i = 0; i < plane->size(); i += step) {
                if (!std::isfinite(plane->data()[i])) continue;
                top = std::max(top, plane->data()[i]);
                sample.push_back(static_cast<double>(plane->data()[i]));
            }
            if (c == 0) scaled01 = !info.integer && top > 0 && top <= 1.0F;
            const double factor = (scaled01 ? shown.fullScale : 1.0) * shown.gain / shown.seconds;
            ChannelStats& s = p.m_stats[static_cast<std::size_t>(c)];
            const double zero = shown.pedestal * shown.gain / shown.seconds;
            s.sky = median(std::span<double>(sample)) * factor - zero;
            s.noise = std::max(robustSigma(sample) * factor, 1e-12);
            // From stored units to codes at once.
            const rows::AsinhScale scale{static_cast<float>(factor / s.noise), static_cast<float>(-(zero + s.sky) / s.noise), static_cast<float>(kZero),
                                         static_cast<float>(kSteps)};
            std::uint16_t* to = p.words(0, c);
            const auto width = static_cast<std::size_t>(plane->width());
            tbb::parallel_for(0, plane->height(),
                              [&](int y) { rows::asinhCodes(plane->row(y), plane->width(), scale, to + static_cast<std::size_t>(y) * width); });
            spare = std::move(*plane);
        }
        for (int level = 1; level < static_cast<int>(p.m_levels.size()); ++level) {
            if (job.cancelled()) return Error{kCancelled};
            const Level &fine = p.m_levels[static_cast<std::size_t>(level) - 1], &coarse = p.m_levels[static_cast<std::size_t>(level)];
            for (int c = 0; c < p.m_channels; ++c) {
                std::uint16_t* to = p.words(level, c);
                tbb::parallel_for(0, coarse.height, [&](int y) {
                    const std::uint16_t* a = p.row(level - 1, c, std::min(2 * y, fine.height - 1));
                    const std::uint16_t* b = p.row(level - 1, c, std::min(2 * y + 1, fine.height - 1));
                    std::uint16_t* out = to + static_cast<std::size_t>(y) * static_cast<std::size_t>(coarse.width);
                    const int whole = fine.width / 2; // codes average well: near the sky the scale is linear
                    rows::halveCodes(a, b, whole, out);
                    if (whole < coarse.width)
                        out[whole] = static_cast<std::uint16_t>((a[fine.width - 1] + b[fine.width - 1] + 1) / 2); // the last column stands alone
                });
            }
        }
        return p;
    } catch (const std::bad_alloc&) {
        return Error{shown(run.file.info().path) + phrase(" needs more memory than there is to be shown; close other programs.")};
    }
}

} // namespace caelumen

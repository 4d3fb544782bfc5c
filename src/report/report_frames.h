#pragma once

#include "core/base/job.h"
#include "core/model/results.h"
#include "core/picture/view_render.h"

#include <QImage>

#include <filesystem>
#include <memory>

namespace caelumen {

/// The frames of a trial as pictures with one stretch, aligned on the baseline.
class ReportFrames {
public:
    /// Frames that cannot be read are left out; without the baseline there are none.
    static ReportFrames load(const Trial& trial, const TrialResults& results, const std::filesystem::path& folder, const Job& job = {});

    bool any() const { return m_baseline != nullptr; }
    bool has(std::size_t run) const { return any() && m_frames[run].pyramid; }
    QSize size() const { return m_size; } ///< of the baseline, stored pixels
    QImage whole(std::size_t run, int width, bool regions) const;
    /// Pixels of the frame as pixels, about a place of the baseline.
    QImage crop(std::size_t run, Point middle, int side) const;

private:
    QImage rendered(std::size_t run, const ViewPlace& place) const;

    struct Frame {
        std::shared_ptr<const PicturePyramid> pyramid;
        Alignment alignment;
    };
    const Trial* m_trial = nullptr;
    std::vector<Frame> m_frames;
    const PicturePyramid* m_baseline = nullptr;
    Stretch m_stretch;
    QSize m_size;
};

} // namespace caelumen

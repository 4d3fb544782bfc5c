#include "core/prepare/sub_planes.h"

#include <tbb/parallel_for.h>

#include <algorithm>
#include <mutex>

namespace caelumen {

std::vector<Lattice> latticesOf(const FrameInfo& info, std::size_t channel, bool together) {
    if (!info.mosaic) return {{static_cast<int>(channel), {}, {}}};
    std::vector<Lattice> out;
    for (int y = 0; y < 2; ++y)
        for (int x = 0; x < 2; ++x)
            if (info.mosaic->cell[static_cast<std::size_t>(y)][static_cast<std::size_t>(x)] == static_cast<int>(channel))
                out.push_back({0, {2, {static_cast<double>(x), static_cast<double>(y)}}, {x, y}});
    if (together && out.size() == 2) out = {{0, info.geometry(channel), out.front().site}};
    return out;
}

Status SubPixels::read(const Lattice& lattice, bool together, int y, int count, float* to) const {
    return read(std::vector<Lattice>{lattice}, together, y, count, {to});
}

Status SubPixels::read(const std::vector<Lattice>& lattices, bool together, int y, int count, const std::vector<float*>& to) const {
    const int w = m_info->width;
    const OpenFile file = m_rows.opened();
    if (!m_info->mosaic) {
        for (std::size_t i = 0; i < lattices.size(); ++i) {
            const Status read = m_rows.read(file, lattices[i].stored, y, count, to[i]);
            if (!read) return read;
            m_calibration->apply(lattices[i].stored, y, count, w, to[i]);
        }
        return Done{};
    }
    // A few rows of cells at a time, which stay in the cache from the file to the lattices.
    constexpr int kCells = 4;
    thread_local std::vector<float> stored;
    stored.resize(2 * static_cast<std::size_t>(kCells) * static_cast<std::size_t>(w));
    const int half = w / 2;
    for (int from = 0; from < count; from += kCells) {
        const int cells = std::min(kCells, count - from);
        if (const Status read = m_rows.read(file, 0, 2 * (y + from), 2 * cells, stored.data()); !read) return read;
        m_calibration->apply(0, 2 * (y + from), 2 * cells, w, stored.data());
        for (std::size_t i = 0; i < lattices.size(); ++i) {
            const auto [x0, y0] = lattices[i].site;
            const bool mean = together && m_info->mosaic->cell[static_cast<std::size_t>(y0)][static_cast<std::size_t>(x0)] == 1;
            for (int r = 0; r < cells; ++r) {
                const float* a = stored.data() + (2 * static_cast<std::size_t>(r) + static_cast<std::size_t>(y0)) * static_cast<std::size_t>(w) + x0;
                float* out = to[i] + static_cast<std::size_t>(from + r) * static_cast<std::size_t>(half);
                if (mean) { // the other green lies across
                    const float* b =
                        stored.data() + (2 * static_cast<std::size_t>(r) + static_cast<std::size_t>(1 - y0)) * static_cast<std::size_t>(w) + (1 - x0);
                    for (int x = 0; x < half; ++x) out[x] = 0.5F * (a[2 * x] + b[2 * x]);
                } else {
                    for (int x = 0; x < half; ++x) out[x] = a[2 * x];
                }
            }
        }
    }
    return Done{};
}

Result<std::vector<Plane>> SubPixels::planes(std::vector<Plane> spare) const {
    const int w = m_info->mosaic ? m_info->width / 2 : m_info->width, h = m_info->mosaic ? m_info->height / 2 : m_info->height;
    std::vector<Lattice> lattices;
    std::vector<Plane> out;
    for (std::size_t c = 0; c < m_info->channels.size(); ++c) {
        lattices.push_back(latticesOf(*m_info, c, true).front());
        out.push_back(c < spare.size() ? Plane::unfilled(w, h, std::move(spare[c])) : Plane::unfilled(w, h));
    }
    std::mutex guard;
    std::optional<Error> failure;
    constexpr int kBand = 32;
    tbb::parallel_for(0, (h + kBand - 1) / kBand, [&](int b) {
        const int y = b * kBand, rows = std::min(kBand, h - y);
        std::vector<float*> to;
        for (Plane& p : out) to.push_back(p.row(y));
        const Status read = this->read(lattices, true, y, rows, to);
        if (read) return;
        const std::scoped_lock lock(guard);
        if (!failure) failure = read.error();
    });
    if (failure) return *failure;
    return out;
}

} // namespace caelumen

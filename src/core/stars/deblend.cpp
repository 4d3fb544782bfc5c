#include "core/stars/deblend.h"

#include <algorithm>
#include <numeric>

namespace caelumen {
namespace {

/// A hill growing downwards from its peak.
struct Branch {
    double peak = 0, light = 0; ///< light: sum of smoothed values
    std::size_t pixels = 0;
    int partOf = -1; ///< absorbed by this branch; -1: lives
};

/// Which pixel lies where, within the set's own box.
class PixelGrid {
public:
    explicit PixelGrid(const std::vector<BrightPixel>& pixels) {
        int x1 = pixels[0].x, y1 = pixels[0].y;
        m_x = x1, m_y = y1;
        for (const BrightPixel& p : pixels) {
            m_x = std::min(m_x, p.x), x1 = std::max(x1, p.x);
            m_y = std::min(m_y, p.y), y1 = std::max(y1, p.y);
        }
        m_width = x1 - m_x + 3; // a rim of one, so that neighbours need no checks
        m_at = room();
        m_at->assign(static_cast<std::size_t>(m_width) * static_cast<std::size_t>(y1 - m_y + 3), -1);
    }
    void clear() { std::fill(m_at->begin(), m_at->end(), -1); }
    int& at(int x, int y) { return (*m_at)[static_cast<std::size_t>(y - m_y + 1) * static_cast<std::size_t>(m_width) + static_cast<std::size_t>(x - m_x + 1)]; }

private:
    /// One set at a time is looked at: each thread keeps the room.
    static std::vector<int>* room() {
        thread_local std::vector<int> all;
        return &all;
    }
    int m_x, m_y, m_width;
    std::vector<int>* m_at;
};

/// Most sets have one peak and need no tree. Fills the grid.
bool hasTwoPeaks(const std::vector<BrightPixel>& pixels, PixelGrid& grid) {
    for (std::size_t i = 0; i < pixels.size(); ++i) grid.at(pixels[i].x, pixels[i].y) = static_cast<int>(i);
    int peaks = 0;
    for (std::size_t i = 0; i < pixels.size(); ++i) {
        const BrightPixel& p = pixels[i];
        bool peak = true;
        for (int k = 0; k < 9 && peak; ++k) {
            const int other = grid.at(p.x + k % 3 - 1, p.y + k / 3 - 1);
            if (other < 0 || other == static_cast<int>(i)) continue;
            const float v = pixels[static_cast<std::size_t>(other)].smoothed;
            peak = v < p.smoothed || (v == p.smoothed && other > static_cast<int>(i));
        }
        if (peak && ++peaks > 1) return true;
    }
    return false;
}

int rootOf(std::vector<int>& parent, int i) {
    while (parent[static_cast<std::size_t>(i)] != i) {
        parent[static_cast<std::size_t>(i)] = parent[static_cast<std::size_t>(parent[static_cast<std::size_t>(i)])];
        i = parent[static_cast<std::size_t>(i)];
    }
    return i;
}

} // namespace

std::vector<int> deblend(const std::vector<BrightPixel>& pixels, const DeblendOptions& o, int& count) {
    std::vector<int> label(pixels.size(), 0);
    count = pixels.empty() ? 0 : 1;
    if (pixels.size() < 2 * o.leastPixels) return label;
    PixelGrid grid(pixels);
    if (!hasTwoPeaks(pixels, grid)) return label;
    grid.clear();
    std::vector<int> order(pixels.size());
    std::iota(order.begin(), order.end(), 0);
    std::sort(order.begin(), order.end(), [&](int a, int b) {
        const float x = pixels[static_cast<std::size_t>(a)].smoothed, y = pixels[static_cast<std::size_t>(b)].smoothed;
        return x != y ? x > y : a < b;
    });
    double whole = 0;
    for (const BrightPixel& p : pixels) whole += static_cast<double>(p.smoothed);

    std::vector<Branch> branches;
    std::vector<int> hill;   // union-find over branches: which are connected so far
    std::vector<int> leader; // of a hill's root: the branch that stands for it
    const auto standsAlone = [&](const Branch& b, const Branch& strong, double saddle) {
        const double above = b.peak - saddle, light = b.light - saddle * static_cast<double>(b.pixels);
        // Where a crowd hangs together its light says nothing about two of it: what stands out of the saddle clearly needs far less.
        if (b.pixels >= 3 && light > 0.2 * o.contrast * strong.light && above > 3 * o.noise && above > 0.1 * saddle) return true;
        if (b.pixels < o.leastPixels) return false;
        if (light > o.contrast * whole && above > o.noise) return true;
        return above > 10 * o.noise && above > 0.5 * b.peak;
    };
    for (const int at : order) {
        const BrightPixel& p = pixels[static_cast<std::size_t>(at)];
        const double s = static_cast<double>(p.smoothed);
        int brightest = -1;
        int touching[8], n = 0;
        for (int dy = -1; dy <= 1; ++dy) {
            for (int dx = -1; dx <= 1; ++dx) {
                const int other = dx == 0 && dy == 0 ? -1 : grid.at(p.x + dx, p.y + dy);
                if (other < 0) continue;
                if (brightest < 0 || pixels[static_cast<std::size_t>(other)].smoothed > pixels[static_cast<std::size_t>(brightest)].smoothed) brightest = other;
                const int root = rootOf(hill, label[static_cast<std::size_t>(other)]);
                if (std::find(touching, touching + n, root) == touching + n) touching[n++] = root;
            }
        }
        grid.at(p.x, p.y) = at;
        if (brightest < 0) {
            label[static_cast<std::size_t>(at)] = static_cast<int>(branches.size());
            hill.push_back(static_cast<int>(branches.size()));
            leader.push_back(static_cast<int>(branches.size()));
            branches.push_back({s, s, 1, -1});
            continue;
        }
        for (int k = 1; k < n; ++k) {
            int a = leader[static_cast<std::size_t>(rootOf(hill, touching[0]))], b = leader[static_cast<std::size_t>(touching[k])];
            const auto rise = [&](int i) {
                return branches[static_cast<std::size_t>(i)].light - s * static_cast<double>(branches[static_cast<std::size_t>(i)].pixels);
            };
            if (rise(b) > rise(a)) std::swap(a, b);
            Branch &strong = branches[static_cast<std::size_t>(a)], &weak = branches[static_cast<std::size_t>(b)];
            if (!standsAlone(weak, strong, s)) {
                weak.partOf = a;
                strong.light += weak.light;
                strong.pixels += weak.pixels;
                strong.peak = std::max(strong.peak, weak.peak);
            }
            const int root = rootOf(hill, touching[0]);
            hill[static_cast<std::size_t>(touching[k])] = root;
            leader[static_cast<std::size_t>(root)] = a;
        }
        int mine = label[static_cast<std::size_t>(brightest)];
        while (branches[static_cast<std::size_t>(mine)].partOf >= 0) mine = branches[static_cast<std::size_t>(mine)].partOf;
        label[static_cast<std::size_t>(at)] = mine;
        branches[static_cast<std::size_t>(mine)].light += s;
        ++branches[static_cast<std::size_t>(mine)].pixels;
    }
    std::vector<int> number(branches.size(), -1);
    count = 0;
    for (std::size_t i = 0; i < branches.size(); ++i)
        if (branches[i].partOf < 0) number[i] = count++;
    for (int& l : label) {
        while (branches[static_cast<std::size_t>(l)].partOf >= 0) l = branches[static_cast<std::size_t>(l)].partOf;
        l = number[static_cast<std::size_t>(l)];
    }
    return label;
}

} // namespace caelumen

#include "core/measure/star_glow.h"

#include <algorithm>
#include <cmath>

namespace caelumen {
namespace {

constexpr int kCell = 24;          ///< side of the grid's cells, plane pixels
constexpr double kNear = 1.6 * kCell; ///< inside this radius light counts as spread evenly around the star

/// Part of a star's light beyond the reach of its measured wings, by the power law on which they end: the aureole of optics and air falls with the square of the
/// radius, an empty star image much faster.
double farLight(const Psf& psf, double reach) {
    if (psf.wings.size() < 12) return 0;
    const double last = static_cast<double>(psf.wings.size()) - 1, middle = std::floor(0.6 * last);
    const double fall = std::log(psf.lightAt(middle) / psf.lightAt(last)) / std::log(last / middle);
    const double index = std::clamp(fall, 2.4, 12.0);
    const double end = std::max(reach, last);
    return 2 * M_PI * psf.lightAt(last) * last * last / (index - 2) * std::pow(end / last, 2 - index);
}

} // namespace

StarGlow::StarGlow(const std::vector<Star>& stars, const std::vector<double>& hidden, const std::optional<Psf>& psf, int width, int height) {
    if (!psf || width < 1 || height < 1) return;
    m_across = (width + kCell - 1) / kCell;
    m_down = (height + kCell - 1) / kCell;
    m_light.assign(static_cast<std::size_t>(m_across) * static_cast<std::size_t>(m_down), 0);
    // Only as far as the star image was seen: what an extrapolated power law holds farther out is anybody's guess, and sky by definition.
    const double reach = std::clamp(psf->reach(), kNear, 100.0);
    // Light outside a radius, per unit flux, in steps of a quarter pixel.
    const auto steps = static_cast<std::size_t>(std::ceil(reach / 0.25)) + 1;
    std::vector<double> outside(steps + 1, 0);
    for (std::size_t i = steps; i-- > 0;) {
        const double r = (static_cast<double>(i) + 0.5) * 0.25;
        outside[i] = outside[i + 1] + (r < reach ? 2 * M_PI * r * 0.25 * psf->wingAt(r) : 0);
    }
    const auto beyond = [&](double r) { return outside[std::min(steps, static_cast<std::size_t>(std::max(0.0, r) / 0.25))]; };
    const double nearEnd = beyond(std::min(kNear, reach));
    const auto add = [&](int i, int j, double light) {
        if (i >= 0 && j >= 0 && i < m_across && j < m_down) m_light[static_cast<std::size_t>(j) * static_cast<std::size_t>(m_across) + static_cast<std::size_t>(i)] += static_cast<float>(light);
    };
    const double worthwhile = stars.empty() ? 0 : 1e-4 * std::max_element(stars.begin(), stars.end(), [](const Star& a, const Star& b) { return a.flux < b.flux; })->flux;
    double everything = 0;
    for (std::size_t k = 0; k < stars.size(); ++k) {
        const Star& s = stars[k];
        // A saturated star's own sum misses light: its isophote, four sigma of the noise there, tells more.
        const double isophote = std::sqrt(s.area / M_PI), rim = psf->lightAt(isophote);
        const double flux = s.saturated && rim > 0 && s.rim > 0 ? std::max(s.flux, s.rim / rim) : s.flux;
        const double cx = (s.x + 0.5) / kCell - 0.5, cy = (s.y + 0.5) / kCell - 0.5;
        everything += flux;
        const double near = flux * std::max(0.0, beyond(hidden[k]) - nearEnd);
        if (near > 0) { // over the four cells around, by nearness
            const int i = static_cast<int>(std::floor(cx)), j = static_cast<int>(std::floor(cy));
            const double tx = cx - i, ty = cy - j, per = near / (kCell * kCell);
            add(i, j, per * (1 - tx) * (1 - ty));
            add(i + 1, j, per * tx * (1 - ty));
            add(i, j + 1, per * (1 - tx) * ty);
            add(i + 1, j + 1, per * tx * ty);
        }
        if (flux < worthwhile) continue; // the far wings of faint stars are nothing
        const int cells = static_cast<int>(std::ceil(reach / kCell));
        for (int j = static_cast<int>(cy) - cells; j <= static_cast<int>(cy) + cells; ++j) {
            for (int i = static_cast<int>(cx) - cells; i <= static_cast<int>(cx) + cells; ++i) {
                const double r = length(i - cx, j - cy) * kCell;
                if (r > std::max(kNear, hidden[k]) && r <= reach) add(i, j, flux * psf->wingAt(r));
            }
        }
    }
    m_far = everything * farLight(*psf, reach) / (static_cast<double>(width) * height);
}

double StarGlow::at(double x, double y) const {
    if (m_light.empty()) return 0;
    const int i = std::clamp(static_cast<int>((x + 0.5) / kCell), 0, m_across - 1), j = std::clamp(static_cast<int>((y + 0.5) / kCell), 0, m_down - 1);
    return static_cast<double>(m_light[static_cast<std::size_t>(j) * static_cast<std::size_t>(m_across) + static_cast<std::size_t>(i)]) + m_far;
}

} // namespace caelumen

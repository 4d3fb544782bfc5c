#include "core/simulate/render.h"

#include "core/base/statistics.h"
#include "core/image/mosaic.h"

#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace caelumen {
namespace {

/// Offsets from the frame's centre over half its diagonal, as in the definition of the sky surface.
struct Field {
    explicit Field(const SceneRun& run)
        : cx(0.5 * (run.width - 1))
        , cy(0.5 * (run.height - 1))
        , per(2 / std::hypot(run.width, run.height))
        , vignette(run.vignette) {}
    double u(double x) const { return (x - cx) * per; }
    double v(double y) const { return (y - cy) * per; }
    double flat(double x, double y) const { return 1 + vignette * (u(x) * u(x) + v(y) * v(y)); }
    double cx, cy, per, vignette;
};

double skyAt(const SceneRun& run, const ChannelRates& rates, const Field& f, double x, double y) {
    const double slope = run.sky.gradient_u * f.u(x) + run.sky.gradient_v * f.v(y);
    return (rates.sky_natural + rates.sky_moon * (1 + 0.25 * slope) + rates.sky_lamps * (1 + slope)) * f.flat(x, y);
}

/// The star image per unit light as a table in squared reduced radius, so that drawing needs no powers.
class StarImage {
public:
    explicit StarImage(const SceneRun& run) {
        // Axes of the ellipse with the FWHM as their geometric mean.
        const double ratio = std::pow(1 - run.eccentricity * run.eccentricity, 0.25); // sqrt(b / a)
        const double a = run.fwhm_px / ratio, b = run.fwhm_px * ratio, t = run.elongation_deg * M_PI / 180;
        const double k = std::pow(2, 1 / run.beta) - 1, la = 4 * k / (a * a), lb = 4 * k / (b * b);
        m_cxx = la * std::cos(t) * std::cos(t) + lb * std::sin(t) * std::sin(t);
        m_cyy = la * std::sin(t) * std::sin(t) + lb * std::cos(t) * std::cos(t);
        m_cxy = (la - lb) * std::sin(t) * std::cos(t);
        m_core = (1 - run.aureole) * (1 - run.sky.fog) * (run.beta - 1) * std::sqrt(m_cxx * m_cyy - m_cxy * m_cxy) / M_PI;
        for (std::size_t i = 0; i < m_table.size(); ++i) m_table[i] = std::pow(1 - static_cast<double>(i) / kSteps, run.beta);
        // A broad Moffat of seven FWHM: the aureole. Fog throws light into a far wider one.
        m_wing = wide(run.aureole * (1 - run.sky.fog), 7 * run.fwhm_px, kWing, m_wingScale);
        m_fog = wide(run.sky.fog, 14 * run.fwhm_px, kWing, m_fogScale);
    }

    double at(double dx, double dy) const {
        const double q = m_cxx * dx * dx + 2 * m_cxy * dx * dy + m_cyy * dy * dy, rr = dx * dx + dy * dy;
        // (1 + q)^-beta from a table in q / (1 + q); the exponent of the wings is 1.5, a square root.
        const double at = q / (1 + q) * kSteps;
        const auto i = static_cast<std::size_t>(at);
        const double t = at - static_cast<double>(i);
        return m_core * (m_table[i] + t * (m_table[i + 1] - m_table[i])) + m_wing * wing(1 + rr * m_wingScale) +
               (m_fog > 0 ? m_fog * wing(1 + rr * m_fogScale) : 0);
    }
    /// Where a star of this light sinks below `limit` per pixel.
    double reach(double light, double limit) const {
        double r = 4;
        while (r < 900 && light * at(r, 0) > limit) r *= 1.15;
        return r;
    }

private:
    static constexpr double kWing = 1.5;
    static constexpr double kSteps = 2048;
    static double wing(double x) { return 1 / (x * std::sqrt(x)); }
    static double wide(double part, double fwhm, double beta, double& scale) {
        scale = 4 * (std::pow(2, 1 / beta) - 1) / (fwhm * fwhm);
        return part * (beta - 1) * scale / M_PI;
    }
    double m_cxx = 0, m_cxy = 0, m_cyy = 0, m_core = 0, m_wing = 0, m_wingScale = 0, m_fog = 0, m_fogScale = 0;
    std::array<double, static_cast<std::size_t>(kSteps) + 2> m_table{};
};

struct Drawn {
    Point at;
    double light, reach;
    bool unseen;
};

} // namespace

double skyRate(const SceneRun& run, const ChannelRates& rates, double x, double y) {
    return skyAt(run, rates, Field(run), x, y);
}

double ghostRadius(const SceneRun& run, const Ghost& ghost) {
    return ghost.gap_mm / (run.rig.focal_mm / run.rig.aperture_mm) / (run.rig.pixel_um / 1000);
}

namespace {

/// A star's light in a channel, behind the dust of the nebula.
double lightOf(const SceneStar& s, const ChannelRates& rates, const NebulaMap& nebula) {
    return rates.star(s.v + (s.v > 9 && !nebula.dust.empty() ? 0.6 * nebula.sample(nebula.dust, s.at.x, s.at.y) : 0), s.kelvin);
}

/// Light of a star that a matched filter just sees in the stack.
double foundLight(const SceneRun& run, const ChannelRates& rates) {
    const double subs = std::max(1.0, static_cast<double>(run.sub_count)), sky = std::sqrt(std::max(1e-9, rates.sky()) / (run.sub_exposure_s * subs));
    const double b = run.beta,
                 width = run.fwhm_px * std::sqrt(M_PI * (2 * b - 1) / (4 * (std::pow(2, 1 / b) - 1))) / (b - 1); // a pixel's noise times this, for a Moffat
    return 4.5 * std::hypot(sky, run.rig.readNoise_e / run.sub_exposure_s / std::sqrt(subs)) * width;
}

} // namespace

void markFound(const SceneRun& run, int channel, const NebulaMap& nebula, const std::vector<SceneStar>& stars, std::vector<char>& found) {
    const ChannelRates rates = channelRates(run, channel);
    const double least = foundLight(run, rates);
    found.resize(stars.size(), 0);
    for (std::size_t i = 0; i < stars.size(); ++i)
        if (lightOf(stars[i], rates, nebula) >= least) found[i] = 1;
}

CleanPlane renderClean(const SceneRun& run, int channel, const NebulaMap& nebula, const std::vector<SceneStar>& stars, const std::vector<char>* hidden) {
    const ChannelRates rates = channelRates(run, channel);
    CleanPlane out{Plane(run.width, run.height), Plane(run.width, run.height), Plane(run.width, run.height), Plane(run.width, run.height)};
    const StarImage image(run);
    const Field field(run);
    const double noise = std::sqrt(std::max(1e-9, rates.sky()) / (run.sub_exposure_s * run.sub_count));
    const double found = foundLight(run, rates);
    std::vector<Drawn> drawn;
    for (std::size_t i = 0; i < stars.size(); ++i) {
        const SceneStar& s = stars[i];
        const double light = lightOf(s, rates, nebula);
        if (light * image.at(0, 0) < 0.02 * noise) continue;
        const Point at = run.alignment.map(s.at);
        drawn.push_back({at, light, image.reach(light, 0.01 * noise), hidden ? (*hidden)[i] == 0 : light < found});
    }
    const Alignment::Affine toBaseline = run.alignment.backward();
    tbb::parallel_for(tbb::blocked_range<int>(0, run.height, 16), [&](const tbb::blocked_range<int>& rows) {
        for (int y = rows.begin(); y < rows.end(); ++y) {
            float* sky = out.sky.row(y);
            float* gas = out.nebula.row(y);
            for (int x = 0; x < run.width; ++x) {
                sky[x] = static_cast<float>(skyAt(run, rates, field, x, y));
                if (nebula.hydrogen.empty()) continue;
                const Point p = toBaseline({static_cast<double>(x), static_cast<double>(y)});
                gas[x] = static_cast<float>(field.flat(x, y) *
                                            (rates.hydrogen * nebula.sample(nebula.hydrogen, p.x, p.y) + rates.oxygen * nebula.sample(nebula.oxygen, p.x, p.y) +
                                             rates.sulphur * nebula.sample(nebula.sulphur, p.x, p.y)));
            }
        }
        for (const Drawn& s : drawn) {
            const int y0 = std::max(rows.begin(), static_cast<int>(std::ceil(s.at.y - s.reach))),
                      y1 = std::min(rows.end() - 1, static_cast<int>(std::floor(s.at.y + s.reach)));
            for (int y = y0; y <= y1; ++y) {
                float* row = out.stars.row(y);
                const double dy = y - s.at.y, half = std::sqrt(std::max(0.0, s.reach * s.reach - dy * dy));
                for (int x = std::max(0, static_cast<int>(std::ceil(s.at.x - half))); x <= std::min(run.width - 1, static_cast<int>(std::floor(s.at.x + half)));
                     ++x)
                    row[x] += static_cast<float>(s.light * image.at(x - s.at.x, dy));
                if (!s.unseen) continue;
                float* dim = out.unseen.row(y);
                for (int x = std::max(0, static_cast<int>(std::ceil(s.at.x - half))); x <= std::min(run.width - 1, static_cast<int>(std::floor(s.at.x + half)));
                     ++x)
                    dim[x] += static_cast<float>(s.light * image.at(x - s.at.x, dy));
            }
            for (const Ghost& g : run.filter.ghosts) {
                const double r = ghostRadius(run, g), hole = r * run.rig.obstruction, level = s.light * g.fraction / (M_PI * (r * r - hole * hole));
                if (level < 0.003 * noise) continue;
                const Point c{s.at.x + g.offset.x, s.at.y + g.offset.y};
                for (int y = std::max(rows.begin(), static_cast<int>(c.y - r - 2)); y <= std::min(rows.end() - 1, static_cast<int>(c.y + r + 2)); ++y) {
                    float* row = out.stars.row(y);
                    for (int x = std::max(0, static_cast<int>(c.x - r - 2)); x <= std::min(run.width - 1, static_cast<int>(c.x + r + 2)); ++x) {
                        const double d = std::hypot(x - c.x, y - c.y);
                        const double cover = std::clamp(r - d + 0.5, 0.0, 1.0) * (hole > 0 ? std::clamp(d - hole + 0.5, 0.0, 1.0) : 1.0);
                        row[x] += static_cast<float>(level * cover);
                    }
                }
            }
        }
        for (int y = rows.begin(); y < rows.end(); ++y) {
            float* row = out.stars.row(y);
            float* dim = out.unseen.row(y);
            for (int x = 0; x < run.width; ++x) {
                row[x] *= static_cast<float>(field.flat(x, y));
                dim[x] *= static_cast<float>(field.flat(x, y));
            }
        }
    });
    return out;
}

namespace {

/// ADU of one pixel of a stack of `subs`.
float exposedValue(const SceneRun& run, double rate, double subs, Random& random) {
    const double electrons = rate * run.sub_exposure_s, total = electrons * subs;
    const double read = run.rig.readNoise_e * std::sqrt(subs);
    double sum = total > 60 ? total + std::sqrt(total + read * read) * random.normal() : random.poisson(total) + read * random.normal();
    sum = std::min(sum, run.rig.fullWell_e * subs);
    return static_cast<float>(std::min(sum / subs / run.rig.gain_e_per_adu + run.rig.pedestal_adu, run.rig.fullScale_adu));
}

} // namespace

Plane expose(const SceneRun& run, const CleanPlane& clean, int channel) {
    Plane out(run.width, run.height);
    tbb::parallel_for(0, run.height, [&](int y) {
        Random random(run.noiseSeed * 1'000'003ULL + static_cast<unsigned long long>(channel) * 7'919ULL + static_cast<unsigned long long>(y) * 104'729ULL);
        for (int x = 0; x < run.width; ++x)
            out.at(x, y) = exposedValue(run, static_cast<double>(clean.sky.at(x, y) + clean.nebula.at(x, y) + clean.stars.at(x, y)), run.sub_count, random);
    });
    return out;
}

Plane exposeMosaic(const SceneRun& run, const std::array<CleanPlane, 3>& clean) {
    const auto pattern = mosaicPattern(run.mosaic, 0, 0, false, run.height);
    Plane out(run.width, run.height);
    tbb::parallel_for(0, run.height, [&](int y) {
        Random random(run.noiseSeed * 1'000'003ULL + static_cast<unsigned long long>(y) * 104'729ULL);
        for (int x = 0; x < run.width; ++x) {
            const auto& c = clean[static_cast<std::size_t>(pattern->cell[static_cast<unsigned>(y) & 1][static_cast<unsigned>(x) & 1])];
            out.at(x, y) = exposedValue(run, static_cast<double>(c.sky.at(x, y) + c.nebula.at(x, y) + c.stars.at(x, y)), run.sub_count, random);
        }
    });
    return out;
}

} // namespace caelumen

#include "core/prepare/calibration.h"

#include "core/base/phrase.h"
#include "core/base/stack_rows.h"
#include "core/base/statistics.h"
#include "core/base/text.h"
#include "core/prepare/master_frames.h"

#include <fmt/format.h>
#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <mutex>

namespace caelumen {
namespace {

std::string celsius(std::optional<double> t) {
    return t ? fmt::format("{:.0f} C", *t) : std::string(phrase("unknown temperature"));
}
std::string length(std::optional<double> s) {
    return s ? fmt::format("{:g} s", *s) : std::string(phrase("unknown exposure"));
}

/// The colour site of a stored pixel: 0 for frames without a mosaic, else its place in the 2x2 cell.
int siteOf(const FrameInfo& info, int x, int y) {
    return info.mosaic ? 2 * (y & 1) + (x & 1) : 0;
}

/// Turns a mean flat into factors: each colour site over the median of its central half.
void normaliseFlat(Plane& flat, const FrameInfo& info, std::vector<std::int64_t>& dead) {
    constexpr double kDead = 0.1; // of its colour's usual light
    std::array<std::vector<float>, 4> middle;
    const int w = flat.width(), h = flat.height(), step = std::max(1, h / 400) | 1;
    for (int y = h / 4; y < h * 3 / 4; y += step)
        for (int x = w / 4; x < w * 3 / 4; x += step)
            if (std::isfinite(flat.at(x, y))) middle[static_cast<std::size_t>(siteOf(info, x, y))].push_back(flat.at(x, y));
    std::array<double, 4> site{};
    for (std::size_t s = 0; s < 4; ++s) site[s] = middle[s].empty() ? 1 : median(std::span<float>(middle[s]));
    std::mutex guard;
    tbb::parallel_for(0, h, [&](int y) {
        const std::array<double, 2> usual{site[static_cast<std::size_t>(siteOf(info, 0, y))], site[static_cast<std::size_t>(siteOf(info, 1, y))]};
        float* row = flat.row(y);
        thread_local std::vector<std::int64_t> here;
        here.clear();
        for (int x = 0; x < w; ++x)
            if (!(static_cast<double>(row[x]) / usual[static_cast<std::size_t>(x % 2)] > kDead)) here.push_back(static_cast<std::int64_t>(y) * w + x);
        for (int x = 0; x < w; ++x) row[x] = static_cast<float>(1 / (static_cast<double>(row[x]) / usual[static_cast<std::size_t>(x % 2)]));
        if (here.empty()) return;
        for (const std::int64_t i : here) flat.data()[i] = 1;
        const std::scoped_lock lock(guard);
        dead.insert(dead.end(), here.begin(), here.end());
    });
}

void findHot(const Plane& dark, double full, std::vector<std::int64_t>& hot) {
    std::vector<float> sample = sampleOf(dark);
    std::vector<double> values(sample.begin(), sample.end());
    const double middle = median(std::span<float>(sample)), sigma = std::max(robustSigma(values), 5e-6 * full);
    // Dark current beyond the crowd's: such pixels are noisier than their photons tell.
    const auto limit = static_cast<float>(middle + std::max(20 * sigma, 0.005 * full));
    std::mutex guard;
    tbb::parallel_for(tbb::blocked_range<std::size_t>(0, dark.size(), 1 << 18), [&](const auto& range) {
        std::vector<std::int64_t> here;
        for (std::size_t i = range.begin(); i < range.end(); ++i)
            if (!(dark.data()[i] <= limit)) here.push_back(static_cast<std::int64_t>(i));
        const std::scoped_lock lock(guard);
        hot.insert(hot.end(), here.begin(), here.end());
    });
    if (hot.size() > dark.size() / 50) hot.clear(); // a glow, not defects
}

/// The masters of one recipe, kind by kind.
class CalibrationMaker {
public:
    CalibrationMaker(const SubsRecipe& recipe, const FrameInfo& light, const Job& job)
        : m_recipe(recipe)
        , m_light(light)
        , m_facts(light.facts)
        , m_job(job)
        , m_exposure(recipe.run.sub_exposure_s ? recipe.run.sub_exposure_s : light.facts.sub_exposure_s)
        , m_planes(light.mosaic ? 1 : light.channels.size()) {
        const Rig rig = factsOf(recipe, m_facts).rig;
        m_pedestal = rig.pedestal_adu;
        m_full = rig.full_scale_adu.value_or(light.integer && light.bits <= 16 ? std::pow(2.0, light.bits) - 1 : 65535);
        m_out.step = light.mosaic ? 2 : 1;
    }

    Result<Calibration> make() {
        if (const Status done = takeBiases(); !done) return done.error();
        if (const Status done = takeZero(); !done) return done.error();
        if (const Status done = takeFlats(); !done) return done.error();
        std::vector<std::int64_t>& defects = m_out.defects;
        std::sort(defects.begin(), defects.end());
        defects.erase(std::unique(defects.begin(), defects.end()), defects.end());
        if (defects.size() > static_cast<std::size_t>(m_light.width) * static_cast<std::size_t>(m_light.height) / 20) defects.clear();
        if (!defects.empty()) did("{} defective pixels filled from neighbours of the same colour", defects.size());
        m_job.report(1, "Masters");
        return std::move(m_out);
    }

private:
    template<class... Args>
    void did(fmt::format_string<Args...> text, Args&&... args) {
        m_out.history.push_back(fmt::format(text, std::forward<Args>(args)...));
    }
    template<class... Args>
    void warn(fmt::format_string<Args...> text, Args&&... args) {
        m_out.warnings.push_back(phrase(text, std::forward<Args>(args)...));
    }

    Status takeBiases() {
        if (m_recipe.biases.empty()) return Done{};
        m_job.report(0, "Bias");
        auto frames = openCalibrationFrames(m_recipe.biases, m_light, "bias", m_full);
        if (!frames) return frames.error();
        leaveOutLeaks(*frames, "bias", m_out.warnings);
        auto mean = masterOf(*frames, {}, nullptr, m_planes, m_job);
        if (!mean) return mean.error();
        m_bias = std::move(*mean);
        m_biasLevel = frames->front().level;
        did("bias: mean of {} frames", frames->size());
        return Done{};
    }

    /// What the subs show without light.
    Status takeZero() {
        if (!m_recipe.darks.empty()) return takeDarks();
        if (!m_bias.empty()) {
            m_out.dark = m_bias;
            m_out.zeroKnown = true;
            warn("No darks were given: hot pixels and the sensor's glow stay in.");
        } else if (m_pedestal) {
            m_out.pedestal = *m_pedestal;
            m_out.zeroKnown = true;
            did("pedestal of {:g} ADU taken away", *m_pedestal);
            warn("No darks and no biases were given: hot pixels and the sensor's glow stay in.");
        } else {
            warn("No darks, no biases and no pedestal are known: the sky's absolute level stays unknown.");
        }
        return Done{};
    }

    Status takeDarks() {
        m_job.report(0.3, "Darks");
        auto frames = openCalibrationFrames(m_recipe.darks, m_light, "dark", m_full);
        if (!frames) return frames.error();
        std::vector<CalibrationFrame> chosen = nearestDarks(*frames, m_facts, m_exposure);
        leaveOutLeaks(chosen, "dark", m_out.warnings);
        const FrameFacts& d = chosen.front().info.facts;
        auto mean = masterOf(chosen, {}, nullptr, m_planes, m_job);
        if (!mean) return mean.error();
        m_out.dark = std::move(*mean);
        did("dark: mean of {} of {} frames, {} at {} for subs of {} at {}", chosen.size(), frames->size(), length(d.sub_exposure_s),
            celsius(d.sensor_temperature_c), length(m_exposure), celsius(m_facts.sensor_temperature_c));
        if (d.sensor_temperature_c && m_facts.sensor_temperature_c && std::abs(*d.sensor_temperature_c - *m_facts.sensor_temperature_c) > 2)
            warn("The nearest darks were taken at {}, the subs at {}: dark current is not fully removed.", celsius(d.sensor_temperature_c),
                 celsius(m_facts.sensor_temperature_c));
        if (d.gain_setting && m_facts.gain_setting && std::abs(*d.gain_setting - *m_facts.gain_setting) > 0.5)
            warn("The darks were taken at gain {:g}, the subs at {:g}: take darks at the subs' gain.", *d.gain_setting, *m_facts.gain_setting);
        for (const std::string& leak : lightInDarks(*frames, m_out.dark.front(), m_bias.empty() ? nullptr : &m_bias.front(), m_biasLevel))
            m_out.warnings.push_back(leak);
        if (d.sub_exposure_s && m_exposure && std::abs(*d.sub_exposure_s / *m_exposure - 1) > 0.02) scaleDarks(*d.sub_exposure_s);
        findHot(m_out.dark.front(), m_full, m_out.defects);
        m_out.zeroKnown = true;
        return Done{};
    }

    void scaleDarks(double taken_s) {
        if (m_bias.empty())
            return warn("The nearest darks last {}, the subs {}, and without biases they cannot be scaled.", length(taken_s), length(m_exposure));
        const auto ratio = static_cast<float>(*m_exposure / taken_s);
        for (std::size_t p = 0; p < m_planes; ++p)
            tbb::parallel_for(0, m_light.height, [&](int y) {
                float* to = m_out.dark[p].row(y);
                const float* zero = m_bias[p].row(y);
                for (int x = 0; x < m_light.width; ++x) to[x] = zero[x] + (to[x] - zero[x]) * ratio;
            });
        did("dark current scaled by {:.3g} above the bias", ratio);
        warn("The nearest darks last {}, the subs {}: their current was scaled, which does not remove a glow of the sensor's edge exactly.", length(taken_s),
             length(m_exposure));
    }

    bool subtracts() const { return m_recipe.flatSchool == FlatSchool::Subtract; }

    Status takeFlats() {
        if (m_recipe.flats.empty()) {
            warn("No flats were given: vignetting and dust stay in.");
            return Done{};
        }
        m_job.report(0.6, "Flats");
        auto frames = openCalibrationFrames(m_recipe.flats, m_light, "flat", m_full);
        if (!frames) return frames.error();
        leaveOutOtherFilters(*frames);
        if (subtracts()) {
            if (const Status fits = diffusersFit(*frames); !fits) return fits;
        } else {
            const auto saturated = [&](const CalibrationFrame& f) { return f.top > 0.97 * m_full || f.level > 0.9 * m_full; };
            const auto many = std::count_if(frames->begin(), frames->end(), saturated);
            if (many > 0) warn("{} of {} flats are saturated and were left out.", many, frames->size());
            std::erase_if(*frames, saturated);
        }
        auto zero = zeroOfFlats();
        if (!zero) return zero.error();
        if (frames->empty()) {
            warn("No usable flat is left: the subs stay unflattened.");
            return Done{};
        }
        return addFlats(*frames, *zero);
    }

    void leaveOutOtherFilters(std::vector<CalibrationFrame>& frames) {
        if (!m_facts.filter) return;
        const auto other = [&](const CalibrationFrame& f) { return f.info.facts.filter && *f.info.facts.filter != *m_facts.filter; };
        const auto wrong = std::count_if(frames.begin(), frames.end(), other);
        if (wrong > 0 && wrong < static_cast<std::ptrdiff_t>(frames.size())) {
            warn("{} of {} flats are of another filter than {} and were left out.", wrong, frames.size(), *m_facts.filter);
            std::erase_if(frames, other);
        } else if (wrong > 0) {
            warn("All flats are of {}, the subs of {}: dust and vignetting may differ.", *frames.front().info.facts.filter, *m_facts.filter);
        }
    }

    /// What a diffuser shows is subtracted as it is: it must have gathered light for as long as the subs.
    Status diffusersFit(const std::vector<CalibrationFrame>& frames) {
        for (const CalibrationFrame& f : frames) {
            const auto own = f.info.facts.sub_exposure_s;
            if (own && m_exposure && std::abs(*own / *m_exposure - 1) > 0.05)
                return Error{phrase("The diffuser frame {} lasts {}, the subs {}: subtracted, it would take away another glow than they have. Take "
                                    "diffuser frames of the subs' length, or divide by flats.",
                                    shown(f.info.path.filename()), length(own), length(m_exposure))};
        }
        return Done{};
    }

    /// The zero of the flats: their own darks, else a bias, else the darks as they are (when short), else the pedestal.
    Result<std::vector<Plane>> zeroOfFlats() {
        if (!m_recipe.flatDarks.empty()) {
            auto darks = openCalibrationFrames(m_recipe.flatDarks, m_light, "flat dark", m_full);
            if (!darks) return darks.error();
            did("flat dark: mean of {} frames", darks->size());
            return masterOf(*darks, {}, nullptr, m_planes, m_job);
        }
        if (!m_bias.empty()) return std::move(m_bias); // the last that asks for it
        if (subtracts() && !m_out.dark.empty()) return m_out.dark;
        if (m_pedestal) return std::vector<Plane>(m_planes, Plane(m_light.width, m_light.height, static_cast<float>(*m_pedestal)));
        if (!m_out.dark.empty()) {
            warn("The flats have no darks of their own and no biases: the subs' darks were taken as their zero.");
            return m_out.dark;
        }
        warn("The zero of the flats is unknown: vignetting is corrected too little.");
        return std::vector<Plane>{};
    }

    Status addFlats(const std::vector<CalibrationFrame>& frames, const std::vector<Plane>& zero) {
        double zeroLevel = 0;
        if (!zero.empty()) {
            std::vector<float> sample = sampleOf(zero.front(), 20'000);
            zeroLevel = median(std::span<float>(sample));
        }
        std::vector<double> scale;
        double mean = 0;
        for (const CalibrationFrame& f : frames) mean += (f.level - zeroLevel) / static_cast<double>(frames.size());
        if (!subtracts() && mean < 0.05 * m_full) warn("The flats are dim ({:.1f} % of full scale): their noise goes into every sub.", 100 * mean / m_full);
        for (const CalibrationFrame& f : frames) scale.push_back(subtracts() ? 1 : mean / std::max(1.0, f.level - zeroLevel));
        auto flat = masterOf(frames, scale, &zero, m_planes, m_job);
        if (!flat) return flat.error();
        if (subtracts()) {
            m_out.diffuser = std::move(*flat);
            m_out.zeroKnown = false; // the sky went with it
            did("diffuser: mean of {} frames subtracted", frames.size());
            warn("The flats were subtracted (diffuser school): glow and rings go, but transmission is not corrected, so fluxes and throughput differ across "
                 "the frame.");
            return Done{};
        }
        m_out.factor = std::move(*flat);
        std::vector<std::int64_t> dead;
        for (Plane& f : m_out.factor) normaliseFlat(f, m_light, &f == &m_out.factor.front() ? m_out.defects : dead);
        did("flat: mean of {} frames, each colour site over the median of its central half", frames.size());
        return Done{};
    }

    const SubsRecipe& m_recipe;
    const FrameInfo& m_light;
    const FrameFacts& m_facts;
    const Job& m_job;
    std::optional<double> m_exposure, m_pedestal, m_biasLevel;
    std::size_t m_planes;
    double m_full = 65535;
    std::vector<Plane> m_bias;
    Calibration m_out;
};

} // namespace

void Calibration::apply(int plane, int y, int count, int width, float* rows) const {
    const auto p = static_cast<std::size_t>(plane);
    for (int r = 0; r < count; ++r) {
        float* row = rows + static_cast<std::size_t>(r) * static_cast<std::size_t>(width);
        const float* zero = dark.empty() ? nullptr : dark[p].row(y + r);
        if (!diffuser.empty()) {
            rows::calibrate(row, width, zero, static_cast<float>(pedestal), nullptr, row);
            rows::calibrate(row, width, diffuser[p].row(y + r), 0, nullptr, row);
            if (!factor.empty()) rows::calibrate(row, width, nullptr, 0, factor[p].row(y + r), row);
        } else {
            rows::calibrate(row, width, zero, static_cast<float>(pedestal), factor.empty() ? nullptr : factor[p].row(y + r), row);
        }
    }
    if (plane > 0) return;
    const std::int64_t first = static_cast<std::int64_t>(y) * width, last = first + static_cast<std::int64_t>(count) * width;
    const auto begin = std::lower_bound(defects.begin(), defects.end(), first), end = std::lower_bound(defects.begin(), defects.end(), last);
    const auto bad = [&](std::int64_t i) { return std::binary_search(begin, end, i); };
    for (auto it = begin; it != end; ++it) {
        const auto x = static_cast<int>((*it - first) % width);
        float sum = 0;
        int n = 0;
        for (const int away : {-step, step})
            if (x + away >= 0 && x + away < width && !bad(*it + away)) {
                const float v = rows[*it - first + away];
                if (v == v) sum += v, ++n;
            }
        rows[*it - first] = n > 0 ? sum / static_cast<float>(n) : kNoData;
    }
}

Result<Calibration> makeCalibration(const SubsRecipe& recipe, const FrameInfo& light, const Job& job) {
    return CalibrationMaker(recipe, light, job).make();
}

} // namespace caelumen

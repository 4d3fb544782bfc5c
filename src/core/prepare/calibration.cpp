#include "core/prepare/calibration.h"

#include "core/base/pixel_rows.h"
#include "core/base/statistics.h"
#include "core/base/text.h"
#include "core/image/name_facts.h"
#include "core/prepare/adu_rows.h"
#include "core/prepare/combine.h"

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <mutex>

namespace caelumen {
namespace fs = std::filesystem;
namespace {

struct Opened {
    FrameInfo info;
    StoredRows rows;
    double level = 0; ///< median of a sample of the central half, first stored plane
    double top = 0;   ///< of that sample, its 99 % point
};

std::vector<float> sampleOf(const Plane& plane, std::size_t most = 200'000) {
    std::vector<float> out;
    const std::size_t step = std::max<std::size_t>(1, plane.size() / most) | 1;
    for (std::size_t i = 0; i < plane.size(); i += step)
        if (std::isfinite(plane.data()[i])) out.push_back(plane.data()[i]);
    return out;
}

Result<Opened> openOne(const fs::path& path, const FrameInfo& light, const char* kind, double full) {
    const auto file = FrameFile::open(path);
    if (!file) return file.error();
    const FrameInfo& info = file->info();
    const auto stored = [](const FrameInfo& i) { return i.mosaic ? std::size_t{1} : i.channels.size(); };
    if (info.width != light.width || info.height != light.height || stored(info) != stored(light))
        return Error{fmt::format("{} is a {} of {} x {} pixels, but the subs have {} x {}; give frames of the same camera and binning.", shown(path), kind, info.width, info.height, light.width, light.height)};
    auto rows = aduRows(*file, full);
    if (!rows) return rows.error();
    Opened out{info, std::move(*rows), 0, 0};
    completeFromName(out.info.facts, nameText(path.filename()));
    std::vector<float> line(static_cast<std::size_t>(info.width)), values;
    for (int y = info.height / 4; y < info.height * 3 / 4; y += std::max(1, info.height / 128)) {
        if (const Status read = out.rows.read(0, y, 1, line.data()); !read) return read.error();
        for (int x = info.width / 4; x < info.width * 3 / 4; x += std::max(1, info.width / 256) | 1)
            if (std::isfinite(line[static_cast<std::size_t>(x)])) values.push_back(line[static_cast<std::size_t>(x)]);
    }
    if (values.empty()) return Error{fmt::format("{} has no usable pixels; take it out of the {}.", shown(path), plural(kind))};
    std::vector<double> sorted(values.begin(), values.end());
    out.top = quantile(sorted, 0.99);
    out.level = median(std::span<float>(values));
    return out;
}

Result<std::vector<Opened>> openAll(const std::vector<fs::path>& paths, const FrameInfo& light, const char* kind, double full) {
    std::vector<Opened> out;
    for (const fs::path& p : paths) {
        auto one = openOne(p, light, kind, full);
        if (!one) return one.error();
        out.push_back(std::move(*one));
    }
    return out;
}

std::vector<StoredRows> rowsOf(const std::vector<Opened>& frames) {
    std::vector<StoredRows> out;
    for (const Opened& f : frames) out.push_back(f.rows);
    return out;
}

Result<std::vector<Plane>> means(const std::vector<Opened>& frames, const std::vector<double>& scale, const std::vector<Plane>* zero, std::size_t planes, const Job& job) {
    std::vector<Plane> out;
    for (std::size_t p = 0; p < planes; ++p) {
        auto mean = meanOfFrames(rowsOf(frames), static_cast<int>(p), scale, zero && !zero->empty() ? &(*zero)[p] : nullptr, job);
        if (!mean) return mean.error();
        out.push_back(std::move(*mean));
    }
    return out;
}

/// Frames whose level stands apart from the others: a lamp that leaked in, a lid that was off.
void leaveOutLeaks(std::vector<Opened>& frames, const char* kind, std::vector<std::string>& warnings) {
    if (frames.size() < 4) return;
    std::vector<double> levels;
    for (const Opened& f : frames) levels.push_back(f.level);
    std::vector<double> room = levels;
    const double middle = median(std::span<double>(room)), sigma = robustSigma(room), limit = std::max(6 * sigma, 0.02 * std::abs(middle) + 4);
    std::erase_if(frames, [&](const Opened& f) {
        const bool out = f.level > middle + limit;
        if (out) warnings.push_back(fmt::format("{} is brighter than the other {} ({:.0f} against {:.0f} ADU): light leaked in. It was left out.", shown(f.info.path.filename()), plural(kind), f.level, middle));
        return out;
    });
}

std::string celsius(std::optional<double> t) { return t ? fmt::format("{:.0f} C", *t) : std::string("unknown temperature"); }
std::string length(std::optional<double> s) { return s ? fmt::format("{:g} s", *s) : std::string("unknown exposure"); }

/// How far a group of darks lies from the subs: gain first, then exposure, then temperature (a dark current doubles every 6 K or so).
double distance(const FrameFacts& dark, const FrameFacts& light, std::optional<double> exposure) {
    double d = 0;
    if (dark.gain_setting && light.gain_setting && std::abs(*dark.gain_setting - *light.gain_setting) > 0.5) d += 100;
    if (dark.offset_setting && light.offset_setting && std::abs(*dark.offset_setting - *light.offset_setting) > 0.5) d += 100;
    if (dark.sub_exposure_s && exposure) d += 3 * std::abs(std::log2(*dark.sub_exposure_s / *exposure));
    else d += 2;
    if (dark.sensor_temperature_c && light.sensor_temperature_c) d += std::abs(*dark.sensor_temperature_c - *light.sensor_temperature_c) / 6;
    else d += 0.5;
    return d;
}

/// Frames of one gain, exposure and temperature (to whole degrees): the group nearest to what is wanted.
std::vector<Opened> nearest(std::vector<Opened> all, const FrameFacts& light, std::optional<double> exposure) {
    std::map<std::string, std::vector<Opened>> groups;
    for (Opened& f : all) {
        const FrameFacts& x = f.info.facts;
        const std::string key = fmt::format("{:.0f} {:.2f} {:.0f}", x.gain_setting.value_or(-1), std::log(x.sub_exposure_s.value_or(1e-3)), std::round(x.sensor_temperature_c.value_or(-99) / 2));
        groups[key].push_back(std::move(f));
    }
    const auto best = std::min_element(groups.begin(), groups.end(), [&](const auto& a, const auto& b) {
        const double da = distance(a.second.front().info.facts, light, exposure), db = distance(b.second.front().info.facts, light, exposure);
        return da != db ? da < db : a.second.size() > b.second.size();
    });
    return best == groups.end() ? std::vector<Opened>{} : std::move(best->second);
}

/// The colour site of a stored pixel: 0 for frames without a mosaic, else its place in the 2x2 cell.
int siteOf(const FrameInfo& info, int x, int y) { return info.mosaic ? 2 * (y & 1) + (x & 1) : 0; }

/// Turns a mean flat into factors: each colour site over the median of its central half.
void normaliseFlat(Plane& flat, const FrameInfo& info, std::vector<std::int64_t>& dead) {
    std::array<std::vector<float>, 4> middle;
    const int w = flat.width(), h = flat.height(), step = std::max(1, h / 400) | 1;
    for (int y = h / 4; y < h * 3 / 4; y += step)
        for (int x = w / 4; x < w * 3 / 4; x += step)
            if (std::isfinite(flat.at(x, y))) middle[static_cast<std::size_t>(siteOf(info, x, y))].push_back(flat.at(x, y));
    std::array<double, 4> site{};
    for (std::size_t s = 0; s < 4; ++s) site[s] = middle[s].empty() ? 1 : median(std::span<float>(middle[s]));
    std::mutex guard;
    tbb::parallel_for(0, h, [&](int y) {
        float* row = flat.row(y);
        for (int x = 0; x < w; ++x) {
            const double part = static_cast<double>(row[x]) / site[static_cast<std::size_t>(siteOf(info, x, y))];
            if (part > 0.1) {
                row[x] = static_cast<float>(1 / part);
                continue;
            }
            row[x] = 1;
            const std::scoped_lock lock(guard);
            dead.push_back(static_cast<std::int64_t>(y) * w + x);
        }
    });
}

void findHot(const Plane& dark, double full, std::vector<std::int64_t>& hot) {
    std::vector<float> sample = sampleOf(dark);
    std::vector<double> values(sample.begin(), sample.end());
    const double middle = median(std::span<float>(sample)), sigma = std::max(robustSigma(values), 5e-6 * full);
    // Dark current beyond the crowd's: such pixels are noisier than their photons tell.
    const auto limit = static_cast<float>(middle + std::max(20 * sigma, 0.005 * full));
    for (std::size_t i = 0; i < dark.size(); ++i)
        if (!(dark.data()[i] <= limit)) hot.push_back(static_cast<std::int64_t>(i));
    if (hot.size() > dark.size() / 50) hot.clear(); // a glow, not defects
}

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

Result<Plane> meanOfFrames(const std::vector<StoredRows>& frames, int plane, const std::vector<double>& scale, const Plane* zero, const Job& job) {
    const int w = frames.front().width(), h = frames.front().height();
    Plane out = Plane::unfilled(w, h);
    const int band = static_cast<int>(std::clamp<long long>((16LL << 20) / (static_cast<long long>(w) * static_cast<long long>(frames.size()) * 4), 2, 32));
    const int bands = (h + band - 1) / band;
    CombineOptions options;
    options.low = options.high = 3.5;
    std::mutex guard;
    std::optional<Error> failure;
    tbb::parallel_for(0, bands, [&](int b) {
        if (job.cancelled()) return;
        const int y0 = b * band, rows = std::min(band, h - y0);
        const std::size_t size = static_cast<std::size_t>(w) * static_cast<std::size_t>(rows);
        std::vector<float> pixels(frames.size() * size);
        for (std::size_t f = 0; f < frames.size(); ++f) {
            float* at = pixels.data() + f * size;
            if (const Status read = frames[f].read(plane, y0, rows, at); !read) {
                const std::scoped_lock lock(guard);
                if (!failure) failure = read.error();
                return;
            }
            for (int r = 0; r < rows; ++r) {
                float* row = at + static_cast<std::size_t>(r) * static_cast<std::size_t>(w);
                if (zero) rows::calibrate(row, w, zero->row(y0 + r), 0, nullptr, row);
                if (!scale.empty()) rows::scale(row, w, 0, static_cast<float>(scale[f]));
            }
        }
        // Noise of one frame from the difference of two, here: flats are noisier where they are bright.
        NoiseModel model;
        if (frames.size() > 1) {
            std::vector<double> differences;
            for (std::size_t i = 0; i < size; i += 7)
                if (const float d = pixels[i] - pixels[size + i]; d == d) differences.push_back(d);
            if (differences.size() > 100) model.sky = 1.05 * robustSigma(differences) / std::sqrt(2.0);
        }
        std::vector<float> level(pixels.begin(), pixels.begin() + w);
        std::erase_if(level, [](float v) { return v != v; });
        model.level = median(std::span<float>(level));
        std::vector<const float*> pointers(frames.size());
        for (int r = 0; r < rows; ++r) {
            for (std::size_t f = 0; f < frames.size(); ++f) pointers[f] = pixels.data() + f * size + static_cast<std::size_t>(r) * static_cast<std::size_t>(w);
            combineRows(pointers, w, model, options, {}, out.row(y0 + r));
        }
    });
    if (failure) return *failure;
    if (job.cancelled()) return Error{kCancelled};
    return out;
}

Result<Calibration> makeCalibration(const SubsRecipe& recipe, const FrameInfo& light, const Job& job) {
    Calibration out;
    out.step = light.mosaic ? 2 : 1;
    const FrameFacts& facts = light.facts;
    const std::optional<double> exposure = recipe.run.sub_exposure_s ? recipe.run.sub_exposure_s : facts.sub_exposure_s;
    const std::size_t planes = light.mosaic ? 1 : light.channels.size();
    const Rig rig = factsOf(recipe, facts).rig;
    const std::optional<double> pedestal = rig.pedestal_adu;

    const double full = rig.full_scale_adu.value_or(light.integer && light.bits <= 16 ? std::pow(2.0, light.bits) - 1 : 65535);

    std::vector<Plane> bias;
    double biasLevel = 0;
    if (!recipe.biases.empty()) {
        job.report(0, "Bias");
        auto frames = openAll(recipe.biases, light, "bias", full);
        if (!frames) return frames.error();
        leaveOutLeaks(*frames, "bias", out.warnings);
        auto mean = means(*frames, {}, nullptr, planes, job);
        if (!mean) return mean.error();
        bias = std::move(*mean);
        biasLevel = frames->front().level;
        out.history.push_back(fmt::format("bias: mean of {} frames", frames->size()));
    }
    if (!recipe.darks.empty()) {
        job.report(0.3, "Darks");
        auto frames = openAll(recipe.darks, light, "dark", full);
        if (!frames) return frames.error();
        const std::size_t given = frames->size();
        std::vector<Opened> chosen = nearest(std::move(*frames), facts, exposure);
        leaveOutLeaks(chosen, "dark", out.warnings);
        const FrameFacts& d = chosen.front().info.facts;
        auto mean = means(chosen, {}, nullptr, planes, job);
        if (!mean) return mean.error();
        out.dark = std::move(*mean);
        out.history.push_back(fmt::format("dark: mean of {} of {} frames, {} at {} for subs of {} at {}", chosen.size(), given, length(d.sub_exposure_s), celsius(d.sensor_temperature_c), length(exposure), celsius(facts.sensor_temperature_c)));
        if (d.sensor_temperature_c && facts.sensor_temperature_c && std::abs(*d.sensor_temperature_c - *facts.sensor_temperature_c) > 2)
            out.warnings.push_back(fmt::format("The nearest darks were taken at {}, the subs at {}: dark current is not fully removed.", celsius(d.sensor_temperature_c), celsius(facts.sensor_temperature_c)));
        if (d.gain_setting && facts.gain_setting && std::abs(*d.gain_setting - *facts.gain_setting) > 0.5)
            out.warnings.push_back(fmt::format("The darks were taken at gain {:g}, the subs at {:g}: take darks at the subs' gain.", *d.gain_setting, *facts.gain_setting));
        if (d.sub_exposure_s && exposure && std::abs(*d.sub_exposure_s / *exposure - 1) > 0.02) {
            if (!bias.empty()) {
                const auto ratio = static_cast<float>(*exposure / *d.sub_exposure_s);
                for (std::size_t p = 0; p < planes; ++p)
                    tbb::parallel_for(0, light.height, [&](int y) {
                        float* to = out.dark[p].row(y);
                        const float* zero = bias[p].row(y);
                        for (int x = 0; x < light.width; ++x) to[x] = zero[x] + (to[x] - zero[x]) * ratio;
                    });
                out.history.push_back(fmt::format("dark current scaled by {:.3g} above the bias", ratio));
                out.warnings.push_back(fmt::format("The nearest darks last {}, the subs {}: their current was scaled, which does not remove a glow of the sensor's edge exactly.", length(d.sub_exposure_s), length(exposure)));
            } else {
                out.warnings.push_back(fmt::format("The nearest darks last {}, the subs {}, and without biases they cannot be scaled.", length(d.sub_exposure_s), length(exposure)));
            }
        }
        if (!bias.empty() && chosen.front().level > biasLevel + 200) out.warnings.push_back(fmt::format("The darks lie {:.0f} ADU above the biases: a warm sensor, or light leaked in.", chosen.front().level - biasLevel));
        findHot(out.dark.front(), full, out.defects);
        out.zeroKnown = true;
    } else if (!bias.empty()) {
        for (Plane& b : bias) out.dark.push_back(b);
        out.zeroKnown = true;
        out.warnings.emplace_back("No darks were given: hot pixels and the sensor's glow stay in.");
    } else if (pedestal) {
        out.pedestal = *pedestal;
        out.zeroKnown = true;
        out.history.push_back(fmt::format("pedestal of {:g} ADU taken away", *pedestal));
        out.warnings.emplace_back("No darks and no biases were given: hot pixels and the sensor's glow stay in.");
    } else {
        out.warnings.emplace_back("No darks, no biases and no pedestal are known: the sky's absolute level stays unknown.");
    }

    if (!recipe.flats.empty()) {
        job.report(0.6, "Flats");
        auto frames = openAll(recipe.flats, light, "flat", full);
        if (!frames) return frames.error();
        const bool subtracts = recipe.flatSchool == FlatSchool::Subtract;
        if (facts.filter) {
            const auto other = [&](const Opened& f) { return f.info.facts.filter && *f.info.facts.filter != *facts.filter; };
            const auto wrong = std::count_if(frames->begin(), frames->end(), other);
            if (wrong > 0 && wrong < static_cast<std::ptrdiff_t>(frames->size())) {
                out.warnings.push_back(fmt::format("{} of {} flats are of another filter than {} and were left out.", wrong, frames->size(), *facts.filter));
                std::erase_if(*frames, other);
            } else if (wrong > 0) {
                out.warnings.push_back(fmt::format("All flats are of {}, the subs of {}: dust and vignetting may differ.", *frames->front().info.facts.filter, *facts.filter));
            }
        }
        if (!subtracts) {
            const auto saturated = [&](const Opened& f) { return f.top > 0.97 * full || f.level > 0.9 * full; };
            const auto many = std::count_if(frames->begin(), frames->end(), saturated);
            if (many > 0) out.warnings.push_back(fmt::format("{} of {} flats are saturated and were left out.", many, frames->size()));
            std::erase_if(*frames, saturated);
        }
        // The zero of the flats: their own darks, else a bias, else the darks as they are (when short), else the pedestal.
        std::vector<Plane> zero;
        if (!recipe.flatDarks.empty()) {
            auto darks = openAll(recipe.flatDarks, light, "flat dark", full);
            if (!darks) return darks.error();
            auto mean = means(*darks, {}, nullptr, planes, job);
            if (!mean) return mean.error();
            zero = std::move(*mean);
            out.history.push_back(fmt::format("flat dark: mean of {} frames", darks->size()));
        } else if (!bias.empty()) {
            for (const Plane& b : bias) zero.push_back(b);
        } else if (subtracts && !out.dark.empty()) {
            for (const Plane& d : out.dark) zero.push_back(d);
        } else if (pedestal) {
            zero.assign(planes, Plane(light.width, light.height, static_cast<float>(*pedestal)));
        } else if (!out.dark.empty()) {
            for (const Plane& d : out.dark) zero.push_back(d);
            out.warnings.emplace_back("The flats have no darks of their own and no biases: the subs' darks were taken as their zero.");
        } else {
            out.warnings.emplace_back("The zero of the flats is unknown: vignetting is corrected too little.");
        }
        if (frames->empty()) {
            out.warnings.emplace_back("No usable flat is left: the subs stay unflattened.");
        } else {
            double zeroLevel = 0;
            if (!zero.empty()) {
                std::vector<float> sample = sampleOf(zero.front(), 20'000);
                zeroLevel = median(std::span<float>(sample));
            }
            std::vector<double> scale;
            double mean = 0;
            for (const Opened& f : *frames) mean += (f.level - zeroLevel) / static_cast<double>(frames->size());
            if (!subtracts && mean < 0.05 * full) out.warnings.push_back(fmt::format("The flats are dim ({:.1f} % of full scale): their noise goes into every sub.", 100 * mean / full));
            for (const Opened& f : *frames) scale.push_back(subtracts ? 1 : mean / std::max(1.0, f.level - zeroLevel));
            auto flat = means(*frames, scale, &zero, planes, job);
            if (!flat) return flat.error();
            if (subtracts) {
                out.diffuser = std::move(*flat);
                out.zeroKnown = false; // the sky went with it
                out.history.push_back(fmt::format("diffuser: mean of {} frames subtracted", frames->size()));
                out.warnings.emplace_back("The flats were subtracted (diffuser school): glow and rings go, but transmission is not corrected, so fluxes and throughput differ across the frame.");
            } else {
                out.factor = std::move(*flat);
                std::vector<std::int64_t> dead;
                for (Plane& f : out.factor) normaliseFlat(f, light, &f == &out.factor.front() ? out.defects : dead);
                out.history.push_back(fmt::format("flat: mean of {} frames, each colour site over the median of its central half", frames->size()));
            }
        }
    } else {
        out.warnings.emplace_back("No flats were given: vignetting and dust stay in.");
    }
    std::sort(out.defects.begin(), out.defects.end());
    out.defects.erase(std::unique(out.defects.begin(), out.defects.end()), out.defects.end());
    if (out.defects.size() > static_cast<std::size_t>(light.width) * static_cast<std::size_t>(light.height) / 20) out.defects.clear();
    if (!out.defects.empty()) out.history.push_back(fmt::format("{} defective pixels filled from neighbours of the same colour", out.defects.size()));
    job.report(1, "Masters");
    return out;
}

} // namespace caelumen

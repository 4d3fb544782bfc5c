#include "core/prepare/master_frames.h"

#include "core/base/phrase.h"
#include "core/base/pixel_rows.h"
#include "core/base/stack_rows.h"
#include "core/base/statistics.h"
#include "core/base/text.h"
#include "core/image/name_facts.h"
#include "core/prepare/adu_rows.h"
#include "core/prepare/combine.h"

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <mutex>

namespace caelumen {
namespace fs = std::filesystem;
namespace {

Result<CalibrationFrame> openOne(const fs::path& path, const FrameInfo& light, const char* kind, double full) {
    const auto file = FrameFile::open(path);
    if (!file) return file.error();
    const FrameInfo& info = file->info();
    const auto stored = [](const FrameInfo& i) { return i.mosaic ? std::size_t{1} : i.channels.size(); };
    if (info.width != light.width || info.height != light.height || stored(info) != stored(light))
        return Error{phrase("{} is a {} of {} x {} pixels, but the subs have {} x {}; give frames of the same camera and binning.", shown(path), kind,
                            info.width, info.height, light.width, light.height)};
    auto rows = aduRows(*file, full);
    if (!rows) return rows.error();
    CalibrationFrame out{info, std::move(*rows), 0, 0};
    completeFromName(out.info.facts, nameText(path.filename()));
    std::vector<float> line(static_cast<std::size_t>(info.width)), values;
    for (int y = info.height / 4; y < info.height * 3 / 4; y += std::max(1, info.height / 128)) {
        if (const Status read = out.rows.read(0, y, 1, line.data()); !read) return read.error();
        for (int x = info.width / 4; x < info.width * 3 / 4; x += std::max(1, info.width / 256) | 1)
            if (std::isfinite(line[static_cast<std::size_t>(x)])) values.push_back(line[static_cast<std::size_t>(x)]);
    }
    if (values.empty()) return Error{phrase("{} has no usable pixels; take it out of the {}.", shown(path), plural(kind))};
    std::vector<double> sorted(values.begin(), values.end());
    out.top = quantile(sorted, 0.99);
    out.level = median(std::span<float>(values));
    return out;
}

std::vector<StoredRows> rowsOf(const std::vector<CalibrationFrame>& frames) {
    std::vector<StoredRows> out;
    for (const CalibrationFrame& f : frames) out.push_back(f.rows);
    return out;
}

/// How far a group of darks lies from the subs: gain first, then exposure, then temperature (a dark current doubles every 6 K or so).
double distance(const FrameFacts& dark, const FrameFacts& light, std::optional<double> exposure) {
    double d = 0;
    if (dark.gain_setting && light.gain_setting && std::abs(*dark.gain_setting - *light.gain_setting) > 0.5) d += 100;
    if (dark.offset_setting && light.offset_setting && std::abs(*dark.offset_setting - *light.offset_setting) > 0.5) d += 100;
    if (dark.sub_exposure_s && exposure)
        d += 3 * std::abs(std::log2(*dark.sub_exposure_s / *exposure));
    else
        d += 2;
    if (dark.sensor_temperature_c && light.sensor_temperature_c)
        d += std::abs(*dark.sensor_temperature_c - *light.sensor_temperature_c) / 6;
    else
        d += 0.5;
    return d;
}

/// Medians of blocks of the dark above its bias, 8 x 8 over the sensor.
constexpr std::size_t kBlocks = 8;
struct BlockMap {
    std::array<double, kBlocks * kBlocks> value{};
    double noise = 0; ///< of one, from how neighbours differ
};
BlockMap blocksOf(const Plane& dark, const Plane* bias) {
    BlockMap out;
    tbb::parallel_for(std::size_t{0}, kBlocks, [&](std::size_t j) {
        std::vector<float> values;
        for (std::size_t i = 0; i < kBlocks; ++i) {
            values.clear();
            const auto part = [](std::size_t k, int size) { return static_cast<int>(k) * size / static_cast<int>(kBlocks); };
            const int x0 = part(i, dark.width()), x1 = part(i + 1, dark.width()), y0 = part(j, dark.height()), y1 = part(j + 1, dark.height()),
                      step = std::max(1, (x1 - x0) * (y1 - y0) / 20'000) | 1;
            for (int y = y0; y < y1; ++y)
                for (int x = x0 + y % step; x < x1; x += step)
                    if (const float v = dark.at(x, y) - (bias ? bias->at(x, y) : 0); std::isfinite(v)) values.push_back(v);
            out.value[j * kBlocks + i] = clippedStats(std::span<float>(values)).mean;
        }
    });
    // Second differences along rows: slopes cancel.
    std::vector<double> bends;
    for (std::size_t j = 0; j < kBlocks; ++j)
        for (std::size_t i = 1; i + 1 < kBlocks; ++i)
            bends.push_back((out.value[j * kBlocks + i] - 0.5 * (out.value[j * kBlocks + i - 1] + out.value[j * kBlocks + i + 1])) / std::sqrt(1.5));
    out.noise = robustSigma(bends);
    return out;
}

struct Rise {
    double adu = 0, sigma = 0;
};
/// From one side of the sensor to the other, the steeper of both directions, as far as both halves rise alike: a glow of electronics at the rim fades before
/// the middle.
Rise riseAcross(const BlockMap& map) {
    constexpr std::size_t kHalf = kBlocks / 2;
    const auto mean = [&](bool down, std::size_t k) {
        double sum = 0;
        for (std::size_t i = 0; i < kBlocks; ++i) sum += map.value[down ? k * kBlocks + i : i * kBlocks + k] / kBlocks;
        return sum;
    };
    Rise steepest;
    for (const bool down : {false, true}) {
        // Outer against inner lines of each half, brought to the whole sensor.
        const auto half = [&](std::size_t from) {
            return 0.5 * (mean(down, from + 3) + mean(down, from + 2) - mean(down, from + 1) - mean(down, from)) * kBlocks / 2;
        };
        const double one = half(0), other = half(kHalf);
        const double both = one * other > 0 ? std::copysign(std::min(std::abs(one), std::abs(other)), one) : 0;
        if (std::abs(both) > std::abs(steepest.adu)) steepest.adu = both;
    }
    steepest.sigma = map.noise * std::sqrt(1.0 / kBlocks) * kBlocks / 2;
    return steepest;
}

} // namespace

std::vector<float> sampleOf(const Plane& plane, std::size_t most) {
    std::vector<float> out;
    const std::size_t step = std::max<std::size_t>(1, plane.size() / most) | 1;
    for (std::size_t i = 0; i < plane.size(); i += step)
        if (std::isfinite(plane.data()[i])) out.push_back(plane.data()[i]);
    return out;
}

Result<std::vector<CalibrationFrame>> openCalibrationFrames(const std::vector<fs::path>& paths, const FrameInfo& light, const char* kind, double full) {
    std::vector<CalibrationFrame> out;
    for (const fs::path& p : paths) {
        auto one = openOne(p, light, kind, full);
        if (!one) return one.error();
        out.push_back(std::move(*one));
    }
    return out;
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
        thread_local std::vector<float> pixels;
        pixels.resize(frames.size() * size);
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

Result<std::vector<Plane>> masterOf(const std::vector<CalibrationFrame>& frames, const std::vector<double>& scale, const std::vector<Plane>* zero,
                                    std::size_t planes, const Job& job) {
    std::vector<Plane> out;
    for (std::size_t p = 0; p < planes; ++p) {
        auto mean = meanOfFrames(rowsOf(frames), static_cast<int>(p), scale, zero && !zero->empty() ? &(*zero)[p] : nullptr, job);
        if (!mean) return mean.error();
        out.push_back(std::move(*mean));
    }
    return out;
}

void leaveOutLeaks(std::vector<CalibrationFrame>& frames, const char* kind, std::vector<std::string>& warnings) {
    if (frames.size() < 4) return;
    std::vector<double> levels;
    for (const CalibrationFrame& f : frames) levels.push_back(f.level);
    std::vector<double> room = levels;
    const double middle = median(std::span<double>(room)), sigma = robustSigma(room), limit = std::max(6 * sigma, 0.02 * std::abs(middle) + 4);
    std::erase_if(frames, [&](const CalibrationFrame& f) {
        const bool out = f.level > middle + limit;
        if (out)
            warnings.push_back(phrase("{} is brighter than the other {} ({:.0f} against {:.0f} ADU): light leaked in. It was left out.",
                                      shown(f.info.path.filename()), plural(kind), f.level, middle));
        return out;
    });
}

std::vector<CalibrationFrame> nearestDarks(const std::vector<CalibrationFrame>& all, const FrameFacts& light, std::optional<double> exposure) {
    std::map<std::string, std::vector<CalibrationFrame>> groups;
    for (const CalibrationFrame& f : all) {
        const FrameFacts& x = f.info.facts;
        const std::string key = fmt::format("{:.0f} {:.2f} {:.0f}", x.gain_setting.value_or(-1), std::log(x.sub_exposure_s.value_or(1e-3)),
                                            std::round(x.sensor_temperature_c.value_or(-99) / 2));
        groups[key].push_back(f);
    }
    const auto best = std::min_element(groups.begin(), groups.end(), [&](const auto& a, const auto& b) {
        const double da = distance(a.second.front().info.facts, light, exposure), db = distance(b.second.front().info.facts, light, exposure);
        return da != db ? da < db : a.second.size() > b.second.size();
    });
    return best == groups.end() ? std::vector<CalibrationFrame>{} : std::move(best->second);
}

std::vector<std::string> lightInDarks(const std::vector<CalibrationFrame>& all, const Plane& dark, const Plane* bias, std::optional<double> biasLevel) {
    std::vector<std::string> out;
    const BlockMap map = blocksOf(dark, bias);
    const auto [rise, error] = riseAcross(map);
    std::vector<double> inner(map.value.begin(), map.value.end());
    const double level = median(std::span<double>(inner));
    if (std::abs(rise) > std::max({5 * error, 2.0, bias ? 0.3 * std::abs(level) : 0.02 * std::abs(level)}))
        out.push_back(phrase("The darks rise by {:.1f} ADU across the sensor{}: light leaked in. Take them again with the telescope capped in the dark.",
                             std::abs(rise), bias ? phrase(" on {:.1f} above the biases", level) : ""));
    if (!biasLevel) return out;
    // A current grows with exposure, group by group; a leak follows the lamp.
    std::map<double, std::vector<double>> byLength;
    for (const CalibrationFrame& f : all)
        if (f.info.facts.sub_exposure_s && *f.info.facts.sub_exposure_s > 0.1) byLength[*f.info.facts.sub_exposure_s].push_back(f.level - *biasLevel);
    for (auto shorter = byLength.begin(); shorter != byLength.end(); ++shorter)
        for (auto longer = std::next(shorter); longer != byLength.end(); ++longer) {
            const double a = median(std::span<double>(shorter->second)), b = median(std::span<double>(longer->second)),
                         foretold = a * longer->first / shorter->first;
            if (longer->first < 1.5 * shorter->first || std::abs(b - foretold) < std::max(8.0, 0.4 * std::max(b, foretold))) continue;
            out.push_back(phrase("Darks of {:g} s lie {:.0f} ADU above the biases, those of {:g} s {:.0f}: that is no current, which grows with the "
                                 "exposure; light leaked in, or they were taken at other temperatures.",
                                 shorter->first, a, longer->first, b));
            return out;
        }
    return out;
}

} // namespace caelumen

#include "core/prepare/photon_transfer.h"

#include "core/base/statistics.h"
#include "core/base/text.h"
#include "core/prepare/master_frames.h"

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <mutex>
#include <numeric>

namespace caelumen {
namespace fs = std::filesystem;
namespace {

constexpr int kTile = 32;         ///< pixels of one site across a tile
constexpr double kFar = 5;        ///< sigmas beyond which a difference is no noise of the usual kind
constexpr double kLeastLight = 8; ///< times the reading noise, that a tile must be lit
constexpr double kShared = 0.05;  ///< correlation of neighbours above which frames are not raw

/// The pixels of one colour: every `step`-th from (x, y) on.
struct Site {
    std::string name;
    int x = 0, y = 0, step = 1;
};

std::vector<Site> sitesOf(const FrameInfo& info) {
    if (!info.mosaic) return {{info.channels.front(), 0, 0, 1}};
    std::vector<Site> out;
    int greens = 0;
    for (int y = 0; y < 2; ++y)
        for (int x = 0; x < 2; ++x) {
            const int colour = info.mosaic->cell[static_cast<std::size_t>(y)][static_cast<std::size_t>(x)];
            out.push_back({colour == 0 ? "R" : colour == 2 ? "B" : ++greens == 1 ? "G1" : "G2", x, y, 2});
        }
    return out;
}

/// One tile of one site in two frames.
struct Tile {
    double first = 0, second = 0; ///< means, ADU
    double variance = 0;          ///< of first - scale * second
    double neighbours = 0;        ///< correlation of that difference from pixel to pixel
    double count = 0, left = 0;   ///< pixels; of which left out
};

/// Means, then the variance of the difference with the second frame brought to the level of the first.
Tile tileOf(const std::vector<float>& a, const std::vector<float>& b, int stride, const Site& site, int x0, int columns, int rows, double zero) {
    Tile out;
    std::vector<double> d;
    d.reserve(static_cast<std::size_t>(columns) * static_cast<std::size_t>(rows));
    const auto at = [&](const std::vector<float>& v, int i, int j) {
        return static_cast<double>(
            v[static_cast<std::size_t>(j * site.step + site.y) * static_cast<std::size_t>(stride) + static_cast<std::size_t>(site.x + (x0 + i) * site.step)]);
    };
    double n = 0;
    for (int j = 0; j < rows; ++j)
        for (int i = 0; i < columns; ++i)
            if (const double p = at(a, i, j), q = at(b, i, j); p == p && q == q) out.first += p, out.second += q, ++n;
    if (n < 64) return out;
    out.first /= n, out.second /= n;
    const double below = out.second - zero, scale = zero != 0 && below > 0 ? (out.first - zero) / below : 1, middle = out.first - scale * out.second;
    for (int j = 0; j < rows; ++j)
        for (int i = 0; i < columns; ++i) d.push_back(at(a, i, j) - scale * at(b, i, j) - middle);
    std::vector<double> finite = d;
    std::erase_if(finite, [](double v) { return v != v; });
    const double limit = kFar * std::max(robustSigma(finite), 1.0);
    double sum = 0, squares = 0, pairs = 0, pairCount = 0;
    for (std::size_t k = 0; k < d.size(); ++k) {
        if (!(std::abs(d[k]) <= limit)) {
            d[k] = std::nan("");
            continue;
        }
        sum += d[k], squares += d[k] * d[k], ++out.count;
    }
    out.left = n - out.count;
    if (out.count < 64) return out;
    const double mean = sum / out.count;
    out.variance = (squares - out.count * mean * mean) / (out.count - 1);
    for (std::size_t k = 0; k + 1 < d.size(); ++k)
        if (static_cast<int>(k) % columns + 1 < columns)
            if (const double product = (d[k] - mean) * (d[k + 1] - mean); product == product) pairs += product, ++pairCount;
    out.neighbours = out.variance > 0 && pairCount > 0 ? pairs / pairCount / out.variance : 0;
    return out;
}

/// All tiles of all sites of two frames; `zeros` of the sites, or nothing where the frames are not scaled.
Result<std::vector<std::vector<Tile>>> tilesOf(const CalibrationFrame& a, const CalibrationFrame& b, const std::vector<Site>& sites,
                                               const std::vector<double>& zeros, const Job& job) {
    const int width = a.info.width, height = a.info.height, step = sites.front().step, high = kTile * step, bands = height / high,
              across = width / step / kTile;
    std::vector<std::vector<Tile>> out(sites.size(), std::vector<Tile>(static_cast<std::size_t>(bands) * static_cast<std::size_t>(across)));
    std::mutex guard;
    std::optional<Error> failure;
    tbb::parallel_for(0, bands, [&](int band) {
        if (job.cancelled()) return;
        const std::size_t size = static_cast<std::size_t>(width) * static_cast<std::size_t>(high);
        std::vector<float> first(size), second(size);
        Status read = a.rows.read(0, band * high, high, first.data());
        if (read) read = b.rows.read(0, band * high, high, second.data());
        if (!read) {
            const std::scoped_lock lock(guard);
            if (!failure) failure = read.error();
            return;
        }
        for (std::size_t s = 0; s < sites.size(); ++s)
            for (int t = 0; t < across; ++t)
                out[s][static_cast<std::size_t>(band * across + t)] =
                    tileOf(first, second, width, sites[s], t * kTile, kTile, kTile, zeros.empty() ? 0 : zeros[s]);
    });
    if (failure) return *failure;
    if (job.cancelled()) return Error{kCancelled};
    for (auto& tiles : out) std::erase_if(tiles, [](const Tile& t) { return t.count < 64; });
    return out;
}

/// Frames that were exposed alike, two and two.
std::vector<std::pair<std::size_t, std::size_t>> pairsOf(const std::vector<CalibrationFrame>& frames) {
    std::map<double, std::vector<std::size_t>> alike;
    for (std::size_t i = 0; i < frames.size(); ++i) alike[frames[i].info.facts.sub_exposure_s.value_or(0)].push_back(i);
    std::vector<std::pair<std::size_t, std::size_t>> out;
    for (const auto& [exposure, all] : alike)
        for (std::size_t k = 0; k + 1 < all.size(); k += 2) out.emplace_back(all[k], all[k + 1]);
    return out;
}

struct Reading {
    double mean = 0, variance = 0, sigma = 0; ///< of one bias, ADU; sigma of the variance
};

/// The steps in which integer data come: 4 where a converter of 14 bits fills 16.
double stepOf(const CalibrationFrame& frame) {
    if (!frame.info.integer) return 0;
    std::vector<float> line(static_cast<std::size_t>(frame.info.width));
    long long common = 0;
    for (int y = 0; y < frame.info.height; y += std::max(1, frame.info.height / 16)) {
        if (!frame.rows.read(0, y, 1, line.data())) return 1;
        for (const float v : line)
            if (std::isfinite(v)) common = std::gcd(common, std::llround(static_cast<double>(v)));
    }
    return common > 0 && common <= 256 ? static_cast<double>(common) : 1;
}

/// Scatter of a sum of tiles from tile to tile.
double sigmaOfMean(const std::vector<double>& values) {
    double mean = 0, squares = 0;
    const auto n = static_cast<double>(values.size());
    for (const double v : values) mean += v / n;
    for (const double v : values) squares += (v - mean) * (v - mean);
    return n > 1 ? std::sqrt(squares / (n - 1) / n) : std::abs(mean);
}

/// The level above which no pixel goes, ADU; nothing where the brightest pixels thin out as light does.
std::optional<double> stopOf(const std::vector<CalibrationFrame>& frames, const Site& site, const Job& job) {
    std::vector<float> bright;
    for (const CalibrationFrame& f : frames) {
        std::vector<float> line(static_cast<std::size_t>(f.info.width));
        for (int y = site.y; y < f.info.height && !job.cancelled(); y += site.step) {
            if (!f.rows.read(0, y, 1, line.data())) break;
            for (int x = site.x; x < f.info.width; x += site.step)
                if (const float v = line[static_cast<std::size_t>(x)]; v > static_cast<float>(f.top)) bright.push_back(v);
        }
    }
    if (bright.size() < 50) return std::nullopt;
    std::sort(bright.begin(), bright.end());
    const double top = bright[bright.size() - 1 - bright.size() / 1000];
    const auto between = [&](double low, double high) {
        return static_cast<double>(std::lower_bound(bright.begin(), bright.end(), static_cast<float>(high * top)) -
                                   std::lower_bound(bright.begin(), bright.end(), static_cast<float>(low * top)));
    };
    const double heap = between(0.99, 1.05), slope = between(0.94, 0.99) / 5;
    if (heap < 12 || heap < 4 * slope + 12) return std::nullopt;
    std::vector<float> heaped(std::lower_bound(bright.begin(), bright.end(), static_cast<float>(0.99 * top)), bright.end());
    return median(std::span<float>(heaped));
}

/// Signals of the flats by exposure, and how far the brightest lies above a line through zero and the fainter ones.
void fillBend(SiteTransfer& out, const std::map<double, std::vector<double>>& byExposure) {
    if (byExposure.size() < 3) return;
    double weights = 0, sum = 0, spread = 0;
    const auto last = std::prev(byExposure.end());
    std::vector<double> rates;
    for (auto it = byExposure.begin(); it != last; ++it)
        for (const double s : it->second) rates.push_back(s / it->first), sum += s, weights += it->first;
    const double rate = sum / weights;
    for (const double r : rates) spread += (r - rate) * (r - rate) / static_cast<double>(std::max<std::size_t>(1, rates.size() - 1));
    double top = 0;
    for (const double s : last->second) top += s / last->first / static_cast<double>(last->second.size());
    out.bend = top / rate - 1;
    out.bendSigma = std::sqrt(spread * (1 / static_cast<double>(last->second.size()) + 1 / static_cast<double>(rates.size()))) / rate;
}

/// Levels of light, some twelve of them.
std::vector<TransferPoint> curveOf(std::vector<TransferPoint> tiles) {
    std::sort(tiles.begin(), tiles.end(), [](const TransferPoint& a, const TransferPoint& b) { return a.signal_adu < b.signal_adu; });
    std::vector<TransferPoint> out;
    const std::size_t each = std::max<std::size_t>(1, (tiles.size() + 11) / 12);
    for (std::size_t from = 0; from < tiles.size(); from += each) {
        const std::size_t to = std::min(tiles.size(), from + each);
        TransferPoint p;
        std::vector<double> variances;
        for (std::size_t i = from; i < to; ++i) {
            p.signal_adu += tiles[i].signal_adu / static_cast<double>(to - from);
            p.variance_adu2 += tiles[i].variance_adu2 / static_cast<double>(to - from);
            variances.push_back(tiles[i].variance_adu2);
        }
        p.sigma_adu2 = sigmaOfMean(variances);
        out.push_back(p);
    }
    return out;
}

/// Weighted by their errors.
void mean(const std::vector<SiteTransfer>& sites, PhotonTransfer& out) {
    double w = 0, wx = 0, v = 0, vx = 0;
    for (const SiteTransfer& s : sites) {
        const double weight = 1 / (s.gainSigma * s.gainSigma + 1e-30);
        w += weight, wx += weight * s.gain_e_per_adu;
        if (s.readNoise_e)
            v += 1 / (*s.readNoiseSigma_e * *s.readNoiseSigma_e + 1e-30), vx += *s.readNoise_e / (*s.readNoiseSigma_e * *s.readNoiseSigma_e + 1e-30);
        if (s.fullWell_e && (!out.fullWell_e || *s.fullWell_e < *out.fullWell_e)) out.fullWell_e = s.fullWell_e, out.fullWellSigma_e = s.fullWellSigma_e;
    }
    out.gain_e_per_adu = wx / w, out.gainSigma = 1 / std::sqrt(w);
    if (v > 0) out.readNoise_e = vx / v, out.readNoiseSigma_e = 1 / std::sqrt(v);
}

} // namespace

Result<PhotonTransfer> photonTransfer(const std::vector<fs::path>& flatFiles, const std::vector<fs::path>& biasFiles, const std::vector<fs::path>& lightFiles,
                                      const Job& job) {
    if (flatFiles.size() < 2 || biasFiles.size() < 2)
        return Error{
            fmt::format("Photon transfer needs two flats and two biases of one camera; flats given: {}, biases: {}.", flatFiles.size(), biasFiles.size())};
    const auto like = FrameFile::open(flatFiles.front());
    if (!like) return like.error();
    const double full = std::ldexp(1.0, std::clamp(like->info().integer ? like->info().bits : 16, 8, 16)) - 1;
    if (!like->info().mosaic && like->info().channels.size() > 1)
        return Error{fmt::format("{} holds three colours of each pixel, so it is no raw frame; give flats and biases as the camera wrote them.",
                                 shown(flatFiles.front()))};
    const auto flats = openCalibrationFrames(flatFiles, like->info(), "flat", full);
    if (!flats) return flats.error();
    const auto biases = openCalibrationFrames(biasFiles, like->info(), "bias", full);
    if (!biases) return biases.error();
    const auto sites = sitesOf(like->info());
    if (like->info().width / sites.front().step < kTile || like->info().height / sites.front().step < kTile)
        return Error{fmt::format("{} is too small to tell noise from; give whole frames.", shown(flatFiles.front()))};

    PhotonTransfer out;
    out.header_e_per_adu = like->info().facts.gain_e_per_adu;
    // What the camera reads without light.
    std::vector<std::vector<double>> offsets(sites.size()), reading(sites.size());
    const double step = stepOf(biases->front());
    for (std::size_t i = 0; i + 1 < biases->size(); i += 2) {
        const auto tiles = tilesOf((*biases)[i], (*biases)[i + 1], sites, {}, job);
        if (!tiles) return tiles.error();
        for (std::size_t s = 0; s < sites.size(); ++s)
            for (const Tile& t : (*tiles)[s]) offsets[s].push_back((t.first + t.second) / 2), reading[s].push_back(t.variance / 2);
        ++out.biasPairs;
    }
    std::vector<double> zeros;
    std::vector<Reading> read;
    for (std::size_t s = 0; s < sites.size(); ++s) {
        Reading r;
        for (const double v : offsets[s]) r.mean += v / static_cast<double>(offsets[s].size());
        for (const double v : reading[s]) r.variance += v / static_cast<double>(reading[s].size());
        r.sigma = sigmaOfMean(reading[s]);
        read.push_back(r);
        zeros.push_back(r.mean);
    }
    // What light adds.
    struct Lit {
        double signal = 0, shot = 0, level = 0; ///< sums to be divided: signal (1 + r), variance less reading, both of one tile
    };
    std::vector<std::vector<Lit>> lit(sites.size());
    std::vector<std::vector<TransferPoint>> points(sites.size());
    std::vector<std::map<double, std::vector<double>>> byExposure(sites.size());
    double shared = 0, sharedCount = 0, left = 0, all = 0;
    const auto pairs = pairsOf(*flats);
    if (pairs.empty()) return Error{"No two flats have the same exposure; give two of one exposure at least."};
    std::vector<double> maxima(sites.size(), 0);
    for (const auto& [i, j] : pairs) {
        const auto tiles = tilesOf((*flats)[i], (*flats)[j], sites, zeros, job);
        if (!tiles) return tiles.error();
        ++out.flatPairs;
        for (std::size_t s = 0; s < sites.size(); ++s) {
            double level = 0;
            for (const Tile& t : (*tiles)[s]) {
                const double signal = t.first - zeros[s], second = t.second - zeros[s];
                if (std::min(signal, second) < kLeastLight * std::sqrt(read[s].variance)) continue;
                const double r = signal / second, shot = t.variance - (1 + r * r) * read[s].variance;
                maxima[s] = std::max(maxima[s], std::max(t.first, t.second));
                level += (signal + second) / 2 / static_cast<double>((*tiles)[s].size());
                shared += t.neighbours, ++sharedCount, left += t.left, all += t.left + t.count;
                if (std::max(t.first, t.second) > 0.97 * full) continue; // the converter's end
                lit[s].push_back({signal * (1 + r), shot, signal});
                points[s].push_back({signal, shot / (1 + r) + read[s].variance, 0});
            }
            const double exposure = (*flats)[i].info.facts.sub_exposure_s.value_or(0);
            if (exposure > 0 && level > 0) byExposure[s][exposure].push_back(level);
        }
    }
    std::vector<CalibrationFrame> looked = *flats;
    if (!lightFiles.empty()) {
        const std::vector<fs::path> some(lightFiles.begin(), lightFiles.begin() + static_cast<std::ptrdiff_t>(std::min<std::size_t>(3, lightFiles.size())));
        if (const auto lights = openCalibrationFrames(some, like->info(), "light", full)) looked = *lights;
    }
    for (std::size_t s = 0; s < sites.size(); ++s) {
        SiteTransfer site;
        site.site = sites[s].name, site.offset_adu = zeros[s];
        if (lit[s].size() < 4 && maxima[s] > 0.9 * full) return Error{"The flats are at the end of the converter's range; give flats that are half as bright."};
        const auto gainOf = [&](const auto& pick) {
            double signal = 0, shot = 0;
            for (std::size_t k = 0; k < lit[s].size(); ++k) {
                const Lit& t = lit[s][pick(k)];
                const double weight = 1 / (t.signal + 2 * read[s].variance); // of a variance that grows with the signal
                signal += weight * t.signal, shot += weight * t.shot;
            }
            return shot > 0 ? signal / shot : 0.0;
        };
        constexpr const char* kNoLight = "The flats show hardly more noise than the biases: they are too faint, or every pixel is saturated. Give flats at a "
                                         "third to two thirds of the range.";
        if (lit[s].size() < 4) return Error{kNoLight};
        site.gain_e_per_adu = gainOf([](std::size_t k) { return k; });
        std::vector<double> again;
        Random random(17 + s);
        for (int round = 0; round < 200; ++round) again.push_back(gainOf([&](std::size_t) { return random.index(lit[s].size()); }));
        double mean = 0, squares = 0;
        for (const double g : again) mean += g / 200;
        for (const double g : again) squares += (g - mean) * (g - mean) / 199;
        // Tiles share what is known of the reading noise.
        double shot = 0, signal = 0;
        for (const Lit& t : lit[s]) shot += t.shot, signal += t.signal;
        const double fromReading = shot > 0 ? site.gain_e_per_adu * 2 * read[s].sigma * static_cast<double>(lit[s].size()) / shot : 0;
        site.gainSigma = std::hypot(std::sqrt(squares), fromReading);
        if (!(site.gain_e_per_adu > 0) || shot / static_cast<double>(lit[s].size()) < read[s].variance / 2) return Error{kNoLight};
        const double own = read[s].variance - step * step / 12;
        if (own > 0.25 * step * step / 12) {
            const double g = site.gain_e_per_adu;
            site.readNoise_e = g * std::sqrt(own);
            site.readNoiseSigma_e = std::hypot(g * read[s].sigma / (2 * std::sqrt(own)), *site.readNoise_e * site.gainSigma / g);
        }
        for (const Lit& t : lit[s]) site.brightest_adu = std::max(site.brightest_adu, t.level);
        if (const auto stop = stopOf(looked, sites[s], job); stop && *stop > zeros[s] + site.brightest_adu) {
            site.fullWell_e = (*stop - zeros[s]) * site.gain_e_per_adu;
            site.fullWellSigma_e = *site.fullWell_e * site.gainSigma / site.gain_e_per_adu;
        }
        fillBend(site, byExposure[s]);
        site.curve = curveOf(std::move(points[s]));
        out.sites.push_back(std::move(site));
    }
    mean(out.sites, out);
    if (sharedCount > 0 && shared / sharedCount > kShared)
        out.notes.push_back(
            fmt::format("Neighbouring pixels share {:.0f} % of their noise: the frames were resampled, smoothed or compressed with loss, and the "
                        "gain comes out too high.",
                        100 * shared / sharedCount));
    if (all > 0 && left / all > 0.01)
        out.notes.push_back(fmt::format("{:.1f} % of the pixels differ by more than noise does and were left out.", 100 * left / all));
    if (!out.readNoise_e) out.notes.push_back("The read noise drowns in the converter's steps: take biases at a higher gain setting.");
    if (!out.fullWell_e) out.notes.push_back("No pixel of these frames reaches its end; a sub with burnt-out stars, or a brighter flat, tells the full well.");
    if (out.header_e_per_adu && std::abs(*out.header_e_per_adu - out.gain_e_per_adu) > 3 * out.gainSigma + 0.02 * out.gain_e_per_adu)
        out.notes.push_back(fmt::format("The header claims {:.4g} e-/ADU, the frames tell {:.4g} +- {:.2g}: believe the frames.", *out.header_e_per_adu,
                                        out.gain_e_per_adu, out.gainSigma));
    return out;
}

} // namespace caelumen

#include "core/prepare/photon_transfer.h"

#include "core/base/phrase.h"
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

std::string noLight() {
    return phrase("The flats show hardly more noise than the biases: they are too faint, or every pixel is saturated. Give flats at a "
                  "third to two thirds of the range.");
}

/// What one tile says of light: signal (1 + r) and the variance less that of reading, both to be summed before they are divided.
struct Lit {
    double signal = 0, shot = 0, level = 0;
};

/// What is gathered of one site of the mosaic.
struct SiteTally {
    double zero_adu = 0;
    Reading reading;
    std::vector<Lit> lit;
    std::vector<TransferPoint> points;
    std::map<double, std::vector<double>> byExposure;
    double maximum_adu = 0;
};

class Transfer {
public:
    Transfer(const std::vector<CalibrationFrame>& flats, const std::vector<CalibrationFrame>& biases, const FrameInfo& like, double full, const Job& job)
        : m_flats(flats)
        , m_biases(biases)
        , m_sites(sitesOf(like))
        , m_tallies(m_sites.size())
        , m_full(full)
        , m_step(stepOf(biases.front()))
        , m_job(job) {
        out.header_e_per_adu = like.facts.gain_e_per_adu;
    }

    /// `looked`: frames that may tell where pixels end.
    Result<PhotonTransfer> measure(const std::vector<CalibrationFrame>& looked) {
        if (const Status read = readBiases(); !read) return read.error();
        if (const Status read = readFlats(); !read) return read.error();
        for (std::size_t s = 0; s < m_sites.size(); ++s) {
            auto site = siteTransfer(s, looked);
            if (!site) return site.error();
            out.sites.push_back(std::move(*site));
        }
        mean(out.sites, out);
        takeNotes();
        return std::move(out);
    }

private:
    /// What the camera reads without light.
    Status readBiases() {
        std::vector<std::vector<double>> offsets(m_sites.size()), reading(m_sites.size());
        for (std::size_t i = 0; i + 1 < m_biases.size(); i += 2) {
            const auto tiles = tilesOf(m_biases[i], m_biases[i + 1], m_sites, {}, m_job);
            if (!tiles) return tiles.error();
            for (std::size_t s = 0; s < m_sites.size(); ++s)
                for (const Tile& t : (*tiles)[s]) offsets[s].push_back((t.first + t.second) / 2), reading[s].push_back(t.variance / 2);
            ++out.biasPairs;
        }
        for (std::size_t s = 0; s < m_sites.size(); ++s) {
            Reading& r = m_tallies[s].reading;
            for (const double v : offsets[s]) r.mean += v / static_cast<double>(offsets[s].size());
            for (const double v : reading[s]) r.variance += v / static_cast<double>(reading[s].size());
            r.sigma = sigmaOfMean(reading[s]);
            m_tallies[s].zero_adu = r.mean;
        }
        return Done{};
    }

    /// What light adds.
    Status readFlats() {
        const auto pairs = pairsOf(m_flats);
        if (pairs.empty()) return Error{phrase("No two flats have the same exposure; give two of one exposure at least.")};
        std::vector<double> zeros;
        for (const SiteTally& t : m_tallies) zeros.push_back(t.zero_adu);
        for (const auto& [i, j] : pairs) {
            const auto tiles = tilesOf(m_flats[i], m_flats[j], m_sites, zeros, m_job);
            if (!tiles) return tiles.error();
            ++out.flatPairs;
            for (std::size_t s = 0; s < m_sites.size(); ++s) addTiles((*tiles)[s], m_flats[i].info.facts.sub_exposure_s, m_tallies[s]);
        }
        return Done{};
    }
    void addTiles(const std::vector<Tile>& tiles, std::optional<double> exposure_s, SiteTally& to) {
        double level = 0;
        for (const Tile& t : tiles) {
            const double signal = t.first - to.zero_adu, second = t.second - to.zero_adu, top = std::max(t.first, t.second);
            if (std::min(signal, second) < kLeastLight * std::sqrt(to.reading.variance)) continue;
            const double r = signal / second, shot = t.variance - (1 + r * r) * to.reading.variance;
            to.maximum_adu = std::max(to.maximum_adu, top);
            level += (signal + second) / 2 / static_cast<double>(tiles.size());
            m_shared += t.neighbours, ++m_sharedCount, m_left += t.left, m_all += t.left + t.count;
            if (top > 0.97 * m_full) continue; // the converter's end
            to.lit.push_back({signal * (1 + r), shot, signal});
            to.points.push_back({signal, shot / (1 + r) + to.reading.variance, 0});
        }
        if (exposure_s && level > 0) to.byExposure[*exposure_s].push_back(level);
    }

    /// Signal over the noise that it adds, of the tiles that `pick` names; a variance that grows with the signal weighs less.
    template<class Pick>
    static double gainOf(const SiteTally& t, const Pick& pick) {
        double signal = 0, shot = 0;
        for (std::size_t k = 0; k < t.lit.size(); ++k) {
            const Lit& tile = t.lit[pick(k)];
            const double weight = 1 / (tile.signal + 2 * t.reading.variance);
            signal += weight * tile.signal, shot += weight * tile.shot;
        }
        return shot > 0 ? signal / shot : 0.0;
    }
    /// From a bootstrap over tiles, and what they share: how well the noise of reading is known.
    double gainSigma(const SiteTally& t, std::size_t s, double gain, double shot) const {
        constexpr int kRounds = 200;
        std::vector<double> again;
        Random random(17 + s);
        for (int round = 0; round < kRounds; ++round) again.push_back(gainOf(t, [&](std::size_t) { return random.index(t.lit.size()); }));
        double mean = 0, squares = 0;
        for (const double g : again) mean += g / kRounds;
        for (const double g : again) squares += (g - mean) * (g - mean) / (kRounds - 1);
        const double fromReading = shot > 0 ? gain * 2 * t.reading.sigma * static_cast<double>(t.lit.size()) / shot : 0;
        return std::hypot(std::sqrt(squares), fromReading);
    }

    Result<SiteTransfer> siteTransfer(std::size_t s, const std::vector<CalibrationFrame>& looked) {
        SiteTally& t = m_tallies[s];
        SiteTransfer site;
        site.site = m_sites[s].name, site.offset_adu = t.zero_adu;
        if (t.lit.size() < 4 && t.maximum_adu > 0.9 * m_full)
            return Error{phrase("The flats are at the end of the converter's range; give flats that are half as bright.")};
        if (t.lit.size() < 4) return Error{noLight()};
        double shot = 0;
        for (const Lit& tile : t.lit) shot += tile.shot, site.brightest_adu = std::max(site.brightest_adu, tile.level);
        const double gain = site.gain_e_per_adu = gainOf(t, [](std::size_t k) { return k; });
        site.gainSigma = gainSigma(t, s, gain, shot);
        if (!(gain > 0) || shot / static_cast<double>(t.lit.size()) < t.reading.variance / 2) return Error{noLight()};
        const double rounding = m_step * m_step / 12, own = t.reading.variance - rounding;
        if (own > 0.25 * rounding) {
            site.readNoise_e = gain * std::sqrt(own);
            site.readNoiseSigma_e = std::hypot(gain * t.reading.sigma / (2 * std::sqrt(own)), *site.readNoise_e * site.gainSigma / gain);
        }
        if (const auto stop = stopOf(looked, m_sites[s], m_job); stop && *stop > t.zero_adu + site.brightest_adu) {
            site.fullWell_e = (*stop - t.zero_adu) * gain;
            site.fullWellSigma_e = *site.fullWell_e * site.gainSigma / gain;
        }
        fillBend(site, t.byExposure);
        site.curve = curveOf(std::move(t.points));
        return site;
    }

    void takeNotes() {
        if (m_sharedCount > 0 && m_shared / m_sharedCount > kShared)
            out.notes.push_back(
                phrase("Neighbouring pixels share {:.0f} % of their noise: the frames were resampled, smoothed or compressed with loss, and the "
                       "gain comes out too high.",
                       100 * m_shared / m_sharedCount));
        if (m_all > 0 && m_left / m_all > 0.01)
            out.notes.push_back(phrase("{:.1f} % of the pixels differ by more than noise does and were left out.", 100 * m_left / m_all));
        if (!out.readNoise_e) out.notes.push_back(phrase("The read noise drowns in the converter's steps: take biases at a higher gain setting."));
        if (!out.fullWell_e)
            out.notes.push_back(phrase("No pixel of these frames reaches its end; a sub with burnt-out stars, or a brighter flat, tells the full well."));
        if (out.header_e_per_adu && std::abs(*out.header_e_per_adu - out.gain_e_per_adu) > 3 * out.gainSigma + 0.02 * out.gain_e_per_adu)
            out.notes.push_back(phrase("The header claims {:.4g} e-/ADU, the frames tell {:.4g} +- {:.2g}: believe the frames.", *out.header_e_per_adu,
                                       out.gain_e_per_adu, out.gainSigma));
    }

    const std::vector<CalibrationFrame>&m_flats, &m_biases;
    std::vector<Site> m_sites;
    std::vector<SiteTally> m_tallies;
    double m_full, m_step;
    const Job& m_job;
    double m_shared = 0, m_sharedCount = 0, m_left = 0, m_all = 0;
    PhotonTransfer out;
};

} // namespace

Result<PhotonTransfer> photonTransfer(const std::vector<fs::path>& flatFiles, const std::vector<fs::path>& biasFiles, const std::vector<fs::path>& lightFiles,
                                      const Job& job) {
    if (flatFiles.size() < 2 || biasFiles.size() < 2)
        return Error{phrase("Photon transfer needs two flats and two biases of one camera; flats given: {}, biases: {}.", flatFiles.size(), biasFiles.size())};
    const auto like = FrameFile::open(flatFiles.front());
    if (!like) return like.error();
    const FrameInfo& info = like->info();
    const double full = std::ldexp(1.0, std::clamp(info.integer ? info.bits : 16, 8, 16)) - 1;
    if (!info.mosaic && info.channels.size() > 1)
        return Error{
            phrase("{} holds three colours of each pixel, so it is no raw frame; give flats and biases as the camera wrote them.", shown(flatFiles.front()))};
    const auto flats = openCalibrationFrames(flatFiles, info, "flat", full);
    if (!flats) return flats.error();
    const auto biases = openCalibrationFrames(biasFiles, info, "bias", full);
    if (!biases) return biases.error();
    const int step = sitesOf(info).front().step;
    if (info.width / step < kTile || info.height / step < kTile)
        return Error{phrase("{} is too small to tell noise from; give whole frames.", shown(flatFiles.front()))};

    std::vector<CalibrationFrame> looked = *flats;
    if (!lightFiles.empty()) {
        const std::vector<fs::path> some(lightFiles.begin(), lightFiles.begin() + static_cast<std::ptrdiff_t>(std::min<std::size_t>(3, lightFiles.size())));
        if (const auto lights = openCalibrationFrames(some, info, "light", full)) looked = *lights;
    }
    return Transfer(*flats, *biases, info, full, job).measure(looked);
}

} // namespace caelumen

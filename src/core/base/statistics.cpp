#include "core/base/statistics.h"

#include "core/base/sort_rows.h"

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <cstdint>
#include <utility>

namespace caelumen {
namespace {

/// The values around one rank of many, and where it lies among them: those between two places that a small sample puts it between. Nothing where the sample is
/// wrong.
template<class T>
struct Middle {
    std::vector<T> values;
    std::size_t rank = 0;
    bool holds = false; ///< the rank, and the one before it

    Middle(std::span<const T> v, std::size_t wanted)
        : values(v.size() + 1) {
        constexpr std::size_t kMost = 255;
        const std::size_t n = v.size() < 4000 ? 63 : kMost, eitherSide = v.size() < 4000 ? 12 : 24; // ranks: three standard errors
        std::array<float, kMost> sample;                                                            // for a bound, a double's first digits are enough
        for (std::size_t i = 0; i < n; ++i) sample[i] = static_cast<float>(v[i * (v.size() - 1) / (n - 1)]);
        rows::sortFew(sample.data(), n);
        const std::size_t near = std::clamp(wanted * n / v.size(), eitherSide, n - 1 - eitherSide);
        const auto low = static_cast<T>(sample[near - eitherSide]), high = static_cast<T>(sample[near + eitherSide]);
        std::size_t below = 0, kept = 0;
        for (const T x : v) { // no guessing at each
            below += x < low;
            values[kept] = x;
            kept += (x >= low) & (x <= high);
        }
        values.resize(kept);
        holds = wanted > below && wanted - below < kept;
        rank = wanted - below;
    }
};

template<class T>
double medianOf(std::span<T> v) {
    if (v.empty()) return 0;
    std::vector<T> few;
    std::span<T> among = v;
    std::size_t rank = v.size() / 2;
    while (among.size() > 250) {
        Middle<T> middle(among, rank);
        if (!middle.holds || middle.values.size() == among.size()) break;
        few = std::move(middle.values);
        among = few;
        rank = middle.rank;
    }
    const auto at = among.begin() + static_cast<std::ptrdiff_t>(rank);
    std::nth_element(among.begin(), at, among.end());
    if (v.size() % 2 == 1) return static_cast<double>(*at);
    return 0.5 * (static_cast<double>(*at) + static_cast<double>(*std::max_element(among.begin(), at)));
}

/// Standard deviation of a unit normal cut at +-kappa: what clipping takes away from a true sigma of 1.
double truncatedSigma(double kappa) {
    const double pdf = std::exp(-0.5 * kappa * kappa) / std::sqrt(2 * M_PI);
    const double inside = std::erf(kappa / std::sqrt(2.0));
    return std::sqrt(1 - 2 * kappa * pdf / inside);
}

void sortAll(std::span<double> v) {
    std::sort(v.begin(), v.end());
}

/// By rounds of so many bits: floats keep their order as whole numbers once the sign is seen to.
template<unsigned kBits, unsigned kRounds>
void sortByDigits(std::span<float> v) {
    static_assert(kBits * kRounds >= 32);
    constexpr unsigned kBins = 1U << kBits;
    std::array<std::array<std::uint32_t, kBins>, kRounds> start{};
    thread_local std::vector<std::uint32_t> keys, other;
    keys.resize(v.size());
    other.resize(v.size());
    for (std::size_t i = 0; i < v.size(); ++i) {
        const auto bits = std::bit_cast<std::uint32_t>(v[i]);
        keys[i] = bits ^ (bits >> 31 != 0 ? 0xFFFFFFFFU : 0x80000000U);
        for (unsigned r = 0; r < kRounds; ++r) ++start[r][keys[i] >> (r * kBits) & (kBins - 1)];
    }
    for (unsigned r = 0; r < kRounds; ++r) {
        if (start[r][keys[0] >> (r * kBits) & (kBins - 1)] == v.size()) continue; // all alike, as signs and exponents of a sky are
        std::uint32_t sum = 0;
        for (std::uint32_t& n : start[r]) sum += std::exchange(n, sum);
        for (const std::uint32_t key : keys) other[start[r][key >> (r * kBits) & (kBins - 1)]++] = key;
        keys.swap(other);
    }
    for (std::size_t i = 0; i < v.size(); ++i) v[i] = std::bit_cast<float>(keys[i] ^ (keys[i] >> 31 != 0 ? 0x80000000U : 0xFFFFFFFFU));
}

void sortAll(std::span<float> v) {
    if (rows::sortFew(v.data(), v.size())) return;
    if (v.size() < 4000) return sortByDigits<8, 4>(v);
    sortByDigits<11, 3>(v);
}

template<class T>
ClippedStats clipped(std::span<T> v, double kappa, int rounds) {
    ClippedStats out;
    if (v.empty()) return out;
    // Sorted once, every cut is a matter of two ends.
    sortAll(v);
    static const double usual = truncatedSigma(3);
    const double shrink = kappa == 3 ? usual : truncatedSigma(kappa), pivot = static_cast<double>(v[v.size() / 2]);
    std::size_t from = 0, to = v.size();
    double sum = 0, squares = 0;
    const auto count = [&](std::size_t i, double sign) {
        const double d = static_cast<double>(v[i]) - pivot;
        sum += sign * d;
        squares += sign * d * d;
    };
    const auto countAll = [&] {
        sum = squares = 0;
        for (std::size_t i = from; i < to; ++i) count(i, 1);
    };
    countAll();
    for (int round = 0; round < rounds; ++round) {
        const std::size_t kept = to - from, mid = from + kept / 2;
        const double n = static_cast<double>(kept), variance = std::max(0.0, (squares - sum * sum / n) / std::max(1.0, n - 1));
        const double centre = kept % 2 == 1 ? static_cast<double>(v[mid]) : 0.5 * (static_cast<double>(v[mid - 1]) + static_cast<double>(v[mid]));
        out = {pivot + sum / n, std::sqrt(variance) / (kept < v.size() ? shrink : 1.0), centre, kept};
        if (out.sigma <= 0) break;
        const double before = squares;
        const double low = centre - kappa * out.sigma, high = centre + kappa * out.sigma;
        while (from < to && static_cast<double>(v[from]) < low) count(from++, -1);
        while (from<to&& static_cast<double>(v[to - 1])> high) count(--to, -1);
        if (to - from == kept) break;
        // What a far outlier left behind in the last digits would spoil the small sum of the rest.
        if (squares < 1e-6 * before) countAll();
    }
    return out;
}

} // namespace

ClippedStats clippedStats(std::span<float> values, double kappa, int rounds) {
    return clipped(values, kappa, rounds);
}
ClippedStats clippedStats(std::span<double> values, double kappa, int rounds) {
    return clipped(values, kappa, rounds);
}

double median(std::span<float> values) {
    if (values.empty() || !rows::sortFew(values.data(), values.size())) return medianOf(values);
    const std::size_t middle = values.size() / 2;
    return 0.5 * (static_cast<double>(values[middle]) + static_cast<double>(values[(values.size() - 1) / 2]));
}
double median(std::span<double> values) {
    return medianOf(values);
}

double robustSigma(std::span<double> values) {
    const double centre = medianOf(values);
    std::vector<double> deviation(values.size());
    std::transform(values.begin(), values.end(), deviation.begin(), [&](double x) { return std::abs(x - centre); });
    return kMadToSigma * medianOf(std::span<double>(deviation));
}

bool robustSigmaExceeds(std::span<double> values, double limit) {
    if (values.empty()) return 0 > limit;
    const double centre = medianOf(values), most = limit / kMadToSigma;
    std::size_t beyond = 0;
    for (const double v : values) beyond += std::abs(v - centre) > most;
    const std::size_t half = values.size() / 2;
    if (values.size() % 2 == 1) return beyond > half;
    if (beyond != half) return beyond > half;
    return robustSigma(values) > limit; // the two in the middle lie on either side
}

double medianSigma(std::span<double> values) {
    const double root = std::sqrt(static_cast<double>(values.size()));
    if (values.size() < 20) return values.empty() ? 0 : 1.2533 * robustSigma(values) / root;
    // Two standard errors to either side of the middle rank: farther is no longer the middle, nearer is noise.
    return (quantile(values, 0.5 + 1 / root) - quantile(values, 0.5 - 1 / root)) / 4;
}

double quantile(std::span<double> values, double fraction) {
    if (values.empty()) return 0;
    const double at = std::clamp(fraction, 0.0, 1.0) * static_cast<double>(values.size() - 1);
    const auto low = static_cast<std::size_t>(at);
    std::nth_element(values.begin(), values.begin() + static_cast<std::ptrdiff_t>(low), values.end());
    const double a = values[low];
    if (low + 1 >= values.size()) return a;
    const double b = *std::min_element(values.begin() + static_cast<std::ptrdiff_t>(low) + 1, values.end());
    return a + (b - a) * (at - static_cast<double>(low));
}

unsigned long long Random::next() {
    unsigned long long z = (m_state += 0x9e3779b97f4a7c15ULL);
    z = (z ^ (z >> 30)) * 0xbf58476d1ce4e5b9ULL;
    z = (z ^ (z >> 27)) * 0x94d049bb133111ebULL;
    return z ^ (z >> 31);
}

double Random::uniform() {
    return static_cast<double>(next() >> 11) * 0x1.0p-53;
}

double Random::normal() {
    if (m_spare) {
        const double kept = *m_spare;
        m_spare.reset();
        return kept;
    }
    double u = 0, v = 0, s = 0;
    do {
        u = 2 * uniform() - 1;
        v = 2 * uniform() - 1;
        s = u * u + v * v;
    } while (s >= 1 || s == 0);
    const double factor = std::sqrt(-2 * std::log(s) / s);
    m_spare = v * factor;
    return u * factor;
}

double Random::poisson(double mean) {
    if (!(mean > 0)) return 0;
    if (mean >= 30) return std::max(0.0, std::round(mean + std::sqrt(mean) * normal()));
    const double limit = std::exp(-mean);
    double product = uniform();
    int n = 0;
    while (product > limit) {
        product *= uniform();
        ++n;
    }
    return n;
}

std::size_t Random::index(std::size_t n) {
    return static_cast<std::size_t>(uniform() * static_cast<double>(n));
}

} // namespace caelumen

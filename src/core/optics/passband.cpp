#include "core/optics/passband.h"

#include "core/optics/spectra.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace caelumen {
namespace {

/// Where the straight line between points `a` and `b` has the value `y`.
double crossing(const Curve& c, std::size_t a, std::size_t b, double y) {
    const double t = (y - c.transmission[a]) / (c.transmission[b] - c.transmission[a]);
    return c.wavelength_nm[a] + t * (c.wavelength_nm[b] - c.wavelength_nm[a]);
}

/// Walks from a peak outwards: to the half-peak crossing, then on down to where the curve turns up again for good.
struct Flank {
    double half_nm = 0;
    bool open = false;
    std::size_t foot = 0; ///< last point that belongs to this band
};

Flank walk(const Curve& c, std::size_t peak, int step) {
    const auto n = static_cast<std::ptrdiff_t>(c.transmission.size());
    const double half = c.transmission[peak] / 2;
    auto i = static_cast<std::ptrdiff_t>(peak);
    while (i + step >= 0 && i + step < n && c.transmission[static_cast<std::size_t>(i)] > half) i += step;
    Flank out;
    const auto at = static_cast<std::size_t>(i);
    out.foot = at;
    if (c.transmission[at] > half) {
        out.open = true;
        out.half_nm = c.wavelength_nm[at];
        return out;
    }
    out.half_nm = crossing(c, static_cast<std::size_t>(i - step), at, half);
    // Ripple and noise at the foot are no turning: it must rise to twice the lowest point and by a twentieth of the peak.
    double lowest = c.transmission[at];
    for (; i + step >= 0 && i + step < n; i += step) {
        const double next = c.transmission[static_cast<std::size_t>(i + step)];
        if (next > 2 * lowest && next > lowest + 0.05 * c.transmission[peak]) break;
        if (next <= lowest) {
            lowest = next;
            out.foot = static_cast<std::size_t>(i + step);
        }
    }
    return out;
}

/// Integral of the piecewise straight curve over a <= nm <= b.
double integral(const Curve& c, double a, double b) {
    double sum = 0, from = a, value = c.at(a);
    for (auto k = static_cast<std::size_t>(std::upper_bound(c.wavelength_nm.begin(), c.wavelength_nm.end(), a) - c.wavelength_nm.begin()); from < b; ++k) {
        const bool last = k >= c.wavelength_nm.size() || c.wavelength_nm[k] >= b;
        const double to = last ? b : c.wavelength_nm[k], there = last ? c.at(b) : c.transmission[k];
        sum += 0.5 * (value + there) * (to - from);
        from = to;
        value = there;
    }
    return sum;
}

double density(double transmission) {
    return transmission > 1e-9 ? -std::log10(transmission) : 9;
}

} // namespace

std::vector<Band> bandsOf(const Curve& c) {
    std::vector<Band> bands;
    if (c.wavelength_nm.size() < 3) return bands;
    const double top = *std::max_element(c.transmission.begin(), c.transmission.end());
    std::vector<char> taken(c.transmission.size(), 0);
    std::vector<std::size_t> order(c.transmission.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) { return c.transmission[a] > c.transmission[b]; });
    for (const std::size_t peak : order) {
        const double height = c.transmission[peak];
        if (height < std::max(0.05, top / 8)) break;
        if (taken[peak]) continue;
        const Flank low = walk(c, peak, -1), high = walk(c, peak, 1);
        // A shoulder: its half lies within what a higher band has taken.
        bool shoulder = false;
        for (std::size_t i = 0; i < c.wavelength_nm.size() && !shoulder; ++i)
            shoulder = taken[i] && c.wavelength_nm[i] > low.half_nm && c.wavelength_nm[i] < high.half_nm;
        std::fill(taken.begin() + static_cast<std::ptrdiff_t>(low.foot), taken.begin() + static_cast<std::ptrdiff_t>(high.foot) + 1, char{1});
        if (shoulder) continue;
        bands.push_back({0.5 * (low.half_nm + high.half_nm), high.half_nm - low.half_nm, height, low.half_nm, high.half_nm, low.open, high.open});
    }
    std::sort(bands.begin(), bands.end(), [](const Band& a, const Band& b) { return a.center_nm < b.center_nm; });
    return bands;
}

const char* lineName(EmissionLine line) {
    switch (line) {
    case EmissionLine::Hbeta:
        return "Hb";
    case EmissionLine::OIII:
        return "OIII";
    case EmissionLine::Halpha:
        return "Ha";
    case EmissionLine::NII:
        return "NII";
    case EmissionLine::SII:
        return "SII";
    }
    return "";
}

std::vector<double> lineWavelengths(EmissionLine line) {
    switch (line) {
    case EmissionLine::Hbeta:
        return {kHbeta_nm};
    case EmissionLine::OIII:
        return {kOIII_nm};
    case EmissionLine::Halpha:
        return {kHalpha_nm};
    case EmissionLine::NII:
        return {kNIIb_nm};
    case EmissionLine::SII:
        return {kSIIa_nm, kSIIb_nm};
    }
    return {};
}

double transmissionAt(const Curve& curve, EmissionLine line) {
    double sum = 0;
    const auto all = lineWavelengths(line);
    for (const double nm : all) sum += curve.at(nm);
    return sum / static_cast<double>(all.size());
}

Leaks leaksOf(const Curve& c, const std::vector<Band>& bands) {
    Leaks out;
    if (c.empty()) return out;
    const double first = std::max(400.0, c.wavelength_nm.front()), last = std::min(700.0, c.wavelength_nm.back());
    std::vector<std::pair<double, double>> free{{first, last}};
    for (const Band& b : bands) {
        std::vector<std::pair<double, double>> next;
        const double low = b.center_nm - 1.5 * b.fwhm_nm, high = b.center_nm + 1.5 * b.fwhm_nm;
        for (const auto& [from, to] : free) {
            if (from < low) next.emplace_back(from, std::min(to, low));
            if (to > high) next.emplace_back(std::max(from, high), to);
        }
        free = next;
    }
    double sum = 0, width = 0, worst = -1, place = 0;
    const auto look = [&](double nm) {
        if (const double t = c.at(nm); t > worst) worst = t, place = nm;
    };
    for (const auto& [from, to] : free) {
        if (to - from <= 0) continue;
        sum += integral(c, from, to);
        width += to - from;
        look(from), look(to);
        for (const double nm : c.wavelength_nm)
            if (nm > from && nm < to) look(nm);
    }
    if (width > 0) {
        out.meanDensity = density(sum / width);
        out.worstDensity = density(worst);
        out.worst_nm = place;
    }
    const double nearFrom = std::max(700.0, c.wavelength_nm.front()), nearTo = std::min(1000.0, c.wavelength_nm.back());
    if (nearTo - nearFrom >= 270) out.nearInfrared = integral(c, nearFrom, nearTo) / (nearTo - nearFrom);
    return out;
}

} // namespace caelumen

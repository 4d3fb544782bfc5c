#include "core/optics/light_cone.h"

#include "core/base/phrase.h"

#include <algorithm>
#include <cmath>
#include <iterator>

namespace caelumen {
namespace {

constexpr int kNodes = 128;
constexpr int kAround = 64; ///< directions of the pupil, for a tilted cone

double clampedAt(const Curve& c, double nm) {
    return c.at(std::clamp(nm, c.wavelength_nm.front(), c.wavelength_nm.back()));
}

} // namespace

ConeShift::ConeShift(const LightCone& cone) {
    const double rim = 1 / (2 * cone.fRatio), hole = cone.obstruction * rim, from = hole * hole, to = rim * rim;
    const double lean = std::tan(cone.tilt_deg * M_PI / 180), n2 = cone.effectiveIndex * cone.effectiveIndex;
    const auto scale = [&](double tan2) { return std::sqrt(1 - tan2 / (1 + tan2) / n2); };
    for (int i = 0; i < kNodes; ++i) {
        const double u = from + (to - from) * (i + 0.5) / kNodes;
        if (lean == 0) {
            m_scales.push_back(scale(u));
            continue;
        }
        for (int k = 0; k < kAround; ++k) m_scales.push_back(scale(u + lean * lean + 2 * std::sqrt(u) * lean * std::cos(M_PI * (k + 0.5) / kAround)));
    }
    std::sort(m_scales.begin(), m_scales.end(), std::greater<>());
    if (lean == 0) return;
    // Groups of neighbours stand for all rays.
    std::vector<double> nodes;
    for (std::size_t i = 0; i < m_scales.size(); i += kAround) {
        double sum = 0;
        for (std::size_t k = i; k < i + kAround; ++k) sum += m_scales[k];
        nodes.push_back(sum / kAround);
    }
    m_scales = std::move(nodes);
}

double ConeShift::transmission(const Curve& curve, double nm) const {
    if (curve.empty()) return 0;
    double sum = 0;
    for (const double s : m_scales) sum += clampedAt(curve, nm / s);
    return sum / static_cast<double>(m_scales.size());
}

double ConeShift::meanShift() const {
    double sum = 0;
    for (const double s : m_scales) sum += s;
    return sum / static_cast<double>(m_scales.size());
}

Curve ConeShift::apply(const Curve& c, double step_nm) const {
    Curve out;
    if (c.wavelength_nm.size() < 2) return c;
    const double first = c.wavelength_nm.front(), last = c.wavelength_nm.back();
    const auto steps = static_cast<std::size_t>(std::clamp(std::ceil((last - first) / step_nm), 2.0, 200'000.0));
    for (std::size_t i = 0; i <= steps; ++i)
        out.wavelength_nm.push_back(i == steps ? last : first + (last - first) * static_cast<double>(i) / static_cast<double>(steps));
    out.transmission.assign(out.wavelength_nm.size(), 0);
    // Each ray walks along the curve once.
    for (const double s : m_scales) {
        std::size_t k = 1;
        for (std::size_t i = 0; i < out.wavelength_nm.size(); ++i) {
            const double nm = std::min(out.wavelength_nm[i] / s, last);
            while (k + 1 < c.wavelength_nm.size() && c.wavelength_nm[k] < nm) ++k;
            const double t = (nm - c.wavelength_nm[k - 1]) / (c.wavelength_nm[k] - c.wavelength_nm[k - 1]);
            out.transmission[i] += c.transmission[k - 1] + t * (c.transmission[k] - c.transmission[k - 1]);
        }
    }
    for (double& t : out.transmission) t /= static_cast<double>(m_scales.size());
    return out;
}

std::optional<Band> bandInCone(const Band& band, const std::vector<Band>& effective, const ConeShift& shift) {
    const double wanted = band.center_nm * shift.meanShift();
    const Band* nearest = nullptr;
    for (const Band& b : effective)
        if (!nearest || std::abs(b.center_nm - wanted) < std::abs(nearest->center_nm - wanted)) nearest = &b;
    // Another band is not what became of this one.
    if (!nearest || std::abs(nearest->center_nm - wanted) > band.fwhm_nm + 0.02 * band.center_nm * (1 - shift.meanShift())) return std::nullopt;
    return *nearest;
}

FastestRatio fastestRatio(const Curve& curve, EmissionLine line, LightCone cone, double part) {
    constexpr double kSlowest = 20, kFastest = 1.2, kStep = 0.97;
    const auto all = lineWavelengths(line);
    const auto passed = [&](double fRatio) {
        cone.fRatio = fRatio;
        const ConeShift shift(cone);
        double sum = 0;
        for (const double nm : all) sum += shift.transmission(curve, nm);
        return sum / static_cast<double>(all.size());
    };
    std::vector<std::pair<double, double>> steps; // f-ratio and transmission, from slow to fast
    for (double n = kSlowest; n >= kFastest; n *= kStep) steps.emplace_back(n, passed(n));
    const auto best = std::max_element(steps.begin(), steps.end(), [](const auto& a, const auto& b) { return a.second < b.second; });
    const double parallel = transmissionAt(curve, line), most = std::max(parallel, best->second);
    // A band that has strayed onto a line in the fastest of cones was not made for it.
    const bool strayed = parallel < 0.01 && (most < 0.3 || std::next(best) == steps.end());
    if (most < 0.01 || strayed) return {std::nullopt, std::nullopt, 0, phrase("the filter does not pass this line")};
    const double enough = part * most;
    if (best->second < enough) return {std::nullopt, std::nullopt, most, phrase("the line loses more than that even at f/20")};
    /// Between one that is enough and one that is not.
    const auto border = [&](double good, double bad) {
        while (std::abs(good - bad) > 0.005) {
            const double middle = 0.5 * (good + bad);
            (passed(middle) >= enough ? good : bad) = middle;
        }
        return good;
    };
    const auto inside = [&](const auto& step) { return step.second >= enough; };
    const auto lost = std::find_if_not(best, steps.end(), inside); // on the fast side
    FastestRatio out;
    out.most = most;
    if (lost == steps.end())
        out.fRatio = kFastest, out.note = phrase("kept at every f-ratio down to f/1.2");
    else
        out.fRatio = border(std::prev(lost)->first, lost->first);
    const auto slow = std::find_if_not(std::make_reverse_iterator(std::next(best)), steps.rend(), inside);
    if (slow != steps.rend()) out.slowest = border(std::prev(slow)->first, slow->first);
    return out;
}

} // namespace caelumen

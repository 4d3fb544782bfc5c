#include "core/optics/starter.h"

#include <cmath>

namespace caelumen {
namespace {

struct Shape {
    double center, width, peak;
    double order = 6; ///< of the super-Gaussian: 2 is a bell, 8 nearly a box
};

/// Flat-topped bands on a floor, and what leaks beyond `leakFrom` nm.
Curve shaped(const std::vector<Shape>& bands, double floor, double leakFrom = 2000, double leak = 0) {
    Curve c;
    for (double nm = 350; nm <= 1050.01; nm += 0.25) {
        double t = floor;
        for (const Shape& s : bands) t = std::max(t, s.peak * std::exp(-std::log(2) * std::pow(std::abs(nm - s.center) / (s.width / 2), s.order)));
        if (nm > leakFrom) t = std::max(t, leak * (1 - std::exp(-(nm - leakFrom) / 15)));
        c.wavelength_nm.push_back(nm);
        c.transmission.push_back(t);
    }
    return c;
}

/// A glass that passes beyond an edge `at` with a slope of `width` nm.
Curve edge(double at, double width, double peak) {
    Curve c;
    for (double nm = 350; nm <= 1050.01; nm += 0.25) {
        c.wavelength_nm.push_back(nm);
        c.transmission.push_back(peak / (1 + std::exp(-(nm - at) / width)));
    }
    return c;
}

const char* const kCoating =
    "Made up: super-Gaussian bands, as stacks of quarter-wave layers have (H. A. Macleod, Thin-Film Optical Filters, 2010, chapter 8).";
const char* const kGlass = "Made up: a logistic edge, as coloured glass has.";

} // namespace

const std::vector<StarterFilter>& starterFilters() {
    static const std::vector<StarterFilter> all{
        {"starter-uvir", "Clear Water UV/IR cut", "uv-ir-cut", kCoating, {{555, 290, 0.97}}, 2.0, {}, 1.85, shaped({{555, 290, 0.97, 40}}, 0.0005)},
        {"starter-lantern",
         "Lantern Notch",
         "light-pollution",
         kCoating,
         {{487, 88, 0.95}, {663, 70, 0.95}},
         1.9,
         {},
         1.85,
         shaped({{487, 88, 0.95, 16}, {663, 70, 0.95, 16}}, 0.003, 780, 0.4)},
        {"starter-four",
         "Four Windows",
         "multi-band",
         kCoating,
         {{488, 16, 0.92}, {503, 14, 0.93}, {656.5, 14, 0.94}, {672, 12, 0.92}},
         1.9,
         {},
         2.0,
         shaped({{487, 13, 0.92}, {503, 14, 0.93}, {656, 11, 0.94}, {673, 12, 0.92}}, 0.001)},
        {"starter-duo7",
         "Pair of Lines 7",
         "dual-band",
         kCoating,
         {{500.7, 7, 0.9}, {656.3, 7, 0.9}},
         1.8,
         {},
         2.0,
         shaped({{500.9, 7.1, 0.9}, {656.5, 6.9, 0.91}}, 0.0003)},
        {"starter-duo3",
         "Pair of Lines 3, for fast cones",
         "dual-band",
         kCoating,
         {{500.7, 3.2, 0.85}, {656.3, 3.3, 0.85}},
         1.75,
         2.8,
         3.0,
         shaped({{502.05, 2.9, 0.95}, {658.05, 3.0, 0.97}}, 0.0001)},
        {"starter-ha6", "Ember 6", "single-line", kCoating, {{656.3, 6, 0.93}}, 1.9, {}, 2.0, shaped({{656.6, 6.1, 0.93}}, 0.0001)},
        {"starter-oiii4", "Glass Sea 4", "single-line", kCoating, {{500.7, 4, 0.9}}, 1.8, {}, 2.0, shaped({{500.9, 4.2, 0.9}}, 0.0001)},
        {"starter-sii6", "Rust 6", "single-line", kCoating, {{672.4, 6, 0.9}}, 1.9, {}, 2.0, shaped({{672.7, 6.2, 0.9}}, 0.0002, 820, 0.02)},
        {"starter-infrared", "Beyond Red 685", "near-infrared", kGlass, {}, {}, {}, 2.0, edge(685, 4, 0.92)},
        {"starter-green", "Moss", "other", kCoating, {{535, 90, 0.95}}, 2.0, {}, 1.85, shaped({{535, 90, 0.95, 12}}, 0.001)},
    };
    return all;
}

const std::vector<StarterLight>& starterLights() {
    const char* const lamp = "lines from the NIST Atomic Spectra Database with smooth widths; smooth continuum";
    const char* const body = "black body (Planck 1901)";
    static const std::vector<StarterLight> all{
        {"street lamps, mixed", "the five lamps below in usual parts, each of equal visual light", streetLight({})},
        {"high-pressure sodium", lamp, streetLight({1, 0, 0, 0, 0}), true},
        {"low-pressure sodium", lamp, streetLight({0, 1, 0, 0, 0}), true},
        {"metal halide", lamp, streetLight({0, 0, 1, 0, 0}), true},
        {"LED 2700 K", "a blue diode at 450 nm and a broad phosphor, as bells", streetLight({0, 0, 0, 1, 0}), true},
        {"LED 4000 K", "a blue diode at 450 nm and a broad phosphor, as bells", streetLight({0, 0, 0, 0, 1}), true},
        {"moonlight", "black body of 5600 K, blued by scattering in air with the power 2.2", moonlitSky(), true},
        {"natural sky", "sunlight off dust, a continuum, and the lines of oxygen and sodium (557.7, 630.0, 589.2 nm) of airglow", naturalSky(), true},
        {"star of 9600 K", body, blackBody(9600)},
        {"star of 5800 K", body, blackBody(5800)},
        {"star of 3500 K", body, blackBody(3500)},
    };
    return all;
}

} // namespace caelumen

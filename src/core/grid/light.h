#pragma once

#include "core/model/trial.h"
#include "core/optics/camera.h"
#include "core/plan/forecast.h"

#include <array>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace caelumen {

/// What people point at, by the light that they are after.
enum class TargetKind { Emission, Oxygen, Sulphur, Galaxy, Reflection, Stars };
inline constexpr std::array kTargetKinds{TargetKind::Emission, TargetKind::Oxygen,     TargetKind::Sulphur,
                                         TargetKind::Galaxy,   TargetKind::Reflection, TargetKind::Stars};
const char* targetKindName(TargetKind kind);  ///< as in files: "emission"
const char* targetKindLabel(TargetKind kind); ///< as shown: "hydrogen-rich nebulae"
std::optional<TargetKind> targetKind(std::string_view name);
bool shinesInLines(TargetKind kind);
/// What a catalogue's strengths make of it.
TargetKind targetKindOf(const DeepSky& target);

/// Photons of each line for one of the line that gives the kind its name. Hydrogen: H-beta by recombination (case B, Osterbrock & Ferland 2006: 1 / 3.86 in
/// photons), [N II] by `nitrogen` (both lines over H-alpha; a third in usual clouds). Oxygen: 500.7 and a third of it at 495.9.
struct LineRatios {
    double nitrogen = 1.0 / 3;
    friend bool operator==(const LineRatios&, const LineRatios&) = default;
};

/// Kinds of sky light, in this order.
enum class SkySource { HighSodium, LowSodium, Halide, LedWarm, LedCool, Natural, Moon };
inline constexpr std::size_t kSkySources = 7, kLamps = 5;
inline constexpr std::array<const char*, kLamps> kLampKeys{"hps", "lps", "halide", "led2700", "led4000"};
std::array<double, kLamps> sharesOf(const LampMix& mix); ///< summing to one
LampMix mixOf(const std::array<double, kLamps>& shares);

/// A filter in one channel of a camera.
struct GridChannel {
    std::string name;
    std::array<double, kSkySources> sky{}; ///< electrons s^-1 from each cm^2 of pupil and each V = 0 of such light
    std::array<double, kTargetKinds.size()>
        signal{}; ///< electrons s^-1, cm^-2 of pupil: of one rayleigh in an arcsec^2 for line kinds, of V = 0 for the others
};

/// Where what is known of a filter's transmission comes from.
enum class GridSource { Curve, MakersCurve, Claims, NoFilter, Nothing };

struct GridFilter {
    std::string id, name;
    GridSource source = GridSource::Nothing;
    std::vector<GridChannel> channels; ///< empty where nothing is known
    const GridChannel* channel(const std::string& name) const;
};

/// `effective`: the curve in its cone; empty for no filter.
std::vector<GridChannel> gridChannels(const Curve& effective, const Camera& camera, const LineRatios& ratios = {});

/// Electrons per second and pixel of a target of that kind and brightness: rayleigh for line kinds, V mag per square arcsecond for the others. Optics are taken
/// as clear.
double signalRate(const GridChannel& channel, TargetKind kind, double brightness, const PlanRig& rig);

} // namespace caelumen

#include "core/model/facts.h"

#include "core/base/phrase.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace caelumen {
namespace {

using Member = std::optional<double> Rig::*;
using HeaderMember = std::optional<double> FrameFacts::*;

struct Known {
    FactName name;
    Member rig;
    HeaderMember header; ///< null: no header says so
};
constexpr std::array kFacts{
    Known{{"focal_length_mm", "focal length", "mm"}, &Rig::focal_length_mm, &FrameFacts::focal_length_mm},
    Known{{"aperture_mm", "aperture", "mm"}, &Rig::aperture_mm, &FrameFacts::aperture_mm},
    Known{{"obstruction", "obstruction", ""}, &Rig::obstruction, nullptr},
    Known{{"pixel_um", "pixel size", "\u00b5m"}, &Rig::pixel_um, &FrameFacts::pixel_um},
    Known{{"gain_e_per_adu", "gain", "e-/ADU"}, &Rig::gain_e_per_adu, &FrameFacts::gain_e_per_adu},
    Known{{"read_noise_e", "read noise", "e-"}, &Rig::read_noise_e, &FrameFacts::read_noise_e},
    Known{{"full_well_e", "full well", "e-"}, &Rig::full_well_e, nullptr},
    Known{{"pedestal_adu", "pedestal", "ADU"}, &Rig::pedestal_adu, &FrameFacts::pedestal_adu},
    Known{{"full_scale_adu", "full scale", "ADU"}, &Rig::full_scale_adu, nullptr},
};

std::optional<double> ofCamera(const Camera& camera, Member what, std::optional<double> setting) {
    if (what == &Rig::pixel_um) return camera.pixel_um;
    if (what == &Rig::full_well_e) return camera.full_well_e;
    const GainStep* gain = camera.gainAt(setting);
    if (!gain) return std::nullopt;
    if (what == &Rig::gain_e_per_adu) return gain->e_per_adu;
    if (what == &Rig::read_noise_e) return gain->read_noise_e;
    return std::nullopt;
}

} // namespace

const char* factSourceName(FactSource source) {
    constexpr std::array names{"run", "trial", "header", "camera", "assumed"};
    return names[static_cast<std::size_t>(source)];
}

const FactName& factName(const std::string& id) {
    const auto it = std::find_if(kFacts.begin(), kFacts.end(), [&](const Known& k) { return id == k.name.id; });
    static constexpr FactName kOther{"", "", ""};
    return it == kFacts.end() ? kOther : it->name;
}

std::optional<std::string> conflictOf(const std::string& what, double header, double trial) {
    if (std::abs(header - trial) <= 0.01 * std::max(std::abs(trial), 1e-6)) return std::nullopt;
    return phrase("{}: the header says {}, the trial {}", what, header, trial);
}

const Fact* Facts::of(const std::string& id) const {
    const auto it = std::find_if(list.begin(), list.end(), [&](const Fact& f) { return f.id == id; });
    return it == list.end() ? nullptr : &*it;
}

Facts resolveFacts(const Rig& trial, const Rig& run, const FrameFacts* header, const Camera* camera) {
    Facts out;
    out.rig = effectiveRig(trial, run);
    for (const Known& known : kFacts) {
        const std::optional<double> said = header && known.header ? header->*known.header : std::nullopt;
        std::optional<double>& value = out.rig.*known.rig;
        Fact fact{known.name.id, 0, (run.*known.rig) ? FactSource::Run : FactSource::Trial, {}};
        if (value && said)
            if (auto conflict = conflictOf(*known.name.unit ? fmt::format("{} ({})", known.name.label, known.name.unit) : known.name.label, *said, *value))
                out.conflicts.push_back(*conflict);
        if (!value && said) {
            value = said;
            fact.source = FactSource::Header;
            if (const auto keyword = header->sources.find(known.name.id); keyword != header->sources.end()) fact.from = keyword->second;
        }
        if (!value && camera)
            if (const auto own = ofCamera(*camera, known.rig, out.rig.gain_setting ? out.rig.gain_setting : header ? header->gain_setting : std::nullopt))
                value = own, fact.source = FactSource::Camera, fact.from = camera->name;
        if (!value) continue;
        fact.value = *value;
        out.list.push_back(std::move(fact));
    }
    if (out.rig.name.empty() && header && header->camera) out.rig.name = *header->camera;
    return out;
}

std::string factsSentence(const std::vector<Fact>& facts) {
    std::string out;
    for (const Fact& f : facts) {
        const FactName& name = factName(f.id);
        out += fmt::format("{}{} {:.6g}{}{} ({}{}{})", out.empty() ? "" : ", ", name.label, f.value, *name.unit ? " " : "", name.unit, factSourceName(f.source),
                           f.from.empty() ? "" : ", ", f.from);
    }
    return out;
}

Rig completed(const Rig& rig, const std::vector<Fact>& facts) {
    Rig out = rig;
    for (const Known& known : kFacts) {
        const auto fact = std::find_if(facts.begin(), facts.end(), [&](const Fact& f) { return f.id == known.name.id; });
        if (!(out.*known.rig) && fact != facts.end() && fact->source == FactSource::Header) out.*known.rig = fact->value;
    }
    return out;
}

} // namespace caelumen

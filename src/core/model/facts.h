#pragma once

#include "core/image/facts.h"
#include "core/model/trial.h"
#include "core/optics/camera.h"

#include <optional>
#include <string>
#include <vector>

namespace caelumen {

/// Who says so, from the most trusted on.
enum class FactSource { Run, Trial, Header, Camera, Assumed };
const char* factSourceName(FactSource source); ///< "run", "trial", "header", "camera", "assumed"

/// One thing that is known of telescope and camera.
struct Fact {
    std::string id; ///< as in a rig: "pixel_um", "gain_e_per_adu", ...
    double value = 0;
    FactSource source = FactSource::Trial;
    std::string from; ///< keyword of a header, name of a camera; else empty
};

/// What is called what: label and unit of a fact's id.
struct FactName {
    const char *id, *label, *unit;
};
const FactName& factName(const std::string& id);

/// Everything that is known of telescope and camera, each fact from the most trusted that knows it.
struct Facts {
    Rig rig;                            ///< all of it together
    std::vector<Fact> list;             ///< those with a number, in a fixed order
    std::vector<std::string> conflicts; ///< in words: sources that differ by more than one per cent, each once

    const Fact* of(const std::string& id) const;
};

/// What to say of two sources that differ by more than one per cent; nothing where they agree. `what` names fact and unit.
std::optional<std::string> conflictOf(const std::string& what, double header, double trial);

/// The one place where facts are resolved: what the run says, else the trial, else the frame's header, else the camera (at the rig's gain setting, else the
/// header's, else its first). Nothing is assumed here.
Facts resolveFacts(const Rig& trial, const Rig& run, const FrameFacts* header, const Camera* camera = nullptr);

/// All of them in a line: "focal length 480 mm (trial), pixel size 3.76 um (header, XPIXSZ), ...".
std::string factsSentence(const std::vector<Fact>& facts);

/// A rig completed by what was found for a run when it was measured: never against what the rig itself says.
Rig completed(const Rig& rig, const std::vector<Fact>& facts);

} // namespace caelumen

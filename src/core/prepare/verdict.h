#pragma once

#include "core/prepare/sub_figures.h"
#include "core/stars/alignment.h"

namespace caelumen {

/// Why a sub is left out.
enum class SubReason { None, Unreadable, Cloud, Trailed, Soft, SoftCorner, BrightSky, Twilight, FlatMismatch, NotAligned, ByHand };
/// One word or two: "cloud", "trailed", ...
const char* reasonName(SubReason reason);

/// One sub, judged.
struct JudgedSub {
    SharedFigures figures;
    bool keep = true;
    SubReason reason = SubReason::None;
    std::string words;                  ///< the reason in a sentence, with its numbers; also what speaks against a sub that is kept
    bool byHand = false;                ///< a person overruled
    std::optional<Alignment> alignment; ///< from the reference's stored pixels to this sub's
    std::optional<double> starlight;    ///< over the reference's, in the same time and freed of sharpness
    std::optional<double> transparency; ///< the same over the run's best decile
    bool compared = false;              ///< with the reference: alignment and starlight are told, where they can be
};

/// How clear the kept subs were: starlight over that of the run's clearest tenth.
struct Clearness {
    double mean = 0, least = 0, most = 0; ///< 1: as clear as the clearest tenth
    std::string dimmest;                  ///< file
};

struct JudgedRun {
    std::vector<JudgedSub> subs; ///< in the order of time, where known, else of the list
    std::size_t reference = 0;
    std::vector<std::string> notes;

    std::size_t kept() const;
    double kept_s() const;                         ///< of those whose exposure is known
    std::optional<Clearness> transparency() const; ///< of the kept ones; nothing where stars tell it of none
    /// Seconds lost for each reason.
    std::map<SubReason, double> lost_s() const;
};

/// Lays the subs on each other, compares their stars and judges them by `cull`, each against the run itself. `reference`: a name, or empty for the best.
/// `earlier`: the same run with fewer subs or others; what it found is not found again, and nothing else changes.
Result<JudgedRun> judgeRun(std::vector<SharedFigures> figures, const CullOptions& cull, const std::string& reference, const JudgedRun* earlier = nullptr);

/// The verdicts again, after limits or a person's decisions changed: figures, alignment and reference stay. Fast.
void judgeAgain(JudgedRun& run, const CullOptions& cull);

} // namespace caelumen

#pragma once

#include "core/prepare/sub_measurer.h"
#include "core/prepare/verdict.h"

namespace caelumen {

/// What a stack turned out to be.
struct StackSummary {
    int width = 0, height = 0, planes = 0;
    std::size_t subs = 0;
    double total_s = 0;
    std::map<std::string, double> rejectedPart; ///< of the values, by channel
    std::map<std::string, double> noise;        ///< of a sky pixel of the stack, ADU, from the difference of its odd and even subs
    double coveredPart = 0;                     ///< of the frame: at least half of the subs
    std::vector<std::filesystem::path> files;   ///< the stack and what was written beside it
};

/// Every file that stacking a recipe writes, and those it keeps while it works.
std::vector<std::filesystem::path> stackOutputs(const SubsRecipe& recipe, const std::filesystem::path& out);

/// Stacks the subs that were kept on the reference, band by band, so that memory does not grow with their number; every value is resampled once. Pixels that
/// less than half of the subs cover become NaN. Nothing is left under the final names unless all went well. From `worthKeeping` values on (subs times pixels
/// times channels; half a minute's work) finished bands are kept beside the stack while it is made, and a broken run goes on from them.
Result<StackSummary> stackSubs(const SubsRecipe& recipe, const SubMeasurer& measurer, const JudgedRun& run, const std::filesystem::path& out,
                               const Job& job = {}, double worthKeeping = 2e9);

} // namespace caelumen

#pragma once

#include "core/prepare/stack.h"

#include <optional>

namespace caelumen {

/// From the capture folder to a stack: masters, figures of every sub, verdicts, stack.
struct PreparedRun {
    JudgedRun run;
    std::optional<StackSummary> stack; ///< absent where only judging was asked for
    std::vector<std::string> history, warnings;
    std::optional<double> gain_e_per_adu = {};
    std::optional<NightScale> nightScale; ///< as the recipe has it
};

/// Everything that `caelumen-cli stack` does. Figures of subs are kept beside the stack while the work lasts ("STACK.work"): after a cancelled or killed run
/// they are not measured again.
Result<PreparedRun> prepareRun(const SubsRecipe& recipe, const std::filesystem::path& out, const Job& job = {});

/// Figures of all lights, those found in `notebook` taken from there, the others added to it as they are measured; an empty name keeps none. `each` hears of
/// every one.
Result<std::vector<SubFigures>> measureSubs(const SubsRecipe& recipe, const SubMeasurer& measurer, const std::filesystem::path& notebook, const Job& job = {},
                                            const std::function<void(const SubFigures&)>& each = {});

/// The report of docs/formats.md.
Json preparedToJson(const PreparedRun& prepared);

Json subFiguresToJson(const SubFigures& figures);
/// Nothing for what was not written by subFiguresToJson.
std::optional<SubFigures> subFiguresFromJson(const Json& json);

} // namespace caelumen

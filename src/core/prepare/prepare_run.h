#pragma once

#include "core/prepare/stack.h"
#include "core/prepare/sub_notebook.h"

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

/// The notebook `file` for what this measurer finds with the recipe's masters.
std::shared_ptr<SubNotebook> notebookOf(const SubsRecipe& recipe, const SubMeasurer& measurer, const std::filesystem::path& file);

/// Figures of lights, those found in `notebook` taken from there, the others added to it as they are measured. `each` hears of every one.
Result<std::vector<SharedFigures>> measureSubs(const std::vector<std::filesystem::path>& lights, const SubMeasurer& measurer, SubNotebook& notebook,
                                               const Job& job = {}, const std::function<void(const SharedFigures&)>& each = {});

/// The report of docs/formats.md.
Json preparedToJson(const PreparedRun& prepared);

} // namespace caelumen

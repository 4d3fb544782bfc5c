#include "cli/trials.h"

#include "cli/outcome.h"
#include "core/base/text.h"
#include "core/compare/measure_trial.h"

#include <map>
#include <set>

namespace caelumen::cli {
namespace fs = std::filesystem;

namespace {

std::vector<std::string> namesOf(const std::vector<std::string>& files) {
    std::vector<std::string> out;
    std::map<std::string, int> seen;
    for (const fs::path f : files) ++seen[shown(f.filename())];
    for (const fs::path f : files) out.push_back(seen[shown(f.filename())] > 1 ? shown(f.parent_path().filename() / f.filename()) : shown(f.filename()));
    std::set<std::string> once;
    for (std::size_t i = 0; i < out.size(); ++i)
        if (!once.insert(out[i]).second) out[i] = shown(fs::path(files[i])), once.insert(out[i]);
    return out;
}

} // namespace

std::optional<int> readTrials(const std::vector<std::string>& files, std::vector<GridTrial>& out, std::vector<fs::path>& inputs) {
    const auto names = namesOf(files);
    for (std::size_t i = 0; i < files.size(); ++i) {
        const fs::path path = files[i];
        auto trial = readTrial(path);
        if (!trial) return fail(path, trial.error().message);
        inputs.push_back(path);
        for (const fs::path& f : filesOf(*trial, path.parent_path())) inputs.push_back(f);
        out.push_back({names[i], std::move(*trial), path.parent_path(), nullptr});
    }
    return std::nullopt;
}

std::optional<int> measureTrials(const std::vector<std::string>& files, std::vector<GridTrial>& trials) {
    for (std::size_t i = 0; i < trials.size(); ++i) {
        Job job = terminalJob();
        if (job.progress)
            job.progress = [report = job.progress, i, n = trials.size()](double part, const std::string& what) {
                report((static_cast<double>(i) + part) / static_cast<double>(n), what);
            };
        auto results = measureTrial(trials[i].trial, trials[i].folder, job);
        if (!results) return fail(fs::path(files[i]), results.error().message);
        for (const std::string& warning : results->warnings) note(warning);
        trials[i].results = std::make_shared<const TrialResults>(std::move(*results));
    }
    return std::nullopt;
}

} // namespace caelumen::cli

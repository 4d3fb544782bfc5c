#include "cli/commands.h"

#include "cli/evidence_command.h"
#include "cli/grid_command.h"
#include "cli/merge_command.h"
#include "cli/optics_commands.h"
#include "cli/outcome.h"
#include "cli/painted.h"
#include "cli/transfer_command.h"
#include "cli/verdict_command.h"
#include "core/base/file.h"
#include "core/base/helper.h"
#include "core/base/json.h"
#include "core/base/text.h"
#include "core/compare/frame_report.h"
#include "core/compare/measure_trial.h"
#include "core/optics/light_cone.h"
#include "core/prepare/lines.h"
#include "core/prepare/prepare_run.h"
#include "core/simulate/demo.h"
#include "core/simulate/scenario.h"

#include <fmt/format.h>
#include <tbb/global_control.h>

#include <algorithm>
#include <cerrno>
#include <cstdio>
#include <cstring>
#include <filesystem>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <unistd.h>

namespace caelumen::cli {
namespace fs = std::filesystem;
namespace {

constexpr const char* kStackUsage = "caelumen-cli stack SUBS.json --out STACK.fits [--report REPORT.json]";

constexpr const char* kLinesUsage = "caelumen-cli lines STACK.fits... [--curve CURVE.csv [--f-ratio N] [--camera ID]] [--oxygen SUM.fits]";
constexpr const char* kSimulateUsage = "caelumen-cli simulate SCENARIO.json --out DIR";

int measure(const Arguments& a) {
    const fs::path path = a.words[0], out = a.value("--out"), table = a.value("--csv");
    const auto trial = readTrial(path);
    if (!trial) return fail(path, trial.error().message);
    std::unique_ptr<tbb::global_control> limit;
    if (a.has("--threads")) {
        const auto threads = wholeNumber(a.value("--threads"), 1, 1024);
        if (!threads) return misuse("--threads needs a whole number from 1 to 1024", "caelumen-cli measure TRIAL.json [--threads N]");
        limit = std::make_unique<tbb::global_control>(tbb::global_control::max_allowed_parallelism, static_cast<std::size_t>(*threads));
    }
    auto inputs = filesOf(*trial, path.parent_path());
    inputs.push_back(path);
    if (const Status safe = outputsAreSafe({out, table}, inputs); !safe) return fail(safe.error().message);
    const auto results = measureTrial(*trial, path.parent_path(), terminalJob());
    if (!results) return fail(path, results.error().message);
    for (const std::string& warning : results->warnings) note(warning);
    const std::string json = jsonText(resultsToJson(*results), 1) + "\n";
    if (a.has("--csv"))
        if (const Status done = writeFile(table, resultsToCsv(*results)); !done) return fail(done.error().message);
    if (a.has("--out")) {
        if (const Status done = writeFile(out, json); !done) return fail(done.error().message);
        return kDone;
    }
    say("{}", json);
    return kDone;
}

void sayFrame(const FrameReport& r) {
    say("{}: {} x {}, {}{}\n", shown(r.info.path), r.info.width, r.info.height, fmt::join(r.info.channels, ""),
        r.info.mosaic ? ", mosaic " + r.info.mosaic->name : "");
    for (const auto& [channel, level] : r.level) {
        const auto noise = r.noise.find(channel);
        say("  {}: level {:.6g} ADU, {}\n", channel, level,
            noise == r.noise.end() ? "too small for its noise" : fmt::format("noise {:.4g} ADU", noise->second));
    }
    say("  {} stars above 5 sigma", r.stars);
    if (r.fwhm_px) say(", FWHM {:.2f} px, eccentricity {:.2f}", *r.fwhm_px, *r.eccentricity);
    say("\n");
    const Json facts = factsToJson(r.info.facts);
    for (const auto& [key, value] : facts.items())
        if (key != "sources" && key != "notes")
            say("  {} = {}  ({})\n", key, jsonText(value), r.info.facts.sources.count(key) ? r.info.facts.sources.at(key) : "");
    for (const std::string& note : r.info.facts.notes) say("  note: {}\n", note);
}

int frames(const Arguments& a) {
    Json list = Json::array();
    int code = kDone;
    for (const std::string& word : a.words) {
        const auto report = reportFrame(word);
        if (!report)
            code = fail(word, report.error().message); // the others go on
        else if (a.has("--json"))
            list.push_back(frameReportToJson(*report));
        else
            sayFrame(*report);
    }
    if (a.has("--json")) say("{}\n", jsonText(list, 1));
    return code;
}

int demo(const Arguments& a) {
    const std::string usage = "caelumen-cli demo --out DIR [--trial NAME] [--width PIXELS]";
    if (!a.has("--out")) return misuse("--out DIR is missing", usage);
    const auto width = a.has("--width") ? wholeNumber(a.value("--width"), 320, 20'000) : std::optional(1600);
    if (!width) return misuse("--width needs a whole number from 320 to 20000", usage);
    const Status done = writeDemo(a.value("--out"), terminalJob(), *width, a.value("--trial"));
    return done ? kDone : fail(done.error().message);
}

int stack(const Arguments& a) {
    if (!a.has("--out")) return misuse("--out STACK.fits is missing", kStackUsage);
    const fs::path out = a.value("--out");
    if (const std::string ending = endingOf(out); ending != ".fits" && ending != ".fit" && ending != ".fts")
        return misuse("--out must end in .fits", kStackUsage);
    const fs::path path = a.words[0], report = a.value("--report");
    const auto recipe = readSubsRecipe(path);
    if (!recipe) return fail(path, recipe.error().message);
    auto inputs = filesOf(*recipe);
    inputs.push_back(path);
    auto outputs = stackOutputs(*recipe, out);
    outputs.push_back(report);
    if (const Status safe = outputsAreSafe(outputs, inputs); !safe) return fail(safe.error().message);
    const auto prepared = prepareRun(*recipe, out, terminalJob());
    if (!prepared) return fail(path, prepared.error().message);
    if (a.has("--report"))
        if (const Status done = writeFile(report, jsonText(preparedToJson(*prepared), 1) + "\n"); !done) return fail(done.error().message);
    for (const JudgedSub& sub : prepared->run.subs)
        if (!sub.figures->problem.empty()) note(sub.figures->problem);
    for (const std::string& warning : prepared->warnings) note(warning);
    return kDone;
}

int lines(const Arguments& a) {
    Curve effective;
    if (a.has("--curve")) {
        const auto ratio = a.has("--f-ratio") ? number(a.value("--f-ratio"), 0.7, 100) : std::optional(100.0);
        if (!ratio) return misuse("--f-ratio needs a number from 0.7 to 100", kLinesUsage);
        const auto curve = readCurve(a.value("--curve"));
        if (!curve) return fail(curve.error().message);
        effective = ConeShift({*ratio, 0, 1.8, 0}).apply(*curve, 0.5);
    }
    const std::string id = a.has("--camera") ? a.value("--camera") : "colour-clear";
    const auto& all = typicalCameras();
    if (std::none_of(all.begin(), all.end(), [&](const Camera& c) { return c.id == id && c.channels.size() == 3; }))
        return misuse("--camera must be colour-clear, colour-cut, still or still-modified", kLinesUsage);
    const LineMatrix matrix = lineMatrix(effective, typicalCamera(id));
    std::vector<fs::path> inputs(a.words.begin(), a.words.end()), outputs{a.value("--oxygen")}, oxygen;
    inputs.emplace_back(a.value("--curve"));
    for (const std::string& word : a.words) {
        const auto [red, blue] = lineOutputs(word, matrix);
        outputs.push_back(red), outputs.push_back(blue);
    }
    if (const Status safe = keepApart(outputs, inputs); !safe) return fail(safe.error().message);
    int code = kDone;
    for (const std::string& word : a.words) {
        const auto made = writeLines(word, matrix);
        if (!made) {
            code = fail(word, made.error().message); // the others go on
            continue;
        }
        say("{}\n{}\n", made->red.native(), made->oxygen.native()); // for scripts: the bytes of the name
        oxygen.push_back(made->oxygen);
    }
    if (a.has("--oxygen") && code == kDone)
        if (const Status done = addOxygen(oxygen, a.value("--oxygen"), terminalJob()); !done) return fail(done.error().message);
    return code;
}

int simulate(const Arguments& a) {
    if (!a.has("--out")) return misuse("--out DIR is missing", kSimulateUsage);
    const fs::path path = a.words[0], folder = a.value("--out");
    const auto scenario = readScenario(path);
    if (!scenario) return fail(path, scenario.error().message);
    if (const Status safe = keepApart(scenarioOutputs(*scenario, folder), {path}); !safe) return fail(safe.error().message);
    const Status done = writeScenario(*scenario, folder, terminalJob());
    return done ? kDone : fail(done.error().message);
}

/// Has a command done by the program that can paint: what all others need starts three times as fast without.
int paint(const std::vector<std::string>& words) {
    const auto program = helperProgram("caelumen-paint");
    if (!program) return fail("The program that paints pages and pictures, caelumen-paint, is missing; install Caelumen again.");
    std::vector<std::string> all{program->native()};
    all.insert(all.end(), words.begin(), words.end());
    std::vector<char*> arguments;
    for (std::string& word : all) arguments.push_back(word.data());
    arguments.push_back(nullptr);
    ::execv(program->c_str(), arguments.data());
    return fail(fmt::format("{} cannot be started ({}); install Caelumen again.", shown(*program), std::strerror(errno)));
}

struct Command {
    Shape shape;
    std::string usage, about;
    std::function<int(const Arguments&)> run; ///< none where caelumen-paint does it
};

const std::map<std::string, Command>& commands() {
    static const std::map<std::string, Command> all{
        {"measure",
         {{{"--out", "--csv", "--threads"}, {}, 1, 1},
          "caelumen-cli measure TRIAL.json [--out RESULTS.json] [--csv TABLE.csv] [--threads N]",
          "measure a trial; JSON to the standard output without --out",
          measure}},
        {"frames", {{{}, {"--json"}, 1, 100'000}, "caelumen-cli frames FILE... [--json]", "header facts, sky level, noise and stars of each frame", frames}},
        {"report", {kReportShape, kReportUsage, "measure and write a page with pictures and plots, a table, or results", {}}},
        {"stack", {{{"--out", "--report"}, {}, 1, 1}, kStackUsage, "calibrate, judge, align and stack one run's subs", stack}},
        {"lines",
         {{{"--curve", "--f-ratio", "--camera", "--oxygen"}, {}, 1, 1000},
          kLinesUsage,
          "hydrogen (or sulphur) and oxygen from stacks of a colour camera, beside them; oxygen of several in one frame",
          lines}},
        {"simulate", {{{"--out"}, {}, 1, 1}, kSimulateUsage, "a virtual night: subs and calibration frames with their truth", simulate}},
        {"passband", {kPassbandShape, kPassbandUsage, "the bands of a filter curve, and what becomes of them in a light cone", passband}},
        {"sky", {kSkyShape, kSkyUsage, "sun, moon and target at a place and time", sky}},
        {"grid", {kGridShape, kGridUsage, "every filter under every sky: measured, scaled from a measurement, or modelled", grid}},
        {"evidence", {kEvidenceShape, kEvidenceUsage, "whether filters that are swapped to and fro differ, however often one looks", evidence}},
        {"compose", {kComposeShape, kComposeUsage, "a colour picture from line or channel stacks, by a recipe", {}}},
        {"merge", {kMergeShape, kMergeUsage, "results of several testers or nights as one, with the scatter between them", merge}},
        {"transfer", {kTransferShape, kTransferUsage, "gain, read noise and full well of a camera from its flats and biases", transfer}},
        {"verdict", {kVerdictShape, kVerdictUsage, "ranking for a use profile, how sure it is, value for money, what was not tested", verdict}},
        {"demo",
         {{{"--out", "--trial", "--width"}, {}, 0, 0},
          "caelumen-cli demo --out DIR [--trial NAME] [--width PIXELS]",
          "make the demo campaign's frames, trials and truth; larger ones for trying speed",
          demo}},
    };
    return all;
}

std::string overview() {
    std::string text = "Measures and compares astrophotography filters.\n\n";
    for (const auto& [name, c] : commands()) text += fmt::format("  {}\n      {}\n", c.usage, c.about);
    text += "\n  caelumen-cli --version\n\nExit code: 0 done, 1 the input is bad or could not be measured, 2 wrong usage.\n";
    return text;
}

int dispatch(const std::vector<std::string>& words) {
    if (words.empty()) {
        fmt::print(stderr, "{}", overview());
        return kUsage;
    }
    if (words[0] == "--help" || words[0] == "-h" || words[0] == "help") {
        say("{}", overview());
        return kDone;
    }
    if (words[0] == "--version") {
        say("caelumen-cli {}\n", CAELUMEN_VERSION);
        return kDone;
    }
    const auto command = commands().find(words[0]);
    if (command == commands().end()) return misuse(fmt::format("there is no command \"{}\"", words[0]), "caelumen-cli --help");
    const std::vector<std::string> rest(words.begin() + 1, words.end());
    if (std::find(rest.begin(), rest.end(), "--help") != rest.end()) {
        say("{}\n  {}\n", command->second.usage, command->second.about);
        return kDone;
    }
    const auto arguments = parseArguments(rest, command->second.shape);
    if (!arguments) return misuse(arguments.error().message, command->second.usage);
    return command->second.run ? command->second.run(*arguments) : paint(words);
}

} // namespace

int run(const std::vector<std::string>& words) {
    return carefully([&] { return dispatch(words); });
}

} // namespace caelumen::cli

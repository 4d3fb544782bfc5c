#include "cli/grid_command.h"

#include "cli/outcome.h"
#include "cli/trials.h"
#include "core/base/file.h"
#include "core/base/json.h"
#include "core/base/text.h"
#include "core/grid/grid_out.h"
#include "core/optics/camera_file.h"

#include <algorithm>
#include <cmath>

namespace caelumen::cli {
namespace fs = std::filesystem;

namespace {

bool isNumberList(const std::string& word) {
    return !word.empty() && (std::isdigit(static_cast<unsigned char>(word[0])) || word[0] == '.') && !word.ends_with(".json");
}

/// Values between commas.
std::vector<std::string> parts(const std::string& text) {
    std::vector<std::string> out(1);
    for (const char c : text)
        if (c == ',')
            out.emplace_back();
        else
            out.back() += c;
    return out;
}

/// What a grid is asked for, out of the options; or what is wrong with them.
struct Asked {
    GridQuestion question;
    GridSetting setting;
    std::optional<TargetKind> kind;
    std::vector<double> readings;
    std::vector<int> classes;
    std::vector<std::optional<GridMoon>> moons;
    double altitude = 0; ///< 0: that of the runs
};

Result<Asked> asked(const Arguments& a) {
    Asked out;
    if (a.has("--kind")) {
        out.kind = targetKind(a.value("--kind"));
        if (!out.kind) return Error{"--kind must be emission, oxygen, sulphur, galaxy, reflection or stars"};
    }
    if (a.has("--quantity")) {
        const auto quantity = gridQuantity(a.value("--quantity"));
        if (!quantity) return Error{"--quantity must be time_ratio, contrast, background, hours, sub_length or halo_clean_mag"};
        out.question.quantity = *quantity;
    }
    for (const std::string& list : a.values("--bortle"))
        for (const std::string& word : parts(list)) {
            const auto range = word.find("..");
            const auto from = wholeNumber(word.substr(0, range), 1, 9), to = range == std::string::npos ? from : wholeNumber(word.substr(range + 2), 1, 9);
            if (!from || !to || *from > *to) return Error{"--bortle needs whole numbers from 1 to 9"};
            for (int b = *from; b <= *to; ++b) out.classes.push_back(b);
        }
    for (const std::string& list : a.values("--sky-mag"))
        for (const std::string& word : parts(list)) {
            const auto mag = number(word, 14, 22.5);
            if (!mag) return Error{"--sky-mag needs numbers from 14 to 22.5, mag per square arcsecond"};
            out.readings.push_back(*mag);
        }
    for (const std::string& word : a.values("--moon")) {
        if (word == "none") {
            out.moons.emplace_back();
            continue;
        }
        const auto three = parts(word);
        const auto lit = three.size() == 3 ? number(three[0], 0, 1) : std::nullopt;
        const auto altitude = three.size() == 3 ? number(three[1], -90, 90) : std::nullopt;
        const auto separation = three.size() == 3 ? number(three[2], 0, 180) : std::nullopt;
        if (!lit || !altitude || !separation)
            return Error{"--moon needs the part that is lit (0 to 1), its altitude and its separation from the target (degrees), or none: 0.5,45,60"};
        if (*altitude <= 0)
            out.moons.emplace_back(); // it is down
        else
            out.moons.push_back(GridMoon{*lit, *altitude, *separation});
    }
    if (a.has("--brightness")) {
        const auto brightness = number(a.value("--brightness"), 0.001, 100'000);
        if (!brightness) return Error{"--brightness needs a number above zero: rayleigh, or V mag per square arcsecond for galaxy, reflection and stars"};
        out.question.brightness = brightness;
    }
    if (a.has("--altitude")) {
        const auto altitude = number(a.value("--altitude"), 1, 90);
        if (!altitude) return Error{"--altitude needs degrees from 1 to 90"};
        out.altitude = *altitude;
    }
    if (a.has("--f-ratio")) {
        out.setting.fRatio = number(a.value("--f-ratio"), 0.7, 100);
        if (!out.setting.fRatio) return Error{"--f-ratio needs a number from 0.7 to 100"};
    }
    if (a.has("--camera")) {
        const std::string given = a.value("--camera");
        const auto& typical = typicalCameras();
        const auto known = std::find_if(typical.begin(), typical.end(), [&](const Camera& c) { return c.id == given; });
        if (known != typical.end()) {
            out.setting.camera = *known;
        } else {
            const auto text = readText(given);
            if (!text) return Error{fmt::format("--camera names neither a typical camera nor a camera file ({})", text.error().message)};
            auto camera = cameraFromText(*text, shown(given));
            if (!camera) return Error{camera.error().message};
            out.setting.camera = std::move(*camera);
        }
    }
    return out;
}

/// Where the runs' target stood in the mean, so that cells are their skies.
std::string valueText(const GridCell& c, GridQuantity q) {
    if (c.origin == CellOrigin::Empty) return "-";
    const char* mark = c.origin == CellOrigin::Measured ? "" : c.origin == CellOrigin::Scaled ? "~" : "?";
    return q == GridQuantity::HaloCleanMag ? fmt::format("{}{:.1f}+-{:.1f}", mark, c.value, c.sigma) : fmt::format("{}{:.3g}+-{:.2g}", mark, c.value, c.sigma);
}

void table(const GridModel& model, const GridQuestion& q, const std::vector<GridCell>& cells, const std::vector<Frontier>& frontiers) {
    const std::string unit = gridQuantityUnit(q.quantity);
    say("{}{} on {}, against {}; plain: measured, ~ scaled from a measurement, ? modelled from the curve\n", gridQuantityLabel(q.quantity),
        unit == "1" ? "" : " (" + unit + ")", targetKindLabel(q.kind), model.input().baseline);
    std::string sky;
    for (const GridSky& s : q.skies) {
        say("\n{} ({:.2f} mag)\n", skyText(s), s.zenith_mag);
        for (const GridCell& c : cells)
            if (c.sky == s)
                say("  {:<16} {:<3} {:>18}  {}\n", c.filter, c.channel, valueText(c, q.quantity),
                    c.reason.empty() && !c.notes.empty() ? c.notes.front() : c.reason);
    }
    say("\n");
    for (std::size_t i = 0; i < model.sites().size(); ++i) {
        const SiteFit& s = model.sites()[i];
        if (!s.fitted) continue;
        say("{}: zenith {:.2f} +- {:.2f} mag; lamps", model.input().sites[i].name, s.sky_mag, s.sky_mag_sigma);
        for (std::size_t k = 0; k < kLamps; ++k)
            if (s.shares[k] > 0.005) say(" {} {:.0f} %", kLampKeys[k], 100 * s.shares[k]);
        say("\n");
        for (const Brighter& b : s.brighter) say("  {}\n", b.text);
    }
    for (const Frontier& f : frontiers) say("{}\n", f.text);
}

} // namespace

const Shape kGridShape{{"--kind", "--quantity", "--brightness", "--altitude", "--f-ratio", "--camera", "--csv"},
                       {"--json"},
                       1,
                       1000,
                       {{"--curve-only", [](const std::string& word) { return !word.starts_with("--") && !word.ends_with(".json"); }},
                        {"--bortle", isNumberList},
                        {"--sky-mag", isNumberList},
                        {"--moon", [](const std::string& word) { return word == "none" || (isNumberList(word) && word.find(',') != std::string::npos); }}}};

int grid(const Arguments& a) {
    auto wanted = asked(a);
    if (!wanted) return misuse(wanted.error().message, kGridUsage);
    std::vector<fs::path> inputs;
    std::vector<GridCurve> curves;
    for (const std::string& word : a.values("--curve-only")) {
        const fs::path path = word;
        auto curve = readCurve(path);
        if (!curve) return fail(path, curve.error().message);
        for (const std::string& remark : curve->notes) note(remark);
        const std::string stem = shown(path.stem());
        curves.push_back({stem, stem, std::move(*curve)});
        inputs.push_back(path);
    }
    std::vector<GridTrial> trials;
    if (const auto bad = readTrials(a.words, trials, inputs)) return *bad;
    if (const Status safe = outputsAreSafe({a.value("--csv")}, inputs); !safe) return fail(safe.error().message);
    if (const auto bad = measureTrials(a.words, trials)) return *bad;
    auto input = gridInput(trials, curves, wanted->setting);
    if (!input) return fail(input.error().message);
    const double altitude = wanted->altitude > 0 ? wanted->altitude : input->usualAltitude_deg();
    GridQuestion question = wanted->question;
    question.kind = wanted->kind.value_or(input->kind);
    if (question.brightness && !shinesInLines(question.kind) && (*question.brightness < 5 || *question.brightness > 35))
        return misuse("--brightness of this kind is V mag per square arcsecond, 5 to 35", kGridUsage);
    if (wanted->classes.empty() && wanted->readings.empty())
        for (int b = 1; b <= 9; ++b) wanted->classes.push_back(b);
    if (wanted->moons.empty()) wanted->moons.emplace_back();
    for (const auto& moon : wanted->moons) {
        for (const int b : wanted->classes) question.skies.push_back(skyOfClass(b, moon, altitude));
        for (const double mag : wanted->readings) question.skies.push_back(skyOfReading(mag, moon, altitude));
    }
    const GridModel model(std::move(*input));
    for (const std::string& remark : model.input().notes) note(remark);
    const auto cells = gridCells(model, question);
    const auto borders = frontiers(model, std::nullopt, altitude);
    if (a.has("--csv"))
        if (const Status done = writeFile(a.value("--csv"), gridToCsv(model, question, cells)); !done) return fail(done.error().message);
    if (a.has("--json"))
        say("{}\n", jsonText(gridToJson(model, question, cells, borders), 1));
    else if (!a.has("--csv"))
        table(model, question, cells, borders);
    return kDone;
}

} // namespace caelumen::cli

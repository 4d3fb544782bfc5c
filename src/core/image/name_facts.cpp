#include "core/image/name_facts.h"

#include "core/base/text.h"

#include <charconv>
#include <regex>
#include <vector>

namespace caelumen {
namespace {

/// The number that a pattern's first group catches.
std::optional<double> numberIn(const std::string& text, const std::regex& pattern) {
    std::smatch found;
    if (!std::regex_search(text, found, pattern)) return std::nullopt;
    const std::string digits = found[1];
    double out = 0;
    const auto [end, error] = std::from_chars(digits.data(), digits.data() + digits.size(), out);
    return error == std::errc() && end == digits.data() + digits.size() ? std::optional(out) : std::nullopt;
}

/// `captured`: the name tells exposure or gain too, so that a colour or a lone letter in it means a filter and not a nebula.
std::optional<std::string> filterIn(const std::string& name, bool captured) {
    using Words = std::vector<std::pair<const char*, const char*>>;
    static const Words kLines{{"ha", "Ha"},  {"halpha", "Ha"}, {"hb", "Hb"},   {"hbeta", "Hb"}, {"oiii", "OIII"},   {"o3", "OIII"},       {"sii", "SII"},
                              {"s2", "SII"}, {"nii", "NII"},   {"hoo", "HOO"}, {"lum", "L"},    {"luminance", "L"}, {"nofilter", "none"}, {"uvir", "UV/IR"}};
    static const Words kColours{{"red", "R"}, {"green", "G"}, {"blue", "B"}, {"clear", "Clear"}, {"ir", "IR"}};
    static const std::regex kSplit("[^_ .()\\[\\]-]+");
    for (auto it = std::sregex_iterator(name.begin(), name.end(), kSplit); it != std::sregex_iterator(); ++it) {
        const std::string word = it->str(), low = lowered(word);
        if (captured && (word == "L" || word == "R" || word == "G" || word == "B")) return word;
        for (const Words* words : {&kLines, captured ? &kColours : &kLines})
            for (const auto& [key, filter] : *words)
                if (low == key) return filter;
    }
    return std::nullopt;
}

} // namespace

void completeFromName(FrameFacts& facts, const std::string& fileName) {
    static const std::regex kEnding("\\.(fits?|fts|tiff?|fz|gz)(\\.(fz|gz))?$", std::regex::icase),
        kExposure("(?:^|[^a-z0-9.])(\\d+(?:\\.\\d+)?)_?(?:s|secs?|seconds?)(?![a-z0-9])"), kGain("(?:^|[^a-z])gain[_ =-]?(\\d+(?:\\.\\d+)?)(?![\\d])"),
        kOffset("(?:^|[^a-z])offset[_ =-]?(\\d+(?:\\.\\d+)?)(?![\\d])"), kTemperature("(?:^|[_ ])(-?\\d+(?:\\.\\d+)?)c(?![a-z0-9])");
    constexpr std::size_t kLongest = 400; // of a name; longer ones are no capture program's
    if (fileName.size() > kLongest) return;
    const std::string name = std::regex_replace(fileName, kEnding, ""), low = lowered(name);
    const auto fill = [&](const char* fact, auto& to, const auto& found) {
        if (to || !found) return;
        to = *found;
        facts.sources[fact] = kFromName;
    };
    const auto within = [](std::optional<double> v, double lowest, double highest) { return v && *v >= lowest && *v <= highest ? v : std::nullopt; };
    fill("sub_exposure_s", facts.sub_exposure_s, within(numberIn(low, kExposure), 1e-5, 36'000));
    fill("gain_setting", facts.gain_setting, within(numberIn(low, kGain), 0, 1e5));
    fill("offset_setting", facts.offset_setting, within(numberIn(low, kOffset), 0, 1e5));
    fill("sensor_temperature_c", facts.sensor_temperature_c, within(numberIn(low, kTemperature), -100, 60));
    fill("filter", facts.filter, filterIn(name, numberIn(low, kExposure) || numberIn(low, kGain)));
}

} // namespace caelumen

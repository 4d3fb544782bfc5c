#include "cli/arguments.h"

#include <fmt/format.h>

#include <algorithm>

namespace caelumen::cli {

std::string Arguments::value(const std::string& name) const {
    const auto it = options.find(name);
    return it == options.end() ? std::string() : it->second;
}

std::vector<std::string> Arguments::values(const std::string& name) const {
    const auto it = lists.find(name);
    return it == lists.end() ? std::vector<std::string>() : it->second;
}

Result<Arguments> parseArguments(const std::vector<std::string>& words, const Shape& shape) {
    Arguments out;
    bool optionsOver = false;
    for (std::size_t i = 0; i < words.size(); ++i) {
        const std::string& word = words[i];
        if (word == "--" && !optionsOver) {
            optionsOver = true;
            continue;
        }
        if (optionsOver || word.size() < 3 || !word.starts_with("--")) {
            if (!optionsOver && word.size() > 1 && word[0] == '-') return Error{fmt::format("there is no option {}", word)};
            out.words.push_back(word);
            continue;
        }
        const auto equals = word.find('=');
        const std::string name = word.substr(0, equals);
        const auto several = std::find_if(shape.several.begin(), shape.several.end(), [&](const Several& s) { return s.name == name; });
        if (several != shape.several.end()) {
            std::vector<std::string>& to = out.lists[name];
            const std::size_t before = to.size();
            if (equals != std::string::npos)
                to.push_back(word.substr(equals + 1));
            else if (i + 1 < words.size() && !words[i + 1].starts_with("--")) // the first word is its value whatever it looks like
                to.push_back(words[++i]);
            while (equals == std::string::npos && to.size() > before && i + 1 < words.size() && several->isValue(words[i + 1])) to.push_back(words[++i]);
            if (to.size() == before || to.back().empty()) return Error{fmt::format("{} needs a value", name)};
            continue;
        }
        if (out.has(name)) return Error{fmt::format("{} is given twice", name)};
        if (std::find(shape.bare.begin(), shape.bare.end(), name) != shape.bare.end()) {
            if (equals != std::string::npos) return Error{fmt::format("{} takes no value", name)};
            out.options[name] = "";
        } else if (std::find(shape.valued.begin(), shape.valued.end(), name) != shape.valued.end()) {
            if (equals != std::string::npos)
                out.options[name] = word.substr(equals + 1);
            else if (i + 1 < words.size())
                out.options[name] = words[++i];
            else
                return Error{fmt::format("{} needs a value", name)};
            if (out.options[name].empty()) return Error{fmt::format("{} needs a value", name)};
        } else {
            return Error{fmt::format("there is no option {}", name)};
        }
    }
    if (out.words.size() < shape.fewest) return Error{"a file or folder is missing"};
    if (out.words.size() > shape.most) return Error{fmt::format("\"{}\" is one word too many", out.words[shape.most])};
    return out;
}

} // namespace caelumen::cli

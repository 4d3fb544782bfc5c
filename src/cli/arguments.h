#pragma once

#include "core/base/result.h"

#include <map>
#include <string>
#include <vector>

namespace caelumen::cli {

/// What one command takes: options with a value, options without, and how many plain words.
struct Shape {
    std::vector<std::string> valued, bare;
    std::size_t fewest = 0, most = 0;
};

struct Arguments {
    std::vector<std::string> words;
    std::map<std::string, std::string> options; ///< bare ones map to ""

    bool has(const std::string& name) const { return options.count(name) > 0; }
    std::string value(const std::string& name) const;
};

/// Sorts the words after the command's name; an unknown, repeated or unfinished option or a wrong number of words is an Error.
Result<Arguments> parseArguments(const std::vector<std::string>& words, const Shape& shape);

} // namespace caelumen::cli

#pragma once

#include "core/base/result.h"

#include <functional>
#include <map>
#include <string>
#include <vector>

namespace caelumen::cli {

/// An option that takes the words behind it as long as they look like its values, and may be given again.
struct Several {
    std::string name;
    std::function<bool(const std::string&)> isValue;
};

/// What one command takes: options with a value, options without, how many plain words, and options with several values.
struct Shape {
    std::vector<std::string> valued, bare;
    std::size_t fewest = 0, most = 0;
    std::vector<Several> several = {};
};

struct Arguments {
    std::vector<std::string> words;
    std::map<std::string, std::string> options; ///< bare ones map to ""
    std::map<std::string, std::vector<std::string>> lists;

    bool has(const std::string& name) const { return options.count(name) > 0; }
    std::string value(const std::string& name) const;
    std::vector<std::string> values(const std::string& name) const; ///< of an option that takes several
};

/// Sorts the words after the command's name; an unknown, repeated or unfinished option or a wrong number of words is an Error.
Result<Arguments> parseArguments(const std::vector<std::string>& words, const Shape& shape);

} // namespace caelumen::cli

#include "cli/outcome.h"

#include <fmt/format.h>

#include <charconv>
#include <cmath>
#include <cstdio>
#include <cstdlib>

namespace caelumen::cli {

int fail(const std::string& sentence) {
    fmt::print(stderr, "caelumen-cli: {}\n", sentence);
    return kFailed;
}

int misuse(const std::string& what, const std::string& usage) {
    fmt::print(stderr, "caelumen-cli: {}; usage: {}\n", what, usage);
    return kUsage;
}

std::optional<int> wholeNumber(const std::string& text, int low, int high) {
    int value = 0;
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
    if (error != std::errc{} || end != text.data() + text.size() || value < low || value > high) return std::nullopt;
    return value;
}

std::optional<double> number(const std::string& text, double low, double high) {
    double value = 0;
    const char* first = text.data() + (text.starts_with('+') ? 1 : 0);
    const auto [end, error] = std::from_chars(first, text.data() + text.size(), value);
    if (error != std::errc{} || end != text.data() + text.size() || !std::isfinite(value) || value < low || value > high) return std::nullopt;
    return value;
}

} // namespace caelumen::cli

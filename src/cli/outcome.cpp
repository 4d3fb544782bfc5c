#include "cli/outcome.h"

#include "core/base/text.h"

#include <fmt/format.h>

#include <charconv>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <exception>
#include <new>
#include <unistd.h>

namespace caelumen::cli {

int fail(const std::string& sentence) {
    fmt::print(stderr, "caelumen-cli: {}\n", oneLine(sentence));
    return kFailed;
}

int fail(const std::filesystem::path& about, const std::string& sentence) {
    const std::string name = shown(about);
    return fail(sentence.find(name) != std::string::npos ? sentence : fmt::format("{}: {}", name, sentence));
}

void note(const std::string& sentence) {
    fmt::print(stderr, "note: {}\n", sentence);
}

void put(const std::string& text) {
    std::fwrite(text.data(), 1, text.size(), stdout);
}

bool outputIsWhole() {
    return std::fflush(stdout) == 0 && std::ferror(stdout) == 0;
}

int misuse(const std::string& what, const std::string& usage) {
    fmt::print(stderr, "caelumen-cli: {}; usage: {}\n", oneLine(what), usage);
    return kUsage;
}

int carefully(const std::function<int()>& work) {
    int code = kFailed;
    try {
        code = work();
    } catch (const std::bad_alloc&) {
        return fail("There is not enough memory for this; close other programs.");
    } catch (const std::exception& e) {
        return fail(fmt::format("This could not be done because of a fault in the program ({}); please report it.", e.what()));
    }
    return outputIsWhole() ? code : fail("The standard output could not be written to its end; check the space left there.");
}

Job terminalJob() {
    Job job;
    if (::isatty(STDERR_FILENO))
        job.progress = [](double part, const std::string& what) { fmt::print(stderr, "\r\033[K{:3.0f} %  {}{}", 100 * part, what, part >= 1 ? "\n" : ""); };
    return job;
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

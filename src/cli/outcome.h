#pragma once

#include "core/base/job.h"

#include <fmt/format.h>

#include <filesystem>
#include <functional>
#include <optional>
#include <string>

namespace caelumen::cli {

inline constexpr int kDone = 0, kFailed = 1, kUsage = 2;

/// One line on the standard error; the exit code of bad input.
int fail(const std::string& sentence);
/// The same about a file, which the sentence names if it does not do so itself.
int fail(const std::filesystem::path& about, const std::string& sentence);
/// What should be known of work that went well: one line on the standard error.
void note(const std::string& sentence);
/// Text for the standard output; whether all of it went out is told by outputIsWhole.
void put(const std::string& text);
template<class... Values>
void say(fmt::format_string<Values...> form, Values&&... values) {
    put(fmt::format(form, std::forward<Values>(values)...));
}
/// Whether everything written to the standard output has arrived; a full disk or a closed one is told here.
bool outputIsWhole();
/// The same for wrong usage.
int misuse(const std::string& what, const std::string& usage);

/// The exit code of what is done: faults and a full memory are told in one line, and so is an output that did not arrive.
int carefully(const std::function<int()>& work);

/// Progress on a terminal only: a script's log stays clean.
Job terminalJob();

/// A whole number within limits, or nothing.
std::optional<int> wholeNumber(const std::string& text, int low, int high);
/// A finite number within limits, ends included, the whole of the text; or nothing.
std::optional<double> number(const std::string& text, double low, double high);

} // namespace caelumen::cli

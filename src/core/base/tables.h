#pragma once

#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace caelumen {

/// The first two numbers of a line of a table, in the ways people write one: comma, semicolon, tab or blanks between the columns, decimal comma, a per cent
/// sign. Nothing for a header or comment.
std::optional<std::pair<double, double>> twoNumbers(const std::string& line);

/// All numbers that a line begins with, two at least, written in the same ways; empty for a header or comment.
std::vector<double> numbersOf(const std::string& line);

/// What a spreadsheet would take as a formula (it begins with = + - @, a tab or a line end, and is no number) behind an apostrophe, as text; all else as it is.
/// csvRows takes the apostrophe off.
std::string harmlessCell(std::string text);

/// A row of comma-separated values (RFC 4180), harmless ones, fields quoted where they must be, with its line end.
std::string csvRow(const std::vector<std::string>& fields);

/// The rows of comma- or semicolon-separated values, quotes taken off; the separator is the one that the first line has more of outside quotes.
std::vector<std::vector<std::string>> csvRows(const std::string& text);

} // namespace caelumen

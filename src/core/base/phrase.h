#pragma once

#include <fmt/format.h>

#include <string>
#include <utility>

namespace caelumen {

/// Gives an English text in the language of who reads it, `{}` where values go. Called from any thread.
using PhraseBook = std::string (*)(const char* english);

/// The language of all sentences from now on, and what stands before the decimals of their numbers; null: English. To be set before work begins.
void speak(PhraseBook book, char decimalPoint = '.');

/// In the language that is spoken; where the book does not fit the values, in English.
std::string phraseOf(fmt::string_view english, fmt::format_args values);
/// As it is, with numbers as the language writes them.
std::string numbersOf(fmt::string_view format, fmt::format_args values);

/// A constant text (a label, the name of a kind) in the language that is spoken.
std::string wordOf(const char* english);

/// A text for people. What files and programs read is never made by it.
template<class... T>
std::string phrase(fmt::format_string<T...> english, T&&... values) {
    return phraseOf(english, fmt::make_format_args(values...));
}

/// Numbers for people, without words.
template<class... T>
std::string numbers(fmt::format_string<T...> format, T&&... values) {
    return numbersOf(format, fmt::make_format_args(values...));
}

} // namespace caelumen

#include "core/base/phrase.h"

#include <atomic>
#include <locale>

namespace caelumen {
namespace {

class DecimalPoint : public std::numpunct<char> {
public:
    explicit DecimalPoint(char point)
        : m_point(point) {}

protected:
    char do_decimal_point() const override { return m_point; }
    std::string do_grouping() const override { return {}; }

private:
    char m_point;
};

std::atomic<PhraseBook> s_book{nullptr};

std::locale& locale() {
    static std::locale one = std::locale::classic();
    return one;
}

/// Every number with decimals marked as one to be written by the locale: "{:.1f}" as "{:.1Lf}".
std::string byLocale(std::string format) {
    for (std::size_t i = 0, depth = 0, colon = 0; i < format.size(); ++i) {
        if (format[i] == '{') {
            if (depth == 0 && i + 1 < format.size() && format[i + 1] == '{')
                ++i; // a brace that is meant
            else if (++depth == 1)
                colon = 0;
        } else if (format[i] == ':' && depth == 1) {
            colon = i;
        } else if (format[i] == '}' && depth > 0 && --depth == 0 && colon > 0 && std::string("aefgAEFG").find(format[i - 1]) != std::string::npos &&
                   i - 1 > colon) {
            format.insert(i - 1, 1, 'L');
            ++i;
        }
    }
    return format;
}

} // namespace

void speak(PhraseBook book, char decimalPoint) {
    locale() = book ? std::locale(std::locale::classic(), new DecimalPoint(decimalPoint)) : std::locale::classic(); // which owns it
    s_book = book;
}

std::string wordOf(const char* english) {
    const PhraseBook book = s_book;
    return book ? book(english) : std::string(english);
}

std::string numbersOf(fmt::string_view format, fmt::format_args values) {
    return s_book ? fmt::vformat(locale(), byLocale(std::string(format.data(), format.size())), values) : fmt::vformat(format, values);
}

std::string phraseOf(fmt::string_view english, fmt::format_args values) {
    if (const PhraseBook book = s_book) {
        try {
            return fmt::vformat(locale(), byLocale(book(std::string(english.data(), english.size()).c_str())), values);
        } catch (const fmt::format_error&) { // a slip in the translation
        }
    }
    return numbersOf(english, values);
}

} // namespace caelumen

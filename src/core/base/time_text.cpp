#include "core/base/time_text.h"

#include <fmt/format.h>

#include <charconv>
#include <chrono>

namespace caelumen {
namespace {

/// Takes what a time is made of off the front of a text.
struct Cutter {
    std::string_view rest;

    std::optional<int> digits(std::size_t count) {
        if (rest.size() < count) return std::nullopt;
        int value = 0;
        for (std::size_t i = 0; i < count; ++i) {
            if (rest[i] < '0' || rest[i] > '9') return std::nullopt;
            value = 10 * value + (rest[i] - '0');
        }
        rest.remove_prefix(count);
        return value;
    }
    bool sign(char c) {
        if (!rest.starts_with(c)) return false;
        rest.remove_prefix(1);
        return true;
    }
};

} // namespace

std::optional<CivilTime> civilTime(std::string_view text) {
    Cutter cut{text};
    const auto year = cut.digits(4);
    if (!year || !cut.sign('-')) return std::nullopt;
    const auto month = cut.digits(2);
    if (!month || !cut.sign('-')) return std::nullopt;
    const auto day = cut.digits(2);
    if (!day || !cut.sign('T')) return std::nullopt;
    const auto hour = cut.digits(2);
    if (!hour || !cut.sign(':')) return std::nullopt;
    const auto minute = cut.digits(2);
    if (!minute) return std::nullopt;
    std::optional<int> second = 0;
    std::string_view fraction;
    if (cut.sign(':')) {
        second = cut.digits(2);
        if (second && cut.rest.starts_with('.')) {
            std::size_t length = 1;
            while (length < cut.rest.size() && cut.rest[length] >= '0' && cut.rest[length] <= '9') ++length;
            fraction = cut.rest.substr(0, length);
            cut.rest.remove_prefix(length);
        }
    }
    int offset = 0; // minutes east
    if (!cut.sign('Z') && !cut.rest.empty()) {
        const bool isWest = cut.rest.front() == '-';
        if (!cut.sign('+') && !cut.sign('-')) return std::nullopt;
        const auto hours = cut.digits(2);
        cut.sign(':');
        const auto minutes = cut.rest.empty() ? std::optional(0) : cut.digits(2);
        if (!hours || !minutes || *hours > 14 || *minutes > 59) return std::nullopt;
        offset = (isWest ? -1 : 1) * (60 * *hours + *minutes);
    }
    const std::chrono::year_month_day date{std::chrono::year(*year), std::chrono::month(static_cast<unsigned>(*month)),
                                           std::chrono::day(static_cast<unsigned>(*day))};
    if (!cut.rest.empty() || !date.ok() || *year < 1000 || *hour > 23 || *minute > 59 || !second || *second > 60) return std::nullopt; // 60: a leap second
    const auto moment = std::chrono::sys_days(date) + std::chrono::minutes(60 * *hour + *minute - offset);
    const auto midnight = std::chrono::floor<std::chrono::days>(moment);
    const std::chrono::year_month_day d(midnight);
    const auto minutes = static_cast<int>((moment - midnight).count());
    return CivilTime{static_cast<int>(d.year()),
                     static_cast<int>(static_cast<unsigned>(d.month())),
                     static_cast<int>(static_cast<unsigned>(d.day())),
                     minutes / 60,
                     minutes % 60,
                     *second,
                     fraction};
}

double CivilTime::seconds() const {
    if (fraction.empty()) return second;
    const std::string text = std::to_string(second) + std::string(fraction);
    double out = second;
    std::from_chars(text.data(), text.data() + text.size(), out);
    return out;
}

std::optional<std::string> utcTime(std::string_view text) {
    const auto t = civilTime(text);
    if (!t) return std::nullopt;
    return fmt::format("{:04}-{:02}-{:02}T{:02}:{:02}:{:02}{}Z", t->year, t->month, t->day, t->hour, t->minute, t->second, t->fraction);
}

} // namespace caelumen

#pragma once

#include "core/base/json.h"
#include "core/base/point.h"

#include <fmt/format.h>

#include <initializer_list>
#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace caelumen {

/// What is wrong with a file, as a sentence. Thrown by JsonFields only, and turned into an Error by `understood`.
struct BadJson {
    std::string message;
};

/// The fields of one object of a file that a person may have written. A missing or null one is no fault; one of the wrong kind or out of range is thrown as
/// BadJson, which names file and place.
class JsonFields {
public:
    /// `file` as it is shown, `place` as in "run 3" or "the site".
    JsonFields(const Json& json, std::string file, std::string place);

    [[noreturn]] void fail(const std::string& what) const; ///< "has ...", "needs ...": goes on behind the place
    const std::string& file() const { return m_file; }
    const Json* field(const char* key) const; ///< null where missing

    std::string text(const char* key, const std::string& otherwise = {}) const;
    std::string needText(const char* key) const;
    bool flag(const char* key, bool otherwise = false) const;
    std::optional<double> number(const char* key, double low = -1e300, double high = 1e300) const;
    double numberOr(const char* key, double otherwise, double low, double high) const { return number(key, low, high).value_or(otherwise); }
    std::optional<double> positive(const char* key, double high = 1e12) const; ///< above zero
    std::optional<int> whole(const char* key, int low, int high) const;
    int wholeOr(const char* key, int otherwise, int low, int high) const { return whole(key, low, high).value_or(otherwise); }
    std::optional<Point> point(const char* key) const;
    Point asPoint(const Json& json, const char* key) const;

    /// Null where missing; its entries may be anything.
    const Json* list(const char* key, std::size_t most = 10'000) const;
    std::vector<JsonFields> objects(const char* key, std::size_t most = 10'000) const; ///< entries of a list
    std::vector<std::string> texts(const char* key, std::size_t most = 10'000) const;
    /// An object without fields where it is missing; `place`, else its name.
    JsonFields object(const char* key, const std::string& place = {}) const;
    std::vector<std::pair<std::string, const Json*>> items(const char* key) const; ///< of an object whose keys are names

    /// One of some words.
    template<class T>
    T oneOf(const char* key, T otherwise, std::initializer_list<std::pair<const char*, T>> words) const {
        const std::string given = text(key);
        if (given.empty()) return otherwise;
        std::string all;
        for (const auto& [word, value] : words) {
            if (given == word) return value;
            all += (all.empty() ? "" : ", ") + std::string(word);
        }
        fail(fmt::format("has \"{}\" = \"{}\"; it must be one of {}", key, given, all));
    }

    /// Refuses what has not `key`: 1. `what`: "a trial file".
    void needFormat(const char* key, const char* what) const;

private:
    double checked(const char* key, double v, double low, double high) const;
    const Json* m_json;
    std::string m_file, m_place;
};

/// What `read` makes of a file, or the sentence that tells why it could not.
template<class T, class Read>
Result<T> understood(const std::string& name, Read read) {
    try {
        return read();
    } catch (const BadJson& bad) {
        return Error{bad.message};
    } catch (const nlohmann::json::exception& e) {
        return Error{fmt::format("{} cannot be understood ({}); correct it there.", name, e.what())};
    }
}

} // namespace caelumen

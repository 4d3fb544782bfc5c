#pragma once

#include <string>
#include <utility>
#include <variant>

namespace caelumen {

/// A failure a caller can meet: one sentence saying what is wrong, with which file, and what to do about it.
struct Error {
    std::string message;
};

/// Either a value or an Error. The core's entry points return it instead of throwing.
template<class T>
class [[nodiscard]] Result {
public:
    Result(T value)
        : m_state(std::in_place_index<0>, std::move(value)) {}
    Result(Error error)
        : m_state(std::in_place_index<1>, std::move(error)) {}

    bool ok() const { return m_state.index() == 0; }
    explicit operator bool() const { return ok(); }
    T& value() & { return std::get<0>(m_state); }
    const T& value() const& { return std::get<0>(m_state); }
    T&& value() && { return std::get<0>(std::move(m_state)); }
    T& operator*() { return value(); }
    const T& operator*() const { return value(); }
    T* operator->() { return &value(); }
    const T* operator->() const { return &value(); }
    const Error& error() const { return std::get<1>(m_state); }

private:
    std::variant<T, Error> m_state;
};

struct Done {};
using Status = Result<Done>;

} // namespace caelumen

#pragma once
#include <optional>
#include <stdexcept>
#include <string>
#include <utility>
#include <variant>

namespace topikos {

/// Why something from outside (a file, an argument, a typed value) could not be used.
/// `code` is stable and meant for tests and scripts; the other three are for people.
struct Error {
    std::string code;
    std::string message;  ///< what is wrong, with the value and the limit
    std::string where;    ///< file, line or path inside the document; may be empty
    std::string remedy;   ///< what to do about it; may be empty

    /// All of it as one line, whatever names it holds (see shownText()).
    std::string line() const;
};

/// A value or the reason there is none.
template <class T> class [[nodiscard]] Result {
public:
    Result(T value) : m_content(std::move(value)) {}
    Result(Error error) : m_content(std::move(error)) {}
    explicit operator bool() const { return m_content.index() == 0; }
    bool ok() const { return m_content.index() == 0; }
    const T& value() const&
    {
        requireValue();
        return std::get<0>(m_content);
    }
    T&& value() &&
    {
        requireValue();
        return std::get<0>(std::move(m_content));
    }
    const T& operator*() const& { return value(); }
    const T* operator->() const { return &value(); }
    const Error& error() const { return std::get<1>(m_content); }

private:
    void requireValue() const
    {
        if (!ok()) throw std::logic_error("value() of a failed Result: " + std::get<1>(m_content).line());
    }
    std::variant<T, Error> m_content;
};

/// Success, or the reason there was none.
using Status = std::optional<Error>;

/// A broken promise inside the program. Stays on in release builds; caught at the edges (edit, worker, command).
void require(bool fact, const char* statement);

}  // namespace topikos

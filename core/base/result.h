// Errors are values with plain words: what happened, where, and what to do about it.
#pragma once

#include <cassert>
#include <optional>
#include <string>
#include <utility>
#include <variant>

namespace reed {

struct Error {
    std::string what;    ///< what is wrong: a predicate of `where` ("doesn't exist.") or a whole sentence
    std::string where;   ///< file, parameter path or device; may be empty if `what` is a sentence
    std::string remedy;  ///< what the user can do, one sentence; may be empty

    /// The error as one line for a terminal or the window: "scene.json doesn't exist. Check its path."
    std::string text() const {
        std::string out = where.empty() ? what : where + (is_predicate() ? " " : ": ") + what;
        if (!remedy.empty()) out += " " + remedy;
        return out;
    }

    /// The same for an error inside `file`: "scene.json: strips[0].fader is outside -60 to 12 dB."
    std::string text(const std::string& file) const {
        return where.empty() ? Error{what, file, remedy}.text() : file + ": " + text();
    }

    /// The reason as a clause of another message about the same object: "it doesn't exist."
    std::string reason() const { return is_predicate() ? "it " + what : what; }

  private:
    bool is_predicate() const { return !what.empty() && what.front() >= 'a' && what.front() <= 'z'; }
};

/// A value or an Error. The value may only be taken after ok() was seen to be true.
template <typename T>
class [[nodiscard]] Result {
  public:
    Result(T value) : state_(std::in_place_index<0>, std::move(value)) {}      // NOLINT: implicit by design
    Result(Error error) : state_(std::in_place_index<1>, std::move(error)) {}  // NOLINT

    bool ok() const { return state_.index() == 0; }
    explicit operator bool() const { return ok(); }
    T& value() {
        assert(ok());
        return std::get<0>(state_);
    }
    const T& value() const {
        assert(ok());
        return std::get<0>(state_);
    }
    const Error& error() const {
        assert(!ok());
        return std::get<1>(state_);
    }

  private:
    std::variant<T, Error> state_;
};

/// Success or an Error.
template <>
class [[nodiscard]] Result<void> {
  public:
    Result() = default;
    Result(Error error) : error_(std::move(error)) {}  // NOLINT

    bool ok() const { return !error_; }
    explicit operator bool() const { return ok(); }
    const Error& error() const { return *error_; }

  private:
    std::optional<Error> error_;
};

}  // namespace reed

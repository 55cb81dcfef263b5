// One sentence for every failure: which file, where in it, what is wrong.
#pragma once

#include <exception>
#include <string>
#include <utility>
#include <variant>

namespace nutatio {

/// What went wrong, for a person: the file, the place in it (may be empty), and one sentence.
struct Error {
    std::string file;
    std::string place;
    std::string sentence;

    std::string text() const {
        std::string s = file;
        if (!place.empty()) s += (s.empty() ? "" : ": ") + place;
        s = s.empty() ? sentence : s + ": " + sentence;
        // Names out of files may hold anything; an error is one line.
        for (char& c : s)
            if (static_cast<unsigned char>(c) < 32) c = ' ';
        return s;
    }
};

/// What is wrong with something that is in no file.
inline Error refused(std::string sentence) {
    return {"", "", std::move(sentence)};
}

/// Thrown inside a module only; what leaves a module is a Result.
class Failure : public std::exception {
  public:
    explicit Failure(Error e) : m_error(std::move(e)), m_text(m_error.text()) {}
    Failure(std::string place, std::string sentence) : Failure(Error{{}, std::move(place), std::move(sentence)}) {}
    const char* what() const noexcept override { return m_text.c_str(); }
    const Error& error() const { return m_error; }

  private:
    Error m_error;
    std::string m_text;
};

/// The error for whatever else a library threw while `file` was read or written: too little memory, or its own words.
Error unreadable(std::string file, const std::exception& e);

/// A value, or the error that stood in its way.
template <class T>
class [[nodiscard]] Result {
  public:
    Result(T value) : m_v(std::move(value)) {}
    Result(Error error) : m_v(std::move(error)) {}
    bool ok() const { return std::holds_alternative<T>(m_v); }
    explicit operator bool() const { return ok(); }
    T& value() { return std::get<T>(m_v); }
    const T& value() const { return std::get<T>(m_v); }
    const Error& error() const { return std::get<Error>(m_v); }

  private:
    std::variant<T, Error> m_v;
};

struct Done {};

/// What `make` returns; whatever it throws is the error of that file, where it names none itself.
template <class Make>
auto ofFile(const std::string& file, const Make& make) -> Result<decltype(make())> {
    try {
        return make();
    } catch (const Failure& f) {
        Error e = f.error();
        if (e.file.empty()) e.file = file;
        return e;
    } catch (const std::exception& e) {
        return unreadable(file, e);
    }
}

}  // namespace nutatio

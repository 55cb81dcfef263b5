// Reading JSON that may be wrong: every step knows its place, and every mistake becomes one sentence.
#pragma once

#include <cstdint>
#include <nlohmann/json_fwd.hpp>
#include <string>
#include <string_view>
#include <vector>

#include "base/error.h"
#include "base/maths.h"

namespace nutatio::files {

using Json = nlohmann::ordered_json;

/// Parses text; refuses nesting deeper than 200. Throws Failure with the byte as its place.
Json parseJson(std::string_view text);
/// The text of a file: indented, and as UTF-8 whatever a name holds. Throws Failure with the place of a number that is not
/// finite, which would be written as null and refused on reading.
std::string textOf(const Json& json);

/// A JSON value with the path that led to it, such as "nodes[3].mesh".
class Place {
  public:
    Place(const Json& value, std::string path) : m_value(&value), m_path(std::move(path)) {}

    const Json& json() const { return *m_value; }
    const std::string& path() const { return m_path; }
    bool has(const char* key) const;
    /// Member `key`; Failure when it is missing.
    Place at(const char* key) const;
    Place at(std::size_t index) const;
    /// Number of elements of an array; Failure when it is none, or longer than `most`.
    std::size_t size(std::size_t most = 1u << 20) const;
    void wantObject() const;

    double number() const;
    bool boolean() const;
    const std::string& text() const;
    /// A whole number in 0 .. limit-1.
    std::size_t index(std::size_t limit, const char* of) const;
    /// A whole number >= 0.
    std::uint64_t count() const;
    /// Exactly n numbers.
    std::vector<double> numbers(std::size_t n) const;

    [[noreturn]] void fail(std::string sentence) const { throw Failure(m_path, std::move(sentence)); }

  private:
    const Json* m_value;
    std::string m_path;
};

/// While one lives, readers on its thread take the nearest usable value for one beyond a range that older versions let through,
/// and say so here; else such a value is refused.
class Leniently {
  public:
    Leniently();
    ~Leniently();
    Leniently(const Leniently&) = delete;
    Leniently& operator=(const Leniently&) = delete;
    const std::vector<std::string>& said() const { return m_said; }
    /// Throws Failure where nobody reads leniently.
    static void take(const Place& at, const std::string& sentence);

  private:
    std::vector<std::string> m_said;
    Leniently* m_outer;
};

}  // namespace nutatio::files

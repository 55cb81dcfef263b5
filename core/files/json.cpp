#include "files/json.h"

#include <nlohmann/json.hpp>
#include <utility>

namespace nutatio::files {

namespace {
void refuseDeepNesting(std::string_view text) {
    // The library copies and prints recursively, so depth is bounded before it sees the text.
    constexpr int kDeepest = 200;
    int depth = 0;
    bool quoted = false;
    for (std::size_t i = 0; i < text.size(); ++i) {
        const char c = text[i];
        if (quoted) {
            if (c == '\\') ++i;
            if (c == '"') quoted = false;
        } else if (c == '"') {
            quoted = true;
        } else if (c == '{' || c == '[') {
            if (++depth > kDeepest) throw Failure("byte " + std::to_string(i), "the JSON is nested more than 200 deep");
        } else if (c == '}' || c == ']') {
            --depth;
        }
    }
}
}  // namespace

namespace {

void refuseInfinite(const Json& j, const std::string& path) {
    if (j.is_number_float() && !std::isfinite(j.get<double>()))
        throw Failure(path, "the number is not finite; nothing was written");
    if (j.is_array())
        for (std::size_t i = 0; i < j.size(); ++i) refuseInfinite(j[i], path + "[" + std::to_string(i) + "]");
    if (j.is_object())
        for (const auto& [key, value] : j.items()) refuseInfinite(value, path.empty() ? key : path + "." + key);
}

}  // namespace

std::string textOf(const Json& json) {
    refuseInfinite(json, "");
    return json.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
}

Json parseJson(std::string_view text) {
    refuseDeepNesting(text);
    try {
        return Json::parse(text.begin(), text.end());
    } catch (const nlohmann::json::parse_error& e) {
        throw Failure("byte " + std::to_string(e.byte), "this is not valid JSON");
    } catch (const nlohmann::json::exception&) {
        throw Failure("", "this is not valid JSON (a number is out of range)");
    }
}

bool Place::has(const char* key) const {
    return m_value->is_object() && m_value->contains(key);
}

Place Place::at(const char* key) const {
    wantObject();
    if (!m_value->contains(key)) fail("\"" + std::string(key) + "\" is missing");
    return {(*m_value)[key], m_path.empty() ? key : m_path + "." + key};
}

Place Place::at(std::size_t i) const {
    if (!m_value->is_array()) fail("a list is wanted here");
    if (i >= m_value->size())
        fail("entry " + std::to_string(i + 1) + " is missing: the list has " + std::to_string(m_value->size()));
    return {(*m_value)[i], m_path + "[" + std::to_string(i) + "]"};
}

std::size_t Place::size(std::size_t most) const {
    if (!m_value->is_array()) fail("a list is wanted here");
    if (m_value->size() > most) fail("the list has more than " + std::to_string(most) + " entries");
    return m_value->size();
}

void Place::wantObject() const {
    if (!m_value->is_object()) fail("an object is wanted here");
}

double Place::number() const {
    if (!m_value->is_number()) fail("a number is wanted here");
    const double v = m_value->get<double>();
    if (!std::isfinite(v)) fail("the number is not finite");
    return v;
}

bool Place::boolean() const {
    if (!m_value->is_boolean()) fail("true or false is wanted here");
    return m_value->get<bool>();
}

const std::string& Place::text() const {
    if (!m_value->is_string()) fail("a text is wanted here");
    return m_value->get_ref<const std::string&>();
}

std::uint64_t Place::count() const {
    if (m_value->is_number_unsigned()) return m_value->get<std::uint64_t>();
    const double v = m_value->is_number() ? m_value->get<double>() : -1;
    if (!(v >= 0) || v > 9e15 || v != std::floor(v)) fail("a whole number of at least 0 is wanted here");
    return static_cast<std::uint64_t>(v);
}

std::size_t Place::index(std::size_t limit, const char* of) const {
    const std::uint64_t i = count();
    if (i >= limit)
        fail("there is no " + std::string(of) + " " + std::to_string(i) + " (the file has " + std::to_string(limit) + ")");
    return static_cast<std::size_t>(i);
}

std::vector<double> Place::numbers(std::size_t n) const {
    if (size() != n) fail("a list of " + std::to_string(n) + " numbers is wanted here");
    std::vector<double> v;
    for (std::size_t i = 0; i < n; ++i) v.push_back(at(i).number());
    return v;
}

namespace {
thread_local Leniently* t_lenient = nullptr;
}

Leniently::Leniently() : m_outer(std::exchange(t_lenient, this)) {}

Leniently::~Leniently() {
    t_lenient = m_outer;
}

void Leniently::take(const Place& at, const std::string& sentence) {
    if (!t_lenient) at.fail(sentence);
    t_lenient->m_said.push_back(at.path() + ": " + sentence + "; the nearest is used");
}

}  // namespace nutatio::files

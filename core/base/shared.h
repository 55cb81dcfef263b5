// A value that copies share until one of them is changed.
#pragma once

#include <memory>
#include <utility>

namespace nutatio {

/// Reads like a const T; `edit` gives this copy a T of its own first. Copying costs a pointer.
template <class T>
class Shared {
  public:
    Shared() : m_value(std::make_shared<T>()) {}
    Shared(T value) : m_value(std::make_shared<T>(std::move(value))) {}

    const T& operator*() const { return *m_value; }
    const T* operator->() const { return m_value.get(); }
    operator const T&() const { return *m_value; }
    T& edit() {
        if (m_value.use_count() > 1) m_value = std::make_shared<T>(*m_value);
        return *m_value;
    }

    // Of containers, as their elements are read.
    auto begin() const { return m_value->begin(); }
    auto end() const { return m_value->end(); }
    auto size() const { return m_value->size(); }
    const auto* data() const { return m_value->data(); }
    bool empty() const { return m_value->empty(); }
    decltype(auto) operator[](std::size_t i) const { return std::as_const(*m_value)[i]; }
    decltype(auto) at(std::size_t i) const { return std::as_const(*m_value).at(i); }
    decltype(auto) front() const { return std::as_const(*m_value).front(); }
    decltype(auto) back() const { return std::as_const(*m_value).back(); }

  private:
    std::shared_ptr<T> m_value;
};

}  // namespace nutatio

// A list whose copies share their elements until one of them is changed.
#pragma once

#include <algorithm>
#include <atomic>
#include <memory>
#include <utility>
#include <vector>

namespace nutatio {

/// Reads like a vector of const T. Copying costs two words an element, and two lists hold the same element exactly when their
/// pointers to it are equal: that is how a view tells what an edit changed. `edit` gives this list an element of its own first.
template <class T>
class SharedList {
  public:
    using value_type = T;
    class Iterator {
      public:
        using iterator_category = std::random_access_iterator_tag;
        using value_type = T;
        using difference_type = std::ptrdiff_t;
        using pointer = const T*;
        using reference = const T&;
        Iterator() = default;
        explicit Iterator(const std::shared_ptr<T>* at) : m_at(at) {}
        reference operator*() const { return **m_at; }
        pointer operator->() const { return m_at->get(); }
        reference operator[](difference_type n) const { return *m_at[n]; }
        Iterator& operator++() { return ++m_at, *this; }
        Iterator& operator--() { return --m_at, *this; }
        Iterator operator++(int) { return Iterator(m_at++); }
        Iterator& operator+=(difference_type n) { return m_at += n, *this; }
        friend Iterator operator+(Iterator i, difference_type n) { return i += n; }
        friend difference_type operator-(const Iterator& a, const Iterator& b) { return a.m_at - b.m_at; }
        auto operator<=>(const Iterator&) const = default;

      private:
        const std::shared_ptr<T>* m_at = nullptr;
    };

    SharedList() = default;
    SharedList(std::initializer_list<T> items) {
        for (const T& t : items) push_back(t);
    }

    std::size_t size() const { return m_items.size(); }
    bool empty() const { return m_items.empty(); }
    const T& operator[](std::size_t i) const { return *m_items[i]; }
    const T& front() const { return *m_items.front(); }
    const T& back() const { return *m_items.back(); }
    Iterator begin() const { return Iterator(m_items.data()); }
    Iterator end() const { return Iterator(m_items.data() + m_items.size()); }
    /// The element itself, to keep or to compare.
    std::shared_ptr<const T> pointer(std::size_t i) const { return m_items[i]; }

    T& edit(std::size_t i) {
        if (m_items[i].use_count() > 1) m_items[i] = std::make_shared<T>(*m_items[i]);
        // Another thread may have let go of it just now: what it read comes before what is written here.
        std::atomic_thread_fence(std::memory_order_acquire);
        return *m_items[i];
    }
    void push_back(T t) { m_items.push_back(std::make_shared<T>(std::move(t))); }
    /// Holds the very element that another list has.
    void share(const SharedList& other, std::size_t i) { m_items.push_back(other.m_items[i]); }
    void insert(std::size_t at, T t) { m_items.insert(m_items.begin() + diff(at), std::make_shared<T>(std::move(t))); }
    void erase(std::size_t at) { m_items.erase(m_items.begin() + diff(at)); }
    void clear() { m_items.clear(); }
    template <class Test>
    std::size_t eraseIf(const Test& test) {
        return std::erase_if(m_items, [&](const auto& p) { return test(std::as_const(*p)); });
    }
    /// Takes the element out and puts it back so that it stands at `to`.
    void move(std::size_t from, std::size_t to) {
        auto p = m_items[from];
        m_items.erase(m_items.begin() + diff(from));
        m_items.insert(m_items.begin() + diff(to), std::move(p));
    }
    template <class Test>
    std::size_t find(const Test& test) const {
        return static_cast<std::size_t>(
            std::find_if(m_items.begin(), m_items.end(), [&](const auto& p) { return test(std::as_const(*p)); }) -
            m_items.begin());
    }

  private:
    static std::ptrdiff_t diff(std::size_t i) { return static_cast<std::ptrdiff_t>(i); }
    std::vector<std::shared_ptr<T>> m_items;
};

}  // namespace nutatio

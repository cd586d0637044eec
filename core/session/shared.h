// A value that copies share until one of them is changed: snapshots of a session cost what differs between
// them.
#pragma once

#include <memory>
#include <utility>

namespace cask::session {

template <class T> class Shared {
  public:
    Shared() : m_value(std::make_shared<const T>()) {}
    Shared(T value) : m_value(std::make_shared<const T>(std::move(value))) {}

    const T& operator*() const { return *m_value; }
    const T* operator->() const { return m_value.get(); }
    /// Replaces the value by a changed copy; other holders keep the old one.
    template <class Change> void edit(Change&& change) {
        T copy = *m_value;
        std::forward<Change>(change)(copy);
        m_value = std::make_shared<const T>(std::move(copy));
    }
    [[nodiscard]] bool sharesWith(const Shared& other) const { return m_value == other.m_value; }
    friend bool operator==(const Shared& a, const Shared& b) { return a.sharesWith(b) || *a == *b; }

  private:
    std::shared_ptr<const T> m_value;
};

} // namespace cask::session

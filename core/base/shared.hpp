// Large values that are copied often and changed seldom.
#pragma once
#include <cstddef>
#include <memory>
#include <utility>

namespace nb {

/// A container whose copies share its memory until one of them is edited. Read like the container itself; of
/// several threads, any may read and copy, and one that edits works on a copy of its own.
template <typename T>
class Shared {
  public:
    Shared() = default;
    Shared(T value) : value_(std::make_shared<T>(std::move(value))) {}

    const T& get() const { return value_ ? *value_ : nothing(); }
    operator const T&() const { return get(); }
    const T* operator->() const { return &get(); }
    /// To be changed: an own copy when others share it.
    T& edit() {
        if (!value_) value_ = std::make_shared<T>();
        if (value_.use_count() != 1) value_ = std::make_shared<T>(*value_);
        return *value_;
    }
    /// True when both are one and the same memory.
    bool shares_with(const Shared& other) const { return value_ == other.value_; }

    decltype(auto) operator[](size_t i) const { return get()[i]; }
    auto begin() const { return get().begin(); }
    auto end() const { return get().end(); }
    auto size() const { return get().size(); }
    bool empty() const { return get().empty(); }
    auto data() const { return get().data(); }
    bool operator==(const Shared& other) const { return shares_with(other) || get() == other.get(); }

  private:
    std::shared_ptr<T> value_;

    static const T& nothing() {
        static const T none;
        return none;
    }
};

}  // namespace nb

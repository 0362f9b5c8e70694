// A value whose copies share storage until one is replaced; equality looks at the pointer first.
#pragma once

#include <memory>
#include <utility>

namespace ivrin {

template <class T> class Shared {
 public:
  Shared()
      : p_(std::make_shared<const T>()) {}
  Shared(T value)
      : p_(std::make_shared<const T>(std::move(value))) {}
  const T& operator*() const { return *p_; }
  const T* operator->() const { return p_.get(); }
  /// Identity of the storage; equal pointers mean equal values, not the other way round.
  const T* get() const { return p_.get(); }
  friend bool operator==(const Shared& a, const Shared& b) { return a.p_ == b.p_ || *a.p_ == *b.p_; }

 private:
  std::shared_ptr<const T> p_;
};

} // namespace ivrin

// A value that is worked out when it is first asked for.
#pragma once
#include <atomic>
#include <memory>

namespace renth {

/// Part of an immutable object that not every use of it needs. Several threads may ask at once: then each may
/// work it out, and all get the one that was ready first, so that `make` must always give the same.
template <class T>
class Lazily {
 public:
  Lazily() = default;
  ~Lazily() { delete value_.load(); }
  Lazily(const Lazily&) = delete;
  Lazily& operator=(const Lazily&) = delete;

  template <class Make>
  const T& get(const Make& make) const {
    if (const T* known = value_.load(std::memory_order_acquire)) return *known;
    auto made = std::make_unique<const T>(make());
    const T* first = nullptr;
    if (value_.compare_exchange_strong(first, made.get(), std::memory_order_acq_rel)) first = made.release();
    return *first;
  }

 private:
  mutable std::atomic<const T*> value_{nullptr};
};

}  // namespace renth

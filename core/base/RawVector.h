#pragma once
/// Large arrays that several threads fill.
#include <memory>
#include <vector>

namespace um {

/// Leaves new elements as the memory comes.
template <class T>
struct RawAllocator : std::allocator<T> {
    template <class U>
    struct rebind {
        using other = RawAllocator<U>;
    };

    template <class U>
    void construct(U* at) noexcept {
        ::new (static_cast<void*>(at)) U;
    }

    template <class U, class... Arguments>
    void construct(U* at, Arguments&&... arguments) {
        ::new (static_cast<void*>(at)) U(std::forward<Arguments>(arguments)...);
    }
};

/// A vector whose new elements have no value until they are given one: so the threads that do are the first to touch
/// its pages, and no single one goes through all of them before.
template <class T>
using RawVector = std::vector<T, RawAllocator<T>>;

}  // namespace um

#pragma once
/// Large arrays without initialisation, to be filled by several threads.
#include <memory>
#include <vector>

namespace um {

/// An allocator that does not initialise new elements.
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

/// A vector whose new elements are uninitialised. The threads that fill it are then the first to touch its pages, and
/// no single thread clears all of them before.
template <class T>
using RawVector = std::vector<T, RawAllocator<T>>;

}  // namespace um

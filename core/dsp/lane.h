// Lanes: up to eight mono channels side by side, frame by frame, so that one instruction serves them all.
#pragma once

#include <array>
#include <cstddef>
#include <new>
#include <vector>

namespace cask::dsp {

/// Channels in a group. Sound in a group is interleaved: sample of lane l at frame n is data[n * kLanes + l].
inline constexpr int kLanes = 8;
inline constexpr std::size_t kLaneAlignment = 64;

/// One value for each lane.
struct alignas(32) LaneFloats {
    std::array<float, kLanes> v{};
    float& operator[](int lane) { return v[static_cast<std::size_t>(lane)]; }
    float operator[](int lane) const { return v[static_cast<std::size_t>(lane)]; }
    [[nodiscard]] float* data() { return v.data(); }
    [[nodiscard]] const float* data() const { return v.data(); }
};

template <class T> struct AlignedAllocator {
    using value_type = T;
    AlignedAllocator() = default;
    template <class U> AlignedAllocator(const AlignedAllocator<U>&) noexcept {}
    [[nodiscard]] T* allocate(std::size_t n) {
        return static_cast<T*>(::operator new (n * sizeof(T), std::align_val_t{kLaneAlignment}));
    }
    void deallocate(T* p, std::size_t) noexcept { ::operator delete (p, std::align_val_t{kLaneAlignment}); }
    friend bool operator==(const AlignedAllocator&, const AlignedAllocator&) { return true; }
};

/// Sound of a group: frames * kLanes floats.
using LaneBuffer = std::vector<float, AlignedAllocator<float>>;

} // namespace cask::dsp

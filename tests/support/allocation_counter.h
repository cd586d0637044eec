// Counts allocations on the calling thread: proof that real-time code makes none.
#pragma once

namespace cask::test {

/// While one lives, every operator new and delete of this thread counts.
class AllocationCounter {
  public:
    AllocationCounter();
    AllocationCounter(const AllocationCounter&) = delete;
    AllocationCounter& operator=(const AllocationCounter&) = delete;
    ~AllocationCounter();
    [[nodiscard]] static long count();
};

} // namespace cask::test

#include "base/Parallel.h"

#include <oneapi/tbb/blocked_range.h>
#include <oneapi/tbb/parallel_for.h>

namespace um {

void runRanges(std::size_t count, std::size_t grain, LoopBody body) {
    tbb::parallel_for(
        tbb::blocked_range<std::size_t>(0, count, grain),
        [body](const tbb::blocked_range<std::size_t>& range) { body.call(body.body, range.begin(), range.end()); });
}

}  // namespace um

#include "reduce/PlaneBatch.h"

#include <cmath>

namespace um {

#ifdef __x86_64__
[[gnu::target_clones("avx2", "default")]]
#endif
void findPlanes(PlaneBatch& batch) {
    for (std::size_t i = 0; i < PlaneBatch::size; ++i) {
        const double x = batch.nextY[i] * batch.lastZ[i] - batch.nextZ[i] * batch.lastY[i];
        const double y = batch.nextZ[i] * batch.lastX[i] - batch.nextX[i] * batch.lastZ[i];
        const double z = batch.nextX[i] * batch.lastY[i] - batch.nextY[i] * batch.lastX[i];
        const double length = std::sqrt(x * x + (y * y + z * z));
        batch.normalX[i] = x / length;
        batch.normalY[i] = y / length;
        batch.normalZ[i] = z / length;
        batch.area[i] = length / 2;
    }
}

}  // namespace um

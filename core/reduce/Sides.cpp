#include "reduce/Sides.h"

#include <cmath>

namespace um {

#ifdef __x86_64__
[[gnu::target_clones("avx2", "default")]]
#endif
void findPlanes(const Sides& sides, Planes& planes) {
    for (std::size_t i = 0; i < Sides::size; ++i) {
        const double x = sides.aY[i] * sides.bZ[i] - sides.aZ[i] * sides.bY[i];
        const double y = sides.aZ[i] * sides.bX[i] - sides.aX[i] * sides.bZ[i];
        const double z = sides.aX[i] * sides.bY[i] - sides.aY[i] * sides.bX[i];
        const double length = std::sqrt(x * x + (y * y + z * z));
        planes.x[i] = x / length;
        planes.y[i] = y / length;
        planes.z[i] = z / length;
        planes.area[i] = length / 2;
    }
}

}  // namespace um

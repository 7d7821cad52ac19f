#include "chain/Halvings.h"

#include <algorithm>
#include <cmath>

namespace um {

std::vector<Reduction> halvings(const Mesh& source, std::size_t triangles, const ReduceSettings& settings,
                                const Progress& progress) {
    Reduction reduction(source, 1, settings, progress.span(0, 0.1));
    std::vector<Reduction> places;
    const double steps = std::log2(double(triangles));
    std::size_t before = triangles;
    while (before > 4) {
        progress.at(0.1 + 0.9 * double(places.size()) / steps);
        reduction.reduceTo(std::max<std::size_t>(1, before / 2), progress.span(0, 0));
        // Where it cannot go farther, that shows at some target or other.
        if (reduction.triangles() >= before) break;
        before = reduction.triangles();
        places.push_back(reduction);
    }
    return places;
}

}  // namespace um

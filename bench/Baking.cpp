#include "bench/Baking.h"

#include "bake/Bake.h"
#include "base/Units.h"
#include "bench/Figures.h"
#include "bench/PlainRays.h"
#include "demo/CoralHead.h"
#include "demo/DiversLamp.h"
#include "demo/StorageJar.h"
#include "mesh/Normals.h"
#include "reduce/Reduce.h"

#include <cstdio>
#include <numeric>

namespace um::bench {

void unwrapping(int runs) {
    // It is over so soon that what else goes on in the machine decides: many runs, each beside the yardstick, which
    // tells how quick the machine was.
    constexpr std::size_t sorted = 250'000;
    constexpr double leastSeconds = 5;
    std::printf(
        "Sheets of 2048 x 2048, 8 px of padding, medians of %d runs or as many as take %.0f s; sort: three keys for "
        "each of 250 k triangles; goals: 1 s a 10 k, stretch 1.15, fill 80 %%\n",
        runs, leastSeconds);
    const auto say = [&](const char* name, const Mesh& source) {
        for (const std::size_t target : {2000, 12000, 40000}) {
            const Mesh level = reduceMesh(source, target, {}, Progress()).mesh;
            Unwrapped unwrapped;
            const TakenByOthers byOthers;
            std::vector<double> took, ratios;
            for (double all = 0; int(took.size()) < runs || all < leastSeconds; all += took.back()) {
                const double yardstick = sortSeconds(sorted);
                took.push_back(secondsOf([&] { unwrapped = unwrap(level, {}, Progress()); }));
                ratios.push_back(took.back() / yardstick);
            }
            const double seconds = median(took);
            const double goal = double(target) / 10000;
            const double fill = 100 * unwrapped.fill;
            std::printf(
                "  %-12s at %6s   %6.3f s, goal %.1f (%s), %.2fx sort   stretch %.3f (%s)   fill %.1f %% (%s)   %zu "
                "charts   %.0f %% of the time taken by others\n",
                name, formatCount(target).c_str(), seconds, goal, verdict(seconds <= goal), median(ratios),
                unwrapped.stretch.mean, verdict(unwrapped.stretch.mean <= 1.15), fill, verdict(fill >= 80),
                unwrapped.charts, 100 * byOthers.share());
        }
    };
    say("diver's lamp", demo::makeDiversLamp());
    say("storage jar", demo::makeStorageJar());
}

void baking(std::size_t triangles) {
    const Mesh source = demo::makeCoralHead(triangles);
    const Mesh level = reduceMesh(source, 12000, {}, Progress()).mesh;
    std::printf("Baking, coral head of %s triangles to 12,000, 2048 x 2048, 4 samples a texel\n",
                formatCount(source.triangleCount()).c_str());
    Unwrapped unwrapped;
    const double unwrapping = secondsOf([&] { unwrapped = unwrap(level, {}, Progress()); });
    std::printf("  %-44s %7.3f s   %zu charts, stretch %.3f, fill %.1f %%\n", "unwrap and pack", unwrapping,
                unwrapped.charts, unwrapped.stretch.mean, 100 * unwrapped.fill);
    Mesh dressed = unwrapped.mesh;
    makeNormals(dressed, 50, unwrapped.chartOf);
    std::vector<std::string> notes;
    const SurfaceMaterial material(source, notes);
    const Cage cage = makeCage(source, level, {}, Progress());
    std::vector<TriangleId> all(dressed.triangleCount());
    std::iota(all.begin(), all.end(), TriangleId(0));
    Sheet sheet;
    const double transferring =
        secondsOf([&] { sheet = transfer(material, dressed, all, cage, TransferSettings(), Progress()); });
    const std::size_t rays = 2 * 4 * sheet.covered;
    const double casting = secondsOfPlainRays(source, level, rays);
    std::printf("  %-44s %7.3f s   %5.2fx as many plain rays   goal 4.00x   %s\n", "transfer, all channels",
                transferring, transferring / casting, verdict(transferring <= 4 * casting));
}

}  // namespace um::bench

// umesh-bench: how fast and how close the program is, as ratios to yardsticks that run in the same process.
#include "base/Error.h"
#include "base/Units.h"
#include "bench/Baking.h"
#include "bench/Figures.h"
#include "bench/Textbook.h"
#include "chain/Chain.h"
#include "chain/ClosestAt.h"
#include "demo/CoralHead.h"
#include "demo/StorageJar.h"
#include "files/MeshFile.h"
#include "measure/Deviation.h"
#include "measure/Silhouette.h"
#include "mesh/Normals.h"
#include "reduce/Reduce.h"

#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>
#include <algorithm>
#include <CLI/CLI.hpp>
#include <cstdio>
#include <filesystem>

namespace um::bench {
namespace {

void say(const char* what, double seconds, double yardstick, double goal) {
    const double ratio = seconds / yardstick;
    std::printf("  %-44s %7.3f s   %5.2fx sort   goal %.2fx   %s\n", what, seconds, ratio, goal,
                verdict(ratio <= goal));
}

// Peak memory of a piece of work in a process of its own, in bytes.
double peakBytes(const std::function<void()>& work) {
    const pid_t child = ::fork();
    if (child == 0) {
        work();
        ::_exit(0);
    }
    int status = 0;
    rusage usage{};
    ::wait4(child, &status, 0, &usage);
    return double(usage.ru_maxrss) * 1024;
}

void speed(std::size_t triangles, int runs) {
    const Mesh coral = demo::makeCoralHead(triangles);
    const std::size_t count = coral.triangleCount();
    std::printf("Speed, coral head of %s triangles, median of %d runs\n", formatCount(count).c_str(), runs);
    std::vector<double> sorting;
    for (int i = 0; i < runs; ++i) sorting.push_back(sortSeconds(count));
    const double yardstick = median(sorting);
    std::printf("  %-44s %7.3f s\n", "std::sort of 3 random keys a triangle", yardstick);
    const auto folder = std::filesystem::temp_directory_path();
    for (const char* extension : {".stl", ".ply"}) {
        const std::filesystem::path file = folder / ("umesh-bench-" + std::to_string(::getpid()) + extension);
        writeMesh(coral, file, Progress());
        const double seconds = medianSeconds(runs, [&] { readMesh(file, Progress()); });
        std::filesystem::remove(file);
        say((std::string("read and weld binary ") + (extension + 1)).c_str(), seconds, yardstick, 0.75);
    }
    Mesh level;
    ReduceSettings plain;
    plain.polish = false;
    const double reducing =
        medianSeconds(runs, [&] { level = reduceMesh(coral, count / 100, plain, Progress()).mesh; });
    say("reduce to 1 %", reducing, yardstick, 2);
    const double polished = medianSeconds(runs, [&] { reduceMesh(coral, count / 100, {}, Progress()); });
    std::printf("  %-44s %7.3f s   %5.2fx sort\n", "the same, polished", polished, polished / yardstick);
    Mesh dressed = coral;
    for (const Vec3f& p : dressed.positions) dressed.uvs.emplace_back(p.x() * 2, p.z() * 2);
    makeNormals(dressed, 180);
    plain.normals = NormalTreatment::Keep;
    const double withAttributes =
        medianSeconds(runs, [&] { reduceMesh(dressed, count / 100, plain, Progress()); }) / reducing;
    std::printf("  %-44s %5.2fx without   goal 1.60x   %s\n", "with UVs and normals in the metric", withAttributes,
                verdict(withAttributes <= 1.6));
    DeviationSettings settings;
    settings.samples = count / 2;
    const double measuring = medianSeconds(runs, [&] { measureDeviation(coral, level, settings, Progress()); });
    say("two-sided deviation of the 1 % level", measuring, yardstick, 1);
    const double outlines =
        medianSeconds(runs, [&] { measureSilhouette(coral, level, SilhouetteSettings(), Progress()); });
    std::printf("  %-44s %7.3f s   %5.2fx that deviation\n", "outlines from 98 directions at 512 px", outlines,
                outlines / measuring);
    const auto sayChain = [](const char* what, double all, double first) {
        std::printf("  %-44s %7.3f s   %5.2fx its first level   goal 1.50x   %s\n", what, all, all / first,
                    verdict(all <= 1.5 * first));
    };
    Recipe five;
    five.levels = levelsByRatio("20%", 0.3, 5);
    const auto reduceTo = [&](std::size_t levels) {
        std::size_t target = count / 5;
        Reduction reduction(coral, std::size_t(double(target) * std::pow(0.3, 4)), {}, Progress());
        for (std::size_t i = 0; i < levels; ++i, target = target * 3 / 10) {
            reduction.reduceTo(target, Progress());
            reduction.mesh(Progress());
        }
    };
    const double first = medianSeconds(runs, [&] { reduceTo(1); });
    sayChain("a chain of five from 20 %, reduced", medianSeconds(runs, [&] { reduceTo(5); }), first);
    sayChain("the same, each from the level before",
             medianSeconds(runs,
                           [&] {
                               Mesh before = coral;
                               std::size_t target = count / 5;
                               for (int i = 0; i < 5; ++i, target = target * 3 / 10)
                                   before = reduceMesh(before, target, {}, Progress()).mesh;
                           }),
             first);
    Recipe one = five;
    one.levels.resize(1);
    sayChain("a chain of five with all evidence",
             medianSeconds(runs,
                           [&] {
                               makeChain({coral, {}}, five, {}, Progress());
                           }),
             medianSeconds(runs, [&] {
                 makeChain({coral, {}}, one, {}, Progress());
             }));
}

// Must run before anything starts threads: it forks.
void memory(std::size_t triangles) {
    const double alone = peakBytes([&] { demo::makeCoralHead(triangles); });
    std::printf("Memory, coral head of %s triangles\n  making it peaks at %.0f bytes a triangle\n",
                formatCount(triangles).c_str(), alone / double(triangles));
    for (const double share : {0.23, 0.055, 0.01}) {
        const double bytes = peakBytes([&] {
                                 const Mesh coral = demo::makeCoralHead(triangles);
                                 reduceMesh(coral, std::size_t(share * double(triangles)), {}, Progress());
                             }) /
                             double(triangles);
        std::printf("  reducing it to %4.1f %% peaks at %.0f   goal 150   %s\n", 100 * share, bytes,
                    verdict(bytes <= 150));
    }
}

void quality(const char* name, const Mesh& source, int runs) {
    std::printf("Quality, %s of %s triangles, against the textbook's heap\n", name,
                formatCount(source.triangleCount()).c_str());
    for (const double share : {0.23, 0.055, 0.013, 0.0023}) {
        const auto target = std::size_t(share * double(source.triangleCount()));
        const TakenByOthers byOthers;
        ReduceSettings settings;
        Mesh plain, polished, textbook;
        settings.polish = false;
        const double plainSeconds =
            medianSeconds(runs, [&] { plain = reduceMesh(source, target, settings, Progress()).mesh; });
        settings.polish = true;
        const double polishedSeconds =
            medianSeconds(runs, [&] { polished = reduceMesh(source, target, settings, Progress()).mesh; });
        const double textbookSeconds = secondsOf([&] { textbook = reduceByTextbook(source, target); });
        const double taken = byOthers.share();
        Mesh closest;
        const double closestSeconds =
            secondsOf([&] { closest = closestAt(source, target, settings, Progress()).mesh; });
        const Deviation yardstick = measureDeviation(source, textbook, {}, Progress());
        const auto sayOf = [&](const char* how, const Mesh& level, double seconds) {
            const Deviation d = measureDeviation(source, level, {}, Progress());
            std::printf("  %5.2f %% %-9s rms %.2fx (%s)   max %.2fx (%s)   speed %.1fx (%.2f s)\n", 100 * share, how,
                        d.rms / yardstick.rms, formatLength(d.rms).c_str(), d.max / yardstick.max,
                        formatLength(d.max).c_str(), textbookSeconds / seconds, seconds);
        };
        sayOf("plain", plain, plainSeconds);
        sayOf("polished", polished, polishedSeconds);
        sayOf("thorough", closest, closestSeconds);
        std::printf("                    %.0f %% of the time taken by others\n", 100 * taken);
    }
}

}  // namespace
}  // namespace um::bench

int main(int argc, char** argv) {
    using namespace um;
    CLI::App app("Measures the yardsticks of the design. Build type for measuring: Release.");
    std::vector<std::string> sizes = {"250k", "1M"};
    int runs = 3;
    app.add_option("--triangles", sizes, "sizes of the coral head")->delimiter(',')->capture_default_str();
    app.add_option("--runs", runs, "of which the median is told")->capture_default_str();
    bool withQuality = true;
    app.add_flag("!--no-quality", withQuality, "leave the comparison with the textbook out");
    bool withSpeed = true;
    app.add_flag("!--no-speed", withSpeed, "leave speed and memory out");
    bool withBaking = true;
    app.add_flag("!--no-baking", withBaking, "leave sheets and baking out");
    CLI11_PARSE(app, argc, argv);
    try {
        std::vector<std::size_t> counts;
        for (const std::string& size : sizes) counts.push_back(parseCount(size));
        if (withSpeed) {
            for (const std::size_t triangles : counts) bench::memory(triangles);
            for (const std::size_t triangles : counts) bench::speed(triangles, runs);
        }
        if (withBaking) {
            bench::unwrapping(runs);
            for (const std::size_t triangles : counts) bench::baking(triangles);
        }
        if (!withQuality) return 0;
        for (const std::size_t triangles : counts) bench::quality("coral head", demo::makeCoralHead(triangles), runs);
        Mesh jar = demo::makeStorageJar();
        jar.wedges.clear();
        jar.uvs.clear();
        bench::quality("storage jar without UVs", jar, runs);
    } catch (const Error& error) {
        std::fprintf(stderr, "umesh-bench: %s\n", error.what());
        return 1;
    }
    return 0;
}

#include "bake/Unwrap.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace um {
namespace {

// The mean over a chart, as the square root of that of the areas.
std::vector<double> chartWeights(const std::vector<Chart>& charts, const std::vector<float>& weights) {
    std::vector<double> result(charts.size(), 1);
    if (weights.empty()) return result;
    for (std::size_t c = 0; c < charts.size(); ++c) {
        double sum = 0, area = 0;
        for (std::size_t i = 0; i < charts[c].triangles.size(); ++i) {
            const Triangle& t = charts[c].patch.triangles[i];
            const auto place = [&](std::size_t k) { return charts[c].patch.positions[t[k]]; };
            const double own = areaNormal(place(0), place(1), place(2)).norm() + 1e-30;
            const double weight = weights[charts[c].triangles[i]];
            sum += own * weight * weight;
            area += own;
        }
        result[c] = std::sqrt(sum / area);
    }
    return result;
}

// Charts that are a share of all sheets would not fit on one of several.
ChartSettings forOneSheet(const Mesh& mesh, const UnwrapSettings& settings) {
    constexpr double usualFill = 0.75;
    const PackSettings& pack = settings.pack;
    ChartSettings charts = settings.charts;
    charts.sheets = pack.sheets;
    charts.padding = double(pack.padding) / pack.size;
    if (pack.texelsPerUnit > 0) {
        double area = 0;
        for (TriangleId t = 0; t < mesh.triangleCount(); ++t) area += triangleArea(mesh, t);
        const double side = pack.size / pack.texelsPerUnit;
        charts.sheets = std::max(1.0, area / (side * side * usualFill));
        const float weight = settings.weights.empty() ? 1 : *std::ranges::max_element(settings.weights);
        charts.mostReach = (pack.size - pack.padding) / (pack.texelsPerUnit * std::max(1e-30F, weight));
    }
    return charts;
}

}  // namespace

Unwrapped unwrap(const Mesh& mesh, const UnwrapSettings& settings, const Progress& progress) {
    requireSound(mesh, "the mesh to unwrap");
    const std::vector<Chart> charts = cutIntoCharts(mesh, forOneSheet(mesh, settings), progress.span(0, 0.6));
    std::vector<const FlatPatch*> patches;
    for (const Chart& chart : charts) patches.push_back(&chart.patch);
    const std::vector<double> weights = chartWeights(charts, settings.weights);
    PackSettings pack = settings.pack;
    if (!settings.weights.empty()) pack.leeway = 0;  // who is told how much it gets, gets just that
    const Packing packing = packCharts(patches, weights, pack, progress.span(0.6, 1));
    std::vector<double> sizes;
    for (std::size_t c = 0; c < charts.size(); ++c) sizes.push_back(packing.charts[c].texelsPerUnit / weights[c]);

    Unwrapped result;
    result.charts = charts.size();
    result.sheets = packing.sheets;
    result.stretch = stretchOf(patches, sizes);
    result.fill = packing.fill;
    result.texelsPerUnit = packing.texelsPerUnit;
    result.chartOf.resize(mesh.triangleCount());
    Mesh& out = result.mesh;
    out = mesh;
    // A wedge for each vertex of a chart and each set of what it carried before.
    out.wedges.assign(mesh.triangleCount(), {});
    forWedgeAttributes(out, [](auto& attribute) { attribute.clear(); });
    for (std::size_t c = 0; c < charts.size(); ++c) {
        result.sheetOf.push_back(packing.charts[c].sheet);
        std::map<std::pair<std::uint32_t, WedgeId>, WedgeId> numberOf;
        for (std::size_t i = 0; i < charts[c].triangles.size(); ++i) {
            const TriangleId t = charts[c].triangles[i];
            result.chartOf[t] = std::uint32_t(c);
            for (std::size_t k = 0; k < 3; ++k) {
                const std::uint32_t vertex = charts[c].patch.triangles[i][k];
                const WedgeId before = mesh.hasAttributes() ? mesh.wedgesOf(t)[k] : 0;
                const auto [found, isNew] = numberOf.try_emplace({vertex, before}, WedgeId(out.uvs.size()));
                out.wedges[t][k] = found->second;
                if (!isNew) continue;
                // Rounding may carry what lies on the rim a hair beyond it.
                const Vec2d place = packing.charts[c].place(charts[c].patch.flat[vertex]) / settings.pack.size;
                out.uvs.push_back(place.cwiseMax(0.0).cwiseMin(1.0).cast<float>());
                if (!mesh.normals.empty()) out.normals.push_back(mesh.normals[before]);
                if (!mesh.colors.empty()) out.colors.push_back(mesh.colors[before]);
                if (!mesh.secondUvs.empty()) out.secondUvs.push_back(mesh.secondUvs[before]);
            }
        }
    }
    progress.at(1);
    return result;
}

}  // namespace um

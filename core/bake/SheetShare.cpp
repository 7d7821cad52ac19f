#include "bake/SheetShare.h"

#include "base/Error.h"
#include "base/Parallel.h"
#include "base/Units.h"
#include "draw/DepthMap.h"
#include "draw/Picture.h"
#include "mesh/UvMap.h"

#include <cmath>
#include <numeric>

namespace um {
namespace {

constexpr std::pair<SheetShare, std::string_view> names[] = {
    {SheetShare::Density, "density"}, {SheetShare::Area, "area"}, {SheetShare::Seen, "seen"}};

// What is hardly seen keeps a tenth of the texels that its area alone would give it.
constexpr double leastWeight = 0.1, mostWeight = 30;
// Pictures by which it is told what is seen.
constexpr int directions = 26, pixels = 384;
constexpr double leastFactor = 0.05, mostFactor = 20;

// How many texels of its largest texture lie on each triangle.
std::vector<double> texelsOn(const Mesh& mesh) {
    std::vector<double> texels(mesh.triangleCount(), 0);
    if (mesh.uvs.empty()) return texels;
    for (const Section& section : mesh.sections) {
        Eigen::Vector2d size(0, 0);
        forTextureUses(mesh.materials[section.material], [&](const TextureUse& use) {
            if (!use || use.second) return;
            const Texture& texture = mesh.textures[std::size_t(use.texture)];
            if (double(texture.width) * texture.height > size.prod()) size = {texture.width, texture.height};
        });
        if (!(size.prod() > 0)) continue;
        for (std::size_t t = section.firstTriangle; t < section.firstTriangle + section.triangleCount; ++t) {
            const UvScale scale = uvScale(mesh, TriangleId(t), mesh.uvs, size);
            const double own = scale.area * scale.most * scale.least;
            if (std::isfinite(own)) texels[t] = own;
        }
    }
    return texels;
}

}  // namespace

SheetShare parseSheetShare(std::string_view text) {
    for (const auto& [share, name] : names)
        if (name == text) return share;
    throw InputError("\"" + std::string(text) + "\" is no way to share out a sheet: type density, area or seen.");
}

std::string_view nameOf(SheetShare share) {
    return std::find_if(std::begin(names), std::end(names), [&](const auto& name) { return name.first == share; })
        ->second;
}

std::vector<double> seenSamples(const Mesh& mesh, const Progress& progress) {
    std::vector<double> samples(mesh.triangleCount(), 0);
    // What light passes through hides nothing: what lies behind it is drawn by itself.
    std::vector<std::uint8_t> isClear(mesh.triangleCount(), 0);
    std::vector<TriangleId> solidTriangles;
    Mesh solid;
    for (const Section& section : mesh.sections)
        for (std::uint32_t i = 0; i < section.triangleCount; ++i) {
            const TriangleId t = section.firstTriangle + i;
            isClear[t] = mesh.materials[section.material].alpha == Material::Alpha::Blend ? 1 : 0;
            if (isClear[t] == 0) solidTriangles.push_back(t);
        }
    const bool hasClear = solidTriangles.size() < mesh.triangleCount();
    if (hasClear) {
        solid.positions = mesh.positions;
        for (const TriangleId t : solidTriangles) solid.triangles.push_back(mesh.triangles[t]);
    }
    const Box3f box = boundingBox(mesh);
    int done = 0;
    for (const Mat3d& turn : evenDirections(directions)) {
        progress.at(double(done++) / directions);
        const FlatView view{turn, box.center().cast<double>(), pixels / std::max(1e-30, diagonal(mesh))};
        for (const TriangleId t : drawTriangles(mesh, view, pixels, pixels, 1).triangles)
            if (t != TriangleMap::nothing && (!hasClear || isClear[t] != 0)) ++samples[t];
        if (!hasClear) continue;
        for (const TriangleId t : drawTriangles(solid, view, pixels, pixels, 1).triangles)
            if (t != TriangleMap::nothing) ++samples[solidTriangles[t]];
    }
    return samples;
}

std::vector<float> exposureOf(const Mesh& mesh, const std::vector<double>& seenSamples) {
    // What lies open is seen from half of all directions, at half its size on average.
    const double samplesPerArea = directions / 4.0 * std::pow(pixels / std::max(1e-30, diagonal(mesh)), 2);
    std::vector<float> exposure(mesh.triangleCount(), 1);
    for (std::size_t t = 0; t < exposure.size(); ++t)
        if (const double most = samplesPerArea * triangleArea(mesh, TriangleId(t)); most > 0)
            exposure[t] = float(std::min(1.0, seenSamples[t] / most));
    return exposure;
}

std::vector<float> shareWeights(const Mesh& mesh, SheetShare share, const std::vector<PartFactor>& factors,
                                const Progress& progress) {
    std::vector<float> weights(mesh.triangleCount(), 1);
    if (share != SheetShare::Area) {
        const std::vector<double> wanted = share == SheetShare::Seen ? seenSamples(mesh, progress) : texelsOn(mesh);
        double all = 0, area = 0;  // of what is wanted at all
        for (std::size_t t = 0; t < weights.size(); ++t) {
            if (share == SheetShare::Density && !(wanted[t] > 0)) continue;
            all += wanted[t];
            area += triangleArea(mesh, TriangleId(t));
        }
        for (std::size_t t = 0; t < weights.size() && all > 0; ++t) {
            if (share == SheetShare::Density && !(wanted[t] > 0)) continue;
            const double own = triangleArea(mesh, TriangleId(t));
            weights[t] =
                float(own > 0 ? std::clamp(std::sqrt((wanted[t] / all) / (own / area)), leastWeight, mostWeight)
                              : leastWeight);
        }
    }
    for (const PartFactor& factor : factors) {
        if (!(factor.factor >= leastFactor && factor.factor <= mostFactor))
            throw InputError("A part's factor goes from " + formatNumber(leastFactor) + " to " +
                             formatNumber(mostFactor) + "; that of " + factor.part + " does not.");
        bool isThere = false;
        for (const Section& section : mesh.sections) {
            if (mesh.parts[section.part].name != factor.part) continue;
            isThere = true;
            for (std::size_t t = section.firstTriangle; t < section.firstTriangle + section.triangleCount; ++t)
                weights[t] *= float(factor.factor);
        }
        if (!isThere) throw InputError("There is no part " + factor.part + " that could have more or fewer texels.");
    }
    return weights;
}

std::vector<PartShare> partShares(const Mesh& mesh, const std::vector<double>& seenSamples) {
    std::vector<PartShare> shares;
    for (const Part& part : mesh.parts) shares.push_back({part.name, 0, 0});
    double sheet = 0, all = 0;
    for (const Section& section : mesh.sections)
        for (std::size_t t = section.firstTriangle; t < section.firstTriangle + section.triangleCount; ++t) {
            const Triangle& w = mesh.wedgesOf(TriangleId(t));
            const Vec2d ab = (mesh.uvs[w[1]] - mesh.uvs[w[0]]).cast<double>();
            const Vec2d ac = (mesh.uvs[w[2]] - mesh.uvs[w[0]]).cast<double>();
            const double own = std::abs(ab.x() * ac.y() - ab.y() * ac.x());
            if (std::isfinite(own)) shares[section.part].sheet += own;
            shares[section.part].seen += seenSamples[t];
        }
    for (const PartShare& share : shares) {
        sheet += share.sheet;
        all += share.seen;
    }
    for (PartShare& share : shares) {
        share.sheet = sheet > 0 ? share.sheet / sheet : 0;
        share.seen = all > 0 ? share.seen / all : 0;
    }
    return shares;
}

std::vector<Finding> findHogs(const std::vector<PartShare>& shares) {
    std::vector<Finding> findings;
    for (const PartShare& share : shares) {
        if (!share.isHog()) continue;
        Finding& finding = findings.emplace_back();
        finding.fault = Fault::SheetHog;
        finding.count = 1;
        finding.detail = share.part + " takes " + formatNumber(100 * share.sheet) + " % of the sheet, but is only " +
                         formatNumber(100 * share.seen) + " % of what is seen";
    }
    return findings;
}

}  // namespace um

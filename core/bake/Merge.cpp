#include "bake/Merge.h"

#include "base/Error.h"
#include "base/Units.h"
#include "mesh/Connectivity.h"
#include "mesh/Normals.h"

#include <cmath>
#include <map>
#include <numeric>
#include <set>

namespace um {
namespace {

constexpr double withSmallerCopies = 4.0 / 3;

// A piece of UVs that hangs together, or what shows one colour only.
struct Island {
    std::vector<TriangleId> triangles;
    Patch patch;                          // flat in texels of its own textures
    std::vector<std::uint32_t> vertexOf;  // of the patch, for each corner of the triangles
    bool isSwatch = false;
};

Vec2d largestTexture(const Mesh& mesh, const Material& material) {
    Vec2d size(0, 0);
    forTextureUses(material, [&](const TextureUse& use) {
        if (!use || use.second) return;
        const Texture& texture = mesh.textures[std::size_t(use.texture)];
        if (double(texture.width) * texture.height > size.x() * size.y()) size = Vec2d(texture.width, texture.height);
    });
    return size;
}

double uvArea(const Mesh& mesh, TriangleId t) {
    const Triangle& w = mesh.wedgesOf(t);
    const Vec2d ab = (mesh.uvs[w[1]] - mesh.uvs[w[0]]).cast<double>(),
                ac = (mesh.uvs[w[2]] - mesh.uvs[w[0]]).cast<double>();
    return ab.x() * ac.y() - ab.y() * ac.x();
}

class Merger {
public:
    Merger(const Mesh& mesh, const MergeSettings& settings) : m_mesh(mesh), m_settings(settings) {
        for (const std::uint16_t s : sectionOfTriangles(mesh)) m_materialOf.push_back(mesh.sections[s].material);
        for (const Material& material : mesh.materials) m_sizes.push_back(largestTexture(mesh, material));
    }

    Merged merge(const Progress& progress) {
        findSameUvs();
        findIslands();
        progress.at(0.1);
        std::vector<const Patch*> patches;
        for (const Island& island : m_islands) patches.push_back(&island.patch);
        PackSettings packing;
        packing.size = m_settings.sheet;
        packing.padding = m_settings.padding;
        const Packing packed = packCharts(patches, weights(progress.span(0.1, 0.2)), packing, progress.span(0.2, 0.4));
        Merged merged;
        merged.islands = m_islands.size();
        merged.fill = packed.fill;
        merged.density = packed.texelsPerUnit;
        merged.mesh = laidOut(packed);
        if (merged.mesh.normals.empty()) makeNormals(merged.mesh, 180);
        const SurfaceMaterial source(m_mesh, merged.notes);
        TransferSettings transferring;
        transferring.size = m_settings.sheet;
        transferring.samples = m_settings.samples;
        Sheet sheet = repaint(source, merged.mesh, transferring, progress.span(0.4, 0.9));
        paintSwatches(source, packed, sheet);
        dilate(sheet);
        dress(merged.mesh, sheet, m_settings.channels, m_settings.joinParts, progress.span(0.9, 1));
        say(merged);
        return merged;
    }

private:
    // Normals may part where UVs do not: of the wedges of a vertex with one place in the texture the first stands for
    // all.
    void findSameUvs() {
        m_sameUv.resize(std::max(m_mesh.wedgeCount(), m_mesh.vertexCount()));
        std::iota(m_sameUv.begin(), m_sameUv.end(), 0u);
        if (m_mesh.uvs.empty()) return;
        std::vector<std::array<WedgeId, 2>> ofVertex;  // vertex and wedge
        for (TriangleId t = 0; t < m_mesh.triangleCount(); ++t)
            for (std::size_t k = 0; k < 3; ++k) ofVertex.push_back({m_mesh.triangles[t][k], m_mesh.wedgesOf(t)[k]});
        std::sort(ofVertex.begin(), ofVertex.end());
        for (std::size_t begin = 0, i = 0; i < ofVertex.size(); ++i) {
            if (ofVertex[i][0] != ofVertex[begin][0]) begin = i;
            for (std::size_t j = begin; j < i; ++j)
                if (m_mesh.uvs[ofVertex[j][1]] == m_mesh.uvs[ofVertex[i][1]]) {
                    m_sameUv[ofVertex[i][1]] = m_sameUv[ofVertex[j][1]];
                    break;
                }
        }
    }

    // Triangles that share a place in their texture, have one material and lie the same way round belong together.
    void findIslands() {
        const std::size_t count = m_mesh.triangleCount();
        std::vector<std::uint32_t> parent(count);
        std::iota(parent.begin(), parent.end(), 0u);
        const auto find = [&](std::uint32_t i) {
            while (parent[i] != i) i = parent[i] = parent[parent[i]];
            return i;
        };
        std::map<std::pair<std::uint32_t, int>, std::uint32_t> swatches;  // by material and texel
        std::vector<std::array<std::uint32_t, 2>> seen(m_mesh.wedgeCount(), {notYet, notYet});
        std::vector<std::uint8_t> isSwatch(count, 0);
        for (std::uint32_t t = 0; t < count; ++t) {
            const double area = m_mesh.uvs.empty() ? 0 : uvArea(m_mesh, t);
            const Vec2d& size = m_sizes[m_materialOf[t]];
            const double texels = std::abs(area) * size.x() * size.y();
            if (!(texels > 1e-9) || !std::isfinite(texels)) {
                isSwatch[t] = 1;
                const auto [place, isNew] = swatches.try_emplace({m_materialOf[t], texelOf(t)}, t);
                if (!isNew) parent[find(t)] = find(place->second);
                continue;
            }
            for (const WedgeId w : m_mesh.wedgesOf(t)) {
                std::uint32_t& before = seen[m_sameUv[w]][area > 0 ? 0 : 1];
                if (before != notYet && m_materialOf[before] == m_materialOf[t]) {
                    const std::uint32_t a = find(before), b = find(t);
                    parent[std::max(a, b)] = std::min(a, b);
                }
                before = t;
            }
        }
        std::map<std::uint32_t, std::uint32_t> numberOf;
        for (std::uint32_t t = 0; t < count; ++t) {
            const auto [place, isNew] = numberOf.try_emplace(find(t), std::uint32_t(m_islands.size()));
            if (isNew) m_islands.emplace_back();
            m_islands[place->second].triangles.push_back(t);
            m_islands[place->second].isSwatch = isSwatch[t] != 0;
        }
        double total = 0;
        for (Island& island : m_islands)
            if (!island.isSwatch) total += layAsItIs(island);
        // A few texels, however the sheet is scaled.
        const double side = std::max(1e-3, 0.006 * std::sqrt(std::max(total, 1.0)));
        for (Island& island : m_islands)
            if (island.isSwatch) island.patch = square(side);
    }

    // Where a triangle without any room in its texture looks.
    int texelOf(std::uint32_t t) const {
        const Vec2d& size = m_sizes[m_materialOf[t]];
        if (m_mesh.uvs.empty() || !(size.x() > 0)) return 0;
        const Vec2f& uv = m_mesh.uvs[m_mesh.wedgesOf(t)[0]];
        const auto within = [](double v) { return std::isfinite(v) ? v - std::floor(v) : 0.0; };
        return int(within(double(uv.x())) * size.x()) + 65536 * int(within(double(uv.y())) * size.y() / 2);
    }

    // @returns its area in texels
    double layAsItIs(Island& island) const {
        const Vec2d& size = m_sizes[m_materialOf[island.triangles.front()]];
        const double side = uvArea(m_mesh, island.triangles.front()) > 0 ? 1 : -1;
        std::map<WedgeId, std::uint32_t> numberOf;
        double area = 0;
        for (const TriangleId t : island.triangles) {
            Triangle corners{};
            for (std::size_t k = 0; k < 3; ++k) {
                const WedgeId w = m_sameUv[m_mesh.wedgesOf(t)[k]];
                const auto [place, isNew] = numberOf.try_emplace(w, std::uint32_t(island.patch.flat.size()));
                corners[k] = place->second;
                island.vertexOf.push_back(place->second);
                if (!isNew) continue;
                const Vec2d uv = m_mesh.uvs[w].cast<double>().cwiseProduct(size);
                island.patch.flat.emplace_back(side * uv.x(), uv.y());
                island.patch.positions.push_back(m_mesh.positions[m_mesh.triangles[t][k]].cast<double>());
            }
            island.patch.triangles.push_back(corners);
            area += std::abs(uvArea(m_mesh, t)) * size.x() * size.y() / 2;
        }
        return area;
    }

    static Patch square(double side) {
        Patch patch;
        for (const Vec2d& corner : {Vec2d(0, 0), Vec2d(side, 0), Vec2d(side, side), Vec2d(0, side)}) {
            patch.flat.push_back(corner);
            patch.positions.emplace_back(corner.x(), corner.y(), 0.0);
        }
        patch.triangles = {{0, 1, 2}, {0, 2, 3}};
        return patch;
    }

    std::vector<double> weights(const Progress& progress) const {
        std::vector<double> result(m_islands.size(), 1);
        if (m_settings.share == SheetShare::Density) return result;
        const std::vector<double> wanted = m_settings.share == SheetShare::Seen ? seenAreas(progress) : areas();
        double sum = 0, texels = 0;
        std::vector<double> flat(m_islands.size(), 0);
        for (std::size_t i = 0; i < m_islands.size(); ++i) {
            if (m_islands[i].isSwatch) continue;
            flat[i] = stretchOf(m_islands[i].patch).flatArea;
            sum += wanted[i];
            texels += flat[i];
        }
        // What is hardly seen keeps a tenth of the texels that its area alone would give it.
        constexpr double least = 0.1, most = 30;
        for (std::size_t i = 0; i < m_islands.size(); ++i)
            if (!m_islands[i].isSwatch && sum > 0 && flat[i] > 0)
                result[i] = std::clamp(std::sqrt((wanted[i] / sum) / (flat[i] / texels)), least, most);
        return result;
    }

    std::vector<double> areas() const {
        std::vector<double> result;
        for (const Island& island : m_islands) result.push_back(stretchOf(island.patch).area);
        return result;
    }

    std::vector<double> seenAreas(const Progress& progress) const {
        const std::vector<double> ofTriangle = seenSamples(m_mesh, progress);
        std::vector<double> result;
        for (const Island& island : m_islands) {
            result.push_back(0);
            for (const TriangleId t : island.triangles) result.back() += ofTriangle[t];
        }
        return result;
    }

    // The same triangles in the same order, with wedges of their own for each island.
    Mesh laidOut(const Packing& packed) const {
        Mesh out = m_mesh;
        out.wedges.assign(m_mesh.triangleCount(), {});
        out.uvs.clear();
        out.normals.clear();
        out.secondUvs.clear();
        out.colors.clear();
        for (std::size_t i = 0; i < m_islands.size(); ++i) {
            const Island& island = m_islands[i];
            std::map<std::pair<std::uint32_t, WedgeId>, WedgeId> numberOf;
            for (std::size_t j = 0; j < island.triangles.size(); ++j) {
                const TriangleId t = island.triangles[j];
                for (std::size_t k = 0; k < 3; ++k) {
                    const std::uint32_t vertex = island.isSwatch ? 0 : island.vertexOf[3 * j + k];
                    const WedgeId before = m_mesh.hasAttributes() ? m_mesh.wedgesOf(t)[k] : m_mesh.triangles[t][k];
                    const auto [place, isNew] = numberOf.try_emplace({vertex, before}, WedgeId(out.uvs.size()));
                    out.wedges[t][k] = place->second;
                    if (!isNew) continue;
                    const Vec2d flat = island.isSwatch ? middleOf(island.patch) : island.patch.flat[vertex];
                    out.uvs.push_back((packed.charts[i].place(flat) / m_settings.sheet).cast<float>());
                    if (!m_mesh.normals.empty()) out.normals.push_back(m_mesh.normals[before]);
                }
            }
        }
        return out;
    }

    static Vec2d middleOf(const Patch& square) { return (square.flat[0] + square.flat[2]) / 2; }

    void paintSwatches(const SurfaceMaterial& source, const Packing& packed, Sheet& sheet) const {
        for (std::size_t i = 0; i < m_islands.size(); ++i) {
            const Island& island = m_islands[i];
            if (!island.isSwatch) continue;
            const SheetTexel texel = texelOf(source.look(island.triangles.front(), Vec3f::Constant(1.0f / 3)));
            Eigen::AlignedBox2d box;
            for (const Vec2d& corner : island.patch.flat) box.extend(packed.charts[i].place(corner));
            const auto within = [&](double v) { return std::clamp(int(v), 0, sheet.size - 1); };
            for (int y = within(box.min().y()); y <= within(box.max().y()); ++y)
                for (int x = within(box.min().x()); x <= within(box.max().x()); ++x) {
                    const std::size_t place = sheet.placeOf(x, sheet.size - 1 - y);
                    sheet.texels[place] = texel;
                    sheet.states[place] = Sheet::State::Hit;
                }
        }
    }

    static SheetTexel texelOf(const SurfaceLook& look) {
        SheetTexel texel;
        texel.baseColor = look.baseColor;
        texel.emission = look.emission;
        texel.opacity = look.opacity;
        texel.metallic = look.metallic;
        texel.roughness = look.roughness;
        texel.occlusion = look.occlusion;
        texel.normal = Vec3f::UnitZ();
        return texel;
    }

    void say(Merged& merged) const {
        const double percent = 100 * merged.density;
        if (m_settings.share == SheetShare::Density && percent < 97)
            merged.notes.push_back("Textures are drawn at " + formatNumber(percent) +
                                   " % of the texels that they have along a side; a larger sheet keeps more.");
        if (merged.mesh.materials.size() > 1)
            merged.notes.push_back(
                std::to_string(merged.mesh.materials.size()) +
                " materials share the sheet: what is transparent, cut out or seen from both sides is "
                "drawn in another way than the rest.");
        std::set<std::uint32_t> unrolled;
        for (const Island& island : m_islands) {
            if (island.isSwatch) continue;
            Eigen::AlignedBox2d box;
            for (const Vec2d& p : island.patch.flat) box.extend(p);
            const std::uint32_t material = m_materialOf[island.triangles.front()];
            const Vec2d& size = m_sizes[material];
            if (box.sizes().x() > 1.01 * size.x() || box.sizes().y() > 1.01 * size.y()) unrolled.insert(material);
        }
        for (const std::uint32_t material : unrolled)
            merged.notes.push_back("The texture of " + m_mesh.materials[material].name +
                                   " repeats; it is unrolled, which takes as many texels as it repeats.");
        if (!m_mesh.secondUvs.empty())
            merged.notes.push_back("The second set of UVs is left out; what went by it is in the sheet.");
    }

    static constexpr std::uint32_t notYet = 0xffffffffu;

    const Mesh& m_mesh;
    const MergeSettings m_settings;
    std::vector<std::uint32_t> m_materialOf;
    std::vector<Vec2d> m_sizes;     // of the largest texture of each material
    std::vector<WedgeId> m_sameUv;  // for each wedge
    std::vector<Island> m_islands;
};

}  // namespace

MaterialCost materialCostOf(const Mesh& mesh) {
    MaterialCost cost;
    std::set<std::uint32_t> materials;
    std::set<int> textures;
    for (const Section& section : mesh.sections) {
        if (section.triangleCount == 0) continue;
        ++cost.drawCalls;
        materials.insert(section.material);
        forTextureUses(mesh.materials[section.material], [&](const TextureUse& use) {
            if (use) textures.insert(use.texture);
        });
    }
    cost.materials = materials.size();
    cost.textures = textures.size();
    for (const int t : textures)
        cost.textureBytes +=
            4.0 * mesh.textures[std::size_t(t)].width * mesh.textures[std::size_t(t)].height * withSmallerCopies;
    return cost;
}

MaterialCost predictMerge(const Mesh& mesh, const MergeSettings& settings) {
    using Kind = std::tuple<Material::Alpha, bool, float>;
    std::set<Kind> kinds;
    std::set<std::pair<std::uint32_t, Kind>> draws;
    bool shines = false;
    for (const Section& section : mesh.sections) {
        if (section.triangleCount == 0) continue;
        const Material& m = mesh.materials[section.material];
        const Material::Alpha alpha = settings.channels.opacity ? m.alpha : Material::Alpha::Opaque;
        const Kind kind(alpha, m.doubleSided, alpha == Material::Alpha::Mask ? m.alphaCutoff : 0.5f);
        kinds.insert(kind);
        draws.emplace(settings.joinParts ? 0 : section.part, kind);
        shines = shines || m.emissionTexture || m.emission != std::array<float, 3>{0, 0, 0};
    }
    MaterialCost cost;
    cost.materials = kinds.size();
    cost.drawCalls = draws.size();
    cost.textures = std::size_t(settings.channels.baseColor) + std::size_t(settings.channels.normal) +
                    std::size_t(settings.channels.metallicRoughness || settings.channels.occlusion) +
                    std::size_t(settings.channels.emission && shines);
    cost.textureBytes = double(cost.textures) * 4 * settings.sheet * settings.sheet * withSmallerCopies;
    return cost;
}

Merged mergeMaterials(const Mesh& mesh, const MergeSettings& settings, const Progress& progress) {
    requireSound(mesh, "the mesh");
    Merged merged = Merger(mesh, settings).merge(progress);
    progress.at(1);
    return merged;
}

}  // namespace um

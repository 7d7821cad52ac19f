#include "bake/Merge.h"

#include "bake/AlikeMaterials.h"
#include "base/Error.h"
#include "base/Units.h"
#include "mesh/Connectivity.h"
#include "mesh/Materials.h"
#include "mesh/Normals.h"
#include "mesh/UvCharts.h"

#include <cmath>
#include <map>
#include <numeric>
#include <set>

namespace um {
namespace {

// A piece of UVs that hangs together, or what shows one colour only.
struct Island {
    std::vector<TriangleId> triangles;
    FlatPatch patch;                      // flat in texels of its own textures
    std::vector<std::uint32_t> vertexOf;  // of the patch, for each corner of the triangles
    bool isSwatch = false;
    int sheet = 0;
};

class Merger {
public:
    Merger(const Mesh& mesh, const MergeSettings& settings)
        : m_mesh(mesh),
          m_settings(settings),
          m_sheetOf(sheetsOfMaterials(mesh, settings)),
          m_sheets(countOf(m_sheetOf)) {
        for (const std::uint16_t s : sectionOfTriangles(mesh)) m_materialOf.push_back(mesh.sections[s].material);
        for (const Material& material : mesh.materials) m_sizes.push_back(largestTexture(mesh, material));
        for (const std::uint32_t material : m_materialOf) m_keepsSome = m_keepsSome || m_sheetOf[material] == leftOut;
    }

    std::vector<MergedSheet> layOut(const Progress& progress) {
        if (m_sheets == 0) throw InputError("No material is to go on a sheet; put some on one.");
        findSameUvs();
        findIslands();
        progress.at(0.2);
        return pack(progress.span(0.2, 1));
    }

    Merged merge(const Progress& progress) {
        Merged merged;
        merged.sheets = layOut(progress.span(0, 0.4));
        merged.islands = m_islands.size();
        merged.mesh = laidOut();
        if (merged.mesh.normals.empty()) makeNormals(merged.mesh, 180);
        const SurfaceMaterial source(m_mesh, merged.notes);
        TransferSettings transferring;
        transferring.size = m_settings.sheet;
        transferring.samples = m_settings.samples;
        std::vector<int> sheetOf;
        for (const std::uint32_t material : m_materialOf) sheetOf.push_back(m_sheetOf[material]);
        Mesh dressed = merged.mesh;
        Dressing dressing(dressed, sheetOf, m_sheets, m_settings.dress);
        const std::vector<std::vector<TriangleId>> lying = trianglesBySheet(sheetOf, m_sheets);
        for (int i = 0; i < m_sheets; ++i) {
            const Progress own = progress.span(0.4 + 0.6 * i / m_sheets, 0.4 + 0.6 * (i + 1) / m_sheets);
            Sheet sheet = repaint(source, merged.mesh, lying[std::size_t(i)], transferring, own.span(0, 0.85));
            paintSwatches(source, i, sheet);
            dilate(sheet);
            dressing.add(sheet, own.span(0.85, 1));
        }
        dressing.finish();
        merged.mesh = std::move(dressed);
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
            if (m_sheetOf[m_materialOf[t]] == leftOut) continue;
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
            if (m_sheetOf[m_materialOf[t]] == leftOut) continue;
            const auto [place, isNew] = numberOf.try_emplace(find(t), std::uint32_t(m_islands.size()));
            if (isNew) m_islands.emplace_back();
            m_islands[place->second].triangles.push_back(t);
            m_islands[place->second].isSwatch = isSwatch[t] != 0;
            m_islands[place->second].sheet = m_sheetOf[m_materialOf[t]];
        }
        double total = 0;
        for (Island& island : m_islands)
            if (!island.isSwatch) total += layAsItIs(island);
        // A few texels, however the sheet is scaled.
        const double side = std::max(1e-3, 0.006 * std::sqrt(std::max(total, 1.0)));
        for (Island& island : m_islands)
            if (island.isSwatch) island.patch = square(side);
    }

    std::vector<MergedSheet> pack(const Progress& progress) {
        std::vector<MergedSheet> sheets;
        const std::vector<double> all = weights(progress.span(0, 0.2));
        m_placed.resize(m_islands.size());
        PackSettings packing;
        packing.size = m_settings.sheet;
        packing.padding = m_settings.padding;
        for (int sheet = 0; sheet < m_sheets; ++sheet) {
            std::vector<const FlatPatch*> patches;
            std::vector<double> own;
            std::vector<std::size_t> numbers;
            for (std::size_t i = 0; i < m_islands.size(); ++i) {
                if (m_islands[i].sheet != sheet) continue;
                patches.push_back(&m_islands[i].patch);
                own.push_back(all[i]);
                numbers.push_back(i);
            }
            const Packing packed = packCharts(
                patches, own, packing, progress.span(0.2 + 0.8 * sheet / m_sheets, 0.2 + 0.8 * (sheet + 1) / m_sheets));
            for (std::size_t i = 0; i < numbers.size(); ++i) m_placed[numbers[i]] = packed.charts[i];
            sheets.push_back({packed.fill, packed.texelsPerUnit});
        }
        return sheets;
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

    static FlatPatch square(double side) {
        FlatPatch patch;
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
    Mesh laidOut() const {
        Mesh out = m_mesh;
        out.wedges.assign(m_mesh.triangleCount(), {});
        forWedgeAttributes(out, [](auto& attribute) { attribute.clear(); });
        const bool keepsSecond = m_keepsSome && !m_mesh.secondUvs.empty(),
                   keepsColors = m_keepsSome && !m_mesh.colors.empty();
        const auto wedgeBefore = [&](TriangleId t, std::size_t k) {
            return m_mesh.hasAttributes() ? m_mesh.wedgesOf(t)[k] : m_mesh.triangles[t][k];
        };
        const auto add = [&](WedgeId before, const Vec2f& uv, bool isOnSheet) {
            out.uvs.push_back(uv);
            if (!m_mesh.normals.empty()) out.normals.push_back(m_mesh.normals[before]);
            if (keepsSecond) out.secondUvs.push_back(m_mesh.secondUvs[before]);
            if (keepsColors) out.colors.push_back(isOnSheet ? Color{255, 255, 255, 255} : m_mesh.colors[before]);
        };
        for (std::size_t i = 0; i < m_islands.size(); ++i) {
            const Island& island = m_islands[i];
            std::map<std::pair<std::uint32_t, WedgeId>, WedgeId> numberOf;
            for (std::size_t j = 0; j < island.triangles.size(); ++j) {
                const TriangleId t = island.triangles[j];
                for (std::size_t k = 0; k < 3; ++k) {
                    const std::uint32_t vertex = island.isSwatch ? 0 : island.vertexOf[3 * j + k];
                    const WedgeId before = wedgeBefore(t, k);
                    const auto [place, isNew] = numberOf.try_emplace({vertex, before}, WedgeId(out.uvs.size()));
                    out.wedges[t][k] = place->second;
                    if (!isNew) continue;
                    const Vec2d flat = island.isSwatch ? middleOf(island.patch) : island.patch.flat[vertex];
                    add(before, (m_placed[i].place(flat) / m_settings.sheet).cast<float>(), true);
                }
            }
        }
        std::map<WedgeId, WedgeId> kept;
        for (TriangleId t = 0; t < m_mesh.triangleCount(); ++t) {
            if (m_sheetOf[m_materialOf[t]] != leftOut) continue;
            for (std::size_t k = 0; k < 3; ++k) {
                const WedgeId before = wedgeBefore(t, k);
                const auto [place, isNew] = kept.try_emplace(before, WedgeId(out.uvs.size()));
                out.wedges[t][k] = place->second;
                if (isNew) add(before, m_mesh.uvs.empty() ? Vec2f(Vec2f::Zero()) : m_mesh.uvs[before], false);
            }
        }
        return out;
    }

    static Vec2d middleOf(const FlatPatch& square) { return (square.flat[0] + square.flat[2]) / 2; }

    void paintSwatches(const SurfaceMaterial& source, int number, Sheet& sheet) const {
        for (std::size_t i = 0; i < m_islands.size(); ++i) {
            const Island& island = m_islands[i];
            if (!island.isSwatch || island.sheet != number) continue;
            const PackedTexel texel(texelOf(source.look(island.triangles.front(), Vec3f::Constant(1.0f / 3))));
            Eigen::AlignedBox2d box;
            for (const Vec2d& corner : island.patch.flat) box.extend(m_placed[i].place(corner));
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
        for (std::size_t i = 0; i < merged.sheets.size() && m_settings.share == SheetShare::Density; ++i)
            if (const double percent = 100 * merged.sheets[i].density; percent < 97)
                merged.notes.push_back((m_sheets > 1 ? "On sheet " + std::to_string(i + 1) + " textures" : "Textures") +
                                       " are drawn at " + formatNumber(percent) +
                                       " % of the texels that they have along a side; a larger sheet keeps more.");
        std::set<std::uint32_t> kept;
        for (const std::uint32_t material : m_materialOf)
            if (m_sheetOf[material] == leftOut) kept.insert(material);
        for (const std::uint32_t material : kept)
            merged.notes.push_back(m_mesh.materials[material].name +
                                   " keeps its own textures, and is drawn by itself.");
        if (merged.mesh.materials.size() > std::size_t(m_sheets) + kept.size())
            merged.notes.push_back(std::to_string(merged.mesh.materials.size() - kept.size()) +
                                   (m_sheets > 1 ? " materials share the sheets" : " materials share the sheet") +
                                   ": what is transparent, cut out or seen from both sides is drawn in another way "
                                   "than the rest.");
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
        if (!m_mesh.secondUvs.empty() && !m_keepsSome)
            merged.notes.push_back("The second set of UVs is left out; what went by it is in the sheet.");
    }

    static constexpr std::uint32_t notYet = 0xffffffffu;

    const Mesh& m_mesh;
    const MergeSettings m_settings;
    const std::vector<int> m_sheetOf;  // of each material
    const int m_sheets;
    bool m_keepsSome = false;  // whether any triangle lies on no sheet
    std::vector<std::uint32_t> m_materialOf;
    std::vector<Vec2d> m_sizes;     // of the largest texture of each material
    std::vector<WedgeId> m_sameUv;  // for each wedge
    std::vector<Island> m_islands;
    std::vector<PlacedChart> m_placed;  // of each island
};

}  // namespace

std::vector<int> sheetsOfMaterials(const Mesh& mesh, const MergeSettings& settings) {
    std::vector<int> sheetOf = settings.sheetOf;
    sheetOf.resize(mesh.materials.size(), settings.sheetOf.empty() ? 0 : leftOut);
    const std::vector<std::uint8_t> isUsed = usedMaterials(mesh);
    std::set<int> numbers;
    for (std::size_t m = 0; m < sheetOf.size(); ++m)
        if (isUsed[m] != 0 && sheetOf[m] >= 0) numbers.insert(sheetOf[m]);
    for (int& sheet : sheetOf) {
        const auto place = numbers.find(sheet);
        sheet = place == numbers.end() ? leftOut : int(std::distance(numbers.begin(), place));
    }
    return sheetOf;
}

Vec2d largestTexture(const Mesh& mesh, const Material& material) {
    Vec2d size(0, 0);
    forTextureUses(material, [&](const TextureUse& use) {
        if (!use || use.second) return;
        const Texture& texture = mesh.textures[std::size_t(use.texture)];
        if (double(texture.width) * texture.height > size.x() * size.y()) size = Vec2d(texture.width, texture.height);
    });
    return size;
}

int countOf(const std::vector<int>& sheetOf) {
    return sheetOf.empty() ? 0 : *std::max_element(sheetOf.begin(), sheetOf.end()) + 1;
}

std::vector<MergedSheet> layOutMerge(const Mesh& mesh, const MergeSettings& settings, const Progress& progress) {
    requireSound(mesh, "the mesh");
    const Mesh joined = withStandIns(mesh, settings.alike);
    return Merger(joined, settings).layOut(progress);
}

Merged mergeMaterials(const Mesh& mesh, const MergeSettings& settings, const Progress& progress) {
    requireSound(mesh, "the mesh");
    Merged merged;
    Mesh joined = withStandIns(mesh, settings.alike);
    if (countOf(sheetsOfMaterials(joined, settings)) == 0 && !settings.alike.empty())
        merged.mesh = std::move(joined);
    else
        merged = Merger(joined, settings).merge(progress);
    progress.at(1);
    return merged;
}

}  // namespace um

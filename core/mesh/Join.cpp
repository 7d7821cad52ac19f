#include "mesh/Join.h"

#include "mesh/Normals.h"

namespace um {
namespace {

void nameWedges(Mesh& mesh) {
    if (mesh.wedges.empty()) mesh.wedges = mesh.triangles;
}

template <class Value>
void append(std::vector<Value>& to, const std::vector<Value>& from, std::size_t toCount, std::size_t fromCount,
            const Value& without) {
    if (to.empty() && from.empty()) return;
    to.resize(toCount, without);
    to.insert(to.end(), from.begin(), from.end());
    to.resize(toCount + fromCount, without);
}

std::size_t cornersCarry(const Mesh& mesh) {
    return mesh.hasAttributes() ? mesh.wedgeCount() : mesh.vertexCount();
}

}  // namespace

void joinTo(Mesh& mesh, Mesh other) {
    convertUnit(other, mesh.metresPerUnit);
    constexpr double creaseDegrees = 180;
    if (mesh.normals.empty() && !other.normals.empty()) makeNormals(mesh, creaseDegrees);
    if (other.normals.empty() && !mesh.normals.empty()) makeNormals(other, creaseDegrees);
    nameWedges(mesh);
    nameWedges(other);
    const std::size_t own = cornersCarry(mesh), others = cornersCarry(other);
    append(mesh.normals, other.normals, own, others, Vec3f(Vec3f::UnitZ()));
    append(mesh.uvs, other.uvs, own, others, Vec2f(Vec2f::Zero()));
    append(mesh.secondUvs, other.secondUvs, own, others, Vec2f(Vec2f::Zero()));
    append(mesh.colors, other.colors, own, others, Color{255, 255, 255, 255});
    const auto appendNumbers = [](std::vector<Triangle>& to, const std::vector<Triangle>& from, std::size_t offset) {
        for (Triangle triangle : from) {
            for (std::uint32_t& number : triangle) number += std::uint32_t(offset);
            to.push_back(triangle);
        }
    };
    const auto firstTriangle = TriangleId(mesh.triangleCount());
    appendNumbers(mesh.triangles, other.triangles, mesh.vertexCount());
    appendNumbers(mesh.wedges, other.wedges, own);
    mesh.positions.insert(mesh.positions.end(), other.positions.begin(), other.positions.end());
    for (Section section : other.sections) {
        section.part += std::uint32_t(mesh.parts.size());
        section.material += std::uint32_t(mesh.materials.size());
        section.firstTriangle += firstTriangle;
        mesh.sections.push_back(section);
    }
    for (Material material : other.materials) {
        forTextureUses(material, [&](TextureUse& use) {
            if (use) use.texture += int(mesh.textures.size());
        });
        mesh.materials.push_back(std::move(material));
    }
    mesh.textures.insert(mesh.textures.end(), other.textures.begin(), other.textures.end());
    mesh.parts.insert(mesh.parts.end(), other.parts.begin(), other.parts.end());
    mesh.influences.clear();
    mesh.skeleton.clear();
    mesh.morphs.clear();
}

}  // namespace um

#pragma once
/// A triangle mesh with parts, materials and attributes that may differ from corner to corner.
///
/// Positions and attributes have separate indices: `triangles` indexes positions, `wedges` indexes the attribute values
/// of the corners. A UV seam or a hard edge therefore never opens the surface: the position is shared, the wedges
/// differ.
#include "base/Math.h"

#include <array>
#include <cstdint>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

namespace um {

using VertexId = std::uint32_t;
using TriangleId = std::uint32_t;
using WedgeId = std::uint32_t;
inline constexpr std::uint32_t noIndex = ~std::uint32_t(0);  ///< no vertex, triangle or wedge

/// Three indices, counter-clockwise seen from outside.
using Triangle = std::array<std::uint32_t, 3>;

/// Linear 8-bit RGBA.
using Color = std::array<std::uint8_t, 4>;

/// Skinning weights of a vertex for at most four joints. They sum to 1; unused ones are 0.
struct Influences {
    std::array<std::uint16_t, 4> joints{};
    std::array<float, 4> weights{};

    bool operator==(const Influences&) const = default;
};

/// A joint of a skeleton. Matrices are column-major, as in glTF.
struct Joint {
    std::string name;
    int parent = -1;  ///< -1 for a root
    std::array<float, 16> local{};
    std::array<float, 16> inverseBind{};
};

/// A morph target (blend shape).
struct Morph {
    std::string name;
    std::vector<Vec3f> offsets;  ///< one for each vertex
};

/// An image file as it was read, and its wrap mode. It is decoded only where it is used.
struct Texture {
    enum class Wrap : std::uint8_t { Repeat, Mirror, Clamp };

    std::string name;
    std::string mimeType;                      ///< image/png or image/jpeg
    std::shared_ptr<const std::string> bytes;  ///< shared by all meshes derived from one
    int width = 0, height = 0;                 ///< in texels
    int bits = 8;                              ///< of each value
    Wrap wrapU = Wrap::Repeat, wrapV = Wrap::Repeat;
};

/// A material's texture for one of its properties.
struct TextureUse {
    int texture = -1;     ///< in the mesh's list; -1 for none
    bool second = false;  ///< goes by the second set of UVs
    float strength = 1;   ///< of a normal map, or of occlusion

    explicit operator bool() const { return texture >= 0; }
};

/// The glTF metallic-roughness model. Colours are linear, and multiplied by their textures.
struct Material {
    /// The alpha mode.
    enum class Alpha : std::uint8_t { Opaque, Mask, Blend };

    std::string name;
    TextureUse baseColorTexture, normalTexture, metallicRoughnessTexture, occlusionTexture, emissionTexture;
    std::array<float, 4> baseColor = {0.8f, 0.8f, 0.8f, 1.0f};
    float metallic = 0;
    float roughness = 0.8f;
    std::array<float, 3> emission = {0, 0, 0};
    bool doubleSided = false;
    Alpha alpha = Alpha::Opaque;
    float alphaCutoff = 0.5f;  ///< of Mask: below it nothing is drawn
};

/// A named piece of the model: a group of an OBJ, a node of a glTF.
struct Part {
    std::string name;
};

/// A run of triangles of one part and one material: one draw call.
struct Section {
    std::uint32_t part = 0;
    std::uint32_t material = 0;
    TriangleId firstTriangle = 0;
    std::uint32_t triangleCount = 0;
};

/// Invariants of every mesh that a reader or the reduction returns (see requireSound): every index is in range;
/// `wedges` is empty (then a corner's wedge is its vertex) or has one entry for each triangle; each attribute is empty
/// or has one value for each wedge; influences and the offsets of each morph are empty or have one value for each
/// vertex, so that skinning and blending never open a seam; coordinates are finite; the sections cover all triangles,
/// in order; there is at least one part and one material.
struct Mesh {
    std::vector<Vec3f> positions;     ///< in the file's unit and axes
    std::vector<Triangle> triangles;  ///< indices of positions

    std::vector<Triangle> wedges;  ///< indices of the attributes below
    std::vector<Vec3f> normals;    ///< unit length
    std::vector<Vec2f> uvs;        ///< v runs upwards
    std::vector<Vec2f> secondUvs;  ///< as of a light map
    std::vector<Color> colors;
    bool wantsTangents = false;  ///< whether files that can carry tangents get them, made from normals and UVs

    std::vector<Influences> influences;
    std::vector<Joint> skeleton;
    std::vector<Morph> morphs;

    std::vector<Part> parts;
    std::vector<Material> materials;
    std::vector<Texture> textures;
    std::vector<Section> sections;

    double metresPerUnit = 1;
    bool unitStated = false;  ///< whether the file says the unit, or it is assumed

    std::size_t vertexCount() const { return positions.size(); }
    std::size_t triangleCount() const { return triangles.size(); }
    bool hasAttributes() const { return wedgeCount() > 0; }
    std::size_t wedgeCount() const;

    /// The wedges at the corners of a triangle.
    const Triangle& wedgesOf(TriangleId triangle) const {
        return wedges.empty() ? triangles[triangle] : wedges[triangle];
    }
};

/// Calls `visit` with each attribute that wedges carry.
template <class AnyMesh, class Visit>
void forWedgeAttributes(AnyMesh& mesh, const Visit& visit) {
    visit(mesh.normals);
    visit(mesh.uvs);
    visit(mesh.secondUvs);
    visit(mesh.colors);
}

/// Calls `visit` with each attribute that vertices carry besides their positions.
template <class AnyMesh, class Visit>
void forVertexAttributes(AnyMesh& mesh, const Visit& visit) {
    visit(mesh.influences);
    for (auto& morph : mesh.morphs) visit(morph.offsets);
}

/// Calls `visit` with each of a material's texture uses.
template <class AnyMaterial, class Visit>
void forTextureUses(AnyMaterial& material, const Visit& visit) {
    visit(material.baseColorTexture);
    visit(material.normalTexture);
    visit(material.metallicRoughnessTexture);
    visit(material.occlusionTexture);
    visit(material.emissionTexture);
}

/// A mesh without surface that has the parts, materials, textures, skeleton and unit of another.
Mesh emptyLike(const Mesh& mesh);

/// The box around all positions.
Box3f boundingBox(const Mesh& mesh);

/// The length of that box's diagonal: "the size" of a mesh.
double diagonal(const Mesh& mesh);

/// The positions of a triangle's corners.
inline std::array<Vec3d, 3> cornersOf(const Mesh& mesh, TriangleId t) {
    std::array<Vec3d, 3> corners;
    for (std::size_t k = 0; k < 3; ++k) corners[k] = mesh.positions[mesh.triangles[t][k]].cast<double>();
    return corners;
}

/// In the mesh's unit, squared.
inline double triangleArea(const Mesh& mesh, TriangleId t) {
    const auto [a, b, c] = cornersOf(mesh, t);
    return areaNormal(a, b, c).norm() / 2;
}

/// The number of triangles of each part.
std::vector<std::size_t> trianglesByPart(const Mesh& mesh);

/// The index into `sections` for each triangle.
std::vector<std::uint16_t> sectionOfTriangles(const Mesh& mesh);

/// Gives a mesh without parts, materials or sections one of each, covering all triangles.
void ensureSections(Mesh& mesh, const std::string& partName);

/// Drops the positions and wedges that no triangle uses. Keeps the order of the others.
/// @returns the number of positions dropped
std::size_t dropUnused(Mesh& mesh);

/// The triangles of some parts as a mesh of its own; part and material lists are kept whole.
Mesh extractParts(const Mesh& mesh, const std::vector<bool>& wanted);

/// Whether any section is of a part with this name.
bool hasPart(const Mesh& mesh, std::string_view name);

/// Of each part the sections that it is made of.
std::vector<std::vector<Section>> sectionsByPart(const Mesh& mesh);

/// The triangles of some sections as a mesh of one part with as many materials, all of them plain: the lists of parts,
/// materials, textures and joints would cost more than the triangles where there are thousands of parts.
Mesh extractSurface(const Mesh& mesh, const std::vector<Section>& sections);

/// Sorts triangles, in whatever order, by the sections given for them, and sets the sections' runs.
void groupBySections(Mesh& mesh, const std::vector<std::uint16_t>& sections);

/// Drops the triangles for which `kept` is 0. Vertices stay, with their numbers.
void keepTriangles(Mesh& mesh, const std::vector<std::uint8_t>& kept);

/// Scales the coordinates so that one unit is `metresPerUnit` metres; the size in metres stays.
void convertUnit(Mesh& mesh, double metresPerUnit);

/// @throws MeshError  naming `what` and the first thing that breaks the rules above
void requireSound(const Mesh& mesh, const std::string& what);

/// @throws MeshError  naming `what`, likewise, or if no triangle has an area
void requireSurface(const Mesh& mesh, const std::string& what);

/// Limits of coordinates and sizes, in the file's unit: beyond them single-precision products overflow or vanish.
constexpr float largestCoordinate = 1e10f;
constexpr float smallestSize = 1e-8f;

/// @throws MeshError  naming `what`, if a mesh exceeds these limits; a size of exactly 0 is allowed
void requireUsableSize(const Mesh& mesh, const std::string& what);

}  // namespace um

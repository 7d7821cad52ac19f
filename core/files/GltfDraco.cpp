#include "base/Error.h"
#include "files/GltfPrimitive.h"

#include <draco/compression/expert_encode.h>
#include <draco/mesh/mesh.h>

namespace um {
namespace {

constexpr int positionBits = 14, normalBits = 10, uvBits = 12;

// Values that lie one after another, as an attribute whose points are numbered alike. @returns its number
template <class T>
int addAttribute(draco::Mesh& mesh, draco::GeometryAttribute::Type type, const std::vector<T>& values,
                 draco::DataType dataType, std::int8_t components, bool normalized) {
    if (values.empty()) return -1;
    draco::GeometryAttribute attribute;
    attribute.Init(type, nullptr, std::uint8_t(components), dataType, normalized, sizeof(T), 0);
    const int number = mesh.AddAttribute(attribute, true, draco::AttributeValueIndex::ValueType(values.size()));
    for (std::uint32_t i = 0; i < values.size(); ++i)
        mesh.attribute(number)->SetAttributeValue(draco::AttributeValueIndex(i), &values[i]);
    return number;
}

}  // namespace

DracoPrimitive compressWithDraco(const GltfPrimitive& p, bool skinned, const GltfGrid& grid) {
    using draco::GeometryAttribute;
    draco::Mesh mesh;
    mesh.set_num_points(std::uint32_t(p.positions.size()));
    mesh.SetNumFaces(p.triangles.size());
    for (std::uint32_t i = 0; i < p.triangles.size(); ++i) {
        draco::Mesh::Face face;
        for (std::size_t k = 0; k < 3; ++k) face[k] = draco::PointIndex(p.triangles[i][k]);
        mesh.SetFace(draco::FaceIndex(i), face);
    }
    const std::vector<std::array<std::uint16_t, 4>> noJoints;
    const std::vector<std::array<float, 4>> noWeights;
    const std::vector<int> numbers = {
        addAttribute(mesh, GeometryAttribute::POSITION, p.positions, draco::DT_FLOAT32, 3, false),
        addAttribute(mesh, GeometryAttribute::NORMAL, p.normals, draco::DT_FLOAT32, 3, false),
        addAttribute(mesh, GeometryAttribute::TEX_COORD, p.uvs, draco::DT_FLOAT32, 2, false),
        addAttribute(mesh, GeometryAttribute::TEX_COORD, p.secondUvs, draco::DT_FLOAT32, 2, false),
        addAttribute(mesh, GeometryAttribute::COLOR, p.colors, draco::DT_UINT8, 4, true),
        addAttribute(mesh, GeometryAttribute::GENERIC, skinned ? p.joints : noJoints, draco::DT_UINT16, 4, false),
        addAttribute(mesh, GeometryAttribute::GENERIC, skinned ? p.weights : noWeights, draco::DT_FLOAT32, 4, false)};
    draco::ExpertEncoder encoder(mesh);
    encoder.SetTrackEncodedProperties(true);
    encoder.SetSpeedOptions(3, 3);
    // One grid for all of a level, so that parts that meet still do.
    const Vec3f low = grid.middle - Vec3f::Constant(grid.halfSize);
    encoder.SetAttributeExplicitQuantization(numbers[0], positionBits, 3, low.data(), 2 * grid.halfSize);
    if (numbers[1] >= 0) encoder.SetAttributeQuantization(numbers[1], normalBits);
    for (const std::size_t uv : {2, 3})
        if (numbers[uv] >= 0) encoder.SetAttributeQuantization(numbers[uv], uvBits);
    draco::EncoderBuffer buffer;
    if (const draco::Status status = encoder.EncodeToBuffer(&buffer); !status.ok())
        throw FileError(std::string("A part could not be compressed (") + status.error_msg() +
                        "); write the file without compression.");
    DracoPrimitive result;
    result.bytes.assign(buffer.data(), buffer.data() + buffer.size());
    result.vertices = encoder.num_encoded_points();
    result.triangles = encoder.num_encoded_faces();
    for (const int number : numbers)
        result.numbers.push_back(number < 0 ? -1 : int(mesh.attribute(number)->unique_id()));
    return result;
}

}  // namespace um

#include "files/GltfPrimitive.h"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

namespace um {
namespace {

using namespace gltf;

// Positions, or offsets from them, with the box that the format asks for.
int addPlaces(GltfBuffer& buffer, const std::vector<Vec3f>& places) {
    const int accessor = buffer.add(places, "VEC3", floatType, arrayTarget);
    Box3f box;
    for (const Vec3f& p : places) box.extend(p);
    buffer.accessor(accessor)["min"] = {box.min().x(), box.min().y(), box.min().z()};
    buffer.accessor(accessor)["max"] = {box.max().x(), box.max().y(), box.max().z()};
    return accessor;
}

template <class T>
T steps(float value) {
    constexpr auto most = float(std::numeric_limits<T>::max());
    return T(std::lround(std::clamp(value, std::is_signed_v<T> ? -1.0f : 0.0f, 1.0f) * most));
}

int addOnGrid(GltfBuffer& buffer, const std::vector<Vec3f>& places, const GltfGrid& grid) {
    using Place = std::array<std::int16_t, 4>;  // the last only fills up to whole words
    std::vector<Place> values(places.size());
    std::array<int, 3> low{32767, 32767, 32767}, high{-32767, -32767, -32767};
    for (std::size_t i = 0; i < places.size(); ++i)
        for (std::size_t k = 0; k < 3; ++k) {
            const auto axis = Eigen::Index(k);
            values[i][k] = steps<std::int16_t>((places[i][axis] - grid.middle[axis]) / grid.halfSize);
            low[k] = std::min(low[k], int(values[i][k]));
            high[k] = std::max(high[k], int(values[i][k]));
        }
    const int accessor = buffer.add(values, "VEC3", shortType, arrayTarget, true);
    buffer.accessor(accessor)["min"] = low;
    buffer.accessor(accessor)["max"] = high;
    return accessor;
}

template <class Vector>
int addDirections(GltfBuffer& buffer, const std::vector<Vector>& directions, const char* type) {
    std::vector<std::array<std::int8_t, 4>> values(directions.size());
    for (std::size_t i = 0; i < directions.size(); ++i)
        for (Eigen::Index k = 0; k < directions[i].size(); ++k)
            values[i][std::size_t(k)] = steps<std::int8_t>(directions[i][k]);
    return buffer.add(values, type, byteType, arrayTarget, true);
}

// Counted in steps where they lie in the texture; those that repeat it keep their numbers.
int addUvs(GltfBuffer& buffer, const std::vector<Vec2f>& uvs, bool packed) {
    const bool inside = std::all_of(uvs.begin(), uvs.end(), [](const Vec2f& uv) {
        return uv.x() >= 0 && uv.x() <= 1 && uv.y() >= 0 && uv.y() <= 1;
    });
    if (!packed || !inside) return buffer.add(uvs, "VEC2", floatType, arrayTarget);
    std::vector<std::array<std::uint16_t, 2>> values(uvs.size());
    for (std::size_t i = 0; i < uvs.size(); ++i)
        values[i] = {steps<std::uint16_t>(uvs[i].x()), steps<std::uint16_t>(uvs[i].y())};
    return buffer.add(values, "VEC2", unsignedShortType, arrayTarget, true);
}

// Joints and weights; a joint that has no weight is number 0, as the format wants it.
void addInfluences(GltfBuffer& buffer, const GltfPrimitive& primitive, bool packed, Json& attributes) {
    const std::vector<std::array<float, 4>>& weights = primitive.weights;
    std::vector<std::array<std::uint16_t, 4>> joints = primitive.joints;
    for (std::size_t i = 0; i < joints.size(); ++i)
        for (std::size_t k = 0; k < 4; ++k)
            if (!(packed ? steps<std::uint16_t>(weights[i][k]) > 0 : weights[i][k] > 0)) joints[i][k] = 0;
    attributes["JOINTS_0"] = buffer.add(joints, "VEC4", unsignedShortType, arrayTarget);
    if (!packed) {
        attributes["WEIGHTS_0"] = buffer.add(weights, "VEC4", floatType, arrayTarget);
        return;
    }
    std::vector<std::array<std::uint16_t, 4>> values(weights.size());
    for (std::size_t i = 0; i < weights.size(); ++i) {
        int sum = 0;
        for (std::size_t k = 0; k < 4; ++k) sum += values[i][k] = steps<std::uint16_t>(weights[i][k]);
        // The largest makes up for what rounding lost: the format wants exactly one whole.
        if (sum > 0) *std::max_element(values[i].begin(), values[i].end()) += std::uint16_t(65535 - sum);
    }
    attributes["WEIGHTS_0"] = buffer.add(values, "VEC4", unsignedShortType, arrayTarget, true);
}

int addIndices(GltfBuffer& buffer, const std::vector<Triangle>& triangles, std::size_t vertices) {
    if (vertices < 65535) {
        std::vector<std::uint16_t> indices;
        indices.reserve(3 * triangles.size());
        for (const Triangle& t : triangles)
            for (const std::uint32_t v : t) indices.push_back(std::uint16_t(v));
        return buffer.add(indices, "SCALAR", unsignedShortType, elementTarget);
    }
    std::vector<std::uint32_t> indices;
    indices.reserve(3 * triangles.size());
    for (const Triangle& t : triangles) indices.insert(indices.end(), t.begin(), t.end());
    return buffer.add(indices, "SCALAR", unsignedIntType, elementTarget);
}

Json addCompressed(GltfBuffer& buffer, const GltfPrimitive& primitive, bool skinned, const GltfPrimitiveStyle& style) {
    const DracoPrimitive draco = compressWithDraco(primitive, skinned, style.grid);
    Json attributes, numbers;
    const auto add = [&](const char* name, std::size_t which, const char* type, int componentType,
                         bool normalized = false) {
        if (draco.numbers[which] < 0) return;
        attributes[name] = buffer.describe(draco.vertices, type, componentType, normalized);
        numbers[name] = draco.numbers[which];
    };
    add("POSITION", 0, "VEC3", floatType);
    Box3f box;
    for (const Vec3f& p : primitive.positions) box.extend(p);
    // Places move by at most half a step of the grid.
    Json& positions = buffer.accessor(attributes["POSITION"].get<int>());
    positions["min"] = {box.min().x(), box.min().y(), box.min().z()};
    positions["max"] = {box.max().x(), box.max().y(), box.max().z()};
    add("NORMAL", 1, "VEC3", floatType);
    add("TEXCOORD_0", 2, "VEC2", floatType);
    add(draco.numbers[2] < 0 ? "TEXCOORD_0" : "TEXCOORD_1", 3, "VEC2", floatType);
    add("COLOR_0", 4, "VEC4", unsignedByteType, true);
    add("JOINTS_0", 5, "VEC4", unsignedShortType);
    add("WEIGHTS_0", 6, "VEC4", floatType);
    const int indices = buffer.describe(3 * draco.triangles, "SCALAR", unsignedIntType);
    const int view = buffer.addBytes(draco.bytes.data(), draco.bytes.size(), noTarget);
    return {{"attributes", attributes},
            {"indices", indices},
            {"extensions", {{"KHR_draco_mesh_compression", {{"bufferView", view}, {"attributes", numbers}}}}}};
}

}  // namespace

bool GltfPrimitive::isSkinned() const {
    return std::any_of(weights.begin(), weights.end(),
                       [](const std::array<float, 4>& w) { return w[0] + w[1] + w[2] + w[3] > 0; });
}

Json addPrimitive(GltfBuffer& buffer, const GltfPrimitive& p, bool skinned, const GltfPrimitiveStyle& style) {
    // Blend shapes refer to vertices one by one, which Draco puts into an order of its own.
    if (style.packing == GltfPacking::Draco && p.offsets.empty()) return addCompressed(buffer, p, skinned, style);
    const bool packed = style.packing == GltfPacking::Quantised;
    Json attributes;
    attributes["POSITION"] = style.onGrid ? addOnGrid(buffer, p.positions, style.grid) : addPlaces(buffer, p.positions);
    attributes["NORMAL"] =
        packed ? addDirections(buffer, p.normals, "VEC3") : buffer.add(p.normals, "VEC3", floatType, arrayTarget);
    if (!p.tangents.empty())
        attributes["TANGENT"] =
            packed ? addDirections(buffer, p.tangents, "VEC4") : buffer.add(p.tangents, "VEC4", floatType, arrayTarget);
    if (!p.uvs.empty()) attributes["TEXCOORD_0"] = addUvs(buffer, p.uvs, packed);
    if (!p.secondUvs.empty())
        attributes[p.uvs.empty() ? "TEXCOORD_0" : "TEXCOORD_1"] = addUvs(buffer, p.secondUvs, packed);
    if (!p.colors.empty()) attributes["COLOR_0"] = buffer.add(p.colors, "VEC4", unsignedByteType, arrayTarget, true);
    if (skinned) addInfluences(buffer, p, packed, attributes);
    Json result = {{"attributes", attributes}, {"indices", addIndices(buffer, p.triangles, p.positions.size())}};
    for (const std::vector<Vec3f>& offsets : p.offsets)
        result["targets"].push_back({{"POSITION", addPlaces(buffer, offsets)}});
    return result;
}

}  // namespace um

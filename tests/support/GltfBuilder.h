#pragma once
/// glTF files for tests, whatever they hold.
#include "files/MeshFile.h"
#include "tests/support/Files.h"

#include <nlohmann/json.hpp>

namespace um::test {

using Json = nlohmann::json;

/// A glTF file that is put together piece by piece: accessors with their bytes, one mesh, one node.
class GltfBuilder {
public:
    GltfBuilder() {
        json = {{"asset", {{"version", "2.0"}}},
                {"scene", 0},
                {"scenes", {{{"nodes", {0}}}}},
                {"nodes", {{{"name", "only"}, {"mesh", 0}}}},
                {"meshes", {{{"primitives", Json::array()}}}},
                {"accessors", Json::array()},
                {"bufferViews", Json::array()}};
    }

    int view(const std::string& data, std::size_t stride = 0) {
        while (bytes.size() % 4 != 0) bytes += '\0';
        Json one = {{"buffer", 0}, {"byteOffset", bytes.size()}, {"byteLength", data.size()}};
        if (stride > 0) one["byteStride"] = stride;
        json["bufferViews"].push_back(one);
        bytes += data;
        return int(json["bufferViews"].size()) - 1;
    }

    int accessor(int viewIndex, int componentType, const char* type, std::size_t count, std::size_t offset = 0) {
        json["accessors"].push_back({{"bufferView", viewIndex},
                                     {"componentType", componentType},
                                     {"type", type},
                                     {"count", count},
                                     {"byteOffset", offset}});
        return int(json["accessors"].size()) - 1;
    }

    template <class T>
    int data(const std::vector<T>& values, int componentType, const char* type, std::size_t columns) {
        std::string packed;
        for (const T value : values) packed += bytesOf(value);
        return accessor(view(packed), componentType, type, values.size() / columns);
    }

    int positions(const std::vector<float>& values) { return data(values, 5126, "VEC3", 3); }

    void primitive(const Json& one) { json["meshes"][0]["primitives"].push_back(one); }

    MeshFile read(const test::Folder& folder, const std::string& name) {
        // The buffer lies beside the file, as exporters like it.
        folder.write(name + ".bin", bytes);
        json["buffers"] = {{{"byteLength", bytes.size()}, {"uri", name + ".bin"}}};
        return readMesh(folder.write(name + ".gltf", json.dump()), Progress());
    }

    Json json;
    std::string bytes;
};

}  // namespace um::test

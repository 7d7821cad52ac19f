#include "tests/support/Broken.h"

#include "mesh/Weld.h"
#include "tests/support/Shapes.h"

#include <random>

namespace um::test {

Mesh randomHeap(unsigned seed, std::size_t vertices, std::size_t triangles) {
    std::mt19937 random(seed);
    std::uniform_real_distribution<float> anywhere(-1, 1);
    Mesh mesh;
    for (std::size_t v = 0; v < vertices; ++v)
        mesh.positions.emplace_back(anywhere(random), anywhere(random), anywhere(random));
    // Some vertices lie on top of one another.
    for (std::size_t v = 0; v < vertices / 10; ++v)
        mesh.positions[random() % vertices] = mesh.positions[random() % vertices];
    const auto vertex = [&] { return VertexId(random() % vertices); };
    for (std::size_t t = 0; t < triangles; ++t) {
        if (t > 2 && random() % 12 == 0) {
            Triangle again = mesh.triangles[random() % t];
            if (random() % 2 == 0) std::swap(again[0], again[1]);
            mesh.triangles.push_back(again);
        } else {
            mesh.triangles.push_back({vertex(), vertex(), vertex()});
        }
    }
    ensureSections(mesh, "heap");
    return mesh;
}

Mesh damagedSphere(unsigned seed) {
    std::mt19937 random(seed);
    Mesh mesh = makeSphere(1, 14);
    for (int i = 0; i < 40; ++i) {
        Triangle& t = mesh.triangles[random() % mesh.triangleCount()];
        switch (random() % 4) {
            case 0: std::swap(t[0], t[1]); break;
            case 1: t[2] = t[1]; break;
            case 2: mesh.positions[t[0]] = mesh.positions[t[1]]; break;
            default: t[0] = VertexId(random() % mesh.vertexCount()); break;
        }
    }
    for (int i = 0; i < 20; ++i) mesh.triangles.erase(mesh.triangles.begin() + long(random() % mesh.triangles.size()));
    mesh.sections.clear();
    ensureSections(mesh, "damaged");
    return mesh;
}

void addRandomUvs(Mesh& mesh, unsigned seed) {
    std::mt19937 random(seed);
    std::vector<std::array<std::uint64_t, 3>> keys(mesh.triangleCount());
    for (auto& corner : keys)
        for (std::uint64_t& key : corner) key = random() % 3;
    for (const std::uint64_t key : assignWedges(mesh, keys)) mesh.uvs.emplace_back(float(key), float(random() % 5));
}

std::string damaged(std::string bytes, Numbers& number) {
    for (std::size_t i = 0; i < 1 + number.below(6); ++i) bytes[number.below(bytes.size())] = char(number.below(256));
    if (number.below(3) == 0) bytes.resize(number.below(bytes.size()));
    if (number.below(7) == 0) bytes.insert(number.below(bytes.size() + 1), bytes.substr(0, 40));
    return bytes;
}

}  // namespace um::test

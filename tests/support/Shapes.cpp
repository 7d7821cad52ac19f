#include "tests/support/Shapes.h"

#include "base/Math.h"
#include "mesh/Normals.h"
#include "mesh/Weld.h"

#include <map>

namespace um::test {

Mesh makeSheet(std::size_t columns, std::size_t rows, double width, double depth,
               const std::function<double(double, double)>& height) {
    Mesh mesh;
    for (std::size_t r = 0; r <= rows; ++r)
        for (std::size_t c = 0; c <= columns; ++c) {
            const double x = width * double(c) / double(columns);
            const double z = depth * double(r) / double(rows);
            mesh.positions.emplace_back(float(x), float(height ? height(x, z) : 0), float(z));
        }
    const auto at = [&](std::size_t c, std::size_t r) { return VertexId(r * (columns + 1) + c); };
    for (std::size_t r = 0; r < rows; ++r)
        for (std::size_t c = 0; c < columns; ++c) {
            mesh.triangles.push_back({at(c, r), at(c, r + 1), at(c + 1, r + 1)});
            mesh.triangles.push_back({at(c, r), at(c + 1, r + 1), at(c + 1, r)});
        }
    ensureSections(mesh, "sheet");
    return mesh;
}

Mesh makeRidgedSheet(const std::function<double(double x, double z)>& height) {
    return makeSheet(300, 300, 1, 1, [&](double x, double z) {
        double y = height(x, z);
        for (int i = 0; i < 12; ++i) {
            const double along = x - 0.05 - 0.075 * i, across = z - 0.5 - 0.4 * std::sin(2.3 * i);
            if (std::abs(along) < 0.02) y += 0.02 * std::max(0.0, 1 - std::abs(across) / 0.01);
        }
        return y;
    });
}

Mesh makeBox(const Vec3d& size, std::size_t n) {
    Mesh soup;
    const auto side = [&](const Vec3d& origin, const Vec3d& right, const Vec3d& up) {
        const auto first = VertexId(soup.positions.size());
        for (std::size_t r = 0; r <= n; ++r)
            for (std::size_t c = 0; c <= n; ++c)
                soup.positions.push_back(
                    (origin + right * double(c) / double(n) + up * double(r) / double(n)).cast<float>());
        const auto at = [&](std::size_t c, std::size_t r) { return VertexId(first + r * (n + 1) + c); };
        for (std::size_t r = 0; r < n; ++r)
            for (std::size_t c = 0; c < n; ++c) {
                soup.triangles.push_back({at(c, r), at(c + 1, r), at(c + 1, r + 1)});
                soup.triangles.push_back({at(c, r), at(c + 1, r + 1), at(c, r + 1)});
            }
    };
    const Vec3d x(size.x(), 0, 0), y(0, size.y(), 0), z(0, 0, size.z());
    const Vec3d low = -size / 2, high = size / 2;
    side(low, y, x);
    side(low, x, z);
    side(low, z, y);
    side(high, -x, -y);
    side(high, -z, -x);
    side(high, -y, -z);
    weldVertices(soup, Progress());
    ensureSections(soup, "box");
    return soup;
}

Mesh makeSphere(double radius, std::size_t n) {
    const Vec3d axes[6] = {{1, 0, 0}, {-1, 0, 0}, {0, 1, 0}, {0, -1, 0}, {0, 0, 1}, {0, 0, -1}};
    const int faces[8][3] = {{0, 2, 4}, {4, 2, 1}, {1, 2, 5}, {5, 2, 0}, {4, 3, 0}, {1, 3, 4}, {5, 3, 1}, {0, 3, 5}};
    Mesh mesh;
    // Points are numbered by their place on the uncurved octahedron, which whole numbers give exactly.
    std::map<std::array<long, 3>, VertexId> known;
    const auto vertex = [&](const Vec3d& flat) {
        const std::array<long, 3> key = {std::lround(flat.x()), std::lround(flat.y()), std::lround(flat.z())};
        const auto [entry, isNew] = known.emplace(key, VertexId(mesh.positions.size()));
        if (isNew) mesh.positions.push_back((flat.normalized() * radius).cast<float>());
        return entry->second;
    };
    for (const auto& face : faces) {
        const Vec3d a = axes[face[0]], b = axes[face[1]], c = axes[face[2]];
        const auto at = [&](std::size_t i, std::size_t j) {
            return vertex(a * double(n - i - j) + b * double(i) + c * double(j));
        };
        for (std::size_t i = 0; i < n; ++i)
            for (std::size_t j = 0; i + j < n; ++j) {
                mesh.triangles.push_back({at(i, j), at(i + 1, j), at(i, j + 1)});
                if (i + j + 1 < n) mesh.triangles.push_back({at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)});
            }
    }
    ensureSections(mesh, "sphere");
    return mesh;
}

Mesh makeBumpyBall() {
    Mesh ball = makeSphere(1, 8);
    for (std::size_t v = 0; v < ball.vertexCount(); ++v) ball.positions[v] *= 1 + 0.001F * float(mixBits(v) % 100);
    return ball;
}

Mesh makeTent(VertexId triangles) {
    Mesh mesh;
    mesh.positions = {{0, 1, 0}};
    for (VertexId i = 0; i < triangles; ++i) {
        const double angle = 2 * pi * double(i) / double(triangles);
        mesh.positions.emplace_back(float(std::cos(angle)), 0.01F * float(i % 3), float(-std::sin(angle)));
        mesh.triangles.push_back({0, 1 + i, 1 + (i + 1) % triangles});
    }
    ensureSections(mesh, "tent");
    return mesh;
}

Mesh makeTorus(double ring, double tube, std::size_t columns, std::size_t rows) {
    Mesh mesh;
    for (std::size_t r = 0; r < rows; ++r)
        for (std::size_t c = 0; c < columns; ++c) {
            const double a = 2 * pi * double(r) / double(rows), b = 2 * pi * double(c) / double(columns);
            const double out = ring + tube * std::cos(b);
            mesh.positions.emplace_back(float(out * std::cos(a)), float(tube * std::sin(b)), float(-out * std::sin(a)));
        }
    const auto at = [&](std::size_t c, std::size_t r) { return VertexId((r % rows) * columns + c % columns); };
    for (std::size_t r = 0; r < rows; ++r)
        for (std::size_t c = 0; c < columns; ++c) {
            mesh.triangles.push_back({at(c, r), at(c + 1, r + 1), at(c, r + 1)});
            mesh.triangles.push_back({at(c, r), at(c + 1, r), at(c + 1, r + 1)});
        }
    ensureSections(mesh, "torus");
    if (volume(mesh) < 0)
        for (Triangle& t : mesh.triangles) std::swap(t[1], t[2]);
    return mesh;
}

Mesh makeTube(std::size_t around, std::size_t along, double length) {
    Mesh mesh;
    for (std::size_t j = 0; j <= along; ++j)
        for (std::size_t i = 0; i < around; ++i) {
            const double angle = 2 * pi * double(i) / double(around);
            mesh.positions.emplace_back(float(std::cos(angle)), float(double(j) * length / double(along)),
                                        float(std::sin(angle)));
        }
    for (std::size_t j = 0; j < along; ++j)
        for (std::size_t i = 0; i < around; ++i) {
            const auto at = [&](std::size_t column, std::size_t row) {
                return VertexId(row * around + column % around);
            };
            mesh.triangles.push_back({at(i, j), at(i, j + 1), at(i + 1, j)});
            mesh.triangles.push_back({at(i + 1, j), at(i, j + 1), at(i + 1, j + 1)});
        }
    ensureSections(mesh, "tube");
    return mesh;
}

Vec3d middle(const Mesh& mesh, TriangleId t) {
    Vec3d sum = Vec3d::Zero();
    for (const VertexId v : mesh.triangles[t]) sum += mesh.positions[v].cast<double>();
    return sum / 3;
}

Mesh makeTetrahedron() {
    Mesh mesh;
    mesh.positions = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}};
    mesh.triangles = {{0, 2, 1}, {0, 1, 3}, {1, 2, 3}, {0, 3, 2}};
    ensureSections(mesh, "tetrahedron");
    return mesh;
}

void addUvsWithSeam(Mesh& sheet, double seamX) {
    std::vector<std::array<std::uint64_t, 3>> keys(sheet.triangleCount());
    for (std::size_t t = 0; t < sheet.triangleCount(); ++t) {
        double middle = 0;
        for (const VertexId v : sheet.triangles[t]) middle += double(sheet.positions[v].x()) / 3;
        for (std::size_t corner = 0; corner < 3; ++corner)
            keys[t][corner] = std::uint64_t(sheet.triangles[t][corner]) << 1 | (middle > seamX ? 1 : 0);
    }
    for (const std::uint64_t key : assignWedges(sheet, keys)) {
        const Vec3f& p = sheet.positions[key >> 1];
        sheet.uvs.emplace_back(p.x() + ((key & 1) != 0 ? 10.0f : 0.0f), p.z());
    }
}

Mesh dressed(Mesh mesh) {
    for (const Vec3f& p : mesh.positions) {
        mesh.uvs.emplace_back(p.x() * 2, p.z() + p.y());
        mesh.secondUvs.emplace_back(p.y(), p.x() * p.z());
        mesh.colors.push_back({std::uint8_t(100 + 50 * p.x()), std::uint8_t(mixBits(mesh.colors.size())), 0, 255});
    }
    makeNormals(mesh, 20);
    return mesh;
}

VertexGuard guardWhere(const Mesh& mesh, const std::function<GuardValue(const Vec3f&)>& guard) {
    std::vector<GuardValue> values;
    for (const Vec3f& p : mesh.positions) values.push_back(guard(p));
    return values;
}

Mesh joined(const Mesh& a, const Mesh& b) {
    Mesh mesh = a;
    const auto offset = VertexId(a.vertexCount());
    mesh.positions.insert(mesh.positions.end(), b.positions.begin(), b.positions.end());
    for (Triangle triangle : b.triangles) {
        for (VertexId& v : triangle) v += offset;
        mesh.triangles.push_back(triangle);
    }
    // Attributes that both have; wedges are those of vertices.
    const auto join = [](auto& own, const auto& other) {
        if (own.empty() || other.empty())
            own.clear();
        else
            own.insert(own.end(), other.begin(), other.end());
    };
    join(mesh.uvs, b.uvs);
    join(mesh.normals, b.normals);
    join(mesh.colors, b.colors);
    for (Section section : b.sections) {
        section.part += std::uint32_t(a.parts.size());
        section.firstTriangle += TriangleId(a.triangleCount());
        mesh.sections.push_back(section);
    }
    mesh.parts.insert(mesh.parts.end(), b.parts.begin(), b.parts.end());
    return mesh;
}

Mesh moved(Mesh mesh, const Vec3d& by) {
    for (Vec3f& p : mesh.positions) p += by.cast<float>();
    return mesh;
}

std::size_t trianglesFacingAway(const Mesh& mesh, const Vec3d& direction) {
    std::size_t count = 0;
    for (const Triangle& t : mesh.triangles)
        count += areaNormal(mesh.positions[t[0]].cast<double>(), mesh.positions[t[1]].cast<double>(),
                            mesh.positions[t[2]].cast<double>())
                             .dot(direction) < 0
                     ? 1
                     : 0;
    return count;
}

bool wedgesBelongToOneVertex(const Mesh& mesh) {
    std::map<WedgeId, VertexId> owner;
    for (std::size_t t = 0; t < mesh.triangleCount(); ++t)
        for (std::size_t corner = 0; corner < 3; ++corner) {
            const auto [entry, isNew] = owner.emplace(mesh.wedgesOf(TriangleId(t))[corner], mesh.triangles[t][corner]);
            if (entry->second != mesh.triangles[t][corner]) return false;
        }
    return true;
}

double volume(const Mesh& mesh) {
    double sum = 0;
    for (const Triangle& t : mesh.triangles)
        sum += mesh.positions[t[0]].cast<double>().dot(
                   mesh.positions[t[1]].cast<double>().cross(mesh.positions[t[2]].cast<double>())) /
               6;
    return sum;
}

double areaOfCut(const std::vector<Vec3f>& corners, const std::vector<Triangle>& triangles) {
    double area = 0;
    for (const Triangle& t : triangles)
        area += areaNormal(corners[t[0]].cast<double>(), corners[t[1]].cast<double>(), corners[t[2]].cast<double>())
                    .norm() /
                2;
    return area;
}

}  // namespace um::test

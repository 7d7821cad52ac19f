// Tangents for normal maps: along u and square to the normal, on the side where v grows, and apart where UVs are
// mirrored.
#include "mesh/Tangents.h"
#include "mesh/UvCharts.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <cmath>
#include <QTest>

using namespace um;

namespace {

// A flat sheet seen from above, with UVs turned by an angle, and mirrored if asked for.
Mesh sheetWithUvs(double turn, bool mirrored = false) {
    Mesh mesh = test::makeSheet(6, 6);
    for (const Vec3f& p : mesh.positions) {
        const double x = double(p.x()) * (mirrored ? -1 : 1), y = -double(p.z());
        mesh.uvs.emplace_back(float(std::cos(turn) * x + std::sin(turn) * y),
                              float(-std::sin(turn) * x + std::cos(turn) * y));
    }
    mesh.normals.assign(mesh.positions.size(), Vec3f::UnitY());
    return mesh;
}

// A ball with u once around it, v from pole to pole; open along a meridian.
Mesh globe(std::size_t around, std::size_t up) {
    Mesh mesh = test::makeSheet(around, up);
    for (Vec3f& p : mesh.positions) {
        const double u = double(p.x()), v = 0.05 + 0.9 * double(p.z()), longitude = 2 * pi * u, polar = pi * (1 - v);
        mesh.uvs.emplace_back(float(u), float(v));
        p = Vec3f(float(std::sin(polar) * std::cos(longitude)), float(std::cos(polar)),
                  float(-std::sin(polar) * std::sin(longitude)));
        mesh.normals.push_back(p);
    }
    // The sheet faces up where x and z grow; here u and v do, outwards.
    if (test::volume(mesh) < 0)
        for (Triangle& t : mesh.triangles) std::swap(t[1], t[2]);
    return mesh;
}

// The left half has the UVs of the right one, mirrored: they meet along the middle, and share its wedges.
Mesh folded() {
    Mesh mesh = sheetWithUvs(0);
    for (Vec2f& uv : mesh.uvs) uv.x() = std::abs(uv.x() - 0.5f);
    return mesh;
}

}  // namespace

class TangentsTest : public QObject {
    Q_OBJECT

private slots:
    void runAlongU() {
        for (const double turn : {0.0, 0.4, 1.9, -2.5})
            for (const bool mirrored : {false, true}) {
                const Mesh mesh = sheetWithUvs(turn, mirrored);
                const double side = mirrored ? -1 : 1;
                const Vec3f alongU(float(side * std::cos(turn)), 0, float(-std::sin(turn))),
                    alongV(float(-side * std::sin(turn)), 0, float(-std::cos(turn)));
                for (const Vec4f& tangent : makeTangents(mesh)) {
                    QVERIFY((tangent.head<3>() - alongU).norm() < 1e-5f);
                    QCOMPARE(tangent.w(), float(side));
                    const Vec3f v = tangent.w() * Vec3f::UnitY().cross(Vec3f(tangent.head<3>()));
                    QVERIFY((v - alongV).norm() < 1e-5f);
                }
            }
    }

    void areUnitLongAndSquareToTheNormal() {
        const Mesh mesh = globe(48, 24);
        const std::vector<Vec4f> tangents = makeTangents(mesh);
        QCOMPARE(tangents.size(), mesh.wedgeCount());
        for (std::size_t w = 0; w < tangents.size(); ++w) {
            const Vec3f tangent = tangents[w].head<3>();
            QVERIFY(std::abs(tangent.norm() - 1) < 1e-5f);
            QVERIFY(std::abs(tangent.dot(mesh.normals[w])) < 1e-5f);
            // East is where u grows, whatever the latitude.
            const double longitude = 2 * pi * double(mesh.uvs[w].x());
            const Vec3f east(float(-std::sin(longitude)), 0, float(-std::cos(longitude)));
            QVERIFY2(tangent.dot(east) > 0.99f, qPrintable(QString::number(tangent.dot(east))));
            QCOMPARE(tangents[w].w(), 1.0f);
        }
    }

    void leaveOutTrianglesWithoutUvs() {
        Mesh mesh = sheetWithUvs(0.7);
        const std::vector<Vec4f> before = makeTangents(mesh);
        // A triangle whose UVs lie in one point, on wedges that others use.
        Mesh more = mesh;
        more.wedges = more.triangles;
        more.triangles.push_back(mesh.triangles[20]);
        const auto point = WedgeId(more.uvs.size());
        more.uvs.push_back(more.uvs[mesh.triangles[20][0]]);
        more.normals.push_back(Vec3f::UnitY());
        more.wedges.push_back({mesh.triangles[20][0], point, point});
        const std::vector<Vec4f> after = makeTangents(more);
        for (std::size_t w = 0; w < before.size(); ++w) QVERIFY(after[w] == before[w]);
        // Where there is nothing else, any direction square to the normal.
        QVERIFY(std::abs(after[point].head<3>().norm() - 1) < 1e-5f);
        QVERIFY(std::abs(after[point].head<3>().dot(Vec3f::UnitY())) < 1e-5f);
    }

    void partMirroredHalves() {
        Mesh mesh = folded();
        QVERIFY(!hasMirroredWedges(sheetWithUvs(0)) && !hasMirroredWedges(sheetWithUvs(0, true)));
        QVERIFY(hasMirroredWedges(mesh));
        const Mesh before = mesh;
        partMirroredWedges(mesh);
        requireSound(mesh, "the parted");
        QVERIFY(!hasMirroredWedges(mesh));
        QCOMPARE(mesh.positions, before.positions);
        QCOMPARE(mesh.triangles, before.triangles);
        QCOMPARE(mesh.wedgeCount(), before.wedgeCount() + 7);  // one more for each vertex along the middle
        for (TriangleId t = 0; t < mesh.triangleCount(); ++t)
            for (std::size_t k = 0; k < 3; ++k) {
                QVERIFY(mesh.uvs[mesh.wedgesOf(t)[k]] == before.uvs[before.wedgesOf(t)[k]]);
                QVERIFY(mesh.normals[mesh.wedgesOf(t)[k]] == before.normals[before.wedgesOf(t)[k]]);
            }
        const Mesh again = mesh;
        partMirroredWedges(mesh);
        QCOMPARE(mesh.wedges, again.wedges);
        // Each half has the tangents it would have alone.
        const std::vector<Vec4f> tangents = makeTangents(mesh);
        for (TriangleId t = 0; t < mesh.triangleCount(); ++t) {
            const bool isMirrored = uvArea(mesh, t) < 0;
            for (const WedgeId w : mesh.wedgesOf(t)) {
                QVERIFY(std::abs(tangents[w].x() - (isMirrored ? -1 : 1)) < 1e-5f);
                QCOMPARE(tangents[w].w(), isMirrored ? -1.0f : 1.0f);
            }
        }
    }
};

UM_TEST(TangentsTest)
#include "TangentsTest.moc"

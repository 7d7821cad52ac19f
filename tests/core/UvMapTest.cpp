// How triangles lie in their texture: scale by hand, overlap by counting.
#include "base/Error.h"
#include "mesh/UvCharts.h"
#include "mesh/UvGrid.h"
#include "mesh/UvMap.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <QTest>

using namespace um;

namespace {

bool near(double a, double b) {
    return std::abs(a - b) < 1e-5 * std::max(1.0, std::abs(b));
}

// One triangle with a right angle, 2 wide and 1 tall, somewhere in space.
Mesh triangleWith(const std::array<Vec2f, 3>& uvs) {
    Mesh mesh;
    const Mat3d turn =
        (Eigen::AngleAxisd(0.7, Vec3d::UnitX()) * Eigen::AngleAxisd(-1.1, Vec3d::UnitZ())).toRotationMatrix();
    for (const Vec3d& p : {Vec3d(0, 0, 0), Vec3d(2, 0, 0), Vec3d(0, 1, 0)})
        mesh.positions.push_back((turn * p + Vec3d(3, -1, 2)).cast<float>());
    mesh.triangles = {{0, 1, 2}};
    mesh.uvs.assign(uvs.begin(), uvs.end());
    ensureSections(mesh, "triangle");
    return mesh;
}

UvScale scaleOf(const Mesh& mesh, const Eigen::Vector2d& size = {1, 1}) {
    return uvScale(mesh, 0, mesh.uvs, size);
}

Mesh sheetWithUvs(std::size_t columns, std::size_t rows) {
    Mesh sheet = test::makeSheet(columns, rows);
    for (const Vec3f& p : sheet.positions) sheet.uvs.emplace_back(p.x(), p.z());
    return sheet;
}

}  // namespace

class UvMapTest : public QObject {
    Q_OBJECT

private slots:
    void scalesOneToOne() {
        const UvScale scale = scaleOf(triangleWith({Vec2f(0, 0), Vec2f(2, 0), Vec2f(0, 1)}));
        QVERIFY(near(scale.area, 1) && near(scale.most, 1) && near(scale.least, 1));
    }

    void findsTheTrianglesAtAPlaceAsALookAtEachOfThemDoes() {
        Mesh sheet = test::makeSheet(40, 25, 1, 1, [](double x, double z) { return 0.1 * x * z; });
        test::addUvsWithSeam(sheet, 0.4);
        const UvGrid grid(sheet);
        for (int i = 0; i < 400; ++i) {
            const Vec2d uv(-0.2 + 0.031 * i, std::fmod(0.377 * i, 1.2) - 0.1);
            std::optional<TriangleId> first;
            for (TriangleId t = 0; t < sheet.triangleCount() && !first; ++t)
                if (sharesAtUv(uvCorners(sheet, t), uv).minCoeff() >= 0) first = t;
            QCOMPARE(grid.triangleAt(uv), first);
        }
    }

    void doesNotMindTurningOrMirroring() {
        const auto turned = [](double angle, float mirror) {
            std::array<Vec2f, 3> uvs = {Vec2f(0, 0), Vec2f(2, 0), Vec2f(0, 1)};
            for (Vec2f& uv : uvs) {
                const Eigen::Rotation2Df turn{float(angle)};
                uv = turn * Vec2f(uv.x(), mirror * uv.y()) + Vec2f(0.3f, 0.8f);
            }
            return uvs;
        };
        for (const double angle : {0.3, 1.2, 2.9})
            for (const float mirror : {1.0f, -1.0f}) {
                const UvScale scale = scaleOf(triangleWith(turned(angle, mirror)));
                QVERIFY(near(scale.most, 1) && near(scale.least, 1));
            }
    }

    void tellsBothDirectionsApart() {
        // Half as wide in the texture, three times as tall.
        const UvScale scale = scaleOf(triangleWith({Vec2f(0, 0), Vec2f(1, 0), Vec2f(0, 3)}));
        QVERIFY(near(scale.most, 3) && near(scale.least, 0.5));
        // Sheared by one: the singular values of [1 1; 0 1] are the golden ratio and its inverse.
        const UvScale sheared = scaleOf(triangleWith({Vec2f(0, 0), Vec2f(2, 0), Vec2f(1, 1)}));
        QVERIFY(near(sheared.most, (1 + std::sqrt(5.0)) / 2) && near(sheared.least, (std::sqrt(5.0) - 1) / 2));
    }

    void countsTexelsOfAWideTexture() {
        const UvScale scale = scaleOf(triangleWith({Vec2f(0, 0), Vec2f(1, 0), Vec2f(0, 1)}), {1024, 256});
        QVERIFY(near(scale.most, 512) && near(scale.least, 256));
    }

    void hasNothingToSayOfWhatIsNothing() {
        Mesh flat = triangleWith({Vec2f(0, 0), Vec2f(1, 0), Vec2f(0, 1)});
        flat.positions[2] = flat.positions[0];
        QCOMPARE(scaleOf(flat).area, 0.0);
        QCOMPARE(scaleOf(flat).most, 0.0);
        // All in one place of the texture: nothing of it is seen.
        const UvScale point = scaleOf(triangleWith({Vec2f(0.5f, 0.5f), Vec2f(0.5f, 0.5f), Vec2f(0.5f, 0.5f)}));
        QVERIFY(near(point.area, 1) && point.most == 0 && point.least == 0);
    }

    void findsNoOverlapBetweenNeighbours() {
        const UvOverlap overlap = findUvOverlap(sheetWithUvs(40, 30), Progress());
        QCOMPARE(overlap.materials, std::size_t(0));
        QVERIFY(overlap.triangles.empty());
    }

    void countsWhatLiesOverEachOther() {
        // A small patch of UVs over the sheet's own: a quarter of its width and height, a sixteenth of its area.
        Mesh mesh = sheetWithUvs(10, 10);
        const Mesh patch = sheetWithUvs(2, 2);
        const auto first = VertexId(mesh.vertexCount());
        const auto before = TriangleId(mesh.triangleCount());
        for (const Vec3f& p : patch.positions) {
            mesh.positions.push_back(p + Vec3f(0, 5, 0));
            mesh.uvs.emplace_back(0.25f * p.x() + 0.3f, 0.25f * p.z() + 0.3f);
        }
        for (const Triangle& t : patch.triangles) mesh.triangles.push_back({t[0] + first, t[1] + first, t[2] + first});
        mesh.sections.clear();
        ensureSections(mesh, "both");
        const UvOverlap overlap = findUvOverlap(mesh, Progress());
        QCOMPARE(overlap.materials, std::size_t(1));
        QVERIFY2(std::abs(overlap.share - 1.0 / 16) < 0.002, qPrintable(QString::number(overlap.share)));
        for (TriangleId t = before; t < mesh.triangleCount(); ++t)
            QVERIFY(std::binary_search(overlap.triangles.begin(), overlap.triangles.end(), t));
        // Of the sheet only what lies under the patch.
        QVERIFY(overlap.triangles.size() < patch.triangleCount() + 40);
    }

    void lookAtEachMaterialByItself() {
        // The same UVs twice, but in two textures.
        Mesh mesh = test::joined(test::makeSheet(6, 6), test::moved(test::makeSheet(6, 6), {0, 1, 0}));
        for (const Vec3f& p : mesh.positions) mesh.uvs.emplace_back(p.x(), p.z());
        QCOMPARE(findUvOverlap(mesh, Progress()).materials, std::size_t(1));
        mesh.materials.push_back({});
        mesh.sections[1].material = std::uint32_t(mesh.materials.size() - 1);
        QCOMPARE(findUvOverlap(mesh, Progress()).materials, std::size_t(0));
    }

    void survivesWildUvs() {
        Mesh mesh = sheetWithUvs(4, 4);
        mesh.uvs[0] = {1e30f, -1e30f};
        mesh.uvs[1] = {std::numeric_limits<float>::infinity(), 0};
        mesh.uvs[2] = {std::numeric_limits<float>::quiet_NaN(), 0};
        mesh.uvs[7] = {5000.25f, -4000.5f};
        findUvOverlap(mesh, Progress());  // neither hangs nor crashes
        const Progress cancelled;
        cancelled.cancel();
        QVERIFY_EXCEPTION_THROWN(findUvOverlap(mesh, cancelled), Cancelled);
    }
};

UM_TEST(UvMapTest)
#include "UvMapTest.moc"

// The closest place of a surface, walked to from near by.
#include "mesh/SurfaceWalk.h"
#include "tests/support/Broken.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <QTest>

using namespace um;

namespace {

// Of all triangles.
double leastSquaredDistance(const Mesh& mesh, const Vec3d& p) {
    double least = std::numeric_limits<double>::max();
    for (TriangleId t = 0; t < mesh.triangleCount(); ++t)
        least = std::min(least, closestOf(mesh, p, t).squaredDistance);
    return least;
}

// From -1 to 1.
double random(std::uint64_t i) {
    return double(mixBits(i) >> 11) * 0x1p-52 - 1;
}

}  // namespace

class SurfaceWalkTest : public QObject {
    Q_OBJECT

private slots:
    void enclosesEveryTriangle() {
        for (const double offset : {0.0, 1e6}) {
            Mesh heap = test::randomHeap(7, 60, 400);
            for (Vec3f& p : heap.positions) p += Vec3f::Constant(float(offset));
            const std::vector<Sphere> spheres = spheresOf(heap);
            QCOMPARE(spheres.size(), heap.triangleCount());
            for (TriangleId t = 0; t < heap.triangleCount(); ++t) {
                double longest = 0;
                for (std::size_t k = 0; k < 3; ++k) {
                    const Vec3f& p = heap.positions[heap.triangles[t][k]];
                    const Vec3f& q = heap.positions[heap.triangles[t][(k + 1) % 3]];
                    longest = std::max(longest, (p - q).cast<double>().norm());
                    QVERIFY((p - spheres[t].centre).norm() <= spheres[t].radius);
                }
                // No wider than a triangle of equal sides needs, but for the rounding.
                QVERIFY(double(spheres[t].radius) <= longest / std::sqrt(3.0) * (1 + 1e-5) + 3e-6 * (1 + 2 * offset));
            }
        }
    }

    // Around the edge of a box, as contraction leaves it: between the two faces lies a triangle without area.
    void walksBeyondWhatHasNoArea() {
        Mesh box;
        box.positions = {{0, 0, 0}, {4, 0, 0}, {2, 0, 0}, {2, 0, -3}, {2, 3, 0}};
        box.triangles = {{0, 3, 2}, {2, 3, 1}, {0, 2, 1}, {0, 1, 4}};
        const VertexTriangles around = findVertexTriangles(box.triangles, box.vertexCount());
        const Vec3d above(1.5, 1, 0), before(1.5, 0, -1);
        for (const TriangleId start : {0u, 1u, 2u})
            QCOMPARE(walkCloser(box, around, above, start).triangle, TriangleId(3));
        QCOMPARE(walkCloser(box, around, before, 3).triangle, TriangleId(0));
    }

    // Where faces meet at a right angle, the foot on the wrong one may lie a rounding within it.
    void walksAroundARightAngle() {
        Mesh box;
        box.positions = {{0, 0, 0}, {4, 0, 0}, {2, 1e-6F, -3}, {2, 3, 1e-6F}};
        box.triangles = {{0, 2, 1}, {0, 1, 3}};
        const VertexTriangles around = findVertexTriangles(box.triangles, box.vertexCount());
        const Vec3d p(2, 1, -1e-6);
        QCOMPARE(walkCloser(box, around, p, 0).triangle, TriangleId(1));
    }

    // From the tip of so wide a fan only those on the far side come closer.
    void walksAcrossAPole() {
        const Mesh tent = test::makeTent(10000);
        const VertexTriangles around = findVertexTriangles(tent.triangles, tent.vertexCount());
        const Vec3d p = 1.01 * test::middle(tent, 5000);
        QVERIFY(std::abs(walkCloser(tent, around, p, 0).squaredDistance - leastSquaredDistance(tent, p)) < 1e-12);
    }

    void findsTheClosestPlaceOfASphere() {
        const Mesh sphere = test::makeSphere(1, 12);
        const VertexTriangles around = findVertexTriangles(sphere.triangles, sphere.vertexCount());
        const std::vector<Sphere> spheres = spheresOf(sphere);
        for (std::uint64_t i = 0; i < 300; ++i) {
            // Near a vertex, as the walks of a polish are.
            const auto near = VertexId(mixBits(i) % sphere.vertexCount());
            const Vec3d p = sphere.positions[near].cast<double>() +
                            0.2 * Vec3d(random(3 * i), random(3 * i + 1), random(3 * i + 2));
            const TriangleId start = around.of(near).front();
            const double least = leastSquaredDistance(sphere, p);
            QCOMPARE(walkWidely(sphere, around, spheres, p, start).squaredDistance, least);
            QCOMPARE(searchAround(sphere, around, p, start).squaredDistance, least);
            const Closest closer = walkCloser(sphere, around, p, start);
            QVERIFY(closer.squaredDistance >= least);
            QVERIFY(closer.squaredDistance <= closestOf(sphere, p, start).squaredDistance);
            // Seen from outside, a ball has nowhere else to stop.
            const Vec3d outside = p * (1.05 / std::min(1.0, p.norm()));
            QCOMPARE(walkFromVertex(sphere, around, spheres, outside, near).squaredDistance,
                     leastSquaredDistance(sphere, outside));
        }
    }

    void findsWhatLiesBehindAFold() {
        // Two ridges; from the one, the surface first leads away from what lies above the other.
        const Mesh folds =
            test::makeSheet(40, 4, 4, 1, [](double x, double) { return 3 - 3 * std::abs(std::fmod(x, 2) - 1); });
        const VertexTriangles around = findVertexTriangles(folds.triangles, folds.vertexCount());
        const Vec3d p(3, 3.5, 0.52);
        TriangleId start = 0;
        for (TriangleId t = 0; t < folds.triangleCount(); ++t)
            if (closestOf(folds, Vec3d(1, 3.5, 0.52), t).squaredDistance <
                closestOf(folds, Vec3d(1, 3.5, 0.52), start).squaredDistance)
                start = t;
        const double least = leastSquaredDistance(folds, p);
        QVERIFY(std::abs(least - 0.25) < 1e-6);
        QVERIFY(walkWidely(folds, around, spheresOf(folds), p, start).squaredDistance > 4);  // stays at its ridge
        QCOMPARE(searchAround(folds, around, p, start).squaredDistance, least);
    }

    // All of the sheet is within twice the distance: more than a search is for. It comes closer as far as it looks.
    void endsWhereTheStartIsHopeless() {
        const Mesh sheet = test::makeSheet(120, 120);
        const VertexTriangles around = findVertexTriangles(sheet.triangles, sheet.vertexCount());
        const Vec3d p = sheet.positions.back().cast<double>() + Vec3d(0, 0.01, 0);
        const Closest closest = searchAround(sheet, around, p, 0);
        QVERIFY(closest.squaredDistance < closestOf(sheet, p, 0).squaredDistance);
        QCOMPARE(closest.squaredDistance, closestOf(sheet, p, closest.triangle).squaredDistance);
        // From there it goes on.
        TriangleId at = closest.triangle;
        for (int i = 0; i < 20; ++i) at = searchAround(sheet, around, p, at).triangle;
        QVERIFY(std::abs(searchAround(sheet, around, p, at).squaredDistance - 1e-4) < 1e-8);
    }

    void findsPastSmallBumps() {
        // A thin ridge stands between the start and a place beyond it.
        const Mesh sheet =
            test::makeSheet(20, 20, 1, 1, [](double x, double) { return std::abs(x - 0.5) < 0.01 ? 0.04 : 0.0; });
        const VertexTriangles around = findVertexTriangles(sheet.triangles, sheet.vertexCount());
        const Vec3d p(0.53, 0.001, 0.52);
        TriangleId start = 0;
        double nearest = std::numeric_limits<double>::max();
        for (TriangleId t = 0; t < sheet.triangleCount(); ++t) {
            const Triangle& triangle = sheet.triangles[t];
            Vec3d middle = Vec3d::Zero();
            for (const VertexId v : triangle) middle += sheet.positions[v].cast<double>() / 3;
            if (const double off = (middle - Vec3d(0.47, 0.02, 0.52)).norm(); off < nearest) {
                nearest = off;
                start = t;
            }
        }
        const double least = leastSquaredDistance(sheet, p);
        QVERIFY(walkCloser(sheet, around, p, start).squaredDistance > 1.5 * least);  // stops at the ridge
        QCOMPARE(walkWidely(sheet, around, spheresOf(sheet), p, start).squaredDistance, least);
    }
};

UM_TEST(SurfaceWalkTest)
#include "SurfaceWalkTest.moc"

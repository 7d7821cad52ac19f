// The small pieces of geometry that all else stands on: closest points of triangles, hulls.
#include "bake/Hull.h"
#include "base/Error.h"
#include "base/TrianglePoint.h"
#include "draw/Landmarks.h"
#include "tests/support/Files.h"
#include "tests/support/Numbers.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <QTest>

using namespace um;
using test::Numbers;

namespace {

double closestDistance(const Vec3d& p, const Vec3d& a, const Vec3d& b, const Vec3d& c) {
    const TrianglePoint at = closestOnTriangle(p, a, b, c);
    return (at.of(a, b, c) - p).norm();
}

}  // namespace

class GeometryTest : public QObject {
    Q_OBJECT

private slots:
    // What makes a place the closest: it lies in the triangle, and from it no corner lies in the direction of the
    // point. For a triangle, which is convex, that is all.
    void findsTheClosestPlaceOfATriangle() {
        Numbers number(1);
        for (int i = 0; i < 20000; ++i) {
            const double flat = i % 4 == 0 ? 1e-6 : 1;  // some of them slivers
            const Vec3d a = number.place(), b = number.place(), c = a + (b - a) * number() + flat * number.place();
            const Vec3d p = 3 * number.place();
            const TrianglePoint at = closestOnTriangle(p, a, b, c);
            QVERIFY(at.second >= 0 && at.third >= 0 && at.first() >= -1e-12);
            const Vec3d place = at.of(a, b, c);
            for (const Vec3d& corner : {a, b, c})
                QVERIFY2((p - place).dot(corner - place) < 1e-8, qPrintable(QString::number(i)));
        }
    }

    // Rounding makes anything of lines whose corners are not round numbers: no place on a side may be closer by more
    // than the needle is wide.
    void findsTheClosestPlaceOfANeedle() {
        Numbers number(2);
        for (int i = 0; i < 20000; ++i) {
            const Vec3d along = i % 3 == 0 ? Vec3d(Vec3d::Ones()) : number.place();
            const double width = i % 2 == 0 ? 0 : std::pow(10.0, -5 - i % 12);
            // As files have them, in single precision.
            const auto corner = [&] {
                const Vec3d place = number() * along + width * number.place();
                return Vec3d((1e7 * place).cast<float>().cast<double>());
            };
            const Vec3d a = corner(), b = corner(), c = corner();
            const Vec3d p = 1e7 * (i % 5 == 0 ? Vec3d(3 * number.place()) : Vec3d(number() * along));
            const TrianglePoint at = closestOnTriangle(p, a, b, c);
            QVERIFY(at.second >= 0 && at.third >= 0 && at.first() >= -1e-12);
            const double distance = (at.of(a, b, c) - p).norm();
            const double longest = std::max({(b - a).norm(), (c - b).norm(), (a - c).norm()});
            const double height = areaNormal(a, b, c).norm() / longest + 1e-9 * longest;
            for (const auto& [from, to] : {std::pair(a, b), std::pair(b, c), std::pair(c, a)}) {
                const Vec3d side = to - from;
                const double share = std::clamp((p - from).dot(side) / side.squaredNorm(), 0.0, 1.0);
                QVERIFY2(distance <= (from + share * side - p).norm() + height, qPrintable(QString::number(i)));
            }
        }
    }

    void livesWithTrianglesOfNoArea() {
        const Vec3d p(0.3, 2, -1), a(0, 0, 0), b(1, 0, 0), middle(0.5, 0, 0);
        QVERIFY(std::abs(closestDistance(p, a, b, middle) - (p - Vec3d(0.3, 0, 0)).norm()) < 1e-12);
        QVERIFY(std::abs(closestDistance(p, middle, a, b) - (p - Vec3d(0.3, 0, 0)).norm()) < 1e-12);
        QVERIFY(std::abs(closestDistance(p, a, a, b) - (p - Vec3d(0.3, 0, 0)).norm()) < 1e-12);
        QVERIFY(std::abs(closestDistance(p, b, b, b) - (p - b).norm()) < 1e-12);
    }

    void wrapsPointsInTheirHull() {
        Numbers number(5);
        for (int i = 0; i < 300; ++i) {
            std::vector<Vec2d> points;
            for (int k = 0; k < 3 + i % 40; ++k) {
                // On a grid too, where many lie in a row or twice in one place.
                const double x = number(), y = number();
                points.push_back(i % 2 == 0 ? Vec2d(x, y) : Vec2d(std::round(3 * x), std::round(3 * y)));
            }
            const std::vector<Vec2d> hull = convexHull(points);
            if (hull.size() < 3) continue;
            QVERIFY(polygonArea(hull) > 0);
            for (std::size_t k = 0; k < hull.size(); ++k) {
                const Vec2d &a = hull[k], &b = hull[(k + 1) % hull.size()], &c = hull[(k + 2) % hull.size()];
                const auto leftOf = [&](const Vec2d& p) {
                    return (b - a).x() * (p - a).y() - (b - a).y() * (p - a).x();
                };
                QVERIFY(leftOf(c) > 0);  // each a corner
                for (const Vec2d& p : points) QVERIFY(leftOf(p) > -1e-12);
                QVERIFY(std::find(points.begin(), points.end(), a) != points.end());
            }
        }
        QVERIFY(convexHull({}).empty());
        QVERIFY(convexHull({{1, 1}, {2, 2}, {3, 3}}).size() < 3);
        QCOMPARE(polygonArea({{0, 0}, {2, 0}, {2, 3}, {0, 3}}), 6.0);
        QCOMPARE(polygonArea({{0, 3}, {2, 3}, {2, 0}, {0, 0}}), -6.0);
    }

    void landmarksReachAsFarAsTheMesh() {
        // A heap of boxes in rows, whose vertices come in an order that regular steps fall in with; and a long ring.
        Mesh rows = test::makeBox({1, 1, 1});
        const std::vector<Vec3f> box = rows.positions;
        rows.positions.clear();
        for (int i = 0; i < 20 * 20 * 15; ++i)
            for (const Vec3f& corner : box)
                rows.positions.push_back(corner + 2 * Vec3f(float(i % 20), float(i / 20 % 20), float(i / 400)));
        const Mesh ring = test::makeTorus(3, 0.1, 400, 100);
        for (const Mesh* mesh : {&std::as_const(rows), &ring}) {
            QVERIFY(mesh->vertexCount() > 30'000);
            const std::vector<Vec3f> landmarks = findLandmarks(*mesh);
            QVERIFY(landmarks.size() < 5000);
            const auto reach = [](const std::vector<Vec3f>& places, const Vec3d& along) {
                double most = -1e9;
                for (const Vec3f& place : places) most = std::max(most, along.dot(place.cast<double>()));
                return most;
            };
            Numbers number(3);
            for (int i = 0; i < 300; ++i) {
                const Vec3d along = number.place().normalized();
                QVERIFY(reach(landmarks, along) > reach(mesh->positions, along) - 0.02 * diagonal(*mesh));
            }
        }
        const Mesh small = test::makeBumpyBall();
        QCOMPARE(findLandmarks(small), small.positions);
    }
};

UM_TEST(GeometryTest)
#include "GeometryTest.moc"

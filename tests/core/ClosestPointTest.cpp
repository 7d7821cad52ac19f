// Where a surface is closest to points: the order of the tree, what the tree answers, and on which side points lie.
#include "base/TrianglePoint.h"
#include "measure/ClosestOfMany.h"
#include "mesh/SpatialOrder.h"
#include "tests/support/Broken.h"
#include "tests/support/Files.h"
#include "tests/support/Numbers.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <oneapi/tbb/global_control.h>
#include <QTest>

using namespace um;
using test::Numbers;

namespace {

// Scattered in space, over a plane, on a line, or on the corners of a coarse grid, where many are in the same place.
std::vector<Placed> scattered(std::size_t count, int kind, unsigned seed) {
    Numbers number(seed);
    std::vector<Placed> items;
    for (std::size_t i = 0; i < count; ++i) {
        Vec3f place = number.place().cast<float>();
        if (kind == 1) place[2] = 0.25f;
        if (kind == 2) place = Vec3f::Constant(place[0]);
        if (kind == 3) place = (place * 3).array().round();
        items.push_back({{place[0], place[1], place[2]}, std::uint32_t(i)});
    }
    return items;
}

// Whether along one of the axes all of the first lie before all of the others.
bool areApart(std::span<const Placed> first, std::span<const Placed> others) {
    for (std::size_t axis = 0; axis < 3; ++axis) {
        const auto isBefore = [&](const Placed& a, const Placed& b) { return a.place[axis] < b.place[axis]; };
        const Placed &last = *std::max_element(first.begin(), first.end(), isBefore),
                     &next = *std::min_element(others.begin(), others.end(), isBefore);
        if (last.place[axis] <= next.place[axis]) return true;
    }
    return false;
}

// As the order promises: in units of eight, sixty-four and so on, cut in two again and again.
bool isCutInTwo(std::span<const Placed> items, std::size_t unit) {
    const std::size_t units = (items.size() + unit - 1) / unit;
    if (units < 2) return unit <= runLength || isCutInTwo(items, unit / runLength);
    const std::size_t middle = units / 2 * unit;
    return areApart(items.first(middle), items.subspan(middle)) && isCutInTwo(items.first(middle), unit) &&
           isCutInTwo(items.subspan(middle), unit);
}

bool isSame(const std::vector<Placed>& a, const std::vector<Placed>& b) {
    return std::equal(a.begin(), a.end(), b.begin(), b.end(),
                      [](const Placed& x, const Placed& y) { return x.id == y.id && x.place == y.place; });
}

// Each triangle asked, in double precision.
SurfacePoint closestByAsking(const Mesh& mesh, const Vec3d& p) {
    SurfacePoint best;
    best.distance = std::numeric_limits<double>::infinity();
    for (TriangleId t = 0; t < mesh.triangleCount(); ++t) {
        const Triangle& corners = mesh.triangles[t];
        const Vec3d a = mesh.positions[corners[0]].cast<double>(), b = mesh.positions[corners[1]].cast<double>(),
                    c = mesh.positions[corners[2]].cast<double>();
        const Vec3d place = closestOnTriangle(p, a, b, c).of(a, b, c);
        if ((place - p).norm() < best.distance) best = {t, place, (place - p).norm()};
    }
    return best;
}

// Compares groups of one to eight points with each triangle asked: the same triangle, too, where several are equally
// close.
QString difference(const Mesh& mesh, const std::vector<Vec3d>& points, unsigned seed) {
    Numbers number(seed);
    const ClosestPointFinder finder(mesh, Progress());
    for (std::size_t first = 0; first < points.size();) {
        const std::size_t count = std::min(points.size() - first, 1 + number.below(ClosestPointFinder::atOnce));
        std::vector<SurfacePoint> found(count);
        finder.find({&points[first], count}, TriangleId(number.below(mesh.triangleCount())), found);
        for (std::size_t i = 0; i < count; ++i) {
            const SurfacePoint known = closestByAsking(mesh, points[first + i]);
            if (found[i].triangle != known.triangle || found[i].distance != known.distance ||
                found[i].place != known.place)
                return QString("%1 on %2 instead of %3 on %4")
                    .arg(found[i].distance, 0, 'g', 12)
                    .arg(found[i].triangle)
                    .arg(known.distance, 0, 'g', 12)
                    .arg(known.triangle);
        }
        first += count;
    }
    return {};
}

// Near the surface, on it, above its vertices and the middles of its edges, and far away.
std::vector<Vec3d> pointsAround(const Mesh& mesh, std::size_t count, unsigned seed) {
    Numbers number(seed);
    const Vec3d middle = boundingBox(mesh).center().cast<double>();
    const double size = std::max(diagonal(mesh), 1e-12);
    std::vector<Vec3d> points;
    for (std::size_t i = 0; i < count; ++i) {
        const Triangle& t = mesh.triangles[number.below(mesh.triangleCount())];
        const Vec3d a = mesh.positions[t[0]].cast<double>(), b = mesh.positions[t[1]].cast<double>();
        const Vec3d up = Vec3d(0, 0.1, 0) * size;
        switch (i % 5) {
            case 0: points.push_back(middle + size * number.place()); break;
            case 1: points.push_back(a + 0.01 * size * number.place()); break;
            case 2: points.push_back(a + up); break;
            case 3: points.push_back((a + b) / 2 + (i % 2 == 0 ? up : Vec3d(Vec3d::Zero()))); break;
            default: points.push_back(middle + 30 * size * number.place());
        }
    }
    return points;
}

}  // namespace

class ClosestPointTest : public QObject {
    Q_OBJECT

private slots:
    void cutsInTwoAgainAndAgain() {
        for (const std::size_t count : {1, 7, 8, 9, 64, 65, 127, 129, 512, 700, 5000, 40000})
            for (int kind = 0; kind < 4; ++kind) {
                std::vector<Placed> items = scattered(count, kind, unsigned(count)), before = items;
                orderByPlace(items, Progress());
                std::size_t unit = runLength;
                while (unit * runLength < count) unit *= runLength;
                QVERIFY2(isCutInTwo(items, unit), qPrintable(QString("%1 of kind %2").arg(count).arg(kind)));
                // All of them are there still, each in its place.
                std::sort(items.begin(), items.end(), [](const Placed& a, const Placed& b) { return a.id < b.id; });
                QVERIFY(isSame(items, before));
            }
        std::vector<Placed> nothing;
        orderByPlace(nothing, Progress());
    }

    void ordersTheSameWithOneThread() {
        for (int kind = 0; kind < 4; ++kind) {
            std::vector<Placed> one = scattered(60000, kind, 3), many = one;
            orderByPlace(many, Progress());
            const tbb::global_control limit(tbb::global_control::max_allowed_parallelism, 1);
            orderByPlace(one, Progress());
            QVERIFY(isSame(one, many));
        }
    }

    void stopsOrderingWhenCancelled() {
        std::vector<Placed> items = scattered(60000, 0, 3);
        const Progress progress;
        progress.cancel();
        QVERIFY_THROWS_EXCEPTION(Cancelled, orderByPlace(items, progress));
    }

    void agreesWithEachTriangleAsked() {
        // Where many are equally close: above the corners of a flat grid, around a box, among triangles that are there
        // twice.
        for (const Mesh& mesh : {test::makeSheet(9, 7), test::makeBox({1, 1, 1}, 4), test::makeTorus(1, 0.4, 20, 11),
                                 test::damagedSphere(4), test::randomHeap(5, 40, 90), test::randomHeap(7, 300, 700)})
            QCOMPARE(difference(mesh, pointsAround(mesh, 600, 11), 12), QString());
        for (const std::size_t count : {1, 2, 8, 9, 63, 65}) {
            const Mesh few = test::randomHeap(unsigned(count), 30, count);
            QCOMPARE(difference(few, pointsAround(few, 200, 13), 14), QString());
        }
    }

    void agreesOnNeedlesAndLines() {
        Numbers number(6);
        Mesh mesh;
        for (int i = 0; i < 400; ++i) {
            const Vec3d a = number.place(), along = number.place();
            // From nearly a line to exactly one, a few along an axis, some of no length.
            const double width = std::pow(10.0, -double(i % 12));
            const Vec3d way = i % 3 == 0 ? Vec3d(Vec3d::UnitX()) : along;
            const Vec3d b = i % 17 == 0 ? a : Vec3d(a + way);
            const Vec3d c = a + number() * way + (i % 12 == 11 ? 0.0 : width) * number.place();
            for (const Vec3d& corner : {a, b, c}) mesh.positions.push_back(corner.cast<float>());
            const auto first = VertexId(3 * i);
            mesh.triangles.push_back({first, first + 1, first + 2});
        }
        ensureSections(mesh, "needles");
        QCOMPARE(difference(mesh, pointsAround(mesh, 1500, 15), 16), QString());
    }

    void agreesAtAnyScaleAndFarFromTheOrigin() {
        for (const float scale : {1e-8f, 1e-3f, 1e4f, 3e9f})
            for (const float away : {0.0f, 1.0f, 1000.0f}) {
                Mesh mesh = test::makeTorus(1, 0.4, 20, 11);
                for (Vec3f& p : mesh.positions) p = scale * (p + Vec3f::Constant(scale < 1e9f ? away : 0));
                QCOMPARE(difference(mesh, pointsAround(mesh, 300, 17), 18), QString());
            }
    }

    void asksForManyWhateverTheirOrder() {
        const Mesh mesh = test::makeTorus(1, 0.4, 60, 40);
        const ClosestPointFinder finder(mesh, Progress());
        const std::vector<Vec3d> points = pointsAround(mesh, 5001, 19);
        std::vector<SurfacePoint> found(points.size());
        findClosestOfMany(
            finder, points.size(), [&](std::size_t i) { return points[i]; },
            [&](std::size_t i, const Vec3d& place, const SurfacePoint& closest) {
                found[i] = closest;
                if (place != points[i]) found[i].distance = -1;
            },
            Progress());
        for (std::size_t i = 0; i < points.size(); ++i) {
            const SurfacePoint alone = finder.find(points[i], TriangleId(i % mesh.triangleCount()));
            QCOMPARE(found[i].triangle, alone.triangle);
            QVERIFY(found[i].distance == alone.distance && found[i].place == alone.place);
        }
    }

    void listsAllVerticesOnce() {
        Mesh mesh = test::makeTorus(1, 0.4, 60, 40);
        mesh.positions.emplace_back(7, 7, 7);  // that no triangle uses
        const ClosestPointFinder finder(mesh, Progress());
        std::vector<VertexId> order = finder.vertexOrder();
        // Neighbours: a step from one to the next is much shorter than one between any two.
        double way = 0;
        for (std::size_t i = 0; i + 2 < order.size(); ++i)
            way += double((mesh.positions[order[i + 1]] - mesh.positions[order[i]]).norm());
        QVERIFY(way / double(order.size()) < 0.1 * diagonal(test::makeTorus(1, 0.4, 60, 40)));
        std::sort(order.begin(), order.end());
        QCOMPARE(order.size(), mesh.vertexCount());
        for (VertexId v = 0; v < order.size(); ++v) QCOMPARE(order[v], v);
    }

    void tellsInsideFromOutside() {
        Numbers number(4);
        const Mesh box = test::makeBox({2, 1, 3}, 2);
        const ClosestPointFinder finder(box, Progress());
        for (int i = 0; i < 3000; ++i) {
            const Vec3d p = 2 * number.place();
            const bool isInside = std::abs(p.x()) < 1 && std::abs(p.y()) < 0.5 && std::abs(p.z()) < 1.5;
            QCOMPARE(finder.sideOf(p, finder.find(p, 0)) < 0, isInside);
        }
    }

    void findsNothingOnNothing() {
        QVERIFY(!test::errorOf([] { ClosestPointFinder(Mesh(), Progress()); }).isEmpty());
    }
};

UM_TEST(ClosestPointTest)
#include "ClosestPointTest.moc"

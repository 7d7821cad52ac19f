// Charts made of triangles: joined where they lie flat together, parted along the shortest line, and none too large.
#include "bake/ChartPairs.h"
#include "bake/JoinedCharts.h"
#include "bake/StraightBorders.h"
#include "bake/StraightCharts.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <numeric>
#include <QTest>
#include <random>

using namespace um;

namespace {

template <typename IsIn>
std::vector<TriangleId> those(const Mesh& mesh, const IsIn& isIn) {
    std::vector<TriangleId> result;
    for (TriangleId t = 0; t < mesh.triangleCount(); ++t)
        if (isIn(test::middle(mesh, t))) result.push_back(t);
    return result;
}

// Both half-edges of each edge all of whose vertices are so.
template <typename IsThere>
std::vector<std::uint64_t> cutsWhere(const ChartMaker& maker, const std::vector<TriangleId>& triangles,
                                     const IsThere& isThere) {
    std::vector<std::uint64_t> cuts;
    for (const TriangleId t : triangles)
        for (std::size_t k = 0; k < 3; ++k) {
            const Triangle& corners = maker.mesh().triangles[t];
            const TriangleId other = maker.around().beyond[t][k];
            if (isThere(maker.mesh().positions[corners[k]]) && isThere(maker.mesh().positions[corners[(k + 1) % 3]]) &&
                std::binary_search(triangles.begin(), triangles.end(), other))
                cuts.push_back(edgeOf(t, k));
        }
    return cuts;
}

double borderCost(const ChartMaker& maker, const std::vector<Chart>& charts) {
    return costOfBorders(maker.around(), chartOfEach(charts, maker.mesh().triangleCount()));
}

// Each triangle in just one chart, none stretched by more than a tenth.
bool areSound(const Mesh& mesh, const std::vector<Chart>& charts) {
    std::vector<int> count(mesh.triangleCount(), 0);
    for (const Chart& chart : charts) {
        if (chart.triangles.size() != chart.patch.triangles.size()) return false;
        if (!std::is_sorted(chart.triangles.begin(), chart.triangles.end())) return false;
        if (!(stretchOf(chart.patch).mean < 1.1)) return false;
        for (const TriangleId t : chart.triangles) ++count[t];
    }
    return count == std::vector<int>(mesh.triangleCount(), 1);
}

}  // namespace

class ChartsTest : public QObject {
    Q_OBJECT

private slots:
    // The one triangle that is missing in a tube that is cut open lies at the cut: with all its edges joined it would
    // close the tube again.
    void takesInATriangleAtACut() {
        const Mesh mesh = test::makeTube(24, 10, 4);
        const ChartMaker maker(mesh, {});
        const auto isSeam = [](const Vec3f& p) { return p.x() > 0.999F; };
        int taken = 0;
        for (const TriangleId alone : those(mesh, [](const Vec3d& p) { return p.x() > 0.98; })) {
            std::vector<TriangleId> others(mesh.triangleCount());
            std::iota(others.begin(), others.end(), 0u);
            others.erase(others.begin() + alone);
            std::vector<Chart> charts = {maker.single(alone),
                                         maker.flat(others, cutsWhere(maker, others, isSeam)).value()};
            joinCharts(maker, charts, Progress());
            QCOMPARE(charts.size(), std::size_t(1));
            QVERIFY(areSound(mesh, charts));
            QVERIFY(stretchOf(charts[0].patch).mean < 1.001);
            ++taken;
        }
        QVERIFY(taken >= 20);
    }

    // Two sheets with teeth along the line where they meet.
    void partsTwoAlongALine() {
        const Mesh mesh = test::makeSheet(20, 10, 2, 1);
        const ChartMaker maker(mesh, {});
        std::mt19937 random(1);
        std::vector<double> ends(10);
        for (double& end : ends) end = 0.8 + 0.1 * double(random() % 4);
        const auto isLeft = [&](const Vec3d& p) { return p.x() < ends[std::size_t(p.z() * 10)]; };
        const std::vector<TriangleId> left = those(mesh, isLeft);
        const std::vector<TriangleId> right = those(mesh, [&](const Vec3d& p) { return !isLeft(p); });
        std::vector<Chart> charts = {maker.flat(left, {}).value(), maker.flat(right, {}).value()};
        QVERIFY(borderCost(maker, charts) > 2);
        straightenCharts(maker, charts, Progress());
        QCOMPARE(charts.size(), std::size_t(2));
        QVERIFY(areSound(mesh, charts));
        QVERIFY(borderCost(maker, charts) < 1.11);
    }

    // Two tubes in a row, each cut open on another side. Their cuts reach the straight border, and end there.
    void partsTubesThatAreCutOpen() {
        const Mesh mesh = test::makeTube(24, 20, 8);
        const ChartMaker maker(mesh, {});
        std::mt19937 random(2);
        std::vector<double> ends(24);
        for (double& end : ends) end = 3.6 + 0.4 * double(random() % 3);
        ends[0] = ends[23] = 4.4;  // where the one is cut, and the other
        ends[11] = ends[12] = 3.6;
        const auto isLeft = [&](const Vec3d& p) {
            const double turn = std::atan2(p.z(), p.x()) / (2 * pi) * 24;
            return p.y() < ends[std::size_t(turn + 24) % 24];
        };
        const std::vector<TriangleId> left = those(mesh, isLeft);
        const std::vector<TriangleId> right = those(mesh, [&](const Vec3d& p) { return !isLeft(p); });
        std::vector<Chart> charts = {
            maker.flat(left, cutsWhere(maker, left, [](const Vec3f& p) { return p.x() > 0.999F; })).value(),
            maker.flat(right, cutsWhere(maker, right, [](const Vec3f& p) { return p.x() < -0.999F; })).value()};
        const double before = borderCost(maker, charts);
        straightenCharts(maker, charts, Progress());
        QVERIFY(areSound(mesh, charts));
        QVERIFY2(borderCost(maker, charts) < 0.8 * before,
                 qPrintable(QString("%1 %2").arg(before).arg(borderCost(maker, charts))));
        for (const Chart& chart : charts)
            for (const std::uint64_t edge : chart.cuts) {
                const TriangleId other = maker.around().beyond[edge / 3][edge % 3];
                QVERIFY(std::binary_search(chart.triangles.begin(), chart.triangles.end(), TriangleId(edge / 3)));
                QVERIFY(std::binary_search(chart.triangles.begin(), chart.triangles.end(), other));
            }
    }

    // Corners of a box stay corners.
    void joinsNoThreeSidesOfABox() {
        const Mesh mesh = test::makeBox({1, 1.2, 1.4}, 3);
        const std::vector<Chart> charts = cutIntoCharts(mesh, {}, Progress());
        for (const Chart& chart : charts) QVERIFY(stretchOf(chart.patch).worst < 1 + 1e-5);
    }

    // A strip is cut where it is longer than told, unless it is wide for its length.
    void isLongOnlyWhereItIsWide() {
        for (const double length : {3.0, 12.0, 30.0, 60.0, 150.0}) {
            const Mesh mesh = test::makeTube(16, std::size_t(length) * 2, length);
            double area = 0;
            for (TriangleId t = 0; t < mesh.triangleCount(); ++t) area += triangleArea(mesh, t);
            const ChartSettings settings;
            for (const Chart& chart : cutIntoCharts(mesh, settings, Progress())) {
                double longest = 0, own = 0;
                for (const Vec2d& a : chart.patch.flat)
                    for (const Vec2d& b : chart.patch.flat) longest = std::max(longest, (a - b).norm());
                for (const TriangleId t : chart.triangles) own += triangleArea(mesh, t);
                QVERIFY2(longest <= settings.mostLength * std::sqrt(area) || longest <= std::sqrt(3 * own) * (1 + 1e-6),
                         qPrintable(QString("%1: %2 of %3").arg(length).arg(longest).arg(own)));
            }
        }
    }

    // However it is shaped: a sheet has a side.
    void reachesNoFartherThanAsked() {
        for (const double reach : {0.6, 1.1, 1.7}) {
            ChartSettings settings;
            settings.mostReach = reach;
            for (const Mesh& mesh :
                 {test::makeSheet(20, 20, 2, 1), test::makeSphere(1, 12), test::makeTube(24, 20, 8)}) {
                const std::vector<Chart> charts = cutIntoCharts(mesh, settings, Progress());
                QVERIFY(areSound(mesh, charts));
                for (const Chart& chart : charts)
                    for (const Vec2d& a : chart.patch.flat)
                        for (const Vec2d& b : chart.patch.flat) QVERIFY((a - b).norm() <= reach * (1 + 1e-6));
            }
        }
    }

    // Two squares lie beside each other on half of a sheet only: one of them is cut, unless there is a sheet for each.
    // Two halves of a square find room.
    void cutsAllButOneThatFillASheetBadly() {
        const auto pair = [](float depth) {
            const Mesh one = test::makeSheet(8, 8, 1, depth);
            return test::joined(one, test::moved(one, {0, 5, 0}));
        };
        const Mesh squares = pair(1), halves = pair(0.5);
        ChartSettings settings;
        const std::vector<Chart> cut = cutIntoCharts(squares, settings, Progress());
        QVERIFY(areSound(squares, cut));
        QCOMPARE(cut.size(), std::size_t(3));
        QCOMPARE(cutIntoCharts(halves, settings, Progress()).size(), std::size_t(2));
        QCOMPARE(cutIntoCharts(test::makeSheet(8, 8, 1, 1), settings, Progress()).size(), std::size_t(1));
        settings.sheets = 2;
        QCOMPARE(cutIntoCharts(squares, settings, Progress()).size(), std::size_t(2));
    }

    // In pieces a wheel with teeth comes to no less room, a thin ring to much less.
    void leavesAWheelWithItsTeethWhole() {
        ChartSettings settings;
        settings.padding = 8.0 / 2048;
        Mesh wheel = test::makeTent(400);
        for (VertexId v = 0; v < wheel.vertexCount(); ++v) {
            wheel.positions[v].y() = 0;
            if (v % 2 == 0) wheel.positions[v] *= 0.7F;
        }
        const std::vector<Chart> whole = cutIntoCharts(wheel, settings, Progress());
        QVERIFY(areSound(wheel, whole));
        QCOMPARE(whole.size(), std::size_t(1));
        Mesh ring = test::makeSheet(64, 2);
        for (Vec3f& p : ring.positions) {
            const double angle = 1.9 * pi * double(p.x()), radius = 1 + 0.1 * double(p.z());
            p = {float(radius * std::cos(angle)), 0, float(radius * std::sin(angle))};
        }
        const std::vector<Chart> pieces = cutIntoCharts(ring, settings, Progress());
        QVERIFY(areSound(ring, pieces));
        QVERIFY(pieces.size() > 1);
    }

    // Nor are they made by joining: three strips side by side make two thirds of the surface, like three others.
    void joinsNoTwoThatFillASheetBadly() {
        const Mesh square = test::makeSheet(12, 12, 3, 3);
        const Mesh mesh = test::joined(square, test::moved(square, {0, 5, 0}));
        const ChartMaker maker(mesh, ChartSettings());
        std::vector<Chart> charts;
        for (const double height : {0.0, 5.0})
            for (const double from : {0.0, 1.0, 2.0})
                charts.push_back(maker
                                     .flat(those(mesh,
                                                 [&](const Vec3d& p) {
                                                     return std::abs(p.y() - height) < 1 && p.x() > from &&
                                                            p.x() < from + 1;
                                                 }),
                                           {})
                                     .value());
        joinCharts(maker, charts, Progress());
        QVERIFY(areSound(mesh, charts));
        const auto large = std::ranges::count_if(charts, [&](const Chart& chart) { return maker.isLarge(chart); });
        QCOMPARE(large, 1);
        QVERIFY(charts.size() >= 3);
    }

    // A part keeps the cuts between its own triangles.
    void keepsTheCutsWithinAPart() {
        const Mesh mesh = test::makeSheet(4, 4, 4, 4);
        const ChartMaker maker(mesh, ChartSettings());
        const auto all = those(mesh, [](const Vec3d&) { return true; });
        const auto left = those(mesh, [](const Vec3d& p) { return p.x() < 2; });
        const auto along = [](float x) { return [x](const Vec3f& p) { return p.x() == x; }; };
        const std::vector<std::uint64_t> inside = cutsWhere(maker, all, along(1)),
                                         rim = cutsWhere(maker, all, along(2));
        QCOMPARE(inside.size(), std::size_t(8));
        QCOMPARE(maker.cutsWithin(inside, left), inside);
        QCOMPARE(rim.size(), std::size_t(8));
        QVERIFY(maker.cutsWithin(rim, left).empty());
    }

    // An angle leaves much of its hull empty, and still does so with a little square in its corner: together they waste
    // less than apart.
    void joinsWhatWastesNoMoreThanApart() {
        Mesh mesh = test::makeSheet(30, 30, 3, 3);
        const auto isLittle = [](const Vec3d& p) { return p.x() > 1 && p.x() < 1.5 && p.z() > 1 && p.z() < 1.5; };
        std::vector<Triangle> kept;
        for (TriangleId t = 0; t < mesh.triangleCount(); ++t)
            if (const Vec3d p = test::middle(mesh, t); p.x() < 1 || p.z() < 1 || isLittle(p))
                kept.push_back(mesh.triangles[t]);
        mesh.triangles = kept;
        mesh.sections.clear();
        ensureSections(mesh, "angle");
        ChartSettings settings;  // it is all there is
        settings.mostShare = 1;
        settings.mostLength = 10;
        const ChartMaker maker(mesh, settings);
        std::vector<Chart> charts = {maker.flat(those(mesh, [&](const Vec3d& p) { return !isLittle(p); }), {}).value(),
                                     maker.flat(those(mesh, isLittle), {}).value()};
        QCOMPARE_LE(std::abs(hullArea(charts[0]) - 7), 1e-3);
        QCOMPARE_LE(std::abs(hullArea(charts[1]) - 0.25), 1e-3);
        const std::vector<TriangleId> both = trianglesOf(charts[0], charts[1]);
        QVERIFY(!maker.handy(both, {}));
        QVERIFY(!maker.handy(both, {}, 6.9));
        QVERIFY(maker.handy(both, {}, 7.1));
        joinCharts(maker, charts, Progress());
        QCOMPARE(charts.size(), std::size_t(1));
    }

    void choosesEachOnce() {
        const std::vector<ChartPair> pairs =
            eachOnce({{1, {0, 1}}, {5, {1, 2}}, {3, {2, 3}}, {2, {3, 4}}, {2, {0, 5}}}, 6);
        QCOMPARE(pairs, (std::vector<ChartPair>{{1, 2}, {0, 5}, {3, 4}}));
    }

    void findsThePartsOfPieces() {
        const Mesh mesh = test::makeSheet(6, 1, 6, 1);
        const Neighbours around = findNeighbours(mesh, {});
        std::vector<std::uint32_t> pieceOf;
        for (TriangleId t = 0; t < mesh.triangleCount(); ++t)
            pieceOf.push_back(test::middle(mesh, t).x() > 2 && test::middle(mesh, t).x() < 4 ? 7 : 3);
        const auto groups = connectedGroups(around, pieceOf);
        QCOMPARE(groups.size(), std::size_t(3));  // one of the pieces lies on both sides of the other
        for (const auto& group : groups) {
            QCOMPARE(group.size(), std::size_t(4));
            QVERIFY(std::is_sorted(group.begin(), group.end()));
            for (const TriangleId t : group) QCOMPARE(pieceOf[t], pieceOf[group[0]]);
        }
    }
};

UM_TEST(ChartsTest)
#include "ChartsTest.moc"

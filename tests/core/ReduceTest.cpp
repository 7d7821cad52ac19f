#include "measure/Deviation.h"
#include "mesh/Statistics.h"
#include "reduce/Cluster.h"
#include "reduce/Reduce.h"
#include "tests/support/Files.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <oneapi/tbb/global_control.h>
#include <QTest>
#include <set>
#include <thread>

using namespace um;

namespace {

Reduced reduce(const Mesh& mesh, std::size_t target) {
    Reduced result = reduceMesh(mesh, target, {}, Progress());
    requireSound(result.mesh, "the result");
    return result;
}

double wave(double x, double z) {
    return 0.08 * std::sin(9 * x) * std::cos(7 * z);
}

Statistics statisticsOf(const Mesh& mesh) {
    return gatherStatistics(mesh, Progress()).whole;
}

}  // namespace

class ReduceTest : public QObject {
    Q_OBJECT

private slots:
    void reachesEveryEvenCountOfAClosedMeshExactly() {
        const Mesh sphere = test::makeSphere(1, 16);
        for (std::size_t target = 20; target < sphere.triangleCount(); target += 226) {
            const Reduced result = reduce(sphere, target);
            QVERIFY(result.targetMet);
            QCOMPARE(result.mesh.triangleCount(), target);
        }
    }

    void goesOneUnderWhereParityForcesIt() {
        // A closed surface has an even number of triangles.
        const Reduced result = reduce(test::makeSphere(1, 12), 101);
        QVERIFY(result.targetMet);
        QCOMPARE(result.mesh.triangleCount(), std::size_t(100));
    }

    void reachesOddCountsThroughABorder() {
        const Mesh sheet = test::makeSheet(30, 30, 1, 1, wave);
        for (const std::size_t target : {std::size_t(501), std::size_t(500), std::size_t(77)})
            QCOMPARE(reduce(sheet, target).mesh.triangleCount(), target);
    }

    void leavesTheSourceAlone() {
        const Mesh sphere = test::makeSphere(1, 10);
        const Mesh before = sphere;
        reduce(sphere, 100);
        QCOMPARE(sphere.positions, before.positions);
        QCOMPARE(sphere.triangles, before.triangles);
    }

    void returnsTheSourceForATargetAboveIt() {
        const Mesh sphere = test::makeSphere(1, 4);
        QCOMPARE(reduce(sphere, 100000).mesh.triangles, sphere.triangles);
    }

    void givesTheSameMeshForAnyNumberOfThreads() {
        // Above 16,000 vertices a mesh is contracted in several regions at a time.
        const Mesh sheet = test::makeSheet(250, 250, 1, 1, wave);
        QVERIFY(sheet.vertexCount() > 3 * 16000);
        Mesh with[2];
        for (const std::size_t threads : {1, 2}) {
            const tbb::global_control limit(tbb::global_control::max_allowed_parallelism, threads);
            with[threads - 1] = reduce(sheet, 999).mesh;
        }
        QCOMPARE(with[0].positions, with[1].positions);
        QCOMPARE(with[0].triangles, with[1].triangles);
    }

    void collapsesACubeToTwelveTrianglesWithoutError_data() {
        QTest::addColumn<int>("segments");
        QTest::addColumn<double>("turn");
        QTest::newRow("one region") << 40 << 0.0;
        QTest::newRow("many regions") << 200 << 0.0;
        QTest::newRow("not along the axes") << 120 << 0.7;
    }
    void collapsesACubeToTwelveTrianglesWithoutError() {
        QFETCH(int, segments);
        QFETCH(double, turn);
        Mesh cube = test::makeBox({2, 2, 2}, segments);
        const Eigen::AngleAxisf turned(float(turn), Vec3f(1, 2, 3).normalized());
        if (turn != 0)
            for (Vec3f& p : cube.positions) p = turned * p;
        const Reduced result = reduce(cube, 12);
        QCOMPARE(result.mesh.triangleCount(), std::size_t(12));
        QCOMPARE(result.mesh.vertexCount(), std::size_t(8));
        QVERIFY(std::abs(test::volume(result.mesh) - 8) < 1e-4);
        QVERIFY(measureDeviation(cube, result.mesh, {}, Progress()).max < 1e-4);
    }

    void neverTurnsATriangleOver() {
        const Mesh sheet = test::makeSheet(80, 80, 1, 1, wave);
        for (const std::size_t target : {4000, 600, 60})
            QCOMPARE(test::trianglesFacingAway(reduce(sheet, target).mesh, {0, 1, 0}), std::size_t(0));
    }

    void keepsTheTopology() {
        // A ring stays a ring: V - E + F = 0, closed and manifold, down to where nothing more can go.
        const Mesh torus = test::makeTorus(1, 0.3, 24, 60);
        for (const std::size_t target : {600, 60, 20}) {
            const Mesh level = reduce(torus, target).mesh;
            const Statistics s = statisticsOf(level);
            QVERIFY(s.sound());
            QCOMPARE(s.borderEdges, std::size_t(0));
            QCOMPARE(2 * level.vertexCount(), level.triangleCount());
        }
    }

    void doesNotDestroyATetrahedron() {
        const Reduced result = reduce(test::makeTetrahedron(), 2);
        QCOMPARE(result.mesh.triangleCount(), std::size_t(4));
        QVERIFY(!result.targetMet);
    }

    void keepsBordersWhereTheyAre() {
        const Mesh sheet = test::makeSheet(50, 50);
        const Mesh level = reduce(sheet, 2).mesh;
        QCOMPARE(level.triangleCount(), std::size_t(2));
        const Box3f box = boundingBox(level);
        QVERIFY((box.min() - Vec3f(0, 0, 0)).norm() < 1e-4f && (box.max() - Vec3f(1, 0, 1)).norm() < 1e-4f);
        QVERIFY(std::abs(statisticsOf(level).area - 1) < 1e-3);
    }

    void keepsSeamsClosedAndUvsInTheirPlace() {
        Mesh sheet = test::makeSheet(60, 60, 1, 1, wave);
        test::addUvsWithSeam(sheet, 0.5);
        const Mesh level = reduce(sheet, 900).mesh;
        QVERIFY(test::wedgesBelongToOneVertex(level));
        QCOMPARE(statisticsOf(level).borderLoops, std::size_t(1));  // only the rim: the seam never opened
        std::size_t onSeam = 0;
        for (std::size_t t = 0; t < level.triangleCount(); ++t)
            for (std::size_t c = 0; c < 3; ++c) {
                const Vec3f& p = level.positions[level.triangles[t][c]];
                const Vec2f uv = level.uvs[level.wedges[t][c]];
                const double u = uv.x() > 5 ? uv.x() - 10 : uv.x();
                // Each side of the seam keeps its own values, and they stay where they lay, to an edge's length or so.
                QVERIFY(uv.x() > 5 ? p.x() > 0.5f - 1e-3f : p.x() < 0.5f + 1e-3f);
                QVERIFY2(std::hypot(u - double(p.x()), double(uv.y() - p.z())) < 0.03,
                         qPrintable(QString("%1 %2").arg(u - double(p.x())).arg(double(uv.y() - p.z()))));
                onSeam += std::abs(p.x() - 0.5f) < 1e-4f ? 1 : 0;
            }
        QVERIFY(onSeam > 10);
    }

    void keepsMaterialLimitsTogether() {
        Mesh sheet = test::makeSheet(40, 40, 1, 1, wave);
        sheet.materials.resize(2);
        // The first half of the rows is of one material, the rest of the other.
        sheet.sections = {{0, 0, 0, 1600}, {0, 1, 1600, 1600}};
        const Mesh level = reduce(sheet, 300).mesh;
        QCOMPARE(level.sections.size(), std::size_t(2));
        QCOMPARE(statisticsOf(level).borderLoops, std::size_t(1));
        for (const Section& section : level.sections)
            for (std::uint32_t i = 0; i < section.triangleCount; ++i)
                for (const VertexId v : level.triangles[section.firstTriangle + i])
                    QVERIFY(section.material == 0 ? level.positions[v].z() < 0.503f : level.positions[v].z() > 0.497f);
    }

    void keepsPartsAndMakesNormals() {
        Mesh mesh = test::joined(test::makeSphere(1, 12), test::moved(test::makeSphere(1, 12), {4, 0, 0}));
        for (const Vec3f& p : mesh.positions)
            mesh.normals.push_back((p - (p.x() > 2 ? Vec3f(4, 0, 0) : Vec3f(0, 0, 0))).normalized());
        const Mesh level = reduce(mesh, 400).mesh;
        QCOMPARE(level.sections.size(), std::size_t(2));
        QCOMPARE(statisticsOf(level).pieces, std::size_t(2));
        QVERIFY(!level.normals.empty());
        for (std::size_t t = 0; t < level.triangleCount(); ++t)
            for (std::size_t c = 0; c < 3; ++c) {
                const Vec3f& p = level.positions[level.triangles[t][c]];
                const Vec3f out = (p - (p.x() > 2 ? Vec3f(4, 0, 0) : Vec3f(0, 0, 0))).normalized();
                QVERIFY(level.normals[level.wedgesOf(TriangleId(t))[c]].dot(out) > 0.9f);
            }
    }

    void comesCloseToTheBestForASphere() {
        // With n triangles inscribed and circumscribed alike, a unit sphere cannot be met better than about 2.4 / n in
        // the largest distance (equal triangles, half outside); twice that is good.
        const Mesh sphere = test::makeSphere(1, 80);
        const Mesh level = reduce(sphere, 1000).mesh;
        const Deviation d = measureDeviation(sphere, level, {}, Progress());
        QVERIFY2(d.rms < 2.4 / 1000, qPrintable(QString::number(d.rms)));
        QVERIFY2(d.max < 4 * 2.4 / 1000, qPrintable(QString::number(d.max)));
    }

    void keepsItsHeadOverBrokenMeshes() {
        Mesh broken;
        broken.positions = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, -1, 0}, {0, 0, 1}, {2, 2, 2}, {1, 0, 0}};
        broken.triangles = {{0, 1, 2}, {1, 0, 3}, {0, 1, 4}, {0, 2, 1}, {2, 2, 4}, {1, 6, 1}, {0, 1, 6}};
        ensureSections(broken, "broken");
        for (const std::size_t target : {4, 3}) QCOMPARE(reduce(broken, target).mesh.triangleCount(), target);
        const std::size_t least = reduce(broken, 1).mesh.triangleCount();
        QVERIFY(least >= 1 && least <= 3);
        Mesh single;
        single.positions = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}};
        single.triangles = {{0, 1, 2}};
        ensureSections(single, "single");
        QCOMPARE(reduce(single, 1).mesh.triangleCount(), std::size_t(1));
        QVERIFY(test::errorOf([] { reduce(Mesh(), 1); }).contains("no triangles"));
        Mesh lines;
        lines.positions = {{0, 0, 0}, {1, 0, 0}, {2, 0, 0}, {3, 0, 0}};
        lines.triangles = {{0, 1, 2}, {1, 2, 3}, {1, 1, 2}};
        ensureSections(lines, "lines");
        QVERIFY(test::errorOf([&] { reduce(lines, 1); }).contains("without area"));
    }

    void reducesTanglesThatFallTogether() {
        // Random triangles on few places: with a topology that may change they fold and vanish all the time.
        for (std::uint64_t seed = 0; seed < 60; ++seed) {
            Mesh tangle;
            constexpr std::uint64_t places = 40;
            for (std::uint64_t v = 0; v < places; ++v) {
                const std::uint64_t bits = mixBits(seed * places + v + 1);
                tangle.positions.emplace_back(float(bits % 97), float(bits / 97 % 97), float(bits / 9409 % 97));
                tangle.uvs.emplace_back(float(bits % 7), float(bits % 5));
            }
            for (std::uint64_t t = 0; t < 60 + seed * 10; ++t) {
                const std::uint64_t bits = mixBits(seed << 20 | t);
                const Triangle triangle = {VertexId(bits % places), VertexId(bits / 64 % places),
                                           VertexId(bits / 4096 % places)};
                if (triangle[0] != triangle[1] && triangle[1] != triangle[2] && triangle[2] != triangle[0])
                    tangle.triangles.push_back(triangle);
            }
            ensureSections(tangle, "tangle");
            ReduceSettings settings;
            settings.topology = TopologyRule::MayChange;
            settings.protect.borders = Protection::Off;
            const Mesh level = reduceMesh(tangle, 6, settings, Progress()).mesh;
            requireSound(level, "the level");
            QVERIFY(level.triangleCount() < tangle.triangleCount());
        }
    }

    void worksFarFromTheOrigin() {
        Mesh sphere = test::moved(test::makeSphere(1, 30), {1000, -2000, 500});
        const Mesh level = reduce(sphere, 500).mesh;
        QCOMPARE(level.triangleCount(), std::size_t(500));
        QVERIFY(measureDeviation(sphere, level, {}, Progress()).max < 0.02);
    }

    void worksOnAPoleOfManyTriangles() {
        // A disc as one fan of 20,000 triangles, whose middle must not cost the square of that.
        Mesh fan;
        fan.positions.push_back({0, 0, 0});
        constexpr std::uint32_t n = 20000;
        for (std::uint32_t i = 0; i < n; ++i)
            fan.positions.emplace_back(float(std::cos(2 * pi * i / n)), 0.0f, float(-std::sin(2 * pi * i / n)));
        for (std::uint32_t i = 0; i < n; ++i) fan.triangles.push_back({0, 1 + i, 1 + (i + 1) % n});
        ensureSections(fan, "fan");
        const Reduced result = reduce(fan, 64);
        QCOMPARE(result.mesh.triangleCount(), std::size_t(64));
    }

    void stopsWhenItIsCancelledOnTheWay() {
        const Mesh sheet = test::makeSheet(250, 250, 1, 1, wave);
        for (const double from : {0.0, 0.2, 0.6}) {
            const Progress progress;
            // Joined also where the check below fails.
            std::jthread other([&] {
                while (progress.fraction() < from) std::this_thread::sleep_for(std::chrono::milliseconds(1));
                progress.cancel();
            });
            QVERIFY_EXCEPTION_THROWN(reduceMesh(sheet, 100, {}, progress), Cancelled);
            other.join();
            QVERIFY(progress.fraction() >= from && progress.fraction() < 1);
        }
    }

    void makesAStandInOfAboutTheWantedSize() {
        const Mesh sphere = test::makeSphere(1, 200);
        const Mesh coarse = clusterVertices(sphere, 20000, Progress());
        requireSound(coarse, "stand-in");
        QVERIFY2(coarse.triangleCount() > 8000 && coarse.triangleCount() < 40000,
                 qPrintable(QString::number(coarse.triangleCount())));
        for (const Vec3f& p : coarse.positions) QVERIFY(std::abs(p.norm() - 1) < 0.01f);
    }
};

UM_TEST(ReduceTest)
#include "ReduceTest.moc"

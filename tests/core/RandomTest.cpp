// Random input, seeded: held against a plain reckoning where there is one, and against the rules where there is none.
#include "measure/Deviation.h"
#include "mesh/Connectivity.h"
#include "mesh/Normals.h"
#include "mesh/Polygon.h"
#include "mesh/Statistics.h"
#include "mesh/Weld.h"
#include "reduce/Cluster.h"
#include "reduce/Reduce.h"
#include "tests/support/Broken.h"
#include "tests/support/Files.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <map>
#include <QTest>
#include <random>
#include <set>

using namespace um;
using test::addRandomUvs, test::damagedSphere, test::randomHeap;

class RandomTest : public QObject {
    Q_OBJECT

private slots:
    void countsLikeAPlainReckoning() {
        for (unsigned seed = 1; seed <= 12; ++seed) {
            const Mesh mesh = randomHeap(seed, 60, 150);
            std::map<std::pair<VertexId, VertexId>, std::vector<bool>> edges;
            std::map<std::array<VertexId, 3>, int> faces;
            std::set<VertexId> used;
            for (const Triangle& t : mesh.triangles) {
                used.insert(t.begin(), t.end());
                if (t[0] == t[1] || t[1] == t[2] || t[2] == t[0]) continue;
                std::array<VertexId, 3> sorted = t;
                std::sort(sorted.begin(), sorted.end());
                ++faces[sorted];
                for (std::size_t i = 0; i < 3; ++i) {
                    const VertexId a = t[i], b = t[(i + 1) % 3];
                    edges[{std::min(a, b), std::max(a, b)}].push_back(a < b);
                }
            }
            std::size_t border = 0, nonManifold = 0, winding = 0, duplicates = 0;
            for (const auto& [edge, directions] : edges) {
                border += directions.size() == 1 ? 1 : 0;
                nonManifold += directions.size() > 2 ? 1 : 0;
                winding += directions.size() == 2 && directions[0] == directions[1] ? 1 : 0;
            }
            for (const auto& [face, count] : faces) duplicates += std::size_t(count - 1);
            const Statistics s = gatherStatistics(mesh, Progress()).whole;
            QCOMPARE(s.borderEdges, border);
            QCOMPARE(s.nonManifoldEdges, nonManifold);
            QCOMPARE(s.windingEdges, winding);
            QCOMPARE(s.duplicateTriangles, duplicates);
            QCOMPARE(s.isolatedVertices, mesh.vertexCount() - used.size());
        }
    }

    void findsPiecesLikeAFlood() {
        for (unsigned seed = 1; seed <= 10; ++seed) {
            const Mesh mesh = randomHeap(seed, 300, 90);
            std::vector<int> piece(mesh.vertexCount(), -1);
            int count = 0;
            for (std::size_t start = 0; start < piece.size(); ++start) {
                if (piece[start] >= 0) continue;
                piece[start] = count;
                for (bool grows = true; grows;) {
                    grows = false;
                    for (const Triangle& t : mesh.triangles)
                        for (const VertexId v : t)
                            if (piece[v] == count)
                                for (const VertexId w : t)
                                    if (piece[w] < 0) {
                                        piece[w] = count;
                                        grows = true;
                                    }
                }
                ++count;
            }
            const Pieces pieces = findPieces(mesh.triangles, mesh.vertexCount());
            QCOMPARE(pieces.count(), std::size_t(count));
            for (std::size_t v = 0; v < piece.size(); ++v) QCOMPARE(int(pieces.ofVertex[v]), piece[v]);
        }
    }

    void reducesWhateverComes() {
        for (unsigned seed = 1; seed <= 40; ++seed) {
            Mesh mesh = seed % 2 == 0 ? randomHeap(seed, 80, 400) : damagedSphere(seed);
            if (seed % 3 == 0) addRandomUvs(mesh, seed);
            for (const std::size_t target : {300, 77, 10, 1}) {
                const Reduced result = reduceMesh(mesh, target, {}, Progress());
                requireSound(result.mesh, "result");
                QVERIFY(result.mesh.triangleCount() <= mesh.triangleCount());
                if (result.targetMet)
                    QVERIFY(result.mesh.triangleCount() <= target);
                else
                    QVERIFY(result.mesh.triangleCount() > target);
                for (const Triangle& t : result.mesh.triangles) QVERIFY(t[0] != t[1] && t[1] != t[2] && t[2] != t[0]);
                if (!mesh.uvs.empty()) QVERIFY(test::wedgesBelongToOneVertex(result.mesh));
            }
        }
    }

    void reducesTheSameTwice() {
        for (unsigned seed = 50; seed < 56; ++seed) {
            const Mesh mesh = randomHeap(seed, 200, 1500);
            const Mesh a = reduceMesh(mesh, 200, {}, Progress()).mesh, b = reduceMesh(mesh, 200, {}, Progress()).mesh;
            QCOMPARE(a.positions, b.positions);
            QCOMPARE(a.triangles, b.triangles);
        }
    }

    void neverLeavesTheBoxByMuch() {
        // Optimal places may lie a little outside, but never run away, however nearly parallel the planes are.
        for (unsigned seed = 1; seed <= 20; ++seed) {
            const Mesh level = reduceMesh(randomHeap(seed, 80, 400), 40, {}, Progress()).mesh;
            for (const Vec3f& p : level.positions) QVERIFY(p.cwiseAbs().maxCoeff() < 8);
        }
    }

    void measuresWhateverComes() {
        for (unsigned seed = 1; seed <= 12; ++seed) {
            const Mesh a = randomHeap(seed, 80, 200), b = damagedSphere(seed);
            const Deviation d = measureDeviation(a, b, {2000}, Progress());
            for (const double value : {d.max, d.maxBound, d.mean, d.rms, d.p95, d.p99})
                QVERIFY(std::isfinite(value) && value >= 0);
            QVERIFY(d.mean <= d.rms + 1e-9 && d.rms <= d.max + 1e-9 && d.max <= d.maxBound + 1e-9);
            QVERIFY(d.p95 <= d.p99 + 1e-9 && d.p99 <= d.max + 1e-9);
            // Turned round, it is the same pair of surfaces.
            const Deviation back = measureDeviation(b, a, {2000}, Progress());
            QVERIFY(std::abs(back.sourceToLevel.max - d.levelToSource.max) < 0.2 * d.max + 1e-9);
        }
    }

    void boundsTheTruth() {
        // Against a far finer sampling than the bound was made from: it may never be exceeded.
        for (unsigned seed = 1; seed <= 5; ++seed) {
            std::mt19937 random(seed);
            Mesh rough = test::makeSphere(1, 6);
            for (Vec3f& p : rough.positions) p *= 1 + 0.2f * float(random() % 1000) / 1000;
            const Mesh source = test::makeSphere(1, 20);
            const Deviation coarse = measureDeviation(source, rough, {300}, Progress());
            const Deviation fine = measureDeviation(source, rough, {400000}, Progress());
            QVERIFY(fine.max <= coarse.maxBound + 1e-9);
            QVERIFY(coarse.maxBound < 1.1 * fine.max);
        }
    }

    void readsPercentilesLikeSorting() {
        std::mt19937 random(8);
        std::normal_distribution<double> bell(0.1, 0.4);
        std::vector<double> values;
        double reach = 0;
        for (int i = 0; i < 20000; ++i) {
            values.push_back(bell(random));
            reach = std::max(reach, std::abs(values.back()));
        }
        Distribution distribution(reach);
        for (const double value : values) distribution.add(value, 0.5);
        std::vector<double> sizes;
        for (const double value : values) sizes.push_back(std::abs(value));
        std::sort(sizes.begin(), sizes.end());
        for (const double share : {0.1, 0.5, 0.9, 0.95, 0.99, 0.999}) {
            const double sorted = sizes[std::size_t(share * double(sizes.size()))];
            QVERIFY(std::abs(distribution.absolutePercentile(share) - sorted) < 0.01);
            QVERIFY(std::abs(distribution.shareWithin(sorted) - share) < 0.001);
        }
        const std::vector<double> bars = distribution.histogram(20, reach);
        for (std::size_t i = 0; i < bars.size(); ++i) {
            const double low = (double(i) / 10 - 1) * reach, high = (double(i + 1) / 10 - 1) * reach;
            const auto inside =
                std::count_if(values.begin(), values.end(), [&](double x) { return x >= low && x < high; });
            QVERIFY(std::abs(bars[i] - double(inside) / double(values.size())) < 0.002);
        }
    }

    void cutsStarsWithoutLosingArea() {
        std::mt19937 random(2);
        std::uniform_real_distribution<float> out(0.2f, 1);
        for (int round = 0; round < 60; ++round) {
            const std::size_t n = 4 + random() % (round % 4 == 0 ? 2000 : 20);
            std::vector<Vec3f> corners;
            double area = 0;
            for (std::size_t i = 0; i < n; ++i) {
                const double angle = 2 * pi * double(i) / double(n), r = double(out(random));
                corners.emplace_back(float(r * std::cos(angle)), float(r * std::sin(angle)), 0.0f);
            }
            for (std::size_t i = 0; i < n; ++i)
                area +=
                    double(corners[i].x() * corners[(i + 1) % n].y() - corners[(i + 1) % n].x() * corners[i].y()) / 2;
            std::vector<Triangle> triangles;
            triangulatePolygon(corners, triangles);
            QCOMPARE(triangles.size(), n - 2);
            QVERIFY(std::abs(test::areaOfCut(corners, triangles) - area) < 1e-5);
        }
    }

    void makesNormalsForWhateverComes() {
        for (unsigned seed = 1; seed <= 10; ++seed) {
            Mesh mesh = seed % 2 == 0 ? randomHeap(seed, 60, 200) : damagedSphere(seed);
            addRandomUvs(mesh, seed);
            const Mesh before = mesh;
            makeNormals(mesh, 45);
            requireSound(mesh, "mesh");
            QVERIFY(test::wedgesBelongToOneVertex(mesh));
            for (const Vec3f& n : mesh.normals) QVERIFY(std::abs(n.norm() - 1) < 1e-4f);
            for (std::size_t t = 0; t < mesh.triangleCount(); ++t)
                for (std::size_t c = 0; c < 3; ++c)
                    QCOMPARE(mesh.uvs[mesh.wedges[t][c]], before.uvs[before.wedges[t][c]]);
        }
    }

    void clustersWhateverComes() {
        for (unsigned seed = 1; seed <= 10; ++seed) {
            const Mesh mesh = randomHeap(seed, 300, 900);
            const Mesh coarse = clusterVertices(mesh, 100, Progress());
            if (!coarse.triangles.empty()) requireSound(coarse, "coarse");
            QVERIFY(coarse.triangleCount() <= mesh.triangleCount());
        }
    }
};

UM_TEST(RandomTest)
#include "RandomTest.moc"

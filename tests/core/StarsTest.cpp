// Drawing stars of vertices together: the surface stays what it is, only coarser.
#include "reduce/Stars.h"

#include "base/Error.h"
#include "measure/Deviation.h"
#include "mesh/Statistics.h"
#include "reduce/Contraction.h"
#include "reduce/Reduce.h"
#include "tests/support/Broken.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <oneapi/tbb/global_control.h>
#include <QTest>
#include <set>

using namespace um;

namespace {

constexpr double usualShare = 0.8;

double waves(double x, double z) {
    return 0.05 * std::sin(9 * x) * std::cos(7 * z);
}

Contraction contractionOf(const Mesh& mesh, const Treatment& treatment = {}, std::vector<std::size_t> least = {}) {
    return {WorkingMesh(mesh, treatment, Progress()), mesh, std::move(least)};
}

Mesh thinned(const Mesh& mesh, const Treatment& treatment = {}, std::vector<std::size_t> least = {}) {
    Contraction contraction = contractionOf(mesh, treatment, std::move(least));
    contraction.thin(usualShare, Progress());
    return contraction.mesh().finish(mesh);
}

// Vertices less edges plus triangles: tells a ball from a ring.
long eulerNumber(const Mesh& mesh) {
    std::set<std::pair<VertexId, VertexId>> edges;
    std::set<VertexId> vertices;
    for (const Triangle& t : mesh.triangles)
        for (std::size_t k = 0; k < 3; ++k) {
            edges.insert(std::minmax(t[k], t[(k + 1) % 3]));
            vertices.insert(t[k]);
        }
    return long(vertices.size()) - long(edges.size()) + long(mesh.triangleCount());
}

// What thinning may not change.
auto topologyOf(const Mesh& mesh) {
    const Statistics s = gatherStatistics(mesh, Progress()).whole;
    return std::tuple(eulerNumber(mesh), s.pieces, s.borderEdges, s.borderLoops, s.nonManifoldEdges, s.windingEdges,
                      s.duplicateTriangles);
}

bool isCoarser(const Mesh& mesh, const Mesh& than) {
    return 4 * mesh.triangleCount() < 3 * than.triangleCount() && 8 * mesh.triangleCount() > than.triangleCount();
}

// A ball as it comes off a lathe, with a pole above and below.
Mesh turnedBall(VertexId around, VertexId rings) {
    Mesh mesh;
    mesh.positions = {{0, 1, 0}, {0, -1, 0}};
    const auto at = [&](VertexId ring, VertexId i) { return 2 + ring * around + i % around; };
    for (VertexId ring = 0; ring < rings; ++ring)
        for (VertexId i = 0; i < around; ++i) {
            const double down = pi * (ring + 1) / (rings + 1), turn = 2 * pi * i / around;
            mesh.positions.push_back(
                Vec3d(std::sin(down) * std::sin(turn), std::cos(down), std::sin(down) * std::cos(turn)).cast<float>());
        }
    for (VertexId i = 0; i < around; ++i) {
        mesh.triangles.push_back({0, at(0, i), at(0, i + 1)});
        mesh.triangles.push_back({1, at(rings - 1, i + 1), at(rings - 1, i)});
        for (VertexId ring = 0; ring + 1 < rings; ++ring) {
            mesh.triangles.push_back({at(ring, i), at(ring + 1, i), at(ring + 1, i + 1)});
            mesh.triangles.push_back({at(ring, i), at(ring + 1, i + 1), at(ring, i + 1)});
        }
    }
    ensureSections(mesh, "ball");
    return mesh;
}

// As it was before anything was drawn together.
Mesh asItWas(const Mesh& mesh, const Treatment& treatment = {}) {
    return WorkingMesh(mesh, treatment, Progress()).finish(mesh);
}

}  // namespace

class StarsTest : public QObject {
    Q_OBJECT

private slots:
    void leavesWhatLiesAroundAPole() {
        const Mesh ball = turnedBall(400, 200);
        const Mesh result = thinned(ball);
        QVERIFY(isCoarser(result, ball));
        QVERIFY(topologyOf(result) == topologyOf(ball));
        for (const Vec3f& pole : {ball.positions[0], ball.positions[1]}) {
            const auto found = std::find(result.positions.begin(), result.positions.end(), pole);
            QVERIFY(found != result.positions.end());
            const auto v = VertexId(found - result.positions.begin());
            const auto touches = [&](const Triangle& t) { return std::find(t.begin(), t.end(), v) != t.end(); };
            QCOMPARE(std::count_if(result.triangles.begin(), result.triangles.end(), touches), 400);
        }
    }

    void findsCentresApartFromOneAnother() {
        const Mesh sheet = test::makeSheet(40, 40, 1, 1, waves);
        const WorkingMesh mesh(sheet, {}, Progress());
        const Stars stars = findStars(mesh, usualShare, {}, Progress());
        std::set<std::pair<VertexId, VertexId>> edges;
        for (const Triangle& t : sheet.triangles)
            for (std::size_t k = 0; k < 3; ++k) {
                edges.insert({t[k], t[(k + 1) % 3]});
                edges.insert({t[(k + 1) % 3], t[k]});
            }
        std::set<VertexId> centres;
        for (VertexId v = 0; v < sheet.vertexCount(); ++v) {
            const VertexId centre = stars.centres[v];
            if (centre == v) continue;
            centres.insert(centre);
            QVERIFY(edges.count({v, centre}) == 1);
            QCOMPARE(stars.centres[centre], centre);
            QVERIFY(mesh.kinds[v] == Kind::Interior && mesh.kinds[centre] == Kind::Interior);
        }
        QVERIFY(centres.size() > sheet.vertexCount() / 8);
        for (const auto& [a, b] : edges) QVERIFY(centres.count(a) == 0 || centres.count(b) == 0);
        // Whatever is no centre stays where it is.
        for (VertexId v = 0; v < sheet.vertexCount(); ++v)
            if (centres.count(v) == 0) QCOMPARE(stars.places[v], sheet.positions[v]);
    }

    void keepsTheTopology_data() {
        QTest::addColumn<Mesh>("mesh");
        QTest::newRow("sheet") << test::makeSheet(60, 60, 1, 1, waves);
        QTest::newRow("ball") << test::makeSphere(1, 30);
        QTest::newRow("ring") << test::makeTorus(1, 0.3, 60, 24);
        QTest::newRow("box") << test::makeBox({1, 2, 3}, 20);
        // Three and four vertices around: next to nothing may go without closing them.
        QTest::newRow("thin ring") << test::makeTorus(1, 0.01, 200, 3);
        QTest::newRow("thin tube") << test::makeTube(4, 200);
        QTest::newRow("tetrahedron") << test::makeTetrahedron();
    }
    void keepsTheTopology() {
        QFETCH(Mesh, mesh);
        const Mesh coarser = thinned(mesh);
        requireSound(coarser, "what is left");
        QCOMPARE(topologyOf(coarser), topologyOf(mesh));
        QVERIFY(coarser.triangleCount() <= mesh.triangleCount());
        if (mesh.triangleCount() > 2000) QVERIFY(isCoarser(coarser, mesh));
    }

    // Heaps, doubled triangles, edges of many: what is no surface is left alone.
    void keepsWhatIsBroken() {
        for (unsigned seed = 1; seed <= 200; ++seed) {
            const Mesh heap = seed % 2 == 0 ? test::damagedSphere(seed) : test::randomHeap(seed, 30 + seed, 10 + seed);
            Treatment treatment;
            treatment.protect.borders = seed % 3 == 0 ? Protection::Off : Protection::On;
            treatment.topology = seed % 5 == 0 ? TopologyRule::MayChange : TopologyRule::Stays;
            const Mesh before = asItWas(heap, treatment), after = thinned(heap, treatment);
            if (!after.triangles.empty()) requireSound(after, "what is left");
            QVERIFY2(topologyOf(after) == topologyOf(before), qPrintable(QString::number(seed)));
        }
    }

    void turnsNothingOver() {
        const Mesh rough = test::makeSheet(80, 80, 1, 1, [](double x, double z) {
            return 0.002 * std::sin(173 * x + 311 * z) + 0.002 * std::cos(257 * x * z);
        });
        const Mesh coarser = thinned(rough);
        QVERIFY(isCoarser(coarser, rough));
        QCOMPARE(test::trianglesFacingAway(coarser, {0, 1, 0}), std::size_t(0));
    }

    void leavesFlatWhatIsFlat() {
        const Mesh coarser = thinned(test::makeSheet(60, 60));
        for (const Vec3f& p : coarser.positions) QVERIFY(std::abs(p.y()) < 1e-6f);
        QVERIFY(std::abs(gatherStatistics(coarser, Progress()).whole.area - 1) < 1e-5);
        const Mesh box = thinned(test::makeBox({2, 2, 2}, 30));
        QVERIFY(std::abs(test::volume(box) - 8) < 1e-4);
    }

    void keepsLinesAndWhatIsBesideThem() {
        Mesh sheet = test::makeSheet(40, 40, 1, 1, waves);
        test::addUvsWithSeam(sheet, 0.5);
        const Mesh coarser = thinned(sheet);
        QVERIFY(isCoarser(coarser, sheet));
        QVERIFY(test::wedgesBelongToOneVertex(coarser));
        const auto onLine = [](const Vec3f& p) {
            return p.x() == 0 || p.x() == 1 || p.z() == 0 || p.z() == 1 || p.x() == 0.5f;
        };
        std::set<std::array<float, 3>> left;
        for (const Vec3f& p : coarser.positions) left.insert({p.x(), p.y(), p.z()});
        for (const Vec3f& p : sheet.positions)
            if (onLine(p)) QVERIFY(left.count({p.x(), p.y(), p.z()}) == 1);
    }

    // UVs and colours that change evenly over the surface still do, and normals are not asked for.
    void carriesAttributesAlong() {
        Mesh sheet = test::makeSheet(50, 50, 1, 1, [](double x, double z) { return 0.3 * x * x + 0.1 * z; });
        for (const Vec3f& p : sheet.positions) sheet.uvs.emplace_back(3 * p.x() + 1, 2 * p.z() - p.x());
        const Mesh coarser = thinned(sheet);
        QVERIFY(isCoarser(coarser, sheet));
        QCOMPARE(coarser.uvs.size(), coarser.vertexCount());
        double worst = 0;
        for (std::size_t v = 0; v < coarser.vertexCount(); ++v) {
            const Vec3f& p = coarser.positions[v];
            worst = std::max(worst, double((coarser.uvs[v] - Vec2f(3 * p.x() + 1, 2 * p.z() - p.x())).norm()));
        }
        QVERIFY2(worst < 2e-3, qPrintable(QString::number(worst)));
    }

    void blendsSkinAndShapes() {
        Mesh ball = test::makeSphere(1, 20);
        ball.skeleton.resize(2);
        ball.morphs.push_back({"lift", {}});
        for (const Vec3f& p : ball.positions) {
            const float share = (1 + p.y()) / 2;
            ball.influences.push_back({{0, 1, 0, 0}, {share, 1 - share, 0, 0}});
            ball.morphs[0].offsets.emplace_back(0.0f, p.y(), 0.0f);
        }
        Treatment treatment;
        treatment.protect.skin = Protection::Off;
        const Mesh coarser = thinned(ball, treatment);
        QVERIFY(isCoarser(coarser, ball));
        for (std::size_t v = 0; v < coarser.vertexCount(); ++v) {
            const float y = coarser.positions[v].y();
            QVERIFY(std::abs(coarser.morphs[0].offsets[v].y() - y) < 0.06f);
            float sum = 0, first = 0;
            for (std::size_t i = 0; i < 4; ++i) {
                sum += coarser.influences[v].weights[i];
                if (coarser.influences[v].joints[i] == 0) first += coarser.influences[v].weights[i];
            }
            QVERIFY(std::abs(sum - 1) < 1e-5f);
            QVERIFY(std::abs(first - (1 + y) / 2) < 0.03f);
        }
    }

    void sparesPartsThatHaveFewTriangles() {
        const Mesh large = test::makeSphere(1, 30), small = test::makeSphere(0.05, 6);
        const Mesh both = test::joined(large, test::moved(small, {2, 0, 0}));
        const auto partSizes = [](const Mesh& mesh) {
            return std::array{mesh.sections[0].triangleCount, mesh.sections[1].triangleCount};
        };
        QVERIFY(partSizes(thinned(both))[1] < small.triangleCount());
        const auto kept = partSizes(thinned(both, {}, {10, 10}));
        QVERIFY(kept[0] < large.triangleCount());
        QCOMPARE(std::size_t(kept[1]), small.triangleCount());
    }

    void leavesMoreForALesserShare() {
        const Mesh sheet = test::makeSheet(60, 60, 1, 1, waves);
        std::size_t before = 0;
        double closer = 1;
        for (const double share : {1.0, 0.7, 0.3}) {
            Contraction contraction = contractionOf(sheet);
            contraction.thin(share, Progress());
            QVERIFY(contraction.triangles() > before + 100);
            before = contraction.triangles();
            const double rms = measureDeviation(sheet, contraction.mesh().finish(sheet), {}, Progress()).rms;
            QVERIFY(rms < 0.9 * closer);
            closer = rms;
        }
    }

    void tellsWhereEachVertexWent() {
        const Mesh ball = test::makeSphere(1, 30);
        Contraction contraction = contractionOf(ball);
        contraction.thin(usualShare, Progress());
        const std::vector<VertexId>& into = contraction.destinations();
        QCOMPARE(into.size(), ball.vertexCount());
        QCOMPARE(contraction.triangles(), contraction.mesh().triangles.size());
        std::vector<int> reached(contraction.mesh().vertexCount(), 0);
        for (std::size_t v = 0; v < into.size(); ++v) {
            QVERIFY(into[v] < reached.size());
            ++reached[into[v]];
            QVERIFY((contraction.mesh().positions[into[v]] - ball.positions[v]).norm() < 0.12f);
        }
        QVERIFY(std::find(reached.begin(), reached.end(), 0) == reached.end());
    }

    void givesTheSameForAnyNumberOfThreads() {
        const Mesh sheet = test::makeSheet(200, 200, 1, 1, waves);
        Mesh with[2];
        for (const std::size_t threads : {1, 2}) {
            const tbb::global_control limit(tbb::global_control::max_allowed_parallelism, threads);
            with[threads - 1] = thinned(sheet);
        }
        QCOMPARE(with[0].positions, with[1].positions);
        QCOMPARE(with[0].triangles, with[1].triangles);
    }

    void canBeCancelled() {
        const Mesh ball = test::makeSphere(1, 40);
        Contraction contraction = contractionOf(ball);
        const Progress progress;
        progress.cancel();
        QVERIFY_THROWS_EXCEPTION(Cancelled, contraction.thin(usualShare, progress));
    }
};

UM_TEST(StarsTest)
#include "StarsTest.moc"

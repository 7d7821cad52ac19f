// Loose pieces by themselves: which go first, what is said of them, and which are joined to which.
#include "mesh/Connectivity.h"
#include "reduce/LooseParts.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <cmath>
#include <QTest>

using namespace um;

namespace {

// Boxes in a row, each of 12 triangles and a part of its own; the first is the largest.
Mesh boxes(const std::vector<double>& sizes) {
    Mesh mesh;
    for (std::size_t i = 0; i < sizes.size(); ++i) {
        Mesh box = test::moved(test::makeBox(Vec3d::Constant(sizes[i])), {10.0 * double(i), 0, 0});
        box.parts[0].name = "Box " + std::to_string(i);
        mesh = i == 0 ? box : test::joined(mesh, box);
    }
    return mesh;
}

double diagonalOf(double size) {
    return std::sqrt(3.0) * size;
}

std::size_t piecesIn(const Mesh& mesh) {
    const Pieces pieces = findPieces(mesh.triangles, mesh.vertexCount());
    return pieces.count() - std::size_t(std::count(pieces.triangleCounts.begin(), pieces.triangleCounts.end(), 0u));
}

// Two sheets side by side, the second one `apart` from the first.
Mesh sheets(double apart) {
    return test::joined(test::makeSheet(4, 4), test::moved(test::makeSheet(4, 4), {1 + apart, 0, 0}));
}

}  // namespace

class LoosePartsTest : public QObject {
    Q_OBJECT

private slots:
    void dropsTheSmallestFirst() {
        Mesh mesh = boxes({5, 0.3, 1, 0.1, 2});
        const std::size_t vertices = mesh.vertexCount();
        const std::vector<DroppedPieces> dropped = dropLoosePieces(mesh, diagonalOf(1.5), 4 * 12, {});
        // One has to go for four to be left; it is the smallest.
        QCOMPARE(dropped.size(), std::size_t(1));
        QCOMPARE(dropped[0].part, std::string("Box 3"));
        QCOMPARE(dropped[0].triangles, std::size_t(12));
        QCOMPARE(dropped[0].pieces, std::size_t(1));
        QVERIFY(std::abs(dropped[0].largest - diagonalOf(0.1)) < 1e-6);
        QCOMPARE(mesh.triangleCount(), std::size_t(48));
        QCOMPARE(mesh.vertexCount(), vertices);  // they keep their numbers
        requireSound(mesh, "what is left");
    }

    void dropsAllThatAreSmallAndNoOther() {
        Mesh mesh = boxes({5, 0.3, 1, 0.1, 2});
        const std::vector<DroppedPieces> dropped = dropLoosePieces(mesh, diagonalOf(1.5), 0, {});
        QCOMPARE(dropped.size(), std::size_t(3));
        QCOMPARE(mesh.triangleCount(), std::size_t(24));
        QCOMPARE(piecesIn(mesh), std::size_t(2));
        // The largest of all stays, however large is small.
        QCOMPARE(dropLoosePieces(mesh, 1e9, 0, {}).size(), std::size_t(1));
        QCOMPARE(mesh.triangleCount(), std::size_t(12));
        QVERIFY(dropLoosePieces(mesh, 1e9, 0, {}).empty());
        Mesh nothing;
        QVERIFY(dropLoosePieces(nothing, 1, 0, {}).empty());
    }

    void leavesWhatIsHeld() {
        Mesh mesh = boxes({5, 0.3, 0.1});
        std::vector<std::uint8_t> held(mesh.vertexCount(), 0);
        held.back() = 1;  // a single vertex of the smallest
        const std::vector<DroppedPieces> dropped = dropLoosePieces(mesh, 1, 0, held);
        QCOMPARE(dropped.size(), std::size_t(1));
        QCOMPARE(dropped[0].part, std::string("Box 1"));
    }

    void countsThePiecesOfAPartTogether() {
        Mesh mesh = boxes({5, 0.3, 0.1, 0.2});
        // All small ones are gravel.
        mesh.parts = {{"Rock"}, {"Gravel"}};
        mesh.sections = {{0, 0, 0, 12}, {1, 0, 12, 36}};
        const std::vector<DroppedPieces> dropped = dropLoosePieces(mesh, 1, 0, {});
        QCOMPARE(dropped.size(), std::size_t(1));
        QCOMPARE(dropped[0].part, std::string("Gravel"));
        QCOMPARE(dropped[0].pieces, std::size_t(3));
        QCOMPARE(dropped[0].triangles, std::size_t(36));
        QVERIFY(std::abs(dropped[0].largest - diagonalOf(0.3)) < 1e-6);
    }

    void joinsWhatLiesNear() {
        Mesh mesh = sheets(0.01);
        QCOMPARE(piecesIn(mesh), std::size_t(2));
        QCOMPARE(joinNearPieces(mesh, 0.005, {}), std::size_t(0));
        QCOMPARE(joinNearPieces(mesh, 0.02, {}), std::size_t(5));
        QCOMPARE(piecesIn(mesh), std::size_t(1));
        QCOMPARE(mesh.triangleCount(), std::size_t(64));
        // They meet half way.
        int atSeam = 0;
        for (const Triangle& t : mesh.triangles)
            for (const VertexId v : t) atSeam += std::abs(mesh.positions[v].x() - 1.005f) < 1e-5f ? 1 : 0;
        QVERIFY(atSeam >= 10);
    }

    void joinsToWhatIsHeldWithoutMovingIt() {
        Mesh mesh = sheets(0.01);
        const Mesh before = mesh;
        std::vector<std::uint8_t> held(mesh.vertexCount(), 0);
        for (std::size_t v = 0; v < mesh.vertexCount() / 2; ++v) held[v] = 1;
        QCOMPARE(joinNearPieces(mesh, 0.02, held), std::size_t(5));
        for (std::size_t v = 0; v < held.size(); ++v)
            if (held[v] != 0) QCOMPARE(mesh.positions[v], before.positions[v]);
        Mesh both = before;
        QCOMPARE(joinNearPieces(both, 0.02, std::vector<std::uint8_t>(both.vertexCount(), 1)), std::size_t(0));
        QCOMPARE(both.triangles, before.triangles);
    }

    void keepsWhatCornersHadWhenTheyAreJoined() {
        Mesh mesh = sheets(0.01);
        for (const Vec3f& p : mesh.positions) mesh.uvs.emplace_back(p.x(), p.z());
        const Mesh before = mesh;
        QCOMPARE(joinNearPieces(mesh, 0.02, {}), std::size_t(5));
        requireSound(mesh, "the joined");
        for (TriangleId t = 0; t < mesh.triangleCount(); ++t)
            for (std::size_t k = 0; k < 3; ++k)
                QVERIFY(mesh.uvs[mesh.wedgesOf(t)[k]] == before.uvs[before.wedgesOf(t)[k]]);
    }

    // Whatever is typed: a length below all that numbers can tell apart joins what lies in one place, no more.
    void joinsAtAnyLength() {
        Mesh touching = sheets(0);
        QCOMPARE(joinNearPieces(touching, 1e-300, {}), std::size_t(5));
        Mesh apart = sheets(0.01);
        QCOMPARE(joinNearPieces(apart, 1e-300, {}), std::size_t(0));
        Mesh all = boxes({1, 1});
        QVERIFY(joinNearPieces(all, 1e30, {}) > 0);
    }
};

UM_TEST(LoosePartsTest)
#include "LoosePartsTest.moc"

// What happens to parts and loose pieces: dropped first and said, shared by error, alone, unseen, joined.
#include "base/Units.h"
#include "measure/Deviation.h"
#include "mesh/Connectivity.h"
#include "mesh/Statistics.h"
#include "reduce/Reduce.h"
#include "tests/support/Files.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <QTest>

using namespace um;

namespace {

// A large ball with a row of small ones beside it, growing from 0.02 to 0.1.
Mesh ballWithPebbles() {
    Mesh mesh = test::makeSphere(1, 20);
    mesh.parts[0].name = "Ball";
    for (int i = 1; i <= 5; ++i) {
        mesh = test::joined(mesh, test::moved(test::makeSphere(0.02 * i, 3), {2.0 + 0.5 * i, 0, 0}));
        // joined() makes two parts of what it is given; the pebbles are one part here.
        mesh.parts = {{"Ball"}, {"Pebbles"}};
        const std::uint32_t ballTriangles = 3200;
        mesh.sections = {{0, 0, 0, ballTriangles},
                         {1, 0, ballTriangles, std::uint32_t(mesh.triangleCount()) - ballTriangles}};
    }
    return mesh;
}

std::size_t piecesOf(const Mesh& mesh) {
    return gatherStatistics(mesh, Progress()).whole.pieces;
}

}  // namespace

class PartsTest : public QObject {
    Q_OBJECT

private slots:
    void dropsLoosePiecesBelowASizeAndSaysSo() {
        const Mesh mesh = ballWithPebbles();
        ReduceSettings settings;
        // The box around a ball of radius r has a diagonal of 2 sqrt(3) r: 0.07, 0.14, 0.21, 0.28, 0.35.
        settings.dropLooseBelow = 0.25;
        const Reduced result = reduceMesh(mesh, 600, settings, Progress());
        QCOMPARE(piecesOf(result.mesh), std::size_t(3));
        QCOMPARE(result.notes.dropped.size(), std::size_t(1));
        const DroppedPieces& dropped = result.notes.dropped.front();
        QCOMPARE(dropped.part, std::string("Pebbles"));
        QCOMPARE(dropped.pieces, std::size_t(3));
        QCOMPARE(dropped.triangles, std::size_t(3 * 72));
        QVERIFY(std::abs(dropped.largest - 2 * std::sqrt(3.0) * 0.06) < 1e-5);
        QCOMPARE(result.notes.sentences(1).front(), "Dropped 3 loose pieces of Pebbles (216 triangles, the largest " +
                                                        formatLength(dropped.largest) + ").");
    }

    void stopsDroppingWhenTheTargetIsMetAndSparesTheLargestForLast() {
        const Mesh mesh = ballWithPebbles();  // 3200 + 5 * 72 triangles
        ReduceSettings settings;
        settings.dropLooseBelow = 10;
        const Reduced result = reduceMesh(mesh, 3450, settings, Progress());
        QCOMPARE(result.notes.dropped.front().pieces, std::size_t(2));
        QVERIFY(result.notes.dropped.front().largest < 0.15);
    }

    void losesNoPieceUnlessTold() {
        const Mesh mesh = ballWithPebbles();
        for (const std::size_t target : {1000, 300, 60}) {
            const Reduced result = reduceMesh(mesh, target, {}, Progress());
            QCOMPARE(piecesOf(result.mesh), std::size_t(6));
            QVERIFY(result.notes.dropped.empty());
        }
    }

    void holdsDroppableEyeballs() {
        const Mesh mesh = ballWithPebbles();
        ReduceSettings settings;
        settings.dropLooseBelow = 10;
        settings.guard.parts = {{"Pebbles", guardHold}};
        const Reduced result = reduceMesh(mesh, 600, settings, Progress());
        QCOMPARE(trianglesByPart(result.mesh)[1], std::size_t(360));
        QVERIFY(result.notes.dropped.empty());
        // What is to be kept is reduced, but not dropped.
        settings.guard.parts = {{"Pebbles", 0.4f}};
        QCOMPARE(piecesOf(reduceMesh(mesh, 600, settings, Progress()).mesh), std::size_t(6));
    }

    void sharesTheBudgetByErrorNotByCount() {
        // A flat box and a ball with as many triangles: the box needs twelve of the 500.
        const Mesh mesh = test::joined(test::makeBox({2, 2, 2}, 16), test::moved(test::makeSphere(1, 20), {5, 0, 0}));
        const Mesh level = reduceMesh(mesh, 500, {}, Progress()).mesh;
        QVERIFY2(trianglesByPart(level)[0] <= 60, qPrintable(QString::number(trianglesByPart(level)[0])));
        QVERIFY(trianglesByPart(level)[1] >= 440);
    }

    void leavesEachPartItsLeastNumber() {
        const Mesh mesh = test::joined(test::makeBox({2, 2, 2}, 16), test::moved(test::makeSphere(1, 20), {5, 0, 0}));
        ReduceSettings settings;
        settings.leastOfPart = 200;
        const Mesh level = reduceMesh(mesh, 500, settings, Progress()).mesh;
        QVERIFY2(trianglesByPart(level)[0] >= 200, qPrintable(QString::number(trianglesByPart(level)[0])));
        QCOMPARE(level.triangleCount(), std::size_t(500));
    }

    void reducesSelectedPartsAlone() {
        Mesh mesh = test::joined(test::makeSphere(1, 12), test::moved(test::makeSphere(1, 12), {4, 0, 0}));
        mesh.parts = {{"Left"}, {"Right"}};
        ReduceSettings settings;
        settings.onlyParts = {"Left"};
        const Mesh level = reduceMesh(mesh, 1152 + 100, settings, Progress()).mesh;
        QCOMPARE(trianglesByPart(level), (std::vector<std::size_t>{100, 1152}));
        const Mesh right = extractParts(level, {false, true}), before = extractParts(mesh, {false, true});
        QCOMPARE(right.positions, before.positions);
        QCOMPARE(right.triangles, before.triangles);
    }

    // So large that it is reduced in regions, side by side.
    void leavesLargePartsTheirLeastNumberToo() {
        const Mesh mesh = test::joined(test::makeBox({2, 2, 2}, 150), test::moved(test::makeSphere(1, 60), {5, 0, 0}));
        ReduceSettings settings;
        settings.leastOfPart = 900;
        const Mesh level = reduceMesh(mesh, 4000, settings, Progress()).mesh;
        QCOMPARE(level.triangleCount(), std::size_t(4000));
        QVERIFY2(trianglesByPart(level)[0] >= 900 && trianglesByPart(level)[0] < 1000,
                 qPrintable(QString::number(trianglesByPart(level)[0])));
        settings.leastOfPart = 0;
        QVERIFY(trianglesByPart(reduceMesh(mesh, 4000, settings, Progress()).mesh)[0] < 300);
    }

    void saysWhatCannotBeReducedAlone() {
        const Mesh mesh = ballWithPebbles();
        ReduceSettings settings;
        settings.onlyParts = {"Boulder"};
        QVERIFY(test::errorOf([&] {
                    reduceMesh(mesh, 100, settings, Progress());
                }).contains("There is no part \"Boulder\" to reduce"));
        // The ball alone has 3,200 triangles, and is not to be touched.
        settings.onlyParts = {"Pebbles"};
        const QString said = test::errorOf([&] { reduceMesh(mesh, 3000, settings, Progress()); });
        QVERIFY2(said.contains("3,200 triangles already") && said.contains("hold less"), qPrintable(said));
        QCOMPARE(reduceMesh(mesh, 3300, settings, Progress()).mesh.triangleCount(), std::size_t(3300));
    }

    void saysAllThatWentBeforehand() {
        ReduceNotes notes;
        QVERIFY(notes.sentences(1).empty());
        notes.dropped = {{"Gravel", 1, 12, 0.002}, {"Moss", 3, 40, 0.5}};
        notes.unseenTriangles = 1;
        notes.joinedVertices = 1234;
        const std::vector<std::string> expected = {"Dropped 1 loose piece of Gravel (12 triangles, the largest 4 mm).",
                                                   "Dropped 3 loose pieces of Moss (40 triangles, the largest 1 m).",
                                                   "Dropped 1 triangle that no one sees from outside.",
                                                   "Joined near surfaces at 1,234 places."};
        QCOMPARE(notes.sentences(2), expected);  // a unit of two metres
    }

    void dropsWhatNoOneSeesUnlessHeld() {
        Mesh mesh = test::joined(test::makeSphere(1, 16), test::makeSphere(0.4, 8));
        mesh.parts = {{"Shell"}, {"Core"}};
        ReduceSettings settings;
        settings.dropUnseen = true;
        Reduced result = reduceMesh(mesh, 1000, settings, Progress());
        QCOMPARE(result.notes.unseenTriangles, std::size_t(512));
        QCOMPARE(trianglesByPart(result.mesh), (std::vector<std::size_t>{1000, 0}));
        settings.guard.parts = {{"Core", guardHold}};
        result = reduceMesh(mesh, 1000, settings, Progress());
        QCOMPARE(result.notes.unseenTriangles, std::size_t(0));
        QCOMPARE(trianglesByPart(result.mesh)[1], std::size_t(512));
    }

    void seesWhatLiesInTheOpen() {
        const Mesh mesh = test::joined(test::makeSheet(40, 40), test::moved(test::makeSphere(0.2, 8), {0.5, 0.6, 0.5}));
        ReduceSettings settings;
        settings.dropUnseen = true;
        QCOMPARE(reduceMesh(mesh, 500, settings, Progress()).notes.unseenTriangles, std::size_t(0));
    }

    void joinsHeapsBeyondTheirTopologyOnlyWhenAsked() {
        // Sixty-four boxes nearly touching: alone they cannot go below 12 triangles each (or 4 as tetrahedra).
        Mesh heap;
        for (int i = 0; i < 64; ++i) {
            const Mesh box =
                test::moved(test::makeBox({0.99, 0.99, 0.99}, 2), {double(i % 4), double(i / 4 % 4), double(i / 16)});
            heap = i == 0 ? box : test::joined(heap, box);
            heap.parts = {{"Heap"}};
            heap.sections = {{0, 0, 0, std::uint32_t(heap.triangleCount())}};
        }
        ReduceSettings settings;
        const Reduced apart = reduceMesh(heap, 100, settings, Progress());
        QVERIFY(!apart.targetMet);
        settings.joinWithin = 0.05;
        const Reduced together = reduceMesh(heap, 100, settings, Progress());
        QVERIFY(together.targetMet);
        QVERIFY(together.notes.joinedVertices > 100);
        // What is left is still the heap: its corners are where they were, to about a box's edge.
        const Box3f box = boundingBox(together.mesh), whole = boundingBox(heap);
        QVERIFY((box.max() - whole.max()).norm() < 1 && (box.min() - whole.min()).norm() < 1);
    }
};

UM_TEST(PartsTest)
#include "PartsTest.moc"

// The search for the level of a count that is closest to its source, and what it shares with that for a length.
#include "base/Error.h"
#include "base/Units.h"
#include "chain/ClosestAt.h"
#include "chain/DearerPlaces.h"
#include "chain/FewestWithin.h"
#include "chain/MendedLevel.h"
#include "chain/ReduceToTarget.h"
#include "measure/TextureDrift.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <QTest>

using namespace um;

namespace {

double waves(double x, double z) {
    return 0.06 * std::sin(11 * x + 3 * z) * std::cos(9 * z) + 0.01 * std::sin(40 * x) * std::sin(37 * z);
}

}  // namespace

class ClosestAtTest : public QObject {
    Q_OBJECT

private slots:
    // The same count, but what is farthest off is much closer, and the rest pays little for it.
    void comesCloserThanAReduction() {
        const Mesh source = test::makeSheet(150, 150, 1, 1, waves);
        const Mesh plain = reduceMesh(source, 1500, {}, Progress()).mesh;
        const Deviation before = measureDeviation(source, plain, {}, Progress());
        const ClosestLevel closest = closestAt(source, 1500, {}, Progress());
        QCOMPARE(closest.mesh.triangleCount(), std::size_t(1500));
        QVERIFY(closest.targetMet);
        const QString figures = QString("%1 -> %2, rms %3 -> %4")
                                    .arg(before.max)
                                    .arg(closest.deviation.max)
                                    .arg(before.rms)
                                    .arg(closest.deviation.rms);
        QVERIFY2(closest.deviation.maxBound < 0.9 * before.max, qPrintable(figures));
        QVERIFY2(closest.deviation.rms < 1.1 * before.rms, qPrintable(figures));
        // What it says of itself is what anyone measures.
        const Deviation after = measureDeviation(source, closest.mesh, {}, Progress());
        QVERIFY(after.max <= closest.deviation.maxBound);
        QCOMPARE(after.rms, closest.deviation.rms);
    }

    void isNeverFartherThanAReduction() {
        const Mesh ball = test::makeBumpyBall();
        for (const std::size_t triangles : {60, 200, 400}) {
            const Mesh plain = reduceMesh(ball, triangles, {}, Progress()).mesh;
            const ClosestLevel closest = closestAt(ball, triangles, {}, Progress());
            QCOMPARE(closest.mesh.triangleCount(), plain.triangleCount());
            QVERIFY(closest.deviation.max <= measureDeviation(ball, plain, {}, Progress()).max);
        }
    }

    // Where no step helps by itself, the source is made dearer there and reduced anew.
    void reducesAnewWherePlacesCannotBeMended() {
        const Mesh ball = test::makeBumpyBall();
        const ClosestLevel closest = closestAt(ball, 200, {}, Progress());
        QCOMPARE(closest.mesh.triangleCount(), std::size_t(200));
        const Deviation plain = measureDeviation(ball, reduceMesh(ball, 200, {}, Progress()).mesh, {}, Progress());
        QVERIFY2(closest.deviation.maxBound < 0.7 * plain.max,
                 qPrintable(QString("%1 -> %2").arg(plain.max).arg(closest.deviation.maxBound)));
        QVERIFY2(closest.deviation.rms < 1.1 * plain.rms,
                 qPrintable(QString("%1 -> %2").arg(plain.rms).arg(closest.deviation.rms)));
    }

    void leavesAloneWhatCannotComeCloser() {
        // A flat sheet lies on its source as it is; without the polish nothing is mended.
        const Mesh sheet = test::makeSheet(20, 20);
        const ClosestLevel flat = closestAt(sheet, 50, {}, Progress());
        QVERIFY(flat.mesh.triangleCount() <= 50 && flat.deviation.max < 1e-6);
        ReduceSettings settings;
        settings.polish = false;
        const Mesh source = test::makeBumpyBall();
        const Mesh plain = reduceMesh(source, 300, settings, Progress()).mesh;
        QCOMPARE(closestAt(source, 300, settings, Progress()).mesh.positions, plain.positions);
    }

    void isChosenForCountsAndSharesAlone() {
        const Mesh ball = test::makeBumpyBall();
        const auto reduced = [&](const char* target, bool isThorough) {
            return reduceToTarget(ball, parseTarget(target), {}, {}, isThorough, Progress());
        };
        QVERIFY(!reduced("300", false).deviation);
        const TargetResult thorough = reduced("300", true);
        QVERIFY(thorough.deviation && thorough.mesh.positions == closestAt(ball, 300, {}, Progress()).mesh.positions);
        QCOMPARE(reduced("20mm", true).mesh.positions, reduced("20mm", false).mesh.positions);
        // There is nothing to search for.
        QCOMPARE(reduced("100%", true).mesh.positions, ball.positions);
    }

    // Nothing brings a level close to what was dropped: the search goes by the rest, and says so. What it measures is
    // the whole.
    void goesByWhatIsLeftWhereSomethingIsDropped() {
        const Mesh sheet = test::makeSheet(80, 80, 1, 1, waves);
        const Mesh pebble = test::moved(test::makeSphere(0.03, 4), {0.5, 0.5, 0.5});
        const Mesh source = test::joined(sheet, pebble);
        ReduceSettings settings;
        settings.dropLooseBelow = 0.2;
        const Mesh plain = reduceMesh(sheet, 300, {}, Progress()).mesh;
        const double before = measureDeviation(sheet, plain, {}, Progress()).max;
        const ClosestLevel closest = closestAt(source, 300, settings, Progress());
        QCOMPARE(closest.mesh.triangleCount(), std::size_t(300));
        QVERIFY(closest.notes.restWithin.has_value());
        QVERIFY2(*closest.notes.restWithin < 0.9 * before,
                 qPrintable(QString("%1 -> %2").arg(before).arg(*closest.notes.restWithin)));
        QVERIFY(measureDeviation(sheet, closest.mesh, {}, Progress()).max <= *closest.notes.restWithin);
        QVERIFY(closest.deviation.max > 0.4);
        QCOMPARE(closest.notes.dropped.front().pieces, std::size_t(1));
        QCOMPARE(closest.notes.sentences(1).back(),
                 "Apart from what was dropped, all is within " + formatLength(*closest.notes.restWithin) + ".");
    }

    // Nor could a length be kept to otherwise.
    void keepsWhatIsLeftToALength() {
        const Mesh ball = test::makeBumpyBall();
        const Mesh source = test::joined(ball, test::moved(test::makeSphere(0.03, 4), {3, 0, 0}));
        ReduceSettings settings;
        settings.dropLooseBelow = 0.2;
        const Fewest fewest = fewestWithin(source, 0.05, settings, Progress());
        QVERIFY(fewest.mesh.triangleCount() < ball.triangleCount() / 3);
        QVERIFY(fewest.notes.restWithin && *fewest.notes.restWithin <= 0.05 && fewest.deviation.max > 1);
        // Where nothing is small enough to be dropped, nothing is said.
        settings.dropLooseBelow = 0.01;
        QVERIFY(!fewestWithin(source, 0.05, settings, Progress()).notes.restWithin.has_value());
    }

    // Each try mends corners that have several wedges, and what hangs on vertices.
    void takesSeamsAndSkinAlong() {
        Mesh source = test::makeSheet(110, 110, 1, 1, waves);
        test::addUvsWithSeam(source, 0.5);
        for (const Vec3f& p : source.positions) source.influences.push_back({{0, 1, 0, 0}, {1 - p.x(), p.x(), 0, 0}});
        source.skeleton.resize(2);
        const Mesh plain = reduceMesh(source, 600, {}, Progress()).mesh;
        const ClosestLevel closest = closestAt(source, 600, {}, Progress());
        requireSound(closest.mesh, "The level");
        QVERIFY(closest.deviation.max < 0.9 * measureDeviation(source, plain, {}, Progress()).max);
        QVERIFY(test::wedgesBelongToOneVertex(closest.mesh));
        const double drift = measureTextureDrift(source, closest.mesh, Progress()).rms;
        const double driftBefore = measureTextureDrift(source, plain, Progress()).rms;
        QVERIFY2(drift < 1.25 * driftBefore, qPrintable(QString("%1 -> %2").arg(driftBefore).arg(drift)));
        for (std::size_t v = 0; v < closest.mesh.vertexCount(); ++v) {
            const Influences& skin = closest.mesh.influences[v];
            float ofTip = 0;
            for (std::size_t i = 0; i < 4; ++i) ofTip += skin.joints[i] == 1 ? skin.weights[i] : 0;
            // An edge is 0.06 long.
            QVERIFY(std::abs(ofTip - closest.mesh.positions[v].x()) < 0.03);
        }
    }

    // A ball that is sunk into a sheet: where the level's ball is too far off, the sheet is closer.
    void makesThePartThatIsOffDearer() {
        const Mesh sheet = test::makeSheet(20, 20, 1, 1);
        const Mesh ball = test::moved(test::makeSphere(0.1, 16), {0.5, 0, 0.5});
        Mesh source = test::joined(sheet, ball);
        QCOMPARE(source.sections.size(), std::size_t(2));
        source.parts = {{"Sheet"}, {"Ball"}};
        for (std::uint32_t i : {0U, 1U}) source.sections[i].part = i;
        // Its lowest corner is pulled up to just under the sheet.
        const Vec3d place(0.51, -0.02, 0.5);
        const TriangleId ofBall = source.sections[1].firstTriangle, ofSheet = source.sections[0].firstTriangle;
        Deviation deviation;
        const Vec3d up = Vec3d::UnitY();
        deviation.farPlaces = {{place, up, 0.02, false, ofBall},
                               {place, up, 0.02, false, ofSheet},
                               {place, up, 0.002, false, ofBall},
                               {place, up, 0.02, true, ofBall + 7}};
        DearerPlaces dearer(source);
        const std::vector<TriangleId> triangles = dearer.trianglesTooFar(source, deviation, 0.02);
        QCOMPARE(triangles.size(), std::size_t(3));
        QVERIFY(triangles[0] >= ofBall);
        QVERIFY(triangles[1] < ofBall);
        QCOMPARE(triangles[2], ofBall + 7);
        std::vector<float> factors;
        dearer.add({triangles[0]}, source.triangleCount(), factors);
        for (TriangleId t = ofSheet; t < ofBall; ++t)
            for (const VertexId v : source.triangles[t]) QCOMPARE(factors[v], 1.0F);
        for (const VertexId v : source.triangles[triangles[0]]) QCOMPARE(factors[v], 10.0F);
        for (int again = 0; again < 3; ++again) dearer.add({triangles[0]}, source.triangleCount(), factors);
        for (const VertexId v : source.triangles[triangles[0]]) QCOMPARE(factors[v], 100.0F);
    }

    void canBeCancelled() {
        const Progress progress;
        progress.cancel();
        QVERIFY_EXCEPTION_THROWN(closestAt(test::makeBumpyBall(), 300, {}, progress), Cancelled);
    }

    // What is flat all over tells nothing of how far the rest will be off, however large it is.
    void judgesByWhatIsOffAtAll() {
        const auto withBumps = [](double width) {
            return test::makeSheet(300, 300, width, width, [](double x, double z) {
                return x < 1 && z < 1 ? 0.02 * std::sin(40 * x) * std::sin(40 * z) * x * (1 - x) * z * (1 - z) : 0.0;
            });
        };
        for (const double width : {2.0, 12.0}) {
            const Mesh sheet = withBumps(width);
            const Mesh level = reduceMesh(sheet, 200, {}, Progress()).mesh;
            const Deviation deviation = measureDeviation(sheet, level, {}, Progress());
            const double usual = usualMax(deviation, 0.001);
            QVERIFY2(usual > 0.5 * deviation.max && usual < 3 * deviation.max,
                     qPrintable(QString("%1: %2 of %3").arg(width).arg(usual).arg(deviation.max)));
        }
        QCOMPARE(usualMax(measureDeviation(withBumps(2), withBumps(2), {}, Progress()), 1), 0.0);
    }
};

UM_TEST(ClosestAtTest)
#include "ClosestAtTest.moc"

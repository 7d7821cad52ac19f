// The last stretch of a reduction: contracted and polished in turns.
#include "base/Error.h"
#include "chain/MendedLevel.h"
#include "measure/Deviation.h"
#include "measure/TextureDrift.h"
#include "mesh/Statistics.h"
#include "reduce/Descent.h"
#include "reduce/Reduce.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <QTest>
#include <set>

#include <cmath>

using namespace um;

namespace {

Mesh reduced(const Mesh& mesh, std::size_t target, ReduceSettings settings = {}) {
    return reduceMesh(mesh, target, settings, Progress()).mesh;
}

Mesh reducedWithin(const Limit& limit, const Mesh& mesh, std::size_t target, const Progress& progress = {}) {
    Reduction reduction(mesh, target, {}, progress);
    reduction.reduceTo(target, progress);
    return reduction.mesh(progress, limit);
}

double waves(double x, double z) {
    return 0.06 * std::sin(11 * x + 3 * z) * std::cos(9 * z) + 0.01 * std::sin(40 * x) * std::sin(37 * z);
}

// A contraction that paused where a descent begins, and the descent from there.
struct Run {
    const Mesh& source;
    std::size_t target;
    DescentSettings settings;
    Contraction contraction;

    Run(const Mesh& mesh, std::size_t triangles, const Treatment& treatment = {})
        : source(mesh),
          target(triangles),
          settings{treatment, {}, {}, mesh.triangleCount()},
          contraction(WorkingMesh(mesh, treatment, Progress()), mesh, {}) {
        settings.sourceLines = contraction.mesh().lines();
        contraction.contractTo(startOfDescent(target, mesh.triangleCount()), Progress());
        contraction.finish();
    }

    Mesh descend() const {
        const PolishSource polishSource(source, Progress());
        Descent descent(contraction, polishSource, settings);
        descent.approach(target, Progress());
        return std::move(descent).finish(target, {}, Progress());
    }
};

}  // namespace

class DescentTest : public QObject {
    Q_OBJECT

private slots:
    void pausesAboveTheTarget() {
        for (const std::size_t source : {50u, 1000u, 10000u, 1000000u}) {
            std::size_t before = 0;
            for (std::size_t target = 2; target < source; target = target * 21 / 20 + 1) {
                const std::size_t pause = startOfDescent(target, source);
                QVERIFY(pause >= target);
                QVERIFY(sharesStart(target, source) || pause <= target * 4 / 3);
                // What has been contracted for one level is a start for all lower ones.
                QVERIFY(pause >= before);
                before = pause;
            }
        }
    }

    // Of a handful of triangles each is where it is for a reason, and close to the source there is nothing to be won.
    void goesStraightWhereNothingIsToBeWon() {
        for (const std::size_t target : {1u, 2u, 4u}) QCOMPARE(startOfDescent(target, 1000), target);
        QCOMPARE(startOfDescent(90000, 100000), std::size_t(90000));
    }

    // A level is the same whatever has been made before it.
    void goesTheSameWayWhateverElseIsMade() {
        const Mesh sheet = test::makeSheet(120, 120, 1, 1, waves);
        Reduction all(sheet, 1, {}, Progress());
        for (const std::size_t target : {14000u, 9300u, 5000u, 2100u, 1900u, 700u, 650u, 90u, 12u}) {
            Reduction copy = all;
            all.reduceTo(target, Progress());
            copy.reduceTo(target, Progress());
            const Mesh level = all.mesh(Progress()), ofCopy = copy.mesh(Progress()), alone = reduced(sheet, target);
            QCOMPARE(level.triangles, alone.triangles);
            QCOMPARE(level.positions, alone.positions);
            QCOMPARE(ofCopy.positions, alone.positions);
            // What is given back on the way changes nothing, neither here nor for whoever shares it.
            QCOMPARE(std::move(copy).mesh(Progress()).positions, alone.positions);
            QCOMPARE(all.mesh(Progress()).positions, alone.positions);
        }
    }

    // Nor for the coarsest of a large source, which is thinned for them.
    void startsThinnedWhateverElseIsMade() {
        const Mesh sheet = test::makeSheet(240, 240, 1, 1, waves);
        const std::size_t target = 1500;
        QVERIFY(startsThinned(target, sheet.triangleCount()) && !startsThinned(20000, sheet.triangleCount()));
        for (const bool polish : {true, false}) {
            ReduceSettings settings;
            settings.polish = polish;
            const Mesh alone = reduced(sheet, target, settings);
            QCOMPARE(alone.triangleCount(), target);
            Reduction all(sheet, 1, settings, Progress());
            for (const std::size_t before : {20000u, 4000u}) all.reduceTo(before, Progress());
            QCOMPARE(all.mesh(Progress()).triangleCount(), std::size_t(4000));
            all.reduceTo(target, Progress());
            const Mesh level = all.mesh(Progress());
            QCOMPARE(level.triangles, alone.triangles);
            QCOMPARE(level.positions, alone.positions);
        }
    }

    void holdsWhatIsHeldInAThinnedSource() {
        const Mesh sheet = test::makeSheet(240, 240, 1, 1, waves);
        const auto isHeld = [](const Vec3f& p) {
            return std::abs(p.x() - 0.5f) < 0.03f && std::abs(p.z() - 0.4f) < 0.03f;
        };
        ReduceSettings settings;
        settings.guard.vertices = test::guardWhere(sheet, [&](const Vec3f& p) { return isHeld(p) ? guardHold : 0.0f; });
        for (const bool polish : {true, false}) {
            settings.polish = polish;
            const Mesh level = reduced(sheet, 2000, settings);
            QCOMPARE(level.triangleCount(), std::size_t(2000));
            std::set<std::array<float, 3>> left;
            for (const Vec3f& p : level.positions) left.insert({p.x(), p.y(), p.z()});
            std::size_t held = 0;
            for (const Vec3f& p : sheet.positions) {
                if (!isHeld(p)) continue;
                ++held;
                QVERIFY(left.count({p.x(), p.y(), p.z()}) == 1);
            }
            QVERIFY(held > 100);
        }
    }

    // What has been contracted away takes no room while the rest is polished.
    void givesBackWhatIsGone() {
        const Mesh sphere = test::makeSphere(1, 60);
        const Run run(sphere, 700);
        const WorkingMesh& left = run.contraction.mesh();
        QVERIFY(3 * left.triangles.size() < sphere.triangleCount());
        QCOMPARE(left.triangles.capacity(), left.triangles.size());
        QCOMPARE(left.positions.capacity(), left.positions.size());
        QCOMPARE(left.firstCorner.capacity(), left.positions.size());
        QCOMPARE(left.nextCorner.capacity(), 3 * left.triangles.size());
    }

    void meetsTheCount() {
        const Mesh sphere = test::makeSphere(1, 60);
        for (const std::size_t target : {5000u, 1501u, 700u, 100u, 20u}) {
            const Mesh level = Run(sphere, target).descend();
            requireSound(level, "the level");
            QCOMPARE(level.triangleCount(), target & ~std::size_t(1));  // a closed surface has an even number
            const Statistics s = gatherStatistics(level, Progress()).whole;
            QCOMPARE(s.borderEdges, std::size_t(0));
            QCOMPARE(s.nonManifoldEdges, std::size_t(0));
        }
    }

    void comesCloserTheCoarserTheLevel() {
        const Mesh sheet = test::makeSheet(300, 300, 1, 1, waves);
        ReduceSettings plainly;
        plainly.polish = false;
        double before = 1;
        for (const auto& [target, goal] : {std::pair(40000u, 0.97), std::pair(9000u, 0.85), std::pair(1500u, 0.75)}) {
            const Deviation plain = measureDeviation(sheet, reduced(sheet, target, plainly), {}, Progress());
            const Mesh level = reduced(sheet, target);
            const Deviation better = measureDeviation(sheet, level, {}, Progress());
            const double share = better.rms / plain.rms;
            QVERIFY2(share < goal, qPrintable(QString("%1 at %2").arg(share).arg(target)));
            QVERIFY2(better.max < plain.max, qPrintable(QString("%1, %2").arg(better.max).arg(plain.max)));
            QCOMPARE(test::trianglesFacingAway(level, {0, 1, 0}), std::size_t(0));
            QVERIFY(share < before + 0.05);
            before = share;
        }
    }

    void leavesTheContractionAsItIs() {
        const Mesh sphere = test::makeSphere(1, 40);
        const Run run(sphere, 300);
        const std::size_t paused = run.contraction.triangles();
        const Mesh first = run.descend(), second = run.descend();
        QCOMPARE(run.contraction.triangles(), paused);
        QCOMPARE(first.positions, second.positions);
        QCOMPARE(first.triangles, second.triangles);
    }

    // What lies below the target already is polished only.
    void polishesWhatIsCoarseEnough() {
        const Mesh sphere = test::makeSphere(1, 40);
        Run run(sphere, 600);
        run.contraction.contractTo(500, Progress());
        run.contraction.finish();
        const Mesh level = run.descend();
        QVERIFY(level.triangleCount() >= 500 && level.triangleCount() <= 600);
    }

    // The bends of a coarse ball are no creases: they must not keep it from becoming coarser.
    void takesNoBendForACrease() {
        ReduceSettings settings;
        settings.protect = parseProtect("creases=hard 25deg");
        const Reduced ball = reduceMesh(test::makeSphere(1, 40), 60, settings, Progress());
        QVERIFY(ball.targetMet);
        QCOMPARE(ball.mesh.triangleCount(), std::size_t(60));
    }

    void keepsCreasesThatThereAre() {
        // A box with waves on its sides: without care the polish would round its edges off.
        Mesh box = test::makeBox({2, 2, 2}, 60);
        for (Vec3f& p : box.positions)
            if (std::abs(p.x()) < 0.99f && std::abs(p.z()) < 0.99f)
                p.y() *=
                    1 + 0.02f * std::sin(9 * p.x()) * std::sin(7 * p.z()) * (1 - p.x() * p.x()) * (1 - p.z() * p.z());
        ReduceSettings settings;
        settings.protect = parseProtect("creases=on");
        const Mesh level = reduced(box, 400, settings);
        int found = 0;
        for (const float x : {-1.0f, 1.0f})
            for (const float y : {-1.0f, 1.0f})
                for (const float z : {-1.0f, 1.0f})
                    found += std::any_of(level.positions.begin(), level.positions.end(),
                                         [&](const Vec3f& p) { return (p - Vec3f(x, y, z)).norm() < 1e-3f; })
                                 ? 1
                                 : 0;
        QCOMPARE(found, 8);
    }

    void keepsHardBordersBitForBit() {
        const Mesh sheet = test::makeSheet(80, 80, 1, 1, waves);
        ReduceSettings settings;
        settings.protect.borders = Protection::Hard;
        const Mesh level = reduced(sheet, 800, settings);
        const auto onBorder = [](const Vec3f& p) { return p.x() == 0 || p.x() == 1 || p.z() == 0 || p.z() == 1; };
        const auto borderOf = [&](const Mesh& mesh) {
            std::vector<std::array<float, 3>> places;
            for (const Vec3f& p : mesh.positions)
                if (onBorder(p)) places.push_back({p.x(), p.y(), p.z()});
            std::sort(places.begin(), places.end());
            return places;
        };
        QCOMPARE(borderOf(level).size(), std::size_t(320));
        QVERIFY(borderOf(level) == borderOf(sheet));
    }

    // Borders are drawn along themselves, not to where the faces beside them would have them.
    void keepsBordersInTheirPlace() {
        const Mesh sheet = test::makeSheet(300, 300, 1, 1, waves);
        for (const std::size_t target : {20000u, 1200u}) {
            const Box3f box = boundingBox(reduced(sheet, target));
            const Vec3f flat(1, 0, 1);
            QVERIFY(box.min().cwiseProduct(flat).norm() < 6e-4f);
            QVERIFY((box.max().cwiseProduct(flat) - flat).norm() < 6e-4f);
        }
    }

    // What is dear at the source stays dear on the way down.
    void goesOnCaringWhereItShould() {
        const Mesh sheet = test::makeSheet(150, 150, 1, 1, waves);
        const auto shareOfLeft = [&](GuardValue guard) {
            ReduceSettings settings;
            settings.guard.vertices = test::guardWhere(sheet, [&](const Vec3f& p) { return p.x() < 0.5f ? guard : 0; });
            const Mesh level = reduced(sheet, 600, settings);
            std::size_t left = 0;
            for (const Vec3f& p : level.positions) left += p.x() < 0.5f ? 1 : 0;
            return double(left) / double(level.vertexCount());
        };
        const double none = shareOfLeft(0), kept = shareOfLeft(1), yielding = shareOfLeft(-1);
        QVERIFY2(kept > 1.5 * none, qPrintable(QString("%1 %2").arg(kept).arg(none)));
        QVERIFY2(yielding < none / 1.5, qPrintable(QString("%1 %2").arg(yielding).arg(none)));
    }

    // One vertex alone that sticks out 20 mm: among many others it is found nevertheless.
    void overlooksNoSingleTip() {
        const auto withTips = [](double x, double z) {
            double height = waves(x, z);
            for (const auto& [cx, cz] : {std::pair(0.2, 0.3), std::pair(0.7, 0.45), std::pair(0.45, 0.85)})
                if (std::abs(x - cx) < 1e-3 && std::abs(z - cz) < 1e-3) height += 0.02;
            return height;
        };
        const Mesh sheet = test::makeSheet(400, 400, 1, 1, withTips);
        const Mesh level = reduced(sheet, 1500);
        const Deviation deviation = measureDeviation(sheet, level, {}, Progress());
        QVERIFY2(deviation.sourceToLevel.max < 0.01, qPrintable(QString::number(deviation.sourceToLevel.max)));
        // Nor does the level stick out farther around it than what is lost.
        QVERIFY2(deviation.levelToSource.max < 0.0105, qPrintable(QString::number(deviation.levelToSource.max)));
    }

    // The rim of a plate that is thinner than the level is off has no faces that would tell when it shrinks.
    void keepsTheRimOfAThinPlate() {
        Mesh plate = test::makeBox({1, 1, 1}, 100);
        for (Vec3f& p : plate.positions) p.y() = float(0.006 * p.y() + waves(p.x(), p.z()));
        ReduceSettings plain;
        plain.polish = false;
        const Deviation before = measureDeviation(plate, reduced(plate, 500, plain), {}, Progress());
        const Deviation after = measureDeviation(plate, reduced(plate, 500), {}, Progress());
        const QString figures =
            QString("%1 -> %2, rms %3 -> %4").arg(before.max).arg(after.max).arg(before.rms).arg(after.rms);
        QVERIFY2(after.max < 0.7 * before.max && after.rms < 0.8 * before.rms, qPrintable(figures));
    }

    // Of what is too far off a third and more is mended before anyone measures, and the rest pays little for it.
    void mendsWhatIsTooFarOff() {
        const Mesh sheet = test::makeRidgedSheet(waves);
        std::size_t were = 0, left = 0;
        for (const std::size_t triangles : {4000, 5000}) {
            const Mesh usual = reduced(sheet, triangles);
            const Deviation before = measureDeviation(sheet, usual, {}, Progress());
            Limit limit;
            limit.within = 0.65 * before.max;
            const Mesh level = reducedWithin(limit, sheet, triangles);
            QCOMPARE(level.triangleCount(), triangles);
            QVERIFY(test::trianglesFacingAway(level, {0, 1, 0}) <= test::trianglesFacingAway(usual, {0, 1, 0}));
            DeviationSettings all;
            all.allowed = limit.within;
            const auto tooFar = [&](const Mesh& mesh) {
                return placesFartherThan(limit.within, measureDeviation(sheet, mesh, all, Progress()));
            };
            were += tooFar(usual);
            left += tooFar(level);
            const Deviation after = measureDeviation(sheet, level, {}, Progress());
            QVERIFY2(after.rms < 1.05 * before.rms, qPrintable(QString("%1 %2").arg(before.rms).arg(after.rms)));
            QCOMPARE(reducedWithin(limit, sheet, triangles).positions, level.positions);
        }
        QVERIFY2(were >= 40 && 3 * left <= 2 * were, qPrintable(QString("%1 of %2").arg(left).arg(were)));
    }

    // What is still too far off is mended where someone says so, with vertices that were kept for it.
    void mendsWhereItIsFoundToBeTooFarOff() {
        const Mesh sheet = test::makeRidgedSheet(waves);
        constexpr std::size_t target = 2000, mostKept = 128;
        Limit limit;
        limit.within = 0.0016;
        DeviationSettings measuring;
        measuring.allowed = limit.within;
        std::vector<std::size_t> found;
        std::vector<Vec3f> lastSeen;
        limit.find = [&](const Mesh& level, const Progress&) {
            requireSound(level, "The level");
            lastSeen = level.positions;
            std::vector<TooFar> places;
            for (const FarPlace& far : measureDeviation(sheet, level, measuring, Progress()).farPlaces)
                if (far.distance > limit.within) places.push_back({far.place, far.isOnSource});
            found.push_back(places.size());
            return places;
        };
        limit.leavesOutSpare = true;
        const Mesh level = reducedWithin(limit, sheet, target);
        QVERIFY(level.triangleCount() <= target && level.triangleCount() + mostKept > target);
        QVERIFY2(found.size() > 1 && found.front() > 0 && found.back() == 0,
                 qPrintable(QString("%1 times, %2, %3").arg(found.size()).arg(found.front()).arg(found.back())));
        QCOMPARE(level.positions, lastSeen);
        QVERIFY(measureDeviation(sheet, level, measuring, Progress()).max <= limit.within);
        // What is not needed may be put in all the same.
        limit.leavesOutSpare = false;
        QCOMPARE(reducedWithin(limit, sheet, target).triangleCount(), target);
    }

    void canBeCancelledWhileItIsMended() {
        const Mesh sheet = test::makeRidgedSheet(waves);
        const Progress progress;
        Limit limit;
        limit.within = 0.0016;
        limit.find = [&](const Mesh& level, const Progress&) {
            progress.cancel();
            return std::vector<TooFar>{{level.positions[0].cast<double>(), false}};
        };
        QVERIFY_EXCEPTION_THROWN(reducedWithin(limit, sheet, 2000, progress), Cancelled);
    }

    // Where the error counts for more, there is less of it, also where nobody has guarded anything.
    void comesCloserWhereItIsDearer() {
        const Mesh sheet = test::makeSheet(150, 150, 1, 1, waves);
        const auto off = [&](float dearer) {
            ReduceSettings settings;
            for (const Vec3f& p : sheet.positions) settings.dearer.push_back(p.x() < 0.2f ? dearer : 1);
            const Mesh level = reduced(sheet, 600, settings);
            const Deviation deviation = measureDeviation(sheet, level, {}, Progress());
            double squares = 0;
            for (VertexId v = 0; v < sheet.vertexCount(); ++v)
                if (sheet.positions[v].x() < 0.2f) squares += std::pow(double(deviation.atSourceVertex[v]), 2);
            return std::sqrt(squares);
        };
        const double usual = off(1), dearer = off(100);
        QVERIFY2(dearer < 0.6 * usual, qPrintable(QString("%1 %2").arg(dearer).arg(usual)));
    }

    // Textures do not swim with what is moved so often.
    void leavesTexturesWhereTheyAre() {
        Mesh sheet = test::makeSheet(200, 200, 1, 1, waves);
        for (const Vec3f& p : sheet.positions) sheet.uvs.emplace_back(p.x(), p.z());
        const Mesh level = reduced(sheet, 800);
        QCOMPARE(level.triangleCount(), std::size_t(800));
        const TextureDrift drift = measureTextureDrift(sheet, level, Progress());
        // An edge is about 0.05 long.
        QVERIFY2(drift.rms < 5e-4 && drift.max < 5e-3, qPrintable(QString("%1 %2").arg(drift.rms).arg(drift.max)));
    }
};

UM_TEST(DescentTest)
#include "DescentTest.moc"

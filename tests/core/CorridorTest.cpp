// Which level is drawn where, what that costs, and how a chain is planned; against distances reckoned by hand.
#include "base/Error.h"
#include "chain/Plan.h"
#include "chain/ReduceToTarget.h"
#include "measure/PixelLoad.h"
#include "measure/Pop.h"
#include "tests/support/Files.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <cmath>
#include <QTest>

using namespace um;

namespace {

// 1000 px tall, and as wide an angle as makes a metre at a metre's distance 1000 px: 2 tan(v/2) = 1.
Screen simpleScreen() {
    Screen screen;
    screen.heightPixels = 1000;
    screen.fieldOfViewDegrees = 2 * std::atan(0.5) * 180 / pi;
    return screen;
}

// A metre tall, covering half a square metre.
const AssetSize asset{1, 1.25, 0.5};

LevelCost costOf(double facing, double error, double switchDistance = 0) {
    LevelCost cost;
    cost.facing = facing;
    cost.error = error;
    cost.switchDistance = switchDistance;
    return cost;
}

bool close(double a, double b) {
    return std::abs(a - b) <= 1e-6 * std::max(1.0, std::abs(b));
}

// Errors of 1 km / triangles: what a curve of first order looks like.
ErrorCurve inverseCurve() {
    ErrorCurve curve;
    curve.points.push_back({200000, 0});
    for (double triangles = 100000; triangles > 50; triangles /= 2)
        curve.points.push_back({triangles, 1000 / triangles});
    return curve;
}

}  // namespace

class CorridorTest : public QObject {
    Q_OBJECT

private slots:
    // What a picture's samples add to an outline is not said: it is never farther off than the surface.
    void keepsTheOutlineWithinTheDeviation() {
        Deviation deviation;
        deviation.maxBound = 0.004;
        Level level;
        level.mesh = std::make_shared<const Mesh>(test::makeTetrahedron());
        level.outline = OutlineError{0.005, 0.001};
        QCOMPARE(um::costOf(level).outlineError, std::optional(0.005));
        level.evidence = std::make_shared<const Deviation>(deviation);
        QCOMPARE(um::costOf(level).outlineError, std::optional(0.004));
        level.outline->max = 0.003;
        QCOMPARE(um::costOf(level).outlineError, std::optional(0.003));
    }

    void reckonsInPixels() {
        const Screen screen = simpleScreen();
        QVERIFY(close(asset.pixelsTall(screen, 4), 250));
        QVERIFY(close(asset.screenSize(screen, 2.5), 0.5));
        QVERIFY(close(asset.nearest(screen), 1));
        Switching switching;
        QVERIFY(std::isinf(asset.gone(screen, switching)));
        switching.gonePixels = 5;
        QVERIFY(close(asset.gone(screen, switching), 200));
        // 4 mm are a pixel at 4 m, and two within 2 px.
        const LevelCost cost = costOf(1000, 0.004);
        QVERIFY(close(cost.unnoticedFrom(screen, switching), 4));
        switching.allowedPixels = 2;
        QVERIFY(close(cost.unnoticedFrom(screen, switching), 2));
        // Half a square metre in 1000 triangles: 5 cm² each, which are 4 px (2 x 2) where 22.4 mm are two.
        QVERIFY(close(cost.wastedFrom(asset, screen, switching), std::sqrt(0.0005) * 1000 / 2));
        QVERIFY(close(cost.pixelsPerTriangle(asset, screen, 10), 5));
    }

    void drawsTheLevelWhoseDistanceItIs() {
        const Screen screen = simpleScreen();
        const std::vector<LevelCost> levels = {costOf(9000, 0.001), costOf(3000, 0.004), costOf(800, 0.02, 12),
                                               costOf(100, 0.05)};
        Switching switching;
        switching.gonePixels = 4;
        const Band band = bandOf(levels, asset, screen, switching);
        // The third was set by hand, and comes in before its error allows it.
        QVERIFY(close(band.from[1], 4) && close(band.from[2], 12) && close(band.from[3], 50) && close(band.gone, 250));
        QCOMPARE(band.from[0], 0.0);
        QCOMPARE(band.at(0.1), 0);
        QCOMPARE(band.at(3.99), 0);
        QCOMPARE(band.at(4), 1);
        QCOMPARE(band.at(49), 2);
        QCOMPARE(band.at(249), 3);
        QCOMPARE(band.at(251), int(Band::nothing));
        // One that would come in before its neighbour waits for it.
        const Band pushed = bandOf({costOf(9, 0), costOf(5, 0.03), costOf(2, 0.01)}, asset, screen, {});
        QVERIFY(close(pushed.from[2], 30) && std::isinf(pushed.gone));
        QCOMPARE(bandOf({}, asset, screen, {}).at(5), int(Band::nothing));
    }

    void comesBackALittleNearer() {
        const Band band{{0, 10, 20}, 100};
        QCOMPARE(band.following(0, 10.1, 0.1), 1);
        QCOMPARE(band.following(1, 9.5, 0.1), 1);  // not yet
        QCOMPARE(band.following(1, 8.9, 0.1), 0);
        QCOMPARE(band.following(2, 5, 0.1), 0);    // far nearer, at once
        QCOMPARE(band.following(2, 9.5, 0.1), 1);  // left the last for good, but not yet the one between
        QCOMPARE(band.following(Band::nothing, 95, 0.1), int(Band::nothing));
        QCOMPARE(band.following(Band::nothing, 89, 0.1), 2);
        QCOMPARE(band.following(2, 101, 0.1), int(Band::nothing));
        QCOMPARE(band.following(1, 9.5, 0), 0);
        // Going to and fro within the width changes nothing.
        int level = 0, changes = 0;
        for (int i = 0; i < 100; ++i) {
            const int next = band.following(level, 9.7 + 0.6 * (i % 2), 0.1);
            changes += next != level ? 1 : 0;
            level = next;
        }
        QCOMPARE(changes, 1);
    }

    void fadesOverAShareOfTheDistance() {
        const Band band{{0, 10}, 40};
        QCOMPARE(band.fade(0, 7.9, 0.2), 0.0);
        QVERIFY(close(band.fade(0, 9, 0.2), 0.5));
        QCOMPARE(band.fade(0, 10, 0.2), 1.0);
        QVERIFY(close(band.fade(1, 36, 0.2), 0.5));  // into nothing
        QCOMPARE(band.fade(0, 9, 0), 0.0);
    }

    void measuresWhatAnAssetCovers() {
        // A ball covers pi r² from every side; a convex shape a quarter of its surface on average (Cauchy).
        const AssetSize ball = sizeOf(test::makeSphere(0.5, 40), Progress());
        QVERIFY2(std::abs(ball.coveredArea / (pi * 0.25) - 1) < 0.01, qPrintable(QString::number(ball.coveredArea)));
        QVERIFY(close(ball.height, 1));
        Mesh box = test::makeBox({1000, 2000, 500}, 2);
        box.metresPerUnit = 0.001;
        const AssetSize size = sizeOf(box, Progress());
        const double surface = 2 * (1 * 2 + 2 * 0.5 + 1 * 0.5);
        QVERIFY2(std::abs(size.coveredArea / (surface / 4) - 1) < 0.02, qPrintable(QString::number(size.coveredArea)));
        QVERIFY(close(size.height, 2));
    }

    void tellsTheLoadThatIsMeasured() {
        // By formula as by drawing: pixels for each triangle of a ball.
        const Mesh ball = test::makeSphere(0.5, 24);
        LevelCost cost;
        cost.facing = facingTriangles(ball);
        const Screen screen = simpleScreen();
        const double distance = 5;
        const PixelLoad load = measurePixelLoad(ball, 26, screen.pixels(1, distance), Progress());
        const double formula = cost.pixelsPerTriangle(sizeOf(ball, Progress()), screen, distance);
        QVERIFY2(std::abs(formula / load.pixelsPerTriangle - 1) < 0.06,
                 qPrintable(QString("%1 %2").arg(formula).arg(load.pixelsPerTriangle)));
    }

    void findsCountsOnTheCurve() {
        const ErrorCurve curve = inverseCurve();
        QVERIFY(close(curve.trianglesFor(1), 1000));
        QVERIFY(close(curve.trianglesFor(0.37), 1000 / 0.37));
        QVERIFY(close(curve.errorOf(3333), 1000 / 3333.0));
        QCOMPARE(curve.trianglesFor(1e-4), 200000.0);  // only the source itself
        QVERIFY(curve.trianglesFor(1000) > 50 && curve.trianglesFor(1000) < 100);
    }

    void plansBetweenEyeAndCard() {
        // A pixel is d/1000 m at d metres: 1e6 / d triangles stay within it, of which half face the viewer. They are
        // under the floor of 4 px from where 0.5 m² (1000/d)² / (n/2) = 4, for n = 1e6 / d0: d = sqrt(d0 / 4).
        const Screen screen = simpleScreen();
        const ErrorCurve curve = inverseCurve();
        Switching switching;
        switching.gonePixels = 10;  // 100 m
        PlanSettings settings;
        settings.nearest = 10;
        settings.mostLevels = 4;
        settings.step = 0.9;
        const Plan plan = planFrom(curve, asset, 0.5, settings, screen, switching);
        QCOMPARE(plan.levels.size(), std::size_t(4));
        for (std::size_t i = 0; i < 4; ++i) {
            // Spread evenly over the logarithm: 10 m, 17.8, 31.6, 56.2.
            const double from = 10 * std::pow(10, double(i) / 4);
            QVERIFY(i == 0 ? plan.levels[i].from == 0 : close(plan.levels[i].from, from));
            const double exact = 1e6 / from;
            QVERIFY(double(plan.levels[i].triangles) >= exact * 0.999 &&
                    double(plan.levels[i].triangles) < exact * 1.02);
            QVERIFY(screen.pixels(plan.levels[i].error, from) <= 1 + 1e-9);
        }
    }

    void takesAsFewLevelsAsTheFloorAllows() {
        const Screen screen = simpleScreen();
        // With nothing wasted by a single level, there is one.
        Switching switching;
        switching.gonePixels = 10;
        switching.floorPixels = 0;
        const Plan one = planFrom(inverseCurve(), asset, 0.5, {}, screen, switching);
        QCOMPARE(one.levels.size(), std::size_t(1));
        // 1e6 / d0 triangles of which half face the viewer are under 0.01 px from 10 sqrt(d0) on: one level from 10 m
        // would do until 31.6 m, two until 47.3 m (from 22.4 m), three until 54.1 m (from 29.2 m). Wanted are 50 m.
        switching.gonePixels = 20;
        switching.floorPixels = 0.01;
        PlanSettings settings;
        settings.nearest = 10;
        settings.mostLevels = 16;
        settings.step = 0.99;
        const Plan plan = planFrom(inverseCurve(), asset, 0.5, settings, screen, switching);
        QCOMPARE(plan.levels.size(), std::size_t(3));
        QVERIFY(close(plan.levels[2].from, 10 * std::pow(5, 2 / 3.0)));
        settings.mostLevels = 2;
        QCOMPARE(planFrom(inverseCurve(), asset, 0.5, settings, screen, switching).levels.size(), std::size_t(2));
    }

    void leavesOutStepsThatSaveLittle() {
        Switching switching;
        switching.gonePixels = 10;
        PlanSettings settings;
        settings.nearest = 10;
        settings.mostLevels = 12;  // steps of 10^(1/12): 82 % of the level before
        settings.step = 0.5;
        const Plan plan = planFrom(inverseCurve(), asset, 0.5, settings, simpleScreen(), switching);
        for (std::size_t i = 1; i < plan.levels.size(); ++i)
            QVERIFY(double(plan.levels[i].triangles) <= 0.5 * double(plan.levels[i - 1].triangles));
        QVERIFY(!plan.advice.empty() && plan.advice.front().find("would save only") != std::string::npos);
    }

    void keepsToATotal() {
        Switching switching;
        switching.gonePixels = 10;
        PlanSettings settings;
        settings.nearest = 10;
        settings.mostLevels = 3;
        settings.step = 0.9;
        settings.totalTriangles = 120000;
        const Plan plan = planFrom(inverseCurve(), asset, 0.5, settings, simpleScreen(), switching);
        std::size_t sum = 0;
        for (const PlannedLevel& level : plan.levels) sum += level.triangles;
        QCOMPARE(sum, std::size_t(120000));
        QCOMPARE(plan.levels.size(), std::size_t(3));
        QVERIFY(plan.advice.back().find("off by") != std::string::npos);
        settings.totalTriangles = 30000;
        const Plan small = planFrom(inverseCurve(), asset, 0.5, settings, simpleScreen(), switching);
        QVERIFY(small.levels.size() < 3 && small.levels.front().from == 0);
    }

    void measuresACurveThatFalls() {
        const Mesh ball = test::makeSphere(0.5, 40);
        HalvedSource halved(ball, {}, Progress());
        const ErrorCurve curve = measureErrorCurve(halved, {double(ball.triangleCount()), 0}, Progress());
        QCOMPARE(curve.points.front().triangles, double(ball.triangleCount()));
        QCOMPARE(curve.points.front().error, 0.0);
        for (std::size_t i = 1; i < curve.points.size(); ++i) {
            QVERIFY(curve.points[i].triangles < curve.points[i - 1].triangles);
            QVERIFY(curve.points[i].error >= curve.points[i - 1].error);
        }
        // A ball of n triangles lies off by about r · 4 pi / (3 sqrt 3) · 2 / n, if they are equal: no less.
        for (const ErrorCurve::Point& point : curve.points)
            if (point.error > 0 && point.triangles < 2000 && point.triangles > 100)
                QVERIFY2(point.error > 0.3 * 0.5 * 2.4 / point.triangles, qPrintable(QString::number(point.triangles)));
    }

    // Hard borders and little else: no halving succeeds for long, and each search must end all the same.
    void endsWhereNothingCanGo() {
        const Mesh sheet = test::makeSheet(60, 60, 1, 1, [](double x, double z) { return 0.05 * std::sin(9 * x * z); });
        ReduceSettings settings;
        settings.protect.borders = Protection::Hard;
        HalvedSource halved(sheet, settings, Progress());
        QVERIFY2(halved.halvings() > 2 && halved.halvings() < 14, qPrintable(QString::number(halved.halvings())));
        const ErrorCurve curve = measureErrorCurve(halved, {double(sheet.triangleCount()), 0}, Progress());
        // Between 240 vertices on the border lie 238 triangles.
        QVERIFY(curve.points.back().triangles >= 238);
        for (std::size_t i = 1; i < curve.points.size(); ++i)
            QVERIFY(curve.points[i].triangles < curve.points[i - 1].triangles);
        const TargetResult within = reduceToTarget(sheet, parseTarget("200mm"), {}, settings, false, Progress());
        QVERIFY(within.mesh.triangleCount() >= 238 && within.mesh.triangleCount() < sheet.triangleCount() / 4);
    }

    void advisesOnAChain() {
        const Screen screen = simpleScreen();
        const auto advice = [&](const std::vector<LevelCost>& costs, const std::vector<std::size_t>& triangles,
                                const Switching& switching = {}) {
            std::string all;
            const std::vector<std::string> names = {"LOD 0", "LOD 1", "LOD 2"};
            for (const std::string& sentence :
                 adviceOn({names.begin(), names.begin() + long(costs.size())}, triangles, costs,
                          bandOf(costs, asset, screen, switching), asset, 1000000, screen, switching))
                all += sentence + "\n";
            return QString::fromStdString(all);
        };
        const QString good = advice({costOf(60000, 0.0009), costOf(10000, 0.006)}, {120000, 20000});
        QVERIFY2(good.contains("source need not go out") && good.contains("120,000"), qPrintable(good));
        QVERIFY(good.contains("From 100 m on the asset stands under 10 px"));
        QVERIFY(!good.contains("saves only"));
        QVERIFY(advice({costOf(60000, 0.004)}, {120000}).contains("Nearer than 4 m"));
        QVERIFY(
            advice({costOf(60000, 0.0009), costOf(54000, 0.006)}, {120000, 108000}).contains("LOD 1 saves only 10 %"));
        QVERIFY(advice({costOf(500, 0.0009), costOf(600, 0.006)}, {1000, 1200}).contains("no coarser"));
        QVERIFY(advice({costOf(60000, 0.0009), costOf(100, 0.02, 5)}, {120000, 200}).contains("off by 4 px"));
        QVERIFY(advice({costOf(60000, 0.0009)}, {120000}).contains("under 4 px in LOD 0 from 1.44 m"));
        QVERIFY(advice({costOf(60000, 0.0009), costOf(9000, 0.006), costOf(900, 0.005)}, {120000, 18000, 1800})
                    .contains("LOD 1 is never drawn"));
        Switching gone;
        gone.gonePixels = 12;
        QVERIFY(!advice({costOf(60000, 0.0009)}, {120000}, gone).contains("impostor"));
        QVERIFY(advice({}, {}).isEmpty());
    }

    void saysWhatIsNoSwitching() {
        const auto error = [](auto change) {
            Switching switching;
            change(switching);
            return test::errorOf([&] { requireSensible(switching); });
        };
        QVERIFY(error([](Switching& s) { s.allowedPixels = 0; }).contains("above 0"));
        QVERIFY(error([](Switching& s) { s.hysteresis = 1; }).contains("Hysteresis"));
        QVERIFY(error([](Switching& s) { s.crossFade = -0.1; }).contains("cross-fade"));
        QVERIFY(error([](Switching& s) { s.gonePixels = NAN; }).contains("Drawing ends"));
        QVERIFY(error([](Switching&) {}).isEmpty());
    }

    void measuresPops() {
        const Mesh fine = test::makeSphere(0.5, 40), coarse = test::makeSphere(0.5, 3);
        const Pop none = measurePop(fine, fine, 200, Progress());
        QCOMPARE(none.outline + none.shading, 0.0);
        QVERIFY(std::abs(none.covered / (pi * 100 * 100) - 1) < 0.02);
        const Pop pop = measurePop(fine, coarse, 200, Progress());
        QVERIFY(pop.outline > 50 && pop.shading > pop.outline && pop.share() < 1);
        QVERIFY(pop.worst() >= pop.outline + pop.shading - 1e-6);
        // Half as large on the screen: a quarter of the pixels.
        const Pop farther = measurePop(fine, coarse, 100, Progress());
        QVERIFY(std::abs(farther.covered / pop.covered - 0.25) < 0.02);
        QVERIFY(farther.outline < 0.5 * pop.outline);
        // A box that grew by 1 % of its size changes its outline alone.
        const Pop grown = measurePop(test::makeBox({1, 1, 1}), test::makeBox({1.02, 1.02, 1.02}), 200, Progress());
        QVERIFY(grown.outline > 20 * grown.shading);
    }
};

UM_TEST(CorridorTest)
#include "CorridorTest.moc"

#include "base/Error.h"
#include "base/TrianglePoint.h"
#include "measure/ClosestPoint.h"
#include "measure/Deviation.h"
#include "measure/PatchBound.h"
#include "measure/Probe.h"
#include "reduce/Reduce.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <QTest>
#include <random>
#include <set>

using namespace um;

namespace {

bool near(double a, double b, double tolerance) {
    return std::abs(a - b) <= tolerance;
}

// Whether a place lies on the triangle that it says, of a mesh of about unit size.
bool liesOn(const Mesh& mesh, const FarPlace& far) {
    const Triangle& t = mesh.triangles.at(far.triangle.value());
    const auto corner = [&](std::size_t k) { return Vec3d(mesh.positions[t[k]].cast<double>()); };
    const Vec3d a = corner(0), b = corner(1), c = corner(2);
    return (closestOnTriangle(far.place, a, b, c).of(a, b, c) - far.place).norm() < 1e-6;
}

}  // namespace

class DeviationTest : public QObject {
    Q_OBJECT

private slots:
    void measuresOffsetSpheres() {
        // Every point of a sphere is 0.1 away from a sphere 0.1 larger; both are finely cut, their sagittas below 1e-3.
        const Mesh inner = test::makeSphere(1, 60), outer = test::makeSphere(1.1, 60);
        const Deviation d = measureDeviation(inner, outer, {}, Progress());
        QVERIFY(near(d.max, 0.1, 1e-3) && near(d.mean, 0.1, 1e-3) && near(d.rms, 0.1, 1e-3));
        QVERIFY(near(d.p95, 0.1, 1e-3) && near(d.p99, 0.1, 1e-3));
        QVERIFY(near(d.meanSigned, 0.1, 1e-3));  // the level lies outside
        QVERIFY(d.maxBound >= d.max && d.maxBound < 0.105);
        QVERIFY(near(d.sourceToLevel.max, 0.1, 1e-3) && near(d.levelToSource.max, 0.1, 1e-3));
        for (const float value : d.atLevelVertex) QVERIFY(near(double(value), 0.1, 1e-3));
    }

    void signsWhatLiesInside() {
        const Deviation d = measureDeviation(test::makeSphere(1, 40), test::makeSphere(0.95, 40), {}, Progress());
        QVERIFY(near(d.meanSigned, -0.05, 1e-3));
        for (const float value : d.atLevelVertex) QVERIFY(near(double(value), -0.05, 2e-3));
    }

    void measuresNestedBoxes() {
        // From the outer box the corners are farthest: sqrt(3) * 0.1; from the inner one everything is 0.1 away.
        const Deviation d =
            measureDeviation(test::makeBox({2, 2, 2}, 20), test::makeBox({2.2, 2.2, 2.2}, 20), {}, Progress());
        QVERIFY(near(d.sourceToLevel.max, 0.1, 1e-6));
        QVERIFY(near(d.sourceToLevel.mean, 0.1, 1e-6));
        QVERIFY(near(d.levelToSource.max, std::sqrt(3.0) * 0.1, 1e-6));
        QVERIFY(near(d.max, std::sqrt(3.0) * 0.1, 1e-6));
        for (int axis = 0; axis < 3; ++axis) QVERIFY(near(std::abs(d.worstPlace[axis]), 1.1, 1e-5));
    }

    void findsTheBumpOnAPlane() {
        const auto bump = [](double x, double z) {
            return 0.05 * std::exp(-((x - 0.3) * (x - 0.3) + (z - 0.6) * (z - 0.6)) / 0.002);
        };
        const Mesh flat = test::makeSheet(1, 1), bumped = test::makeSheet(200, 200, 1, 1, bump);
        const Deviation d = measureDeviation(bumped, flat, {}, Progress());
        QVERIFY(near(d.max, 0.05, 1e-4));
        QVERIFY((d.worstPlace - Vec3d(0.3, 0.05, 0.6)).norm() < 0.01);
        // Of the area, about pi * 0.002 * ln(0.05 / 0.01) stands out by more than 0.01, on the one side that is bumped.
        const double standsOut = pi * 0.002 * std::log(5.0);
        QVERIFY(near(1 - d.distribution.shareWithin(0.01), standsOut, 0.15 * standsOut));
        QVERIFY(d.meanSigned < 0);  // the flat level lies below the bump
    }

    void integratesAParaboloidOverAPlane() {
        // Of x² + z² over the unit square the mean is 2/3, and that of its square 28/45.
        const double height = 0.01;  // so low that areas are those of the square to 1 in 10,000
        const auto bowl = [&](double x, double z) { return height * (x * x + z * z); };
        DeviationSettings settings;
        settings.samples = 20000;
        const Deviation d =
            measureDeviation(test::makeSheet(1, 1), test::makeSheet(200, 200, 1, 1, bowl), settings, Progress());
        QVERIFY(near(d.levelToSource.mean, height * 2 / 3, 0.005 * height));
        QVERIFY(near(d.levelToSource.rms, height * std::sqrt(28.0 / 45), 0.005 * height));
        // Half of the square lies within the quarter circle of that area.
        const double median = height * 4 * 0.5 / pi;
        QVERIFY(near(d.distribution.shareWithin(median), 0.5, 0.01));
        QVERIFY(near(d.max, 2 * height, 1e-6));
    }

    void integratesPolyhedraInOneAnother_data() {
        QTest::addColumn<bool>("fromSource");
        QTest::newRow("from the fine one") << true;
        QTest::newRow("from the coarse one") << false;
    }
    void integratesPolyhedraInOneAnother() {
        // As many points as corners: each triangle lies nearer to the other surface than its corners do.
        QFETCH(bool, fromSource);
        const Mesh source = test::makeSphere(1, 80), level = test::makeSphere(1, 30);
        DeviationSettings settings;
        settings.samples = source.triangleCount() / 2;
        const Deviation d = measureDeviation(source, level, settings, Progress());
        const OneSidedDeviation& measured = fromSource ? d.sourceToLevel : d.levelToSource;
        const Mesh &from = fromSource ? source : level, &to = fromSource ? level : source;
        const ClosestPointFinder finder(to, Progress());
        std::mt19937 random(7);
        std::uniform_real_distribution<double> share(0, 1);
        double sum = 0, squares = 0, area = 0;
        const int each = int(400000 / from.triangleCount()) + 1;
        TriangleId guess = 0;
        for (TriangleId t = 0; t < from.triangleCount(); ++t) {
            const auto [a, b, c] = cornersOf(from, t);
            const double own = triangleArea(from, t) / each;
            for (int i = 0; i < each; ++i) {
                double u = share(random), v = share(random);
                if (u + v > 1) u = 1 - u, v = 1 - v;
                const SurfacePoint closest = finder.find(a + u * (b - a) + v * (c - a), guess);
                guess = closest.triangle;
                sum += own * closest.distance;
                squares += own * closest.distance * closest.distance;
                area += own;
            }
        }
        QVERIFY2(near(measured.mean / (sum / area), 1, 0.01),
                 qPrintable(QString::number(measured.mean / (sum / area))));
        const double rms = std::sqrt(squares / area);
        QVERIFY2(near(measured.rms / rms, 1, 0.01), qPrintable(QString::number(measured.rms / rms)));
    }

    void measuresSmallPartsAmongLargeOnes() {
        // A millionth of the area is a part of its own all the same.
        const Mesh large = test::makeBox({10, 10, 10}, 10);
        const auto with = [&](double size) {
            Mesh mesh = test::joined(large, test::moved(test::makeBox({size, size, size}, 2), {0, 8, 0}));
            mesh.parts[0].name = "large";
            mesh.parts[1].name = "small";
            return mesh;
        };
        const Deviation d = measureDeviation(with(0.01), with(0.0102), {}, Progress());
        QVERIFY(near(d.byPart[1].mean, 0.0001, 2e-6));
        QVERIFY(d.byPart[0].max < 1e-7);
        QVERIFY(d.mean < 1e-8);
    }

    void agreesWithBruteForce() {
        const Mesh source = test::makeTorus(1, 0.4, 14, 30);
        const Mesh level = reduceMesh(source, 200, {}, Progress()).mesh;
        const ClosestPointFinder finder(level, Progress());
        std::mt19937 random(3);
        std::uniform_real_distribution<double> anywhere(-1.6, 1.6);
        for (int i = 0; i < 400; ++i) {
            const Vec3d p(anywhere(random), anywhere(random) / 2, anywhere(random));
            double least = 1e9;
            for (std::size_t t = 0; t < level.triangleCount(); ++t)
                least = std::min(least, finder.distanceTo(p, TriangleId(t)));
            QVERIFY(near(finder.find(p, TriangleId(random() % level.triangleCount())).distance, least, 1e-7));
        }
        double farthest = 0;
        for (const Vec3f& v : source.positions) {
            double least = 1e9;
            for (std::size_t t = 0; t < level.triangleCount(); ++t)
                least = std::min(least, finder.distanceTo(v.cast<double>(), TriangleId(t)));
            farthest = std::max(farthest, least);
        }
        const Deviation d = measureDeviation(source, level, {}, Progress());
        QVERIFY(d.sourceToLevel.max >= farthest - 1e-7);
        QVERIFY(d.maxBound >= d.max);
    }

    void tellsTheSideAtEdgesAndCorners() {
        // Close to a box's corner the nearest triangle's own normal can point either way; the pseudo-normal cannot.
        const Mesh box = test::makeBox({2, 2, 2}, 3);
        const ClosestPointFinder finder(box, Progress());
        std::mt19937 random(9);
        std::uniform_real_distribution<double> anywhere(-1.4, 1.4);
        for (int i = 0; i < 2000; ++i) {
            const Vec3d p(anywhere(random), anywhere(random), anywhere(random));
            const bool inside = p.cwiseAbs().maxCoeff() < 1;
            const SurfacePoint closest = finder.find(p, 0);
            if (closest.distance > 1e-6) QCOMPARE(finder.sideOf(p, closest), inside ? -1.0 : 1.0);
        }
    }

    void findsNothingBetweenEquals() {
        const Mesh sphere = test::makeSphere(1, 20);
        const Deviation d = measureDeviation(sphere, sphere, {}, Progress());
        QVERIFY(d.max < 1e-7 && d.maxBound < 1e-5);
        QCOMPARE(d.distribution.shareWithin(1e-6), 1.0);
    }

    void boundsWhatSamplesMiss() {
        // A needle of height 1 on a plane, far thinner than the samples are apart: the level's vertices all lie on the
        // plane, but one of the source stands out. And the other way round.
        Mesh plane = test::makeSheet(1, 1, 100, 100);
        Mesh spiked = plane;
        spiked.positions.insert(spiked.positions.end(), {{50, 0, 50}, {50.001f, 0, 50}, {50, 1, 50.001f}});
        spiked.triangles.push_back({4, 5, 6});
        spiked.sections[0].triangleCount = 3;
        DeviationSettings few;
        few.samples = 100;
        for (const Deviation& d :
             {measureDeviation(plane, spiked, few, Progress()), measureDeviation(spiked, plane, few, Progress())}) {
            QVERIFY(near(d.max, 1, 1e-6));
            QVERIFY(d.maxBound >= 1 && d.maxBound < 1.05);
        }
    }

    void takesInTheFarthestPlaceThatItMeets() {
        // A sheet between two narrow strips on which its vertices lie: only its middle is far, and nothing samples it.
        const Mesh level = test::makeSheet(1, 1, 2, 1);
        Mesh strips;
        for (const float x : {-1.0f, 0.999f}) {
            const auto first = VertexId(strips.positions.size());
            for (const Vec3f& p :
                 {Vec3f(x, 0, -0.5f), Vec3f(x, 0, 0.5f), Vec3f(x + 0.001f, 0, 0.5f), Vec3f(x + 0.001f, 0, -0.5f)})
                strips.positions.push_back(p);
            strips.triangles.push_back({first, first + 1, first + 2});
            strips.triangles.push_back({first, first + 2, first + 3});
        }
        strips.parts = level.parts;
        strips.materials = level.materials;
        strips.sections = {{0, 0, 0, 4}};
        Vec3f middle = Vec3f::Zero();
        for (const Vec3f& p : level.positions) middle += p / float(level.positions.size());
        for (Vec3f& p : strips.positions) p += middle;
        DeviationSettings none;
        none.samples = 1;
        const Deviation d = measureDeviation(strips, level, none, Progress());
        const double half = 0.999;  // from the middle to either strip
        QVERIFY2(d.max > 0.96 * half && d.max <= half + 1e-6, qPrintable(QString::number(d.max)));
        QVERIFY(d.maxBound >= half && d.maxBound < 1.03 * half);
        QVERIFY(std::abs(d.worstPlace.x() - double(middle.x())) < 0.05);
        QVERIFY(!d.farPlaces.empty() && d.farPlaces.front().distance == d.max && !d.farPlaces.front().isOnSource);
        QVERIFY(liesOn(level, d.farPlaces.front()));
    }

    void boundsAPieceByWhatLiesUnderIt() {
        const Mesh waves =
            test::makeSheet(40, 40, 2, 2, [](double x, double z) { return 0.1 * std::sin(5 * x) * std::cos(4 * z); });
        const VertexTriangles around = findVertexTriangles(waves.triangles, waves.vertexCount());
        const ClosestPointFinder finder(waves, Progress());
        std::mt19937 random(3);
        std::uniform_real_distribution<double> near(-0.4, 0.4), tilt(-0.1, 0.1);
        const Box3f box = [&] {
            Box3f sum;
            for (const Vec3f& p : waves.positions) sum.extend(p);
            return sum;
        }();
        const Vec3d middle = box.center().cast<double>();
        int bounded = 0;
        for (int i = 0; i < 100; ++i) {
            std::array<Vec3d, 3> piece;
            for (Vec3d& p : piece) p = middle + Vec3d(near(random), tilt(random), near(random));
            const Vec3d centre = (piece[0] + piece[1] + piece[2]) / 3;
            const double bound = patchBound(piece, waves, around, finder.find(centre, 0).triangle, Vec3d::UnitY());
            if (std::isinf(bound)) continue;
            ++bounded;
            double largest = 0;  // of heights, straight up and down, at a grid of places
            for (double u = 0; u <= 1; u += 0.05)
                for (double v = 0; u + v <= 1; v += 0.05) {
                    const Vec3d p = piece[0] + u * (piece[1] - piece[0]) + v * (piece[2] - piece[0]);
                    QVERIFY(finder.find(p, 0).distance <= bound + 1e-9);
                    const auto under = firstHit(waves, p + Vec3d(0, 5, 0), -Vec3d::UnitY());
                    if (under) largest = std::max(largest, std::abs(under->place.y() - p.y()));
                }
            QVERIFY(largest <= bound + 1e-9);
            QVERIFY(bound < 1.1 * largest + 0.01);
        }
        QVERIFY2(bounded > 66, qPrintable(QString::number(bounded)));
        // Over a border, seen edge on, and from behind nothing is known.
        const TriangleId first = 0;
        const std::array<Vec3d, 3> wide = {middle + Vec3d(-9, 0, -9), middle + Vec3d(9, 0, -9),
                                           middle + Vec3d(0, 0, 9)};
        QVERIFY(std::isinf(patchBound(wide, waves, around, first, Vec3d::UnitY())));
        const std::array<Vec3d, 3> upright = {middle, middle + Vec3d(0, 0.1, 0), middle + Vec3d(0.1, 0, 0)};
        const TriangleId under = finder.find(middle, 0).triangle;
        QVERIFY(std::isinf(patchBound(upright, waves, around, under, Vec3d::UnitY())));
        const std::array<Vec3d, 3> small = {middle, middle + Vec3d(0, 0, 0.1), middle + Vec3d(0.1, 0, 0)};
        QVERIFY(!std::isinf(patchBound(small, waves, around, under, Vec3d::UnitY())));
        QVERIFY(std::isinf(patchBound(small, waves, around, under, -Vec3d::UnitY())));
    }

    void boundsFineLevelsFarBelowTheirEdges() {
        // Levels of a wavy surface that are off by far less than their edges are long.
        const Mesh source = test::makeSheet(
            400, 400, 1, 1, [](double x, double z) { return 0.05 * std::sin(9 * x) * std::cos(8 * z); });
        for (const std::size_t target : {3000, 800}) {
            const Mesh level = reduceMesh(source, target, {}, Progress()).mesh;
            const Deviation d = measureDeviation(source, level, {}, Progress());
            QVERIFY(d.maxBound >= measureDeviation(source, level, {1000000}, Progress()).max);
            QVERIFY2(d.maxBound < std::sqrt(2.0 / double(target)) / 5,
                     qPrintable(QString("%1 %2 %3").arg(target).arg(d.max).arg(d.maxBound)));
        }
    }

    // Each piece near the tip lies over very many triangles: no question may look through all that are around it.
    void boundsAPole() {
        const Deviation d = measureDeviation(test::makeTent(3000), test::makeTent(300), {}, Progress());
        QVERIFY(d.max > 0);
        QVERIFY(d.maxBound >= d.max);
        QVERIFY2(d.maxBound < 1.03 * d.max, qPrintable(QString::number(d.maxBound / d.max)));
    }

    // What is within reach of a proof is proven; what is farther off is not explained away.
    void provesWhatIsAllowed() {
        const auto wave = [](double x, double z) { return 0.05 * std::sin(7 * x) * std::sin(5 * z); };
        const Mesh source = test::makeSheet(80, 80, 1, 1, wave);
        const Mesh level = test::makeSheet(9, 9, 1, 1, wave);
        const Deviation usual = measureDeviation(source, level, {}, Progress());
        DeviationSettings settings;
        settings.allowed = 1.006 * usual.max;
        QVERIFY2(usual.maxBound > settings.allowed, qPrintable(QString::number(usual.maxBound / usual.max)));
        const Deviation proven = measureDeviation(source, level, settings, Progress());
        QVERIFY(proven.maxBound <= settings.allowed && proven.maxBound >= proven.max);
        settings.allowed = 1.5 * usual.max;
        QCOMPARE(measureDeviation(source, level, settings, Progress()).maxBound, usual.maxBound);
        // Where it cannot be proven, what is said holds all the same.
        for (const double share : {0.5, 0.999}) {
            settings.allowed = share * usual.max;
            const Deviation tooFar = measureDeviation(source, level, settings, Progress());
            QVERIFY(tooFar.maxBound >= tooFar.max && tooFar.max >= 0.999 * usual.max);
        }
    }

    // All vertices coincide and all points fall on a large floor: the proof alone finds what is too far off, all of it.
    void findsAllThatIsFartherOffThanAllowed() {
        constexpr std::size_t n = 4;
        const auto bumps = [](double x, double z) { return std::lround(n * x + n * z) % 2 == 0 ? 0.05 : 0.0; };
        const Mesh sheet = test::makeSheet(n, n, 1, 1, bumps);
        const Mesh floor = test::moved(test::makeSheet(1, 1, 1000, 1000), {0, -100, 0});
        const auto aboveFloor = [&](const Mesh& mesh) {
            Mesh whole = test::joined(mesh, floor);
            for (Section& section : whole.sections) section.part = 0;
            whole.parts.resize(1);
            return whole;
        };
        Mesh level = sheet;
        for (std::size_t t = 0; t < level.triangles.size(); t += 2) {
            Triangle &a = level.triangles[t], &b = level.triangles[t + 1];
            VertexId alone = 0, beyond = 0;
            std::size_t k = 0;
            for (std::size_t i = 0; i < 3; ++i) {
                if (std::find(b.begin(), b.end(), a[i]) == b.end()) alone = a[k = i];
                if (std::find(a.begin(), a.end(), b[i]) == a.end()) beyond = b[i];
            }
            const VertexId p = a[(k + 1) % 3], q = a[(k + 2) % 3];
            a = {alone, p, beyond};
            b = {alone, beyond, q};
        }
        DeviationSettings settings;
        settings.samples = 1;
        const Mesh source = aboveFloor(sheet);
        level = aboveFloor(level);
        const Deviation usual = measureDeviation(source, level, settings, Progress());
        QVERIFY2(usual.rms < 1e-6 && usual.max > 0.01, qPrintable(QString("%1 %2").arg(usual.rms).arg(usual.max)));
        settings.allowed = usual.max / 2;
        const Deviation all = measureDeviation(source, level, settings, Progress());
        QVERIFY(all.maxBound >= all.max);
        std::set<std::pair<int, int>> quads;
        for (const FarPlace& far : all.farPlaces)
            if (far.distance > settings.allowed) quads.emplace(int(n * far.place.x()), int(n * far.place.z()));
        QCOMPARE(quads.size(), n * n);
    }

    void averagesOverTheAreaNotOverTheVertices() {
        // A level that is 0.1 off on half its area, where nearly all of its vertices are.
        const auto step = [](double x, double) { return x > 0.5 ? 0.1 : 0.0; };
        Mesh level = test::makeSheet(200, 40, 1, 1, step);
        const Mesh source = test::makeSheet(2, 2);
        std::erase_if(level.triangles, [&](const Triangle& t) {
            return level.positions[t[0]].x() < 0.5f || level.positions[t[1]].x() < 0.5f ||
                   level.positions[t[2]].x() < 0.5f;
        });
        const Mesh left = test::makeSheet(1, 1, 0.5, 1);
        const auto offset = VertexId(level.vertexCount());
        level.positions.insert(level.positions.end(), left.positions.begin(), left.positions.end());
        for (Triangle t : left.triangles) {
            for (VertexId& v : t) v += offset;
            level.triangles.push_back(t);
        }
        level.sections.clear();
        ensureSections(level, "level");
        const Deviation d = measureDeviation(source, level, {}, Progress());
        QVERIFY2(near(d.levelToSource.mean, 0.05, 0.002), qPrintable(QString::number(d.levelToSource.mean)));
    }

    void readsSharesAndPercentilesOffADistribution() {
        Distribution d(1);
        for (int i = 0; i < 10000; ++i) d.add(double(i) / 10000 * (i % 2 == 0 ? 1 : -1), 1);
        QVERIFY(near(d.shareWithin(0.25), 0.25, 1e-3));
        QVERIFY(near(d.absolutePercentile(0.99), 0.99, 1e-3));
        const std::vector<double> bars = d.histogram(4, 1);
        for (const double bar : bars) QVERIFY(near(bar, 0.25, 1e-3));
        QVERIFY(near(d.histogram(2, 0.5)[0], 0.5, 1e-3));  // what lies beyond is counted at the ends
        QCOMPARE(Distribution(0).shareWithin(0), 1.0);
    }

    void tellsPartsApartByName() {
        // Of two balls one is 0.1 larger in the level, the other as it was; the level names its parts in another order.
        const auto pair = [](double first, double second) {
            return test::joined(test::makeSphere(first, 30), test::moved(test::makeSphere(second, 30), {5, 0, 0}));
        };
        Mesh source = pair(1, 1), level = pair(1.1, 1);
        source.parts = {{"grown"}, {"same"}};
        level.parts = source.parts;
        std::swap(level.parts[0], level.parts[1]);
        for (Section& section : level.sections) section.part = 1 - section.part;
        const Deviation d = measureDeviation(source, level, {}, Progress());
        QCOMPARE(d.byPart.size(), std::size_t(2));
        QVERIFY(near(d.byPart[0].max, 0.1, 1e-3) && near(d.byPart[0].rms, 0.1, 1e-3) &&
                near(d.byPart[0].mean, 0.1, 1e-3));
        QVERIFY(d.byPart[1].max < 1e-6);
    }

    // Also where the farthest place was met while the bound was proven, and not by a sample.
    void saysTheLargestOfAllOfOneOfTheParts() {
        const auto two = [](const Mesh& mesh) {
            Mesh pair = test::joined(mesh, test::moved(mesh, {5, 0, 0}));
            pair.parts = {{"here"}, {"there"}};
            return pair;
        };
        // A sheet with a hole, which its level has closed: what is off are no vertices.
        Mesh holed = test::makeSheet(20, 20);
        std::erase_if(holed.triangles, [&](const Triangle& t) {
            const Vec3f centre = (holed.positions[t[0]] + holed.positions[t[1]] + holed.positions[t[2]]) / 3;
            return std::max(std::abs(centre.x() - 0.5f), std::abs(centre.z() - 0.5f)) < 0.2f;
        });
        holed.sections[0].triangleCount = std::uint32_t(holed.triangles.size());
        const Mesh source = two(holed), level = two(test::makeSheet(1, 1));
        DeviationSettings few;
        few.samples = 1;
        const Deviation d = measureDeviation(source, level, few, Progress());
        few.proven = false;
        QVERIFY(d.max > measureDeviation(source, level, few, Progress()).max);
        QCOMPARE(std::max(d.byPart[0].max, d.byPart[1].max), d.max);
    }

    void measuresAPartThatIsGoneFromTheSource() {
        const Mesh source = test::joined(test::makeSphere(1, 20), test::moved(test::makeSphere(0.1, 10), {0, 2, 0}));
        const Mesh level = extractParts(source, {true, false});
        const Deviation d = measureDeviation(source, level, {}, Progress());
        QVERIFY(near(d.byPart[1].max, 1.1, 0.01) && near(d.byPart[1].mean, 1, 0.05));
        QVERIFY(d.byPart[0].max < 1e-6);
    }

    void listsFarPlacesApartAndInOrder() {
        // Three bumps of different heights on a plane: three places, the highest first, on the source.
        const std::array<Vec3d, 3> bumps = {Vec3d(0.2, 0.05, 0.2), Vec3d(0.8, 0.04, 0.3), Vec3d(0.5, 0.03, 0.8)};
        const Mesh bumped = test::makeSheet(200, 200, 1, 1, [&](double x, double z) {
            double height = 0;
            for (const Vec3d& b : bumps)
                height += b.y() * std::exp(-((x - b.x()) * (x - b.x()) + (z - b.z()) * (z - b.z())) / 0.0005);
            return height;
        });
        const Deviation d = measureDeviation(bumped, test::makeSheet(1, 1), {}, Progress());
        QVERIFY(d.farPlaces.size() >= 3);
        for (std::size_t i = 0; i < 3; ++i) {
            QVERIFY((d.farPlaces[i].place - bumps[i]).norm() < 0.01);
            QVERIFY(near(d.farPlaces[i].distance, bumps[i].y(), 1e-4));
            QVERIFY(d.farPlaces[i].isOnSource && liesOn(bumped, d.farPlaces[i]));
            QVERIFY(d.farPlaces[i].normal.y() > 0.95);  // the top of the bump
        }
        QCOMPARE(d.farPlaces[0].distance, d.max);
        for (std::size_t v = 0; v < bumped.vertexCount(); ++v)  // the level lies below all of it
            QVERIFY(near(double(d.atSourceVertex[v]), -double(bumped.positions[v].y()), 1e-6));
    }

    void probesOnePlace() {
        const Mesh inner = test::makeBox({2, 2, 2}, 4), outer = test::makeBox({2.4, 2.4, 2.4}, 3);
        const Vec3d eye(0.3, 0.25, 9), ahead(0, 0, -2);
        const auto onLevel = probe(outer, false, inner, eye, ahead);
        QVERIFY(onLevel && (onLevel->place - Vec3d(0.3, 0.25, 1.2)).norm() < 1e-6);
        QVERIFY((onLevel->closest - Vec3d(0.3, 0.25, 1)).norm() < 1e-6 && near(onLevel->distance, 0.2, 1e-6));
        const auto onSource = probe(inner, true, outer, eye, ahead);
        QVERIFY(onSource && near(onSource->distance, 0.2, 1e-6));  // the level is outside, from wherever one looks
        const auto smaller = probe(inner, false, outer, eye, ahead);
        QVERIFY(smaller && near(smaller->distance, -0.2, 1e-6));
        QVERIFY(!probe(outer, false, inner, eye, {0, 1, 0}));
        QVERIFY(!closestOnMesh(Mesh(), eye));
    }

    void stopsWhenCancelled() {
        const Mesh sphere = test::makeSphere(1, 60);
        const Progress progress;
        progress.cancel();
        QVERIFY_EXCEPTION_THROWN(measureDeviation(sphere, sphere, {}, progress), Cancelled);
    }
};

UM_TEST(DeviationTest)
#include "DeviationTest.moc"

// Outlines against known answers: areas, distances, directions.
#include "measure/Deviation.h"
#include "measure/Silhouette.h"
#include "reduce/Reduce.h"
#include "tests/support/Files.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <QTest>

using namespace um;

namespace {

// Upright, with n sides; its corners lie on the circle.
Mesh prism(std::size_t n, double radius = 1, double height = 2) {
    Mesh mesh;
    for (std::size_t i = 0; i < n; ++i) {
        const double angle = 2 * pi * double(i) / double(n);
        for (const double y : {0.0, height})
            mesh.positions.emplace_back(float(radius * std::cos(angle)), float(y), float(-radius * std::sin(angle)));
    }
    const auto low = [&](std::size_t i) { return VertexId(2 * (i % n)); };
    for (std::size_t i = 0; i < n; ++i) {
        mesh.triangles.push_back({low(i), low(i + 1), low(i) + 1});
        mesh.triangles.push_back({low(i + 1), low(i + 1) + 1, low(i) + 1});
        if (i < 1 || i + 1 >= n) continue;
        mesh.triangles.push_back({low(0) + 1, low(i) + 1, low(i + 1) + 1});
        mesh.triangles.push_back({low(0), low(i + 1), low(i)});
    }
    ensureSections(mesh, "prism");
    return mesh;
}

std::size_t viewAt(const Silhouette& silhouette, const Vec3d& direction) {
    std::size_t best = 0;
    for (std::size_t i = 0; i < silhouette.directions.size(); ++i)
        if (silhouette.directions[i].vector().dot(direction) > silhouette.directions[best].vector().dot(direction))
            best = i;
    return best;
}

}  // namespace

class SilhouetteTest : public QObject {
    Q_OBJECT

private slots:
    void looksFromEvenlySpreadDirections() {
        for (const int count : {26, 98, 386}) {
            const std::vector<Direction> directions = viewDirections(count);
            QCOMPARE(directions.size(), std::size_t(count));
            double leastGap = 2, mostGap = 0;
            for (std::size_t i = 0; i < directions.size(); ++i) {
                const Vec3d d = directions[i].vector();
                QVERIFY((d + directions[directions.size() - 1 - i].vector()).norm() < 1e-9);  // its opposite
                double nearest = 2;
                for (std::size_t j = 0; j < directions.size(); ++j)
                    if (j != i) nearest = std::min(nearest, (directions[j].vector() - d).norm());
                leastGap = std::min(leastGap, nearest);
                mostGap = std::max(mostGap, nearest);
                const Mat3d turn = directions[i].turn();
                QVERIFY((turn * d - Vec3d::UnitZ()).norm() < 1e-9);
                QVERIFY(std::abs(turn.determinant() - 1) < 1e-9);
                QVERIFY((turn * Vec3d::UnitY()).y() > -1e-9);  // up stays up
            }
            QVERIFY(mostGap < 1.6 * leastGap);
        }
        QVERIFY(test::errorOf([] { viewDirections(50); }).contains("26, 98 or 386"));
    }

    void namesDirectionsAsAPersonWould() {
        QVERIFY((Direction{0, 0}.vector() - Vec3d(0, 0, 1)).norm() < 1e-9);   // the front
        QVERIFY((Direction{90, 0}.vector() - Vec3d(1, 0, 0)).norm() < 1e-9);  // from the right
        QVERIFY((Direction{0, 90}.vector() - Vec3d(0, 1, 0)).norm() < 1e-9);  // from above
    }

    void findsNothingBetweenEqualMeshes() {
        const Mesh sphere = test::makeSphere(1, 30);
        const Silhouette same = measureSilhouette(sphere, sphere, {26, 200, 4}, Progress());
        QCOMPARE(same.max, 0.0);
        QCOMPARE(same.areaShare, 0.0);
    }

    void measuresTheRadialDifferenceOfSpheres() {
        // 300 px tall: a radius of 150 px against 145.5.
        const Silhouette shrunk =
            measureSilhouette(test::makeSphere(1, 80), test::makeSphere(0.97, 80), {98, 300, 4}, Progress());
        QVERIFY2(std::abs(shrunk.mean - 4.5) < 0.1, qPrintable(QString::number(shrunk.mean)));
        QVERIFY2(shrunk.max < 4.5 + 0.5, qPrintable(QString::number(shrunk.max)));
        QVERIFY(std::abs(shrunk.lost - (1 - 0.97 * 0.97)) < 0.002);
        QVERIFY(shrunk.grown < 1e-4);
        const Silhouette blown =
            measureSilhouette(test::makeSphere(0.97, 80), test::makeSphere(1, 80), {26, 291, 4}, Progress());
        QVERIFY(std::abs(blown.mean - 4.5) < 0.1);
        QVERIFY(blown.lost < 1e-4 && blown.grown > 0.05);
    }

    void measuresTheSagittaOfAnInscribedPolygon() {
        const Silhouette s = measureSilhouette(prism(720, 1, 1), prism(12, 1, 1), {26, 200, 8}, Progress());
        const OutlineDifference& above = s.views[viewAt(s, Vec3d::UnitY())];
        const double sagitta = 200 * (1 - std::cos(pi / 12));
        QVERIFY2(std::abs(above.max - sagitta) < 0.2, qPrintable(QString("%1, not %2").arg(above.max).arg(sagitta)));
        const double share = 1 - 12 * std::sin(pi / 6) / 2 / pi;
        QVERIFY(std::abs(above.areaShare() - share) < 0.02 * share);
    }

    void hardlyChangesWithFinerSamples() {
        const Mesh source = test::makeTorus(1, 0.4, 60, 30);
        const Mesh level = reduceMesh(source, 200, {}, Progress()).mesh;
        const Silhouette coarse = measureSilhouette(source, level, {26, 300, 4}, Progress());
        const Silhouette fine = measureSilhouette(source, level, {26, 300, 8}, Progress());
        for (const auto& [a, b] : {std::pair(coarse.mean, fine.mean), std::pair(coarse.max, fine.max),
                                   std::pair(coarse.areaShare, fine.areaShare)})
            QVERIFY2(std::abs(a - b) < 0.02 * b, qPrintable(QString("%1 %2").arg(a).arg(b)));
    }

    // Pictures that were drawn once say the same of every level, of those that reach beyond the source too.
    void saysTheSameFromPicturesDrawnOnce() {
        const Mesh sphere = test::makeSphere(1, 40);
        const ContourMesh source(sphere);
        const SilhouetteSettings settings{26, 100, 4};
        const SourceOutlines outlines(source, settings, Progress());
        for (const double size : {1.0, 0.8, 1.3}) {
            for (const Vec3d& by : {Vec3d(0, 0, 0), Vec3d(0.4, -0.7, 0.2), Vec3d(-1.5, 0.3, -2)}) {
                const Mesh level = test::moved(test::makeSphere(size, 9), by);
                const ContourMesh contour(level);
                const Silhouette direct = measureSilhouette(source, contour, settings, Progress());
                const Silhouette again = measureSilhouette(outlines, contour, Progress());
                QCOMPARE(again.max, direct.max);
                QCOMPARE(again.mean, direct.mean);
                QCOMPARE(again.areaShare, direct.areaShare);
                QCOMPARE(again.worst, direct.worst);
            }
        }
        // What lies 2 away from a ball of radius 1 is lost as a whole where they do not overlap.
        const Mesh away = test::moved(sphere, {2.5, 0, 0});
        const Silhouette s = measureSilhouette(outlines, ContourMesh(away), Progress());
        for (std::size_t i = 0; i < s.views.size(); ++i)
            if (std::abs(s.directions[i].vector().x()) < 1e-6) QVERIFY(s.views[i].lost > 0.99 * s.views[i].sourceArea);
    }

    void findsALostHandleFromWhereItShows() {
        // A ball with a ring through it, seen edge-on from above; the level has no ring.
        Mesh source = test::makeSphere(1, 40);
        Mesh ring = test::makeTorus(1.2, 0.1, 80, 20);  // lies flat, around y
        const auto first = VertexId(source.vertexCount());
        const Mesh level = source;
        source.positions.insert(source.positions.end(), ring.positions.begin(), ring.positions.end());
        for (Triangle t : ring.triangles) {
            for (VertexId& v : t) v += first;
            source.triangles.push_back(t);
        }
        source.sections.clear();
        ensureSections(source, "ball and ring");
        const Silhouette s = measureSilhouette(source, level, {26, 400, 4}, Progress());
        QVERIFY(s.views[viewAt(s, Vec3d::UnitY())].lost > 0);
        QVERIFY2(std::abs(s.max - 0.3 * 200) < 3, qPrintable(QString::number(s.max)));  // 1.3 out to 1.0
        QVERIFY(s.grown < 1e-3 && s.lost > 0.02);
    }

    // A slit between two parts that a level closes, or opens, is as far off as half its width, however long it is and
    // however far its edges are from all others.
    void seesASlitAsNarrowAsItIs() {
        const auto halves = [](double gap) {
            return test::joined(test::moved(test::makeBox({1, 2, 1}), {-gap / 2 - 0.5, 0, 0}),
                                test::moved(test::makeBox({1, 2, 1}), {gap / 2 + 0.5, 0, 0}));
        };
        const Mesh open = halves(0.02), closed = halves(-0.02);  // 4 of 400 pixels
        for (const auto& [source, level] : {std::pair(open, closed), std::pair(closed, open)}) {
            const Silhouette s = measureSilhouette(source, level, {26, 400, 4}, Progress());
            const OutlineDifference& front = s.views[viewAt(s, Vec3d::UnitZ())];
            // Both sides have moved by as much outside, too.
            QVERIFY2(std::abs(front.max - 4) < 0.3, qPrintable(QString::number(front.max)));
            QVERIFY(front.mean > 1 && front.mean < 4);
        }
    }

    // What covers a place on the screen lies within the deviation of it.
    void isNeverFartherThanTheSurface() {
        const Mesh source =
            test::joined(test::makeTorus(1, 0.3, 120, 40), test::moved(test::makeBumpyBall(), {0.6, 0, 0}));
        for (const std::size_t triangles : {100, 300, 1000}) {
            const Mesh level = reduceMesh(source, triangles, {}, Progress()).mesh;
            const Silhouette s = measureSilhouette(source, level, {98, 300, 4}, Progress());
            const double pixels =
                300 / standingHeight(source) * measureDeviation(source, level, {}, Progress()).maxBound;
            QVERIFY2(s.max <= pixels + 0.25, qPrintable(QString("%1 of %2").arg(s.max).arg(pixels)));
            QVERIFY(s.mean > 0 && s.mean < s.max);
        }
    }

    // Of many views that are off by the same few samples at most, the one is named that differs most.
    void namesTheViewThatDiffersMostOfThoseOffAsFar() {
        // A tall box that has become broader is off by as much from above, where less of its outline is.
        const Silhouette s =
            measureSilhouette(test::makeBox({1, 3, 1}), test::makeBox({1.02, 3, 1}), {26, 600, 4}, Progress());
        const OutlineDifference& above = s.views[viewAt(s, Vec3d::UnitY())];
        const OutlineDifference& front = s.views[viewAt(s, Vec3d::UnitZ())];
        QCOMPARE(above.max, s.max);
        QCOMPARE(front.max, s.max);
        QVERIFY(std::abs(above.mean - 1) < 0.1 && std::abs(front.mean - 1.5) < 0.1);  // of 2 pixels
        QVERIFY(s.directions[s.worst].vector().isApprox(Vec3d::UnitZ()));
    }

    void seesWhatACameraSees() {
        // A pinhole at z = 4 looking at -z: a ball of radius 1 covers a disc of radius f / sqrt(4² - 1).
        Eigen::Matrix<double, 3, 4> project;
        const double f = 300;
        project << f, 0, -200, 800, 0, -f, -200, 800, 0, 0, -1, 4;
        const Mesh ball = test::makeSphere(1, 60), smaller = test::makeSphere(0.5, 60);
        const OutlinePair pair =
            drawOutlines(ContourMesh(ball), ContourMesh(smaller), project, 400, 400, 4, Progress());
        const OutlineDifference d = compareOutlines(pair.source, pair.level, 4);
        const double radius = f / std::sqrt(15.0), small = f * 0.5 / std::sqrt(15.75);
        QVERIFY2(std::abs(d.sourceArea - pi * radius * radius) < 0.01 * pi * radius * radius,
                 qPrintable(QString::number(d.sourceArea)));
        QVERIFY2(std::abs(d.mean - (radius - small)) < 0.5, qPrintable(QString::number(d.mean)));
        QCOMPARE(d.grown, 0.0);
        // From inside nothing of it lies wholly in front.
        project.col(3) << -200.0 * 0, -200.0 * 0, 0;
        drawOutlines(ContourMesh(ball), ContourMesh(ball), project, 400, 400, 4, Progress());
    }

    void coversWhatItsTrianglesCover() {
        // Against each triangle by itself: a closed ball, one with holes, a soup in which triangles overlap at random
        // and turn any way, and one with places that cannot be seen.
        const auto isIn = [](double x, double y, const Vec2f& a, const Vec2f& b, const Vec2f& c) {
            const auto side = [&](const Vec2f& p, const Vec2f& q) {
                return (double(q.x()) - double(p.x())) * (y - double(p.y())) -
                       (double(q.y()) - double(p.y())) * (x - double(p.x()));
            };
            const double s = side(a, b), t = side(b, c), u = side(c, a);
            return (s > 0 && t > 0 && u > 0) || (s < 0 && t < 0 && u < 0);
        };
        std::vector<Mesh> meshes = {test::makeSphere(0.45, 12), test::makeSphere(0.45, 12), {}, {}};
        meshes[1].triangles.erase(meshes[1].triangles.begin(), meshes[1].triangles.begin() + 300);
        for (const std::size_t soup : {2u, 3u})
            for (std::uint32_t i = 0; i < 60; ++i) {
                const auto random = [&](std::uint64_t k) {
                    return float(mixBits(1000 * soup + 10 * i + k) % 1000) / 1000 - 0.5f;
                };
                meshes[soup].positions.emplace_back(random(0), random(1), 0);
                if (i > 2) meshes[soup].triangles.push_back({i, std::uint32_t(mixBits(i) % i), std::uint32_t(i / 2)});
            }
        for (std::size_t m = 0; m < meshes.size(); ++m) {
            const Mesh& mesh = meshes[m];
            std::vector<Vec2f> places;
            for (const Vec3f& p : mesh.positions) places.emplace_back(100 * p.x() + 71.37f, 100 * p.y() + 53.71f);
            if (m == 3) places[7].x() = std::numeric_limits<float>::quiet_NaN();
            SampleMask mask(140, 110);  // so that some of it lies outside
            ContourMesh(mesh).cover(mask, places);
            for (int y = 0; y < mask.height(); ++y)
                for (int x = 0; x < mask.width(); ++x) {
                    const bool covered =
                        std::any_of(mesh.triangles.begin(), mesh.triangles.end(), [&](const Triangle& t) {
                            return isIn(x + 0.5, y + 0.5, places[t[0]], places[t[1]], places[t[2]]);
                        });
                    QVERIFY2(mask.at(x, y) == covered, qPrintable(QString("%1: %2 %3").arg(m).arg(x).arg(y)));
                }
        }
    }

    void doesWithoutAnythingToSee() {
        const Mesh sphere = test::makeSphere(1, 10);
        QCOMPARE(measureSilhouette(Mesh(), sphere, {}, Progress()).max, 0.0);
        QVERIFY(test::errorOf([&] { measureSilhouette(sphere, sphere, {26, 9000, 4}, Progress()); }).contains("4,096"));
        Progress cancelled;
        cancelled.cancel();
        QVERIFY_EXCEPTION_THROWN(measureSilhouette(sphere, sphere, {}, cancelled), Cancelled);
    }

    void findsTheNearestSampleExactly() {
        SampleMask mask(200, 150);
        std::vector<std::pair<int, int>> set;
        for (int i = 0; i < 25; ++i) {
            const int x = int(mixBits(std::uint64_t(i)) % 200), y = int(mixBits(std::uint64_t(i) + 99) % 150);
            mask.row(y)[std::size_t(x) / 64] |= std::uint64_t(1) << (x % 64);
            set.push_back({x, y});
        }
        for (int y = 0; y < 150; y += 7)
            for (int x = 0; x < 200; x += 3) {
                double expected = 1e9;
                for (const auto& [sx, sy] : set) expected = std::min(expected, std::hypot(sx - x, sy - y));
                QVERIFY(std::abs(mask.distanceToNearest(x, y, 1000) - expected) < 1e-9);
            }
        QCOMPARE(SampleMask(10, 10).distanceToNearest(3, 3, 77), 77.0);
    }

    // Of large areas and of thin ones, near the picture's edge too.
    void findsTheFarthestSampleExactly() {
        const auto blobs = [](int count, int seed) {
            SampleMask mask(300, 170);
            for (int i = 0; i < count; ++i) {
                const auto random = [&](std::uint64_t k, int below) {
                    return int(mixBits(std::uint64_t(100 * seed + 7 * i) + k) % std::uint64_t(below));
                };
                const int x = random(0, 280), y = random(1, 150), width = 1 + random(2, 20), height = 1 + random(3, 20);
                for (int row = y; row < y + height; ++row) mask.setRun(row, x, x + width - 1);
            }
            return mask;
        };
        for (const auto& [many, few] : {std::pair(60, 1), std::pair(60, 4), std::pair(3, 60), std::pair(40, 40)}) {
            const SampleMask samples = blobs(many, 1), from = blobs(few, 2);
            double expected = 0;
            for (int y = 0; y < samples.height(); ++y)
                for (int x = 0; x < samples.width(); ++x)
                    if (samples.at(x, y)) expected = std::max(expected, from.distanceToNearest(x, y, 1000));
            QCOMPARE(farthestFrom(from, samples, 1000), expected);
        }
        QCOMPARE(farthestFrom(SampleMask(300, 170), blobs(3, 1), 77), 77.0);
        QCOMPARE(farthestFrom(blobs(3, 1), SampleMask(300, 170), 77), 0.0);
    }

    void measuresTheLengthOfOutlines() {
        SampleMask disc(256, 256), box(256, 256);
        for (int y = 0; y < 256; ++y) {
            const double half = std::sqrt(std::max(0.0, 100.0 * 100 - (y - 127.5) * (y - 127.5)));
            if (half > 0.5) disc.setRun(y, int(std::ceil(127.5 - half)), int(std::floor(127.5 + half)));
            box.setRun(y, 0, 255);  // up to the picture's edges
        }
        QVERIFY2(std::abs(disc.outlineLength() - 200 * pi) < 4, qPrintable(QString::number(disc.outlineLength())));
        QVERIFY2(std::abs(box.outlineLength() - 1024) < 0.06 * 1024, qPrintable(QString::number(box.outlineLength())));
        QCOMPARE(SampleMask(256, 256).outlineLength(), 0.0);
    }
};

UM_TEST(SilhouetteTest)
#include "SilhouetteTest.moc"

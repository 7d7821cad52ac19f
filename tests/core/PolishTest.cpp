// Moving, flipping and putting in: how a level comes closer to its source after it was reduced.
#include "measure/Deviation.h"
#include "mesh/Statistics.h"
#include "reduce/Insertion.h"
#include "reduce/Reduce.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <bit>
#include <QTest>
#include <set>

using namespace um;

namespace {

Mesh reduced(const Mesh& mesh, std::size_t target, bool polished) {
    ReduceSettings settings;
    settings.polish = polished;
    return reduceMesh(mesh, target, settings, Progress()).mesh;
}

constexpr double hornHeight = 0.006;

// Gentle waves with a few sharp little horns, which a reduction by error alone loses sooner or later.
double hornedWave(double x, double z) {
    double height = 0.05 * std::sin(8 * x) * std::cos(6 * z);
    for (const auto& [cx, cz] : {std::pair(0.2, 0.34), std::pair(0.72, 0.48), std::pair(0.42, 0.84)})
        height += hornHeight * std::exp(-((x - cx) * (x - cx) + (z - cz) * (z - cz)) / 8e-6);
    return height;
}

// Two materials side by side, with UVs, a skin and a blend shape that all follow the place.
Mesh dressedSheet() {
    Mesh sheet = test::makeSheet(60, 60, 1, 1, hornedWave);
    const std::size_t half = sheet.triangleCount() / 2;
    sheet.materials.push_back(sheet.materials.front());
    sheet.sections = {{0, 0, 0, std::uint32_t(half)},
                      {0, 1, TriangleId(half), std::uint32_t(sheet.triangleCount() - half)}};
    sheet.skeleton.resize(2);
    sheet.morphs.push_back({});
    for (const Vec3f& p : sheet.positions) {
        sheet.uvs.emplace_back(p.x(), p.z());
        const float x = std::clamp(p.x(), 0.01f, 0.99f);
        sheet.influences.push_back({{0, 1, 0, 0}, {x, 1 - x, 0, 0}});
        sheet.morphs[0].offsets.push_back({0, p.z(), 0});
    }
    return sheet;
}

// Without its last triangle.
Mesh ballWithAHole() {
    Mesh ball = test::makeSphere(1, 40);
    ball.triangles.pop_back();
    --ball.sections.front().triangleCount;
    return ball;
}

// A unit square in so many triangles, whole and flat.
void verifySquare(const Mesh& square, std::size_t triangles, std::size_t borderEdges) {
    requireSound(square, "the square");
    QCOMPARE(square.triangleCount(), triangles);
    const Statistics s = gatherStatistics(square, Progress()).whole;
    QVERIFY(std::abs(s.area - 1) < 1e-6);
    QCOMPARE(s.borderEdges, borderEdges);
    QCOMPARE(s.nonManifoldEdges, std::size_t(0));
}

}  // namespace

class PolishTest : public QObject {
    Q_OBJECT

private slots:
    void splitsATriangleInThree() {
        Mesh sheet = test::makeSheet(1, 1);
        std::vector<std::uint16_t> sections = {0, 0};
        const Birth birth = splitTriangle(sheet, sections, 0, {0.25, 0.5}, 4);
        groupBySections(sheet, sections);
        verifySquare(sheet, 4, 4);
        QCOMPARE(birth.shares[0], 0.25);
        for (const Triangle& t : sheet.triangles)
            QVERIFY(areaNormal(sheet.positions[t[0]].cast<double>(), sheet.positions[t[1]].cast<double>(),
                               sheet.positions[t[2]].cast<double>())
                        .y() > 0);
    }

    void splitsAnEdgeForBothOfItsTriangles() {
        Mesh sheet = test::makeSheet(1, 1);
        sheet.wedges = sheet.triangles;
        const VertexTriangles around = findVertexTriangles(sheet.triangles, sheet.vertexCount());
        std::size_t shared = 3;
        for (std::size_t k = 0; k < 3; ++k)
            if (beyondEdge(sheet, around, 0, k).isThere()) shared = k;
        QVERIFY(shared < 3);
        const Beyond beyond = beyondEdge(sheet, around, 0, shared);
        QVERIFY(isSmoothEdge(sheet, 0, shared, beyond));
        std::array<double, 3> shares{};
        shares[(shared + 1) % 3] = 0.25;
        shares[(shared + 2) % 3] = 0.75;
        std::vector<std::uint16_t> sections = {0, 0};
        splitEdge(sheet, sections, 0, shared, beyond, {shares[1], shares[2]}, 4);
        groupBySections(sheet, sections);
        QCOMPARE(sheet.triangles, sheet.wedges);
        verifySquare(sheet, 4, 4);
    }

    void givesEachSideOfASeamAWedge() {
        Mesh sheet = test::makeSheet(1, 1);
        sheet.wedges = {{0, 1, 2}, {3, 4, 5}};
        const VertexTriangles around = findVertexTriangles(sheet.triangles, sheet.vertexCount());
        std::size_t k = 0;
        while (!beyondEdge(sheet, around, 0, k).isThere()) ++k;
        const Beyond beyond = beyondEdge(sheet, around, 0, k);
        std::array<double, 3> shares{};
        shares[(k + 1) % 3] = 0.25;
        shares[(k + 2) % 3] = 0.75;
        const Mesh before = sheet;
        std::vector<std::uint16_t> sections = {0, 0};
        const std::vector<Birth> births = splitEdge(sheet, sections, 0, k, beyond, {shares[1], shares[2]}, 6);
        QCOMPARE(births.size(), std::size_t(2));
        for (std::size_t side = 0; side < 2; ++side) {
            const Birth& birth = births[side];
            QCOMPARE(birth.vertex, VertexId(4));
            QCOMPARE(birth.wedges, before.wedges[side]);
            Vec3d place = Vec3d::Zero();
            for (std::size_t i = 0; i < 3; ++i)
                place += birth.shares[i] * before.positions[birth.corners[i]].cast<double>();
            QVERIFY((place - birth.place).norm() < 1e-6);
            QCOMPARE(birth.shares[0] + birth.shares[1] + birth.shares[2], 1.0);
        }
        // Those of one side have the one, those of the other the other.
        for (std::size_t t = 0; t < 4; ++t)
            for (std::size_t i = 0; i < 3; ++i)
                if (sheet.triangles[t][i] == 4)
                    QCOMPARE(sheet.wedges[t][i], WedgeId(sheet.wedges[t][(i + 1) % 3] < 3 ? 6 : 7));
        groupBySections(sheet, sections);
        verifySquare(sheet, 4, 4);
    }

    void splitsABorderEdgeForItsOneTriangle() {
        Mesh sheet = test::makeSheet(1, 1);
        const VertexTriangles around = findVertexTriangles(sheet.triangles, sheet.vertexCount());
        std::vector<std::size_t> borders;
        for (std::size_t k = 0; k < 3; ++k)
            if (isBorderEdge(sheet, around, 0, k)) borders.push_back(k);
        QCOMPARE(borders.size(), std::size_t(2));
        std::array<double, 3> shares{0.5, 0.5, 0.5};
        shares[borders[0]] = 0;
        std::vector<std::uint16_t> sections = {0, 0};
        splitEdge(sheet, sections, 0, borders[0], {}, {shares[1], shares[2]}, 4);
        groupBySections(sheet, sections);
        verifySquare(sheet, 3, 5);
    }

    // Where a border is split there is one triangle more, not two.
    void keepsTheCountWhereBordersAreMended() {
        Mesh sheet = test::makeSheet(120, 120, 1, 1,
                                     [](double x, double z) { return 0.04 * std::sin(9 * x) * std::cos(7 * z); });
        for (Vec3f& p : sheet.positions) p.z() += std::max(0.0F, p.z() - 0.8F) * 0.15F * std::sin(25 * p.x());
        for (const std::size_t target : {302u, 378u, 592u, 741u, 1159u, 1449u})
            QCOMPARE(reduced(sheet, target, true).triangleCount(), target);
    }

    // With as few border edges as a hole can have, only one more makes the count even.
    void comesOutEvenWithTheSmallestHole() {
        const Mesh ball = ballWithAHole();
        for (const std::size_t target : {400u, 401u, 100u, 30u}) {
            const Mesh level = reduced(ball, target, true);
            QCOMPARE(level.triangleCount(), target);
            requireSound(level, "the level");
            const Statistics s = gatherStatistics(level, Progress()).whole;
            QCOMPARE(s.borderEdges, std::size_t(target % 2 == 0 ? 4 : 3));
            QCOMPARE(s.nonManifoldEdges, std::size_t(0));
        }
    }

    // What is hard stays as it is, even at the cost of one triangle.
    void leavesAHardHoleAsItIs() {
        const Mesh ball = ballWithAHole();
        const Triangle hole = test::makeSphere(1, 40).triangles.back();
        ReduceSettings settings;
        settings.protect.borders = Protection::Hard;
        const Mesh level = reduceMesh(ball, 400, settings, Progress()).mesh;
        QCOMPARE(level.triangleCount(), std::size_t(399));
        QCOMPARE(gatherStatistics(level, Progress()).whole.borderEdges, std::size_t(3));
        for (const VertexId v : hole)
            QVERIFY(std::find(level.positions.begin(), level.positions.end(), ball.positions[v]) !=
                    level.positions.end());
    }

    // A vertex put on a border carries what lies between its neighbours: UVs follow the place.
    void aVertexOnABorderCarriesItsAttributes() {
        Mesh ball = ballWithAHole();
        for (const Vec3f& p : ball.positions) ball.uvs.emplace_back(p.x(), p.z());
        const Mesh level = reduced(ball, 400, true);
        requireSound(level, "the level");
        QCOMPARE(level.triangleCount(), std::size_t(400));
        QCOMPARE(gatherStatistics(level, Progress()).whole.borderEdges, std::size_t(4));
        const std::vector<Triangle>& wedges = level.wedges.empty() ? level.triangles : level.wedges;
        for (std::size_t t = 0; t < level.triangleCount(); ++t)
            for (std::size_t k = 0; k < 3; ++k) {
                const Vec3f& p = level.positions[level.triangles[t][k]];
                const float off = (level.uvs[wedges[t][k]] - Vec2f(p.x(), p.z())).norm();
                // A sixth of an edge's length: vertices of the round ball move off the flat triangles that told of UVs.
                QVERIFY2(off < 0.03F, qPrintable(QString::number(off)));
            }
    }

    void findsNothingBeyondABorderOrABrokenEdge() {
        Mesh sheet = test::makeSheet(1, 1);
        const auto beyondAll = [&] {
            const VertexTriangles around = findVertexTriangles(sheet.triangles, sheet.vertexCount());
            int count = 0;
            for (std::size_t k = 0; k < 3; ++k) count += beyondEdge(sheet, around, 0, k).isThere() ? 1 : 0;
            return count;
        };
        QCOMPARE(beyondAll(), 1);
        std::swap(sheet.triangles[1][0], sheet.triangles[1][1]);  // the other way round
        QCOMPARE(beyondAll(), 0);
    }

    void catchesSmallHorns() {
        const Mesh sheet = test::makeSheet(200, 200, 1, 1, hornedWave);
        const Deviation plain = measureDeviation(sheet, reduced(sheet, 1000, false), {}, Progress());
        const Deviation polished = measureDeviation(sheet, reduced(sheet, 1000, true), {}, Progress());
        QVERIFY2(polished.max < 0.3 * hornHeight, qPrintable(QString::number(polished.max)));
        QVERIFY(polished.max < plain.max);
        QVERIFY(polished.rms < 0.9 * plain.rms);
        // Where the contraction keeps them, they are not lost on the way down.
        for (const std::size_t target : {1300u, 2000u}) {
            const double before = measureDeviation(sheet, reduced(sheet, target, false), {}, Progress()).max;
            const double after = measureDeviation(sheet, reduced(sheet, target, true), {}, Progress()).max;
            QVERIFY2(after < before, qPrintable(QString("%1 after %2 at %3").arg(after).arg(before).arg(target)));
        }
    }

    // Pulls may run away where triangles are long and thin; what they make worse goes back.
    void leadsNothingFartherOff() {
        const std::pair<double, std::size_t> cases[] = {{20, 300}, {60, 2000}, {60, 800}, {200, 800}, {200, 150}};
        for (const auto& [steepness, target] : cases) {
            const Mesh cliffs = test::makeSheet(60, 60, 1, 1, [&](double x, double z) {
                return 0.08 * std::tanh(steepness * (x - 0.5 + 0.1 * std::sin(9 * z))) + 0.01 * std::sin(50 * x * z);
            });
            const Deviation plain = measureDeviation(cliffs, reduced(cliffs, target, false), {}, Progress());
            const Deviation polished = measureDeviation(cliffs, reduced(cliffs, target, true), {}, Progress());
            QVERIFY2(polished.max <= 1.15 * plain.max && polished.rms <= plain.rms,
                     qPrintable(
                         QString("%1 after %2 at %3, %4").arg(polished.max).arg(plain.max).arg(target).arg(steepness)));
        }
    }

    // An edge across the foot of a cliff may have both ends where they should be, and its middle far away.
    void mendsEdgesThatRunAcrossFolds() {
        const Mesh cliff = test::makeSheet(200, 200, 1, 1, [](double x, double z) {
            const double way = z - 0.5 - 0.1 * std::sin(6 * x);
            return 0.03 * std::sin(7 * x) * std::cos(5 * z) + 0.06 / (1 + std::exp(-200 * way));
        });
        const Deviation plain = measureDeviation(cliff, reduced(cliff, 3000, false), {}, Progress());
        const Mesh level = reduced(cliff, 3000, true);
        QCOMPARE(level.triangleCount(), std::size_t(3000));
        const Deviation polished = measureDeviation(cliff, level, {}, Progress());
        QVERIFY2(polished.max < 0.9 * plain.max, qPrintable(QString("%1 after %2").arg(polished.max).arg(plain.max)));
    }

    void worksAtAnySize() {
        const Mesh sheet = test::makeSheet(120, 120, 1, 1, hornedWave);
        const double usual = measureDeviation(sheet, reduced(sheet, 900, true), {}, Progress()).rms;
        for (const float scale : {1e-6F, 1e6F}) {
            Mesh other = sheet;
            for (Vec3f& p : other.positions) p *= scale;
            const Mesh level = reduced(other, 900, true);
            QCOMPARE(level.triangleCount(), std::size_t(900));
            const double rms = measureDeviation(other, level, {}, Progress()).rms / double(scale);
            QVERIFY2(std::abs(rms - usual) < 0.05 * usual, qPrintable(QString("%1 %2").arg(rms).arg(usual)));
        }
    }

    void keepsCountsExactAndEverythingInItsPlace() {
        const Mesh sheet = dressedSheet();
        for (const std::size_t target : {1500, 1501}) {
            const Mesh level = reduced(sheet, target, true);
            requireSound(level, "the level");
            QCOMPARE(level.triangleCount(), target);
            QCOMPARE(level.sections.size(), std::size_t(2));
            double offInUv = 0, offInSkin = 0, offInMorph = 0;
            for (std::size_t t = 0; t < level.triangleCount(); ++t)
                for (std::size_t k = 0; k < 3; ++k) {
                    const VertexId v = level.triangles[t][k];
                    const Vec3f& p = level.positions[v];
                    const Vec2f& uv = level.uvs[level.wedgesOf(TriangleId(t))[k]];
                    offInUv = std::max(offInUv, double((uv - Vec2f(p.x(), p.z())).norm()));
                    const Influences& skin = level.influences[v];
                    float ofFirst = 0;
                    for (std::size_t i = 0; i < 4; ++i) ofFirst += skin.joints[i] == 0 ? skin.weights[i] : 0;
                    offInSkin = std::max(offInSkin, double(std::abs(ofFirst - p.x())));
                    offInMorph = std::max(offInMorph, double(std::abs(level.morphs[0].offsets[v].y() - p.z())));
                }
            // UVs follow exactly; skin and shapes are mixed along edges, and stay within a part of one (0.04).
            QVERIFY2(offInUv < 1e-3, qPrintable(QString::number(offInUv)));
            QVERIFY2(offInSkin < 0.03 && offInMorph < 0.03,
                     qPrintable(QString("%1 %2").arg(offInSkin).arg(offInMorph)));
            // Each material still has its own half.
            for (const Section& section : level.sections)
                for (std::size_t t = section.firstTriangle; t < section.firstTriangle + section.triangleCount; ++t) {
                    float z = 0;
                    for (const VertexId v : level.triangles[t]) z += level.positions[v].z() / 3;
                    QVERIFY(section.material == sheet.sections[0].material ? z < 0.52f : z > 0.48f);
                }
        }
    }

    void neverTurnsATriangleOver() {
        const Mesh level = reduced(test::makeSheet(150, 150, 1, 1, hornedWave), 1000, true);
        for (const Triangle& t : level.triangles)
            QVERIFY(areaNormal(level.positions[t[0]].cast<double>(), level.positions[t[1]].cast<double>(),
                               level.positions[t[2]].cast<double>())
                        .y() > 0);
    }

    void leavesHeldPartsBitForBit() {
        Mesh sheet = dressedSheet();
        sheet.parts.push_back({"far half"});
        sheet.sections[1].part = 1;
        ReduceSettings settings;
        settings.onlyParts = {sheet.parts[0].name};
        const std::size_t held = sheet.sections[1].triangleCount;
        const Mesh level = reduceMesh(sheet, held + 400, settings, Progress()).mesh;
        QCOMPARE(level.triangleCount(), held + 400);
        const auto cornersOfHeld = [](const Mesh& mesh) {
            std::multiset<std::array<std::uint32_t, 15>> corners;
            for (const Section& section : mesh.sections) {
                if (section.part != 1) continue;
                for (std::uint32_t i = 0; i < section.triangleCount; ++i) {
                    const TriangleId t = section.firstTriangle + i;
                    std::array<std::uint32_t, 15> bits;
                    auto* next = bits.data();
                    for (std::size_t k = 0; k < 3; ++k) {
                        for (const float x : mesh.positions[mesh.triangles[t][k]])
                            *next++ = std::bit_cast<std::uint32_t>(x);
                        for (const float x : mesh.uvs[mesh.wedgesOf(t)[k]]) *next++ = std::bit_cast<std::uint32_t>(x);
                    }
                    corners.insert(bits);
                }
            }
            return corners;
        };
        QCOMPARE(cornersOfHeld(level).size(), held);
        QVERIFY(cornersOfHeld(level) == cornersOfHeld(sheet));
    }
};

UM_TEST(PolishTest)
#include "PolishTest.moc"

// Borders between pieces become as short as they can near where they are, and no piece is lost.
#include "bake/StraightBorders.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <QTest>
#include <random>
#include <set>

using namespace um;

namespace {

using Pieces = std::vector<std::uint32_t>;

constexpr int rings = 2;

// How long the borders are, where creases count as told.
double borderLength(const Neighbours& around, const Pieces& pieceOf, double creaseCounts = 1) {
    double length = 0;
    for (TriangleId t = 0; t < pieceOf.size(); ++t)
        for (std::size_t k = 0; k < 3; ++k)
            if (const TriangleId other = around.beyond[t][k]; other != Neighbours::none && pieceOf[other] > pieceOf[t])
                length += around.lengths[t][k] * (around.isCrease[t][k] ? creaseCounts : 1);
    return length;
}

template <typename Piece>
Pieces piecesBy(const Mesh& mesh, const Piece& piece) {
    Pieces pieceOf;
    for (TriangleId t = 0; t < mesh.triangleCount(); ++t)
        pieceOf.push_back(std::uint32_t(piece(test::middle(mesh, t))));
    return pieceOf;
}

}  // namespace

class StraightBordersTest : public QObject {
    Q_OBJECT

private slots:
    // But for one step at most, where more would have to go over to the other side than that is worth.
    void teethGoAway() {
        constexpr double step = 0.05;
        const Mesh sheet = test::makeSheet(20, 20);
        const Neighbours around = findNeighbours(sheet, {});
        int straight = 0;
        for (unsigned seed = 1; seed <= 20; ++seed) {
            std::mt19937 random(seed);
            Pieces pieceOf =
                piecesBy(sheet, [&](const Vec3d& p) { return p.x() > 0.5 + (random() % 2 == 0 ? 0.05 : -0.05); });
            QVERIFY(borderLength(around, pieceOf) > 1.3);
            straightenBorders(around, pieceOf, rings);
            QCOMPARE_LE(borderLength(around, pieceOf), 1 + step + 1e-5);
            straight += borderLength(around, pieceOf) < 1 + 1e-5;
        }
        QVERIFY(straight >= 10);
    }

    // Of lines that are equally long the one that is there stays, though others are near.
    void leavesWhatIsStraight() {
        const Mesh sheet = test::makeSheet(20, 20);
        const Neighbours around = findNeighbours(sheet, {});
        for (const double x : {0.3, 0.5, 0.65}) {
            const Pieces before = piecesBy(sheet, [&](const Vec3d& p) { return p.x() > x; });
            for (const int wide : {1, 4, 8}) {
                Pieces pieceOf = before;
                straightenBorders(around, pieceOf, wide);
                QCOMPARE(pieceOf, before);
            }
        }
    }

    void reachesAsFarAsToldTo() {
        const Mesh sheet = test::makeSheet(20, 20);
        const Neighbours around = findNeighbours(sheet, {});
        const Pieces tooth =
            piecesBy(sheet, [](const Vec3d& p) { return p.x() > 0.5 || (p.x() > 0.2 && p.z() > 0.4 && p.z() < 0.6); });
        Pieces near = tooth, far = tooth;
        straightenBorders(around, near, 1);
        straightenBorders(around, far, 6);
        QVERIFY(borderLength(around, near) > 1.2);
        QCOMPARE_LE(std::abs(borderLength(around, far) - 1), 1e-5);
    }

    void tellsWhatBordersCost() {
        const Mesh box = test::makeBox({1, 1, 1}, 10);
        const Neighbours around = findNeighbours(box, {});
        const Pieces alongCreases = piecesBy(box, [](const Vec3d& p) { return p.y() > 0.4999; });
        const Pieces beside = piecesBy(box, [](const Vec3d& p) { return p.y() > 0.4; });
        QCOMPARE_LE(std::abs(costOfBorders(around, beside) - 4), 1e-5);
        QVERIFY(costOfBorders(around, alongCreases) > 0);
        QVERIFY(costOfBorders(around, alongCreases) < costOfBorders(around, beside) / 4);
        QCOMPARE(costOfBorders(around, Pieces(box.triangleCount(), 3)), 0.0);
    }

    // Triangles ten times as long as they are wide, along what is to be parted: the way across is to be found.
    void crossesLongTrianglesTheShortestWay() {
        const Mesh sheet = test::makeSheet(4, 10, 4, 1);
        const Neighbours around = findNeighbours(sheet, {});
        std::mt19937 random(5);
        Pieces pieceOf = piecesBy(sheet, [&](const Vec3d& p) { return p.x() > 1.2 + double(random() % 16) / 10; });
        const double before = borderLength(around, pieceOf);
        straightenBorders(around, pieceOf, rings);
        QVERIFY(before > 5);
        QCOMPARE_LE(std::abs(borderLength(around, pieceOf) - 1), 1e-5);  // along the edges across the sheet
    }

    // The top of a box with some of its sides ends at the box's edge, though the border there is no shorter.
    void snapsToCreases() {
        const Mesh box = test::makeBox({1, 1, 1}, 10);
        const Neighbours around = findNeighbours(box, {});
        Pieces pieceOf = piecesBy(box, [](const Vec3d& p) { return p.y() > 0.4; });
        QVERIFY(borderLength(around, pieceOf, 0) > 3.9);
        straightenBorders(around, pieceOf, rings);
        QCOMPARE(borderLength(around, pieceOf, 0), 0.0);
        QCOMPARE(pieceOf, piecesBy(box, [](const Vec3d& p) { return p.y() > 0.4999; }));
    }

    // Whatever the pieces were: each keeps something, and as a whole the borders are no longer than before.
    void noPieceIsLost_data() {
        QTest::addColumn<int>("count");
        QTest::newRow("two") << 2;
        QTest::newRow("some") << 9;
        QTest::newRow("many") << 200;
    }
    void noPieceIsLost() {
        QFETCH(int, count);
        const Mesh ball = test::makeSphere(1, 8);
        const Neighbours around = findNeighbours(ball, {});
        for (unsigned seed = 1; seed <= 10; ++seed) {
            std::mt19937 random(seed);
            std::normal_distribution<double> along;
            std::vector<Vec3d> seeds;
            for (int i = 0; i < count; ++i) seeds.push_back(Vec3d(along(random), along(random), along(random)));
            Pieces pieceOf = piecesBy(ball, [&](const Vec3d& p) {
                const auto nearer = [&](const Vec3d& a, const Vec3d& b) {
                    return a.normalized().dot(p) < b.normalized().dot(p);
                };
                return std::max_element(seeds.begin(), seeds.end(), nearer) - seeds.begin();
            });
            for (std::uint32_t& piece : pieceOf)
                if (random() % 8 == 0) piece = pieceOf[random() % pieceOf.size()];
            const std::set<std::uint32_t> before(pieceOf.begin(), pieceOf.end());
            const double length = borderLength(around, pieceOf);
            straightenBorders(around, pieceOf, rings);
            QCOMPARE(std::set<std::uint32_t>(pieceOf.begin(), pieceOf.end()), before);
            QVERIFY(borderLength(around, pieceOf) < length);
            Pieces again = pieceOf;
            straightenBorders(around, again, rings);
            QVERIFY(borderLength(around, again) <= borderLength(around, pieceOf) * (1 + 1e-6));
        }
    }

    // What nobody sees is where the cut goes, even if it is longer.
    void cutsWhereItIsHardlySeen() {
        const Mesh sheet = test::makeSheet(20, 20);
        ChartSettings settings;
        for (TriangleId t = 0; t < sheet.triangleCount(); ++t)
            settings.exposure.push_back(test::middle(sheet, t).x() < 0.55 ? 0.0F : 1.0F);
        Pieces pieceOf = piecesBy(sheet, [](const Vec3d& p) { return p.x() > 0.6; });
        straightenBorders(findNeighbours(sheet, settings), pieceOf, rings);
        QCOMPARE(pieceOf, piecesBy(sheet, [](const Vec3d& p) { return p.x() > 0.5; }));
    }

    void handlesTrianglesOfNoSize() {
        Mesh mesh;
        mesh.positions.assign(6, Vec3f(1, 2, 3));
        for (VertexId v = 0; v + 2 < 6; ++v)
            mesh.triangles.push_back(v % 2 == 0 ? Triangle{v, v + 1, v + 2} : Triangle{v + 1, v, v + 2});
        ensureSections(mesh, "point");
        Pieces pieceOf{0, 1, 0, 1};
        straightenBorders(findNeighbours(mesh, {}), pieceOf, rings);
        QCOMPARE(pieceOf, (Pieces{0, 1, 0, 1}));
        Pieces none;
        straightenBorders(Neighbours{}, none, rings);
        QVERIFY(none.empty());
    }

    void someTrianglesByThemselves() {
        const Mesh ball = test::makeSphere(1, 4);
        const Neighbours around = findNeighbours(ball, {});
        std::vector<TriangleId> some;
        for (TriangleId t = 3; t < ball.triangleCount(); t += 1 + t % 2) some.push_back(t);
        const Neighbours few = among(around, some);
        for (std::size_t i = 0; i < some.size(); ++i) {
            QCOMPARE(few.lengths[i], around.lengths[some[i]]);
            QCOMPARE(few.areaNormals[i], around.areaNormals[some[i]]);
            for (std::size_t k = 0; k < 3; ++k) {
                const auto found = std::find(some.begin(), some.end(), around.beyond[some[i]][k]);
                const bool isAmong = found != some.end();
                QCOMPARE(few.beyond[i][k] != Neighbours::none, isAmong);
                if (isAmong) QCOMPARE(few.beyond[i][k], TriangleId(found - some.begin()));
            }
        }
    }
};

UM_TEST(StraightBordersTest)
#include "StraightBordersTest.moc"

// The levels of a planned chain.
#include "chain/PlannedChain.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <QTest>

using namespace um;

namespace {

Level levelWith(std::size_t triangles) {
    Mesh mesh;
    mesh.triangles.resize(triangles);
    return makeLevel("level", std::to_string(triangles), std::make_shared<const Mesh>(std::move(mesh)));
}

}  // namespace

class PlannedChainTest : public QObject {
    Q_OBJECT

private slots:
    void saysADistanceThatIsNotFarther() {
        QCOMPARE(pixelTarget(1, 0.70666), std::string("1px@0.7066m"));
        QCOMPARE(pixelTarget(0.5, 23.4567), std::string("0.5px@23.45m"));
    }

    void leavesRoomBetweenNeighboursAndWithinATotal() {
        const std::vector<Level> before = {levelWith(900), levelWith(300)};
        const std::vector<std::size_t> planned = {900, 310, 100, 30, 10};
        const Room room = roomFor(before, planned, 0);
        QCOMPARE(room.least, std::size_t(31));
        QCOMPARE(room.most, std::size_t(299));
        // The others take 900 + 300 + 30 + 10.
        QCOMPARE(roomFor(before, planned, 1400).most, std::size_t(160));
        QCOMPARE(roomFor(before, planned, 2000).most, std::size_t(299));
        QCOMPARE(roomFor(before, planned, 1000).most, std::size_t(0));
        // After the last level there is none.
        QCOMPARE(roomFor(before, {900, 310, 100}, 0).least, std::size_t(1));
    }

    void findsTheFewestThatMayComeInThere() {
        Mesh ball = test::makeSphere(0.1, 20);
        for (Vec3f& p : ball.positions) p *= 1 + 0.03f * std::sin(90 * p.x()) * std::cos(70 * p.y());
        const Recipe recipe;
        const Room all{1, ball.triangleCount()};
        FewestFinder finder(ball, {}, Progress());
        const auto find = [&](const Room& room) { return fewestFrom(4, finder, 1, recipe, room, Progress()); };
        const std::optional<Fewest> fewest = find(all);
        QVERIFY(fewest.has_value());
        QVERIFY(recipe.screen.pixels(fewest->deviation.maxBound, 4) <= 1);
        const std::size_t triangles = fewest->mesh.triangleCount();
        QVERIFY(triangles < ball.triangleCount() / 2);
        QVERIFY(!find({triangles + 1, ball.triangleCount()}) && !find({1, triangles - 1}));
        QVERIFY(find({triangles, triangles}).has_value());
    }
};

UM_TEST(PlannedChainTest)
#include "PlannedChainTest.moc"

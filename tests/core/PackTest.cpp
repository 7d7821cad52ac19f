// Charts laid on sheets: within them, apart from each other, into each other's holes, and as large as they may be.
#include "bake/Pack.h"
#include "base/Error.h"
#include "tests/support/Files.h"
#include "tests/support/Plane.h"
#include "tests/support/TestMain.h"

#include <cmath>
#include <functional>
#include <QTest>
#include <random>

using namespace um;

namespace {

using Corners = std::vector<Vec2d>;

// A flat patch over a fan or strip of triangles.
FlatPatch patchOf(const Corners& flat, const std::vector<Triangle>& triangles) {
    FlatPatch patch;
    patch.flat = flat;
    patch.triangles = triangles;
    for (const Vec2d& p : flat) patch.positions.emplace_back(p.x(), p.y(), 0);
    return patch;
}

FlatPatch rectangle(double width, double height, double turn = 0) {
    Corners corners;
    for (const Vec2d& p : {Vec2d(0, 0), Vec2d(width, 0), Vec2d(width, height), Vec2d(0, height)})
        corners.push_back(Eigen::Rotation2Dd(turn) * p + Vec2d(5, -3));
    return patchOf(corners, {{0, 1, 2}, {0, 2, 3}});
}

// A square frame around a square hole.
FlatPatch frame(double outer, double inner) {
    Corners corners;
    for (const double half : {outer / 2, inner / 2})
        for (const Vec2d& p : {Vec2d(-half, -half), Vec2d(half, -half), Vec2d(half, half), Vec2d(-half, half)})
            corners.push_back(p);
    std::vector<Triangle> triangles;
    for (VertexId k = 0; k < 4; ++k) {
        const VertexId next = (k + 1) % 4;
        triangles.push_back({k, next, 4 + next});
        triangles.push_back({k, 4 + next, 4 + k});
    }
    return patchOf(corners, triangles);
}

// How near the triangles of two charts come to each other, 0 where they lie over each other.
double gapBetween(const FlatPatch& a, const PlacedChart& atA, const FlatPatch& b, const PlacedChart& atB) {
    double least = 1e300;
    const auto look = [&](const FlatPatch& from, const PlacedChart& atFrom, const FlatPatch& to,
                          const PlacedChart& atTo) {
        for (const Vec2d& flat : from.flat) {
            const Vec2d p = atFrom.place(flat);
            for (const Triangle& t : to.triangles) {
                bool within = true;
                for (std::size_t k = 0; k < 3; ++k) {
                    const Vec2d c = atTo.place(to.flat[t[k]]), d = atTo.place(to.flat[t[(k + 1) % 3]]);
                    within = within && (d - c).x() * (p - c).y() - (d - c).y() * (p - c).x() >= 0;
                    least = std::min(least, test::distanceToSegment(p, c, d));
                }
                if (within) least = 0;
            }
        }
    };
    look(a, atA, b, atB);
    look(b, atB, a, atA);
    return least;
}

struct Packed {
    std::vector<FlatPatch> patches;
    std::vector<double> weights;
    PackSettings settings;
    Packing packing;

    Packed(std::vector<FlatPatch> charts, PackSettings how, std::vector<double> by = {})
        : patches(std::move(charts)), weights(std::move(by)), settings(how) {
        if (weights.empty()) weights.assign(patches.size(), 1);
        std::vector<const FlatPatch*> pointers;
        for (const FlatPatch& patch : patches) pointers.push_back(&patch);
        packing = packCharts(pointers, weights, settings, Progress());
    }

    // What must hold of any packing.
    QString fault() const {
        // Charts are laid by cells, whose corners may stick out of a cell by rounding.
        constexpr double slack = 0.01;
        double area = 0, due = 0, smallest = 1e300, largest = 0;
        for (std::size_t i = 0; i < patches.size(); ++i) {
            const PlacedChart& placed = packing.charts[i];
            if (placed.sheet < 0 || placed.sheet >= packing.sheets) return "on no sheet";
            const double size = placed.texelsPerUnit / (weights[i] * packing.texelsPerUnit);
            // What is told is the mean: one may be farther from it than from what is due.
            if (std::abs(size - 1) > 2 * settings.leeway + 1e-9) return "of another size";
            for (const Vec2d& flat : patches[i].flat) {
                const Vec2d p = placed.place(flat);
                const double rim = settings.padding / 2 - slack;
                if (!(p.minCoeff() >= rim && p.maxCoeff() <= settings.size - rim)) return "over the rim";
            }
            for (std::size_t j = 0; j < i; ++j)
                if (packing.charts[j].sheet == placed.sheet &&
                    gapBetween(patches[i], placed, patches[j], packing.charts[j]) < settings.padding - slack)
                    return QString("%1 and %2 are too near").arg(i).arg(j);
            smallest = std::min(smallest, size);
            largest = std::max(largest, size);
            area += stretchOf(patches[i]).flatArea * placed.texelsPerUnit * placed.texelsPerUnit;
            due += stretchOf(patches[i]).flatArea * weights[i] * weights[i];
        }
        if (std::abs(area / (double(packing.sheets) * settings.size * settings.size) - packing.fill) > 1e-9)
            return "the fill told is not that of the charts";
        if (largest / smallest > (1 + settings.leeway) / (1 - settings.leeway) + 1e-9) return "too uneven";
        if (std::abs(std::sqrt(area / due) / packing.texelsPerUnit - 1) > 1e-9) return "the mean told is another";
        return {};
    }
};

std::vector<FlatPatch> mixed(std::size_t count) {
    std::vector<FlatPatch> patches;
    for (std::size_t i = 0; i < count; ++i) {
        const double size = 0.3 + std::fmod(double(i) * 0.754877666, 1.0);
        if (i % 3 == 0)
            patches.push_back(rectangle(size, 0.4 * size, double(i)));
        else if (i % 3 == 1)
            patches.push_back(frame(size, 0.6 * size));
        else
            patches.push_back(patchOf({{0, 0}, {size, 0.1 * size}, {0.3 * size, size}}, {{0, 1, 2}}));
    }
    return patches;
}

// A square cut into rectangles, each across its longer side, and little strips.
std::vector<FlatPatch> cutSquare(std::uint32_t seed, int pieces, int strips) {
    std::minstd_rand random(seed);
    std::vector<FlatPatch> patches;
    const std::function<void(double, double, int)> cut = [&](double width, double height, int count) {
        if (count == 1) {
            patches.push_back(rectangle(width, height));
            return;
        }
        const double share = 0.35 + 0.3 * double(random()) / double(std::minstd_rand::max());
        const bool isWide = width > height;
        cut(isWide ? share * width : width, isWide ? height : share * height, count / 2);
        cut(isWide ? (1 - share) * width : width, isWide ? height : (1 - share) * height, count - count / 2);
    };
    cut(10, 10, pieces);
    for (int i = 0; i < strips; ++i) patches.push_back(rectangle(0.15, 0.06));
    return patches;
}

}  // namespace

class PackTest : public QObject {
    Q_OBJECT

private slots:
    void keepsChartsWithinAndApart_data() {
        QTest::addColumn<int>("size");
        QTest::addColumn<int>("padding");
        QTest::addColumn<int>("sheets");
        QTest::newRow("without padding") << 256 << 0 << 1;
        QTest::newRow("with") << 512 << 8 << 1;
        QTest::newRow("of odd width") << 512 << 5 << 1;
        QTest::newRow("of a large sheet") << 2048 << 16 << 1;
        QTest::newRow("on three sheets") << 512 << 4 << 3;
    }
    void keepsChartsWithinAndApart() {
        QFETCH(int, size);
        QFETCH(int, padding);
        QFETCH(int, sheets);
        const Packed packed(mixed(24), {size, padding, sheets, 0});
        QCOMPARE(packed.fault(), QString());
        QVERIFY2(packed.packing.fill > 0.35, qPrintable(QString::number(packed.packing.fill)));
    }

    void fillsASheetWithSquares() {
        std::vector<FlatPatch> squares;
        for (int i = 0; i < 16; ++i) squares.push_back(rectangle(1, 1, 0.3 * i));
        const Packed packed(squares, {1024, 0, 1, 0});
        QCOMPARE(packed.fault(), QString());
        QVERIFY2(packed.packing.fill > 0.88, qPrintable(QString::number(packed.packing.fill)));
    }

    void turnsWhatLiesAskew() {
        const Packed upright({rectangle(4, 1), rectangle(4, 1), rectangle(4, 1)}, {512, 4, 1, 0}),
            askew({rectangle(4, 1, 0.5), rectangle(4, 1, 2.1), rectangle(4, 1, -1)}, {512, 4, 1, 0});
        QCOMPARE(askew.fault(), QString());
        QVERIFY(std::abs(askew.packing.texelsPerUnit / upright.packing.texelsPerUnit - 1) < 0.02);
    }

    // The square fits the frame's hole, so both together get as many texels as the frame alone.
    void putsSmallOnesIntoTheHolesOfLargeOnes() {
        const Packed alone({frame(4, 3)}, {512, 4, 1, 0}), both({frame(4, 3), rectangle(2.5, 2.5)}, {512, 4, 1, 0});
        QCOMPARE(both.fault(), QString());
        QVERIFY2(both.packing.texelsPerUnit > 0.97 * alone.packing.texelsPerUnit,
                 qPrintable(QString::number(both.packing.texelsPerUnit / alone.packing.texelsPerUnit)));
        const Packed outside({frame(4, 3), rectangle(3.5, 3.5)}, {512, 4, 1, 0});
        QCOMPARE(outside.fault(), QString());
        QVERIFY(outside.packing.texelsPerUnit < 0.75 * alone.packing.texelsPerUnit);
    }

    // A few of them decide, and there are many orders.
    void findsAnOrderInWhichLargeOnesFit() {
        constexpr int pieces = 7, strips = 200;
        double fill = 0;
        for (std::uint32_t seed = 1; seed <= 12; ++seed) {
            const Packed packed(cutSquare(seed, pieces, strips), {512, 4, 1, 0});
            QCOMPARE(packed.fault(), QString());
            fill += packed.packing.fill / 12;
            // So little is not worth turning.
            for (std::size_t i = pieces; i < packed.patches.size(); ++i)
                QCOMPARE(packed.packing.charts[i].turn, packed.packing.charts[pieces].turn);
        }
        QVERIFY2(fill > 0.82, qPrintable(QString::number(fill)));
    }

    void givesEachTheTexelsThatItWeighs() {
        const Packed packed({rectangle(1, 1), rectangle(1, 1), rectangle(1, 1)}, {512, 4, 1, 0}, {1, 2, 0.25});
        QCOMPARE(packed.fault(), QString());
        const auto sideOf = [&](std::size_t i) {
            const PlacedChart& placed = packed.packing.charts[i];
            return (placed.place(packed.patches[i].flat[1]) - placed.place(packed.patches[i].flat[0])).norm();
        };
        QVERIFY(std::abs(sideOf(1) / sideOf(0) - 2) < 1e-9 && std::abs(sideOf(2) / sideOf(0) - 0.25) < 1e-9);
    }

    void usesItsLeewayToFillMore() {
        double even = 0, uneven = 0;
        for (const std::size_t count : {20, 30, 40, 60}) {
            PackSettings settings = {512, 4, 1, 0};
            const Packed without(mixed(count), settings);
            settings.leeway = 0.1;
            const Packed with(mixed(count), settings);
            QCOMPARE(without.fault(), QString());
            QCOMPARE(with.fault(), QString());
            even += without.packing.fill / 4;
            uneven += with.packing.fill / 4;
        }
        QVERIFY2(uneven > even + 0.02, qPrintable(QString("%1 and %2").arg(even).arg(uneven)));
        // A density that is asked for is kept.
        PackSettings dense = {512, 4, 1, 60};
        dense.leeway = 0.1;
        const Packed packed(mixed(20), dense);
        for (const PlacedChart& placed : packed.packing.charts) QCOMPARE(placed.texelsPerUnit, 60.0);
    }

    void takesAsManySheetsAsTheDensityNeeds() {
        // Of squares of 200 texels four go on a sheet of 512.
        std::vector<FlatPatch> squares(9, rectangle(2, 2));
        const Packed packed(squares, {512, 4, 5, 100});
        QCOMPARE(packed.fault(), QString());
        QCOMPARE(packed.packing.sheets, 3);
        QCOMPARE(packed.packing.texelsPerUnit, 100.0);
        QVERIFY(test::errorOf([&] { Packed(squares, {512, 4, 2, 100}); }).contains("do not fit on 2 sheets"));
        QVERIFY(test::errorOf([&] { Packed({rectangle(6, 1)}, {512, 4, 5, 100}); }).contains("do not fit"));
        QVERIFY(test::errorOf([&] { Packed(squares, {512, 4, 2, 1e9}); }).contains("do not fit"));
    }

    void saysWhenThereAreTooMany() {
        QVERIFY(test::errorOf([] {
                    Packed(std::vector<FlatPatch>(600, rectangle(1, 1)), {64, 8, 1, 0});
                }).contains("600 charts, too many"));
        QCOMPARE(packCharts({}, {}, {}, Progress()).sheets, 0);
    }

    void laysOutAHairAndADot() {
        const Packed packed({rectangle(100, 0.001), rectangle(0.001, 0.001), rectangle(1, 1)}, {512, 4, 1, 0});
        QCOMPARE(packed.fault(), QString());
        const FlatPatch point = patchOf({{0, 0}, {0, 0}, {0, 0}}, {{0, 1, 2}});
        const Packed points({point, point, point}, {512, 4, 1, 0}), rounded({rectangle(0, 0)}, {512, 4, 1, 0});
        for (const PlacedChart& placed : points.packing.charts) {
            const Vec2d p = placed.place(Vec2d(0, 0));
            QVERIFY(p.minCoeff() >= 2 && p.maxCoeff() <= 510);
        }
        QCOMPARE(rounded.packing.sheets, 1);
    }

    void comesOutTheSameEachTime() {
        const Packed first(mixed(40), {512, 4, 2, 0}), second(mixed(40), {512, 4, 2, 0});
        QCOMPARE(first.packing.texelsPerUnit, second.packing.texelsPerUnit);
        for (std::size_t i = 0; i < 40; ++i) {
            QCOMPARE(first.packing.charts[i].sheet, second.packing.charts[i].sheet);
            QVERIFY(first.packing.charts[i].shift == second.packing.charts[i].shift);
            QCOMPARE(first.packing.charts[i].turn, second.packing.charts[i].turn);
        }
    }

    void canBeCancelled() {
        const Progress progress;
        progress.cancel();
        const FlatPatch square = rectangle(1, 1);
        QVERIFY_THROWS_EXCEPTION(Cancelled, packCharts({&square}, {1}, {}, progress));
    }
};

UM_TEST(PackTest)
#include "PackTest.moc"

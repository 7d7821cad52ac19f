// What a chart takes up of a sheet, and where on a sheet there is room, against plain counting.
#include "bake/SheetCells.h"
#include "base/Math.h"
#include "tests/support/Plane.h"
#include "tests/support/TestMain.h"

#include <algorithm>
#include <cmath>
#include <optional>
#include <QTest>
#include <random>

using namespace um;

namespace {

using Corners = std::array<Vec2d, 3>;
using Box = Eigen::AlignedBox2d;

// How far apart a triangle and an upright box are along the direction in which that is most; negative where they meet.
double apart(const Corners& corners, const Box& box) {
    double most = -1e300;
    const auto along = [&](const Vec2d& axis) {
        double first = 1e300, last = -1e300;
        for (const Vec2d& p : corners) {
            first = std::min(first, axis.dot(p));
            last = std::max(last, axis.dot(p));
        }
        const double middle = axis.dot(box.center()), half = axis.cwiseAbs().dot(box.sizes()) / 2;
        most = std::max({most, first - middle - half, middle - half - last});
    };
    along({1, 0});
    along({0, 1});
    for (std::size_t k = 0; k < 3; ++k) {
        const Vec2d side = corners[(k + 1) % 3] - corners[k];
        if (side.norm() > 0) along(Vec2d(-side.y(), side.x()).normalized());
    }
    return most;
}

double distance(const Corners& corners, const Box& box) {
    if (apart(corners, box) <= 0) return 0;
    // One of the places that are nearest to each other is a corner.
    double least = 1e300;
    for (std::size_t k = 0; k < 3; ++k) {
        least = std::min(least, box.exteriorDistance(corners[k]));
        for (const auto corner : {Box::BottomLeft, Box::BottomRight, Box::TopLeft, Box::TopRight})
            least = std::min(least, test::distanceToSegment(box.corner(corner), corners[k], corners[(k + 1) % 3]));
    }
    return least;
}

// A star with a hole in it, whose triangles go around.
FlatPatch star(unsigned seed) {
    std::mt19937 random(seed);
    std::uniform_real_distribution<double> length(0.4, 1);
    constexpr std::uint32_t points = 9;
    FlatPatch patch;
    for (std::uint32_t i = 0; i < points; ++i) {
        const Vec2d along(std::cos(2 * pi * i / points), std::sin(2 * pi * i / points));
        for (const double radius : {0.25, length(random)}) patch.flat.push_back(radius * along + Vec2d(3, -7));
    }
    for (std::uint32_t i = 0; i < points; ++i) {
        const std::uint32_t a = 2 * i, b = 2 * ((i + 1) % points);
        patch.triangles.push_back({a, a + 1, b + 1});
        patch.triangles.push_back({a, b + 1, b});
    }
    return patch;
}

std::vector<std::vector<bool>> cellsOf(const std::vector<CellRun>& runs, int width, int height) {
    std::vector<std::vector<bool>> cells(std::size_t(height), std::vector<bool>(std::size_t(width), false));
    for (const CellRun& run : runs)
        for (int x = run.begin; x < run.end; ++x) cells.at(std::size_t(run.row)).at(std::size_t(x)) = true;
    return cells;
}

// Whether exactly those cells are taken that the chart comes nearer to than the reach.
QString faultOf(const Footprint& footprint, const FlatPatch& patch, double angle, double scale, int cell,
                double reach) {
    constexpr double rounding = 1e-6;
    const auto cells = cellsOf(footprint.runs, footprint.width, footprint.height);
    for (int y = 0; y < footprint.height; ++y)
        for (int x = 0; x < footprint.width; ++x) {
            const Vec2d low = footprint.origin + Vec2d(x, y) * cell;
            const Box box(low, low + Vec2d::Constant(cell));
            double least = 1e300;
            for (const Triangle& t : patch.triangles) {
                Corners corners;
                for (std::size_t k = 0; k < 3; ++k) corners[k] = Eigen::Rotation2Dd(angle) * patch.flat[t[k]] * scale;
                least = std::min(least, reach > 0 ? distance(corners, box) : apart(corners, box));
            }
            const bool isTaken = cells[std::size_t(y)][std::size_t(x)];
            if (least < reach - rounding && !isTaken) return QString("%1, %2 is not taken").arg(x).arg(y);
            if (least > reach + rounding && isTaken) return QString("%1, %2 is taken").arg(x).arg(y);
        }
    for (const Vec2d& flat : patch.flat) {
        const Vec2d p = Eigen::Rotation2Dd(angle) * flat * scale - footprint.origin;
        if (p.minCoeff() < reach - rounding || p.x() > footprint.width * cell - reach + rounding ||
            p.y() > footprint.height * cell - reach + rounding)
            return "it is not wholly in its box";
    }
    return {};
}

Footprint randomFootprint(std::mt19937& random, int most) {
    Footprint footprint;
    const auto upTo = [&](int last) { return int(random() % unsigned(last)) + 1; };
    footprint.width = upTo(most);
    footprint.height = upTo(most / 2);
    for (int y = 0; y < footprint.height; ++y) {
        const int begin = int(random() % unsigned(footprint.width));
        footprint.runs.push_back({y, begin, begin + upTo(footprint.width - begin)});
    }
    return footprint;
}

}  // namespace

class SheetCellsTest : public QObject {
    Q_OBJECT

private slots:
    void takesTheCellsThatAChartComesNear_data() {
        QTest::addColumn<int>("cell");
        QTest::addColumn<double>("reach");
        QTest::newRow("fine, without padding") << 1 << 0.0;
        QTest::newRow("with") << 1 << 2.5;
        QTest::newRow("coarse") << 4 << 4.0;
    }
    void takesTheCellsThatAChartComesNear() {
        QFETCH(int, cell);
        QFETCH(double, reach);
        for (unsigned seed = 1; seed <= 6; ++seed) {
            const FlatPatch patch = star(seed);
            const double angle = 0.7 * seed, scale = 20;
            const auto footprints = footprintsOf(outlineOf(patch, angle), scale, cell, reach);
            for (std::size_t quarter = 0; quarter < 4; ++quarter)
                QCOMPARE(faultOf(footprints[quarter], patch, angle + double(quarter) * pi / 2, scale, cell, reach),
                         QString());
        }
    }

    // At any scale, with or without padding: a dot far from the origin takes up what lies around it, and no run is
    // empty.
    void takesWhatLiesAroundADot() {
        FlatPatch dot;
        dot.flat = {{1, 3}, {1, 3}, {1, 3}};
        dot.triangles = {{0, 1, 2}};
        for (const double scale : {1.0, 1e30})
            for (const double reach : {0.0, 4.0})
                for (const Footprint& footprint : footprintsOf(outlineOf(dot, 0.5), scale, 2, reach)) {
                    QCOMPARE(footprint.width, reach > 0 ? 4 : 1);
                    QCOMPARE(footprint.height, footprint.width);
                    std::size_t taken = 0;
                    for (const CellRun& run : footprint.runs) {
                        QVERIFY(run.begin >= 0 && run.begin < run.end && run.end <= footprint.width);
                        taken += std::size_t(run.end - run.begin);
                    }
                    // With padding a disc of 50 square texels.
                    QVERIFY(reach > 0 ? taken >= 13 : taken == 1);
                }
    }

    // As charts that came with a mesh may be: one half folded over the other, and one that shows its back.
    void takesFoldedAndTurnedCharts() {
        FlatPatch folded;
        folded.flat = {{0, 0}, {1, 0}, {0.9, 0.8}, {0.2, 0.3}};
        folded.triangles = {{0, 1, 2}, {1, 0, 3}};
        FlatPatch back = star(3);
        for (Triangle& t : back.triangles) std::swap(t[0], t[1]);
        for (const FlatPatch& patch : {folded, back})
            QCOMPARE(faultOf(footprintsOf(outlineOf(patch, 0.3), 30, 2, 3)[0], patch, 0.3, 30, 2, 3), QString());
    }

    void makesOnlyTheTurnsAskedFor() {
        const Outline outline = outlineOf(star(3), 0.2);
        const auto all = footprintsOf(outline, 40, 1, 2);
        for (const unsigned turns : {0b0001u, 0b0010u, 0b0100u, 0b1000u, 0b0011u, 0b1010u}) {
            const auto some = footprintsOf(outline, 40, 1, 2, turns);
            for (std::size_t quarter = 0; quarter < 4; ++quarter) {
                const bool isAsked = (turns >> quarter & 1) != 0;
                QCOMPARE(some[quarter].runs.size(), isAsked ? all[quarter].runs.size() : 0);
                QCOMPARE(some[quarter].blocks.size(), isAsked ? all[quarter].blocks.size() : 0);
                if (isAsked) QVERIFY((some[quarter].origin - all[quarter].origin).norm() < 1e-12);
            }
        }
    }

    // A block may be asked about first only if the chart covers it from every cell of the block where it is put.
    void blocksAreCoveredWhereverAChartIsPut() {
        constexpr int side = Footprint::blockSide;
        std::size_t blocks = 0;
        for (const Footprint& footprint : footprintsOf(outlineOf(star(2), 0.4), 40, 1, 2)) {
            const auto cells = cellsOf(footprint.runs, footprint.width, footprint.height);
            for (const CellRun& run : footprint.blocks)
                for (int block = run.begin; block < run.end; ++block) {
                    ++blocks;
                    for (int shift = 0; shift < side; ++shift)
                        for (int y = run.row * side - shift; y < (run.row + 1) * side - shift; ++y)
                            for (int x = block * side - shift; x < (block + 1) * side - shift; ++x)
                                QVERIFY(cells.at(std::size_t(y)).at(std::size_t(x)));
                }
        }
        QVERIFY2(blocks > 100, qPrintable(QString::number(blocks)));
    }

    // Sides that are whole words, whole blocks, or neither; on the last there are runs that take several probes.
    void findsTheLowestPlaceFarthestLeft_data() {
        QTest::addColumn<int>("side");
        for (const int side : {64, 100, 131, 256, 450}) QTest::addRow("of %d", side) << side;
    }
    void findsTheLowestPlaceFarthestLeft() {
        QFETCH(int, side);
        std::mt19937 random{unsigned(side)};
        SheetCells sheet(side);
        std::vector<std::vector<bool>> taken(std::size_t(side), std::vector<bool>(std::size_t(side), false));
        const auto fits = [&](const Footprint& footprint, int x, int y) {
            for (const CellRun& run : footprint.runs)
                for (int cell = run.begin; cell < run.end; ++cell)
                    if (taken[std::size_t(y + run.row)][std::size_t(x + cell)]) return false;
            return true;
        };
        const auto lowest = [&](const Footprint& footprint, int top) -> std::optional<SheetCells::Spot> {
            for (int y = 0; y + footprint.height <= std::min(top, side); ++y)
                for (int x = 0; x + footprint.width <= side; ++x)
                    if (fits(footprint, x, y)) return SheetCells::Spot{x, y};
            return std::nullopt;
        };
        const auto mark = [&](const Footprint& footprint, const SheetCells::Spot& spot, bool isTaken) {
            for (const CellRun& run : footprint.runs)
                for (int cell = run.begin; cell < run.end; ++cell)
                    taken[std::size_t(spot.y + run.row)][std::size_t(spot.x + cell)] = isTaken;
        };
        std::vector<std::pair<Footprint, SheetCells::Spot>> put;
        int found = 0, refused = 0;
        for (int step = 0; step < 300; ++step) {
            // What has blocks comes from real shapes, what is bare of them from random rows.
            Footprint footprint = randomFootprint(random, side / 3);
            if (step % 2 == 0)
                footprint = footprintsOf(outlineOf(star(unsigned(step)), step), 6 + double(random() % 12), 1, 1)[0];
            const int top = step % 5 == 0 ? side / 2 : side;
            const auto spot = sheet.find(footprint, top), expected = lowest(footprint, top);
            QCOMPARE(spot.has_value(), expected.has_value());
            // That there is none in the first rows does not change anything.
            const int from = int(random() % unsigned(expected ? expected->y + 1 : side));
            const auto above = sheet.find(footprint, top, from);
            QCOMPARE(above.has_value(), spot.has_value());
            if (above) QCOMPARE(std::pair(above->x, above->y), std::pair(spot->x, spot->y));
            (spot ? found : refused) += 1;
            if (spot) {
                QCOMPARE(spot->x, expected->x);
                QCOMPARE(spot->y, expected->y);
                sheet.put(footprint, *spot);
                mark(footprint, *spot, true);
                put.emplace_back(footprint, *spot);
            }
            // Some are taken away again, so that there is always room for a few.
            if ((!spot || step % 7 == 0) && !put.empty()) {
                std::swap(put[random() % put.size()], put.back());
                sheet.take(put.back().first, put.back().second);
                mark(put.back().first, put.back().second, false);
                put.pop_back();
            }
        }
        QVERIFY(found > 50 && refused > 10);
        QVERIFY(!sheet.find({side + 1, 1, {{0, 0, side + 1}}, {}, Vec2d::Zero()}, side));
    }
};

UM_TEST(SheetCellsTest)
#include "SheetCellsTest.moc"

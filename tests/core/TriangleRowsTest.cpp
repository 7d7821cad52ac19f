// Which pixels a triangle covers, held against a look at every pixel.
#include "draw/TriangleRows.h"
#include "tests/support/TestMain.h"

#include <QTest>
#include <random>
#include <set>

using namespace um;

namespace {

constexpr PixelRange columns = {0, 89}, rows = {0, 59};

template <typename Scalar>
using Corners = std::array<Eigen::Matrix<Scalar, 2, 1>, 3>;

template <typename Scalar>
Scalar doubledArea(const Corners<Scalar>& corners) {
    const auto& [a, b, c] = corners;
    return (b.x() - a.x()) * (c.y() - a.y()) - (b.y() - a.y()) * (c.x() - a.x());
}

// Those of the rows, and of all pixels those in whose middles no corner has a share below 0.
template <typename Scalar>
void compare(const Corners<Scalar>& corners) {
    const auto& [a, b, c] = corners;
    const Scalar area = doubledArea(corners);
    if (area == 0) return;
    std::set<std::pair<int, int>> covered, expected;
    TriangleRows(a, b, c, columns, rows).forCovered(area, [&](int x, int y, const std::array<Scalar, 3>& shares) {
        QVERIFY(covered.insert({x, y}).second);
        const Eigen::Matrix<Scalar, 2, 1> place = shares[0] * a + shares[1] * b + shares[2] * c;
        const Scalar size = std::max({a.cwiseAbs().maxCoeff(), b.cwiseAbs().maxCoeff(), c.cwiseAbs().maxCoeff()});
        // What is thin magnifies the rounding.
        const Scalar rounding = 64 * std::numeric_limits<Scalar>::epsilon() * (1 + size * size * size / std::abs(area));
        QVERIFY(std::abs(place.x() - (Scalar(x) + Scalar(0.5))) <= rounding);
        QVERIFY(std::abs(place.y() - (Scalar(y) + Scalar(0.5))) <= rounding);
    });
    for (int y = rows.first; y <= rows.last; ++y)
        for (int x = columns.first; x <= columns.last; ++x) {
            const Scalar px = Scalar(x) + Scalar(0.5), py = Scalar(y) + Scalar(0.5);
            const Scalar atA = ((b.x() - px) * (c.y() - py) - (b.y() - py) * (c.x() - px)) / area;
            const Scalar atB = ((c.x() - px) * (a.y() - py) - (c.y() - py) * (a.x() - px)) / area;
            const bool isInBox = px >= std::min({a.x(), b.x(), c.x()}) && px <= std::max({a.x(), b.x(), c.x()}) &&
                                 py >= std::min({a.y(), b.y(), c.y()}) && py <= std::max({a.y(), b.y(), c.y()});
            if (isInBox && atA >= 0 && atB >= 0 && 1 - atA - atB >= 0) expected.insert({x, y});
        }
    QVERIFY(covered == expected);
}

template <typename Scalar>
void compareMany(double reach, double thinness, bool onMiddles) {
    std::mt19937 random(7);
    std::uniform_real_distribution<double> along(-reach, 90 + reach), aside(-thinness, thinness);
    for (int i = 0; i < 400; ++i) {
        Corners<Scalar> corners;
        for (auto& corner : corners) corner = {Scalar(along(random)), Scalar(along(random) * 2 / 3)};
        // Thin: the last lies beside the line through the others.
        if (thinness > 0)
            corners[2] = (corners[0] + corners[1]) / 2 +
                         Eigen::Matrix<Scalar, 2, 1>(Scalar(aside(random)), Scalar(aside(random)));
        if (onMiddles)
            for (auto& corner : corners) corner = (corner.array().floor() + Scalar(0.5)).matrix();
        compare(corners);
    }
}

}  // namespace

class TriangleRowsTest : public QObject {
    Q_OBJECT
private slots:
    void findsWhatALookAtEveryPixelFinds_data() {
        QTest::addColumn<double>("reach");
        QTest::addColumn<double>("thinness");
        QTest::addColumn<bool>("onMiddles");
        QTest::addRow("within the picture") << 0.0 << 0.0 << false;
        QTest::addRow("far beyond it") << 3000.0 << 0.0 << false;
        QTest::addRow("thin") << 0.0 << 0.7 << false;
        QTest::addRow("thinner than a pixel") << 0.0 << 0.02 << false;
        QTest::addRow("thin and far beyond") << 500.0 << 2.0 << false;
        QTest::addRow("corners on middles") << 0.0 << 0.0 << true;
        QTest::addRow("thin, corners on middles") << 0.0 << 1.5 << true;
    }
    void findsWhatALookAtEveryPixelFinds() {
        QFETCH(double, reach);
        QFETCH(double, thinness);
        QFETCH(bool, onMiddles);
        compareMany<float>(reach, thinness, onMiddles);
        compareMany<double>(reach, thinness, onMiddles);
    }

    // From corner to corner of a picture: of its box, a few pixels a row.
    void looksAtFewPixelsOfWhatIsThin() {
        const Vec3f a(0, 0, 0), b(1000, 1000, 0), c(501, 500, 0);
        const TriangleRows all(a, b, c, {0, 999}, {0, 999});
        QCOMPARE(all.rows().first, 0);
        QCOMPARE(all.rows().last, 999);
        for (int y = 0; y < 1000; ++y) {
            const PixelRange some = all.columns(y);
            QVERIFY(some.last - some.first < 8);
        }
    }

    void leavesOutWhatIsNoPlace() {
        const float none = std::numeric_limits<float>::quiet_NaN(), endless = std::numeric_limits<float>::infinity();
        const Vec3f a(3, 2, 0), b(60, 8, 0);
        for (const Vec3f& c : {Vec3f(none, 40, 0), Vec3f(20, none, 0), Vec3f(endless, 40, 0), Vec3f(20, -endless, 0)}) {
            const float area = (b.x() - a.x()) * (c.y() - a.y()) - (b.y() - a.y()) * (c.x() - a.x());
            TriangleRows(a, b, c, columns, rows).forCovered(area, [](int, int, const auto&) {
                QFAIL("There is nothing to cover.");
            });
        }
    }
};

UM_TEST(TriangleRowsTest)
#include "TriangleRowsTest.moc"

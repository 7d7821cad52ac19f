// Pieces of surface laid flat: exactly where that can be, evenly where it cannot, and not at all where they would fold.
#include "bake/Flatten.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <cmath>
#include <numeric>
#include <QTest>

using namespace um;

namespace {

FlatPatch patchOf(const Mesh& mesh) {
    FlatPatch patch;
    for (const Vec3f& p : mesh.positions) patch.positions.push_back(p.cast<double>());
    patch.triangles = mesh.triangles;
    return patch;
}

// A grid over which `place(u, v)` says where the surface is, u and v from 0 to 1.
template <class Place>
FlatPatch gridOf(std::size_t columns, std::size_t rows, const Place& place) {
    FlatPatch patch = patchOf(test::makeSheet(columns, rows));
    for (Vec3d& p : patch.positions) p = place(p.x(), p.z());
    return patch;
}

// The part of a ball around its top, up to `angle` from it.
FlatPatch cap(double angle) {
    return gridOf(24, 24, [&](double u, double v) {
        // Rings around the middle of the square.
        const double x = 2 * u - 1, y = 2 * v - 1, ring = std::max(std::abs(x), std::abs(y));
        const double length = std::hypot(x, y), polar = angle * ring;
        if (!(length > 0)) return Vec3d(0, 1, 0);
        return Vec3d(std::sin(polar) * x / length, std::cos(polar), std::sin(polar) * y / length);
    });
}

double signedFlatArea(const FlatPatch& patch, const Triangle& t) {
    const Vec2d ab = patch.flat[t[1]] - patch.flat[t[0]], ac = patch.flat[t[2]] - patch.flat[t[0]];
    return (ab.x() * ac.y() - ab.y() * ac.x()) / 2;
}

std::size_t turnedOver(const FlatPatch& patch) {
    return std::size_t(std::count_if(patch.triangles.begin(), patch.triangles.end(),
                                     [&](const Triangle& t) { return !(signedFlatArea(patch, t) > 0); }));
}

// The largest change of an edge's length, as a share of it.
double worstLength(const FlatPatch& patch) {
    double worst = 0;
    for (const Triangle& t : patch.triangles)
        for (std::size_t k = 0; k < 3; ++k) {
            const VertexId a = t[k], b = t[(k + 1) % 3];
            const double before = (patch.positions[a] - patch.positions[b]).norm();
            worst = std::max(worst, std::abs((patch.flat[a] - patch.flat[b]).norm() / before - 1));
        }
    return worst;
}

}  // namespace

class FlattenTest : public QObject {
    Q_OBJECT

private slots:
    void keepsAllLengthsOfWhatBends_data() {
        QTest::addColumn<int>("shape");
        QTest::newRow("a tilted sheet") << 0;
        QTest::newRow("half a pipe") << 1;
        QTest::newRow("a wave") << 2;
        QTest::newRow("a folded strip") << 3;
        QTest::newRow("part of a cone") << 4;
    }
    void keepsAllLengthsOfWhatBends() {
        QFETCH(int, shape);
        FlatPatch patch = gridOf(16, 9, [&](double u, double v) -> Vec3d {
            switch (shape) {
                case 0: return Vec3d(3 * u + v, 2 * v - u, u + v) + Vec3d(100, -7, 30);
                case 1: return {std::cos(pi * u), std::sin(pi * u), 3 * v};
                case 2: return {2 * u, 0.3 * std::sin(7 * u), v};
                case 3: return {u < 0.5 ? u : 0.5, u < 0.5 ? 0 : u - 0.5, v};
                default: return (0.2 + v) * Vec3d(std::cos(2 * u), 2, std::sin(2 * u));
            }
        });
        QVERIFY(layFlat(patch, 1));
        QCOMPARE(patch.flat.size(), patch.positions.size());
        QVERIFY2(worstLength(patch) < 1e-3, qPrintable(QString::number(worstLength(patch))));
        QCOMPARE(turnedOver(patch), std::size_t(0));
        const Stretch stretch = stretchOf(patch);
        QVERIFY2(stretch.mean < 1 + 1e-5 && stretch.worst < 1 + 1e-3, qPrintable(QString::number(stretch.worst)));
    }

    void keepsTheAreaThatItHas() {
        FlatPatch patch = cap(1.3);
        QVERIFY(layFlat(patch, 1.5));
        double area = 0, flat = 0;
        for (const Triangle& t : patch.triangles) {
            area += areaNormal(patch.positions[t[0]], patch.positions[t[1]], patch.positions[t[2]]).norm() / 2;
            flat += signedFlatArea(patch, t);
        }
        QVERIFY(std::abs(flat / area - 1) < 1e-9);
        const Stretch stretch = stretchOf(patch);
        QVERIFY(std::abs(stretch.area - area) < 1e-9 && std::abs(stretch.flatArea - flat) < 1e-9);
    }

    // Of a ball's cap, mapmakers' equidistant projection is known to be even; what comes out is to be as even as that.
    void laysACapAsEvenlyAsAMapmaker() {
        for (const double angle : {0.4, 0.8, 1.2}) {
            FlatPatch patch = cap(angle), map = patch;
            for (const Vec3d& p : map.positions) {
                const double length = std::hypot(p.x(), p.z()), polar = std::acos(std::clamp(p.y(), -1.0, 1.0));
                map.flat.push_back(length > 0 ? Vec2d(-p.x(), p.z()) * polar / length : Vec2d(0, 0));
            }
            QVERIFY(layFlat(patch, 1));
            const double ours = stretchOf(patch).mean, theirs = stretchOf(map).mean;
            QVERIFY2(ours < 1 + 1.25 * (theirs - 1), qPrintable(QString("%1 against %2").arg(ours).arg(theirs)));
            QVERIFY(ours > 1);
        }
    }

    void evensOutOnlyAsFarAsAsked() {
        FlatPatch loose = cap(1.45), tight = loose;
        QVERIFY(layFlat(loose, 10) && layFlat(tight, 1));
        const double before = stretchOf(loose).mean, after = stretchOf(tight).mean;
        QVERIFY2(after < 1 + 0.8 * (before - 1), qPrintable(QString("%1, then %2").arg(before).arg(after)));
        // Angles alone: of the loose one no triangle has become much more of a sliver than it was.
        for (const Triangle& t : loose.triangles) {
            const auto angleAt = [&](const auto& p, std::size_t k) {
                const auto a = p[t[(k + 1) % 3]] - p[t[k]], b = p[t[(k + 2) % 3]] - p[t[k]];
                return std::acos(std::clamp(a.normalized().dot(b.normalized()), -1.0, 1.0));
            };
            for (std::size_t k = 0; k < 3; ++k)
                QVERIFY(std::abs(angleAt(loose.flat, k) - angleAt(loose.positions, k)) < 0.2);
        }
    }

    // A cap of 120 degrees stays stretched, whatever is done.
    void givesUpWhatStaysStretched() {
        FlatPatch any = cap(2.1);
        QVERIFY(layFlat(any, 1));
        const double least = stretchOf(any).mean;
        QVERIFY(least > 1.05);
        FlatPatch patch = cap(2.1);
        QVERIFY(layFlat(patch, 1, 1.1 * least));
        QVERIFY(stretchOf(patch).mean <= 1.1 * least);
        QVERIFY(!layFlat(patch, 1, 1 + 0.8 * (least - 1)));
        QVERIFY(patch.flat.empty());
    }

    void tellsStretchAsReckonedByHand() {
        FlatPatch patch = patchOf(test::makeSheet(4, 4));
        for (const Vec3d& p : patch.positions) patch.flat.emplace_back(2 * p.x(), -p.z());
        // Twice as wide: singular values 2 and 1, in a sheet twice as large.
        const Stretch wide = stretchOf(patch);
        QVERIFY(std::abs(wide.mean - std::sqrt((0.25 + 1) / 2) * std::sqrt(2.0)) < 1e-9);
        QVERIFY(std::abs(wide.worst - std::sqrt(2.0)) < 1e-9);
        QVERIFY(std::abs(wide.flatArea - 2 * wide.area) < 1e-9);
        // However large, an even one has none; two even ones of different scale have, together.
        FlatPatch large = patch;
        for (std::size_t i = 0; i < large.flat.size(); ++i)
            large.flat[i] = 3 * Vec2d(large.positions[i].x(), -large.positions[i].z());
        QVERIFY(std::abs(stretchOf(large).mean - 1) < 1e-9);
        FlatPatch small = large;
        for (Vec2d& p : small.flat) p /= 3;
        const Stretch both = stretchOf({&large, &small}, {1, 1});
        QVERIFY(std::abs(both.mean - std::sqrt((1.0 / 9 + 1) / 2) * std::sqrt((9 + 1) / 2.0)) < 1e-9);
        // Laid out three times as large the small one is like the other.
        const Stretch alike = stretchOf({&large, &small}, {1, 3});
        QVERIFY(std::abs(alike.mean - 1) < 1e-9 && std::abs(alike.flatArea - 2 * stretchOf(large).flatArea) < 1e-9);
    }

    void turnsNothingOverOnRoughGround() {
        int laid = 0;
        for (int seed = 1; seed <= 60; ++seed) {
            FlatPatch patch = gridOf(14, 14, [&](double u, double v) {
                const double height = 0.04 * seed / 10 * std::sin(seed + 13 * u) * std::cos(2 * seed + 11 * v);
                return Vec3d(u + 0.02 * std::sin(40 * v + seed), height, v + 0.02 * std::cos(37 * u));
            });
            if (!layFlat(patch, 1.05)) {
                QVERIFY(patch.flat.empty());
                continue;
            }
            ++laid;
            QVERIFY2(turnedOver(patch) == 0, qPrintable(QString::number(seed)));
        }
        QVERIFY2(laid >= 50, qPrintable(QString::number(laid)));
    }

    void refusesWhatIsClosed() {
        for (const Mesh& mesh : {test::makeSphere(1, 6), test::makeBox({1, 1, 1}), test::makeTorus(2, 0.5, 12, 8)}) {
            FlatPatch patch = patchOf(mesh);
            QVERIFY(!layFlat(patch, 1.2));
            QVERIFY(patch.flat.empty());
        }
    }

    // A ramp that winds twice around a pillar would lie over itself.
    void refusesWhatWouldLieOverItself() {
        const auto ramp = [](double turns) {
            return gridOf(60, 3, [&](double u, double v) {
                const double angle = 2 * pi * turns * u, radius = 1 + 0.5 * v;
                return Vec3d(radius * std::cos(angle), 0.2 * angle, radius * std::sin(angle));
            });
        };
        FlatPatch once = ramp(0.7), twice = ramp(2.2);
        QVERIFY(layFlat(once, 1.2));
        QCOMPARE(turnedOver(once), std::size_t(0));
        QVERIFY(!layFlat(twice, 1.2));
        QVERIFY(twice.flat.empty());
    }

    void livesWithTrianglesThatAreHardlyAny() {
        // A row of slivers, a thousand times longer than wide; and one triangle of no area.
        FlatPatch slivers = gridOf(2, 40, [](double u, double v) { return Vec3d(u, 0, 4e-2 * v); });
        QVERIFY(layFlat(slivers, 1.2));
        QVERIFY2(worstLength(slivers) < 1e-3, qPrintable(QString::number(worstLength(slivers))));
        FlatPatch flat = gridOf(3, 3, [](double u, double v) { return Vec3d(u, 0, v); });
        flat.positions[5] = flat.positions[6];
        if (layFlat(flat, 1.2))
            for (const Vec2d& p : flat.flat) QVERIFY(p.allFinite());
        else
            QVERIFY(flat.flat.empty());
        FlatPatch single;
        single.positions = {{0, 0, 0}, {1e-5, 0, 0}, {0, 0, -1e-5}};
        single.triangles = {{0, 1, 2}};
        QVERIFY(layFlat(single, 1.2));
        QVERIFY(worstLength(single) < 1e-6);
    }

    void worksAtAnySize() {
        for (const double size : {1e-6, 1e3, 1e7}) {
            FlatPatch patch = cap(0.9), scaled = patch;
            for (Vec3d& p : scaled.positions) p *= size;
            QVERIFY(layFlat(patch, 1.01) && layFlat(scaled, 1.01));
            QVERIFY(std::abs(stretchOf(patch).mean - stretchOf(scaled).mean) < 1e-4);
        }
    }
};

UM_TEST(FlattenTest)
#include "FlattenTest.moc"

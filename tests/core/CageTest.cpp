// The cage: as deep as source and level are apart, deeper where it was pushed, and square to the surface.
#include "bake/Cage.h"
#include "base/Error.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <cmath>
#include <QTest>

using namespace um;

class CageTest : public QObject {
    Q_OBJECT

private slots:
    void isAsDeepAsTheSurfacesAreApart() {
        const Mesh level = test::makeSphere(1, 12);
        for (const double radius : {0.9, 1.05, 1.3}) {
            const Cage cage = makeCage(test::makeSphere(radius, 24), level, {}, Progress());
            QCOMPARE(cage.depths.size(), level.vertexCount());
            const double apart = std::abs(radius - 1);
            for (std::size_t v = 0; v < level.vertexCount(); ++v) {
                QVERIFY(double(cage.depths[v]) >= apart);
                // A facet's middle lies 3 % nearer to the middle of the ball.
                QVERIFY2(double(cage.depths[v]) < 1.5 * (apart + 0.03), qPrintable(QString::number(cage.depths[v])));
                QVERIFY(cage.directions[v].dot(level.positions[v]) > 0.999f);
            }
        }
    }

    // Deep around a spike, shallow away from it.
    void isDeepOnlyWhereItMustBe() {
        const Mesh level = test::makeSheet(20, 20);
        const Mesh source = test::makeSheet(100, 100, 1, 1, [](double x, double z) {
            const double away = std::hypot(x - 0.3, z - 0.3);
            return away < 0.05 ? 0.4 * (1 - away / 0.05) : 0;
        });
        const Cage cage = makeCage(source, level, {}, Progress());
        for (std::size_t v = 0; v < level.vertexCount(); ++v) {
            const double away = std::hypot(double(level.positions[v].x()) - 0.3, double(level.positions[v].z()) - 0.3);
            if (away < 0.03) QVERIFY(cage.depths[v] >= 0.39f);
            if (away > 0.25) QVERIFY2(cage.depths[v] < 0.01f, qPrintable(QString::number(cage.depths[v])));
            QVERIFY(cage.depths[v] > 0);
            QVERIFY((cage.directions[v] - Vec3f::UnitY()).norm() < 1e-6f);
        }
    }

    void takesAFactorOrADepthInstead() {
        const Mesh level = test::makeSphere(1, 8), source = test::makeSphere(1.1, 16);
        const Cage measured = makeCage(source, level, {}, Progress());
        const Cage doubled = makeCage(source, level, {2, 0, {}}, Progress());
        const Cage fixed = makeCage(source, level, {2, 0.25, {}}, Progress());
        for (std::size_t v = 0; v < level.vertexCount(); ++v) {
            QVERIFY(std::abs(doubled.depths[v] - 2 * measured.depths[v]) < 1e-6f);
            QCOMPARE(fixed.depths[v], 0.25f);
        }
    }

    void isPushedWhereOnePushes() {
        const Mesh level = test::makeSphere(1, 24);
        const Cage before = makeCage(level, level, {1, 0.1, {}}, Progress());
        Cage pushed = before;
        const Vec3f top(0, 1, 0);
        pushCage(pushed, level, {{top, 0.5f, 4}});
        bool isThere = false;
        for (std::size_t v = 0; v < level.vertexCount(); ++v) {
            const float away = (level.positions[v] - top).norm(), factor = pushed.depths[v] / before.depths[v];
            if (away >= 0.5f) QCOMPARE(factor, 1.0f);
            if (away < 0.5f) QVERIFY(factor >= 1 && factor <= 4.0001f);
            if (away < 1e-6f) {
                isThere = true;
                QVERIFY(std::abs(factor - 4) < 1e-4f);
            }
            if (std::abs(away - 0.25f) < 0.02f) QVERIFY(factor > 1.5f && factor < 3);
        }
        QVERIFY(isThere);
        // A push and its counterpart leave nothing; many go no further than a hundred times either way.
        Cage back = pushed;
        pushCage(back, level, {{top, 0.5f, 0.25f}});
        for (std::size_t v = 0; v < level.vertexCount(); ++v)
            QVERIFY(std::abs(back.depths[v] - before.depths[v]) < 1e-6f);
        for (const float factor : {4.0f, 0.25f}) {
            Cage far = before;
            pushCage(far, level, std::vector<CagePush>(40, {top, 10, factor}));
            for (std::size_t v = 0; v < level.vertexCount(); ++v) {
                const float ratio = far.depths[v] / before.depths[v];
                QVERIFY(ratio > 0.0099f && ratio < 101);
            }
        }
    }

    void canBeLookedAt() {
        const Mesh level = test::makeSphere(1, 8);
        const Mesh outside = cageMesh(level, makeCage(level, level, {1, 0.25, {}}, Progress()));
        requireSound(outside, "the cage");
        QCOMPARE(outside.triangles, level.triangles);
        for (const Vec3f& p : outside.positions) QVERIFY(std::abs(p.norm() - 1.25f) < 1e-3f);
    }

    void stopsWhenCancelled() {
        const Progress progress;
        progress.cancel();
        const Mesh mesh = test::makeSphere(1, 30);
        QVERIFY_THROWS_EXCEPTION(Cancelled, makeCage(mesh, mesh, {}, progress));
    }
};

UM_TEST(CageTest)
#include "CageTest.moc"

// The formulas under the reduction: quadrics, and which contractions are allowed.
#include "mesh/Statistics.h"
#include "reduce/Contraction.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <QTest>
#include <random>

using namespace um;

namespace {

bool near(double a, double b, double tolerance) {
    return std::abs(a - b) <= tolerance;
}

Contraction contractionOf(const Mesh& mesh) {
    return {WorkingMesh(mesh, {}, Progress()), mesh, {}};
}

// What is left when all allowed contractions down to `target` are done, none looser than that.
Mesh contracted(const Mesh& mesh, std::size_t target, Strictness loosest) {
    Contraction contraction = contractionOf(mesh);
    contraction.contractTo(target, Progress(), loosest);
    return contraction.mesh().finish(mesh);
}

}  // namespace

class QuadricTest : public QObject {
    Q_OBJECT

private slots:
    void isTheSquaredDistanceToAPlane() {
        const Vec3d normal = Vec3d(1, 2, -2) / 3;
        const Quadric q = Quadric::plane(normal, Vec3d(5, 0, 1), 2.5);
        for (const Vec3d& p : {Vec3d(0, 0, 0), Vec3d(3, -1, 4), Vec3d(5, 0, 1)}) {
            const double distance = normal.dot(p - Vec3d(5, 0, 1));
            QVERIFY(near(q.at(p), 2.5 * distance * distance, 1e-12));
        }
    }

    void isLeastWhereThreePlanesMeet() {
        Quadric q = Quadric::plane(Vec3d::UnitX(), Vec3d(1, 0, 0), 1);
        q += Quadric::plane(Vec3d::UnitY(), Vec3d(0, 2, 0), 30);
        q += Quadric::plane(Vec3d::UnitZ(), Vec3d(0, 0, 3), 0.01);
        QVERIFY((q.minimum(Vec3d(7, 7, 7)) - Vec3d(1, 2, 3)).norm() < 1e-4);
        QVERIFY(near(q.at(Vec3d(1, 2, 3)), 0, 1e-12));
    }

    void staysAtThePreferredPlaceAlongOpenDirections() {
        Quadric q = Quadric::plane(Vec3d::UnitY(), Vec3d(0, 2, 0), 4);
        QVERIFY((q.minimum(Vec3d(0.5, 9, -3)) - Vec3d(0.5, 2, -3)).norm() < 1e-9);
        q += Quadric::plane(Vec3d::UnitX(), Vec3d(1, 0, 0), 4);
        QVERIFY((q.minimum(Vec3d(0.5, 9, -3)) - Vec3d(1, 2, -3)).norm() < 1e-9);
    }

    void saysTheSameFromAnywhere() {
        std::mt19937 random(4);
        std::uniform_real_distribution<double> anywhere(-2, 2);
        const auto point = [&] { return Vec3d(anywhere(random), anywhere(random), anywhere(random)); };
        Quadric q;
        for (int i = 0; i < 5; ++i) q += Quadric::plane(point().normalized(), point(), 0.5);
        const Vec3d origin = point();
        const Quadric moved = q.seenFrom(origin);
        for (int i = 0; i < 20; ++i) {
            const Vec3d p = point();
            QVERIFY(near(q.at(p), moved.at(p - origin), 1e-9));
        }
    }

    void survivesSinglePrecision() {
        Quadric q = Quadric::plane(Vec3d(0.6, 0.8, 0), Vec3d(0.01, 0.02, 0), 1e-4);
        const Quadric back(StoredQuadric{q});
        QVERIFY(near(back.at(Vec3d(0.03, 0, 0)), q.at(Vec3d(0.03, 0, 0)), 1e-6 * q.at(Vec3d(0.03, 0, 0)) + 1e-15));
    }

    void neverPinchesATubeShut() {
        // A tube three vertices around: contracting a ring edge would close it, which the link condition forbids.
        const Mesh tube = test::makeTorus(1, 0.2, 3, 30);
        const Mesh level = contracted(tube, 4, Strictness::LastResort);
        const Statistics s = gatherStatistics(level, Progress()).whole;
        QVERIFY(s.sound());
        QCOMPARE(s.borderEdges, std::size_t(0));
        QCOMPARE(2 * level.vertexCount(), level.triangleCount());  // still a ring
    }

    void leavesATetrahedronAndASingleTriangleAlone() {
        QCOMPARE(contracted(test::makeTetrahedron(), 1, Strictness::LastResort).triangleCount(), std::size_t(4));
        const Mesh two = test::makeSheet(1, 1);
        QVERIFY(contracted(two, 1, Strictness::LastResort).triangleCount() >= 1);
    }

    void makesNoNeedlesWhileItIsCareful() {
        const Mesh sphere = test::makeSphere(1, 30);
        const Mesh level = contracted(sphere, 300, Strictness::Careful);
        QCOMPARE(level.triangleCount(), std::size_t(300));
        for (const Triangle& t : level.triangles) {
            const Vec3d a = level.positions[t[0]].cast<double>(), b = level.positions[t[1]].cast<double>(),
                        c = level.positions[t[2]].cast<double>();
            const double edges = (b - a).squaredNorm() + (c - b).squaredNorm() + (a - c).squaredNorm();
            QVERIFY(2 * std::sqrt(3.0) * areaNormal(a, b, c).norm() / edges > 0.04);
        }
    }

    void takesOneTriangleAtABorderAndTwoInside() {
        Contraction sheet = contractionOf(test::makeSheet(10, 10));
        QVERIFY(sheet.contractTo(199, Progress()));
        QCOMPARE(sheet.triangles(), std::size_t(199));
        QVERIFY(sheet.contractTo(196, Progress()));
        QCOMPARE(sheet.triangles(), std::size_t(196));
        const Mesh closed = test::makeSphere(1, 6);
        Contraction without = contractionOf(closed);
        QVERIFY(without.contractTo(closed.triangleCount() - 1, Progress()));
        QCOMPARE(without.triangles(), closed.triangleCount() - 2);  // it has no border
    }

    void keepsVerticesThatDoNotMoveBitForBit() {
        const auto ridge = [](double x, double z) { return std::abs(std::sin(13 * x)) * std::cos(5 * z) / 3; };
        const Mesh sheet = test::makeSheet(24, 24, 1, 1, ridge);
        const Mesh level = contracted(sheet, 1100, Strictness::Careful);
        std::size_t same = 0;
        for (const Vec3f& p : level.positions)
            same += std::find(sheet.positions.begin(), sheet.positions.end(), p) != sheet.positions.end() ? 1 : 0;
        // 1152 triangles became 1100: some 26 contractions, so that nearly all vertices are untouched.
        QVERIFY2(same > level.vertexCount() - 40, qPrintable(QString::number(same)));
    }
};

UM_TEST(QuadricTest)
#include "QuadricTest.moc"

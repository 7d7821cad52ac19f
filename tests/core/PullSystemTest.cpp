// The steps that bring pulls to the least, held against a dense solution of the same equations.
#include "base/Error.h"
#include "reduce/PullSystem.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <Eigen/Dense>
#include <QTest>
#include <random>

using namespace um;

namespace {

// A pull at a place of a triangle, along its normal above all or in all directions alike.
struct Pull {
    TriangleId triangle;
    Vec3d shares;
    double weight;
    Vec3d by;
    bool isAlongNormal;
};

// All that the solver is given, and the same as matrix and right side.
struct System {
    explicit System(Mesh surface) : mesh(std::move(surface)) {
        around = findVertexTriangles(mesh.triangles, mesh.vertexCount());
        blocks.resize(mesh.triangleCount());
        pulls.assign(mesh.triangleCount(), CornerPulls{Vec3f::Zero(), Vec3f::Zero(), Vec3f::Zero()});
        held.assign(mesh.vertexCount(), 0);
        for (TriangleId t = 0; t < mesh.triangleCount(); ++t) {
            const Triangle& c = mesh.triangles[t];
            blocks[t].normal = areaNormal(mesh.positions[c[0]].cast<double>(), mesh.positions[c[1]].cast<double>(),
                                          mesh.positions[c[2]].cast<double>())
                                   .normalized()
                                   .cast<float>();
        }
        const auto size = long(3 * mesh.vertexCount());
        matrix = Eigen::MatrixXd::Zero(size, size);
        right = Eigen::VectorXd::Zero(size);
    }

    void add(const Pull& pull) {
        PullBlock& block = blocks[pull.triangle];
        const Triangle& corners = mesh.triangles[pull.triangle];
        auto& counts = pull.isAlongNormal ? block.m : block.e;
        const Vec3f by = pull.by.cast<float>();
        const Vec3d counting = (pull.isAlongNormal ? block.through(by) : by).cast<double>();
        Mat3d through = Mat3d::Identity();
        if (pull.isAlongNormal)
            for (int i = 0; i < 3; ++i) through.col(i) = block.through(Vec3f(Vec3f::Unit(i))).cast<double>();
        for (std::size_t k = 0; k < 3; ++k) {
            const double share = pull.weight * pull.shares[long(k)];
            counts[k] += float(share * pull.shares[long(k)]);
            counts[3 + k] += float(share * pull.shares[long((k + 1) % 3)]);
            pulls[pull.triangle][k] += (share * counting).cast<float>();
            right.segment<3>(long(3 * corners[k])) += share * counting;
            for (std::size_t l = 0; l < 3; ++l)
                matrix.block<3, 3>(long(3 * corners[k]), long(3 * corners[l])) +=
                    share * pull.shares[long(l)] * through;
        }
    }

    std::vector<Vec3f> solve() const { return solvePulls(mesh.triangles, around, blocks, pulls, held, Progress()); }

    // Half of what is left of the pulls, but for a constant: what the steps are to make least.
    double energyOf(const std::vector<Vec3f>& steps) const {
        Eigen::VectorXd x(right.size());
        for (std::size_t v = 0; v < steps.size(); ++v) x.segment<3>(long(3 * v)) = steps[v].cast<double>();
        return 0.5 * x.dot(matrix * x) - right.dot(x);
    }

    double leastEnergy() const {
        Eigen::MatrixXd kept = matrix;
        Eigen::VectorXd pulled = right;
        for (std::size_t v = 0; v < held.size(); ++v) {
            if (held[v] == 0) continue;
            const auto at = long(3 * v);
            kept.middleRows(at, 3).setZero();
            kept.middleCols(at, 3).setZero();
            kept.block<3, 3>(at, at).setIdentity();
            pulled.segment<3>(at).setZero();
        }
        const Eigen::VectorXd x = kept.completeOrthogonalDecomposition().solve(pulled);
        return 0.5 * x.dot(kept * x) - pulled.dot(x);
    }

    Mesh mesh;
    VertexTriangles around;
    std::vector<PullBlock> blocks;
    std::vector<CornerPulls> pulls;
    std::vector<std::uint8_t> held;
    Eigen::MatrixXd matrix;
    Eigen::VectorXd right;
};

// Some pulls at every triangle, at random places and of random lengths.
System pulledAtRandom(unsigned seed, double weight = 1) {
    std::mt19937 random(seed);
    std::uniform_real_distribution<double> number(-1, 1), share(0.05, 1);
    System system(test::makeSheet(7, 7, 1, 1, [&](double x, double z) { return 0.2 * std::sin(5 * x + 3 * z); }));
    for (TriangleId t = 0; t < system.mesh.triangleCount(); ++t)
        for (int i = 0; i < 6; ++i) {
            Vec3d shares(share(random), share(random), share(random));
            shares /= shares.sum();
            system.add({t, shares, weight * share(random), 0.05 * Vec3d(number(random), number(random), number(random)),
                        i % 3 != 0});
        }
    return system;
}

}  // namespace

class PullSystemTest : public QObject {
    Q_OBJECT

private slots:
    void countsFullyAlongTheNormalAndLittleSideways() {
        PullBlock block;
        block.normal = Vec3f(0, 0, 1);
        QVERIFY((block.through({0, 0, 2}) - Vec3f(0, 0, 2)).norm() < 1e-6f);
        const Vec3f sideways = block.through({1, 0, 0});
        QVERIFY(sideways.x() > 0.01f && sideways.x() < 0.5f && sideways.y() == 0 && sideways.z() == 0);
    }

    // All pulled alike: all go there, but for the little that holds each vertex where it is.
    void goesWhereAllIsPulled() {
        System system(test::makeSphere(1, 6));
        const Vec3d by(0.1, -0.2, 0.05);
        for (TriangleId t = 0; t < system.mesh.triangleCount(); ++t)
            for (std::size_t k = 0; k < 4; ++k)
                system.add({t, k < 3 ? Vec3d(Vec3d::Unit(long(k))) : Vec3d(Vec3d::Constant(1.0 / 3)), 1, by, false});
        for (const Vec3f& step : system.solve())
            QVERIFY2((step.cast<double>() - by).norm() < 0.02 * by.norm(),
                     qPrintable(QString::number((step.cast<double>() - by).norm())));
    }

    void comesNearTheLeast() {
        for (unsigned seed = 1; seed <= 12; ++seed) {
            System system = pulledAtRandom(seed);
            if (seed % 2 == 0)
                for (std::size_t v = 0; v < system.held.size(); v += 5) system.held[v] = 1;
            const std::vector<Vec3f> steps = system.solve();
            const double least = system.leastEnergy(), reached = system.energyOf(steps);
            QVERIFY(least < 0);
            QVERIFY2(reached >= 1.0001 * least && reached < 0.9 * least,
                     qPrintable(QString("seed %1: %2 of %3").arg(seed).arg(reached).arg(least)));
            for (std::size_t v = 0; v < steps.size(); ++v)
                if (system.held[v] != 0) QVERIFY(steps[v] == Vec3f::Zero());
        }
    }

    // Weights are areas: of a small mesh they are tiny, and their third power is no number any more.
    void worksForAnyWeight() {
        const std::vector<Vec3f> expected = pulledAtRandom(3).solve();
        for (const double weight : {1e-12, 1e-24, 1e12}) {
            const std::vector<Vec3f> steps = pulledAtRandom(3, weight).solve();
            for (std::size_t v = 0; v < steps.size(); ++v) QVERIFY((steps[v] - expected[v]).norm() < 1e-4f);
        }
    }

    void leavesWhereNothingPulls() {
        System system(test::makeSheet(4, 4));
        for (const Vec3f& step : system.solve()) QVERIFY(step == Vec3f::Zero());
        // One corner pulled: what shares no triangle with it stays.
        system.add({0, Vec3d(1, 0, 0), 1, Vec3d(0, 1, 0), true});
        const VertexId pulled = system.mesh.triangles[0][0];
        const std::vector<Vec3f> steps = system.solve();
        for (std::size_t v = 0; v < steps.size(); ++v) {
            if (v == pulled)
                QVERIFY(std::abs(steps[v].y() - 1) < 0.01f);
            else
                QVERIFY(steps[v] == Vec3f::Zero());
        }
        QVERIFY(solvePulls({}, {}, {}, {}, {}, Progress()).empty());
    }

    void canBeCancelled() {
        const Progress progress;
        progress.cancel();
        const System system = pulledAtRandom(1);
        QVERIFY_THROWS_EXCEPTION(Cancelled, solvePulls(system.mesh.triangles, system.around, system.blocks,
                                                       system.pulls, system.held, progress));
    }
};

UM_TEST(PullSystemTest)
#include "PullSystemTest.moc"

// What contracting edges costs: one by one, and several at once.
#include "reduce/EdgeCost.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <bit>
#include <QTest>

using namespace um;

namespace {

// Over all edges, the lower vertex of each in turn.
void compareAll(const WorkingMesh& mesh) {
    EdgeCosts costs;
    Fan fan;
    for (VertexId u = 0; u < mesh.vertexCount(); ++u) {
        QVERIFY(fan.gather(mesh, u));
        std::vector<VertexId> others;
        for (const auto& [next, last] : fan)
            for (const VertexId v : {next, last})
                if (v > u) others.push_back(v);
        const std::span<const float> found = costs.of(mesh, u, fan, others);
        QCOMPARE(found.size(), others.size());
        // Bit by bit: numbers that are nearly equal would be equal enough for QCOMPARE.
        for (std::size_t i = 0; i < others.size(); ++i)
            QCOMPARE(std::bit_cast<std::uint32_t>(found[i]),
                     std::bit_cast<std::uint32_t>(costOfEdge(mesh, u, others[i]).cost));
    }
}

}  // namespace

class EdgeCostTest : public QObject {
    Q_OBJECT

private slots:
    void costsTheSameSeveralAtOnce_data() {
        QTest::addColumn<int>("shape");
        QTest::addColumn<bool>("isDressed");
        QTest::addColumn<double>("farDistance");
        int shape = 0;
        for (const char* name : {"ball", "flat sheet", "box", "one vertex of 40 triangles"}) {
            for (const double far : {0.0, 0.01})
                for (const bool isDressed : {false, true})
                    QTest::addRow("%s, far %g%s", name, far, isDressed ? ", dressed" : "") << shape << isDressed << far;
            ++shape;
        }
    }

    // Free edges, such that no plane holds, borders and creases; nothing but the last bit would tell them apart.
    void costsTheSameSeveralAtOnce() {
        QFETCH(const int, shape);
        QFETCH(const bool, isDressed);
        QFETCH(const double, farDistance);
        Mesh mesh = shape == 0   ? test::makeBumpyBall()
                    : shape == 1 ? test::makeSheet(9, 7)
                    : shape == 2 ? test::makeBox({1, 2, 3}, 3)
                                 : test::makeTent(40);
        if (isDressed) mesh = test::dressed(std::move(mesh));
        Treatment treatment;
        treatment.keepsNormals = isDressed;
        treatment.farDistance = farDistance;
        compareAll(WorkingMesh(mesh, treatment, Progress()));
    }

    void costsNothingInAPlane() {
        const Mesh sheet = test::makeSheet(6, 6);
        const WorkingMesh mesh(sheet, {}, Progress());
        for (VertexId u = 0; u < mesh.vertexCount(); ++u)
            if (mesh.kinds[u] == Kind::Interior)
                mesh.forCorners(u, [&](CornerId c) { QVERIFY(costOfEdge(mesh, u, mesh.nextOf(c)).isFlat); });
    }

    // A place farther from a plane than what is far costs more by the square of how many times farther it is.
    void costsMoreWhereItIsFar() {
        const Mesh ball = test::makeBumpyBall();
        Treatment far;
        far.farDistance = 0.001;
        const WorkingMesh plain(ball, {}, Progress()), careful(ball, far, Progress());
        const VertexId u = 5, v = plain.nextOf(plain.firstCorner[u]);
        const EdgeCost before = costOfEdge(plain, u, v), after = costOfEdge(careful, u, v);
        QVERIFY(before.place == after.place);
        double farthest = 0;
        for (const VertexId end : {u, v})
            plain.forCorners(end, [&](CornerId c) {
                const Vec3d a = plain.place(end), b = plain.place(plain.nextOf(c)), d = plain.place(plain.lastOf(c));
                const Vec3d normal = (b - a).cross(d - a).normalized();
                farthest = std::max(farthest, std::abs(normal.dot(plain.place(u) + before.place - a)));
            });
        const double factor = 1 + farthest * farthest / (0.001 * 0.001);
        QVERIFY2(factor > 2, qPrintable(QString::number(factor)));
        QVERIFY(std::abs(double(after.cost) / double(before.cost) - factor) < 1e-3 * factor);
    }
};

UM_TEST(EdgeCostTest)
#include "EdgeCostTest.moc"

// The working copy of a mesh: what lies inside and what on lines, and what its wedges carry.
#include "reduce/WorkingMesh.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <Eigen/LU>
#include <numeric>
#include <QTest>

using namespace um;

namespace {

constexpr std::size_t side = 10;  // of a sheet, in quads

std::size_t countOf(const WorkingMesh& mesh, Kind kind) {
    return std::size_t(std::count(mesh.kinds.begin(), mesh.kinds.end(), kind));
}

// The shape alone.
Mesh emptied(Mesh mesh) {
    mesh.wedges.clear();
    forWedgeAttributes(mesh, [](auto& values) { values.clear(); });
    return mesh;
}

WorkingMesh working(const Mesh& mesh, const Treatment& treatment = {}) {
    return {mesh, treatment, Progress()};
}

// The rows behind the middle are of a part of their own.
Mesh sheetOfTwoParts() {
    Mesh sheet = test::makeSheet(side, side);
    sheet.parts.push_back({"back"});
    const auto half = TriangleId(sheet.triangleCount() / 2);
    sheet.sections = {{0, 0, 0, half}, {1, 0, half, half}};
    return sheet;
}

bool areSame(const AttributeSums& a, const AttributeSums& b, int channels) {
    bool same = a.area == b.area;
    for (std::size_t j = 0; j < std::size_t(channels); ++j)
        same = same && a.gradient[j] == b.gradient[j] && a.offset[j] == b.offset[j];
    return same;
}

// As the sums are kept.
AttributeSums inSinglePrecision(AttributeSums sums, int channels) {
    sums.area = double(float(sums.area));
    for (std::size_t j = 0; j < std::size_t(channels); ++j) {
        sums.gradient[j] = sums.gradient[j].cast<float>().cast<double>();
        sums.offset[j] = double(float(sums.offset[j]));
    }
    return sums;
}

}  // namespace

class WorkingMeshTest : public QObject {
    Q_OBJECT

private slots:
    void knowsWhatLiesInside() {
        const WorkingMesh sheet = working(test::makeSheet(side, side));
        QCOMPARE(countOf(sheet, Kind::Interior), (side - 1) * (side - 1));
        QCOMPARE(countOf(sheet, Kind::Feature), 4 * side);
        QCOMPARE(countOf(working(test::makeBumpyBall()), Kind::Interior), test::makeBumpyBall().vertexCount());
    }

    void findsLinesBetweenParts() {
        const WorkingMesh sheet = working(sheetOfTwoParts());
        QCOMPARE(countOf(sheet, Kind::Interior), (side - 1) * (side - 2));
        QCOMPARE(countOf(sheet, Kind::Corner), std::size_t(2));  // where the line meets the border
        Treatment careless;
        careless.protect.materials = Protection::Off;
        QCOMPARE(countOf(working(sheetOfTwoParts(), careless), Kind::Interior), (side - 1) * (side - 1));
    }

    void findsSeams() {
        Mesh sheet = test::makeSheet(side, side);
        test::addUvsWithSeam(sheet, 0.5);
        const WorkingMesh mesh = working(sheet);
        QCOMPARE(countOf(mesh, Kind::Interior), (side - 1) * (side - 2));
        QCOMPARE(std::accumulate(mesh.hasManyWedges.begin(), mesh.hasManyWedges.end(), std::size_t(0)), side + 1);
    }

    void findsWhatIsNoSurface() {
        // A third triangle at an edge inside: nothing says how its ends could move.
        Mesh fin = test::makeSheet(side, side);
        const VertexId a = VertexId(5 * (side + 1) + 5), b = a + 1;
        fin.positions.emplace_back(0.55F, 0.2F, 0.5F);
        fin.triangles.push_back({a, b, VertexId(fin.vertexCount() - 1)});
        ++fin.sections[0].triangleCount;
        const WorkingMesh mesh = working(fin);
        QVERIFY(mesh.kinds[a] == Kind::Corner && mesh.kinds[b] == Kind::Corner);
        // One triangle turned over disagrees with all three neighbours.
        Mesh turned = test::makeSheet(side, side);
        std::swap(turned.triangles[100][1], turned.triangles[100][2]);
        const WorkingMesh other = working(turned);
        for (const VertexId v : turned.triangles[100]) QVERIFY(other.kinds[v] != Kind::Interior);
    }

    void locksWhatIsLocked() {
        Treatment treatment;
        treatment.locked.assign((side + 1) * (side + 1), 0);
        treatment.locked[60] = 1;
        const WorkingMesh mesh = working(test::makeSheet(side, side), treatment);
        QCOMPARE(countOf(mesh, Kind::Locked), std::size_t(1));
        QVERIFY(mesh.kinds[60] == Kind::Locked);
    }

    void findsCreasesWhereTheyCount() {
        const Mesh roof = test::makeSheet(side, side, 1, 1, [](double x, double) { return 2 * std::min(x, 1 - x); });
        QCOMPARE(countOf(working(roof), Kind::Interior), (side - 1) * (side - 1));
        Treatment treatment;
        treatment.protect.creases = Protection::On;
        QCOMPARE(countOf(working(roof, treatment), Kind::Interior), (side - 1) * (side - 2));
    }

    // In files a wedge may serve corners at several vertices; here each is moved with its own.
    void givesEachVertexWedgesOfItsOwn() {
        Mesh sheet = test::makeSheet(2, 2);
        sheet.uvs = {{0.25F, 0.5F}};
        sheet.wedges.assign(sheet.triangleCount(), {0, 0, 0});
        const WorkingMesh mesh = working(sheet);
        std::vector<VertexId> owners(mesh.attributes.wedgeCount(), noIndex);
        for (TriangleId t = 0; t < mesh.triangles.size(); ++t)
            for (std::size_t k = 0; k < 3; ++k) {
                VertexId& owner = owners[mesh.wedges[t][k]];
                if (owner == noIndex) owner = mesh.triangles[t][k];
                QCOMPARE(owner, mesh.triangles[t][k]);
            }
        // Where all carry the same there is one of them at each vertex.
        QCOMPARE(std::size_t(std::count_if(owners.begin(), owners.end(), [](VertexId v) { return v != noIndex; })),
                 sheet.vertexCount());
    }

    // Where no triangle has any area, nothing is known of the values around.
    void knowsNothingOfWedgesWithoutArea() {
        Mesh sheet = test::makeSheet(2, 2);
        for (const Vec3f& p : sheet.positions) sheet.uvs.emplace_back(p.x(), p.z());
        // Three vertices in a line beside the sheet.
        const auto first = VertexId(sheet.vertexCount());
        for (int i = 0; i < 3; ++i) {
            sheet.positions.emplace_back(2.0F, 0.0F, 0.5F * float(i));
            sheet.uvs.emplace_back(2.0F, float(i));
        }
        sheet.triangles.push_back({first, first + 1, first + 2});
        ++sheet.sections[0].triangleCount;
        for (int i = 0; i < 20; ++i) {
            // Memory that was something else before.
            std::vector<std::vector<float>> used;
            for (std::size_t size = 1; size < 400; ++size) used.emplace_back(size, 7.0F);
            used.clear();
            const WorkingMesh mesh = working(sheet);
            for (VertexId v = first; v < first + 3; ++v)
                QVERIFY(areSame(mesh.attributes.sumsOf(mesh.wedgeAt(mesh.firstCorner[v])),
                                emptySums(mesh.attributes.channels()), mesh.attributes.channels()));
        }
    }

    // Of each wedge, and of the squared gradients at each vertex, triangle by triangle; eleven channels are more than
    // go side by side, and the last wedges have nothing behind them.
    void sumsUpWhatTrianglesCarry() {
        Treatment treatment;
        treatment.keepsNormals = true;
        const Mesh ball = test::dressed(test::makeBumpyBall());
        const WorkingMesh mesh = working(ball, treatment), bare = working(emptied(ball));
        const auto channels = std::size_t(mesh.attributes.channels());
        QCOMPARE(channels, std::size_t(AttributeSums::mostChannels));
        std::vector<AttributeSums> expected(mesh.attributes.wedgeCount(), emptySums(int(channels)));
        std::vector<Eigen::Matrix3d> squares(mesh.positions.size(), Eigen::Matrix3d::Zero());
        for (TriangleId t = 0; t < mesh.triangles.size(); ++t) {
            const auto place = [&](std::size_t k) { return mesh.place(mesh.triangles[t][k]); };
            const auto value = [&](std::size_t k, std::size_t j) {
                return double(mesh.attributes.valuesOf(mesh.wedges[t][k])[j]);
            };
            const Vec3d a = place(1) - place(0), b = place(2) - place(0), normal = a.cross(b);
            const double area = normal.norm() / 2;
            for (std::size_t j = 0; j < channels; ++j) {
                // Along the triangle's plane, so that it rises as the values do.
                Eigen::Matrix3d ways;
                ways << a.transpose(), b.transpose(), normal.transpose();
                const Vec3d gradient =
                    ways.partialPivLu().solve(Vec3d(value(1, j) - value(0, j), value(2, j) - value(0, j), 0));
                for (std::size_t k = 0; k < 3; ++k) {
                    expected[mesh.wedges[t][k]].gradient[j] += area * gradient;
                    squares[mesh.triangles[t][k]] += area * gradient * gradient.transpose();
                }
            }
            for (std::size_t k = 0; k < 3; ++k) expected[mesh.wedges[t][k]].area += area;
        }
        for (WedgeId w = 0; w < expected.size(); ++w) {
            const AttributeSums sums = mesh.attributes.sumsOf(w);
            QVERIFY(std::abs(sums.area - expected[w].area) <= 1e-5 * expected[w].area);
            for (std::size_t j = 0; j < channels; ++j) {
                const double off = (sums.gradient[j] - expected[w].gradient[j]).norm();
                QVERIFY2(off <= 1e-4 * (expected[w].gradient[j].norm() + expected[w].area),
                         qPrintable(QString::number(off)));
                QCOMPARE(sums.offset[j], 0.0);
            }
        }
        for (VertexId v = 0; v < squares.size(); ++v) {
            const StoredQuadric &whole = mesh.quadrics[v], &shape = bare.quadrics[v];
            Eigen::Matrix3d found;
            found << whole.xx - shape.xx, whole.xy - shape.xy, whole.xz - shape.xz, whole.xy - shape.xy,
                whole.yy - shape.yy, whole.yz - shape.yz, whole.xz - shape.xz, whole.yz - shape.yz, whole.zz - shape.zz;
            QVERIFY((found - squares[v]).norm() <= 1e-4 * (squares[v].norm() + double(whole.trace())));
        }
    }

    void keepsTheValuesOfWhatIsLeft() {
        WorkingMesh mesh = working(test::dressed(test::makeBumpyBall()));
        const std::size_t channels = std::size_t(mesh.attributes.channels());
        for (VertexId u = 0; u < 60; u += 6) {
            if (!mesh.isUsed(u)) continue;
            mesh.contract(u, mesh.nextOf(mesh.firstCorner[u]), Vec3d::Zero());
        }
        const auto valuesAt = [&](const WorkingMesh& at, VertexId v) {
            const float* values = at.attributes.valuesOf(at.wedgeAt(at.firstCorner[v]));
            return std::vector<float>(values, values + channels);
        };
        const WorkingMesh whole = mesh;
        const std::vector<VertexId> number = mesh.compact();
        std::size_t used = 0;
        for (VertexId v = 0; v < number.size(); ++v) {
            QCOMPARE(number[v] != noIndex, whole.isUsed(v));
            if (number[v] == noIndex) continue;
            ++used;
            QCOMPARE(valuesAt(mesh, number[v]), valuesAt(whole, v));
            QCOMPARE(mesh.positions[number[v]], whole.positions[v]);
        }
        QVERIFY(used < number.size());
        QCOMPARE(mesh.vertexCount(), used);
    }

    // Step by step, as the paper has it.
    void joinsWedgesAsStepsDo() {
        const WorkingMesh mesh = working(test::dressed(test::makeBumpyBall()));
        const int channels = mesh.attributes.channels();
        QVERIFY(channels >= 8);
        for (VertexId u = 0; u < mesh.vertexCount(); u += 7) {
            const VertexId v = mesh.nextOf(mesh.firstCorner[u]);
            const WedgeId first = mesh.wedgeAt(mesh.firstCorner[u]), other = mesh.wedgeAt(mesh.firstCorner[v]);
            const Vec3d apart = mesh.place(v) - mesh.place(u), to = 0.3 * apart + Vec3d(0.01, 0.02, -0.01);
            Quadric expected = Quadric(mesh.quadrics[v]).seenFrom(-apart);
            expected += Quadric(mesh.quadrics[u]);
            Quadric found = expected;
            AttributeSums sums = mesh.attributes.sumsOf(other);
            moveOrigin(sums, channels, -apart);
            std::array<double, AttributeSums::mostChannels> change{};
            std::vector<float> values(mesh.attributes.valuesOf(first), mesh.attributes.valuesOf(first) + channels);
            for (std::size_t j = 0; j < values.size(); ++j)
                change[j] = double(values[j]) - double(mesh.attributes.valuesOf(other)[j]);
            moveValues(sums, channels, change.data(), expected);
            AttributeSums both = mesh.attributes.sumsOf(first);
            addSums(both, sums, channels);
            expected = expected.seenFrom(to);
            moveOrigin(both, channels, to);
            for (std::size_t j = 0; j < values.size(); ++j) {
                change[j] = both.offset[j] / both.area;
                values[j] = float(double(values[j]) + change[j]);
            }
            moveValues(both, channels, change.data(), expected);

            Attributes attributes = mesh.attributes;
            attributes.join(first, other, apart, to, found);
            QVERIFY(std::equal(values.begin(), values.end(), attributes.valuesOf(first)));
            QVERIFY(areSame(attributes.sumsOf(first), inSinglePrecision(both, channels), channels));
            for (const Vec3d& p : {Vec3d(0, 0, 0), Vec3d(0.1, 0.2, 0.3), Vec3d(-1, 0.5, 0)})
                QVERIFY(found.at(p) == expected.at(p));
        }
    }
};

UM_TEST(WorkingMeshTest)
#include "WorkingMeshTest.moc"

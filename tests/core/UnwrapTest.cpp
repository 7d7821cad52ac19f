// New UVs: nothing folded, nothing over anything else, little stretch, and charts that keep their distance on the
// sheet.
#include "bake/Pieces.h"
#include "bake/Unwrap.h"
#include "base/Error.h"
#include "mesh/UvMap.h"
#include "reduce/Reduce.h"
#include "tests/support/Broken.h"
#include "tests/support/Files.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <map>
#include <QTest>
#include <random>
#include <set>

using namespace um;

namespace {

double flatArea(const Mesh& mesh, TriangleId t) {
    const Triangle& w = mesh.wedgesOf(t);
    const Vec2d a = mesh.uvs[w[0]].cast<double>(), ab = mesh.uvs[w[1]].cast<double>() - a,
                ac = mesh.uvs[w[2]].cast<double>() - a;
    return (ab.x() * ac.y() - ab.y() * ac.x()) / 2;
}

// A cone without its base.
Mesh cone(std::size_t around, double height) {
    Mesh mesh;
    mesh.positions.emplace_back(0.0f, float(height), 0.0f);
    for (std::size_t i = 0; i < around; ++i) {
        const double angle = 2 * pi * double(i) / double(around);
        mesh.positions.emplace_back(float(std::cos(angle)), 0.0f, float(std::sin(angle)));
    }
    for (std::size_t i = 0; i < around; ++i)
        mesh.triangles.push_back({0, VertexId(1 + (i + 1) % around), VertexId(1 + i)});
    ensureSections(mesh, "cone");
    return mesh;
}

// A ball with bumps that differ with the seed.
Mesh bumpy(unsigned seed) {
    std::mt19937 random(seed);
    std::uniform_real_distribution<float> number(-1, 1);
    Mesh mesh = test::makeSphere(1, 8 + seed % 5);
    const Vec3f a = Vec3f(number(random), number(random), number(random)) * 6,
                b = Vec3f(number(random), number(random), number(random)) * 9;
    for (Vec3f& p : mesh.positions) p *= 1 + 0.35f * std::sin(a.dot(p)) * std::cos(b.dot(p));
    return mesh;
}

Unwrapped unwrapped(const Mesh& mesh, int size = 512, int padding = 4) {
    UnwrapSettings settings;
    settings.pack.size = size;
    settings.pack.padding = padding;
    return unwrap(mesh, settings, Progress());
}

// What must hold of any mesh whatever.
QString faultOf(const Mesh& before, const Unwrapped& after) {
    const Mesh& mesh = after.mesh;
    if (mesh.positions != before.positions || mesh.triangles != before.triangles) return "the surface has changed";
    requireSound(mesh, "unwrapped");
    for (TriangleId t = 0; t < mesh.triangleCount(); ++t) {
        if (!(flatArea(mesh, t) > 0)) return QString("triangle %1 is turned over").arg(t);
        for (const WedgeId w : mesh.wedgesOf(t))
            if (!(mesh.uvs[w].minCoeff() >= 0 && mesh.uvs[w].maxCoeff() <= 1)) return "beyond the sheet";
    }
    Mesh one = mesh;
    for (Section& section : one.sections) section.material = 0;
    if (const UvOverlap overlap = findUvOverlap(one, Progress()); overlap.materials > 0)
        return QString("%1 of it lies over itself").arg(overlap.share);
    return {};
}

}  // namespace

class UnwrapTest : public QObject {
    Q_OBJECT

private slots:
    void laysAFlatSheetAsItIs() {
        const Unwrapped result = unwrapped(test::makeSheet(10, 6, 2, 1));
        QCOMPARE(result.charts, std::size_t(1));
        QVERIFY(std::abs(result.stretch.mean - 1) < 1e-6);
        QVERIFY(result.stretch.worst < 1 + 1e-5);
        QCOMPARE(faultOf(test::makeSheet(10, 6, 2, 1), result), QString());
    }

    void opensATubeAlongOneLine() {
        const Mesh mesh = test::makeTube(24, 10);
        const Unwrapped result = unwrapped(mesh);
        QCOMPARE(result.charts, std::size_t(1));
        QVERIFY2(result.stretch.mean < 1.0001, qPrintable(QString::number(result.stretch.mean, 'g', 9)));
        QCOMPARE(faultOf(mesh, result), QString());
    }

    // All quads of a column lie alike, and the border from one piece to the next is a line that diffusion leaves alone.
    void piecesOfATubeHaveStraightBorders() {
        constexpr std::size_t around = 24, along = 10;
        const std::vector<std::uint32_t> pieceOf =
            nearlyFlatPieces(findNeighbours(test::makeTube(around, along), {}), Progress());
        for (std::size_t t = 0; t < pieceOf.size(); ++t) QCOMPARE(pieceOf[t], pieceOf[t % (2 * around)]);
        const std::set<std::uint32_t> pieces(pieceOf.begin(), pieceOf.end());
        QVERIFY(pieces.size() >= 3 && pieces.size() <= 8);  // each a bend of at most 110 degrees
    }

    // Ten times as long as wide, it would open to a strip that leaves most of a square sheet empty.
    void cutsWhatIsTooLongForASheet() {
        const Mesh mesh = test::makeTube(16, 60, 60);
        const UnwrapSettings settings;
        const Unwrapped result = unwrap(mesh, settings, Progress());
        QCOMPARE(faultOf(mesh, result), QString());
        std::vector<Eigen::AlignedBox2d> boxes(result.charts);
        for (TriangleId t = 0; t < result.mesh.triangleCount(); ++t)
            for (const WedgeId w : result.mesh.wedgesOf(t))
                boxes[result.chartOf[t]].extend(result.mesh.uvs[w].cast<double>() * settings.pack.size);
        for (const auto& box : boxes) QVERIFY(box.sizes().maxCoeff() < 3.5 * box.sizes().minCoeff());
        QVERIFY2(result.fill > 0.7, qPrintable(QString::number(result.fill)));
    }

    // It would lie flat as it is, around a hole in which little else finds a place.
    void cutsARingInArcs() {
        Mesh ring = test::makeTube(64, 1, 0.2);
        for (Vec3f& p : ring.positions) p = Vec3f((1 - p.y()) * p.x(), 0, (1 - p.y()) * p.z());
        const Unwrapped result = unwrapped(ring);
        QVERIFY2(result.charts >= 3 && result.charts <= 16, qPrintable(QString::number(result.charts)));
        QVERIFY(result.stretch.worst < 1.25);
        QCOMPARE(faultOf(ring, result), QString());
    }

    void cutsWhereItIsHardlySeen() {
        // Of the tube only the side to +x is seen: it opens on the other one.
        const Mesh mesh = test::makeTube(24, 10);
        UnwrapSettings settings;
        for (const float side : {1.0f, -1.0f}) {
            settings.charts.exposure.clear();
            for (const Triangle& t : mesh.triangles) {
                float x = 0;
                for (const VertexId v : t) x += mesh.positions[v].x();
                settings.charts.exposure.push_back(side * x > 0 ? 1.0f : 0.0f);
            }
            const Unwrapped result = unwrap(mesh, settings, Progress());
            QCOMPARE(result.charts, std::size_t(1));
            // Vertices along the cut have two places in the sheet.
            std::map<VertexId, std::set<std::pair<float, float>>> places;
            for (TriangleId t = 0; t < result.mesh.triangleCount(); ++t)
                for (std::size_t k = 0; k < 3; ++k) {
                    const Vec2f& uv = result.mesh.uvs[result.mesh.wedgesOf(t)[k]];
                    places[result.mesh.triangles[t][k]].emplace(uv.x(), uv.y());
                }
            int cut = 0;
            for (const auto& [v, own] : places) {
                if (own.size() < 2) continue;
                ++cut;
                QVERIFY(side * mesh.positions[v].x() < 1e-3f);
            }
            QVERIFY(cut >= 10);
        }
    }

    void cutsAlongSeamsThatAreThere() {
        Mesh mesh = test::makeSheet(10, 10, 2, 2);
        UnwrapSettings settings;
        settings.charts.alongSeams = true;
        QCOMPARE(unwrap(mesh, settings, Progress()).charts, std::size_t(1));
        test::addUvsWithSeam(mesh, 1.0);
        QCOMPARE(unwrap(mesh, settings, Progress()).charts, std::size_t(2));
        settings.charts.alongSeams = false;
        QCOMPARE(unwrap(mesh, settings, Progress()).charts, std::size_t(1));
    }

    void opensAConeUpToItsTip() {
        const Mesh mesh = cone(16, 1.5);
        UnwrapSettings settings;
        settings.charts.mostShare = 1;
        settings.charts.leastSolid = 0;  // whatever shape it has then
        const Unwrapped result = unwrap(mesh, settings, Progress());
        QCOMPARE(result.charts, std::size_t(1));
        QVERIFY2(result.stretch.mean < 1.0001, qPrintable(QString::number(result.stretch.mean, 'g', 9)));
        QCOMPARE(faultOf(mesh, result), QString());
    }

    void cutsABoxAtItsEdges() {
        const Mesh mesh = test::makeBox({1, 2, 3}, 4);
        UnwrapSettings settings;
        settings.pack.leeway = 0;
        const Unwrapped result = unwrap(mesh, settings, Progress());
        QVERIFY(result.charts <= 6);
        QVERIFY(result.stretch.worst < 1.001);
        QCOMPARE(faultOf(mesh, result), QString());
    }

    void keepsStretchSmallOnRoundThings() {
        for (const Mesh& mesh : {test::makeSphere(1, 24), test::makeTorus(2, 0.7, 60, 30)}) {
            const Unwrapped result = unwrapped(mesh);
            QVERIFY2(result.charts <= 24, qPrintable(QString::number(result.charts)));
            QVERIFY2(result.stretch.mean <= 1.1, qPrintable(QString::number(result.stretch.mean)));
            QCOMPARE(faultOf(mesh, result), QString());
        }
    }

    // The figure that is told is that of the UVs that come out, reckoned here from those alone.
    void tellsTheStretchOfWhatComesOut() {
        const Unwrapped result = unwrapped(bumpy(3));
        double squares = 0, area = 0, flat = 0;
        for (TriangleId t = 0; t < result.mesh.triangleCount(); ++t) {
            const UvScale scale = uvScale(result.mesh, t, result.mesh.uvs, {1, 1});
            squares += scale.area * (1 / (scale.most * scale.most) + 1 / (scale.least * scale.least)) / 2;
            area += scale.area;
            flat += flatArea(result.mesh, t);
        }
        QVERIFY(std::abs(std::sqrt(squares / area) * std::sqrt(flat / area) - result.stretch.mean) < 1e-3);
        QVERIFY(std::abs(flat - result.fill) < 1e-3);
        QVERIFY(std::abs(std::sqrt(flat / area) * 512 - result.texelsPerUnit) < 1e-4 * result.texelsPerUnit);
    }

    void foldsNothingWhateverTheShape() {
        for (unsigned seed = 1; seed <= 250; ++seed) {
            const Mesh mesh = seed % 5 == 0 ? reduceMesh(bumpy(seed), 120, {}, Progress()).mesh : bumpy(seed);
            UnwrapSettings settings;  // with room enough, so that packing takes no time
            settings.pack.size = 1024;
            settings.pack.texelsPerUnit = 40;
            const Unwrapped result = unwrap(mesh, settings, Progress());
            const QString fault = faultOf(mesh, result);
            QVERIFY2(fault.isEmpty(), qPrintable(QString("seed %1: %2").arg(seed).arg(fault)));
            QVERIFY2(result.stretch.mean < 1.25, qPrintable(QString("seed %1: %2").arg(seed).arg(result.stretch.mean)));
        }
    }

    void livesWithBrokenMeshes() {
        for (unsigned seed = 1; seed <= 40; ++seed) {
            const Mesh mesh = seed % 2 == 0 ? test::damagedSphere(seed) : test::randomHeap(seed, 30, 60);
            UnwrapSettings settings;
            settings.pack.texelsPerUnit = 10;
            settings.pack.padding = 0;
            const Unwrapped result = unwrap(mesh, settings, Progress());
            requireSound(result.mesh, "unwrapped");
            QCOMPARE(result.chartOf.size(), mesh.triangleCount());
            for (const Vec2f& uv : result.mesh.uvs)
                QVERIFY2(uv.minCoeff() >= 0 && uv.maxCoeff() <= 1, qPrintable(QString::number(seed)));
        }
    }

    void keepsChartsApart() {
        const int size = 256, padding = 8;
        const Unwrapped result = unwrapped(
            test::joined(test::makeSphere(1, 10), test::moved(test::makeBox({1, 1, 1}), {5, 0, 0})), size, padding);
        // Texels of different charts, by their middles.
        std::vector<int> chartAt(std::size_t(size) * size, -1);
        for (TriangleId t = 0; t < result.mesh.triangleCount(); ++t) {
            std::array<Vec2d, 3> p;
            for (std::size_t k = 0; k < 3; ++k)
                p[k] = result.mesh.uvs[result.mesh.wedgesOf(t)[k]].cast<double>() * size;
            Eigen::AlignedBox2d box;
            for (const Vec2d& corner : p) box.extend(corner);
            for (int y = int(box.min().y()); y <= int(box.max().y()); ++y)
                for (int x = int(box.min().x()); x <= int(box.max().x()); ++x) {
                    bool within = true;
                    for (std::size_t k = 0; k < 3 && within; ++k) {
                        const Vec2d e = p[(k + 1) % 3] - p[k], q = Vec2d(x + 0.5, y + 0.5) - p[k];
                        within = e.x() * q.y() - e.y() * q.x() >= 0;
                    }
                    if (within) chartAt[std::size_t(y * size + x)] = int(result.chartOf[t]);
                }
        }
        for (int y = 0; y < size; ++y)
            for (int x = 0; x < size; ++x) {
                const int own = chartAt[std::size_t(y * size + x)];
                if (own < 0) continue;
                QVERIFY(x >= padding / 2 - 1 && x < size - padding / 2 + 1);
                for (int dy = -padding + 1; dy < padding; ++dy)
                    for (int dx = -padding + 1; dx < padding; ++dx) {
                        if (dx * dx + dy * dy >= (padding - 1) * (padding - 1)) continue;
                        if (x + dx < 0 || x + dx >= size || y + dy < 0 || y + dy >= size) continue;
                        const int other = chartAt[std::size_t((y + dy) * size + x + dx)];
                        QVERIFY(other < 0 || other == own);
                    }
            }
    }

    void givesTheTexelsThatAreAskedFor() {
        const Mesh mesh = test::makeSphere(1, 12);
        UnwrapSettings settings;
        settings.pack.size = 512;
        settings.pack.texelsPerUnit = 60;
        const Unwrapped fixed = unwrap(mesh, settings, Progress());
        QCOMPARE(fixed.texelsPerUnit, 60.0);
        settings.pack.texelsPerUnit = 300;
        QVERIFY(test::errorOf([&] { unwrap(mesh, settings, Progress()); }).contains("do not fit"));
        settings.pack.sheets = 12;
        const Unwrapped several = unwrap(mesh, settings, Progress());
        QVERIFY(several.sheets > 1 && several.sheets <= 12);
        // Twice the weight is twice as many texels along a side.
        Mesh two = test::joined(mesh, test::moved(mesh, {4, 0, 0}));
        UnwrapSettings weighted;
        weighted.pack.size = 512;
        weighted.weights.assign(two.triangleCount(), 1);
        std::fill(weighted.weights.begin() + long(mesh.triangleCount()), weighted.weights.end(), 2.0f);
        const Unwrapped uneven = unwrap(two, weighted, Progress());
        double first = 0, second = 0;
        for (TriangleId t = 0; t < two.triangleCount(); ++t)
            (t < mesh.triangleCount() ? first : second) += flatArea(uneven.mesh, t);
        QVERIFY(std::abs(second / first - 4) < 0.1);
    }

    void comesOutTheSameEachTime() {
        const Mesh mesh = bumpy(9);
        QCOMPARE(unwrapped(mesh).mesh.uvs, unwrapped(mesh).mesh.uvs);
    }

    void canBeCancelled() {
        const Progress progress;
        progress.cancel();
        QVERIFY_THROWS_EXCEPTION(Cancelled, unwrap(test::makeSphere(1, 12), {}, progress));
    }
};

UM_TEST(UnwrapTest)
#include "UnwrapTest.moc"

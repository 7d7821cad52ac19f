// Files larger than the memory allowed: streamed, clustered, reduced.
#include "base/Error.h"
#include "base/Parallel.h"
#include "chain/ReduceLargeFile.h"
#include "files/MeshFile.h"
#include "files/TriangleStream.h"
#include "measure/Deviation.h"
#include "mesh/Statistics.h"
#include "reduce/Stream.h"
#include "tests/support/Files.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <oneapi/tbb/global_control.h>
#include <QTest>

using namespace um;

namespace {

double wave(double x, double z) {
    return 0.08 * std::sin(9 * x) * std::cos(7 * z);
}

std::vector<Corners> allOf(const std::filesystem::path& path) {
    std::vector<Corners> all;
    openTriangleStream(path)->read(
        [&](std::span<const Corners> batch) { all.insert(all.end(), batch.begin(), batch.end()); }, Progress());
    return all;
}

}  // namespace

class LargeFileTest : public QObject {
    Q_OBJECT

private slots:
    void streamsTheSameTrianglesFromEveryFormat() {
        const test::Folder folder;
        const Mesh sheet = test::makeSheet(200, 200, 1, 1, wave);
        for (const char* name : {"sheet.stl", "sheet.ply", "sheet.obj"}) {
            const std::filesystem::path path = folder / name;
            writeMesh(sheet, path, Progress());
            const std::vector<Corners> all = allOf(path);
            QCOMPARE(all.size(), sheet.triangleCount());
            for (std::size_t t = 0; t < all.size(); ++t)
                for (std::size_t k = 0; k < 3; ++k)
                    QVERIFY((all[t][k] - sheet.positions[sheet.triangles[t][k]]).norm() < 1e-6f);
            QVERIFY(std::abs(double(estimateTriangles(path)) - 80000) < 40000);
        }
    }

    void cutsPolygonsOnTheWay() {
        const test::Folder folder;
        const auto path =
            folder.write("quads.obj", "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nf 1 2 3 4\nf -4/1 -3/1 -2/1\n");
        QCOMPARE(allOf(path).size(), std::size_t(3));
        // An L of area 3, over two lines: a fan from its first corner would cover more.
        const auto corner =
            folder.write("corner.obj", "v 2 1 0\nv 1 1 0\nv 1 2 0\nv 0 2 0\nv 0 0 0\nv 2 0 0\nf 1 2 3 \\\r\n 4 5 6\n");
        double streamed = 0, read = 0;
        for (const Corners& c : allOf(corner)) streamed += double((c[1] - c[0]).cross(c[2] - c[0]).norm()) / 2;
        const Mesh whole = readMesh(corner, Progress()).mesh;
        QCOMPARE(whole.triangleCount(), std::size_t(4));
        for (const Triangle& t : whole.triangles)
            read += double((whole.positions[t[1]] - whole.positions[t[0]])
                               .cross(whole.positions[t[2]] - whole.positions[t[0]])
                               .norm()) /
                    2;
        QVERIFY(std::abs(streamed - 3) < 1e-6 && std::abs(read - 3) < 1e-6);
        const auto text =
            folder.write("text.stl",
                         "solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 "
                         "0\nendloop\nendfacet\nendsolid a\n");
        QCOMPARE(allOf(text).size(), std::size_t(1));
    }

    void saysWhatIsWrongWithAStream() {
        const test::Folder folder;
        const Mesh sheet = test::makeSheet(20, 20);
        writeMesh(sheet, folder / "sheet.ply", Progress());
        std::string bytes = test::contentOf(folder / "sheet.ply");
        const auto cut = folder.write("cut.ply", bytes.substr(0, bytes.size() - 40));
        QVERIFY(test::errorOf([&] { allOf(cut); }).contains("cut off"));
        const auto index = folder.write("index.obj", "v 0 0 0\nv 1 0 0\nf 1 2 3\n");
        QVERIFY(test::errorOf([&] { allOf(index); }).contains("not there"));
        const auto nan = folder.write("nan.obj", "v 0 0 0\nv 1 0 0\nv nan 1 0\nf 1 2 3\n");
        QVERIFY(!test::errorOf([&] { allOf(nan); }).isEmpty());
        const auto huge = folder.write("huge.obj", "v 0 0 0\nv 1 0 0\nv 1e20 1 0\nf 1 2 3\n");
        QVERIFY(test::errorOf([&] { allOf(huge); }).contains("too large"));
        writeMesh(sheet, folder / "sheet.glb", Progress());
        QVERIFY(test::errorOf([&] { allOf(folder / "sheet.glb"); }).contains("piece by piece"));
    }

    void keepsBordersAndShapeThroughTheGrid() {
        const test::Folder folder;
        const Mesh sheet = test::makeSheet(300, 300, 1, 1, wave);
        writeMesh(sheet, folder / "sheet.stl", Progress());
        const auto stream = openTriangleStream(folder / "sheet.stl");
        const Clustered clusters = clusterStream(*stream, 20000, Progress());
        QCOMPARE(clusters.sourceTriangles, std::size_t(180000));
        QVERIFY2(clusters.mesh.triangleCount() > 8000 && clusters.mesh.triangleCount() < 40000,
                 qPrintable(QString::number(clusters.mesh.triangleCount())));
        const Box3f box = boundingBox(clusters.mesh);
        // Edges of the sheet stay where they are; only its corners are cut, by less than half a cell.
        const auto near = [&](float value, float wanted) { return std::abs(value - wanted) < 0.5 * clusters.cell; };
        QVERIFY(near(box.min().x(), 0) && near(box.min().z(), 0) && near(box.max().x(), 1) && near(box.max().z(), 1));
        for (const Vec3f& p : clusters.mesh.positions)
            if (p.x() < 0.3 * clusters.cell && p.z() > 0.1f && p.z() < 0.9f) QVERIFY(std::abs(p.x()) < 1e-4f);
        QVERIFY(measureDeviation(sheet, clusters.mesh, {}, Progress()).max < clusters.cell);
    }

    void reducesAFileWithinItsMemory() {
        const test::Folder folder;
        const Mesh sheet = test::makeSheet(400, 400, 1, 1, wave);
        writeMesh(sheet, folder / "sheet.ply", Progress());
        constexpr std::size_t memory = 20 << 20;
        QVERIFY(needsStreaming(folder / "sheet.ply", memory));
        QVERIFY(!needsStreaming(folder / "sheet.ply", memory * 20));
        const LargeResult result = reduceLargeFile(folder / "sheet.ply", CountTarget{3000}, {}, memory, Progress());
        QVERIFY(result.targetMet);
        QCOMPARE(result.mesh.triangleCount(), std::size_t(3000));
        QCOMPARE(result.sourceTriangles, sheet.triangleCount());
        const Deviation measured = measureDeviation(sheet, result.mesh, {}, Progress());
        // The sampled figures are of the same surface as the whole measurement.
        QVERIFY(std::abs(result.rms - measured.sourceToLevel.rms) < 0.3 * measured.sourceToLevel.rms);
        QVERIFY(result.max <= measured.max + 1e-9);
        ReduceSettings settings;
        const Mesh whole = reduceMesh(sheet, 3000, settings, Progress()).mesh;
        QVERIFY2(measured.rms < 1.3 * measureDeviation(sheet, whole, {}, Progress()).rms,
                 qPrintable(QString::number(measured.rms)));
    }

    void givesTheSameForAnyNumberOfThreads() {
        const test::Folder folder;
        writeMesh(test::makeSheet(250, 250, 1, 1, wave), folder / "sheet.stl", Progress());
        Mesh with[2];
        for (const std::size_t threads : {1, 2}) {
            const tbb::global_control limit(tbb::global_control::max_allowed_parallelism, threads);
            with[threads - 1] = reduceLargeFile(folder / "sheet.stl", CountTarget{999}, {}, 10 << 20, Progress()).mesh;
        }
        QCOMPARE(with[0].positions, with[1].positions);
        QCOMPARE(with[0].triangles, with[1].triangles);
    }

    void refusesWhatItCannotDo() {
        const test::Folder folder;
        const Mesh sheet = test::makeSheet(100, 100);
        writeMesh(sheet, folder / "sheet.stl", Progress());
        const auto reduce = [&](const Target& target, std::size_t memory) {
            return test::errorOf([&] { reduceLargeFile(folder / "sheet.stl", target, {}, memory, Progress()); });
        };
        QVERIFY(reduce(LengthTarget{{0.001, 1.0}}, 10 << 20).contains("count or a share"));
        QVERIFY(reduce(CountTarget{15000}, 1 << 20).contains("too small"));
        const Progress progress;
        progress.cancel();
        QVERIFY_EXCEPTION_THROWN(reduceLargeFile(folder / "sheet.stl", CountTarget{100}, {}, 10 << 20, progress),
                                 Cancelled);
    }
};

UM_TEST(LargeFileTest)
#include "LargeFileTest.moc"

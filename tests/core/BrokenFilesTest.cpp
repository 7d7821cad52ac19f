#include "files/MeshFile.h"
#include "tests/support/Broken.h"
#include "tests/support/Files.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <sys/resource.h>
#include <sys/stat.h>
#include <unistd.h>
#include <csignal>
#include <QTest>
#include <random>

using namespace um;
using test::bytesOf;

namespace {

std::string stlHeader(std::uint32_t count) {
    return std::string(80, ' ') + bytesOf(count);
}

std::string stlTriangle(float x) {
    std::string bytes(12, '\0');
    for (const float value : {x, 0.0f, 0.0f, 1.0f, 0.0f, 0.0f, 0.0f, 1.0f, 0.0f}) bytes += bytesOf(value);
    return bytes + std::string(2, '\0');
}

const std::string plyHead =
    "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\n"
    "element face 1\nproperty list uchar int vertex_indices\nend_header\n";

}  // namespace

class BrokenFilesTest : public QObject {
    Q_OBJECT

private slots:
    void saysWhatIsWrongAndWhatToDo_data() {
        QTest::addColumn<QString>("name");
        QTest::addColumn<QByteArray>("bytes");
        QTest::addColumn<QString>("place");  // what the sentence must name
        const auto row = [](const char* what, const char* name, const std::string& bytes, const char* place) {
            QTest::newRow(what) << name << QByteArray::fromStdString(bytes) << place;
        };
        const float nan = std::numeric_limits<float>::quiet_NaN(), inf = std::numeric_limits<float>::infinity();
        row("empty", "e.obj", "", "empty");
        row("unknown", "e.xyz", "hello", "no format known");
        row("stl header cut", "e.stl", "abc", "header");
        row("stl cut off", "e.stl", stlHeader(3) + stlTriangle(0) + stlTriangle(0), "ends after 2");
        row("stl absurd count", "e.stl", stlHeader(4000000000u) + stlTriangle(0), "ends after 1");
        row("stl nan", "e.stl", stlHeader(2) + stlTriangle(0) + stlTriangle(nan), "triangle 2");
        row("stl inf", "e.stl", stlHeader(1) + stlTriangle(inf), "triangle 1");
        row("stl too large", "e.stl", stlHeader(1) + stlTriangle(3e10f), "coordinates beyond 10,000,000,000");
        row("stl without triangles", "e.stl", stlHeader(0), "no triangles");
        row("ascii stl cut off", "e.stl", "solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\n",
            "cut off");
        row("ascii stl word", "e.stl", "solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 zero 0\n", "line 4");
        row("ascii stl nan", "e.stl", "solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 nan 0\n", "line 4");
        row("ply header cut", "e.ply", "ply\nformat ascii 1.0\nelement vertex 3\n", "header");
        row("ply without format", "e.ply", "ply\nelement vertex 3\nend_header\n", "does not say its PLY format");
        row("ply absurd count", "e.ply",
            "ply\nformat binary_little_endian 1.0\nelement vertex 4000000000\nproperty float x\nproperty float y\n"
            "property float z\nelement face 1\nproperty list uchar int vertex_indices\nend_header\nabc",
            "cut off");
        row("ply negative count", "e.ply", "ply\nformat ascii 1.0\nelement vertex -3\nend_header\n", "line 3");
        row("ply vertices cut", "e.ply", plyHead + "0 0 0\n1 0 0\n", "ends after 2");
        row("ply too few numbers", "e.ply", plyHead + "0 0 0\n1 0\n0 1 0\n3 0 1 2\n", "line 11");
        row("ply index out of range", "e.ply", plyHead + "0 0 0\n1 0 0\n0 1 0\n3 0 1 7\n", "only 3");
        row("ply negative index", "e.ply", plyHead + "0 0 0\n1 0 0\n0 1 0\n3 0 1 -1\n", "line 13");
        row("ply nan", "e.ply", plyHead + "0 0 0\nnan 0 0\n0 1 0\n3 0 1 2\n", "vertex 2");
        row("ply too small", "e.ply", plyHead + "0 0 0\n1e-12 0 0\n0 1e-12 0\n3 0 1 2\n", "too small");
        row("ply without x", "e.ply", "ply\nformat ascii 1.0\nelement vertex 1\nproperty float y\nend_header\n0\n",
            "x, y and z");
        row("ply points only", "e.ply",
            "ply\nformat ascii 1.0\nelement vertex 1\nproperty float x\nproperty float y\nproperty float "
            "z\nend_header\n0 0 0\n",
            "no triangles");
        row("ply list longer than the file", "e.ply",
            "ply\nformat binary_little_endian 1.0\nelement vertex 1\nproperty float x\nproperty float y\nproperty "
            "float z\n"
            "element face 1\nproperty list uint int vertex_indices\nend_header\n" +
                std::string(12, '\0') + bytesOf(std::uint32_t(0xffffffff)) + std::string(12, '\0'),
            "cut off");
        row("obj word for a number", "e.obj", "v 0 0 0\nv 1 zero 0\n", "line 2");
        row("obj nan", "e.obj", "v 0 0 0\nv nan 0 0\nv 0 1 0\nf 1 2 3\n", "line 2");
        row("obj index out of range", "e.obj", "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 4\n", "only 3");
        row("obj index too far back", "e.obj", "v 0 0 0\nv 1 0 0\nv 0 1 0\nf -1 -2 -4\n", "only 3");
        row("obj index zero", "e.obj", "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 0 1 2\n", "line 4");
        row("obj missing uv", "e.obj", "v 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nf 1/1 2/2 3/1\n", "texture coordinate");
        row("obj without faces", "e.obj", "v 0 0 0\nv 1 0 0\n", "no faces");
        row("glb cut off", "e.glb", "glTF" + bytesOf(std::uint32_t(2)) + bytesOf(std::uint32_t(4000)) + "rest",
            "cut off");
        row("glb rubbish", "e.glb",
            "glTF" + bytesOf(std::uint32_t(2)) + bytesOf(std::uint32_t(28)) + bytesOf(std::uint32_t(8)) +
                bytesOf(std::uint32_t(0x4e4f534a)) + "nojson!!",
            "no valid glTF");
        row("gltf broken json", "e.gltf", "{\"asset\":{\"version\":\"2.0\"},", "cut off");
        row("gltf accessor beyond its buffer", "e.gltf",
            R"({"asset":{"version":"2.0"},"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0}],"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],
               "accessors":[{"bufferView":0,"componentType":5126,"count":900000000,"type":"VEC3"}],"bufferViews":[{"buffer":0,"byteLength":4}],
               "buffers":[{"byteLength":4,"uri":"data:application/octet-stream;base64,AAAAAA=="}]})",
            "beyond its buffer");
        row("gltf with only a missing buffer", "e.gltf",
            R"({"asset":{"version":"2.0"},"scenes":[{"nodes":[0]}],"nodes":[{"mesh":0}],"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],
               "accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3"}],"bufferViews":[{"buffer":0,"byteLength":36}],
               "buffers":[{"byteLength":36,"uri":"nowhere.bin"}]})",
            "nowhere.bin");
        row("gltf node in a circle", "e.gltf",
            R"({"asset":{"version":"2.0"},"scenes":[{"nodes":[0]}],"nodes":[{"children":[1]},{"children":[0]}]})",
            "circle");
        row("gltf needing an extension", "e.gltf",
            R"({"asset":{"version":"2.0"},"extensionsRequired":["KHR_draco_mesh_compression"]})",
            "KHR_draco_mesh_compression");
    }
    void saysWhatIsWrongAndWhatToDo() {
        QFETCH(QString, name);
        QFETCH(QByteArray, bytes);
        QFETCH(QString, place);
        const auto path = m_folder.write(name.toStdString(), bytes.toStdString());
        const QString said = test::errorOf([&] { readMesh(path, Progress()); });
        QVERIFY2(said.contains(name), qPrintable("names the file: " + said));
        QVERIFY2(said.contains(place), qPrintable("names the place: " + said));
        QVERIFY2(said.contains("xport") || said.contains("copy") || said.contains("choose") || said.contains("open ") ||
                     said.contains("cut off"),
                 qPrintable("names the remedy: " + said));
    }

    void saysSoOfMissingFilesFoldersAndForbiddenOnes() {
        QVERIFY(test::errorOf([&] { readMesh(m_folder / "none.obj", Progress()); }).contains("does not exist"));
        QVERIFY(test::errorOf([&] { readMesh(m_folder.path(), Progress()); }).contains("folder"));
        const auto path = m_folder.write("secret.obj", "v 0 0 0\n");
        ::chmod(path.c_str(), 0);
        if (::access(path.c_str(), R_OK) != 0)  // root may read everything
            QVERIFY(test::errorOf([&] { readMesh(path, Progress()); }).contains("permissions"));
    }

    void leavesTheOldFileWhenWritingFails() {
        const Mesh sheet = test::makeSheet(60, 60);
        const auto path = m_folder.write("keep.stl", "precious");
        // A limit on file sizes stands for the full disk.
        const rlimit small{20000, RLIM_INFINITY};
        rlimit before{};
        ::getrlimit(RLIMIT_FSIZE, &before);
        ::signal(SIGXFSZ, SIG_IGN);
        ::setrlimit(RLIMIT_FSIZE, &small);
        const QString said = test::errorOf([&] { writeMesh(sheet, path, Progress()); });
        ::setrlimit(RLIMIT_FSIZE, &before);
        QVERIFY(said.contains("keep.stl"));
        QCOMPARE(test::contentOf(path), std::string("precious"));
        // Nothing half-written is left beside it.
        QCOMPARE(std::distance(std::filesystem::directory_iterator(m_folder.path()), {}),
                 std::ptrdiff_t(filesWritten()));
    }

    void leavesTheOldFileWhenCancelled() {
        const auto path = m_folder.write("keep2.ply", "precious");
        const Progress progress;
        progress.cancel();
        QVERIFY_EXCEPTION_THROWN(writeMesh(test::makeSheet(9, 9), path, progress), Cancelled);
        QCOMPARE(test::contentOf(path), std::string("precious"));
    }

    void saysSoOfFoldersThatAreNotThere() {
        const QString said =
            test::errorOf([&] { writeMesh(test::makeSheet(1, 1), m_folder / "no/where.stl", Progress()); });
        QVERIFY(said.contains("does not exist"));
    }

    // Files with random bytes changed, cut or doubled: an answer or a sentence, never a crash.
    void survivesRandomDamage() {
        const Mesh mesh = test::makeBox({1, 1, 1}, 3);
        test::Numbers number(5);
        int refused = 0;
        for (const char* name : {"d.obj", "d.ply", "d.stl", "d.glb", "d.gltf"}) {
            const auto path = m_folder / name;
            writeMesh(mesh, path, Progress());
            const std::string whole = test::contentOf(path);
            for (int round = 0; round < 150; ++round) {
                m_folder.write(name, test::damaged(whole, number));
                if (!test::errorOf([&] { readMesh(path, Progress()); }).isEmpty()) ++refused;
            }
        }
        QVERIFY(refused > 100);
    }

private:
    std::size_t filesWritten() const {
        std::size_t count = 0;
        for (const auto& entry : std::filesystem::directory_iterator(m_folder.path()))
            count += entry.path().string().find("partial") == std::string::npos ? 1 : 0;
        return count;
    }

    test::Folder m_folder;
};

UM_TEST(BrokenFilesTest)
#include "BrokenFilesTest.moc"

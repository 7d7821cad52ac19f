#include "files/MeshFile.h"
#include "files/TriangleStream.h"
#include "mesh/Statistics.h"
#include "tests/support/Files.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <QStringConverter>
#include <QTest>

using namespace um;
using test::bytesOf;

namespace {

MeshFile read(const std::filesystem::path& path) {
    return readMesh(path, Progress());
}

std::string joinedNotes(const MeshFile& file) {
    std::string all;
    for (const auto* sentences : {&file.notes, &file.remarks})
        for (const std::string& note : *sentences) all += note + "\n";
    return all;
}

// A unit square of two triangles as a binary PLY, its vertices with a property the reader does not know between x and
// y.
std::string binaryPly(bool bigEndian) {
    std::string bytes =
        std::string("ply\nformat binary_") + (bigEndian ? "big" : "little") +
        "_endian 1.0\ncomment unit: cm\nelement vertex 4\nproperty double x\nproperty short confidence\n"
        "property float y\nproperty float z\nelement face 2\nproperty list uchar int vertex_indices\nend_header\n";
    const double corners[4][2] = {{0, 0}, {1, 0}, {1, 1}, {0, 1}};
    for (const auto& [x, y] : corners)
        bytes += bytesOf(x, bigEndian) + bytesOf(std::int16_t(77), bigEndian) + bytesOf(float(y), bigEndian) +
                 bytesOf(0.25f, bigEndian);
    for (const auto& face : {std::array<std::int32_t, 3>{0, 1, 2}, std::array<std::int32_t, 3>{0, 2, 3}}) {
        bytes += char(3);
        for (const std::int32_t index : face) bytes += bytesOf(index, bigEndian);
    }
    return bytes;
}

}  // namespace

class ReadersTest : public QObject {
    Q_OBJECT

private slots:
    // Text editors of some systems write UTF-16, and a byte order mark before UTF-8 too.
    void readsTextWithAByteOrderMark() {
        const QString mtl = "newmtl G\u00f6ldner\nKd 0.5 0.25 0.125\n";
        const QString obj = "v 0 0 0\nv 1 0 0\nv 0 1 0\nmtllib a.mtl\nusemtl G\u00f6ldner\nf 1 2 3\n";
        const auto encoded = [](const QString& text, QStringConverter::Encoding encoding) {
            QStringEncoder encode(encoding, QStringConverter::Flag::WriteBom);
            const QByteArray bytes = encode(text);
            return bytes.toStdString();
        };
        using Encoding = QStringConverter::Encoding;
        for (const Encoding encoding : {Encoding::Utf8, Encoding::Utf16LE, Encoding::Utf16BE}) {
            m_folder.write("a.mtl", encoded(mtl, encoding));
            const Mesh mesh = readMesh(m_folder.write("a.obj", encoded(obj, encoding)), Progress()).mesh;
            QCOMPARE(mesh.triangleCount(), std::size_t(1));
            QCOMPARE(mesh.materials[mesh.sections[0].material].name, std::string("G\xc3\xb6ldner"));
        }
        std::string cut = encoded(obj, Encoding::Utf16LE);
        cut.pop_back();
        const auto path = m_folder.write("cut.obj", cut);
        QVERIFY(test::errorOf([&] { readMesh(path, Progress()); }).contains("UTF-16"));
        const auto whole = m_folder.write("whole.obj", encoded(obj, Encoding::Utf16LE));
        QVERIFY(test::errorOf([&] { openTriangleStream(whole); }).contains("UTF-16"));
    }

    void readsAnObjWithGroupsMaterialsAndPolygons() {
        m_folder.write("kit.mtl", "newmtl oak\nKd 0.5 0.25 0.125\nd 0.5\nnewmtl iron\nKd 0.1 0.1 0.1\nPm 1\nPr 0.3\n");
        const auto path = m_folder.write("kit.OBJ",
                                         "# a comment\nmtllib kit.mtl\n"
                                         "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 2 0 0\nv 2 1 0\n"
                                         "vt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nvn 0 0 1\n"
                                         "g plank\nusemtl oak\nf 1/1/1 2/2/1 3/3/1 4/4/1\n"
                                         "g nail\nusemtl iron\nf -5/2/1 -2/1/1 -1/4/1 -4/3/1\n");
        const MeshFile file = read(path);
        QCOMPARE(file.format, MeshFormat::Obj);
        QCOMPARE(file.mesh.triangleCount(), std::size_t(4));
        QCOMPARE(file.mesh.vertexCount(), std::size_t(6));  // the groups share an edge
        QCOMPARE(file.mesh.parts.size(), std::size_t(2));
        QCOMPARE(file.mesh.parts[1].name, std::string("nail"));
        QCOMPARE(file.mesh.materials[0].name, std::string("oak"));
        QCOMPARE(file.mesh.materials[0].baseColor, (std::array<float, 4>{0.5f, 0.25f, 0.125f, 0.5f}));
        QCOMPARE(file.mesh.materials[1].metallic, 1.0f);
        QVERIFY(file.notes.empty() && file.remarks[0].find("2 polygons") != std::string::npos);
        QVERIFY(test::wedgesBelongToOneVertex(file.mesh));
        QVERIFY(!file.mesh.unitStated);
        // The plank's UVs are its own x and y, whichever way it was cut.
        for (TriangleId t = 0; t < 2; ++t)
            for (std::size_t c = 0; c < 3; ++c)
                QCOMPARE(file.mesh.uvs[file.mesh.wedgesOf(t)[c]],
                         Vec2f(file.mesh.positions[file.mesh.triangles[t][c]].head<2>()));
    }

    void goesOnWithoutItsMaterialFile() {
        const auto path =
            m_folder.write("lost.obj", "mtllib nowhere.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl rust\nf 1 2 3\n");
        const MeshFile file = read(path);
        QCOMPARE(file.mesh.triangleCount(), std::size_t(1));
        QCOMPARE(file.mesh.materials[0].name, std::string("rust"));
        QVERIFY(joinedNotes(file).find("nowhere.mtl") != std::string::npos);
    }

    void readsVertexColorsOfAnObj() {
        const auto path = m_folder.write("c.obj", "v 0 0 0 1 0 0\nv 1 0 0 0 1 0\nv 0 1 0 0 0 1\nf 1 2 3\n");
        QCOMPARE(read(path).mesh.colors[1], (Color{0, 255, 0, 255}));
    }

    void readsAnObjThatIsLargerThanAChunk() {
        // Some 9 MB of text, so that groups, relative indices and faces cross chunk borders.
        std::string text;
        const Mesh sheet = test::makeSheet(220, 300);
        for (const Vec3f& p : sheet.positions)
            text +=
                "v " + std::to_string(p.x()) + " " + std::to_string(p.y()) + " " + std::to_string(p.z()) + "        \n";
        const auto count = long(sheet.vertexCount());
        for (std::size_t t = 0; t < sheet.triangleCount(); ++t) {
            if (t == 50000) text += "o second\n";
            text += "f";
            for (const VertexId v : sheet.triangles[t])
                text += " " + (t % 2 == 0 ? std::to_string(v + 1) : std::to_string(long(v) - count));
            text += "                \n";
        }
        const MeshFile file = read(m_folder.write("large.obj", text));
        QCOMPARE(file.mesh.triangles, sheet.triangles);
        QCOMPARE(file.mesh.parts.size(), std::size_t(2));
        QCOMPARE(file.mesh.sections[1].firstTriangle, TriangleId(50000));
    }

    void readsPlyOfBothByteOrders() {
        for (const bool big : {false, true}) {
            const MeshFile file = read(m_folder.write("square.ply", binaryPly(big)));
            QCOMPARE(file.mesh.vertexCount(), std::size_t(4));
            QCOMPARE(file.mesh.positions[2], Vec3f(1, 1, 0.25f));
            QCOMPARE(file.mesh.triangles[1], (Triangle{0, 2, 3}));
            QCOMPARE(file.mesh.metresPerUnit, 0.01);
            QVERIFY(file.mesh.unitStated);
        }
    }

    void readsAsciiPlyWithColorsAndPolygons() {
        const auto path =
            m_folder.write("house.ply",
                           "ply\r\nformat ascii 1.0\r\nelement vertex 5\r\nproperty float x\r\nproperty float "
                           "y\r\nproperty float z\r\n"
                           "property uchar red\r\nproperty uchar green\r\nproperty uchar blue\r\nelement face 2\r\n"
                           "property uchar flags\r\nproperty list uchar uint vertex_index\r\nelement edge "
                           "1\r\nproperty int a\r\nend_header\r\n"
                           "0 0 0 1 2 3\r\n2 0 0 4 5 6\r\n2 2 0 7 8 9\r\n1 3 0 10 11 12\r\n0 2 0 13 14 15\r\n9 5 0 1 2 "
                           "3 4\r\n0 2 0 1\r\n7\r\n");
        const MeshFile file = read(path);
        QCOMPARE(file.mesh.triangleCount(), std::size_t(3));
        QCOMPARE(file.mesh.colors[3], (Color{10, 11, 12, 255}));
        const QString notes = QString::fromStdString(joinedNotes(file));
        QVERIFY2(notes.contains("1 polygon was cut") && notes.contains("fewer than three"), qPrintable(notes));
    }

    void readsBinaryStlThatBeginsWithSolid() {
        std::string bytes = "solid made by a careless exporter";
        bytes.resize(80, ' ');
        bytes += bytesOf(std::uint32_t(2));
        const float corners[2][9] = {{0, 0, 0, 1, 0, 0, 1, 1, 0}, {0, 0, 0, 1, 1, 0, 0, 1, 0}};
        for (const auto& corner : corners) {
            bytes += std::string(12, '\0');
            for (const float x : corner) bytes += bytesOf(x);
            bytes += std::string(2, '\0');
        }
        const MeshFile file = read(m_folder.write("square.StL", bytes));
        QCOMPARE(file.mesh.triangleCount(), std::size_t(2));
        QCOMPARE(file.mesh.vertexCount(), std::size_t(4));  // welded
        QVERIFY(!file.mesh.unitStated);
    }

    void readsAsciiStlWithSeveralSolids() {
        const std::string facet =
            "facet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\n";
        const MeshFile file = read(m_folder.write(
            "two.stl", "solid left\n" + facet + "endsolid left\nsolid right\n" + facet + facet + "endsolid\n"));
        QCOMPARE(file.mesh.parts.size(), std::size_t(2));
        QCOMPARE(trianglesByPart(file.mesh), (std::vector<std::size_t>{1, 2}));
    }

    void knowsAFileByItsContent() {
        const auto path = m_folder.write("actually_ply.stl", binaryPly(false));
        const MeshFile file = read(path);
        QCOMPARE(file.format, MeshFormat::Ply);
        QVERIFY(joinedNotes(file).find("named like STL but holds PLY") != std::string::npos);
    }

    void readsGltfNodesWithTransforms() {
        // One triangle used by two nodes: one moved, one mirrored and inside a scaled parent.
        const std::string data = "AAAAAAAAAAAAAAAAAACAPwAAAAAAAAAAAAAAAAAAgD8AAAAA";  // (0,0,0) (1,0,0) (0,1,0)
        const auto path =
            m_folder.write("nodes.gltf", R"({"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0,1]}],
            "nodes":[{"name":"moved","mesh":0,"translation":[10,0,0]},
                     {"scale":[2,2,2],"children":[2]},{"name":"mirrored","mesh":0,"scale":[-1,1,1]}],
            "meshes":[{"primitives":[{"attributes":{"POSITION":0},"material":0}]}],
            "materials":[{"name":"shell","pbrMetallicRoughness":{"baseColorFactor":[0.1,0.2,0.3,1],"roughnessFactor":0.4}}],
            "accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3","min":[0,0,0],"max":[1,1,0]}],
            "bufferViews":[{"buffer":0,"byteLength":36}],
            "buffers":[{"byteLength":36,"uri":"data:application/octet-stream;base64,)" +
                                             data + R"("}]})");
        const MeshFile file = read(path);
        const Mesh& mesh = file.mesh;
        QCOMPARE(mesh.parts.size(), std::size_t(2));
        QCOMPARE(mesh.parts[0].name, std::string("moved"));
        QCOMPARE(mesh.positions[mesh.triangles[0][1]], Vec3f(11, 0, 0));
        Box3f second;
        for (const VertexId v : mesh.triangles[1]) second.extend(mesh.positions[v]);
        QCOMPARE(second.min(), Vec3f(-2, 0, 0));
        QCOMPARE(second.max(), Vec3f(0, 2, 0));
        // Mirroring would turn the triangle over; its winding makes up for that.
        QCOMPARE(test::trianglesFacingAway(mesh, {0, 0, 1}), std::size_t(0));
        QCOMPARE(mesh.materials[0].name, std::string("shell"));
        QCOMPARE(mesh.materials[0].roughness, 0.4f);
        QVERIFY(mesh.unitStated);
    }

    void goesOnWithoutAMissingBuffer() {
        const std::string data = "AAAAAAAAAAAAAAAAAACAPwAAAAAAAAAAAAAAAAAAgD8AAAAA";
        const auto path =
            m_folder.write("half.gltf", R"({"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0,1]}],
            "nodes":[{"name":"here","mesh":0},{"name":"gone","mesh":1}],
            "meshes":[{"primitives":[{"attributes":{"POSITION":0}}]},{"primitives":[{"attributes":{"POSITION":1}}]}],
            "accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3"},{"bufferView":1,"componentType":5126,"count":3,"type":"VEC3"}],
            "bufferViews":[{"buffer":0,"byteLength":36},{"buffer":1,"byteLength":36}],
            "buffers":[{"byteLength":36,"uri":"data:application/octet-stream;base64,)" +
                                            data + R"("},{"byteLength":36,"uri":"gone.bin"}]})");
        const MeshFile file = read(path);
        QCOMPARE(file.mesh.parts.size(), std::size_t(1));
        QCOMPARE(file.mesh.parts[0].name, std::string("here"));
        QVERIFY(joinedNotes(file).find("gone.bin") != std::string::npos);
    }

    void bringsBackWhatItWrote_data() {
        QTest::addColumn<QString>("name");
        for (const char* name : {"a.obj", "a.ply", "a.stl", "a.gltf", "a.glb", "a.GLB"}) QTest::newRow(name) << name;
    }
    void bringsBackWhatItWrote() {
        QFETCH(QString, name);
        const bool isStl = name.endsWith("stl"), isPly = name.endsWith("ply");
        const Mesh before = partsWithEverything();
        const auto path = m_folder / name.toStdString();
        writeMesh(before, path, Progress());
        const Mesh after = read(path).mesh;
        QCOMPARE(after.triangleCount(), before.triangleCount());
        // The parts share five vertices; those of a glTF stand apart.
        QCOMPARE(after.vertexCount(), before.vertexCount() + (name.contains("gl", Qt::CaseInsensitive) ? 5 : 0));
        for (std::size_t t = 0; t < before.triangleCount(); ++t)
            for (std::size_t c = 0; c < 3; ++c) {
                QCOMPARE(after.positions[after.triangles[t][c]], before.positions[before.triangles[t][c]]);
                if (isStl) continue;
                const WedgeId w = before.wedgesOf(TriangleId(t))[c], x = after.wedgesOf(TriangleId(t))[c];
                QVERIFY((after.uvs[x] - before.uvs[w]).norm() < 1e-6f);
                QVERIFY((after.normals[x] - before.normals[w]).norm() < 1e-6f);
                QCOMPARE(after.colors[x], before.colors[w]);
            }
        QVERIFY(after.unitStated);
        if (isStl || isPly) return;
        QCOMPARE(after.parts.size(), std::size_t(2));
        QCOMPARE(after.parts[1].name, before.parts[1].name);
        QCOMPARE(after.materials[1].baseColor, before.materials[1].baseColor);
        QCOMPARE(after.materials[1].roughness, before.materials[1].roughness);
        QCOMPARE(after.sections[1].material, before.sections[1].material);
    }

    void writesTheSameBytesEveryTime() {
        const Mesh mesh = partsWithEverything();
        writeMesh(mesh, m_folder / "one.glb", Progress());
        writeMesh(mesh, m_folder / "two.glb", Progress());
        QCOMPARE(test::contentOf(m_folder / "one.glb"), test::contentOf(m_folder / "two.glb"));
    }

    void turnsUnitsIntoMetresInGltf() {
        Mesh mesh = test::makeBox({20, 20, 20}, 1);
        mesh.metresPerUnit = 0.001;
        mesh.unitStated = true;
        writeMesh(mesh, m_folder / "mm.glb", Progress());
        QVERIFY(std::abs(boundingBox(read(m_folder / "mm.glb").mesh).sizes().x() - 0.02f) < 1e-7f);
        writeMesh(mesh, m_folder / "mm.ply", Progress());
        const Mesh ply = read(m_folder / "mm.ply").mesh;
        QCOMPARE(boundingBox(ply).sizes().x(), 20.0f);
        QCOMPARE(ply.metresPerUnit, 0.001);
    }

    void givesSmoothNormalsToGltf() {
        writeMesh(test::makeSphere(1, 8), m_folder / "smooth.glb", Progress());
        const Mesh mesh = read(m_folder / "smooth.glb").mesh;
        for (std::size_t t = 0; t < mesh.triangleCount(); ++t)
            for (std::size_t c = 0; c < 3; ++c)
                QVERIFY(mesh.normals[mesh.wedgesOf(TriangleId(t))[c]].dot(mesh.positions[mesh.triangles[t][c]]) >
                        0.99f);
    }

    void stopsReadingWhenCancelled() {
        writeMesh(test::makeSheet(400, 400), m_folder / "big.stl", Progress());
        const Progress progress;
        progress.cancel();
        QVERIFY_EXCEPTION_THROWN(readMesh(m_folder / "big.stl", progress), Cancelled);
    }

    void moves() {
        writeMesh(test::makeSheet(300, 300), m_folder / "p.ply", Progress());
        const Progress progress;
        readMesh(m_folder / "p.ply", progress);
        QCOMPARE(progress.fraction(), 1.0);
    }

private:
    // Two parts of two materials, with a UV seam, hard normals and colours.
    static Mesh partsWithEverything() {
        Mesh mesh = test::makeSheet(4, 2);
        mesh.parts = {{"near"}, {"far side"}};
        mesh.materials.resize(2);
        mesh.materials[0].name = "one";
        mesh.materials[1].name = "two";
        mesh.materials[1].baseColor = {0.125f, 0.5f, 0.75f, 1};
        mesh.materials[1].roughness = 0.25f;
        mesh.sections = {{0, 0, 0, 8}, {1, 1, 8, 8}};
        mesh.unitStated = true;
        test::addUvsWithSeam(mesh, 0.5);
        for (std::size_t w = 0; w < mesh.uvs.size(); ++w) {
            const bool first = mesh.uvs[w].x() < 5;
            mesh.normals.push_back(first ? Vec3f(0, 1, 0) : Vec3f(0.6f, 0.8f, 0));
        }
        mesh.colors.resize(mesh.uvs.size());
        for (std::size_t t = 0; t < mesh.triangleCount(); ++t)
            for (std::size_t c = 0; c < 3; ++c) {
                const auto v = std::uint8_t(mesh.triangles[t][c]);
                mesh.colors[mesh.wedges[t][c]] = {v, std::uint8_t(2 * v), 200, 255};
            }
        return mesh;
    }

    test::Folder m_folder;
};

UM_TEST(ReadersTest)
#include "ReadersTest.moc"

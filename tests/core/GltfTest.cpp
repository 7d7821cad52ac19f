// What glTF files may contain, case by case; each file is written out here.
#include "base/Json.h"
#include "files/Gltf.h"
#include "files/Image.h"
#include "files/MeshFile.h"
#include "tests/support/Files.h"
#include "tests/support/GltfBuilder.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <fstream>
#include <QTest>

using namespace um;
using test::bytesOf;
using Builder = test::GltfBuilder;

namespace {

const std::vector<float> square = {0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0};

}  // namespace

class GltfTest : public QObject {
    Q_OBJECT

private slots:
    void readsIndicesOfEveryWidth() {
        for (const int type : {5121, 5123, 5125}) {
            Builder builder;
            const int positions = builder.positions(square);
            const int indices = type == 5121   ? builder.data<std::uint8_t>({0, 1, 2, 0, 2, 3}, type, "SCALAR", 1)
                                : type == 5123 ? builder.data<std::uint16_t>({0, 1, 2, 0, 2, 3}, type, "SCALAR", 1)
                                               : builder.data<std::uint32_t>({0, 1, 2, 0, 2, 3}, type, "SCALAR", 1);
            builder.primitive({{"attributes", {{"POSITION", positions}}}, {"indices", indices}});
            const Mesh mesh = builder.read(m_folder, "width").mesh;
            QCOMPARE(mesh.triangleCount(), std::size_t(2));
            QCOMPARE(mesh.vertexCount(), std::size_t(4));
            QCOMPARE(mesh.triangles[1], (Triangle{0, 2, 3}));
        }
    }

    void readsStripsAndFansFacingOneWay() {
        for (const int mode : {5, 6}) {
            Builder builder;
            // A strip zigzags, a fan goes round.
            const std::vector<float> strip = {0, 0, 0, 1, 0, 0, 0, 1, 0, 1, 1, 0, 0, 2, 0};
            const std::vector<float> fan = {0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0, -1, 1, 0};
            builder.primitive(
                {{"attributes", {{"POSITION", builder.positions(mode == 5 ? strip : fan)}}}, {"mode", mode}});
            const Mesh mesh = builder.read(m_folder, "mode").mesh;
            QCOMPARE(mesh.triangleCount(), std::size_t(3));
            QCOMPARE(test::trianglesFacingAway(mesh, {0, 0, 1}), std::size_t(0));
        }
    }

    void leavesLinesOutAndSaysSo() {
        Builder builder;
        const int positions = builder.positions(square);
        builder.primitive({{"attributes", {{"POSITION", positions}}}, {"mode", 1}});
        builder.primitive({{"attributes", {{"POSITION", positions}}}, {"mode", 6}});
        const MeshFile file = builder.read(m_folder, "lines");
        QCOMPARE(file.mesh.triangleCount(), std::size_t(2));
        QVERIFY(!file.notes.empty() && file.notes[0].find("lines or points") != std::string::npos);
    }

    void readsInterleavedAttributes() {
        Builder builder;
        std::string packed;
        for (std::size_t v = 0; v < 4; ++v) {
            for (std::size_t c = 0; c < 3; ++c) packed += bytesOf(square[3 * v + c]);
            for (const float uv : {square[3 * v] / 2, square[3 * v + 1] / 4}) packed += bytesOf(uv);
        }
        const int view = builder.view(packed, 20);
        const int positions = builder.accessor(view, 5126, "VEC3", 4);
        const int uvs = builder.accessor(view, 5126, "VEC2", 4, 12);
        builder.primitive({{"attributes", {{"POSITION", positions}, {"TEXCOORD_0", uvs}}}, {"mode", 6}});
        const Mesh mesh = builder.read(m_folder, "interleaved").mesh;
        for (std::size_t t = 0; t < 2; ++t)
            for (std::size_t c = 0; c < 3; ++c) {
                const Vec3f& p = mesh.positions[mesh.triangles[t][c]];
                // v runs upwards here, downwards there.
                QCOMPARE(mesh.uvs[mesh.wedgesOf(TriangleId(t))[c]], Vec2f(p.x() / 2, 1 - p.y() / 4));
            }
    }

    void readsNormalisedIntegers() {
        Builder builder;
        const int positions = builder.positions(square);
        const int colors =
            builder.data<std::uint16_t>({65535, 0, 0, 0, 65535, 0, 0, 0, 65535, 32768, 32768, 32768}, 5123, "VEC3", 3);
        builder.json["accessors"][std::size_t(colors)]["normalized"] = true;
        const int normals = builder.data<std::int8_t>({0, 0, 127, 0, 0, 127, 0, 0, 127, 0, 0, 127}, 5120, "VEC3", 3);
        builder.json["accessors"][std::size_t(normals)]["normalized"] = true;
        builder.primitive(
            {{"attributes", {{"POSITION", positions}, {"COLOR_0", colors}, {"NORMAL", normals}}}, {"mode", 6}});
        const Mesh mesh = builder.read(m_folder, "normalised").mesh;
        const auto colorAt = [&](const Vec3f& place) {
            for (std::size_t t = 0; t < 2; ++t)
                for (std::size_t c = 0; c < 3; ++c)
                    if (mesh.positions[mesh.triangles[t][c]] == place)
                        return mesh.colors[mesh.wedgesOf(TriangleId(t))[c]];
            return Color{};
        };
        QCOMPARE(colorAt({1, 0, 0}), (Color{0, 255, 0, 255}));
        QCOMPARE(colorAt({0, 1, 0}), (Color{128, 128, 128, 255}));
        for (const Vec3f& n : mesh.normals) QVERIFY((n - Vec3f(0, 0, 1)).norm() < 1e-6f);
    }

    void readsSparseAccessors() {
        Builder builder;
        const int positions = builder.positions(square);
        const int indices = builder.view(bytesOf(std::uint16_t(2)));
        const int values = builder.view(bytesOf(5.0f) + bytesOf(6.0f) + bytesOf(7.0f));
        builder.json["accessors"][std::size_t(positions)]["sparse"] = {
            {"count", 1},
            {"indices", {{"bufferView", indices}, {"componentType", 5123}}},
            {"values", {{"bufferView", values}}}};
        builder.primitive({{"attributes", {{"POSITION", positions}}}, {"mode", 6}});
        const Mesh mesh = builder.read(m_folder, "sparse").mesh;
        QVERIFY(std::find(mesh.positions.begin(), mesh.positions.end(), Vec3f(5, 6, 7)) != mesh.positions.end());
        QVERIFY(std::find(mesh.positions.begin(), mesh.positions.end(), Vec3f(1, 1, 0)) == mesh.positions.end());
    }

    // Accessors of compressed primitives have no buffer view; the bytes lie in the file, beside it, or in a data URI.
    void readsCompressedPrimitivesWhereverTheirBytesLie() {
        Mesh sphere = test::makeSphere(1, 12);
        for (const Vec3f& p : sphere.positions) sphere.uvs.emplace_back(p.x(), p.y());
        writeGltfLevels({&sphere}, {}, m_folder / "packed.glb", true, GltfPacking::Draco, Progress());
        writeGltfLevels({&sphere}, {}, m_folder / "packed.gltf", false, GltfPacking::Draco, Progress());
        Json json = Json::parse(test::contentOf(m_folder / "packed.gltf"));
        for (const Json& accessor : json["accessors"]) QVERIFY(!accessor.contains("bufferView"));
        const QString uri = QString::fromStdString(json["buffers"][0]["uri"].get<std::string>());
        QVERIFY(uri.startsWith("data:"));
        m_folder.write("the bytes.bin", QByteArray::fromBase64(uri.mid(uri.indexOf(',') + 1).toLatin1()).toStdString());
        json["buffers"][0]["uri"] = "the%20bytes.bin";
        m_folder.write("beside.gltf", json.dump());
        for (const char* name : {"packed.glb", "packed.gltf", "beside.gltf"}) {
            const MeshFile file = readMesh(m_folder / name, Progress());
            QCOMPARE(file.mesh.triangleCount(), sphere.triangleCount());
            QCOMPARE(file.mesh.vertexCount(), sphere.vertexCount());
            for (TriangleId t = 0; t < file.mesh.triangleCount(); ++t)
                for (std::size_t k = 0; k < 3; ++k) {
                    const Vec3f& p = file.mesh.positions[file.mesh.triangles[t][k]];
                    const Vec2f& uv = file.mesh.uvs[file.mesh.wedgesOf(t)[k]];
                    QVERIFY(std::abs(p.norm() - 1) < 1e-3f && (uv - Vec2f(p.x(), p.y())).norm() < 1e-3f);
                }
        }
        QCOMPARE(readMesh(m_folder / "beside.gltf", Progress()).companions.size(), std::size_t(1));
        std::filesystem::remove(m_folder / "the bytes.bin");
        const QString said = test::errorOf([&] { readMesh(m_folder / "beside.gltf", Progress()); });
        QVERIFY2(said.contains("the bytes.bin"), qPrintable(said));
    }

    void placesNodesByRotationAndMatrix() {
        Builder builder;
        builder.primitive({{"attributes", {{"POSITION", builder.positions({0, 0, 0, 1, 0, 0, 0, 1, 0})}}}});
        // A quarter turn about z, and a matrix that moves by (0, 0, 9).
        builder.json["nodes"] = {{{"mesh", 0}, {"rotation", {0, 0, std::sqrt(0.5), std::sqrt(0.5)}}},
                                 {{"mesh", 0}, {"matrix", {1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 9, 1}}}};
        builder.json["scenes"][0]["nodes"] = {0, 1};
        const Mesh mesh = builder.read(m_folder, "placed").mesh;
        QVERIFY((mesh.positions[mesh.triangles[0][1]] - Vec3f(0, 1, 0)).norm() < 1e-6f);
        QCOMPARE(mesh.positions[mesh.triangles[1][1]], Vec3f(1, 0, 9));
        QCOMPARE(mesh.parts.size(), std::size_t(2));
    }

    void groupsPrimitivesByMaterial() {
        Builder builder;
        const int left = builder.positions({0, 0, 0, 1, 0, 0, 0, 1, 0}),
                  right = builder.positions({1, 0, 0, 1, 1, 0, 0, 1, 0});
        builder.json["materials"] = {{{"name", "a"}},
                                     {{"name", "b"}, {"emissiveFactor", {0, 1, 0}}, {"doubleSided", true}}};
        builder.primitive({{"attributes", {{"POSITION", left}}}, {"material", 1}});
        builder.primitive({{"attributes", {{"POSITION", right}}}, {"material", 0}});
        builder.primitive({{"attributes", {{"POSITION", right}}}});  // none: a default one
        const Mesh mesh = builder.read(m_folder, "materials").mesh;
        QCOMPARE(mesh.sections.size(), std::size_t(3));
        QCOMPARE(mesh.materials.size(), std::size_t(3));
        QCOMPARE(mesh.materials[1].emission, (std::array<float, 3>{0, 1, 0}));
        QVERIFY(mesh.materials[1].doubleSided);
        QCOMPARE(mesh.sections[0].material, std::uint32_t(0));
        QCOMPARE(mesh.vertexCount(), std::size_t(4));  // they meet along an edge
    }

    void keepsOtherPrimitivesWhenOneIsBroken() {
        Builder builder;
        const int good = builder.positions(square);
        const int bad = builder.accessor(99, 5126, "VEC3", 3);
        builder.primitive({{"attributes", {{"POSITION", good}}}, {"mode", 6}});
        builder.primitive({{"attributes", {{"POSITION", bad}}}});
        const MeshFile file = builder.read(m_folder, "one_bad");
        QCOMPARE(file.mesh.triangleCount(), std::size_t(2));
        QVERIFY(!file.notes.empty() &&
                file.notes[0].find("Left out: 1 primitive that could not be read") != std::string::npos);
    }

    void saysWhatIsNotCarriedAlong() {
        Builder builder;
        builder.primitive({{"attributes", {{"POSITION", builder.positions(square)}}}, {"mode", 6}});
        builder.json["animations"] = {{{"channels", Json::array()}, {"samplers", Json::array()}}};
        const MeshFile file = builder.read(m_folder, "animated");
        QCOMPARE(file.notes.size(), std::size_t(1));
        QVERIFY(file.notes[0].find("animations") != std::string::npos);
    }

    void keepsSkinAndBlendShapes() {
        Mesh bar = test::makeBox({4, 1, 1}, 4);
        bar.metresPerUnit = 0.5;
        bar.uvs.assign(bar.vertexCount(), Vec2f(0.25f, 0.5f));
        bar.secondUvs.assign(bar.vertexCount(), Vec2f(0.75f, 0.125f));
        Joint joint;
        joint.name = "root";
        joint.local = joint.inverseBind = {1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 2, 0, 1};
        bar.skeleton = {joint, joint};
        bar.skeleton[1].name = "tip";
        bar.skeleton[1].parent = 0;
        bar.morphs = {{"wide", {}}};
        for (const Vec3f& p : bar.positions) {
            const float second = std::clamp(p.x() / 4 + 0.5f, 0.0f, 1.0f);
            bar.influences.push_back({{0, 1, 0, 0}, {1 - second, second, 0, 0}});
            bar.morphs[0].offsets.push_back({0, 0, p.z()});
        }
        const auto path = m_folder / "skin.glb";
        writeMesh(bar, path, Progress());
        const Mesh back = readMesh(path, Progress()).mesh;
        QCOMPARE(back.vertexCount(), bar.vertexCount());
        QCOMPARE(back.skeleton.size(), std::size_t(2));
        QCOMPARE(back.skeleton[1].name, std::string("tip"));
        QCOMPARE(back.skeleton[1].parent, 0);
        QCOMPARE(back.skeleton[1].local[13], 1.0f);  // two units of half a metre
        QCOMPARE(back.morphs.size(), std::size_t(1));
        QCOMPARE(back.morphs[0].name, std::string("wide"));
        QVERIFY(!back.secondUvs.empty() && (back.secondUvs[0] - Vec2f(0.75f, 0.125f)).norm() < 1e-6f);
        for (std::size_t v = 0; v < back.vertexCount(); ++v) {
            const Vec3f p = back.positions[v] * 2;
            const float second = std::clamp(p.x() / 4 + 0.5f, 0.0f, 1.0f);
            float found = 0;
            for (std::size_t i = 0; i < 4; ++i)
                if (back.influences[v].joints[i] == 1) found += back.influences[v].weights[i];
            QVERIFY(std::abs(found - second) < 1e-6f);
            QVERIFY((back.morphs[0].offsets[v] * 2 - Vec3f(0, 0, p.z())).norm() < 1e-6f);
        }
    }

    void doesNotWeldLipsThatMoveApart() {
        // Two squares that meet along an edge; one follows the first joint, the other the second.
        Mesh lips = test::joined(test::makeSheet(1, 1), test::moved(test::makeSheet(1, 1), {1, 0, 0}));
        lips.parts.resize(1);
        lips.sections = {{0, 0, 0, 4}};
        lips.skeleton.resize(2);
        for (Joint& joint : lips.skeleton)
            joint.local = joint.inverseBind = {1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1};
        for (std::size_t v = 0; v < 8; ++v)
            lips.influences.push_back({{std::uint16_t(v < 4 ? 0 : 1), 0, 0, 0}, {1, 0, 0, 0}});
        writeMesh(lips, m_folder / "lips.glb", Progress());
        QCOMPARE(readMesh(m_folder / "lips.glb", Progress()).mesh.vertexCount(), std::size_t(8));
        lips.influences.assign(8, {{0, 0, 0, 0}, {1, 0, 0, 0}});
        writeMesh(lips, m_folder / "lips.glb", Progress());
        QCOMPARE(readMesh(m_folder / "lips.glb", Progress()).mesh.vertexCount(), std::size_t(6));
    }

    void writesTangentsWhereTheSourceHadThem() {
        Mesh sheet = test::makeSheet(2, 2);
        for (const Vec3f& p : sheet.positions) {
            sheet.uvs.emplace_back(p.x(), p.z());
            sheet.normals.emplace_back(0.0f, 1.0f, 0.0f);
        }
        for (const bool wanted : {true, false}) {
            sheet.wantsTangents = wanted;
            writeMesh(sheet, m_folder / "tangents.gltf", Progress());
            const Json json = Json::parse(test::contentOf(m_folder / "tangents.gltf"));
            QCOMPARE(json["meshes"][0]["primitives"][0]["attributes"].contains("TANGENT"), wanted);
            QCOMPARE(readMesh(m_folder / "tangents.gltf", Progress()).mesh.wantsTangents, wanted);
        }
    }

    void worksTextureTransformsIntoTheUvs() {
        Mesh sheet = test::makeSheet(1, 1);
        for (const Vec3f& p : sheet.positions) sheet.uvs.emplace_back(p.x(), 1 - p.z());  // in the file: x, z
        Image image;
        image.width = image.height = 1;
        image.texels = {{200, 100, 50, 255}};
        sheet.textures.push_back({"dot", "image/png", std::make_shared<const std::string>(pngOf(image)), 1, 1});
        sheet.materials[0].baseColorTexture.texture = 0;
        sheet.materials[0].normalTexture.texture = 0;
        sheet.materials[0].alpha = Material::Alpha::Mask;
        sheet.materials[0].alphaCutoff = 0.25f;
        writeMesh(sheet, m_folder / "moved.gltf", Progress());
        Json json = Json::parse(test::contentOf(m_folder / "moved.gltf"));
        const Json transform = {{"offset", {0.5, 0.25}}, {"scale", {2, 4}}, {"rotation", pi / 2}};
        Json& material = json["materials"][0];
        for (Json* use : {&material["pbrMetallicRoughness"]["baseColorTexture"], &material["normalTexture"]})
            (*use)["extensions"]["KHR_texture_transform"] = transform;
        json["extensionsUsed"] = {"KHR_texture_transform"};
        std::ofstream(m_folder / "moved.gltf") << json.dump();
        const MeshFile moved = readMesh(m_folder / "moved.gltf", Progress());
        QVERIFY(moved.notes.empty());
        QCOMPARE(moved.mesh.materials[0].alpha, Material::Alpha::Mask);
        QCOMPARE(moved.mesh.materials[0].alphaCutoff, 0.25f);
        for (TriangleId t = 0; t < moved.mesh.triangleCount(); ++t)
            for (std::size_t k = 0; k < 3; ++k) {
                const Vec3f& p = moved.mesh.positions[moved.mesh.triangles[t][k]];
                const Vec2f& uv = moved.mesh.uvs[moved.mesh.wedgesOf(t)[k]];
                // (2 x, 4 z) turned by a quarter: u takes v's, v takes u's, negative.
                QVERIFY((uv - Vec2f(4 * p.z() + 0.5f, 1 - (-2 * p.x() + 0.25f))).norm() < 1e-5f);
            }
        material["normalTexture"].erase("extensions");
        std::ofstream(m_folder / "moved.gltf") << json.dump();
        QVERIFY(QString::fromStdString(readMesh(m_folder / "moved.gltf", Progress()).notes.front())
                    .contains("another way"));
    }

    // In glTF green points up in the picture: n x t * w is up where the picture stands upright on the surface.
    void writesTheSideThatGreenPointsTo() {
        Mesh sheet = test::makeSheet(2, 1, 2, 1);
        for (const Vec3f& p : sheet.positions) {
            sheet.uvs.emplace_back(std::abs(p.x() - 1), -p.z());  // seen from above, the right half is upright
            sheet.normals.emplace_back(0.0f, 1.0f, 0.0f);
        }
        sheet.wantsTangents = true;
        writeMesh(sheet, m_folder / "mirrored.gltf", Progress());
        const Json json = Json::parse(test::contentOf(m_folder / "mirrored.gltf"));
        const Json& attributes = json["meshes"][0]["primitives"][0]["attributes"];
        const std::string bytes = [&] {
            const std::string uri = json["buffers"][0]["uri"];
            return QByteArray::fromBase64(QByteArray::fromStdString(uri.substr(uri.find(',') + 1))).toStdString();
        }();
        const auto floatsOf = [&](const char* name) {
            const Json& accessor = json["accessors"][attributes[name].get<std::size_t>()];
            const std::size_t offset = json["bufferViews"][accessor["bufferView"].get<std::size_t>()]["byteOffset"];
            std::vector<float> values(accessor["count"].get<std::size_t>() * (accessor["type"] == "VEC4" ? 4 : 3));
            std::memcpy(values.data(), bytes.data() + offset, 4 * values.size());
            return values;
        };
        const std::vector<float> tangents = floatsOf("TANGENT"), positions = floatsOf("POSITION");
        std::size_t upright = 0, mirrored = 0;
        for (std::size_t v = 0; v < tangents.size() / 4; ++v) {
            const Vec3f t(tangents[4 * v], tangents[4 * v + 1], tangents[4 * v + 2]);
            const Vec3f up = tangents[4 * v + 3] * Vec3f(0, 1, 0).cross(t);
            QVERIFY((up - Vec3f(0, 0, -1)).norm() < 1e-5f);
            QVERIFY(std::abs(std::abs(t.x()) - 1) < 1e-5f);
            (t.x() > 0 ? upright : mirrored) += 1;
            QVERIFY(t.x() > 0 ? positions[3 * v] > 0.99f : positions[3 * v] < 1.01f);
        }
        QCOMPARE(upright, mirrored);
        QVERIFY(upright >= 4);
    }

    void writesWhatTheFormatAsksFor() {
        Mesh mesh = test::makeSheet(3, 3);
        test::addUvsWithSeam(mesh, 0.5);
        mesh.materials[0].baseColor[3] = 0.5f;
        mesh.materials[0].alpha = Material::Alpha::Blend;
        writeMesh(mesh, m_folder / "out.gltf", Progress());
        const Json json = Json::parse(test::contentOf(m_folder / "out.gltf"));
        QCOMPARE(json["asset"]["version"].get<std::string>(), std::string("2.0"));
        QCOMPARE(json["materials"][0]["alphaMode"].get<std::string>(), std::string("BLEND"));
        const Json& primitive = json["meshes"][0]["primitives"][0];
        const Json& positions = json["accessors"][primitive["attributes"]["POSITION"].get<std::size_t>()];
        QCOMPARE(positions["count"].get<std::size_t>(), mesh.wedgeCount());
        QVERIFY(positions["min"] == Json({0.0, 0.0, 0.0}) && positions["max"] == Json({1.0, 0.0, 1.0}));
        const Json& indices = json["accessors"][primitive["indices"].get<std::size_t>()];
        QCOMPARE(indices["count"].get<std::size_t>(), std::size_t(54));
        for (const Json& view : json["bufferViews"]) QCOMPARE(view["byteOffset"].get<int>() % 4, 0);
        writeMesh(mesh, m_folder / "out.glb", Progress());
        const std::string bytes = test::contentOf(m_folder / "out.glb");
        std::uint32_t stated = 0;
        std::memcpy(&stated, bytes.data() + 8, 4);
        QCOMPARE(std::size_t(stated), bytes.size());
        QCOMPARE(bytes.size() % 4, std::size_t(0));
    }

private:
    test::Folder m_folder;
};

UM_TEST(GltfTest)
#include "GltfTest.moc"

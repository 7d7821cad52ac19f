// What a mesh looks like, from files that keep it apart from the mesh: an OBJ's materials with all of their maps, and
// the textures of scans in PLY.
#include "files/Image.h"
#include "files/MeshFile.h"
#include "files/TextureMix.h"
#include "tests/support/Files.h"
#include "tests/support/TestMain.h"

#include <QTest>
#include <set>

using namespace um;

namespace {

using Texel = std::array<std::uint8_t, 4>;

Image plainImage(int width, int height, const Texel& texel) {
    return {width, height, texel[3] < 255, std::vector<Texel>(std::size_t(width) * std::size_t(height), texel)};
}

Image imageOf(const Mesh& mesh, const TextureUse& use) {
    return decodeImage(*mesh.textures.at(std::size_t(use.texture)).bytes, "test");
}

const char* const objText =
    "mtllib m.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nusemtl A\nf 1/1 2/2 3/3\n";

const std::string plyVertices =
    "property float x\nproperty float y\nproperty float z\nproperty uchar red\nproperty uchar green\n"
    "property uchar blue\n";

}  // namespace

class MaterialFilesTest : public QObject {
    Q_OBJECT

private slots:
    void putsRoughnessAndMetalnessTogether() {
        const test::Folder folder;
        folder.write("rough.png", pngOf(plainImage(2, 2, {90, 90, 90, 255})));
        folder.write("metal.png", pngOf(plainImage(4, 4, {200, 200, 200, 255})));
        const MeshFile file = readWith(folder,
                                       "newmtl A\nPr 0.3\nPm 0\nmap_Pr rough.png\nmap_Pm metal.png\nnewmtl B\nPm 0.25\n"
                                       "map_Pr rough.png\n");
        QVERIFY2(file.notes.empty(), file.notes.empty() ? "" : file.notes[0].c_str());
        const Material &a = file.mesh.materials[0], &b = file.mesh.materials[1];
        const Image both = imageOf(file.mesh, a.metallicRoughnessTexture);
        QCOMPARE(both.width, 4);
        QCOMPARE(both.at(3, 3), (Texel{255, 90, 200, 255}));
        QCOMPARE(a.roughness, 1.0f);  // the maps say it all
        QCOMPARE(a.metallic, 1.0f);
        QCOMPARE(imageOf(file.mesh, b.metallicRoughnessTexture).at(0, 0), (Texel{255, 90, 255, 255}));
        QCOMPARE(b.metallic, 0.25f);
        QVERIFY(std::count(file.companions.begin(), file.companions.end(), folder / "metal.png") == 1);
    }

    void takesABumpMapOfNormalsForWhatItIs() {
        const test::Folder folder;
        folder.write("normal map.png", pngOf(plainImage(2, 2, {120, 131, 250, 255})));
        folder.write("height.png", pngOf(plainImage(2, 2, {128, 128, 128, 255})));
        const MeshFile file =
            readWith(folder, "newmtl A\nmap_Bump -bm 0.5 normal map.png\nnewmtl B\nbump height.png\n");
        QVERIFY(file.mesh.materials[0].normalTexture);
        QCOMPARE(file.mesh.materials[0].normalTexture.strength, 0.5f);
        QCOMPARE(file.remarks.size(), std::size_t(1));
        QVERIFY(!file.mesh.materials[1].normalTexture);
        QCOMPARE(file.notes.size(), std::size_t(1));  // a height map has no place
        QVERIFY(file.notes[0].starts_with("Height and other maps"));
    }

    void takesOpacityFromItsMap() {
        const test::Folder folder;
        Image leaf = plainImage(2, 2, {10, 200, 10, 255});
        leaf.hasAlpha = true;
        leaf.texels[0][3] = leaf.texels[3][3] = 0;
        folder.write("leaf.png", pngOf(leaf));
        folder.write("glass.png", pngOf(plainImage(2, 2, {0, 0, 250, 255})));
        folder.write("thin.png", pngOf(plainImage(2, 2, {100, 100, 100, 255})));
        folder.write("all.png", pngOf(plainImage(2, 2, {255, 255, 255, 255})));
        const MeshFile file = readWith(folder,
                                       "newmtl A\nmap_Kd leaf.png\nmap_d leaf.png\n"
                                       "newmtl B\nmap_Kd glass.png\nmap_d thin.png\n"
                                       "newmtl C\nmap_Kd glass.png\nmap_d all.png\n");
        const std::vector<Material>& materials = file.mesh.materials;
        QCOMPARE(materials[0].alpha, Material::Alpha::Mask);
        QCOMPARE(materials[1].alpha, Material::Alpha::Blend);
        QCOMPARE(imageOf(file.mesh, materials[1].baseColorTexture).at(1, 1), (Texel{0, 0, 250, 100}));
        QCOMPARE(materials[2].alpha, Material::Alpha::Opaque);
        QCOMPARE(file.mesh.textures[std::size_t(materials[2].baseColorTexture.texture)].name, std::string("glass"));
    }

    // Exporters leave it so.
    void doesNotLetABlackColourHideItsMap() {
        const test::Folder folder;
        folder.write("a.png", pngOf(plainImage(1, 1, {9, 9, 9, 255})));
        const MeshFile file = readWith(folder,
                                       "newmtl A\nKd 0 0 0\nKe 0 0 0\nmap_Kd a.png\nmap_ke a.png\n"
                                       "newmtl B\nKd 0 0 0\n");
        QCOMPARE(file.mesh.materials[0].baseColor, (std::array<float, 4>{1, 1, 1, 1}));
        QCOMPARE(file.mesh.materials[0].emission, (std::array<float, 3>{1, 1, 1}));
        QCOMPARE(file.mesh.materials[1].baseColor[0], 0.0f);
        QCOMPARE(file.mesh.textures.size(), std::size_t(1));
    }

    void takesTgaAsPng() {
        const test::Folder folder;
        const std::string tga = std::string("\0\0\2", 3) + std::string(9, '\0') + std::string("\1\0\1\0\x20\x28", 6);
        folder.write("red paint.TGA", tga + "\x01\x02\xfa\x80");
        folder.write("cut.tga", tga.substr(0, 16));
        const MeshFile file = readWith(folder, "newmtl A\nmap_Kd red paint.TGA\nnewmtl B\nmap_Kd cut.tga\n");
        const Texture& texture = file.mesh.textures.at(0);
        QCOMPARE(texture.mimeType, std::string("image/png"));
        QCOMPARE(texture.name, std::string("red paint"));
        QCOMPARE(decodeImage(*texture.bytes, "it").at(0, 0), (Texel{250, 2, 1, 128}));
        QCOMPARE(file.notes.size(), std::size_t(1));
        QVERIFY2(file.notes[0].find("cut.tga") != std::string::npos, file.notes[0].c_str());
    }

    void costsOnlyADamagedMap() {
        const test::Folder folder;
        const std::string whole = pngOf(plainImage(64, 64, {9, 8, 7, 255}));
        folder.write("rough.png", whole.substr(0, 60));
        folder.write("a.png", whole);
        const MeshFile file = readWith(folder, "newmtl A\nmap_Kd a.png\nmap_Pr rough.png\nPr 0.4\n");
        QVERIFY(file.mesh.materials[0].baseColorTexture && !file.mesh.materials[0].metallicRoughnessTexture);
        QCOMPARE(file.mesh.materials[0].roughness, 0.4f);
        QCOMPARE(file.notes.size(), std::size_t(1));
        QVERIFY2(file.notes[0].find("rough.png is damaged") != std::string::npos, file.notes[0].c_str());
    }

    void writesAllOfThemBack() {
        const test::Folder folder;
        Image leaf = plainImage(2, 2, {10, 200, 10, 255});
        leaf.hasAlpha = true;
        leaf.texels[0][3] = 0;
        leaf.texels[1][3] = 0;
        folder.write("leaf.png", pngOf(leaf));
        folder.write("rough.png", pngOf(plainImage(2, 2, {90, 90, 90, 255})));
        folder.write("metal.png", pngOf(plainImage(2, 2, {30, 30, 30, 255})));
        folder.write("n.png", pngOf(plainImage(2, 2, {128, 128, 255, 255})));
        const Mesh before = readWith(folder,
                                     "newmtl A\nmap_Kd leaf.png\nmap_d leaf.png\nmap_Pr rough.png\n"
                                     "map_Pm metal.png\nnorm n.png\n")
                                .mesh;
        const test::Folder other;
        writeMesh(before, other / "again.obj", Progress());
        const MeshFile after = readMesh(other / "again.obj", Progress());
        QVERIFY2(after.notes.empty(), after.notes.empty() ? "" : after.notes[0].c_str());
        const Material& material = after.mesh.materials[0];
        QCOMPARE(material.alpha, Material::Alpha::Mask);
        QCOMPARE(imageOf(after.mesh, material.metallicRoughnessTexture).at(1, 0), (Texel{255, 90, 30, 255}));
        QCOMPARE(imageOf(after.mesh, material.baseColorTexture).at(0, 0)[3], std::uint8_t(0));
        QVERIFY(material.normalTexture);
    }

    // A map in that format stands alone: what it is multiplied by here goes into it, for each material its own.
    void writesWhatAMapIsMultipliedBy() {
        const test::Folder folder, other;
        folder.write("rough.png", pngOf(plainImage(2, 2, {200, 200, 200, 255})));
        Mesh mesh = readWith(folder, "newmtl A\nmap_Pr rough.png\n").mesh;
        mesh.materials[0].roughness = 0.5f;
        mesh.materials[0].metallic = 0;
        mesh.materials.push_back(mesh.materials[0]);
        mesh.materials[1].name = "B";
        mesh.materials[1].roughness = 1;
        writeMesh(mesh, other / "again.obj", Progress());
        const Mesh after = readMesh(other / "again.obj", Progress()).mesh;
        QCOMPARE(imageOf(after, after.materials[0].metallicRoughnessTexture).at(0, 0), (Texel{255, 100, 0, 255}));
        QCOMPARE(imageOf(after, after.materials[1].metallicRoughnessTexture).at(0, 0), (Texel{255, 200, 0, 255}));
    }

    void writesAMeshWhoseMapIsDamaged() {
        const test::Folder folder, other;
        folder.write("rough.png", pngOf(plainImage(2, 2, {200, 200, 200, 255})));
        Mesh mesh = readWith(folder, "newmtl A\nmap_Pr rough.png\n").mesh;
        Texture& texture = mesh.textures[std::size_t(mesh.materials[0].metallicRoughnessTexture.texture)];
        texture.bytes = std::make_shared<const std::string>(texture.bytes->substr(0, 50));
        writeMesh(mesh, other / "again.obj", Progress());
        QCOMPARE(readMesh(other / "again.obj", Progress()).mesh.triangleCount(), std::size_t(1));
    }

    void tellsNormalsFromOtherImages() {
        QVERIFY(looksLikeNormals(plainImage(3, 3, {128, 128, 255, 255})));
        for (const Texel& other : {Texel{128, 128, 128, 255}, Texel{255, 255, 255, 255}, Texel{20, 30, 250, 255},
                                   Texel{0, 0, 0, 255}, Texel{200, 160, 120, 255}})
            QVERIFY(!looksLikeNormals(plainImage(3, 3, other)));
        QVERIFY(!looksLikeNormals(Image()));
    }

    void readsTexturedScans_data() {
        QTest::addColumn<bool>("isBinary");
        QTest::newRow("ascii") << false;
        QTest::newRow("binary") << true;
    }
    // UVs at the corners of faces, two textures, a square, and a face without any.
    void readsTexturedScans() {
        QFETCH(bool, isBinary);
        const test::Folder folder;
        folder.write("scan one.png", pngOf(plainImage(2, 2, {1, 2, 3, 255})));
        folder.write("two.png", pngOf(plainImage(2, 2, {4, 5, 6, 255})));
        const std::vector<std::array<float, 3>> points = {{0, 0, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}, {2, 0, 0}};
        struct PlyFace {
            std::vector<int> corners;
            std::vector<float> uvs;
            int texture;
        };
        const std::vector<PlyFace> faces = {{{0, 1, 2, 3}, {0, 0, 1, 0, 1, 1, 0, 1}, 1},
                                            {{1, 4, 2}, {0.5f, 0.25f, 0.75f, 0, 0, 1}, 0},
                                            {{0, 3, 4}, {}, -1}};
        std::string text = std::string("ply\nformat ") + (isBinary ? "binary_little_endian" : "ascii") +
                           " 1.0\ncomment TextureFile scan one.png\ncomment TextureFile two.png\nelement vertex 5\n" +
                           plyVertices +
                           "element face 3\nproperty list uchar int vertex_indices\n"
                           "property list uchar float texcoord\nproperty int texnumber\nend_header\n";
        for (std::size_t v = 0; v < points.size(); ++v) {
            if (isBinary) {
                for (const float x : points[v]) text += test::bytesOf(x);
                text += std::string(3, char(10 * v));
            } else {
                for (const float x : points[v]) text += std::to_string(x) + " ";
                for (int i = 0; i < 3; ++i) text += std::to_string(10 * v) + " ";
                text += "\n";
            }
        }
        for (const PlyFace& face : faces) {
            if (isBinary) {
                text += char(face.corners.size());
                for (const int corner : face.corners) text += test::bytesOf(corner);
                text += char(face.uvs.size());
                for (const float uv : face.uvs) text += test::bytesOf(uv);
                text += test::bytesOf(face.texture);
            } else {
                text += std::to_string(face.corners.size()) + " ";
                for (const int corner : face.corners) text += std::to_string(corner) + " ";
                text += std::to_string(face.uvs.size()) + " ";
                for (const float uv : face.uvs) text += std::to_string(uv) + " ";
                text += std::to_string(face.texture) + "\n";
            }
        }
        const MeshFile file = readMesh(folder.write("scan.ply", text), Progress());
        QVERIFY2(file.notes.empty(), file.notes.empty() ? "" : file.notes[0].c_str());
        const Mesh& mesh = file.mesh;
        QCOMPARE(mesh.triangleCount(), std::size_t(4));
        QCOMPARE(mesh.vertexCount(), std::size_t(5));
        QCOMPARE(mesh.textures.size(), std::size_t(2));
        QCOMPARE(mesh.sections.size(), std::size_t(3));
        QCOMPARE(mesh.materials[0].name, std::string("scan one"));
        for (const Section& section : mesh.sections) {
            const Triangle& wedges = mesh.wedgesOf(section.firstTriangle);
            const Triangle& corners = mesh.triangles[section.firstTriangle];
            if (section.material == 0) {
                QCOMPARE(mesh.materials[0].baseColorTexture.texture, 0);
                const auto at = std::size_t(std::find(corners.begin(), corners.end(), 4u) - corners.begin());
                QCOMPARE(mesh.uvs[wedges[at]], Vec2f(0.75f, 0));
                QCOMPARE(mesh.colors[wedges[at]][0], std::uint8_t(40));
            }
            if (section.material == 1) QCOMPARE(section.triangleCount, 2u);
            if (section.material == 2) QVERIFY(!mesh.materials[2].baseColorTexture);
        }
        // Vertex 2 lies at other places of the two images.
        QVERIFY(test::errorOf([&] { requireSound(mesh, "scan"); }).isEmpty());
        std::set<std::pair<float, float>> uvs;
        for (TriangleId t = 0; t < 4; ++t)
            for (std::size_t k = 0; k < 3; ++k)
                if (mesh.triangles[t][k] == 2)
                    uvs.insert({mesh.uvs[mesh.wedgesOf(t)[k]].x(), mesh.uvs[mesh.wedgesOf(t)[k]].y()});
        QCOMPARE(uvs, (std::set<std::pair<float, float>>{{0, 1}, {1, 1}}));
    }

    void saysWhenAScansTextureIsMissing() {
        const test::Folder folder;
        const auto path = folder.write(
            "s.ply",
            "ply\nformat ascii 1.0\ncomment TextureFile lost.png\nelement vertex 3\nproperty float x\nproperty float "
            "y\nproperty float z\nproperty float s\nproperty float t\nelement face 1\nproperty list uchar int "
            "vertex_indices\nend_header\n0 0 0 0 0\n1 0 0 1 0\n0 1 0 0 1\n3 0 1 2\n");
        const MeshFile lost = readMesh(path, Progress());
        QCOMPARE(lost.notes.size(), std::size_t(1));
        QVERIFY(lost.notes[0].find("lost.png") != std::string::npos);
        folder.write("lost.png", pngOf(plainImage(1, 1, {1, 1, 1, 255})));
        const MeshFile found = readMesh(path, Progress());
        QVERIFY(found.notes.empty() && found.mesh.materials[0].baseColorTexture);
    }

    void saysWhatIsWrongWithAScansFaces() {
        const test::Folder folder;
        const std::string head =
            "ply\nformat ascii 1.0\ncomment TextureFile a.png\nelement vertex 3\nproperty float x\nproperty float y\n"
            "property float z\nelement face 1\nproperty list uchar int vertex_indices\nproperty list uchar float "
            "texcoord\nend_header\n0 0 0\n1 0 0\n0 1 0\n";
        QVERIFY(errorOfReading(folder, head + "3 0 1 2 6 0 0 1 x 0 1\n").contains("line 15"));
        QVERIFY(errorOfReading(folder, head + "3 0 1 2 6 0 0 1\n").contains("line 15"));
        QVERIFY(errorOfReading(folder, head + "3 0 1 9 6 0 0 1 0 0 1\n").contains("a.ply"));
        // Fewer than corners: none are taken.
        QVERIFY(errorOfReading(folder, head + "3 0 1 2 2 0 0\n").isEmpty());
    }

private:
    static MeshFile readWith(const test::Folder& folder, const std::string& materials) {
        folder.write("m.mtl", materials);
        return readMesh(folder.write("m.obj", objText), Progress());
    }

    static QString errorOfReading(const test::Folder& folder, const std::string& text) {
        return test::errorOf([&] { readMesh(folder.write("a.ply", text), Progress()); });
    }
};

UM_TEST(MaterialFilesTest)
#include "MaterialFilesTest.moc"

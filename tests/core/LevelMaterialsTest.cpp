// What levels keep of their materials, and what is averaged in the place of what goes.
#include "base/Error.h"
#include "chain/Budget.h"
#include "chain/LevelMaterials.h"
#include "files/Image.h"
#include "tests/support/Files.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <QTest>

using namespace um;

namespace {

using Texel = std::array<std::uint8_t, 4>;

Texture textureOf(const std::string& name, int width, int height, const std::function<Texel(int, int)>& texel,
                  bool hasAlpha = false) {
    Image image{width, height, hasAlpha, {}};
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) image.texels.push_back(texel(x, y));
    return {name, "image/png", std::make_shared<const std::string>(pngOf(image)), width, height};
}

// A sheet of a metre, each half a part and a material of its own: the left one black and white in equal stripes, with a
// normal map; the right one plain red.
Mesh twoHalves() {
    Mesh mesh = test::makeSheet(8, 8);
    for (const Vec3f& p : mesh.positions) mesh.uvs.emplace_back(p.x(), p.z());
    mesh.normals.assign(mesh.positions.size(), Vec3f::UnitY());
    mesh.textures.push_back(textureOf("stripes", 64, 64, [](int, int y) {
        const std::uint8_t v = y % 2 == 0 ? 255 : 0;
        return Texel{v, v, v, 255};
    }));
    mesh.textures.push_back(textureOf("bumps", 64, 64, [](int, int) { return Texel{128, 128, 255, 255}; }));
    mesh.textures.push_back(textureOf("surface", 64, 64, [](int, int) { return Texel{0, 51, 255, 255}; }));
    Material striped, red;
    striped.name = "striped";
    striped.baseColor = {1, 0.5f, 1, 1};
    striped.roughness = 1;
    striped.metallic = 0.5f;
    striped.baseColorTexture.texture = 0;
    striped.normalTexture.texture = 1;
    striped.metallicRoughnessTexture.texture = 2;
    red.name = "red";
    red.baseColor = {1, 0, 0, 1};
    mesh.materials = {striped, red};
    mesh.parts = {{"left"}, {"right"}};
    mesh.wantsTangents = true;
    std::vector<std::uint16_t> sections;
    for (const Triangle& t : mesh.triangles)
        sections.push_back((mesh.positions[t[0]] + mesh.positions[t[1]] + mesh.positions[t[2]]).x() < 1.5f ? 0 : 1);
    mesh.sections = {{0, 0, 0, 0}, {1, 1, 0, 0}};
    groupBySections(mesh, sections);
    return mesh;
}

}  // namespace

class LevelMaterialsTest : public QObject {
    Q_OBJECT

private slots:
    void keepsLessAndLess() {
        const Mesh mesh = twoHalves();
        const Mesh all = withMaterials(mesh, MaterialKeeping::All, Progress());
        QCOMPARE(all.textures.size(), std::size_t(3));
        const Mesh plain = withMaterials(mesh, MaterialKeeping::NoFineMaps, Progress());
        QCOMPARE(plain.textures.size(), std::size_t(2));
        QVERIFY(!plain.materials[0].normalTexture && !plain.wantsTangents);
        QCOMPARE(plain.textures[std::size_t(plain.materials[0].metallicRoughnessTexture.texture)].name,
                 std::string("surface"));
        const Mesh base = withMaterials(mesh, MaterialKeeping::BaseColor, Progress());
        QCOMPARE(base.textures.size(), std::size_t(1));
        // Green is roughness (0.2 of 1), blue metalness (all of a half).
        QVERIFY(std::abs(base.materials[0].roughness - 0.2f) < 1e-4f);
        QVERIFY(std::abs(base.materials[0].metallic - 0.5f) < 1e-4f);
        QVERIFY(base.positions == mesh.positions && base.triangles == mesh.triangles);
    }

    void averagesLightAndNotNumbers() {
        const Mesh flat = withMaterials(twoHalves(), MaterialKeeping::Flat, Progress());
        QVERIFY(flat.textures.empty());
        // Half of the light, whatever sRGB numbers stand for it; times the factors.
        QVERIFY2(std::abs(flat.materials[0].baseColor[0] - 0.5f) < 0.02f,
                 qPrintable(QString::number(double(flat.materials[0].baseColor[0]))));
        QVERIFY(std::abs(flat.materials[0].baseColor[1] - 0.25f) < 0.01f);
        QCOMPARE(flat.materials[1].baseColor[0], 1.0f);
        QCOMPARE(flat.sections.size(), std::size_t(2));
    }

    void joinsAllIntoOneDrawCall() {
        const Mesh mesh = twoHalves();
        const Mesh joined = withMaterials(mesh, MaterialKeeping::OneSlot, Progress());
        requireSound(joined, "the joined");
        QCOMPARE(joined.sections.size(), std::size_t(1));
        QCOMPARE(joined.materials.size(), std::size_t(1));
        QCOMPARE(joined.triangleCount(), mesh.triangleCount());
        for (TriangleId t = 0; t < joined.triangleCount(); ++t) {
            const bool isRed = t >= mesh.sections[1].firstTriangle;
            for (const WedgeId w : joined.wedgesOf(t)) {
                QVERIFY(std::abs(int(joined.colors[w][1]) - (isRed ? 0 : 64)) <= 3);
                QVERIFY(std::abs(int(joined.colors[w][0]) - (isRed ? 255 : 128)) <= 5);
            }
        }
        // Both halves keep their own colour at the vertices that they share.
        QVERIFY(joined.colors.size() > mesh.vertexCount());
    }

    void shrinksTexturesToWhatIsSeen() {
        // 64 texels along a metre: at 20 px a metre 32 are enough, at 300 all of them.
        const Mesh mesh = twoHalves();
        const Mesh near = withFittingTextures(mesh, 300, Progress());
        QCOMPARE(near.textures[0].bytes, mesh.textures[0].bytes);
        const Mesh far = withFittingTextures(mesh, 20, Progress());
        for (const Texture& texture : far.textures) {
            QCOMPARE(texture.width, 32);
            const auto info = imageInfo(*texture.bytes);
            QVERIFY(info && info->width == 32 && info->height == 32);
        }
        const Image small = decodeImage(*far.textures[0].bytes, "stripes");
        QCOMPARE(int(small.at(5, 5)[0]), 188);  // half of the light
        QCOMPARE(int(decodeImage(*far.textures[1].bytes, "bumps").at(5, 5)[2]), 255);
    }

    void keepsTheBitsOfWhatItShrinks() {
        Mesh mesh = twoHalves();
        DeepImage slope{64, 64, false, {}};
        for (int i = 0; i < 64 * 64; ++i) slope.texels.push_back({std::uint16_t(30000 + i % 64), 32768, 65535, 65535});
        mesh.textures[2] = {"surface", "image/png", std::make_shared<const std::string>(pngOf(slope)), 64, 64, 16};
        const Texture small = withFittingTextures(mesh, 20, Progress()).textures[2];
        QCOMPARE(small.bits, 16);
        QCOMPARE(imageInfo(*small.bytes)->bits, 16);
        const DeepImage read = decodeDeepImage(*small.bytes, "small");
        for (int x = 0; x < 32; ++x) QVERIFY(std::abs(int(read.at(x, 9)[0]) - (30000 + 2 * x)) <= 1);
    }

    void averagesByWhatCanBeSeen() {
        Image image{2, 1, true, {{255, 0, 0, 255}, {0, 255, 0, 0}}};
        const Image one = shrunk(image, 1, 1, ImageMeaning::Light);
        QVERIFY(one.texels[0][0] > 250 && one.texels[0][1] < 5);  // nobody sees the green
        QCOMPARE(int(one.texels[0][3]), 128);
        image.hasAlpha = false;
        QCOMPARE(int(shrunk(image, 1, 1, ImageMeaning::Data).texels[0][0]), 128);
        // Two normals that lean apart: straight up, and of unit length.
        const Image leaning{2, 1, false, {{218, 128, 218, 255}, {37, 128, 218, 255}}};
        QCOMPARE(int(shrunk(leaning, 1, 1, ImageMeaning::Normals).texels[0][2]), 255);
        for (int v = 0; v < 256; ++v) QCOMPARE(int(valueOf(lightOf(std::uint8_t(v)))), v);
    }

    void saysWhatCannotBeRead() {
        Mesh mesh = twoHalves();
        mesh.textures[0].bytes = std::make_shared<const std::string>(mesh.textures[0].bytes->substr(0, 60));
        QVERIFY(test::errorOf([&] { withMaterials(mesh, MaterialKeeping::Flat, Progress()); }).contains("stripes"));
        QVERIFY(test::errorOf([] { parseMaterialKeeping("some"); }).contains("one slot"));
        for (const MaterialKeeping keeping :
             {MaterialKeeping::All, MaterialKeeping::NoFineMaps, MaterialKeeping::BaseColor, MaterialKeeping::Flat,
              MaterialKeeping::OneSlot})
            QVERIFY(parseMaterialKeeping(nameOf(keeping)) == keeping);
    }

    void holdsAgainstABudget() {
        const auto mesh = std::make_shared<const Mesh>(twoHalves());
        const std::vector<Level> levels = {makeLevel("LOD 0", "", mesh), makeLevel("LOD 1", "", mesh)};
        Budget budget = parseBudget("total=200, level=128, draws=1,textures=1MB");
        const std::vector<BudgetLine> lines = holdAgainst(budget, levels);
        QCOMPARE(lines[0].used, 256.0);
        QVERIFY(lines[0].isOver() && !lines[1].isOver() && lines[2].isOver() && !lines[3].isOver() &&
                !lines[4].isOver());
        // Three textures of 64 x 64, which both levels share: 4 bytes and a third a texel.
        QVERIFY(std::abs(lines[3].used - 3 * 64 * 64 * 16 / 3.0 / 1e6) < 1e-9);
        QCOMPARE(sentenceOf(lines[0]), std::string("Triangles: 256 of 200 allowed"));
        QCOMPARE(holdAgainst(budget, levels, 3e6)[4].used, 3.0);
        for (const char* text : {"much", "total=", "draws=none", "textures=8", "files=-1MB", "weight=3"})
            QVERIFY2(!test::errorOf([&] { parseBudget(text); }).isEmpty(), text);
    }
};

UM_TEST(LevelMaterialsTest)
#include "LevelMaterialsTest.moc"

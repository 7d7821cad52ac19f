// What a surface costs where it is seen: triangles for each pixel, texels for each pixel.
#include "base/Error.h"
#include "draw/Picture.h"
#include "files/Image.h"
#include "files/MeshFile.h"
#include "measure/PixelLoad.h"
#include "measure/Silhouette.h"
#include "measure/TexelUse.h"
#include "reduce/Reduce.h"
#include "tests/support/Files.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <QTest>

using namespace um;

namespace {

bool near(double a, double b, double tolerance) {
    return std::abs(a - b) <= tolerance;
}

// Looks down on a sheet, whose normals point up.
const Mat3d fromAbove = Direction{0, 90}.turn();

// A sheet of 2 x 1 with a texture of 256 x 256 over its whole width: 128 texels to a unit across, 256 along.
Mesh texturedSheet(int size = 256) {
    Mesh sheet = test::makeSheet(8, 8, 2, 1);
    for (const Vec3f& p : sheet.positions) sheet.uvs.emplace_back(p.x() / 2, p.z());
    Picture picture(size, size, {200, 120, 60});
    sheet.textures.push_back({"clay", "image/png", std::make_shared<const std::string>(pngOf(picture)), size, size});
    sheet.textures[0].wrapV = Texture::Wrap::Clamp;
    sheet.materials[0].baseColorTexture.texture = 0;
    return sheet;
}

}  // namespace

class CostTest : public QObject {
    Q_OBJECT

private slots:
    void countsPixelsOfAKnownGrid() {
        // 16 x 16 squares of two triangles, each square n pixels wide: n² / 2 pixels a triangle.
        const Mesh sheet = test::makeSheet(16, 16);
        for (const int n : {1, 2, 8, 20}) {
            const PixelLoad load = measurePixelLoad(sheet, fromAbove, 16.0 * n);
            QVERIFY2(near(load.pixelsPerTriangle, n * n / 2.0, 0.1 * n * n), qPrintable(QString::number(n)));
            QCOMPARE(load.underFour, n * n / 2.0 < leastPixels ? 1.0 : 0.0);
        }
    }

    void countsBlocksThatAreShadedTwice() {
        // One triangle as large as the picture wastes little: only blocks along its rim are shaded in part.
        const Mesh one = test::makeSheet(1, 1);
        const PixelLoad large = measurePixelLoad(one, fromAbove, 400);
        QVERIFY2(large.overdraw > 1 && large.overdraw < 1.03, qPrintable(QString::number(large.overdraw)));
        // Triangles of half a pixel: nearly each covers one pixel's middle or none, and shades a block of four for it.
        const PixelLoad tiny = measurePixelLoad(test::makeSheet(200, 200), fromAbove, 200);
        QVERIFY2(near(tiny.overdraw, 4, 0.1), qPrintable(QString::number(tiny.overdraw)));
        QCOMPARE(tiny.underFour, 1.0);
    }

    void leavesBacksOutUnlessTheyAreDrawn() {
        Mesh sheet = test::makeSheet(4, 4);
        const Mat3d fromBelow = Direction{0, -90}.turn();
        QCOMPARE(measurePixelLoad(sheet, fromBelow, 100).pixels, 0.0);
        sheet.materials[0].doubleSided = true;
        QVERIFY(measurePixelLoad(sheet, fromBelow, 100).pixels > 9500);
    }

    void costsLessAfterReduction() {
        const Mesh dense = test::makeSphere(1, 80), sparse = reduceMesh(dense, 400, {}, Progress()).mesh;
        const PixelLoad before = measurePixelLoad(dense, 26, 40, Progress());
        const PixelLoad after = measurePixelLoad(sparse, 26, 40, Progress());
        // A ball of 80 px: its disc has 5027 pixels, half of its 51,200 triangles face the viewer.
        QVERIFY2(near(before.pixels, pi * 40 * 40, 30), qPrintable(QString::number(before.pixels)));
        QVERIFY2(near(before.pixelsPerTriangle, pi * 40 * 40 / 25600, 0.01),
                 qPrintable(QString::number(before.pixelsPerTriangle)));
        QVERIFY(before.underFour > 0.99 && before.overdraw > 3);
        QVERIFY2(after.underFour < 0.1 && after.overdraw < 2,
                 qPrintable(QString("%1 %2").arg(after.underFour).arg(after.overdraw)));
    }

    void refusesPicturesThatAreTooLarge() {
        QVERIFY(test::errorOf([] { measurePixelLoad(test::makeSheet(2, 2), fromAbove, 1e6); }).contains("4,096"));
        const Progress progress;
        progress.cancel();
        QVERIFY_EXCEPTION_THROWN(measurePixelLoad(test::makeSphere(1, 5), 26, 40, progress), Cancelled);
    }

    void measuresTexelsAlongTheSurface() {
        const std::vector<TexelUse> uses = measureTexelUse(texturedSheet());
        QCOMPARE(uses.size(), std::size_t(1));
        QVERIFY(near(uses[0].density, std::sqrt(128.0 * 256.0), 0.01));
        QVERIFY(near(uses[0].low, uses[0].high, 0.01));
        QCOMPARE(uses[0].stretched, 0.0);  // twice as many one way as the other is the limit
        for (const float texels : texelsPerUnit(texturedSheet())) QVERIFY(near(double(texels), 181.02, 0.1));
    }

    void tellsWhichSizeWouldDo() {
        const TexelUse use = measureTexelUse(texturedSheet())[0];
        // At 181 pixels to a unit the texture is right; at a quarter of that, a quarter of the size is enough.
        QCOMPARE(use.enough(std::sqrt(128.0 * 256.0)), 256);
        QCOMPARE(use.enough(std::sqrt(128.0 * 256.0) / 4), 64);
        QCOMPARE(use.enough(200), 512);  // never too coarse
    }

    void findsStretchedPlaces() {
        // On the right half the texture is squeezed to a tenth of its width.
        Mesh sheet = texturedSheet();
        for (std::size_t v = 0; v < sheet.vertexCount(); ++v)
            if (sheet.positions[v].x() > 1) sheet.uvs[v].x() = 0.5f + (sheet.positions[v].x() / 2 - 0.5f) / 10;
        QVERIFY(near(measureTexelUse(sheet)[0].stretched, 0.5, 1e-6));
    }

    void hasNothingToSayWithoutTextures() {
        QVERIFY(measureTexelUse(test::makeSheet(3, 3)).empty());
        for (const float texels : texelsPerUnit(test::makeSheet(3, 3))) QCOMPARE(texels, 0.0f);
    }

    void carriesTexturesThroughFilesAndReduction() {
        const test::Folder folder;
        Mesh sheet = texturedSheet(64);
        sheet.materials[0].normalTexture = {0, false, 0.5f};
        const Mesh level = reduceMesh(sheet, 40, {}, Progress()).mesh;
        for (const char* name : {"sheet.glb", "sheet.gltf"}) {
            writeMesh(level, folder / name, Progress());
            const MeshFile file = readMesh(folder / name, Progress());
            QVERIFY(file.notes.empty());
            QCOMPARE(file.mesh.textures.size(), std::size_t(1));
            const Texture& texture = file.mesh.textures[0];
            QCOMPARE(*texture.bytes, *sheet.textures[0].bytes);
            QCOMPARE(texture.width, 64);
            QCOMPARE(texture.name, std::string("clay"));
            QVERIFY(texture.wrapU == Texture::Wrap::Repeat && texture.wrapV == Texture::Wrap::Clamp);
            QCOMPARE(file.mesh.materials[0].baseColorTexture.texture, 0);
            QCOMPARE(file.mesh.materials[0].normalTexture.strength, 0.5f);
            QVERIFY(!file.mesh.materials[0].occlusionTexture);
        }
    }

    void readsTexturesBesideAGltf() {
        // A triangle whose base colour lies in a file of its own, goes by the second UVs and is clamped; another
        // texture names a file that is not there.
        const test::Folder folder;
        const Mesh sheet = texturedSheet(16);
        folder.write("clay.png", *sheet.textures[0].bytes);
        writeMesh(sheet, folder / "plain.gltf", Progress());
        std::string text = test::contentOf(folder / "plain.gltf");
        const auto replace = [&](const std::string& from, const std::string& to) {
            const std::size_t at = text.find(from);
            if (at == std::string::npos) return false;
            text.replace(at, from.size(), to);
            return true;
        };
        const std::size_t images = text.find("\"images\""), end = text.find(']', images);
        QVERIFY(images != std::string::npos);
        text.replace(images, end + 1 - images, "\"images\": [{\"uri\": \"clay.png\"}, {\"uri\": \"gone.png\"}]");
        const std::size_t textures = text.find("\"textures\""), last = text.find(']', textures);
        text.replace(textures, last + 1 - textures, "\"textures\": [{\"source\": 0, \"sampler\": 0}, {\"source\": 1}]");
        QVERIFY(replace("\"baseColorTexture\"", "\"metallicRoughnessTexture\": {\"index\": 1}, \"baseColorTexture\""));
        folder.write("beside.gltf", text);
        const MeshFile file = readMesh(folder / "beside.gltf", Progress());
        QCOMPARE(file.mesh.textures.size(), std::size_t(1));
        QCOMPARE(*file.mesh.textures[0].bytes, *sheet.textures[0].bytes);
        QCOMPARE(file.mesh.textures[0].name, std::string("clay"));
        QCOMPARE(file.mesh.textures[0].mimeType, std::string("image/png"));
        QVERIFY(file.mesh.textures[0].wrapV == Texture::Wrap::Clamp);
        QVERIFY(!file.mesh.materials[0].metallicRoughnessTexture);
        QCOMPARE(file.notes.size(), std::size_t(1));
        QVERIFY2(file.notes[0].find("1 texture is missing") != std::string::npos, file.notes[0].c_str());
    }

    void tellsAnImagesSizeFromItsFirstBytes() {
        const Picture picture(37, 11, {1, 2, 3});
        const auto info = imageInfo(pngOf(picture));
        QVERIFY(info && info->width == 37 && info->height == 11 && info->mimeType == "image/png");
        QVERIFY(!imageInfo(pngOf(picture).substr(0, 12)));
    }

    void carriesTexturesThroughObj() {
        const test::Folder folder;
        Mesh sheet = texturedSheet(32);
        sheet.textures[0].name = "fired clay/red";  // no name for a file
        writeMesh(sheet, folder / "the jar.obj", Progress());
        const MeshFile file = readMesh(folder / "the jar.obj", Progress());
        QVERIFY2(file.notes.empty(), file.notes.empty() ? "" : file.notes[0].c_str());
        QCOMPARE(file.mesh.textures.size(), std::size_t(1));
        QCOMPARE(*file.mesh.textures[0].bytes, *sheet.textures[0].bytes);
        QCOMPARE(file.mesh.materials[0].baseColorTexture.texture, 0);
        folder.write("other.mtl", "newmtl a\nmap_Kd -s 2 2 nowhere.png\nmap_Bump x.png\ndisp y.png\n");
        folder.write("other.obj", "mtllib other.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl a\nf 1 2 3\n");
        const MeshFile other = readMesh(folder / "other.obj", Progress());
        QVERIFY(other.mesh.textures.empty() && !other.mesh.materials[0].baseColorTexture);
        QCOMPARE(other.notes.size(), std::size_t(2));  // missing, and not carried
        QVERIFY(other.notes[0].starts_with("2 textures are missing") &&
                other.notes[0].find("nowhere.png") != std::string::npos);
    }

    void findsTexturesThatMovedWithTheirMesh() {
        const test::Folder folder;
        folder.write("worn clay.png", pngOf(Picture(4, 4, {1, 2, 3})));
        folder.write("a.obj", "mtllib a.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl a\nf 1 2 3\n");
        for (const char* name : {"C:\\Art\\jar\\worn clay.png", "/home/someone/worn clay.png", "../no/worn clay.png"}) {
            folder.write("a.mtl", std::string("newmtl a\nmap_Kd ") + name + "\n");
            const MeshFile file = readMesh(folder / "a.obj", Progress());
            QVERIFY2(file.notes.empty() && file.mesh.textures.size() == 1, name);
        }
    }

    void leavesOutWhatIsNoImage() {
        const test::Folder folder;
        Mesh sheet = texturedSheet(64);
        sheet.textures[0].bytes = std::make_shared<const std::string>("no image at all");
        writeMesh(sheet, folder / "broken.glb", Progress());
        const MeshFile file = readMesh(folder / "broken.glb", Progress());
        QVERIFY(file.mesh.textures.empty() && !file.mesh.materials[0].baseColorTexture);
        QCOMPARE(file.notes.size(), std::size_t(1));
        const std::string whole = pngOf(Picture(64, 64, {1, 2, 3}));
        sheet.textures[0].bytes = std::make_shared<const std::string>(whole.substr(0, whole.size() / 2));
        writeMesh(sheet, folder / "cut.glb", Progress());
        const MeshFile cut = readMesh(folder / "cut.glb", Progress());
        QCOMPARE(cut.mesh.textures.size(), std::size_t(1));
        QVERIFY(cut.notes.size() == 1 && cut.notes[0].starts_with("1 texture is cut off"));
        QVERIFY(!imageInfo("") && !imageInfo("\x89PNG\r\n\x1a\n"));
    }
};

UM_TEST(CostTest)
#include "CostTest.moc"

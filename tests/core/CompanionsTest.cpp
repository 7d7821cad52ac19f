// The files beside a mesh that it is made of too: which they are, and that a change of any of them is a change of the
// mesh.
#include "base/File.h"
#include "files/Image.h"
#include "tests/support/ForeignFiles.h"
#include "tests/support/GltfBuilder.h"
#include "tests/support/TestMain.h"

#include <unistd.h>
#include <QTest>

using namespace um;

namespace {

const std::string objText =
    "mtllib boat.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nusemtl Hull\nf 1/1 2/2 3/3\n";
const std::string mtlText = "newmtl Hull\nKd 1 0 0\nmap_Kd my hull.png\nnewmtl Deck\nKd 0 1 0\nnorm deck.png\n";

std::string image(std::uint8_t red) {
    return pngOf(Image{1, 1, false, {{red, 0, 0, 255}}});
}

std::string hashOf(const std::filesystem::path& path) {
    return hashMeshFile(path, readMesh(path, Progress()).companions, Progress());
}

}  // namespace

class CompanionsTest : public QObject {
    Q_OBJECT

private slots:
    void knowsMaterialsAndTexturesOfAnObj() {
        const test::Folder folder;
        const auto path = writeBoat(folder);
        const MeshFile file = readMesh(path, Progress());
        QVERIFY(file.notes.empty());
        QVERIFY(isCompanion(file, folder / "boat.mtl"));
        QVERIFY(isCompanion(file, folder / "my hull.png"));
        QVERIFY(isCompanion(file, folder / "deck.png"));
    }

    void changesWithWhatLiesBesideIt() {
        const test::Folder folder;
        const auto path = writeBoat(folder);
        const std::string first = hashOf(path);
        QCOMPARE(hashOf(path), first);
        folder.write("deck.png", image(200));
        const std::string painted = hashOf(path);
        QVERIFY(painted != first);
        folder.write("boat.mtl", mtlText + "newmtl More\n");
        const std::string edited = hashOf(path);
        QVERIFY(edited != painted);
        std::filesystem::remove(folder / "deck.png");
        const std::string without = hashOf(path);
        QVERIFY(without != edited);
        // One that is missing is waited for.
        folder.write("deck.png", image(200));
        QCOMPARE(hashOf(path), edited);
        folder.write("elsewhere.png", image(1));
        QCOMPARE(hashOf(path), edited);
    }

    void isTheSameInAnotherFolder() {
        const test::Folder folder, other;
        QCOMPARE(hashOf(writeBoat(folder)), hashOf(writeBoat(other)));
    }

    void isTheFileAloneWhereNothingLiesBesideIt() {
        const test::Folder folder;
        const auto path = folder.write("plain.obj", "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n");
        QVERIFY(readMesh(path, Progress()).companions.empty());
        QCOMPARE(hashOf(path), hashFile(path, Progress()));
    }

    void anEmptyTextureCostsOnlyItself() {
        const test::Folder folder;
        const auto path = writeBoat(folder);
        folder.write("deck.png", "");
        const MeshFile file = readMesh(path, Progress());
        QCOMPARE(file.notes.size(), std::size_t(1));
        QVERIFY2(file.notes[0].find("deck.png") != std::string::npos, file.notes[0].c_str());
        QCOMPARE(file.mesh.materials.size(), std::size_t(2));
        QCOMPARE(file.mesh.textures.size(), std::size_t(1));
        QCOMPARE(file.mesh.materials[0].baseColor[0], 1.0f);
        QVERIFY(!hashOf(path).empty());
    }

    void oneThatMayNotBeReadIsAsGoodAsMissing() {
        const test::Folder folder;
        const auto path = writeBoat(folder);
        std::filesystem::remove(folder / "deck.png");
        std::filesystem::create_directory(folder / "deck.png");
        const MeshFile file = readMesh(path, Progress());
        QCOMPARE(file.notes.size(), std::size_t(1));
        QCOMPARE(file.mesh.textures.size(), std::size_t(1));
        QVERIFY(!hashOf(path).empty());
        if (geteuid() == 0) return;  // who may read everything
        std::filesystem::permissions(folder / "my hull.png", std::filesystem::perms::none);
        QVERIFY(readMesh(path, Progress()).mesh.textures.empty());
        QVERIFY(!hashOf(path).empty());
    }

    // Blanks and other letters are written as %20 there.
    void findsWhatGltfNames() {
        const test::Folder folder;
        test::GltfBuilder builder;
        builder.primitive(
            {{"attributes", {{"POSITION", builder.positions({0, 0, 0, 1, 0, 0, 0, 1, 0})}}}, {"material", 0}});
        folder.write("große jar.bin", builder.bytes);
        folder.write("red paint.png", image(255));
        builder.json["buffers"] = {{{"byteLength", builder.bytes.size()}, {"uri", "gro%C3%9Fe%20jar.bin"}}};
        builder.json["images"] = {{{"uri", "red%20paint.png"}}};
        builder.json["textures"] = {{{"source", 0}}};
        builder.json["materials"] = {{{"pbrMetallicRoughness", {{"baseColorTexture", {{"index", 0}}}}}}};
        const auto path = folder.write("jar.gltf", builder.json.dump());
        const MeshFile file = readMesh(path, Progress());
        QVERIFY2(file.notes.empty(), file.notes.empty() ? "" : file.notes[0].c_str());
        QCOMPARE(file.mesh.triangleCount(), std::size_t(1));
        QCOMPARE(file.mesh.textures.size(), std::size_t(1));
        QCOMPARE(file.mesh.textures[0].name, std::string("red paint"));
        QCOMPARE(file.companions.size(), std::size_t(2));
        QVERIFY(isCompanion(file, folder / "große jar.bin") && isCompanion(file, folder / "red paint.png"));
        const std::string before = hashOf(path);
        folder.write("red paint.png", image(254));
        QVERIFY(hashOf(path) != before);
        // And says by name what it does not find.
        std::filesystem::remove(folder / "große jar.bin");
        QVERIFY(test::errorOf([&] { readMesh(path, Progress()); }).contains("jar.gltf"));
    }

    void knowsTexturesOfForeignFormats() {
        const test::Folder folder;
        std::string text = test::colladaPlate();
        const auto replace = [&](const std::string& old, const std::string& by) {
            const std::size_t at = text.find(old);
            QVERIFY2(at != std::string::npos, old.c_str());
            text.replace(at, old.size(), by);
        };
        replace("<color>0.5 0.25 0.75 1</color>", "<texture texture=\"i\" texcoord=\"UV\"/>");
        replace("<library_effects>",
                "<library_images><image id=\"i\"><init_from>cloth.png</init_from></image></library_images>"
                "<library_effects>");
        const auto path = folder.write("plate.dae", text);
        folder.write("cloth.png", image(7));
        const MeshFile file = readMesh(path, Progress());
        QVERIFY(isCompanion(file, folder / "cloth.png"));
    }

private:
    static std::filesystem::path writeBoat(const test::Folder& folder) {
        folder.write("boat.mtl", mtlText);
        folder.write("my hull.png", image(100));
        folder.write("deck.png", image(100));
        return folder.write("boat.obj", objText);
    }

    static bool isCompanion(const MeshFile& file, const std::filesystem::path& path) {
        return std::find(file.companions.begin(), file.companions.end(), path) != file.companions.end();
    }
};

UM_TEST(CompanionsTest)
#include "CompanionsTest.moc"

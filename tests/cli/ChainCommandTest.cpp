#include "chain/Recipe.h"
#include "files/Image.h"
#include "files/MeshFile.h"
#include "tests/support/Programs.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <QTest>

using namespace um;
using test::contains;
using test::Json;
using test::Outcome;
using test::umesh;

class ChainCommandTest : public QObject {
    Q_OBJECT

private slots:
    void initTestCase() { m_sphere = test::writeSphere(m_folder); }

    void makesAChainInFilesOfTheirOwn() {
        const std::string out = (m_folder / "chain").string(), recipe = (m_folder / "recipe.json").string();
        const Outcome outcome = umesh({"chain", m_sphere, out, "--levels", "3", "--first", "3k", "--ratio", "0.25",
                                       "--pattern", "{name}/lod{n}", "--save-recipe", recipe, "--json", "-"});
        QCOMPARE(outcome.code, 0);
        const Json json = Json::parse(outcome.out);
        QCOMPARE(json["levels"].size(), std::size_t(3));
        const int counts[] = {3000, 750, 188};
        for (std::size_t i = 0; i < 3; ++i) {
            const std::filesystem::path file =
                std::filesystem::path(out) / json["levels"][i]["file"].get<std::string>();
            QCOMPARE(file.filename().string(), "lod" + std::to_string(i) + ".glb");
            QCOMPARE(int(readMesh(file, Progress()).mesh.triangleCount()), counts[i]);
        }
        QVERIFY(Json::parse(test::contentOf(std::filesystem::path(out) / "sphere_chain.json")) == json);
        QVERIFY(contains(outcome.err, "3 levels") && contains(outcome.err, "from "));
        // The same recipe again: the same chain, here in one file.
        const std::string again = (m_folder / "again").string();
        const Outcome second = umesh({"chain", m_sphere, again, "--recipe", recipe, "--one-file", "--json", "-"});
        QCOMPARE(second.code, 0);
        const Json same = Json::parse(second.out);
        for (std::size_t i = 0; i < 3; ++i) QVERIFY(same["levels"][i]["shape_hash"] == json["levels"][i]["shape_hash"]);
        QCOMPARE(same["levels"][2]["file"].get<std::string>(), std::string("sphere.glb"));
        QCOMPARE(int(readMesh(std::filesystem::path(again) / "sphere.glb", Progress()).mesh.triangleCount()), 3000);
    }

    void makesChainsOfManySources() {
        const test::Folder folder;
        const auto source = [&](const std::string& name) { return (folder / name).string(); };
        writeMesh(test::makeSphere(0.4, 24), source("one.ply"), Progress());
        writeMesh(test::makeTorus(0.5, 0.2, 60, 40), source("two.ply"), Progress());
        folder.write("broken.ply", "ply\nnothing more");
        const std::string out = source("out");
        const std::vector<std::string> all = {"chain",
                                              source("one.ply"),
                                              source("broken.ply"),
                                              source("two.ply"),
                                              out,
                                              "--targets",
                                              "900,40% of before",
                                              "--jobs",
                                              "2",
                                              "--format",
                                              "ply",
                                              "--json",
                                              source("a.json")};
        const Outcome first = umesh(all);
        QCOMPARE(first.code, 1);  // one failed; the others were made all the same
        QVERIFY(contains(first.out, ("Failed: " + source("broken.ply")).c_str()) &&
                contains(first.out, "1 source of 3 failed"));
        const Json told = Json::parse(test::contentOf(source("a.json")));
        QCOMPARE(told["chains"].size(), std::size_t(3));
        QVERIFY(told["chains"][1].contains("error"));
        QCOMPARE(told["chains"][2]["manifest"]["levels"][1]["triangles"].get<int>(), 360);
        // Mended, and run once more: only what was missing is made.
        writeMesh(test::makeSphere(0.3, 24), source("broken.ply"), Progress());
        const auto when = std::filesystem::last_write_time(folder / "out" / "one_lod0.ply");
        const Outcome second = umesh(all);
        QCOMPARE(second.code, 0);
        QVERIFY(contains(second.out, (source("one.ply") + " is up to date").c_str()));
        QVERIFY(!contains(second.out, (source("broken.ply") + " is up to date").c_str()));
        QVERIFY(std::filesystem::last_write_time(folder / "out" / "one_lod0.ply") == when);
        // A level that went is made again, and so is everything when asked.
        std::filesystem::remove(folder / "out" / "two_lod1.ply");
        const Outcome third = umesh(all);
        QVERIFY(!contains(third.out, (source("two.ply") + " is up to date").c_str()));
        QVERIFY(std::filesystem::exists(folder / "out" / "two_lod1.ply"));
        std::vector<std::string> again = all;
        again.push_back("--again");
        QVERIFY(!contains(umesh(again).out, "is up to date"));
        // Two that would have the same names are refused before anything is begun.
        QCOMPARE(umesh({"chain", source("one.ply"), source("one.ply"), out, "--targets", "500"}).code, 2);
    }

    void makesAnewWhatATextureBesideTheSourceChanged() {
        const test::Folder folder;
        const auto paint = [&](std::uint8_t red) {
            folder.write("tex.png", pngOf(Image{1, 1, false, {{red, 0, 0, 255}}}));
        };
        folder.write("crate.mtl", "newmtl Wood\nmap_Kd tex.png\n");
        folder.write("crate.obj",
                     "mtllib crate.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nv 1 1 1\nvt 0 0\nvt 1 0\nvt 0 1\nusemtl Wood\n"
                     "f 1/1 2/2 3/3\nf 2/2 4/1 3/3\n");
        paint(10);
        const auto run = [&] {
            return umesh({"chain", (folder / "crate.obj").string(), (folder / "out").string(), "--targets", "100%"});
        };
        QCOMPARE(run().code, 0);
        QVERIFY(contains(run().out, "is up to date"));
        paint(11);
        QVERIFY(!contains(run().out, "is up to date"));
        QVERIFY(contains(run().out, "is up to date"));
        std::filesystem::remove(folder / "tex.png");
        QVERIFY(!contains(run().out, "is up to date"));
        const Json manifest = Json::parse(test::contentOf(folder / "out" / "crate_chain.json"));
        QCOMPARE(manifest["source_companions"].get<std::vector<std::string>>(),
                 (std::vector<std::string>{"crate.mtl", "tex.png"}));
    }

    void standsUpWhatLies() {
        const test::Folder folder;
        writeMesh(test::makeBox({1, 2, 3}, 12), folder / "box.stl", Progress());
        const std::string box = (folder / "box.stl").string(), out = (folder / "out").string();
        const auto sizeOf = [&](const char* file) {
            return Vec3f(boundingBox(readMesh(folder / "out" / file, Progress()).mesh).sizes());
        };
        const auto heightOf = [&](const char* sourceUp, const char* format) {
            const Outcome made = umesh(
                {"chain", box, out, "--targets", "100", "--format", format, "--source-up", sourceUp, "--json", "-"});
            return Json::parse(made.out)["height_metres"].get<double>();
        };
        QCOMPARE(heightOf("z", "glb"), 3.0);
        QCOMPARE(sizeOf("box_lod0.glb"), Vec3f(1, 3, 2));
        QCOMPARE(heightOf("z", "obj"), 3.0);
        QCOMPARE(sizeOf("box_lod0.obj"), Vec3f(1, 2, 3));  // lies as its source does
        QCOMPARE(heightOf("y", "glb"), 2.0);
        QCOMPARE(sizeOf("box_lod0.glb"), Vec3f(1, 2, 3));
        QCOMPARE(umesh({"chain", box, out, "--targets", "100", "--source-up", "x"}).code, 2);
        const auto reduced = [&](const std::string& name) {
            umesh({"reduce", box, (folder / "out" / name).string(), "--target", "100", "--source-up", "z"});
            return sizeOf(name.c_str());
        };
        QCOMPARE(reduced("r.glb"), Vec3f(1, 3, 2));
        QCOMPARE(reduced("r.obj"), Vec3f(1, 2, 3));
        const Outcome measured = umesh(
            {"measure", box, (folder / "out" / "r.obj").string(), "--at", "10m", "--source-up", "z", "--json", "-"});
        const double tall = Json::parse(measured.out)["silhouette"]["height_px"].get<double>();
        QVERIFY2(std::abs(tall - 3.0 * 1440 / (20 * std::tan(25 * 3.14159265358979 / 180))) < 1,
                 std::to_string(tall).c_str());
    }

    void plansAChainAndHoldsItAgainstABudget() {
        const std::string out = (m_folder / "planned").string();
        const Outcome outcome = umesh({"chain", m_sphere, out, "--plan", "--nearest", "3m", "--gone", "10", "--budget",
                                       "total=100,draws=4", "--json", "-"});
        QCOMPARE(outcome.code, 3);  // no level at all is so small
        QVERIFY(contains(outcome.err, "Over budget: Triangles"));
        const Json json = Json::parse(outcome.out);
        QVERIFY(json["budget"][0]["over"].get<bool>() && !json["budget"][2]["over"].get<bool>());
        double before = 1e9;
        for (const Json& level : json["levels"]) {
            QVERIFY(level["triangles"].get<double>() < before);
            before = level["triangles"].get<double>();
        }
        QCOMPARE(umesh({"chain", m_sphere, out, "--plan", "--budget", "weight=3"}).code, 2);
        QCOMPARE(umesh({"chain", m_sphere, out, "--plan", "--step", "2"}).code, 2);
    }

    void saysWhatIsWrongWithAChain() {
        const std::string out = (m_folder / "chain2").string();
        const std::vector<std::vector<std::string>> wrong = {
            {"chain", m_sphere, out},
            {"chain", m_sphere, out, "--levels", "3"},
            {"chain", m_sphere, out, "--targets", "100,200"},
            {"chain", m_sphere, out, "--targets", "500", "--levels", "2", "--first", "9k"},
            {"chain", m_sphere, out, "--targets", "500,100", "--pattern", "{name}"},
            {"chain", m_sphere, out, "--targets", "500", "--format", "ply", "--one-file"}};
        for (const auto& arguments : wrong) QCOMPARE(umesh(arguments).code, 2);
        QVERIFY(!std::filesystem::exists(out));  // nothing was begun
        QCOMPARE(umesh({"chain", m_sphere, out, "--recipe", (m_folder / "none.json").string()}).code, 1);
        QCOMPARE(umesh({"chain", m_sphere, "/proc/nowhere", "--targets", "500"}).code, 1);
        const Outcome few = umesh({"chain", m_sphere, out, "--targets", "500,2", "--format", "ply"});
        QVERIFY(few.code == 3 && contains(few.out, "fewer were asked for"));
    }

    void bakesTheLevelsOfAChain() {
        const std::string folder = (m_folder / "baked chain").string(), recipe = (m_folder / "baking.json").string();
        const Outcome made = umesh({"chain", m_sphere, folder, "--targets", "800,200", "--materials", "baked",
                                    "--sheet", "64", "--save-recipe", recipe});
        QVERIFY2(made.code == 0, made.out.c_str());
        for (const char* level : {"sphere_lod0.glb", "sphere_lod1.glb"}) {
            const Mesh mesh = readMesh(std::filesystem::path(folder) / level, Progress()).mesh;
            QVERIFY(mesh.materials.size() == 1 && mesh.materials[0].normalTexture);
            QCOMPARE(mesh.textures[0].width, 64);
        }
        const Json manifest = Json::parse(test::contentOf(std::filesystem::path(folder) / "sphere_chain.json"));
        QCOMPARE(manifest["levels"][1]["bake"]["sheet"].get<int>(), 64);
        QCOMPARE(manifest["levels"][1]["materials"].get<std::string>(), std::string("baked"));
        QCOMPARE(readRecipe(recipe).bake.sheet, 64);
        // A file in the folder's place is told before anything is computed.
        QCOMPARE(umesh({"chain", m_sphere, recipe, "--targets", "800"}).code, 2);
    }

private:
    test::Folder m_folder;
    std::string m_sphere;
};

UM_TEST(ChainCommandTest)
#include "ChainCommandTest.moc"

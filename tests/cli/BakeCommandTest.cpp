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

class BakeCommandTest : public QObject {
    Q_OBJECT

private slots:
    void initTestCase() { m_sphere = test::writeSphere(m_folder); }

    void bakesASheet() {
        const std::string level = (m_folder / "coarse.glb").string(), out = (m_folder / "baked.glb").string();
        QCOMPARE(umesh({"reduce", m_sphere, level, "--target", "500"}).code, 0);
        const Outcome plain =
            umesh({"bake", m_sphere, level, out, "--sheet", "128", "--channels", "base,normal,height,misses"});
        QCOMPARE(plain.code, 0);
        QVERIFY(contains(plain.out, "Baked") && contains(plain.out, "charts") && contains(plain.out, "500 triangles"));
        QVERIFY(std::filesystem::exists(m_folder / "baked_height.png"));
        QVERIFY(std::filesystem::exists(m_folder / "baked_misses.png"));
        const Mesh baked = readMesh(out, Progress()).mesh;
        QVERIFY(baked.triangleCount() == 500 && baked.textures.size() == 2 && baked.wantsTangents);
        const Json json = Json::parse(umesh({"bake", m_sphere, level, out, "--density", "10px/m", "--sheet", "256",
                                             "--samples", "1", "--json", "-"})
                                          .out);
        QVERIFY(std::abs(json["unwrap"]["texels_per_metre"].get<double>() - 10) < 1e-9);
        // Twelve or so square metres at a hundred texels each.
        QVERIFY(std::abs(json["texels_covered"].get<double>() - 1250) < 250);
        for (const auto& [option, value] : std::vector<std::pair<std::string, std::string>>{{"--density", "fast"},
                                                                                            {"--samples", "3"},
                                                                                            {"--sheet", "7"},
                                                                                            {"--channels", "shine"},
                                                                                            {"--padding", "9000"}})
            QCOMPARE(umesh({"bake", m_sphere, level, out, option, value}).code, 2);
        QCOMPARE(umesh({"bake", m_sphere, level, out, "--density", "9000px/m"}).code, 2);
        const std::vector<std::pair<std::string, std::string>> wrong = {
            {"--share", "fairly"}, {"--factor", "Glass"}, {"--factor", "Nobody=2"}, {"--cage", "deep"}};
        for (const auto& [name, text] : wrong)
            QVERIFY2(umesh({"bake", m_sphere, level, out, "--sheet", "64", name, text}).code == 2, text.c_str());
        const Json seen = Json::parse(
            umesh({"bake", m_sphere, level, out, "--sheet", "64", "--share", "seen", "--cage", "2x", "--json", "-"})
                .out);
        QCOMPARE(seen["parts"].size(), std::size_t(1));
        QCOMPARE(seen["parts"][0]["sheet"].get<double>(), 1.0);
        // How far it looks off where it is seen; with its normal map less than without.
        const auto lookOff = [&](const std::string& file) {
            return Json::parse(umesh({"measure", m_sphere, file, "--silhouette", "120px", "--look", "--json", "-"}).out)
                .at("look")
                .at("mean")
                .get<double>();
        };
        QVERIFY(lookOff(out) < lookOff(level));
        QCOMPARE(umesh({"measure", m_sphere, level, "--look"}).code, 2);
        QCOMPARE(umesh({"merge", m_sphere, out, "--stand-in", "nobody=none"}).code, 2);
        const Json alike = Json::parse(umesh({"merge", m_sphere, "--predict", "--json", "-"}).out);
        QVERIFY(alike["alike"].is_array() && alike["alike"].empty());  // of one material
        QCOMPARE(umesh({"bake", m_sphere, (m_folder / "none.glb").string(), out}).code, 1);
    }

    void bakesFromSeveralSourcesToSeveralSheets() {
        const std::string level = (m_folder / "few.glb").string(), out = (m_folder / "sheets.glb").string();
        QCOMPARE(umesh({"reduce", m_sphere, level, "--target", "500"}).code, 0);
        const Json json =
            Json::parse(umesh({"bake",     m_sphere, level,       out,   "--sheet",    "64",
                               "--sheets", "3",      "--padding", "2",   "--density",  "20px/m",
                               "--bits",   "16",     "--also",    level, "--channels", "base,normal,misses",
                               "--json",   "-"})
                            .out);
        const int sheets = json["sheets"];
        QVERIFY(sheets == 2 || sheets == 3);
        QCOMPARE(json["bits"].get<int>(), 16);
        QVERIFY(std::filesystem::exists(m_folder / "sheets_misses.png") &&
                std::filesystem::exists(m_folder / "sheets_misses_2.png"));
        const Mesh baked = readMesh(out, Progress()).mesh;
        QCOMPARE(baked.materials.size(), std::size_t(sheets));
        for (const Texture& texture : baked.textures) QVERIFY(texture.width == 64 && texture.bits == 16);
        for (const auto& [option, value] :
             std::vector<std::pair<std::string, std::string>>{{"--sheets", "0"}, {"--sheets", "99"}, {"--bits", "12"}})
            QCOMPARE(umesh({"bake", m_sphere, level, out, option, value}).code, 2);
        QCOMPARE(umesh({"bake", m_sphere, level, out, "--also", (m_folder / "none.glb").string()}).code, 1);
    }

    void mergesMaterialsWhereTheyAreTold() {
        Mesh kit = test::joined(test::makeSheet(8, 8), test::moved(test::makeSheet(8, 8), {2, 0, 0}));
        for (const Vec3f& p : kit.positions) kit.uvs.emplace_back(p.x() < 1.5f ? p.x() : 5 * p.x(), p.z());
        kit.parts = {{"Left"}, {"Right"}};
        kit.materials.assign(2, {});
        kit.sections[1].material = 1;
        Image image{32, 32, false, {}};
        image.texels.assign(32 * 32, {90, 80, 70, 255});
        kit.textures.push_back({"t", "image/png", std::make_shared<const std::string>(pngOf(image)), 32, 32});
        for (std::uint32_t m = 0; m < 2; ++m) {
            kit.materials[m].name = m == 0 ? "paint" : "red brick";
            kit.materials[m].baseColorTexture.texture = 0;
        }
        const std::string in = (m_folder / "kit.glb").string(), out = (m_folder / "merged.glb").string();
        writeMesh(kit, in, Progress());
        const Outcome told = umesh({"merge", in, "--predict", "--sheet", "128"});
        QCOMPARE(told.code, 0);
        QVERIFY2(contains(told.out, "red brick repeats, 5 times over") && contains(told.out, "--apart \"red brick\""),
                 told.out.c_str());
        const auto after = [&](const std::vector<std::string>& more) {
            std::vector<std::string> words = {"merge", in, out, "--sheet", "128", "--json", "-"};
            words.insert(words.end(), more.begin(), more.end());
            return Json::parse(umesh(words).out);
        };
        QCOMPARE(after({})["after"]["materials"].get<int>(), 1);
        const Json apart = after({"--apart", "red brick"});
        QCOMPARE(apart["after"]["materials"].get<int>(), 2);
        QCOMPARE(apart["sheets"].size(), std::size_t(1));
        const Mesh kept = readMesh(out, Progress()).mesh;
        QVERIFY(std::any_of(kept.materials.begin(), kept.materials.end(),
                            [](const Material& m) { return m.name == "red brick"; }));
        QCOMPARE(after({"--onto", "red brick=2"})["sheets"].size(), std::size_t(2));
        for (const char* wrong : {"red brick", "red brick=0", "red brick=two", "nobody=2"})
            QVERIFY2(umesh({"merge", in, out, "--onto", wrong}).code == 2, wrong);
        QCOMPARE(umesh({"merge", in, out, "--apart", "nobody"}).code, 2);
        QCOMPARE(umesh({"merge", in, out, "--apart", "paint", "--apart", "red brick"}).code, 2);
    }

private:
    test::Folder m_folder;
    std::string m_sphere;
};

UM_TEST(BakeCommandTest)
#include "BakeCommandTest.moc"

// Chains: their levels, when they are switched to, recipes and what is delivered.
#include "base/Error.h"
#include "base/File.h"
#include "chain/Chain.h"
#include "files/Gltf.h"
#include "tests/support/Files.h"
#include "tests/support/Shapes.h"

#include <nlohmann/json.hpp>
#include <QTest>

using namespace um;
using Json = nlohmann::json;

namespace {

Recipe recipeOf(std::vector<std::string> targets) {
    Recipe recipe;
    recipe.targets = std::move(targets);
    return recipe;
}

// A ball of 0.2 m with waves, in metres.
Mesh wavyBall() {
    Mesh mesh = test::makeSphere(0.1, 40);
    for (Vec3f& p : mesh.positions) p *= 1 + 0.03f * std::sin(90 * p.x()) * std::cos(70 * p.y());
    return mesh;
}

Json jsonOfGlb(const std::filesystem::path& path) {
    const std::string bytes = test::contentOf(path);
    std::uint32_t size = 0;
    std::memcpy(&size, bytes.data() + 12, 4);
    return Json::parse(bytes.substr(20, size));
}

}  // namespace

class ChainTest : public QObject {
    Q_OBJECT

private slots:
    void initTestCase() {
        m_source = wavyBall();
        m_recipe = recipeOf({"4000", "1200", "300"});
        m_chain = makeChain(m_source, m_recipe, Progress());
    }

    void reachesEachCount() {
        QCOMPARE(m_chain.levels.size(), std::size_t(3));
        const std::size_t counts[] = {4000, 1200, 300};
        for (std::size_t i = 0; i < 3; ++i) {
            QCOMPARE(m_chain.levels[i].mesh.triangleCount(), counts[i]);
            QVERIFY(m_chain.levels[i].targetMet);
            requireSound(m_chain.levels[i].mesh, "the level");
        }
    }

    void isAsGoodAsLevelsMadeOneByOne() {
        for (const ChainLevel& level : m_chain.levels) {
            const Mesh alone = reduceMesh(m_source, level.mesh.triangleCount(), {}, Progress()).mesh;
            const Deviation d = measureDeviation(m_source, alone, {}, Progress());
            QVERIFY2(level.deviation.rms < 1.05 * d.rms,
                     qPrintable(QString("%1 %2").arg(level.deviation.rms).arg(d.rms)));
        }
    }

    void switchesWhereTheErrorIsAllowed() {
        QCOMPARE(m_chain.levels[0].switchDistance, 0.0);
        QCOMPARE(m_chain.levels[0].screenSize, 1.0);
        for (std::size_t i = 1; i < 3; ++i) {
            const ChainLevel& level = m_chain.levels[i];
            QVERIFY(level.switchDistance > m_chain.levels[i - 1].switchDistance);
            QVERIFY(level.screenSize < m_chain.levels[i - 1].screenSize);
            // What is proven covers a pixel there, and less from farther away.
            QVERIFY(std::abs(m_recipe.screen.pixels(level.deviation.maxBound, level.switchDistance) - 1) < 1e-9);
            const double height = m_recipe.screen.pixels(diagonal(m_source), level.switchDistance);
            QVERIFY(std::abs(level.screenSize - height / m_recipe.screen.heightPixels) < 1e-12);
        }
        Recipe coarser = m_recipe;
        coarser.allowedPixels = 2;
        const Chain nearer = makeChain(m_source, coarser, Progress());
        QVERIFY(std::abs(nearer.levels[2].switchDistance / m_chain.levels[2].switchDistance - 0.5) < 1e-9);
    }

    void takesLengthsAndPixelsToo() {
        const Chain chain = makeChain(m_source, recipeOf({"50%", "1mm", "1px@20m"}), Progress());
        QCOMPARE(chain.levels[0].mesh.triangleCount(), m_source.triangleCount() / 2);
        QVERIFY(chain.levels[1].deviation.maxBound <= 0.001);
        const double pixel = Screen().length(1, 20);
        QVERIFY(chain.levels[2].deviation.maxBound <= pixel && chain.levels[2].switchDistance <= 20);
        QVERIFY(chain.levels[2].mesh.triangleCount() < chain.levels[1].mesh.triangleCount());
    }

    void saysWhatCannotBeAChain() {
        const auto error = [&](const Recipe& recipe) {
            return test::errorOf([&] { makeChain(m_source, recipe, Progress()); });
        };
        QVERIFY(error(recipeOf({})).contains("at least one"));
        QVERIFY(error(recipeOf({"300", "300"})).contains("not coarser"));
        QVERIFY(error(recipeOf({"300", "much"})).contains("much"));
        QVERIFY(error(recipeOf(std::vector<std::string>(17, "100"))).contains("at most 16"));
        QVERIFY(error(recipeOf({"0.1mm", "0.01mm"})).contains("finer than the one before"));
        Recipe none = recipeOf({"300"});
        none.allowedPixels = 0;
        QVERIFY(error(none).contains("above 0"));
        const Progress cancelled;
        cancelled.cancel();
        QVERIFY_EXCEPTION_THROWN(makeChain(m_source, m_recipe, cancelled), Cancelled);
    }

    void goesOnWhereALevelCannotBeReached() {
        // A tetrahedron has four triangles, and no fewer.
        const Chain chain = makeChain(m_source, recipeOf({"100", "2"}), Progress());
        QVERIFY(chain.levels[0].targetMet && !chain.levels[1].targetMet);
        QVERIFY(chain.levels[1].mesh.triangleCount() >= 4);
    }

    void dropsLooseBitsInEachLevelAsFarAsItMust() {
        const Mesh source = test::joined(m_source, test::moved(test::makeSphere(0.002, 6), {0, 0.2, 0}));
        Recipe recipe = recipeOf({"6000", "200"});
        recipe.dropLoose = "8mm";
        const Chain chain = makeChain(source, recipe, Progress());
        QCOMPARE(chain.levels[1].mesh.triangleCount(), std::size_t(200));
        QVERIFY(boundingBox(chain.levels[1].mesh).max().y() < 0.15f);
        QCOMPARE(chain.notes.dropped.size(), std::size_t(1));
    }

    void spreadsLevelsByARatio() {
        QCOMPARE(targetsByRatio("120k", 0.3, 4), (std::vector<std::string>{"120000", "36000", "10800", "3240"}));
        QCOMPARE(targetsByRatio("10%", 0.5, 3), (std::vector<std::string>{"10%", "5%", "2.5%"}));
        QVERIFY(test::errorOf([] { targetsByRatio("1mm", 0.5, 3); }).contains("count or a share"));
        QVERIFY(test::errorOf([] { targetsByRatio("10k", 1.5, 3); }).contains("between 0 and 1"));
        QVERIFY(test::errorOf([] { targetsByRatio("10k", 0.5, 0); }).contains("from 1 to 16"));
    }

    void writesRecipesAndReadsThemBack() {
        Recipe recipe = recipeOf({"120k", "0.5mm", "1px@24m"});
        recipe.screen = parseScreen("1080px,60deg");
        recipe.allowedPixels = 0.5;
        recipe.protect = parseProtect("borders=hard,creases=30deg,materials=off");
        recipe.silhouetteWeight = 0.8;
        recipe.dropLoose = "0.2%";
        QVERIFY(recipeFromJson(recipeJson(recipe)) == recipe);
        const Recipe least = recipeFromJson(R"({"recipe": 1, "levels": [{"target": "500"}]})");
        QVERIFY(least == recipeOf({"500"}));
    }

    void saysWhatIsWrongWithARecipe() {
        const auto error = [](const char* text) { return test::errorOf([&] { recipeFromJson(text); }); };
        for (const char* text : {"", "no JSON", "[]", "{}", R"({"recipe": 1})", R"({"recipe": 1, "levels": [{}]})",
                                 R"({"recipe": 1, "levels": [{"target": 7}]})"})
            QVERIFY2(error(text).contains("no recipe"), text);
        QVERIFY(error(R"({"recipe": 2, "levels": []})").contains("newer"));
        QVERIFY(error(R"({"recipe": 1, "levels": []})").contains("at least one"));
        QVERIFY(error(R"({"recipe": 1, "levels": [{"target": "9"}], "silhouette_weight": 3})").contains("0 to 1"));
    }

    void writesAllLevelsIntoOneGlb() {
        const test::Folder folder;
        std::vector<const Mesh*> meshes;
        for (const ChainLevel& level : m_chain.levels) meshes.push_back(&level.mesh);
        writeGltfLevels(meshes, {0.4, 0.1, 0.001}, folder / "ball.glb", true, Progress());
        const Json json = jsonOfGlb(folder / "ball.glb");
        QCOMPARE(json["scenes"][0]["nodes"].size(), std::size_t(1));
        const Json& root = json["nodes"][json["scenes"][0]["nodes"][0].get<std::size_t>()];
        const Json& ids = root["extensions"]["MSFT_lod"]["ids"];
        QCOMPARE(ids.size(), std::size_t(2));
        QCOMPARE(root["extras"]["MSFT_screencoverage"].get<std::vector<double>>(),
                 (std::vector<double>{0.4, 0.1, 0.001}));
        const auto trianglesBelow = [&](const Json& node) {
            std::size_t count = 0;
            for (const std::size_t child : node["children"].get<std::vector<std::size_t>>())
                for (const Json& primitive :
                     json["meshes"][json["nodes"][child]["mesh"].get<std::size_t>()]["primitives"])
                    count += json["accessors"][primitive["indices"].get<std::size_t>()]["count"].get<std::size_t>() / 3;
            return count;
        };
        QCOMPARE(trianglesBelow(root), std::size_t(4000));
        QCOMPARE(trianglesBelow(json["nodes"][ids[0].get<std::size_t>()]), std::size_t(1200));
        QCOMPARE(trianglesBelow(json["nodes"][ids[1].get<std::size_t>()]), std::size_t(300));
        // Who knows nothing of levels sees the finest.
        QCOMPARE(readMesh(folder / "ball.glb", Progress()).mesh.triangleCount(), std::size_t(4000));
        // One level is a plain file.
        writeGltfLevels({meshes[0]}, {}, folder / "one.glb", true, Progress());
        QVERIFY(!jsonOfGlb(folder / "one.glb").contains("extensionsUsed"));
        Mesh other = *meshes[1];
        other.materials.push_back({});
        QVERIFY(test::errorOf([&] {
                    writeGltfLevels({meshes[0], &other}, {1, 0}, folder / "no.glb", true, Progress());
                }).contains("different materials"));
    }

    void tellsEverythingInTheManifest() {
        const Json json =
            Json::parse(manifestJson(m_chain, m_recipe, "ball", m_source, {"a.glb", "sub/b.glb", "c.glb"}));
        QCOMPARE(json["source_triangles"].get<std::size_t>(), m_source.triangleCount());
        QCOMPARE(json["levels"].size(), std::size_t(3));
        const Json& level = json["levels"][1];
        QCOMPARE(level["file"].get<std::string>(), std::string("sub/b.glb"));
        QCOMPARE(level["triangles"].get<int>(), 1200);
        QCOMPARE(level["switch_distance_metres"].get<double>(), m_chain.levels[1].switchDistance);
        QCOMPARE(level["deviation_metres"]["max_bound"].get<double>(), m_chain.levels[1].deviation.maxBound);
        QVERIFY(recipeFromJson(json["recipe"].dump()) == m_recipe);
        // The same bytes again, from the same source and recipe.
        const Chain again = makeChain(m_source, m_recipe, Progress());
        QCOMPARE(manifestJson(again, m_recipe, "ball", m_source, {"a.glb", "sub/b.glb", "c.glb"}),
                 manifestJson(m_chain, m_recipe, "ball", m_source, {"a.glb", "sub/b.glb", "c.glb"}));
    }

private:
    Mesh m_source;
    Recipe m_recipe;
    Chain m_chain;
};

QTEST_APPLESS_MAIN(ChainTest)
#include "ChainTest.moc"

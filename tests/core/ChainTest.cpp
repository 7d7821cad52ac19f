// Chains: their levels, when they are switched to, recipes and what is delivered.
#include "base/Error.h"
#include "base/File.h"
#include "base/Json.h"
#include "chain/BakeLevel.h"
#include "chain/Chain.h"
#include "files/Gltf.h"
#include "tests/support/Files.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <nlohmann/json.hpp>
#include <QTest>

using namespace um;

namespace {

Recipe chainOf(const std::vector<std::string>& targets) {
    Recipe recipe;
    for (const std::string& target : targets) {
        LevelRecipe level;
        level.target = target;
        recipe.levels.push_back(level);
    }
    return recipe;
}

// A ball of 0.2 m with waves, in metres.
Mesh wavyBall() {
    Mesh mesh = test::makeSphere(0.1, 24);
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
        m_recipe = chainOf({"2000", "600", "150"});
        m_chain = makeChain({m_source, "ball"}, m_recipe, {}, Progress());
    }

    void reachesEachCount() {
        QCOMPARE(m_chain.levels.size(), std::size_t(3));
        const std::size_t counts[] = {2000, 600, 150};
        for (std::size_t i = 0; i < 3; ++i) {
            QCOMPARE(m_chain.levels[i].mesh->triangleCount(), counts[i]);
            QVERIFY(m_chain.levels[i].targetMet);
            requireSound(*m_chain.levels[i].mesh, "the level");
        }
    }

    void isAsGoodAsLevelsMadeOneByOne() {
        for (const Level& level : m_chain.levels) {
            const Mesh alone = reduceMesh(m_source, level.mesh->triangleCount(), {}, Progress()).mesh;
            const Deviation d = measureDeviation(m_source, alone, {}, Progress());
            QVERIFY2(level.evidence->rms < 1.05 * d.rms,
                     qPrintable(QString("%1 %2").arg(level.evidence->rms).arg(d.rms)));
        }
    }

    void comesInSoonerWhereItIsThorough() {
        Recipe recipe = m_recipe;
        recipe.care.isThorough = true;
        const Chain chain = makeChain({m_source, "ball"}, recipe, {}, Progress());
        bool isSooner = false;
        for (std::size_t i = 0; i < chain.levels.size(); ++i) {
            QCOMPARE(chain.levels[i].mesh->triangleCount(), m_chain.levels[i].mesh->triangleCount());
            QVERIFY(chain.levels[i].evidence->max <= m_chain.levels[i].evidence->max);
            isSooner = isSooner || chain.band.from[i] < 0.95 * m_chain.band.from[i];
        }
        QVERIFY(isSooner);
    }

    void switchesWhereTheErrorIsAllowed() {
        QCOMPARE(m_chain.band.from[0], 0.0);
        for (std::size_t i = 1; i < 3; ++i) {
            const double from = m_chain.band.from[i];
            QVERIFY(from > m_chain.band.from[i - 1]);
            // What is proven covers a pixel there, and less from farther away.
            QVERIFY(std::abs(m_recipe.screen.pixels(m_chain.levels[i].evidence->maxBound, from) - 1) < 1e-9);
        }
        Recipe coarser = m_recipe;
        coarser.switching.allowedPixels = 2;
        const Chain nearer = makeChain({m_source, "ball"}, coarser, {}, Progress());
        QVERIFY(std::abs(nearer.band.from[2] / m_chain.band.from[2] - 0.5) < 1e-9);
    }

    void takesLengthsAndPixelsToo() {
        const Chain chain = makeChain({m_source, "ball"}, chainOf({"50%", "1mm", "1px@20m"}), {}, Progress());
        QCOMPARE(chain.levels[0].mesh->triangleCount(), m_source.triangleCount() / 2);
        QVERIFY(chain.levels[1].evidence->maxBound <= 0.001);
        const double pixel = Screen().length(1, 20);
        QVERIFY2(chain.levels[2].evidence->maxBound <= pixel && chain.band.from[2] < 20 * (1 + 1e-12),
                 qPrintable(QString("%1 of %2, %3")
                                .arg(chain.levels[2].evidence->maxBound)
                                .arg(pixel)
                                .arg(chain.band.from[2], 0, 'g', 17)));
        QVERIFY(chain.levels[2].mesh->triangleCount() < chain.levels[1].mesh->triangleCount());
    }

    void saysWhatCannotBeAChain() {
        const auto error = [&](const Recipe& recipe) {
            return test::errorOf([&] { makeChain({m_source, "ball"}, recipe, {}, Progress()); });
        };
        QVERIFY(error(chainOf({})).contains("at least one"));
        QVERIFY(error(chainOf({"300", "300"})).contains("not coarser"));
        QVERIFY(error(chainOf({"300", "much"})).contains("much"));
        QVERIFY(error(chainOf(std::vector<std::string>(17, "100"))).contains("at most 16"));
        QVERIFY(error(chainOf({"1mm", "0.5mm"})).contains("finer than the one before"));
        Recipe none = chainOf({"300"});
        none.switching.allowedPixels = 0;
        QVERIFY(error(none).contains("above 0"));
        // All corners in one place: nothing can be planned by its size.
        Mesh point = m_source;
        for (Vec3f& p : point.positions) p = Vec3f(1, 1, 1);
        Recipe plan;
        plan.plan.emplace();
        QVERIFY(test::errorOf([&] { makeChain({point, "point"}, plan, {}, Progress()); }).contains("without area"));
        const Progress cancelled;
        cancelled.cancel();
        QVERIFY_EXCEPTION_THROWN(makeChain({m_source, "ball"}, m_recipe, {}, cancelled), Cancelled);
    }

    void goesOnWhereALevelCannotBeReached() {
        // A tetrahedron has four triangles, and no fewer.
        const Chain chain = makeChain({m_source, "ball"}, chainOf({"100", "2"}), {}, Progress());
        QVERIFY(chain.levels[0].targetMet && !chain.levels[1].targetMet);
        QVERIFY(chain.levels[1].mesh->triangleCount() >= 4);
    }

    void dropsLooseBitsInEachLevelAsFarAsItMustAndSaysOfWhich() {
        const Mesh source = test::joined(m_source, test::moved(test::makeSphere(0.002, 6), {0, 0.2, 0}));
        Recipe recipe = chainOf({std::to_string(source.triangleCount()), "600", "200"});
        recipe.care.dropLoose = "8mm";
        const Chain chain = makeChain({source, "ball"}, recipe, {}, Progress());
        QCOMPARE(chain.levels[2].mesh->triangleCount(), std::size_t(200));
        QVERIFY(boundingBox(*chain.levels[2].mesh).max().y() < 0.15f);
        QCOMPARE(chain.notes.size(), std::size_t(1));
        QVERIFY(chain.notes.front().find("LOD 1, LOD 2: dropped 1 loose piece of ") == 0);
        recipe.levels.erase(recipe.levels.begin());
        const Chain both = makeChain({source, "ball"}, recipe, {}, Progress());
        QCOMPARE(both.notes.size(), std::size_t(1));
        QVERIFY(both.notes.front().find("Dropped 1 loose piece of ") == 0);
    }

    void spreadsLevelsByARatio() {
        QVERIFY(levelsByRatio("120k", 0.3, 4) == chainOf({"120000", "36000", "10800", "3240"}).levels);
        QVERIFY(levelsByRatio("10%", 0.5, 3) == chainOf({"10%", "5%", "2.5%"}).levels);
        QVERIFY(test::errorOf([] { levelsByRatio("1mm", 0.5, 3); }).contains("count or a share"));
        QVERIFY(test::errorOf([] { levelsByRatio("10k", 1.5, 3); }).contains("between 0 and 1"));
        QVERIFY(test::errorOf([] { levelsByRatio("10k", 0.5, 0); }).contains("from 1 to 16"));
    }

    void writesRecipesAndReadsThemBack() {
        Recipe recipe = chainOf({"120k", "0.5mm", "1px@24m"});
        recipe.screen = parseScreen("1080px,60deg");
        recipe.switching.allowedPixels = 0.5;
        recipe.care.protect = parseProtect("borders=hard,creases=30deg,materials=off");
        recipe.care.silhouetteWeight = 0.8;
        recipe.care.dropLoose = "0.2%";
        recipe.care.isThorough = true;
        QVERIFY(recipeFromJson(recipeJson(recipe)) == recipe);
        const Recipe least = recipeFromJson(R"({"recipe": 1, "levels": [{"target": "500"}]})");
        QVERIFY(least == chainOf({"500"}));
    }

    void saysWhatIsWrongWithARecipe() {
        const auto error = [](const char* text) { return test::errorOf([&] { recipeFromJson(text); }); };
        for (const char* text : {"", "no JSON", "[]", "{}", R"({"recipe": 1})", R"({"recipe": 1, "levels": [{}]})",
                                 R"({"recipe": 1, "levels": [{"target": 7}]})"})
            QVERIFY2(error(text).contains("no recipe"), text);
        QVERIFY(error(R"({"recipe": 3, "levels": []})").contains("newer"));
        QVERIFY(error(R"({"recipe": 1, "levels": []})").contains("at least one"));
        QVERIFY(error(R"({"recipe": 1, "levels": [{"target": "9"}], "silhouette_weight": 3})").contains("0 to 1"));
    }

    void writesAllLevelsIntoOneGlb() {
        const test::Folder folder;
        std::vector<const Mesh*> meshes;
        for (const Level& level : m_chain.levels) meshes.push_back(level.mesh.get());
        writeGltfLevels(meshes, {0.4, 0.1, 0.001}, folder / "ball.glb", true, GltfPacking::None, Progress());
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
        QCOMPARE(trianglesBelow(root), std::size_t(2000));
        QCOMPARE(trianglesBelow(json["nodes"][ids[0].get<std::size_t>()]), std::size_t(600));
        QCOMPARE(trianglesBelow(json["nodes"][ids[1].get<std::size_t>()]), std::size_t(150));
        // Who knows nothing of levels sees the finest.
        QCOMPARE(readMesh(folder / "ball.glb", Progress()).mesh.triangleCount(), std::size_t(2000));
        // One level is a plain file.
        writeGltfLevels({meshes[0]}, {}, folder / "one.glb", true, GltfPacking::None, Progress());
        QVERIFY(!jsonOfGlb(folder / "one.glb").contains("extensionsUsed"));
    }

    void makesTheSameAgainFromTheSame() {
        const Chain again = makeChain({m_source, "ball"}, m_recipe, {}, Progress());
        for (std::size_t i = 0; i < 3; ++i) {
            QVERIFY(again.levels[i].mesh->positions == m_chain.levels[i].mesh->positions);
            QCOMPARE(again.levels[i].made, m_chain.levels[i].made);
            QCOMPARE(again.levels[i].evidence->maxBound, m_chain.levels[i].evidence->maxBound);
        }
    }

    void plansWhatIsProven() {
        Recipe recipe;
        recipe.plan.emplace();
        recipe.plan->nearest = 2;
        recipe.plan->mostLevels = 3;
        const Chain chain = makeChain({m_source, "ball"}, recipe, {}, Progress());
        QVERIFY(!chain.levels.empty() && chain.levels.size() <= 3);
        // From where it is seen nearest on, no level is off by more than a pixel, and that is proven.
        for (std::size_t i = 0; i < chain.levels.size(); ++i) {
            const double from = i == 0 ? 2 : chain.band.from[i];
            QVERIFY(recipe.screen.pixels(chain.levels[i].evidence->maxBound, from) <= 1 + 1e-9);
            // A closed surface has an even number.
            if (i == 0) continue;
            const auto count = targetTriangles(parseTarget(chain.levels[i].recipe.target), m_source.triangleCount());
            QVERIFY(!count || *count - chain.levels[i].mesh->triangleCount() <= 1);
            QVERIFY(chain.levels[i].mesh->triangleCount() < chain.levels[i - 1].mesh->triangleCount());
        }
    }

    // Its first level is found by the distance: from nearer than that nobody sees it.
    void plansTheFirstLevelByItsDistance() {
        Recipe recipe;
        recipe.plan.emplace();
        recipe.plan->nearest = 2.34567;
        recipe.plan->mostLevels = 2;
        const Chain chain = makeChain({m_source, "ball"}, recipe, {}, Progress());
        QCOMPARE(chain.levels[0].recipe.target, std::string("1px@2.345m"));
        // By itself it is searched for more carefully.
        const Chain alone = makeChain({m_source, "ball"}, chainOf({"1px@2.345m"}), {}, Progress());
        QVERIFY(alone.levels[0].mesh->triangleCount() <= chain.levels[0].mesh->triangleCount());
        // Where a total leaves less for it, that is its count.
        recipe.plan->totalTriangles = chain.levels[0].mesh->triangleCount() / 2;
        const Chain less = makeChain({m_source, "ball"}, recipe, {}, Progress());
        std::size_t sum = 0;
        for (const Level& level : less.levels) sum += level.mesh->triangleCount();
        QVERIFY(sum <= recipe.plan->totalTriangles);
        QCOMPARE(less.levels[0].recipe.target.find("px"), std::string::npos);
    }

    void makesOnlyWhatIsNotThere() {
        const Chain again =
            makeChain({m_source, "ball"}, m_recipe, {&m_chain.levels[0], nullptr, &m_chain.levels[2]}, Progress());
        QVERIFY(again.levels[0].mesh == m_chain.levels[0].mesh && again.levels[2].mesh == m_chain.levels[2].mesh);
        QVERIFY(again.levels[1].mesh != m_chain.levels[1].mesh);
        QCOMPARE(again.levels[1].mesh->triangleCount(), std::size_t(600));
    }

    void takesSharesOfTheLevelBefore() {
        Recipe recipe = chainOf({"2000", "25% of before", "50%of before"});
        const Chain chain = makeChain({m_source, "ball"}, recipe, {}, Progress());
        QCOMPARE(chain.levels[1].mesh->triangleCount(), std::size_t(500));
        QCOMPARE(chain.levels[2].mesh->triangleCount(), std::size_t(250));
        // Made from the level before, they are not better, but still levels of the source.
        recipe.levels[1].fromLevelBefore = recipe.levels[2].fromLevelBefore = true;
        const Chain stepwise = makeChain({m_source, "ball"}, recipe, {}, Progress());
        QCOMPARE(stepwise.levels[2].mesh->triangleCount(), std::size_t(250));
        QVERIFY(stepwise.levels[2].mesh->positions != chain.levels[2].mesh->positions);
        QVERIFY(stepwise.levels[2].evidence->rms < 2 * chain.levels[2].evidence->rms);
        recipe.levels[0].fromLevelBefore = true;
        QVERIFY(test::errorOf([&] { makeChain({m_source, "ball"}, recipe, {}, Progress()); }).contains("first level"));
    }

    void treatsEachLevelByItsOwnProtection() {
        // A sheet whose border is held in the first level alone.
        const Mesh sheet = test::makeSheet(30, 30);
        Recipe recipe = chainOf({"900", "100"});
        recipe.levels[0].protect = parseProtect("borders=hard");
        const Chain chain = makeChain({sheet, "sheet"}, recipe, {}, Progress());
        const auto onBorder = [](const Mesh& mesh) {
            const Box3f box = boundingBox(mesh);
            return std::count_if(mesh.positions.begin(), mesh.positions.end(),
                                 [&](const Vec3f& p) { return p.x() == box.min().x() || p.x() == box.max().x(); });
        };
        QCOMPARE(onBorder(*chain.levels[0].mesh), 62);
        QVERIFY(onBorder(*chain.levels[1].mesh) < 62);
    }

    void knowsWhatMakesALevelStale() {
        const LevelRecipe level = m_recipe.levels[0];
        const auto made = [&](const std::string& source, const Care& care, const Screen& screen,
                              const LevelRecipe& recipe, const std::string& before) {
            return howMade({m_source, source}, care, screen, {}, recipe, before, 5);
        };
        const std::string now = made("a", {}, {}, level, "x");
        QVERIFY(made("b", {}, {}, level, "x") != now);
        Care care;
        care.silhouetteWeight = 0.5;
        QVERIFY(made("a", care, {}, level, "x") != now);
        care = {};
        care.isThorough = true;
        QVERIFY(made("a", care, {}, level, "x") != now);
        LevelRecipe other = level;
        other.target = "1999";
        QVERIFY(made("a", {}, {}, other, "x") != now);
        other = level;
        other.guardStrength = 0.5;
        QCOMPARE(made("a", {}, {}, other, "x"), now);  // nothing is guarded
        care = {};
        care.guard.parts = {{"p", 0.5f}};
        QVERIFY(made("a", care, {}, other, "x") != made("a", care, {}, level, "x"));
        care = {};
        care.guard.vertices = std::vector<GuardValue>{0, 0.5f, 0};
        Care painted = care;
        QCOMPARE(made("a", painted, {}, level, "x"), made("a", care, {}, level, "x"));
        QVERIFY(made("a", care, {}, level, "x") != now);
        QVERIFY(made("a", care, {}, other, "x") != made("a", care, {}, level, "x"));
        painted.guard.vertices = std::vector<GuardValue>{0, 0, 0.5f};
        QVERIFY(made("a", painted, {}, level, "x") != made("a", care, {}, level, "x"));
        // The screen matters only to what is typed in pixels, the level before to what is counted from it.
        const Screen screen = parseScreen("720px,60deg");
        QCOMPARE(made("a", {}, screen, level, "y"), now);
        other = level;
        other.target = "1px@20m";
        QVERIFY(made("a", {}, screen, other, "x") != made("a", {}, {}, other, "x"));
        care = {};
        care.isThorough = true;
        QCOMPARE(made("a", care, {}, other, "x"), made("a", {}, {}, other, "x"));  // it is searched for anyway
        other.target = "20% of before";
        QVERIFY(made("a", {}, {}, other, "x") != made("a", {}, {}, other, "y"));
        // Fitted textures change their size with the distance, by powers of two.
        other = level;
        other.fitTextures = true;
        const auto at = [&](double metres) { return howMade({m_source, "a"}, {}, {}, {}, other, {}, metres); };
        QCOMPARE(at(4), at(4.5));
        QVERIFY(at(4) != at(8));
    }

    void leavesOutGuardsOfPartsThatAreNotThere() {
        Recipe recipe = chainOf({"1000"});
        recipe.care.guard.parts = {{"beak", 0.5f}};
        const Chain chain = makeChain({m_source, "ball"}, recipe, {}, Progress());
        QVERIFY(chain.notes.front().find("no part beak") != std::string::npos);
        QVERIFY(recipeFromJson(recipeJson(recipe)) == recipe);
    }

    void bakesLevelsWhoseMaterialsAreBaked() {
        Mesh source = m_source;
        source.materials[0].baseColor = {0.7f, 0.1f, 0.05f, 1};
        Recipe recipe = chainOf({"1000", "300", "100"});
        recipe.bake.sheet = 128;
        recipe.bake.padding = 2;
        recipe.bake.factors = {{"nobody", 2}};  // of a part of another source
        recipe.levels[1].materials = MaterialKeeping::Baked;
        recipe.levels[2].fromLevelBefore = true;
        const Chain chain = makeChain({source, "ball"}, recipe, {}, Progress());
        QVERIFY(!chain.levels[0].bake && chain.levels[0].mesh->textures.empty());
        const Level& baked = chain.levels[1];
        QVERIFY(baked.bake && baked.bake->sheet == 128 && baked.bake->charts > 0);
        QVERIFY(baked.bake->look.pixelsTall > 0 && baked.bake->look.mean > 0);
        QCOMPARE(baked.mesh->triangleCount(), std::size_t(300));
        QVERIFY(baked.mesh->materials[0].normalTexture);
        // The same as by hand.
        Level own = makeLevel("x", "300", baked.bake->bare);
        bakeLevel(own, source, recipe.bake, recipe.screen, 0, Progress());
        QCOMPARE(*own.mesh->textures[0].bytes, *baked.mesh->textures[0].bytes);
        // A level from that one shares its sheet: one bake serves both.
        const Level& sharing = chain.levels[2];
        QVERIFY(!sharing.bake);
        QCOMPARE(sharing.mesh->textures.size(), baked.mesh->textures.size());
        for (std::size_t i = 0; i < baked.mesh->textures.size(); ++i)
            QCOMPARE(sharing.mesh->textures[i].bytes, baked.mesh->textures[i].bytes);
        // It is stale when it would be baked in another way; what is not baked does not care.
        const auto made = [&](const BakeChoice& bake, std::size_t level) {
            return howMade({source, "ball"}, {}, {}, bake, recipe.levels[level], {}, 5);
        };
        BakeChoice other = recipe.bake;
        other.samples = 16;
        QVERIFY(made(recipe.bake, 1) != made(other, 1));
        QCOMPARE(made(recipe.bake, 0), made(other, 0));
        Recipe wrong = recipe;
        wrong.bake.sheet = 3;
        QVERIFY(test::errorOf([&] { makeChain({source, "ball"}, wrong, {}, Progress()); }).contains("texels"));
        // In a recipe it is kept, without what belongs to one source.
        Recipe kept = recipe;
        kept.bake.pushes = {{Vec3f(1, 2, 3), 4, 2}};
        kept.bake.also = {"other.glb"};
        QCOMPARE(recipeFromJson(recipeJson(kept)), recipe);
        QVERIFY(recipeJson(chainOf({"100"})).find("bake") == std::string::npos);
        // Planned levels can be baked, too.
        Recipe plan;
        plan.plan.emplace();
        plan.plan->mostLevels = 2;
        plan.plan->materials = MaterialKeeping::Baked;
        plan.bake = recipe.bake;
        QCOMPARE(recipeFromJson(recipeJson(plan)), plan);
        for (const Level& level : makeChain({source, "ball"}, plan, {}, Progress()).levels) QVERIFY(level.bake);
    }

private:
    Mesh m_source;
    Recipe m_recipe;
    Chain m_chain;
};

UM_TEST(ChainTest)
#include "ChainTest.moc"

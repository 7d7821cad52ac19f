// Sharing a sheet out, the cage by hand, charts of UVs, and how different two meshes look.
#include "bake/LookDifference.h"
#include "base/Error.h"
#include "chain/BakeChoice.h"
#include "document/Edits.h"
#include "mesh/UvCharts.h"
#include "mesh/UvGrid.h"
#include "reduce/Reduce.h"
#include "tests/support/Files.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <QTest>

using namespace um;

namespace {

// Two balls of one size, of which a box hides the second.
Mesh ballAndHidden() {
    Mesh mesh = test::joined(test::joined(test::makeSphere(1, 12), test::moved(test::makeSphere(1, 12), {4, 0, 0})),
                             test::moved(test::makeBox({2.4, 2.4, 2.4}, 2), {4, 0, 0}));
    mesh.parts = {{"Open"}, {"Hidden"}, {"Box"}};
    return mesh;
}

// The share of the sheet that a part's triangles cover.
double uvShare(const std::vector<PartShare>& shares, const std::string& part) {
    for (const PartShare& share : shares)
        if (share.part == part) return share.sheet;
    return -1;
}

BakeChoice small() {
    BakeChoice choice;
    choice.sheet = 256;
    choice.padding = 2;
    choice.samples = 1;
    return choice;
}

Mesh colored(Mesh mesh, const std::array<float, 4>& color) {
    mesh.materials[0].baseColor = color;
    return mesh;
}

}  // namespace

class SheetShareTest : public QObject {
    Q_OBJECT

private slots:
    void givesWhatIsSeenItsTexels() {
        const Mesh mesh = ballAndHidden();
        const std::vector<double> seen = seenSamples(mesh, Progress());
        double open = 0, hidden = 0;
        for (std::size_t t = 0; t < mesh.sections[0].triangleCount; ++t) open += seen[t];
        for (std::size_t t = 0; t < mesh.sections[1].triangleCount; ++t)
            hidden += seen[mesh.sections[1].firstTriangle + t];
        QVERIFY(open > 1000);
        QCOMPARE(hidden, 0.0);
        BakeChoice choice = small();
        const auto sharesBy = [&](SheetShare share) {
            choice.share = share;
            return bake(mesh, mesh, settingsFor(choice, mesh, Screen()), Progress()).parts;
        };
        const auto byArea = sharesBy(SheetShare::Area), bySeen = sharesBy(SheetShare::Seen);
        // An even density has a leeway of a tenth.
        const double ratio = uvShare(byArea, "Open") / uvShare(byArea, "Hidden"), most = std::pow(1.1 / 0.9, 2);
        QVERIFY(ratio < most && ratio > 1 / most);
        QVERIFY(uvShare(bySeen, "Open") > 10 * uvShare(bySeen, "Hidden"));
        // By area the hidden ball takes much of the sheet, and shows nothing.
        for (const PartShare& part : byArea) QCOMPARE(part.isHog(), part.part == "Hidden");
        const std::vector<Finding> hogs = findHogs(byArea);
        QCOMPARE(hogs.size(), std::size_t(1));
        QVERIFY(describeFinding(hogs[0], 1).starts_with("Hidden takes"));
        QVERIFY(findHogs(bySeen).empty());
        double sheet = 0, all = 0;
        for (const PartShare& part : byArea) {
            sheet += part.sheet;
            all += part.seen;
        }
        QVERIFY(std::abs(sheet - 1) < 1e-9 && std::abs(all - 1) < 1e-9);
    }

    void seesThroughGlass() {
        Mesh mesh = ballAndHidden();
        mesh.materials.push_back(mesh.materials[0]);
        mesh.materials.back().alpha = Material::Alpha::Blend;
        mesh.sections.back().material = 1;  // the box
        const std::vector<double> seen = seenSamples(mesh, Progress());
        std::array<double, 3> sums{};
        for (std::size_t s = 0; s < 3; ++s)
            for (std::size_t t = 0; t < mesh.sections[s].triangleCount; ++t)
                sums[s] += seen[mesh.sections[s].firstTriangle + t];
        // Both balls alike but for what they hide of each other, and the glass itself as well.
        QVERIFY(std::abs(sums[1] / sums[0] - 1) < 0.05);
        QVERIFY(sums[2] > sums[1]);
    }

    void multipliesTexelsByPartFactors() {
        const Mesh mesh = ballAndHidden();
        BakeChoice choice = small();
        choice.factors = {{"Hidden", 0.5}};
        const Baked baked = bake(mesh, mesh, settingsFor(choice, mesh, Screen()), Progress());
        const double ratio = uvShare(baked.parts, "Hidden") / uvShare(baked.parts, "Open");
        QVERIFY2(std::abs(ratio - 0.25) < 0.03, qPrintable(QString::number(ratio)));  // half along each side
        choice.factors = {{"Nobody", 2}};
        QVERIFY(test::errorOf([&] {
                    bake(mesh, mesh, settingsFor(choice, mesh, Screen()), Progress());
                }).contains("Nobody"));
        choice.factors = {{"Open", 1000}};
        QVERIFY(test::errorOf([&] {
                    bake(mesh, mesh, settingsFor(choice, mesh, Screen()), Progress());
                }).contains("factor"));
    }

    void keepsTheDensityThatTexturesHad() {
        // Two sheets of one size, one of which has twice the texels along a side.
        Mesh mesh = test::joined(test::makeSheet(4, 4), test::moved(test::makeSheet(4, 4), {0, 2, 0}));
        mesh.parts = {{"Coarse"}, {"Fine"}};
        for (std::size_t v = 0; v < mesh.positions.size(); ++v) {
            const float scale = mesh.positions[v].y() > 1 ? 0.8f : 0.4f;
            mesh.uvs.emplace_back(scale * mesh.positions[v].x(), scale * mesh.positions[v].z());
        }
        Image image;
        image.width = image.height = 64;
        image.texels.assign(64 * 64, {120, 130, 140, 255});
        mesh.textures.push_back({"t", "image/png", std::make_shared<const std::string>(pngOf(image)), 64, 64});
        mesh.materials[0].baseColorTexture.texture = 0;
        const std::vector<float> weights = shareWeights(mesh, SheetShare::Density, {}, Progress());
        QVERIFY(std::abs(weights.back() / weights.front() - 2) < 0.01f);
    }

    void goesAsDeepAsItIsTold() {
        // The level lies 0.5 above the source.
        const Mesh source = test::makeSheet(8, 8), level = test::moved(test::makeSheet(2, 2), {0, 0.5, 0});
        BakeChoice choice = small();
        const auto missed = [&](const std::string& cage) {
            choice.cage = cage;
            const Baked baked = bake(source, level, settingsFor(choice, source, Screen()), Progress());
            return double(baked.missed) / double(baked.covered);
        };
        QCOMPARE(missed(""), 0.0);
        QCOMPARE(missed("600mm"), 0.0);
        QCOMPARE(missed("400mm"), 1.0);
        QCOMPARE(missed("2x"), 0.0);
        QCOMPARE(missed("0.3x"), 1.0);
        for (const char* wrong : {"0x", "-2x", "deep", "12"})
            QVERIFY2(!test::errorOf([&] { missed(wrong); }).isEmpty(), wrong);
    }

    void tellsEachSquareOfTheSheetOnce() {
        BakeSettings settings = settingsFor(small(), test::makeSphere(1, 8), Screen());
        std::mutex mutex;
        std::vector<int> told(256 * 256, 0);
        settings.transfer.tileDone = [&](const Sheet& sheet, int left, int top, int across) {
            const std::lock_guard lock(mutex);
            for (int y = top; y < std::min(sheet.size, top + across); ++y)
                for (int x = left; x < std::min(sheet.size, left + across); ++x) ++told[std::size_t(y * 256 + x)];
        };
        bake(test::makeSphere(1, 8), test::makeSphere(1, 4), settings, Progress());
        QVERIFY(std::all_of(told.begin(), told.end(), [](int times) { return times == 1; }));
    }

    void findsChartsAndTheirRims() {
        // A sheet whose UVs jump at its middle: two charts.
        Mesh sheet = test::makeSheet(6, 4, 6, 4);
        test::addUvsWithSeam(sheet, 3);
        const UvCharts charts = findUvCharts(sheet);
        QCOMPARE(charts.count, std::size_t(2));
        for (TriangleId t = 0; t < sheet.triangleCount(); ++t) {
            double x = 0;
            for (const VertexId v : sheet.triangles[t]) x += double(sheet.positions[v].x()) / 3;
            QCOMPARE(charts.chartOf[t] == charts.chartOf[0], x < 3);
        }
        // Each has a rim of 4 + 4 + 3 + 3 edges.
        QCOMPARE(charts.borders.size(), std::size_t(2 * 14));
        // A place of the UVs leads back to the same place of the surface.
        const Vec2d uv(1.3, 2.6);
        const UvGrid grid(sheet);
        const auto t = grid.triangleAt(uv);
        QVERIFY(t.has_value());
        const Vec3d shares = sharesAtUv(uvCorners(sheet, *t), uv);
        Vec3d place = Vec3d::Zero();
        for (std::size_t k = 0; k < 3; ++k)
            place += shares[long(k)] * sheet.positions[sheet.triangles[*t][k]].cast<double>();
        QVERIFY((place - Vec3d(1.3, 0, 2.6)).norm() < 1e-6);
        QVERIFY(!grid.triangleAt({-5, -5}));
        QVERIFY(!grid.triangleAt(uv, [](TriangleId) { return false; }));
    }

    void seesNoDifferenceBetweenEquals() {
        std::vector<std::string> notes;
        const Mesh ball = test::makeSphere(1, 30);
        const SurfaceMaterial look(ball, notes);
        const LookDifference none = measureLook(look, look, 100, Progress());
        QCOMPARE(none.mean, 0.0);
        QCOMPARE(none.worst, 0.0);
        // All but the outline of a disc with a radius of 100 pixels.
        QVERIFY(none.covered > 0.95 * pi * 100 * 100 && none.covered < pi * 100 * 100);
    }

    void seesColoursAsFarApartAsCielabSays() {
        // Emission alone, so that the light does not matter: mid grey against a slightly redder one.
        std::vector<std::string> notes;
        const auto glowing = [](double r, double g, double b) {
            Mesh ball = colored(test::makeSphere(1, 20), {0, 0, 0, 1});
            ball.materials[0].emission = {float(r), float(g), float(b)};
            return ball;
        };
        const Mesh grey = glowing(0.2, 0.2, 0.2), lighter = glowing(0.25, 0.25, 0.25);
        const LookDifference d =
            measureLook(SurfaceMaterial(grey, notes), SurfaceMaterial(lighter, notes), 50, Progress());
        // L* = 116 Y^(1/3) - 16: 51.84 and 57.08.
        const double expected = 116 * (std::cbrt(0.25) - std::cbrt(0.2));
        QVERIFY2(std::abs(d.mean - expected) < 0.05, qPrintable(QString::number(d.mean)));
        QVERIFY(std::abs(d.worst - expected) < 0.05 && std::abs(d.p95 - expected) < 0.05);
    }

    void isSmallerForABakedLevel() {
        std::vector<std::string> notes;
        // A ball with a fine ripple, which a coarse level loses and a normal map keeps.
        Mesh source = test::makeSphere(1, 90);
        for (Vec3f& p : source.positions) p *= 1 + 0.01f * std::sin(25 * p.x()) * std::sin(25 * p.y());
        const Mesh level = reduceMesh(source, 900, {}, Progress()).mesh;
        BakeChoice choice = small();
        choice.sheet = 512;
        const Baked baked = bake(source, level, settingsFor(choice, source, Screen()), Progress());
        const SurfaceMaterial own(source, notes);
        const double before = measureLook(own, SurfaceMaterial(level, notes), 100, Progress()).mean;
        const double after = measureLook(own, SurfaceMaterial(baked.level, notes), 100, Progress()).mean;
        QVERIFY2(after < 0.5 * before, qPrintable(QString("%1 then %2").arg(before).arg(after)));
    }

    void keepsChoiceAndFiguresInDocuments() {
        BakeChoice choice = small();
        choice.share = SheetShare::Seen;
        choice.factors = {{"Box", 0.25}, {"Open", 2}};
        choice.cage = "2x";
        choice.density = "400px/m";
        choice.occlusionRays = 8;
        choice.occlusionDistance = "5cm";
        choice.joinParts = choice.partsApart = true;
        QCOMPARE(bakeChoiceFromJson(bakeChoiceJson(choice)), choice);
        QVERIFY(!test::errorOf([] { bakeChoiceFromJson("{\"sheet\": \"large\"}"); }).isEmpty());

        Document document;
        document.source = std::make_shared<const Mesh>(test::makeSphere(1, 20));
        document.bake = choice;
        const auto bare = std::make_shared<const Mesh>(test::makeSphere(1, 5));
        document.levels.push_back(makeLevel("LOD 0", "200", bare));
        BakeSettings settings = settingsFor(small(), *document.source, Screen());
        settings.dress.channels.misses = true;
        Baked baked = bake(*document.source, *bare, settings, Progress());
        const BakeFigures figures = figuresOf(baked, 1);
        QVERIFY(figures.misses.size() == 1 && figures.charts > 0 && figures.covered > 0);
        const auto mesh = std::make_shared<const Mesh>(std::move(baked.level));
        const auto with = withBakedLevel(document, bare, mesh, figures);
        QVERIFY(with && with->levels[0].mesh == mesh && with->levels[0].bake == figures);
        QVERIFY(!withBakedLevel(document, mesh, mesh, figures));

        // What was baked, and what it is baked from again, go along with changes of the level.
        Document kept = *with;
        kept.levels[0].bake->bare = bare;
        kept.levels[0].bake->look = {1, 2, 3, 100};
        const Document inMillimetres = withUnit(kept, 0.001);
        QCOMPARE(inMillimetres.levels[0].bake->bare->metresPerUnit, 0.001);
        QCOMPARE(withSource(kept, bare).levels[0].bake->look, BakedLook());
        QVERIFY(!withHandmadeLevel(kept, 0, bare).levels[0].bake);
        const auto repaired = withMeshReplaced(kept, mesh, bare);
        QVERIFY(repaired && repaired->levels[0].bake && !repaired->levels[0].bake->bare);

        const test::Folder folder;
        saveDocument(*with, folder / "a.umesh", Progress());
        const Document again = openDocument(folder / "a.umesh", Progress());
        QCOMPARE(again.bake, choice);
        QVERIFY(again.levels[0].bake.has_value());
        QCOMPARE(bakeFiguresJson(*again.levels[0].bake), bakeFiguresJson(figures));
        QCOMPARE(*again.levels[0].bake->misses.at(0), *figures.misses[0]);
        QCOMPARE(again.levels[0].mesh->textures.size(), mesh->textures.size());
    }

    void refusesChoicesThatMakeNoSense() {
        const Mesh ball = test::makeSphere(1, 5);
        const auto problem = [&](const auto& edit) {
            BakeChoice choice;
            edit(choice);
            return test::errorOf([&] { settingsFor(choice, ball, Screen()); });
        };
        QVERIFY(problem([](BakeChoice& c) { c.sheet = 8; }).contains("16384"));
        QVERIFY(problem([](BakeChoice& c) { c.pushes = {{Vec3f(0, 0, 0), 0, 2}}; }).contains("push"));
        QVERIFY(problem([](BakeChoice& c) { c.pushes = {{Vec3f(0, 0, 0), 1, -1}}; }).contains("push"));
        QVERIFY(problem([](BakeChoice& c) { c.padding = 1000; }).contains("padding"));
        QVERIFY(problem([](BakeChoice& c) { c.samples = 3; }).contains("samples"));
        QVERIFY(problem([](BakeChoice& c) { c.occlusionRays = -1; }).contains("1024"));
        QVERIFY(problem([](BakeChoice& c) { c.density = "much"; }) != "");
        QVERIFY(problem([](BakeChoice&) {}).isEmpty());
    }
};

UM_TEST(SheetShareTest)
#include "SheetShareTest.moc"

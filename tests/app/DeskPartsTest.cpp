// What works behind the desk, each by itself: measuring in turn, outlines, meshes made ready for drawing, findings,
// costs, the facts of a source, and the worst views.
#include "app/desks/ChainWatch.h"
#include "app/desks/CostWatch.h"
#include "app/desks/DrawableStore.h"
#include "app/desks/HealthWatch.h"
#include "app/desks/MeasureQueue.h"
#include "app/desks/OutlineWatch.h"
#include "app/desks/SourceFacts.h"
#include "app/desks/WorstTour.h"
#include "app/sightline/SightlineStrip.h"
#include "app/viewport/Viewport.h"
#include "base/Units.h"
#include "draw/Picture.h"
#include "mesh/Normals.h"
#include "reduce/Reduce.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"
#include "tests/support/Window.h"

#include <QSignalSpy>

using namespace um;
using namespace um::app;
using test::waitUntil;

namespace {

using Shared = std::shared_ptr<const Mesh>;

Shared shared(Mesh mesh) {
    return std::make_shared<const Mesh>(std::move(mesh));
}

Shared level(const Mesh& source, std::size_t triangles) {
    return shared(reduceMesh(source, triangles, {}, Progress()).mesh);
}

std::shared_ptr<const Deviation> evidence(const Mesh& source, const Mesh& mesh) {
    return std::make_shared<const Deviation>(measureDeviation(source, mesh, {}, Progress()));
}

// A sheet of a metre with a texture over all of it.
Shared painted(int texels) {
    Mesh sheet = test::makeSheet(12, 12);
    for (const Vec3f& p : sheet.positions) sheet.uvs.emplace_back(p.x(), p.z());
    const Picture picture(texels, texels, {10, 20, 30});
    sheet.textures.push_back(
        {"paint", "image/png", std::make_shared<const std::string>(pngOf(picture)), texels, texels});
    sheet.materials[0].name = "paint";
    sheet.materials[0].baseColorTexture.texture = 0;
    return shared(std::move(sheet));
}

}  // namespace

class DeskPartsTest : public QObject {
    Q_OBJECT

private slots:
    // A new mesh may have the address of a freed one; it must not get the freed one's pop.
    void measuresThePopOfAnotherMeshAtTheSameAddress() {
        Mesh storage = test::makeSphere(1, 3);
        const auto atThatAddress = [&] { return std::shared_ptr<const Mesh>(&storage, [](const Mesh*) {}); };
        Document document;
        document.source = std::make_shared<const Mesh>(test::makeSphere(1, 20));
        const auto levelOf = [&](const char* name, std::shared_ptr<const Mesh> mesh) {
            Level level = makeLevel(name, "100", std::move(mesh));
            level.evidence =
                std::make_shared<const Deviation>(measureDeviation(*document.source, *level.mesh, {}, Progress()));
            return level;
        };
        const Level fine = levelOf("fine", std::make_shared<const Mesh>(test::makeSphere(1, 12)));
        document.levels = {fine, levelOf("coarse", atThatAddress())};
        ChainWatch watch;
        watch.watch(document);
        QVERIFY(waitUntil([&] { return watch.isIdle() && watch.chain().pops.size() == 2; }));
        QVERIFY(watch.chain().pops[1].has_value());
        document.levels = {fine};
        watch.watch(document);
        storage = test::makeSphere(1, 5);
        document.levels = {fine, levelOf("another", atThatAddress())};
        document.levels[1].evidence = std::make_shared<const Deviation>(
            measureDeviation(*document.source, test::makeSphere(1, 3), {}, Progress()));  // comes in at the same place
        watch.watch(document);
        QVERIFY(!watch.chain().pops[1].has_value());
        QVERIFY(waitUntil([&] { return watch.isIdle(); }));
        QVERIFY(watch.chain().pops[1].has_value());
    }

    void initTestCase() {
        m_source = shared(test::makeSphere(1, 60));
        m_levels = {level(*m_source, 4000), level(*m_source, 1000), level(*m_source, 200)};
    }

    void measuresOneAfterAnother() {
        MeasureQueue queue;
        std::vector<Shared> order;
        std::shared_ptr<const Deviation> last;
        connect(&queue, &MeasureQueue::measured, this, [&](const auto& mesh, const auto& found, const auto&) {
            order.push_back(mesh);
            last = found;
        });
        queue.set(m_source, {{m_levels[0], {}}, {m_levels[1], {}}, {m_levels[2], {}}});
        QVERIFY(queue.isMeasuring(m_levels[0]) && !queue.isMeasuring(m_levels[1]));
        QVERIFY(waitUntil([&] { return order.size() == 3; }));
        QCOMPARE(order, m_levels);
        QCOMPARE(last->max, evidence(*m_source, *m_levels[2])->max);
        QVERIFY(waitUntil([&] { return !queue.job().isRunning(); }));
    }

    // What has been made ready of a source serves its next level, and no other source.
    void measuresEachLevelAgainstItsOwnSource() {
        MeasureQueue queue;
        std::shared_ptr<const Deviation> surface;
        OutlineError outline;
        connect(&queue, &MeasureQueue::measured, this,
                [&](const auto&, const auto& found, const OutlineError& ofOutline) {
                    surface = found;
                    outline = ofOutline;
                });
        const Shared other = shared(test::makeSphere(1.1, 40));
        const auto known = evidence(*other, *m_levels[0]);
        // Twice the same source, then another one, of which one level's deviation is known already.
        const std::vector<std::pair<Shared, Unmeasured>> all = {{m_source, {m_levels[0], {}}},
                                                                {m_source, {m_levels[2], {}}},
                                                                {other, {m_levels[0], known}},
                                                                {other, {m_levels[2], {}}},
                                                                {m_source, {m_levels[1], {}}}};
        for (const auto& [source, one] : all) {
            surface.reset();
            queue.set(source, {one});
            QVERIFY(waitUntil([&] { return surface != nullptr && !queue.job().isRunning(); }));
            const auto fresh = evidence(*source, *one.mesh);
            QVERIFY(surface->max == fresh->max && surface->rms == fresh->rms && surface->maxBound == fresh->maxBound);
            const ContourMesh contour(*source);
            const OutlineError own = measureOutlineError(outlinesOf(contour, Progress()), *one.mesh, Progress());
            QVERIFY(outline == own);
        }
    }

    // What is known of a source serves its next level, and no other source or size.
    void comparesOutlinesOfOneLevelAfterAnother() {
        const auto sphere = [](std::size_t around) { return shared(test::makeSphere(1, around)); };
        const auto source = sphere(60), other = sphere(40), coarse = sphere(9), coarser = sphere(5);
        Viewport viewport;
        OutlineWatch watch(viewport);
        const auto compare = [&](const auto& from, const auto& level, double height) {
            watch.watch(from, level, height);
            QVERIFY(waitUntil([&] { return watch.isIdle(); }, 20));
            QVERIFY(watch.silhouette() != nullptr);
            const Silhouette known = measureSilhouette(*from, *level, {98, watch.heightPixels()}, Progress());
            QVERIFY(watch.silhouette()->max == known.max && watch.silhouette()->mean == known.mean);
            QVERIFY(watch.silhouette()->areaShare == known.areaShare && watch.silhouette()->worst == known.worst);
        };
        compare(source, coarse, 200);
        compare(source, coarser, 200);
        compare(source, coarse, 300);
        compare(other, coarse, 300);
        compare(source, coarser, 1100);  // too tall to be kept
        compare(source, coarse, 200);
    }

    void waitsWhileSomethingIsMorePressing() {
        MeasureQueue queue;
        const QSignalSpy measured(&queue, &MeasureQueue::measured);
        queue.set(m_source, {{m_levels[0], {}}});
        queue.pause();
        QVERIFY(waitUntil([&] { return !queue.job().isRunning(); }));
        queue.set(m_source, {{m_levels[1], {}}});
        QTest::qWait(50);
        QVERIFY(!queue.job().isRunning() && measured.isEmpty());
        queue.resume();
        QVERIFY(waitUntil([&] { return measured.count() == 1; }));
    }

    void leavesAloneWhatWasCancelledByHand() {
        MeasureQueue queue;
        std::vector<Shared> order;
        connect(&queue, &MeasureQueue::measured, this,
                [&](const auto& mesh, const auto&, const auto&) { order.push_back(mesh); });
        queue.set(m_source, {{m_levels[0], {}}, {m_levels[1], {}}});
        queue.job().cancel();
        QVERIFY(waitUntil([&] { return order.size() == 1; }));
        QCOMPARE(order[0], m_levels[1]);  // goes on with the next
        queue.set(m_source, {{m_levels[0], {}}});
        QTest::qWait(50);
        QVERIFY(!queue.job().isRunning());
        queue.forgetCancelled();
        QVERIFY(waitUntil([&] { return order.size() == 2; }));
        QCOMPARE(order[1], m_levels[0]);
    }

    void dropsWhatIsNoLongerWanted() {
        MeasureQueue queue;
        std::vector<Shared> order;
        connect(&queue, &MeasureQueue::measured, this,
                [&](const auto& mesh, const auto&, const auto&) { order.push_back(mesh); });
        queue.set(m_source, {{m_levels[0], {}}});
        // Another source: what is being measured says nothing about it.
        const Shared other = shared(test::makeSphere(1.1, 40));
        queue.set(other, {{m_levels[2], {}}});
        QVERIFY(waitUntil([&] { return !order.empty(); }));
        QVERIFY(waitUntil([&] { return !queue.job().isRunning(); }));
        QCOMPARE(order, std::vector<Shared>{m_levels[2]});
    }

    void makesMeshesReadyForDrawingOnce() {
        DrawableStore store;
        const QSignalSpy ready(&store, &DrawableStore::ready);
        const QSignalSpy started(&store.job(), &Job::started);
        const Wanted source{m_source, Tint::None, nullptr, true}, one{m_levels[0], Tint::None, nullptr, false};
        QVERIFY(!store.ask(source, one));
        QVERIFY(!store.ask(source, one));  // which does not begin anew
        QCOMPARE(started.count(), 1);
        QVERIFY(waitUntil([&] { return ready.count() == 1; }));
        const auto pair = store.ask(source, one);
        QVERIFY(pair);
        QCOMPARE(pair->first.full->mesh, m_source);
        QCOMPARE(pair->second.full->mesh, m_levels[0]);
        QVERIFY(!pair->first.values && !pair->second.values);
        store.keepOnly({m_levels[0]});
        QVERIFY(!store.ask(source, one));
        QVERIFY(waitUntil([&] { return ready.count() == 2; }));
        // What was ready stays the same, so that it need not go to the graphics card again.
        QCOMPARE(store.ask(source, one)->second.full, pair->second.full);
    }

    void coloursByTheEvidenceWithoutCopyingIt() {
        DrawableStore store;
        const QSignalSpy ready(&store, &DrawableStore::ready);
        const auto found = evidence(*m_source, *m_levels[1]);
        const Wanted source{m_source, Tint::Deviation, found, true}, one{m_levels[1], Tint::Deviation, found, false};
        store.ask(source, one);
        QVERIFY(waitUntil([&] { return ready.count() == 1; }));
        const auto pair = store.ask(source, one);
        QVERIFY(pair && pair->first.values.get() == &found->atSourceVertex);
        QVERIFY(pair->second.values.get() == &found->atLevelVertex);
        // Another evidence of the same meshes: other values, the same meshes.
        const auto again = evidence(*m_source, *m_levels[1]);
        const Wanted other{m_levels[1], Tint::Deviation, again, false};
        QVERIFY(!store.ask(source, other));
        QVERIFY(waitUntil([&] { return ready.count() == 2; }));
        QVERIFY(store.ask(source, other)->second.values.get() == &again->atLevelVertex);
        QCOMPARE(store.ask(source, other)->second.full, pair->second.full);
    }

    void coloursTheDrawnVerticesOfHardEdges() {
        Mesh box = test::makeBox({1, 1, 1}, 6);
        makeNormals(box, 40);
        const Shared mesh = shared(box);
        const Shared source = shared(test::makeBox({1.1f, 1.1f, 1.1f}, 6));
        const auto found = evidence(*source, *mesh);
        DrawableStore store;
        const QSignalSpy ready(&store, &DrawableStore::ready);
        const Wanted wanted{mesh, Tint::Deviation, found, false};
        store.ask(wanted, wanted);
        QVERIFY(waitUntil([&] { return ready.count() == 1; }));
        const auto drawn = store.ask(wanted, wanted)->first;
        QCOMPARE(drawn.values->size(), drawn.full->positions().size());
        QVERIFY(drawn.values->size() > mesh->vertexCount());
        for (std::size_t t = 0; t < mesh->triangleCount(); ++t)
            for (std::size_t c = 0; c < 3; ++c)
                QCOMPARE((*drawn.values)[drawn.full->triangles()[t][c]], found->atLevelVertex[mesh->triangles[t][c]]);
    }

    void coloursByTexels() {
        const Shared mesh = painted(128);
        DrawableStore store;
        const QSignalSpy ready(&store, &DrawableStore::ready);
        const Wanted wanted{mesh, Tint::Texels, nullptr, true};
        store.ask(wanted, wanted);
        QVERIFY(waitUntil([&] { return ready.count() == 1; }));
        const auto drawn = store.ask(wanted, wanted)->first;
        QCOMPARE(drawn.values->size(), drawn.full->positions().size());
        for (const float texels : *drawn.values) QVERIFY(std::abs(texels - 128) < 0.01f);
        // Its picture is ready too, down to a single texel.
        QVERIFY(drawn.full->textures.at(0) != nullptr);
        QCOMPARE(drawn.full->textures[0]->levels.size(), std::size_t(8));
        QCOMPARE(drawn.full->textures[0]->mean(), QColor(10, 20, 30));
        QCOMPARE(drawn.full->uvs.size(), drawn.full->positions().size());
    }

    void drawsWithoutAPictureThatIsNone() {
        Mesh broken = *painted(16);
        broken.textures[0].bytes = std::make_shared<const std::string>("none");
        const Drawable drawn = makeDrawable(shared(broken), Progress());
        QVERIFY(drawn.full->textures.at(0) == nullptr && drawn.full->uvs.empty());
    }

    void looksForFaultsOnceAMesh() {
        HealthWatch watch;
        const QSignalSpy found(&watch, &HealthWatch::found);
        watch.watch({m_source, m_levels[0]});
        QVERIFY(!watch.of(m_source));
        QVERIFY(waitUntil([&] { return found.count() == 2 && watch.isIdle(); }));
        QCOMPARE(*watch.of(m_source), findFaults(*m_source, Progress()));
        watch.watch({m_source, m_levels[0], painted(64)});
        QVERIFY(waitUntil([&] { return found.count() == 3 && watch.isIdle(); }));
        watch.watch({m_levels[0]});
        QVERIFY(!watch.of(m_source) && watch.of(m_levels[0]));  // what is gone is forgotten
    }

    void tellsTexelsAlongWithFaults() {
        HealthWatch watch;
        const Shared mesh = painted(512);
        QVERIFY(watch.texelsOf(mesh).empty());
        watch.watch({mesh});
        QVERIFY(waitUntil([&] { return watch.of(mesh) && watch.isIdle(); }));
        QCOMPARE(watch.texelsOf(mesh).size(), std::size_t(1));
        // At 100 pixels to the metre 128 texels would do: 512 is four times too many along a side.
        QCOMPARE(findLargeTextures(*mesh, watch.texelsOf(mesh), 100).size(), std::size_t(1));
        QVERIFY(findLargeTextures(*mesh, watch.texelsOf(mesh), 200).empty());
        const std::string said = describeFinding(findLargeTextures(*mesh, watch.texelsOf(mesh), 100)[0], 1);
        QVERIFY2(
            said.find("paint") == 0 && said.find("512") != std::string::npos && said.find("128") != std::string::npos,
            said.c_str());
    }

    void tellsTheCostOnlyWhenItIsShown() {
        CostWatch watch;
        QStringList lines;
        connect(&watch, &CostWatch::numbersChanged, this, [&](const QString& line) { lines += line; });
        watch.watch(m_levels[0], Tint::None, 50);
        watch.watch(m_levels[0], Tint::Deviation, 50);
        QVERIFY(watch.isIdle());
        watch.watch(m_levels[0], Tint::PixelLoad, 50);
        QVERIFY(waitUntil([&] { return watch.load().has_value(); }));
        const PixelLoad load = measurePixelLoad(*m_levels[0], CostWatch::views, 50, Progress());
        QCOMPARE(watch.load()->overdraw, load.overdraw);
        QVERIFY(lines.back().contains(QString::fromStdString(formatNumber(load.pixelsPerTriangle))));
        watch.watch(m_levels[0], Tint::PixelLoad, 25);
        QVERIFY(lines.back().isEmpty() && !watch.load());  // what was known is not of this distance
        QVERIFY(waitUntil([&] { return watch.load().has_value(); }));
        QVERIFY(watch.load()->pixelsPerTriangle < load.pixelsPerTriangle / 3);
    }

    void namesTheTextureThatIsFarthestOff() {
        CostWatch watch;
        QString line;
        connect(&watch, &CostWatch::numbersChanged, this, [&](const QString& text) { line = text; });
        watch.watch(painted(256), Tint::Texels, 64);
        QVERIFY(waitUntil([&] { return !line.isEmpty(); }));
        QCOMPARE(line, QString("paint: 4 texels a pixel, 64 px would do for 256"));
        watch.watch(m_source, Tint::Texels, 64);
        QVERIFY(waitUntil([&] { return !line.isEmpty(); }));
        QVERIFY(line.contains("no surface has a texture"));
    }

    void findsOutAboutASourceOnce() {
        SourceFacts facts;
        std::size_t triangles = 0;
        std::vector<int> drawn;
        Vec3d size;
        double height = 0;
        connect(&facts, &SourceFacts::counted, this,
                [&](const MeshStatistics& statistics) { triangles = statistics.whole.triangles; });
        connect(&facts, &SourceFacts::drawn, this,
                [&](const Vec3d& extents, double metres, const std::vector<CoverageMask>& outlines) {
                    size = extents;
                    height = metres;
                    for (const CoverageMask& outline : outlines) drawn.push_back(outline.height);
                });
        QVERIFY(facts.watch(m_source));
        QVERIFY(!facts.watch(m_source));
        // A second one at once: of the first nothing is heard any more.
        const Shared second = shared(test::makeSphere(0.25, 10));
        QVERIFY(facts.watch(second));
        QVERIFY(waitUntil([&] { return facts.isIdle(); }));
        QCOMPARE(triangles, second->triangleCount());
        QVERIFY(std::abs(height - 0.5) < 1e-6);
        QVERIFY((size - Vec3d(0.5, 0.5, 0.5)).norm() < 1e-6);
        const std::vector<double> pixels = SightlineStrip::outlineHeights();
        QCOMPARE(drawn.size(), pixels.size());
        for (std::size_t i = 0; i < drawn.size(); ++i) QVERIFY(std::abs(drawn[i] - 2 - pixels[i]) <= 1);
        QVERIFY(facts.watch(nullptr));
        QVERIFY(facts.isIdle());
    }

    void playsEachWorstViewOnceAndNoneTwice() {
        const Silhouette silhouette = measureSilhouette(*m_source, *m_levels[2], {98, 100, 4}, Progress());
        const std::vector<Direction> views = worstViews(silhouette, 5);
        QCOMPARE(views.size(), std::size_t(5));
        QVERIFY(views[0].vector().isApprox(silhouette.directions[silhouette.worst].vector()));
        const auto off = [&](const Direction& direction) {
            for (std::size_t i = 0; i < silhouette.directions.size(); ++i)
                if (silhouette.directions[i].vector().isApprox(direction.vector())) return silhouette.views[i].max;
            return -1.0;
        };
        for (std::size_t i = 1; i < views.size(); ++i) {
            QVERIFY(off(views[i]) <= off(views[i - 1]));
            for (std::size_t j = 0; j < i; ++j)
                QVERIFY(std::abs(views[i].vector().dot(views[j].vector())) < std::cos(20 * pi / 180));
        }
        QVERIFY(worstViews(measureSilhouette(*m_source, *m_source, {26, 100, 4}, Progress()), 5).empty());
    }

private:
    Shared m_source;
    std::vector<Shared> m_levels;
};

UM_TEST(DeskPartsTest)
#include "DeskPartsTest.moc"

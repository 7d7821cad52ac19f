#include "document/Edits.h"
#include "document/Recovery.h"
#include "files/MeshFile.h"
#include "reduce/Reduce.h"
#include "tests/support/Files.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <chrono>
#include <csignal>
#include <QCoreApplication>
#include <QProcess>
#include <QTest>
#include <thread>

using namespace um;

namespace {

Document documentOf(const std::filesystem::path& meshFile, const std::string& name) {
    Document document = documentFromMesh(meshFile, Progress());
    document.name = name;
    Level level;
    level.name = "LOD 0";
    level.recipe.target = "300";
    level.mesh = std::make_shared<const Mesh>(reduceMesh(*document.source, 300, {}, Progress()).mesh);
    level.evidence = std::make_shared<const Deviation>(measureDeviation(*document.source, *level.mesh, {}, Progress()));
    document.levels = {level};
    document.tolerance = 0.0007;
    document.screen = {2160, 37.5};
    document.viewerDistance = 12.5;
    document.care.protect.borders = Protection::Hard;
    document.care.protect.creaseDegrees = 55;
    document.care.guard.parts = {{"Rim", guardHold}};
    document.care.silhouetteWeight = 0.35;
    document.care.isThorough = true;
    document.care.dropLoose = "3px@24m";
    return document;
}

// What this test does when it is started as a second process, to be killed: saves one document over and over, or keeps
// work.
int actAsVictim(const std::string& what, const std::filesystem::path& folder) {
    Mesh mesh = test::makeSphere(1, 50);
    Document document;
    document.source = std::make_shared<const Mesh>(mesh);
    document.embedSource = true;
    if (what == "--keep") {
        document.name = "unsaved";
        const RecoverySlot slot(folder);
        slot.keep(document, Progress());
        std::puts("kept");
        std::fflush(stdout);
        std::this_thread::sleep_for(std::chrono::seconds(60));
        return 0;
    }
    for (int number = 0;; ++number) {
        document.name = "version " + std::to_string(number);
        saveDocument(document, folder / "doc.umesh", Progress());
        if (number == 0) {
            std::puts("saved");
            std::fflush(stdout);
        }
    }
}

}  // namespace

class DocumentTest : public QObject {
    Q_OBJECT

private slots:
    void initTestCase() { writeMesh(test::makeSphere(1, 30), m_folder / "sphere.ply", Progress()); }

    void bringsEverythingBack() {
        for (const bool embedded : {false, true}) {
            Document before = documentOf(m_folder / "sphere.ply", "a sphere");
            before.embedSource = embedded;
            before.remarks = {"2 polygons were cut into triangles."};
            const auto path = m_folder / "round.umesh";
            saveDocument(before, path, Progress());
            const Document after = openDocument(path, Progress());
            QCOMPARE(after.name, before.name);
            QCOMPARE(after.tolerance, before.tolerance);
            QVERIFY(after.care == before.care);
            QVERIFY(after.screen == before.screen);
            QCOMPARE(after.viewerDistance, before.viewerDistance);
            QCOMPARE(after.sourceHash, before.sourceHash);
            QCOMPARE(after.embedSource, embedded);
            QCOMPARE(after.source->positions, before.source->positions);
            QCOMPARE(after.source->triangles, before.source->triangles);
            QCOMPARE(after.levels.size(), std::size_t(1));
            const Level &a = after.levels[0], &b = before.levels[0];
            QCOMPARE(a.name, b.name);
            QVERIFY(a.recipe == b.recipe);
            QCOMPARE(a.mesh->positions, b.mesh->positions);
            QCOMPARE(a.mesh->triangles, b.mesh->triangles);
            QCOMPARE(a.evidence->max, b.evidence->max);
            QCOMPARE(a.evidence->maxBound, b.evidence->maxBound);
            QCOMPARE(a.evidence->atLevelVertex, b.evidence->atLevelVertex);
            QCOMPARE(a.evidence->distribution.shareWithin(0.003), b.evidence->distribution.shareWithin(0.003));
            QCOMPARE(a.evidence->levelToSource.rms, b.evidence->levelToSource.rms);
            QCOMPARE(a.evidence->byPart.front().rms, b.evidence->byPart.front().rms);
            QCOMPARE(a.evidence->farPlaces.front().place, b.evidence->farPlaces.front().place);
            // Colours only: kept in steps of the largest one.
            QCOMPARE(a.evidence->atSourceVertex.size(), b.evidence->atSourceVertex.size());
            for (std::size_t v = 0; v < a.evidence->atSourceVertex.size(); ++v)
                QVERIFY(std::abs(a.evidence->atSourceVertex[v] - b.evidence->atSourceVertex[v]) <=
                        a.evidence->max / 32767);
            QVERIFY(after.notes.empty());
            QCOMPARE(after.remarks, before.remarks);
        }
    }

    void isMuchSmallerWithoutTheSource() {
        Document document = documentOf(m_folder / "sphere.ply", "sizes");
        saveDocument(document, m_folder / "small.umesh", Progress());
        document.embedSource = true;
        saveDocument(document, m_folder / "large.umesh", Progress());
        QVERIFY(std::filesystem::file_size(m_folder / "small.umesh") <
                std::filesystem::file_size(m_folder / "large.umesh"));
    }

    void leavesOutLevelsThatCanBeMadeAgain() {
        Document document = documentFromMesh(m_folder / "sphere.ply", Progress());
        Recipe recipe;
        for (const char* target : {"900", "50% of before", "300"}) recipe.levels.emplace_back().target = target;
        document.levels = makeChain({*document.source, document.sourceHash}, recipe, {}, Progress()).levels;
        document = withRenamedLevel(withLevelLocked(document, 1, true), 0, "close up");
        saveDocument(document, m_folder / "whole.umesh", Progress());
        document.embedLevels = false;
        saveDocument(document, m_folder / "lean.umesh", Progress());
        QVERIFY(std::filesystem::file_size(m_folder / "lean.umesh") <
                std::filesystem::file_size(m_folder / "whole.umesh") * 3 / 4);
        const Document after = openDocument(m_folder / "lean.umesh", Progress());
        QVERIFY(!after.embedLevels && openDocument(m_folder / "whole.umesh", Progress()).embedLevels);
        for (std::size_t i = 0; i < 3; ++i) {
            const Level &a = after.levels[i], &b = document.levels[i];
            QVERIFY(a.name == b.name && a.recipe == b.recipe && a.isLocked == b.isLocked && a.made == b.made);
            QCOMPARE(a.mesh->positions, b.mesh->positions);
            QCOMPARE(a.mesh->triangles, b.mesh->triangles);
            QCOMPARE(a.evidence->max, b.evidence->max);
            QVERIFY(a.outline == b.outline);
        }
        // What is stale would come out differently, and stays inside.
        document.levels[2].recipe.target = "280";
        saveDocument(document, m_folder / "stale.umesh", Progress());
        QCOMPARE(openDocument(m_folder / "stale.umesh", Progress()).levels[2].mesh->triangleCount(),
                 document.levels[2].mesh->triangleCount());
    }

    void findsASourceThatMovedAlong() {
        const test::Folder first, second;
        std::filesystem::copy(m_folder / "sphere.ply", first / "sphere.ply");
        saveDocument(documentOf(first / "sphere.ply", "x"), first / "doc.umesh", Progress());
        std::filesystem::rename(first / "sphere.ply", second / "sphere.ply");
        std::filesystem::rename(first / "doc.umesh", second / "doc.umesh");
        QCOMPARE(openDocument(second / "doc.umesh", Progress()).source->triangleCount(), std::size_t(7200));
    }

    void saysWhenTheSourceIsMissingOrChanged() {
        const test::Folder folder;
        std::filesystem::copy(m_folder / "sphere.ply", folder / "s.ply");
        saveDocument(documentOf(folder / "s.ply", "x"), folder / "doc.umesh", Progress());
        writeMesh(test::makeSphere(2, 10), folder / "s.ply", Progress());
        const Document changed = openDocument(folder / "doc.umesh", Progress());
        QVERIFY(!changed.notes.empty() && changed.notes.back().find("has changed") != std::string::npos);
        std::filesystem::remove(folder / "s.ply");
        QVERIFY(test::errorOf([&] { openDocument(folder / "doc.umesh", Progress()); }).contains("s.ply"));
    }

    void opensWithASourceThatWasFound() {
        const test::Folder folder;
        std::filesystem::copy(m_folder / "sphere.ply", folder / "s.ply");
        saveDocument(documentOf(folder / "s.ply", "x"), folder / "doc.umesh", Progress());
        std::filesystem::create_directory(folder / "kept");
        std::filesystem::rename(folder / "s.ply", folder / "kept" / "older.ply");
        try {
            openDocument(folder / "doc.umesh", Progress());
            QFAIL("opened without its source");
        } catch (const SourceMissing& missing) {
            QCOMPARE(missing.sourceFile, std::string("s.ply"));
        }
        const Document found = openDocument(folder / "doc.umesh", Progress(), folder / "kept" / "older.ply");
        QCOMPARE(found.source->triangleCount(), std::size_t(7200));
        QCOMPARE(found.sourceFile, folder / "kept" / "older.ply");
        QVERIFY(found.notes.empty() && found.levels[0].evidence);
        saveDocument(found, folder / "doc.umesh", Progress());
        QCOMPARE(openDocument(folder / "doc.umesh", Progress()).sourceFile, folder / "kept" / "older.ply");
    }

    void refusesOtherAndDamagedFiles() {
        QVERIFY(test::errorOf([&] { openDocument(m_folder / "none.umesh", Progress()); }).contains("does not exist"));
        QVERIFY(test::errorOf([&] { openDocument(m_folder.write("e.umesh", ""), Progress()); }).contains("empty"));
        QVERIFY(test::errorOf([&] {
                    openDocument(m_folder.write("t.umesh", "hello, this is a text"), Progress());
                }).contains("document"));
        Document document = documentOf(m_folder / "sphere.ply", "x");
        document.embedSource = true;
        saveDocument(document, m_folder / "good.umesh", Progress());
        const std::string whole = test::contentOf(m_folder / "good.umesh");
        int refused = 0;
        for (std::size_t i = 1; i <= 40; ++i) {
            std::string damaged = whole;
            if (i % 4 == 0) damaged.resize(whole.size() * i / 41);
            for (std::size_t k = 0; k < 300; ++k) damaged[(k * 7919 + i * 104729) % damaged.size()] = char(k * i);
            if (!test::errorOf([&] { openDocument(m_folder.write("bad.umesh", damaged), Progress()); }).isEmpty())
                ++refused;
        }
        QVERIFY2(refused > 30, qPrintable(QString::number(refused)));
    }

    void keepsTheOldDocumentWhenSavingIsCancelled() {
        const Document document = documentOf(m_folder / "sphere.ply", "first");
        const auto path = m_folder / "cancel.umesh";
        saveDocument(document, path, Progress());
        Document next = document;
        next.name = "second";
        const Progress progress;
        progress.cancel();
        QVERIFY_EXCEPTION_THROWN(saveDocument(next, path, progress), Cancelled);
        QCOMPARE(openDocument(path, Progress()).name, std::string("first"));
    }

    void keepsLevelsUnderNamesThatAreFree() {
        Document document;
        document.source = std::make_shared<const Mesh>(test::makeSphere(1, 4));
        const Level level = makeLevel("Preview", "100", document.source);
        Document next = withLevel(withLevel(document, level), level);
        QCOMPARE(next.levels[0].name, std::string("LOD 0"));
        QCOMPARE(next.levels[1].name, std::string("LOD 1"));
        next = withoutLevel(withRenamedLevel(next, 0, "LOD 2"), 1);
        QCOMPARE(withLevel(next, level).levels[1].name, std::string("LOD 1"));
        next = withLevel(withLevel(next, level), level);  // LOD 2 is taken
        QCOMPARE(next.levels[2].name, std::string("LOD 3"));
        QVERIFY(document.levels.empty());  // what was is as it was
    }

    void leavesAloneWhatIsNotThere() {
        Document document;
        document.source = std::make_shared<const Mesh>(test::makeSphere(1, 4));
        document = withLevel(document, makeLevel("", "100", document.source));
        QCOMPARE(withRenamedLevel(document, 7, "far").levels[0].name, std::string("LOD 0"));
        QCOMPARE(withRenamedLevel(document, 0, "").levels[0].name, std::string("LOD 0"));
        QCOMPARE(withoutLevel(document, 1).levels.size(), std::size_t(1));
        const auto other = std::make_shared<const Mesh>(test::makeSphere(2, 4));
        QVERIFY(!withMeshReplaced(document, other, other));
    }

    void forgetsWhatWasMeasuredOfAnotherMesh() {
        Document document;
        document.source = std::make_shared<const Mesh>(test::makeSphere(1, 6));
        document.sourceFile = "/somewhere/ball.ply";
        document.sourceHash = "hash";
        const auto evidence = std::make_shared<const Deviation>();
        const auto first = std::make_shared<const Mesh>(test::makeSphere(1, 3));
        const auto second = std::make_shared<const Mesh>(test::makeSphere(1, 2));
        document =
            withLevel(withLevel(document, makeLevel("", "a", first, evidence)), makeLevel("", "b", second, evidence));
        const auto mended = std::make_shared<const Mesh>(*first);
        const auto next = withMeshReplaced(document, first, mended);
        QVERIFY(next && next->levels[0].mesh == mended && !next->levels[0].evidence);
        QVERIFY(next->levels[1].evidence && next->source == document.source);  // the other level's still holds
        QCOMPARE(next->sourceHash, std::string("hash"));
        const auto source = withMeshReplaced(document, document.source, mended);
        QVERIFY(source && source->source == mended && !source->levels[0].evidence && !source->levels[1].evidence);
        QVERIFY(source->embedSource && source->sourceFile.empty() && !source->sourceHash.empty() &&
                source->sourceHash != "hash");
    }

    void changesWhatAUnitMeans() {
        Document document;
        auto mesh = std::make_shared<Mesh>(test::makeSphere(1, 4));
        mesh->unitStated = false;
        document.source = mesh;
        document = withLevel(document, makeLevel("", "a", mesh));
        const Document next = withUnit(document, 0.001);
        for (const Mesh* one : {next.source.get(), next.levels[0].mesh.get()}) {
            QCOMPARE(one->metresPerUnit, 0.001);
            QVERIFY(one->unitStated);
            QCOMPARE(one->positions, mesh->positions);
        }
        QVERIFY(!document.source->unitStated);
        QVERIFY(next.unitIsChosen && !document.unitIsChosen);
    }

    void takesAFileAsItIsNow() {
        const test::Folder folder;
        std::filesystem::copy(m_folder / "sphere.ply", folder / "s.ply");
        Document document = withUnit(documentOf(folder / "s.ply", "x"), 0.01);
        document.care.guard.parts = {{"s", guardHold}, {"Rim", guardHold}};
        document.care.guard.vertices = std::vector<GuardValue>(document.source->vertexCount(), 0.5f);
        writeMesh(test::makeSphere(1, 20), folder / "s.ply", Progress());
        const Document next = withSourceOf(document, documentFromMesh(folder / "s.ply", Progress()));
        QCOMPARE(next.source->triangleCount(), std::size_t(3200));
        QCOMPARE(next.source->metresPerUnit, 0.01);  // as it was decided
        QVERIFY(next.unitIsChosen);
        Document prepared = documentFromMesh(folder / "s.ply", Progress());
        prepared.source = next.source;  // what is right already is not copied
        QCOMPARE(withSourceOf(document, prepared).source, next.source);
        QVERIFY(next.sourceHash != document.sourceHash && !next.embedSource);
        QCOMPARE(next.levels.size(), std::size_t(1));
        QVERIFY(!next.levels[0].evidence && next.levels[0].mesh == document.levels[0].mesh);
        // Guards that it cannot have would only fail later.
        QCOMPARE(next.care.guard.parts, (std::vector<PartGuard>{{"s", guardHold}}));
        QVERIFY(next.care.guard.vertices.empty());
        guardOfVertices(next.care.guard, *next.source);
        // The name stays the asset's.
        QCOMPARE(next.name, std::string("x"));
    }

    void bringsLevelsIntoTheUnitOfAnotherSource() {
        const test::Folder folder;
        const Document document = withUnit(documentOf(m_folder / "sphere.ply", "x"), 0.01);
        Mesh metres = test::makeSphere(0.01, 20);  // the same size in metres
        writeMesh(metres, folder / "metres.glb", Progress());
        const Document next = withSourceOf(document, documentFromMesh(folder / "metres.glb", Progress()));
        QCOMPARE(next.source->metresPerUnit, 1.0);
        QCOMPARE(next.levels[0].mesh->metresPerUnit, 1.0);
        const double off = measureDeviation(*next.source, *next.levels[0].mesh, {}, Progress()).max;
        QVERIFY2(off < 0.001, qPrintable(QString::number(off)));
    }

    void remembersWhatIsUp() {
        const test::Folder folder;
        writeMesh(test::makeBox({1, 2, 3}, 8), folder / "box.ply", Progress());
        Document lying = documentFromMesh(folder / "box.ply", Progress());
        lying.bake.pushes = {{Vec3f(0, 1, 2), 1, 2}};
        lying = withLevel(lying, makeLevel("", "100", lying.source, std::make_shared<const Deviation>()));
        const Document standing = withUp(lying, UpAxis::Z);
        QCOMPARE(Vec3f(boundingBox(*standing.source).sizes()), Vec3f(1, 3, 2));
        QCOMPARE(Vec3f(boundingBox(*standing.levels[0].mesh).sizes()), Vec3f(1, 3, 2));
        QCOMPARE(standing.bake.pushes[0].centre, Vec3f(0, 2, -1));
        QVERIFY(!standing.levels[0].evidence);
        QCOMPARE(standing.sourceHash, lying.sourceHash);  // the file is the same
        QVERIFY(sourceMark(standing) != sourceMark(lying));
        QCOMPARE(withUp(standing, UpAxis::Y).source->positions, lying.source->positions);
        for (const bool embedded : {false, true}) {
            Document saved = standing;
            saved.embedSource = embedded;
            saveDocument(saved, folder / "doc.umesh", Progress());
            const Document opened = openDocument(folder / "doc.umesh", Progress());
            QCOMPARE(opened.sourceUp, UpAxis::Z);
            QCOMPARE(opened.source->positions, standing.source->positions);
        }
        // The file as it is now lies as it did; another one that says what is up stands as it says.
        writeMesh(test::makeBox({1, 2, 5}, 8), folder / "box.ply", Progress());
        const Document again = withSourceOf(standing, documentFromMesh(folder / "box.ply", Progress()));
        QCOMPARE(Vec3f(boundingBox(*again.source).sizes()), Vec3f(1, 5, 2));
        writeMesh(test::makeBox({1, 2, 5}, 8), folder / "box.glb", Progress());
        const Document other = withSourceOf(standing, documentFromMesh(folder / "box.glb", Progress()));
        QCOMPARE(other.sourceUp, UpAxis::Y);
        QCOMPARE(Vec3f(boundingBox(*other.source).sizes()), Vec3f(1, 2, 5));
    }

    void guardsPartsByName() {
        Document document;
        document = withPartGuard(withPartGuard(document, "Eyes", guardHold), "Belly", -0.5f);
        document = withPartGuard(document, "Eyes", 0.5f);
        QCOMPARE(document.care.guard.parts.size(), std::size_t(2));
        QCOMPARE(document.care.guard.parts[1].part, std::string("Eyes"));
        QCOMPARE(document.care.guard.parts[1].value, 0.5f);
        QCOMPARE(withPartGuard(document, "Belly", 0).care.guard.parts.size(), std::size_t(1));
    }

    void keepsTexturesOnceForAllMeshes() {
        const test::Folder folder;
        Mesh sheet = test::makeSheet(8, 8);
        for (const Vec3f& p : sheet.positions) sheet.uvs.emplace_back(p.x(), p.z());
        // Noise, which no compression makes small.
        std::string bytes = "\x89PNG";
        for (std::uint64_t i = 0; i < 200000; ++i) bytes += char(mixBits(i) & 0xff);
        sheet.textures.push_back({"noise", "image/png", std::make_shared<const std::string>(bytes), 300, 200});
        sheet.textures[0].wrapU = Texture::Wrap::Mirror;
        sheet.materials[0].baseColorTexture.texture = 0;
        sheet.materials[0].occlusionTexture = {0, false, 0.25f};
        Document document;
        document.name = "sheet";
        document.embedSource = true;
        document.source = std::make_shared<const Mesh>(sheet);
        for (const char* name : {"LOD 0", "LOD 1"})
            document.levels.push_back(makeLevel(name, "", std::make_shared<const Mesh>(sheet)));
        saveDocument(document, folder / "sheet.umesh", Progress());
        QVERIFY(std::filesystem::file_size(folder / "sheet.umesh") < 1.5 * double(bytes.size()));
        const Document read = openDocument(folder / "sheet.umesh", Progress());
        const Texture& texture = read.source->textures.at(0);
        QCOMPARE(*texture.bytes, bytes);
        QVERIFY(texture.width == 300 && texture.height == 200 && texture.wrapU == Texture::Wrap::Mirror);
        QCOMPARE(read.levels[1].mesh->textures.at(0).bytes, texture.bytes);  // in memory once, too
        const Material& material = read.levels[0].mesh->materials[0];
        QCOMPARE(material.baseColorTexture.texture, 0);
        QCOMPARE(material.occlusionTexture.strength, 0.25f);
        QVERIFY(!material.normalTexture);
    }

    void survivesAKillDuringSaving() {
        // Killed at many different moments, the file is always one whole version.
        const test::Folder folder;
        std::string last;
        for (int round = 0; round < 12; ++round) {
            QProcess victim;
            victim.start(QCoreApplication::applicationFilePath(),
                         {"DocumentVictim", "--save", QString::fromStdString(folder.path().string())});
            QVERIFY(victim.waitForStarted() && victim.waitForReadyRead());
            QTest::qWait(7 * round + 3);
            ::kill(pid_t(victim.processId()), SIGKILL);
            victim.waitForFinished();
            const Document document = openDocument(folder / "doc.umesh", Progress());
            QVERIFY(document.name.starts_with("version "));
            QCOMPARE(document.source->triangleCount(), std::size_t(20000));
        }
    }

    void offersTheWorkOfAKilledProgram() {
        const test::Folder folder;
        QVERIFY(!findAbandonedWork(folder.path()));
        QProcess victim;
        victim.start(QCoreApplication::applicationFilePath(),
                     {"DocumentVictim", "--keep", QString::fromStdString(folder.path().string())});
        QVERIFY(victim.waitForStarted() && victim.waitForReadyRead());
        QVERIFY(!findAbandonedWork(folder.path()));  // it still lives
        ::kill(pid_t(victim.processId()), SIGKILL);
        victim.waitForFinished();
        const auto work = findAbandonedWork(folder.path());
        QVERIFY(work.has_value());
        QCOMPARE(openDocument(*work, Progress()).name, std::string("unsaved"));
        discardAbandonedWork(*work);
        QVERIFY(!findAbandonedWork(folder.path()));
    }

    void leavesNothingBehindWhenWorkIsCleared() {
        const test::Folder folder;
        {
            const RecoverySlot slot(folder.path());
            slot.keep(documentOf(m_folder / "sphere.ply", "x"), Progress());
            slot.clear();
        }
        QVERIFY(std::filesystem::is_empty(folder.path()));
    }

private:
    test::Folder m_folder;
};

static const um::test::Registration registerVictim("DocumentVictim", [](int argc, char** argv) {
    return argc == 3 ? actAsVictim(argv[1], argv[2]) : 2;
});
UM_TEST(DocumentTest)
#include "DocumentTest.moc"

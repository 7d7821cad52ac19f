// What is delivered of a chain: files, the order of their triangles, packing, placement and the manifest.
#include "base/Error.h"
#include "base/Json.h"
#include "chain/Delivery.h"
#include "files/MeshFile.h"
#include "measure/Deviation.h"
#include "mesh/DrawOrder.h"
#include "tests/support/Files.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <nlohmann/json.hpp>
#include <QTest>
#include <random>
#include <set>

using namespace um;

namespace {

Mesh shuffled(Mesh mesh) {
    std::mt19937 random(7);
    std::shuffle(mesh.triangles.begin(), mesh.triangles.end(), random);
    return mesh;
}

// The corners of all triangles as places, in an order of their own.
std::vector<std::array<float, 9>> cornersOf(const Mesh& mesh) {
    std::vector<std::array<float, 9>> result;
    for (const Triangle& t : mesh.triangles) {
        // A triangle may begin at any of its corners.
        std::size_t first = 0;
        for (std::size_t k = 1; k < 3; ++k) {
            const Vec3f &a = mesh.positions[t[k]], &b = mesh.positions[t[first]];
            if (std::lexicographical_compare(a.begin(), a.end(), b.begin(), b.end())) first = k;
        }
        std::array<float, 9> corners;
        for (std::size_t k = 0; k < 3; ++k)
            for (std::size_t i = 0; i < 3; ++i)
                corners[3 * k + i] = mesh.positions[t[(first + k) % 3]][Eigen::Index(i)];
        result.push_back(corners);
    }
    std::sort(result.begin(), result.end());
    return result;
}

}  // namespace

class DeliveryTest : public QObject {
    Q_OBJECT

private slots:
    void initTestCase() {
        Mesh source = test::joined(test::makeSphere(0.3, 24), test::moved(test::makeSphere(0.2, 16), {0.6, 0.1, 0}));
        m_delivery.name = "balls";
        m_delivery.sourceTriangles = source.triangleCount();
        for (const char* target : {"4000", "900", "200"}) {
            LevelRecipe level;
            level.target = target;
            m_delivery.recipe.levels.push_back(level);
        }
        m_delivery.recipe.switching.gonePixels = 4;
        m_delivery.recipe.budget.totalTriangles = 5000;
        m_delivery.chain = makeChain({source, "balls"}, m_delivery.recipe, {}, Progress());
    }

    void ordersTrianglesForTheCard() {
        const Mesh mesh = shuffled(test::makeSphere(1, 60));
        const Mesh ordered = inDrawOrder(mesh);
        requireSound(ordered, "the ordered");
        QVERIFY(cornersOf(ordered) == cornersOf(mesh));
        QVERIFY2(vertexWorkPerTriangle(mesh) > 2.5 && vertexWorkPerTriangle(ordered) < 0.8,
                 qPrintable(QString::number(vertexWorkPerTriangle(ordered))));
        // Numbered as they are used.
        QCOMPARE(ordered.triangles[0], (Triangle{0, 1, 2}));
        // A strip of quads known by hand: each vertex is worked out once.
        const Mesh strip = test::makeSheet(100, 1);
        QVERIFY(std::abs(vertexWorkPerTriangle(inDrawOrder(strip)) - 202.0 / 200) < 0.02);
    }

    void keepsSeamsAndSectionsInOrder() {
        Mesh mesh = test::joined(test::makeSphere(1, 10), test::moved(test::makeSphere(1, 8), {3, 0, 0}));
        // Corners with numbers of their own, so that each can be told.
        mesh.wedges.clear();
        for (TriangleId t = 0; t < mesh.triangleCount(); ++t) {
            mesh.wedges.push_back({3 * t, 3 * t + 1, 3 * t + 2});
            for (const VertexId v : mesh.triangles[t])
                mesh.uvs.emplace_back(mesh.positions[v].x(), mesh.positions[v].y());
        }
        mesh.normals.clear();
        mesh.colors.clear();
        const Mesh ordered = inDrawOrder(mesh);
        QCOMPARE(ordered.sections.size(), mesh.sections.size());
        for (TriangleId t = 0; t < ordered.triangleCount(); ++t)
            for (std::size_t k = 0; k < 3; ++k) {
                const Vec3f& p = ordered.positions[ordered.triangles[t][k]];
                QVERIFY(ordered.uvs[ordered.wedges[t][k]] == Vec2f(p.x(), p.y()));
            }
        // The first section's triangles are the first ball's.
        for (TriangleId t = 0; t < ordered.sections[0].triangleCount; ++t)
            QVERIFY(ordered.positions[ordered.triangles[t][0]].x() < 1.5f);
    }

    void drawsTheOutsideFirst() {
        // A ball inside a ball, the inner one listed first.
        Mesh mesh = test::joined(test::makeSphere(0.2, 20), test::makeSphere(1, 20));
        mesh.sections = {{0, 0, 0, std::uint32_t(mesh.triangleCount())}};
        const Mesh ordered = inDrawOrder(mesh);
        const auto radiusOf = [&](TriangleId t) { return ordered.positions[ordered.triangles[t][0]].norm(); };
        QVERIFY(radiusOf(0) > 0.9f);
        QVERIFY(radiusOf(TriangleId(ordered.triangleCount() - 1)) < 0.3f);
    }

    void standsUpAndLiesDownExactly() {
        Mesh mesh = test::dressed(test::makeBox({1, 2, 3}, 2));
        mesh.morphs.push_back({"lift", std::vector<Vec3f>(mesh.vertexCount(), Vec3f(0, 0, 1))});
        Joint joint;
        joint.local = joint.inverseBind = {1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 4, 5, 6, 1};
        mesh.skeleton.push_back(joint);
        Mesh upright = mesh;
        standUpAlongY(upright);
        const Vec3f size = boundingBox(upright).sizes();
        QCOMPARE(size, Vec3f(1, 3, 2));
        QCOMPARE(upright.morphs[0].offsets[0], Vec3f(0, 1, 0));
        QCOMPARE(upright.skeleton[0].local[13], 6.0f);
        QCOMPARE(turned(turned(Vec3f(1, 2, 3), false), true), Vec3f(1, 2, 3));
        QVERIFY(!std::signbit(turned(Vec3f(0, 0, 0), true).y()));
        standUpAlongZ(upright);
        QCOMPARE(upright.positions, mesh.positions);
        QCOMPARE(upright.normals, mesh.normals);
        QCOMPARE(upright.skeleton[0].local, mesh.skeleton[0].local);
        QCOMPARE(upright.skeleton[0].inverseBind, mesh.skeleton[0].inverseBind);
    }

    void movesTurnsAndScales() {
        Mesh mesh = test::moved(test::makeBox({2, 4, 6}), {10, 20, 30});
        const Box3f box = boundingBox(mesh);
        Placement placement;
        placement.pivot = Pivot::Ground;
        const Box3f ground = boundingBox(placed(mesh, placement, box));
        QVERIFY(ground.min().isApprox(Vec3f(-1, 0, -3)) && ground.max().isApprox(Vec3f(1, 4, 3)));
        placement.pivot = Pivot::Centre;
        placement.up = UpAxis::Z;
        const Box3f centred = boundingBox(placed(mesh, placement, box));
        QVERIFY(centred.max().isApprox(Vec3f(1, 3, 2)));
        placement = {};
        placement.metresPerUnit = 0.01;
        const Mesh scaled = placed(mesh, placement, box);
        QVERIFY(std::abs(diagonal(scaled) * scaled.metresPerUnit - diagonal(mesh) * mesh.metresPerUnit) < 1e-5);
        QVERIFY(std::abs(diagonal(scaled) / diagonal(mesh) - 100) < 1e-3);
    }

    void writesEachLevelByItsName() {
        const test::Folder folder;
        DeliverySettings settings;
        settings.pattern = "{name}/{level}";
        settings.placement.pivot = Pivot::Ground;
        const Delivered delivered = deliver(m_delivery, folder / "out", settings, Progress());
        QCOMPARE(delivered.files[1].file, std::filesystem::path("balls/LOD 1.glb"));
        for (std::size_t i = 0; i < 3; ++i) {
            const Mesh read = readMesh(folder / "out" / delivered.files[i].file, Progress()).mesh;
            QCOMPARE(read.triangleCount(), m_delivery.chain.levels[i].mesh->triangleCount());
            QCOMPARE(std::filesystem::file_size(folder / "out" / delivered.files[i].file), delivered.files[i].bytes);
            // All stand where the first one does.
            QVERIFY(std::abs(boundingBox(read).min().y()) < 0.02f);
        }
        const Json json = Json::parse(test::contentOf(folder / "out" / delivered.manifest));
        QCOMPARE(json["levels"].size(), std::size_t(3));
        const Json& second = json["levels"][1];
        QCOMPARE(second["file"].get<std::string>(), std::string("balls/LOD 1.glb"));
        QCOMPARE(second["triangles"].get<int>(), 900);
        QCOMPARE(second["switch_distance_metres"].get<double>(), m_delivery.chain.band.from[1]);
        QVERIFY(std::abs(second["return_distance_metres"].get<double>() - 0.9 * m_delivery.chain.band.from[1]) < 1e-12);
        QCOMPARE(second["until_metres"].get<double>(), m_delivery.chain.band.from[2]);
        QCOMPARE(json["levels"][2]["until_metres"].get<double>(), json["gone_metres"].get<double>());
        QVERIFY(second["pop"]["share"].get<double>() > 0 && second["pop"]["share"].get<double>() < 0.5);
        QVERIFY(second["outline_metres"]["max"].get<double>() > 0);
        QVERIFY(json["budget"][0]["over"].get<bool>());
        QVERIFY(recipeFromJson(json["recipe"].dump()) == m_delivery.recipe);
    }

    void packsIntoFewerBytes() {
        const test::Folder folder;
        const Mesh& plain = *m_delivery.chain.levels[0].mesh;
        DeliverySettings settings;
        settings.packing = GltfPacking::Quantised;
        const Delivered quantised = deliver(m_delivery, folder / "q", settings, Progress());
        QVERIFY(quantised.bytes() < 0.7 * quantised.plainBytes());
        const Mesh read = readMesh(folder / "q" / quantised.files[0].file, Progress()).mesh;
        QCOMPARE(read.triangleCount(), plain.triangleCount());
        // Steps of a 32,767th of half the box.
        const double step = 0.55 / 32767;
        QVERIFY(measureDeviation(plain, read, {}, Progress()).max < 2 * step);
        settings.packing = GltfPacking::Draco;
        const Delivered draco = deliver(m_delivery, folder / "d", settings, Progress());
        QVERIFY2(draco.bytes() < 0.25 * draco.plainBytes(),
                 qPrintable(QString("%1 of %2").arg(draco.bytes()).arg(draco.plainBytes())));
        const Mesh unpacked = readMesh(folder / "d" / draco.files[0].file, Progress()).mesh;
        QCOMPARE(unpacked.triangleCount(), plain.triangleCount());
        QVERIFY(measureDeviation(plain, unpacked, {}, Progress()).max < 2 * 1.1 / (1 << 14));
        // Cut off or damaged, it is refused with a sentence.
        const std::string bytes = test::contentOf(folder / "d" / draco.files[2].file);
        for (std::size_t size = 0; size < bytes.size(); size += 97)
            QVERIFY(!test::errorOf([&] {
                         readMesh(folder.write("cut.glb", bytes.substr(0, size)), Progress());
                     }).isEmpty());
        // Damaged anywhere, it is read or refused, and nothing worse.
        std::mt19937 random(11);
        for (int i = 0; i < 300; ++i) {
            std::string damaged = bytes;
            for (int k = 0; k < 3; ++k) damaged[random() % damaged.size()] = char(random());
            test::errorOf([&] { readMesh(folder.write("damaged.glb", damaged), Progress()); });
        }
        const Json manifest = Json::parse(draco.manifestText);
        QCOMPARE(manifest["levels"][0]["file_bytes_plain"].get<std::size_t>(), draco.files[0].plainBytes);
    }

    void keepsBordersShutWhenQuantised() {
        // Two parts that meet: their common border falls on the same places of the grid.
        Mesh mesh = test::makeSheet(20, 20);
        mesh.parts = {{"left"}, {"right"}};
        std::vector<std::uint16_t> sections;
        for (const Triangle& t : mesh.triangles) sections.push_back(mesh.positions[t[0]].x() < 0.5f ? 0 : 1);
        mesh.sections = {{0, 0, 0, 0}, {1, 0, 0, 0}};
        groupBySections(mesh, sections);
        const test::Folder folder;
        writeGltfLevels({&mesh}, {}, folder / "sheet.glb", true, GltfPacking::Quantised, Progress());
        const Mesh read = readMesh(folder / "sheet.glb", Progress()).mesh;
        QCOMPARE(read.parts.size(), std::size_t(2));
        std::set<std::array<float, 3>> places;
        for (const Vec3f& p : read.positions) places.insert({p.x(), p.y(), p.z()});
        QCOMPARE(places.size(), mesh.vertexCount());  // those on the border lie on the same places
    }

    void knowsWhatIsUpToDate() {
        const test::Folder folder;
        Delivery delivery = m_delivery;
        delivery.madeFrom = "this";
        const Delivered delivered = deliver(delivery, folder / "out", {}, Progress());
        QVERIFY(isUpToDate(folder / "out", "balls", "this"));
        QVERIFY(!isUpToDate(folder / "out", "balls", "that"));
        QVERIFY(!isUpToDate(folder / "out", "others", "this"));
        const std::filesystem::path level = folder / "out" / delivered.files[1].file;
        folder.write("out/" + delivered.files[1].file.string(), "something else");
        QVERIFY(!isUpToDate(folder / "out", "balls", "this"));
        std::filesystem::remove(level);
        QVERIFY(!isUpToDate(folder / "out", "balls", "this"));
        folder.write("out/" + delivered.manifest.string(), "no manifest");
        QVERIFY(!isUpToDate(folder / "out", "balls", "this"));
    }

    void saysWhatCannotBeDelivered() {
        const test::Folder folder;
        const auto error = [&](auto change) {
            DeliverySettings settings;
            change(settings);
            return test::errorOf([&] { deliver(m_delivery, folder / "out", settings, Progress()); });
        };
        QVERIFY(error([](DeliverySettings& s) { s.pattern = "{name}"; }).contains("put {n}"));
        QVERIFY(error([](DeliverySettings& s) {
                    s.format = "ply";
                    s.oneFile = true;
                }).contains("several levels"));
        QVERIFY(error([](DeliverySettings& s) {
                    s.format = "stl";
                    s.packing = GltfPacking::Draco;
                }).contains("compressed"));
        QVERIFY(error([](DeliverySettings& s) { s.placement.up = UpAxis::Z; }).contains("always up"));
        QVERIFY(error([](DeliverySettings& s) { s.placement.metresPerUnit = 0.01; }).contains("metres"));
        QVERIFY(!error([](DeliverySettings& s) { s.format = "doc"; }).isEmpty());
        QVERIFY(test::errorOf([] { parsePacking("zip"); }).contains("quantised"));
        QVERIFY(test::errorOf([] { parsePivot("left"); }).contains("ground"));
        QVERIFY(!std::filesystem::exists(folder / "out"));
    }

private:
    Delivery m_delivery;
};

UM_TEST(DeliveryTest)
#include "DeliveryTest.moc"

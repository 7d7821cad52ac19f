#include "base/Parallel.h"
#include "mesh/Connectivity.h"
#include "mesh/Normals.h"
#include "mesh/Polygon.h"
#include "mesh/Statistics.h"
#include "mesh/Weld.h"
#include "tests/support/Files.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <map>
#include <QTest>
#include <random>

using namespace um;

class MeshTest : public QObject {
    Q_OBJECT

private slots:
    void groupsItemsInTheirOrder() {
        // Each item is in the groups of its remainders by 7 and by 100; the reckoning beside it is a plain loop.
        constexpr std::size_t items = 50000, groups = 120;
        std::vector<std::vector<std::uint32_t>> expected(groups);
        for (std::uint32_t i = 0; i < items; ++i) {
            expected[i % 7].push_back(i);
            if (i % 100 != i % 7) expected[i % 100].push_back(i);
        }
        const Groups found = groupItems(items, groups, [](std::size_t i, const auto& visit) {
            visit(i % 7);
            if (i % 100 != i % 7) visit(i % 100);
        });
        QCOMPARE(found.count(), groups);
        for (std::size_t g = 0; g < groups; ++g)
            QVERIFY(std::equal(expected[g].begin(), expected[g].end(), found.of(g).begin(), found.of(g).end()));
        QCOMPARE(groupItems(0, 3, [](std::size_t, const auto&) {}).of(2).size(), std::size_t(0));
    }

    void weldsLikeAnOrderedMap() {
        // Some 60,000 points on a coarse lattice, so that many coincide; the reckoning beside it is a std::map.
        std::mt19937 random(1);
        std::vector<Vec3f> points;
        for (int i = 0; i < 60000; ++i)
            points.emplace_back(float(int(random() % 30)) - 15, float(random() % 30) / 7, float(random() % 30));
        const Welded welded = weldPoints(points, Progress());
        std::map<std::array<float, 3>, std::uint32_t> known;
        for (std::size_t i = 0; i < points.size(); ++i) {
            const auto [entry, isNew] = known.emplace(
                std::array<float, 3>{points[i].x() + 0.0f, points[i].y(), points[i].z()}, std::uint32_t(known.size()));
            QCOMPARE(welded.indexOf[i], entry->second);
        }
        QCOMPARE(welded.positions.size(), known.size());
    }

    void weldsMinusZeroWithZero() {
        const std::vector<Vec3f> points = {{0, 0, 0}, {-0.0f, 0, -0.0f}};
        QCOMPARE(weldPoints(points, Progress()).positions.size(), std::size_t(1));
    }

    void keepsAttributesWhenVerticesAreWelded() {
        Mesh mesh;
        mesh.positions = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {1, 0, 0}, {1, 1, 0}, {0, 1, 0}};
        mesh.triangles = {{0, 1, 2}, {3, 4, 5}};
        mesh.uvs = {{0, 0}, {1, 0}, {0, 1}, {5, 0}, {5, 5}, {0, 5}};
        QVERIFY(isTriangleSoup(mesh));
        QCOMPARE(weldVertices(mesh, Progress()), std::size_t(2));
        QCOMPARE(mesh.vertexCount(), std::size_t(4));
        QCOMPARE(mesh.uvs[mesh.wedgesOf(1)[0]].x(), 5.0f);
        QVERIFY(test::wedgesBelongToOneVertex(mesh));
    }

    void ordersTrianglesBySection() {
        Mesh mesh = test::makeSheet(4, 1);
        mesh.parts = {{"a"}, {"b"}};
        mesh.materials.resize(2);
        const std::vector<Triangle> before = mesh.triangles;
        groupIntoSections(mesh, {{0, 1, 0}, {2, 0, 1}, {4, 1, 0}, {6, 0, 0}});
        QCOMPARE(mesh.sections.size(), std::size_t(3));
        QCOMPARE(mesh.triangles[0], before[6]);  // part 0, material 0 comes first
        QCOMPARE(mesh.sections[2].triangleCount, std::uint32_t(4));
        requireSound(mesh, "sheet");
    }

    void countsACubeRight() {
        const MeshStatistics statistics = gatherStatistics(test::makeBox({1, 2, 3}, 4), Progress());
        const Statistics& s = statistics.whole;
        QCOMPARE(s.triangles, std::size_t(192));
        QCOMPARE(s.vertices, std::size_t(98));
        QCOMPARE(s.pieces, std::size_t(1));
        QCOMPARE(s.borderEdges, std::size_t(0));
        QVERIFY(s.sound());
        QVERIFY(std::abs(s.area - 22) < 1e-5);
        QCOMPARE(s.box.sizes(), Vec3f(1, 2, 3));
    }

    void countsBordersAndPieces() {
        const Mesh two = test::joined(test::makeSheet(3, 2), test::moved(test::makeSheet(1, 1), {5, 0, 0}));
        const MeshStatistics s = gatherStatistics(two, Progress());
        QCOMPARE(s.whole.borderEdges, std::size_t(10 + 4));
        QCOMPARE(s.whole.borderLoops, std::size_t(2));
        QCOMPARE(s.whole.pieces, std::size_t(2));
        QCOMPARE(s.parts[0].triangles, std::size_t(12));
        QCOMPARE(s.parts[1].borderEdges, std::size_t(4));
    }

    void findsWhatIsNotSound() {
        Mesh mesh;
        mesh.positions = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, -1, 0}, {0, 0, 1}, {9, 9, 9}};
        mesh.triangles = {{0, 1, 2},
                          {1, 0, 3},
                          {0, 1, 4},   // three on the edge 0-1
                          {0, 2, 1},   // the first again, turned over
                          {2, 2, 4}};  // no area
        ensureSections(mesh, "broken");
        const Statistics s = gatherStatistics(mesh, Progress()).whole;
        QCOMPARE(s.nonManifoldEdges, std::size_t(1));
        QCOMPARE(s.duplicateTriangles, std::size_t(1));
        QCOMPARE(s.zeroAreaTriangles, std::size_t(1));
        QCOMPARE(s.isolatedVertices, std::size_t(1));
        QVERIFY(!s.sound());
    }

    void findsInconsistentWinding() {
        Mesh mesh = test::makeSheet(1, 1);
        std::swap(mesh.triangles[1][1], mesh.triangles[1][2]);
        QCOMPARE(gatherStatistics(mesh, Progress()).whole.windingEdges, std::size_t(1));
    }

    void cutsConcavePolygonsWithoutOverlap() {
        // An L of area 3: fans from any corner but two would cover more.
        const std::vector<Vec3f> corners = {{0, 0, 0}, {2, 0, 0}, {2, 1, 0}, {1, 1, 0}, {1, 2, 0}, {0, 2, 0}};
        for (std::size_t turn = 0; turn < corners.size(); ++turn) {
            std::vector<Vec3f> turned(corners.begin() + long(turn), corners.end());
            turned.insert(turned.end(), corners.begin(), corners.begin() + long(turn));
            std::vector<Triangle> triangles;
            triangulatePolygon(turned, triangles);
            QCOMPARE(triangles.size(), std::size_t(4));
            QVERIFY(std::abs(test::areaOfCut(turned, triangles) - 3) < 1e-9);
            for (const Triangle& t : triangles)
                QVERIFY((turned[t[1]] - turned[t[0]]).cross(turned[t[2]] - turned[t[0]]).z() >= 0);
        }
    }

    void cutsPolygonsWithHolesReachedBySlits() {
        // A disc with two round holes, each reached and left along the same slit, as programs write faces with holes.
        const auto ring = [](std::size_t count, float radius, float x, bool backwards) {
            std::vector<Vec3f> points;
            for (std::size_t i = 0; i < count; ++i) {
                const float angle = float(2 * pi * double(backwards ? count - i : i) / double(count));
                points.emplace_back(x + radius * std::cos(angle), radius * std::sin(angle), 3.0f);
            }
            return points;
        };
        const std::vector<Vec3f> rim = ring(40, 1, 0, false);
        std::vector<Vec3f> corners;
        const auto throughSlit = [&](const std::vector<Vec3f>& hole, std::size_t first) {
            for (std::size_t i = 0; i <= hole.size(); ++i) corners.push_back(hole[(first + i) % hole.size()]);
        };
        corners.push_back(rim[0]);
        throughSlit(ring(20, 0.3f, 0.4f, true), 0);
        corners.insert(corners.end(), rim.begin(), rim.begin() + 21);
        throughSlit(ring(30, 0.2f, -0.5f, true), 15);
        corners.insert(corners.end(), rim.begin() + 20, rim.end());

        std::vector<Triangle> triangles;
        triangulatePolygon(corners, triangles);
        QCOMPARE(triangles.size(), corners.size() - 2);
        const auto area = [](double count, double radius) {
            return count / 2 * radius * radius * std::sin(2 * pi / count);
        };
        const double due = area(40, 1) - area(20, 0.3) - area(30, 0.2);
        QVERIFY(std::abs(test::areaOfCut(corners, triangles) - due) < 1e-5);
    }

    void cutsPolygonsWithManyCorners() {
        // A cogwheel of 100,000 corners. Looked through naively, it would take most of a minute.
        std::vector<Vec3f> corners;
        const std::size_t count = 100'000;
        double due = 0;
        for (std::size_t i = 0; i < count; ++i) {
            const double angle = 2 * pi * double(i) / double(count), r = 1 + 0.2 * std::sin(40 * angle);
            corners.emplace_back(0.0f, float(r * std::cos(angle)), float(r * std::sin(angle)));
        }
        for (std::size_t i = 0; i < count; ++i) {
            const Vec3d a = corners[i].cast<double>(), b = corners[(i + 1) % count].cast<double>();
            due += a.cross(b).x() / 2;
        }
        std::vector<Triangle> triangles;
        triangulatePolygon(corners, triangles);
        QCOMPARE(triangles.size(), count - 2);
        QVERIFY(std::abs(test::areaOfCut(corners, triangles) - due) < 1e-5);
    }

    void splitsNormalsAtCreasesOnly() {
        Mesh box = test::makeBox({1, 1, 1}, 3);
        makeNormals(box, 50);
        QVERIFY(test::wedgesBelongToOneVertex(box));
        for (std::size_t t = 0; t < box.triangleCount(); ++t) {
            const Triangle& v = box.triangles[t];
            const Vec3d face = areaNormal(box.positions[v[0]].cast<double>(), box.positions[v[1]].cast<double>(),
                                          box.positions[v[2]].cast<double>())
                                   .normalized();
            for (const WedgeId w : box.wedgesOf(TriangleId(t)))
                QVERIFY((box.normals[w].cast<double>() - face).norm() < 1e-5);
        }
        Mesh sphere = test::makeSphere(1, 16);
        makeNormals(sphere, 50);
        QCOMPARE(sphere.normals.size(), sphere.vertexCount());
        for (std::size_t t = 0; t < sphere.triangleCount(); ++t)
            for (std::size_t c = 0; c < 3; ++c)
                QVERIFY((sphere.normals[sphere.wedgesOf(TriangleId(t))[c]] - sphere.positions[sphere.triangles[t][c]])
                            .norm() < 0.02f);
    }

    void refusesWhatIsNotSound() {
        Mesh mesh = test::makeSheet(1, 1);
        mesh.triangles[1][2] = 77;
        QVERIFY(test::errorOf([&] { requireSound(mesh, "It"); }).contains("78"));
        mesh = test::makeSheet(1, 1);
        mesh.positions[2].y() = std::numeric_limits<float>::quiet_NaN();
        QVERIFY(test::errorOf([&] { requireSound(mesh, "It"); }).contains("vertex 3"));
        mesh = test::makeSheet(1, 1);
        mesh.sections[0].triangleCount = 1;
        QVERIFY(!test::errorOf([&] { requireSound(mesh, "It"); }).isEmpty());
        QVERIFY(test::errorOf([&] { requireSound(Mesh(), "It"); }).contains("no triangles"));
    }

    void refusesEachThingThatDoesNotFit() {
        const Mesh sound = [] {
            Mesh mesh = test::makeSheet(2, 2);
            for (const Vec3f& p : mesh.positions) {
                mesh.uvs.emplace_back(p.x(), p.z());
                mesh.influences.push_back({{0, 0, 0, 0}, {1, 0, 0, 0}});
            }
            mesh.skeleton.resize(1);
            mesh.morphs = {{"wide", std::vector<Vec3f>(mesh.vertexCount(), Vec3f::Zero())}};
            mesh.textures.resize(1);
            mesh.materials[0].occlusionTexture.texture = 0;
            return mesh;
        }();
        requireSound(sound, "It");
        const auto said = [&](const std::function<void(Mesh&)>& damage) {
            Mesh mesh = sound;
            damage(mesh);
            return test::errorOf([&] { requireSound(mesh, "It"); });
        };
        QVERIFY(!said([](Mesh& m) { m.uvs.pop_back(); }).isEmpty());
        QVERIFY(said([](Mesh& m) { m.normals.resize(3); }).contains("attributes of different counts"));
        QVERIFY(said([](Mesh& m) { m.wedges = {{0, 1, 2}}; }).contains("attributes of different counts"));
        QVERIFY(!said([](Mesh& m) {
                     m.wedges = m.triangles;
                     m.wedges[3][1] = 999;
                 }).isEmpty());
        QVERIFY(said([](Mesh& m) { m.influences.pop_back(); }).contains("skin or blend shapes"));
        QVERIFY(said([](Mesh& m) { m.influences[2].joints[0] = 5; }).contains("skin or blend shapes"));
        QVERIFY(said([](Mesh& m) { m.influences[2] = {{5, 5, 5, 5}, {0, 0, 0, 0}}; }).isEmpty());  // follows nothing
        QVERIFY(said([](Mesh& m) { m.morphs[0].offsets.resize(1); }).contains("skin or blend shapes"));
        QVERIFY(said([](Mesh& m) { m.textures.clear(); }).contains("a texture that is not there"));
        QVERIFY(said([](Mesh& m) { m.sections[0].firstTriangle = 1; }).contains("do not cover its triangles in order"));
        QVERIFY(said([](Mesh& m) { m.sections[0].part = 3; }).contains("do not cover"));
        QVERIFY(said([](Mesh& m) { m.sections[0].material = 3; }).contains("do not cover"));
        QVERIFY(said([](Mesh& m) { m.sections.clear(); }).contains("do not cover all its triangles"));
        QVERIFY(said([](Mesh& m) {
                    m.positions[7].z() = -std::numeric_limits<float>::infinity();
                }).contains("vertex 8 has a coordinate that is not a finite number"));
    }

    void convertsUnitsOfAllThatHasALength() {
        Mesh mesh = test::makeSheet(2, 2, 3, 5);
        mesh.metresPerUnit = 0.01;
        mesh.morphs = {{"wide", std::vector<Vec3f>(mesh.vertexCount(), Vec3f(1, 2, 3))}};
        Joint joint;
        joint.local = joint.inverseBind = {0, 1, 0, 0, -1, 0, 0, 0, 0, 0, 1, 0, 10, 20, 30, 1};
        mesh.skeleton = {joint};
        const Mesh before = mesh;
        convertUnit(mesh, 0.01);
        QCOMPARE(mesh.positions, before.positions);
        convertUnit(mesh, 0.1);  // ten of them in one
        QCOMPARE(mesh.metresPerUnit, 0.1);
        for (std::size_t v = 0; v < mesh.vertexCount(); ++v)
            QVERIFY((mesh.positions[v] - before.positions[v] / 10).norm() < 1e-6f);
        QVERIFY((mesh.morphs[0].offsets[4] - Vec3f(0.1f, 0.2f, 0.3f)).norm() < 1e-6f);
        for (const auto& matrix : {mesh.skeleton[0].local, mesh.skeleton[0].inverseBind})
            for (std::size_t i = 0; i < 16; ++i)  // turns are not lengths
                QVERIFY(std::abs(matrix[i] - joint.local[i] / (i >= 12 && i < 15 ? 10 : 1)) < 1e-6f);
        convertUnit(mesh, 0.01);
        for (std::size_t v = 0; v < mesh.vertexCount(); ++v)
            QVERIFY((mesh.positions[v] - before.positions[v]).norm() < 1e-5f);
    }

    void takesPartsOutWithTheirAttributes() {
        Mesh mesh = test::joined(test::makeSheet(2, 2), test::moved(test::makeSheet(1, 1), {5, 0, 0}));
        addUvs(mesh);
        const Mesh second = extractParts(mesh, {false, true});
        requireSound(second, "part");
        QCOMPARE(second.triangleCount(), std::size_t(2));
        QCOMPARE(second.vertexCount(), std::size_t(4));
        for (std::size_t t = 0; t < 2; ++t)
            for (std::size_t c = 0; c < 3; ++c)
                QCOMPARE(second.uvs[second.wedgesOf(TriangleId(t))[c]].x(),
                         second.positions[second.triangles[t][c]].x());
    }

    void takesTheSurfaceOfAPartOutAlone() {
        Mesh mesh = test::joined(test::makeSheet(2, 2), test::moved(test::makeSheet(1, 1), {5, 0, 0}));
        addUvs(mesh);
        mesh.materials.resize(4);
        mesh.sections = {{0, 0, 0, 8}, {1, 3, 8, 1}, {1, 1, 9, 1}};
        requireSound(mesh, "mesh");
        const auto sections = sectionsByPart(mesh);
        QCOMPARE(sections[1].size(), std::size_t(2));
        const Mesh second = extractSurface(mesh, sections[1]);
        requireSound(second, "surface");
        const Mesh same = extractParts(mesh, {false, true});
        QCOMPARE(second.positions, same.positions);
        QVERIFY(second.uvs == same.uvs && second.wedges == same.wedges && second.triangles == same.triangles);
        const MeshStatistics all = gatherStatistics(mesh, Progress());
        QCOMPARE(all.parts[0].materials, std::size_t(1));
        QCOMPARE(all.parts[1].materials, std::size_t(2));
        QVERIFY(all.parts[1].hasUvs && all.parts[1].triangles == 2);
    }

private:
    static void addUvs(Mesh& mesh) {
        for (const Vec3f& p : mesh.positions) mesh.uvs.emplace_back(p.x(), p.z());
    }
};

UM_TEST(MeshTest)
#include "MeshTest.moc"

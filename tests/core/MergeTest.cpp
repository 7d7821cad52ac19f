// Several materials in one sheet: what is seen stays the same, and so does the geometry.
#include "bake/AlikeMaterials.h"
#include "bake/MergeForecast.h"
#include "base/Error.h"
#include "tests/support/Files.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <QTest>

using namespace um;

namespace {

template <class Value>
Texture texture(const char* name, int size, const Value& value) {
    Image image;
    image.width = image.height = size;
    for (int y = 0; y < size; ++y)
        for (int x = 0; x < size; ++x) image.texels.push_back(value(x, y));
    return {name, "image/png", std::make_shared<const std::string>(pngOf(image)), size, size};
}

// Four parts: a painted sheet, one whose texture repeats, a plain ball, and a pane that lets light through.
Mesh kit() {
    Mesh painted = test::makeSheet(6, 6), tiled = test::moved(test::makeSheet(5, 5), {2, 0, 0}),
         ball = test::moved(test::makeSphere(0.5, 6), {4, 0, 0}), pane = test::moved(test::makeSheet(2, 2), {6, 0, 0});
    for (const Vec3f& p : painted.positions) painted.uvs.emplace_back(p.x(), p.z());
    for (const Vec3f& p : tiled.positions) tiled.uvs.emplace_back(2.5f * (p.x() - 2), 2.5f * p.z());
    ball.uvs.assign(ball.vertexCount(), Vec2f(0.25f, 0.25f));
    for (const Vec3f& p : pane.positions) pane.uvs.emplace_back(p.x() - 6, p.z());
    Mesh mesh = test::joined(test::joined(painted, tiled), test::joined(ball, pane));
    mesh.normals.assign(mesh.vertexCount(), Vec3f(0, 1, 0));
    mesh.materials.assign(4, {});
    for (std::uint32_t i = 0; i < 4; ++i) {
        mesh.sections[i].material = i;
        mesh.materials[i].name = std::string("m") + char('0' + i);
        mesh.materials[i].baseColor = {1, 1, 1, 1};
    }
    mesh.textures.push_back(texture("paint", 128, [](int x, int y) {
        return std::array<std::uint8_t, 4>{std::uint8_t(x), std::uint8_t(60 + y), 90, 255};
    }));
    mesh.textures.push_back(texture("tiles", 64, [](int x, int y) {
        const bool isDark = (x / 16 + y / 16) % 2 == 0;
        return std::array<std::uint8_t, 4>{std::uint8_t(isDark ? 60 : 200), std::uint8_t(isDark ? 90 : 180), 40, 255};
    }));
    mesh.textures.push_back(texture("bumps", 64, [](int x, int y) {
        const double a = 0.3 * std::sin(2 * pi * x / 64), b = 0.3 * std::cos(2 * pi * y / 64);
        const Vec3d n = Vec3d(a, b, 1).normalized();
        const auto byte = [](double v) { return std::uint8_t(std::lround((v + 1) / 2 * 255)); };
        return std::array<std::uint8_t, 4>{byte(n.x()), byte(n.y()), byte(n.z()), 255};
    }));
    mesh.materials[0].baseColorTexture.texture = 0;
    mesh.materials[0].roughness = 0.25f;
    mesh.materials[1].baseColorTexture.texture = 1;
    mesh.materials[1].normalTexture.texture = 2;
    mesh.materials[2].baseColor = {0.2f, 0.4f, 0.1f, 1};
    mesh.materials[2].metallic = 1;
    mesh.materials[3].baseColor = {0.5f, 0.5f, 1, 0.4f};
    mesh.materials[3].alpha = Material::Alpha::Blend;
    requireSound(mesh, "kit");
    return mesh;
}

}  // namespace

class MergeTest : public QObject {
    Q_OBJECT

private slots:
    void looksTheSameAsBefore() {
        const Mesh mesh = kit();
        MergeSettings settings;
        settings.sheet = 512;
        const Merged merged = mergeMaterials(mesh, settings, Progress());
        QVERIFY(merged.sheets[0].density >= 1);
        std::vector<std::string> notes;
        const SurfaceMaterial before(mesh, notes), after(merged.mesh, notes);
        // Triangles have changed places: they are found again by their corners.
        std::map<Triangle, TriangleId> place;
        for (TriangleId t = 0; t < merged.mesh.triangleCount(); ++t) place[merged.mesh.triangles[t]] = t;
        QCOMPARE(place.size(), mesh.triangleCount());
        double color = 0, surface = 0, angle = 0;
        int count = 0;
        for (TriangleId t = 0; t < mesh.triangleCount(); ++t)
            for (const Vec3f& at : {Vec3f(1.0f / 3, 1.0f / 3, 1.0f / 3), Vec3f(0.5f, 0.3f, 0.2f)}) {
                const SurfaceLook a = before.look(t, at), b = after.look(place.at(mesh.triangles[t]), at);
                for (int c = 0; c < 3; ++c)
                    color +=
                        std::abs(int(valueOf(double(a.baseColor[c]))) - int(valueOf(double(b.baseColor[c])))) / 3.0;
                surface += 255 * double(std::abs(a.roughness - b.roughness) + std::abs(a.metallic - b.metallic));
                surface += 255 * double(std::abs(a.opacity - b.opacity));
                angle += std::acos(std::min(1.0, double(a.normal.dot(b.normal)))) * 180 / pi;
                ++count;
            }
        QVERIFY2(color / count < 1, qPrintable(QString("%1 of 255").arg(color / count)));
        QVERIFY2(surface / count < 1, qPrintable(QString("%1 of 255").arg(surface / count)));
        QVERIFY2(angle / count < 1, qPrintable(QString("%1 degrees").arg(angle / count)));
    }

    void leavesTheGeometryAlone() {
        Mesh mesh = kit();
        mesh.morphs.push_back({"smile", std::vector<Vec3f>(mesh.vertexCount(), Vec3f(0, 0.1f, 0))});
        mesh.skeleton.push_back({"root",
                                 -1,
                                 {1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1},
                                 {1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1}});
        mesh.influences.assign(mesh.vertexCount(), {{0, 0, 0, 0}, {1, 0, 0, 0}});
        MergeSettings settings;
        settings.sheet = 256;
        const Merged merged = mergeMaterials(mesh, settings, Progress());
        QCOMPARE(merged.mesh.positions, mesh.positions);
        QCOMPARE(merged.mesh.influences, mesh.influences);
        QCOMPARE(merged.mesh.morphs[0].offsets, mesh.morphs[0].offsets);
        auto sorted = [](std::vector<Triangle> triangles) {
            std::sort(triangles.begin(), triangles.end());
            return triangles;
        };
        QCOMPARE(sorted(merged.mesh.triangles), sorted(mesh.triangles));
        QCOMPARE(merged.mesh.parts.size(), mesh.parts.size());
    }

    void costsWhatWasPredicted() {
        const Mesh mesh = kit();
        const MaterialCost before = materialCostOf(mesh);
        QCOMPARE(before.materials, std::size_t(4));
        QCOMPARE(before.textures, std::size_t(3));
        QCOMPARE(before.drawCalls, std::size_t(4));
        QCOMPARE(before.textureBytes, 4.0 * (128 * 128 + 2 * 64 * 64) * 4 / 3);
        for (const bool join : {false, true}) {
            MergeSettings settings;
            settings.sheet = 256;
            settings.dress.joinParts = join;
            const MaterialCost predicted = predictMerge(mesh, settings);
            const MaterialCost after = materialCostOf(mergeMaterials(mesh, settings, Progress()).mesh);
            QCOMPARE(after.materials, predicted.materials);
            QCOMPARE(after.textures, predicted.textures);
            QCOMPARE(after.drawCalls, predicted.drawCalls);
            QCOMPARE(after.textureBytes, predicted.textureBytes);
            QCOMPARE(after.materials, std::size_t(2));  // the pane is drawn in another way
            QCOMPARE(after.drawCalls, std::size_t(join ? 2 : 4));
        }
    }

    void putsMaterialsWhereTheyAreTold() {
        Mesh mesh = kit();
        mesh.colors.assign(mesh.wedgeCount(), Color{255, 128, 64, 255});
        MergeSettings settings;
        settings.sheet = 256;
        settings.sheetOf = {0, leftOut, 5, 5};  // 5 counts as the second
        const MaterialCost predicted = predictMerge(mesh, settings);
        const Merged merged = mergeMaterials(mesh, settings, Progress());
        requireSound(merged.mesh, "merged");
        QCOMPARE(merged.sheets.size(), std::size_t(2));
        const MaterialCost cost = materialCostOf(merged.mesh);
        QCOMPARE(cost.materials, predicted.materials);
        QCOMPARE(cost.textures, predicted.textures);
        QCOMPARE(cost.drawCalls, predicted.drawCalls);
        QCOMPARE(cost.textureBytes, predicted.textureBytes);
        // A sheet, the second one drawn in two ways, and what was left out with its two textures.
        QCOMPARE(predicted.materials, std::size_t(4));
        QCOMPARE(predicted.textures, std::size_t(3 + 3 + 2));
        const Material& kept = merged.mesh.materials.back();
        QCOMPARE(kept.name, std::string("m1"));
        QCOMPARE(merged.mesh.textures[std::size_t(kept.baseColorTexture.texture)].name, std::string("tiles"));
        QCOMPARE(merged.mesh.textures[std::size_t(kept.normalTexture.texture)].name, std::string("bumps"));
        std::vector<std::string> notes;
        const SurfaceMaterial before(mesh, notes), after(merged.mesh, notes);
        std::map<Triangle, TriangleId> place;
        for (TriangleId t = 0; t < merged.mesh.triangleCount(); ++t) place[merged.mesh.triangles[t]] = t;
        for (TriangleId t = 0; t < mesh.triangleCount(); ++t) {
            const Vec3f at = Vec3f::Constant(1.0f / 3);
            const SurfaceLook a = before.look(t, at), b = after.look(place.at(mesh.triangles[t]), at);
            QVERIFY2((a.baseColor - b.baseColor).norm() < 0.03f, qPrintable(QString::number(t)));
            QVERIFY(std::abs(a.opacity - b.opacity) < 0.01f);
        }
        settings.sheetOf.assign(4, leftOut);
        QVERIFY(test::errorOf([&] { mergeMaterials(mesh, settings, Progress()); }).contains("sheet"));
    }

    void onlyJoinsWhereAllKeepTheirTextures() {
        const Mesh mesh = kit();
        MergeSettings settings;
        settings.sheetOf.assign(4, leftOut);
        settings.alike = {{0, 2}};
        const Merged merged = mergeMaterials(mesh, settings, Progress());
        QVERIFY(merged.sheets.empty());
        QCOMPARE(merged.mesh.uvs, mesh.uvs);
        QCOMPARE(materialCostOf(merged.mesh).materials, std::size_t(3));
        QCOMPARE(materialCostOf(merged.mesh).materials, predictMerge(mesh, settings).materials);
    }

    void tellsWhatMaterialsTakeOfASheet() {
        const Mesh mesh = kit();
        const std::vector<MaterialRoom> rooms = materialRooms(mesh);
        QVERIFY(std::abs(rooms[0].texels - 128 * 128) < 1);
        QVERIFY(!rooms[0].repeats && std::abs(rooms[0].timesOver - 1) < 1e-3);
        QVERIFY(rooms[1].repeats && std::abs(rooms[1].timesOver - 6.25) < 1e-3);
        QVERIFY(std::abs(rooms[1].texels - 160 * 160) < 1);
        QCOMPARE(rooms[2].texels, 0.0);
        QCOMPARE(rooms[1].textureBytes, 2 * 4.0 * 64 * 64 * 4 / 3);
        // Leaving out what repeats gives the others more room; what is laid out beforehand is what comes of it.
        double before = 0;
        for (const bool without : {false, true}) {
            MergeSettings settings;
            settings.sheet = 128;
            settings.padding = 2;
            settings.sheetOf = {0, without ? leftOut : 0, 0, 0};
            const double predicted = layOutMerge(mesh, settings, Progress()).at(0).density;
            QCOMPARE(mergeMaterials(mesh, settings, Progress()).sheets[0].density, predicted);
            QVERIFY(predicted > 1.5 * before);
            before = predicted;
        }
    }

    void saysWhatItCosts() {
        MergeSettings settings;
        settings.sheet = 64;
        settings.padding = 2;
        QString said;
        for (const std::string& note : mergeMaterials(kit(), settings, Progress()).notes)
            said += QString::fromStdString(note) + " ";
        QVERIFY2(said.contains("m1 repeats"), qPrintable(said));
        QVERIFY2(said.contains("larger sheet"), qPrintable(said));
        QVERIFY2(said.contains("transparent"), qPrintable(said));
    }

    void sharesTheSheetOut() {
        // A large plain sheet, and a small one with as many texels.
        Mesh large = test::makeSheet(4, 4, 4, 4), little = test::moved(test::makeSheet(4, 4), {6, 0, 0});
        for (Mesh* part : {&large, &little}) {
            const Box3f box = boundingBox(*part);
            for (const Vec3f& p : part->positions)
                part->uvs.emplace_back((p.x() - box.min().x()) / box.sizes().x(),
                                       (p.z() - box.min().z()) / box.sizes().z());
        }
        Mesh mesh = test::joined(large, little);
        mesh.textures.push_back(texture("even", 64, [](int, int) {
            return std::array<std::uint8_t, 4>{9, 9, 9, 255};
        }));
        mesh.materials[0].baseColorTexture.texture = 0;
        for (Section& section : mesh.sections) section.material = 0;
        const auto ratio = [&](SheetShare share) {
            MergeSettings settings;
            settings.sheet = 256;
            settings.share = share;
            const Mesh merged = mergeMaterials(mesh, settings, Progress()).mesh;
            double first = 0, second = 0;
            for (TriangleId t = 0; t < merged.triangleCount(); ++t) {
                const Triangle& w = merged.wedgesOf(t);
                const Vec2f ab = merged.uvs[w[1]] - merged.uvs[w[0]], ac = merged.uvs[w[2]] - merged.uvs[w[0]];
                const double area = std::abs(double(ab.x() * ac.y() - ab.y() * ac.x()));
                (merged.positions[merged.triangles[t][0]].x() < 5 ? first : second) += area;
            }
            return first / second;
        };
        QVERIFY(std::abs(ratio(SheetShare::Density) - 1) < 0.01);
        QVERIFY(std::abs(ratio(SheetShare::Area) - 16) < 0.3);
        QVERIFY(std::abs(ratio(SheetShare::Seen) - 16) < 2);
        QVERIFY(test::errorOf([] { parseSheetShare("luck"); }).contains("luck"));
    }

    void mergesWhatHasNoUvs() {
        Mesh mesh = test::joined(test::makeSphere(1, 4), test::moved(test::makeBox({1, 1, 1}), {3, 0, 0}));
        mesh.materials.assign(2, {});
        mesh.materials[0].baseColor = {1, 0, 0, 1};
        mesh.materials[1].baseColor = {0, 0, 1, 1};
        mesh.sections[1].material = 1;
        MergeSettings settings;
        settings.sheet = 64;
        settings.dress.joinParts = true;
        const Merged merged = mergeMaterials(mesh, settings, Progress());
        QCOMPARE(merged.mesh.sections.size(), std::size_t(1));
        std::vector<std::string> notes;
        const SurfaceMaterial after(merged.mesh, notes);
        for (TriangleId t = 0; t < merged.mesh.triangleCount(); ++t) {
            const bool isBox = merged.mesh.positions[merged.mesh.triangles[t][0]].x() > 2;
            const Vec3f color = after.look(t, Vec3f::Constant(1.0f / 3)).baseColor;
            QVERIFY((color - Vec3f(isBox ? 0 : 1, 0, isBox ? 1 : 0)).norm() < 1e-4f);
        }
    }

    void findsMaterialsThatAreNearlyTheSame() {
        const auto sheet = [](float y) { return test::moved(test::makeSheet(2, 2), {0, double(y), 0}); };
        Mesh mesh = test::joined(test::joined(test::joined(sheet(0), sheet(1)), sheet(2)), sheet(3));
        mesh.materials.assign(4, Material());
        for (std::uint32_t m = 0; m < 4; ++m) {
            mesh.materials[m].name = std::string(1, char('A' + m));
            mesh.sections[m].material = m;
        }
        mesh.materials[2].roughness += 0.01f;    // nearly the same
        mesh.materials[3].baseColor[0] += 0.1f;  // clearly another
        mesh.materials.push_back(Material());    // of nothing
        using Groups = std::vector<std::vector<std::uint32_t>>;
        QCOMPARE(findAlikeMaterials(mesh, Alikeness::Nearly, Progress()), (Groups{{0, 1, 2}}));
        // Glass is drawn in another way, however much it is alike.
        mesh.materials[1].alpha = Material::Alpha::Blend;
        QCOMPARE(findAlikeMaterials(mesh, Alikeness::Nearly, Progress()), (Groups{{0, 2}}));
        mesh.materials[1].alpha = Material::Alpha::Opaque;
        // Pictures go by what they show.
        const auto picture = [&](int value) {
            Image image;
            image.width = image.height = 8;
            image.texels.assign(64, {std::uint8_t(value), 100, 100, 255});
            mesh.textures.push_back({"t", "image/png", std::make_shared<const std::string>(pngOf(image)), 8, 8});
            return int(mesh.textures.size()) - 1;
        };
        mesh.materials[0].baseColorTexture.texture = picture(100);
        mesh.materials[1].baseColorTexture.texture = picture(104);  // off by 1 of 255 on average
        mesh.materials[2].baseColorTexture.texture = picture(140);
        QCOMPARE(findAlikeMaterials(mesh, Alikeness::Nearly, Progress()), (Groups{{0, 1}}));
        mesh.textures[1].bytes = std::make_shared<const std::string>("no picture");
        QVERIFY(findAlikeMaterials(mesh, Alikeness::Nearly, Progress()).empty());

        // On the whole it is how bright and how varied they are, whatever the size.
        const auto stripes = [&](int size, int width, int dark) {
            Image image;
            image.width = image.height = size;
            for (int i = 0; i < size * size; ++i)
                image.texels.push_back({std::uint8_t(i / width % 2 == 0 ? dark : 200), 100, 100, 255});
            mesh.textures.push_back({"s", "image/png", std::make_shared<const std::string>(pngOf(image)), size, size});
            return int(mesh.textures.size()) - 1;
        };
        mesh.materials[0].baseColorTexture.texture = stripes(8, 2, 40);
        mesh.materials[1].baseColorTexture.texture = stripes(16, 4, 44);
        mesh.materials[2].baseColorTexture.texture = stripes(16, 4, 120);
        QVERIFY(findAlikeMaterials(mesh, Alikeness::Nearly, Progress()).empty());
        QCOMPARE(findAlikeMaterials(mesh, Alikeness::OnTheWhole, Progress()), (Groups{{0, 1}}));

        const std::size_t triangles = mesh.triangleCount();
        const double before = test::volume(mesh);
        for (Section& section : mesh.sections) section.part = 0;
        joinAlikeMaterials(mesh, {{0, 1}});
        requireSound(mesh, "joined");
        QCOMPARE(mesh.sections.size(), std::size_t(3));
        QCOMPARE(mesh.triangleCount(), triangles);
        QCOMPARE(test::volume(mesh), before);
    }
};

UM_TEST(MergeTest)
#include "MergeTest.moc"

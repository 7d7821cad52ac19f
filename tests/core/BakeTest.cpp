// What a source looks like, carried over to a level's textures: held against shapes of which it is known.
#include "bake/Bake.h"
#include "base/Error.h"
#include "mesh/Join.h"
#include "mesh/Materials.h"
#include "mesh/UvMap.h"
#include "reduce/Reduce.h"
#include "tests/support/Files.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <QImage>
#include <QTest>
#include <set>

using namespace um;

namespace {

Texture textureOf(const Image& image, const std::string& name) {
    Texture texture;
    texture.name = name;
    texture.mimeType = "image/png";
    texture.bytes = std::make_shared<const std::string>(pngOf(image));
    texture.width = image.width;
    texture.height = image.height;
    return texture;
}

template <class Value>
Image imageOf(int size, const Value& value) {
    Image image;
    image.width = image.height = size;
    for (int y = 0; y < size; ++y)
        for (int x = 0; x < size; ++x) image.texels.push_back(value(x, y));
    return image;
}

BakeSettings small(int size, int samples = 1) {
    BakeSettings settings;
    settings.transfer.size = size;
    settings.transfer.samples = samples;
    return settings;
}

// Calls `visit` with the middle of each triangle and a few places around it.
template <class Visit>
void forPlaces(const Mesh& mesh, const Visit& visit) {
    for (TriangleId t = 0; t < mesh.triangleCount(); ++t)
        for (const Vec3f& at : {Vec3f(1.0f / 3, 1.0f / 3, 1.0f / 3), Vec3f(0.6f, 0.2f, 0.2f), Vec3f(0.2f, 0.6f, 0.2f),
                                Vec3f(0.2f, 0.2f, 0.6f)}) {
            Vec3f place = Vec3f::Zero();
            for (std::size_t k = 0; k < 3; ++k) place += at[long(k)] * mesh.positions[mesh.triangles[t][k]];
            visit(t, at, place);
        }
}

double degreesBetween(const Vec3f& a, const Vec3f& b) {
    return std::acos(std::clamp(double(a.normalized().dot(b.normalized())), -1.0, 1.0)) * 180 / pi;
}

}  // namespace

class BakeTest : public QObject {
    Q_OBJECT

private slots:
    // The normals of a ball are known: a coarse one with the normal map of a fine one shows them.
    void bakesTheNormalsOfABall() {
        const Mesh source = test::makeSphere(1, 60), level = test::makeSphere(1, 5);
        const Baked baked = bake(source, level, small(512, 2), Progress());
        QCOMPARE(baked.missed, std::size_t(0));
        std::vector<std::string> notes;
        const SurfaceMaterial material(baked.level, notes);
        double sum = 0, worst = 0;
        int count = 0;
        forPlaces(baked.level, [&](TriangleId t, const Vec3f& at, const Vec3f& place) {
            const double off = degreesBetween(material.look(t, at).normal, place);
            sum += off;
            worst = std::max(worst, off);
            ++count;
        });
        QVERIFY2(sum / count < 1.5, qPrintable(QString("%1 degrees on average").arg(sum / count)));
        QVERIFY2(worst < 6, qPrintable(QString("%1 degrees at worst").arg(worst)));
        // Without the map it would be far off.
        SurfaceMaterial bare(level, notes);
        double without = 0;
        forPlaces(level, [&](TriangleId t, const Vec3f&, const Vec3f& place) {
            const Triangle& c = level.triangles[t];
            without +=
                degreesBetween(areaNormal(level.positions[c[0]].cast<double>(), level.positions[c[1]].cast<double>(),
                                          level.positions[c[2]].cast<double>())
                                   .cast<float>(),
                               place);
        });
        QVERIFY(without / count > 4 * sum / count);
    }

    void keepsFlatColorsExactly() {
        Mesh source = test::joined(test::makeSphere(1, 20), test::moved(test::makeBox({1, 1, 1}, 3), {3, 0, 0}));
        source.materials.resize(2);
        source.materials[0].baseColor = {float(lightOf(200)), float(lightOf(40)), float(lightOf(90)), 1};
        source.materials[0].roughness = 51 / 255.0f;
        source.materials[0].metallic = 1;
        source.materials[1].baseColor = {float(lightOf(13)), float(lightOf(180)), float(lightOf(254)), 1};
        source.materials[1].roughness = 204 / 255.0f;
        source.materials[1].metallic = 0;
        source.sections.back().material = 1;
        QCOMPARE(source.sections.size(), std::size_t(2));
        const Mesh level = test::joined(test::makeSphere(1, 6), test::moved(test::makeBox({1, 1, 1}), {3, 0, 0}));
        const Baked baked = bake(source, level, small(128), Progress());
        QCOMPARE(baked.level.materials.size(), std::size_t(1));
        const Image color = decodeImage(*baked.level.textures[0].bytes, "color");
        const Material& material = baked.level.materials[0];
        const Image surface =
            decodeImage(*baked.level.textures[std::size_t(material.metallicRoughnessTexture.texture)].bytes, "surface");
        std::set<std::array<std::uint8_t, 4>> colors(color.texels.begin(), color.texels.end());
        QCOMPARE(colors, (std::set<std::array<std::uint8_t, 4>>{{200, 40, 90, 255}, {13, 180, 254, 255}}));
        for (std::size_t i = 0; i < color.texels.size(); ++i)
            QCOMPARE(surface.texels[i], color.texels[i][0] == 200 ? (std::array<std::uint8_t, 4>{255, 51, 255, 255})
                                                                  : (std::array<std::uint8_t, 4>{255, 204, 0, 255}));
        QVERIFY(!material.emissionTexture);  // where nothing shines there is no image
    }

    // A checker goes by the source's UVs, whatever charts the level has.
    void keepsTheCheckerInStep() {
        Mesh source = test::makeSheet(60, 60, 2, 2);
        const Box3f box = boundingBox(source);
        const auto uvOf = [&](const Vec3f& p) {
            return Vec2f((p.x() - box.min().x()) / 2, (p.z() - box.min().z()) / 2);
        };
        for (Vec3f& p : source.positions) {
            source.uvs.push_back(uvOf(p));
            p.y() = 0.3f * std::sin(3 * p.x()) * std::cos(2 * p.z());
        }
        const auto isDark = [](const Vec2f& uv) { return (int(uv.x() * 8) + int(uv.y() * 8)) % 2 == 0; };
        source.materials[0].baseColor = {1, 1, 1, 1};
        source.textures.push_back(textureOf(imageOf(256,
                                                    [&](int x, int y) {
                                                        const Vec2f uv((float(x) + 0.5f) / 256,
                                                                       1 - (float(y) + 0.5f) / 256);
                                                        const std::uint8_t v = isDark(uv) ? 30 : 220;
                                                        return std::array<std::uint8_t, 4>{v, v, v, 255};
                                                    }),
                                            "checker"));
        source.materials[0].baseColorTexture.texture = 0;
        const Mesh level = reduceMesh(source, 300, {}, Progress()).mesh;
        const Baked baked = bake(source, level, small(512, 2), Progress());
        std::vector<std::string> notes;
        const SurfaceMaterial material(baked.level, notes);
        int right = 0, count = 0;
        forPlaces(baked.level, [&](TriangleId t, const Vec3f& at, const Vec3f& place) {
            const Vec2f uv = uvOf(place), cell = uv * 8, within = cell - cell.array().floor().matrix();
            if ((within.array() - 0.5f).abs().maxCoeff() > 0.4f) return;  // too near an edge of the checker to tell
            ++count;
            right += (material.look(t, at).baseColor.x() < 0.2f) == isDark(uv) ? 1 : 0;
        });
        QVERIFY(count > 300);
        QVERIFY2(right > 0.995 * count, qPrintable(QString("%1 of %2").arg(right).arg(count)));
    }

    // A copy of a quarter, an eighth and so on of the sheet's size brings in no other chart's color.
    void paddingSurvivesFourMips() {
        Mesh source = test::joined(test::makeSheet(8, 8), test::moved(test::makeSheet(8, 8), {2, 0, 0}));
        source.materials.resize(2);
        source.materials[0].baseColor = {1, 0, 0, 1};
        source.materials[1].baseColor = {0, 0, 1, 1};
        source.sections.back().material = 1;
        BakeSettings settings = small(512);
        settings.unwrap.pack.padding = 48;
        const Baked baked = bake(source, source, settings, Progress());
        Image mip = decodeImage(*baked.level.textures[0].bytes, "color");
        const std::vector<std::uint16_t> sections = sectionOfTriangles(source);
        for (int level = 1; level <= 4; ++level) {
            mip = shrunk(mip, mip.width / 2, mip.height / 2, ImageMeaning::Light);
            Mesh small = baked.level;
            small.textures[0] = textureOf(mip, "mip");
            std::vector<std::string> notes;
            const SurfaceMaterial material(small, notes);
            forPlaces(small, [&](TriangleId t, const Vec3f& at, const Vec3f& place) {
                const Vec3f color = material.look(t, at).baseColor;
                const bool isRed = place.x() < 1;
                QVERIFY(std::abs(color.x() - (isRed ? 1.0f : 0.0f)) < 0.01f);
                QVERIFY(std::abs(color.z() - (isRed ? 0.0f : 1.0f)) < 0.01f);
            });
        }
    }

    // A bump in the source's own normal map stands the same way on the level, also where its UVs are mirrored.
    void lightsMirroredUvsRightly() {
        Mesh source = test::makeSheet(4, 4, 2, 2);
        const float middle = boundingBox(source).center().x();
        for (const Vec3f& p : source.positions) {
            source.uvs.emplace_back(std::abs(p.x() - middle), p.z());  // the left half mirrors the right one
            source.normals.emplace_back(0.0f, 1.0f, 0.0f);
        }
        // Leans to where u grows, everywhere.
        source.textures.push_back(textureOf(imageOf(4,
                                                    [](int, int) {
                                                        return std::array<std::uint8_t, 4>{204, 128, 230, 255};
                                                    }),
                                            "lean"));
        source.materials[0].normalTexture.texture = 0;
        const Baked baked = bake(source, test::makeSheet(2, 2, 2, 2), small(256), Progress());
        std::vector<std::string> notes;
        const SurfaceMaterial material(baked.level, notes);
        int count = 0;
        forPlaces(baked.level, [&](TriangleId t, const Vec3f& at, const Vec3f& place) {
            if (std::abs(place.x() - middle) < 0.1f) return;
            const Vec3f normal = material.look(t, at).normal;
            const float outwards = place.x() > middle ? 1.0f : -1.0f;
            QVERIFY2(std::abs(normal.x() - 0.6f * outwards) < 0.05f, qPrintable(QString::number(normal.x())));
            QVERIFY(std::abs(normal.y() - 0.8f) < 0.05f);
            QVERIFY(std::abs(normal.z()) < 0.05f);
            ++count;
        });
        QVERIFY(count > 10);
    }

    void keepsWhatIsTransparentApart() {
        Mesh source = test::joined(test::makeSphere(1, 12), test::moved(test::makeSphere(1, 12), {3, 0, 0}));
        source.materials.resize(2);
        source.materials[0].baseColor = {1, 1, 1, 1};
        source.materials[1].baseColor = {1, 1, 1, 51 / 255.0f};
        source.materials[1].alpha = Material::Alpha::Blend;
        source.sections.back().material = 1;
        BakeSettings settings = small(128);
        settings.dress.joinParts = true;
        const Baked baked = bake(source, reduceMesh(source, 300, {}, Progress()).mesh, settings, Progress());
        const Mesh& level = baked.level;
        QCOMPARE(level.parts.size(), std::size_t(1));
        QCOMPARE(level.sections.size(), std::size_t(2));
        QCOMPARE(level.materials.size(), std::size_t(2));
        QVERIFY(level.materials[0].alpha == Material::Alpha::Opaque &&
                level.materials[1].alpha == Material::Alpha::Blend);
        QCOMPARE(level.materials[0].baseColorTexture.texture, level.materials[1].baseColorTexture.texture);
        std::vector<std::string> notes;
        const SurfaceMaterial material(level, notes);
        forPlaces(level, [&](TriangleId t, const Vec3f& at, const Vec3f& place) {
            const bool isGlass = place.x() > 1.5f;
            QCOMPARE(material.materialOf(t).alpha == Material::Alpha::Blend, isGlass);
            QVERIFY(std::abs(material.look(t, at).opacity - (isGlass ? 0.2f : 1.0f)) < 0.005f);
        });
    }

    void usesSeveralSheetsWhereOneIsTooSmall() {
        Mesh source = test::joined(test::makeSphere(1, 12), test::moved(test::makeSphere(1, 12), {3, 0, 0}));
        source.materials.resize(2);
        source.materials[0].baseColor = {1, 0, 0, 1};
        source.materials[1].baseColor = {0, 0, 1, 1};
        source.sections.back().material = 1;
        const Mesh level = reduceMesh(source, 400, {}, Progress()).mesh;
        BakeSettings settings = small(128);
        settings.unwrap.pack.texelsPerUnit = 32;  // some 25,000 texels on sheets of 16,384
        settings.unwrap.pack.padding = 2;
        settings.dress.channels = parseBakeChannels("base,normal,misses");
        QVERIFY(test::errorOf([&] { bake(source, level, settings, Progress()); }).contains("sheet"));
        settings.unwrap.pack.sheets = 4;
        const Baked baked = bake(source, level, settings, Progress());
        QVERIFY(baked.sheets > 1 && baked.sheets <= 4);
        QCOMPARE(baked.missed, std::size_t(0));
        QCOMPARE(baked.level.materials.size(), std::size_t(baked.sheets));
        QCOMPARE(baked.level.textures.size(), std::size_t(2 * baked.sheets));
        QCOMPARE(baked.extras.size(), std::size_t(baked.sheets));
        // No two triangles share a place of their sheet, and each place shows what is there.
        QCOMPARE(findUvOverlap(baked.level, Progress()).materials, std::size_t(0));
        std::vector<std::string> notes;
        const SurfaceMaterial material(baked.level, notes);
        forPlaces(baked.level, [&](TriangleId t, const Vec3f& at, const Vec3f& place) {
            const Vec3f color = material.look(t, at).baseColor;
            QVERIFY((color - (place.x() < 1.5f ? Vec3f(1, 0, 0) : Vec3f(0, 0, 1))).norm() < 0.02f);
            QVERIFY(degreesBetween(material.look(t, at).normal, place - Vec3f(place.x() < 1.5f ? 0.0f : 3.0f, 0, 0)) <
                    15);
        });
    }

    void bakesFromSeveralSources() {
        // One has a texture and UVs, the other only a colour, and each its own unit.
        Mesh ball = test::makeSphere(1, 12), box = test::moved(test::makeBox({100, 100, 100}, 3), {300, 0, 0});
        ball.uvs.assign(ball.vertexCount(), Vec2f(0.5f, 0.5f));
        ball.textures.push_back(textureOf(imageOf(4,
                                                  [](int, int) {
                                                      return std::array<std::uint8_t, 4>{10, 200, 10, 255};
                                                  }),
                                          "green"));
        ball.materials[0].baseColor = {1, 1, 1, 1};
        ball.materials[0].baseColorTexture.texture = 0;
        box.materials[0].baseColor = {0, 0, 1, 1};
        box.metresPerUnit = 0.01;
        Mesh both = ball;
        joinTo(both, box);
        requireSound(both, "both");
        QCOMPARE(both.parts.size(), std::size_t(2));
        QCOMPARE(both.triangleCount(), ball.triangleCount() + box.triangleCount());
        convertUnit(box, 1);
        const Mesh level = test::joined(test::makeSphere(1, 5), box);
        const Baked baked = bake(both, level, small(256), Progress());
        QCOMPARE(baked.missed, std::size_t(0));
        std::vector<std::string> notes;
        const SurfaceMaterial material(baked.level, notes);
        forPlaces(baked.level, [&](TriangleId t, const Vec3f& at, const Vec3f& place) {
            const Vec3f color = material.look(t, at).baseColor;
            QVERIFY(place.x() < 1.5f ? color.y() > 0.5f && color.z() < 0.02f : color.z() > 0.98f && color.y() < 0.02f);
        });
    }

    void writesSixteenBitsWhenAsked() {
        const Mesh source = test::makeSphere(1, 30), level = test::makeSphere(1, 5);
        BakeSettings settings = small(128);
        settings.dress.channels = parseBakeChannels("base,normal,height");
        const Baked coarse = bake(source, level, settings, Progress());
        settings.dress.deep = true;
        const Baked deep = bake(source, level, settings, Progress());
        QCOMPARE(deep.level.textures.size(), std::size_t(2));
        QCOMPARE(imageInfo(deep.extras.at(0).bytes)->bits, 16);
        QCOMPARE(imageInfo(coarse.extras.at(0).bytes)->bits, 8);
        for (std::size_t i = 0; i < 2; ++i) {
            QCOMPARE(imageInfo(*deep.level.textures[i].bytes)->bits, 16);
            QCOMPARE(deep.level.textures[i].bits, 16);
            QCOMPARE(textureMemory(deep.level.textures[i]), 2 * textureMemory(coarse.level.textures[i]));
            // The same but for the rounding: the upper eight bits.
            const Image a = decodeImage(*deep.level.textures[i].bytes, "deep"),
                        b = decodeImage(*coarse.level.textures[i].bytes, "coarse");
            for (std::size_t p = 0; p < a.texels.size(); ++p)
                for (std::size_t k = 0; k < 3; ++k) QVERIFY(std::abs(int(a.texels[p][k]) - int(b.texels[p][k])) <= 1);
        }
        // The height of a ball over its facets changes slowly: 16 bits tell far more heights apart than 8 can.
        const QImage heights = QImage::fromData(QByteArray::fromStdString(deep.extras[0].bytes));
        std::set<quint16> values;
        for (int y = 0; y < heights.height(); ++y)
            for (int x = 0; x < heights.width(); ++x) values.insert(heights.pixelColor(x, y).rgba64().red());
        QVERIFY2(values.size() > 1000, qPrintable(QString::number(values.size())));
    }

    // A normal map that leans less over all of it than one step of eight bits.
    void readsAllBitsOfItsSourcesTextures() {
        constexpr int size = 256;
        DeepImage lean{size, size, false, {}};
        for (int y = 0; y < size; ++y)
            for (int x = 0; x < size; ++x) {
                const double u = 0.004 * x / (size - 1);
                lean.texels.push_back({std::uint16_t(std::lround((u + 1) / 2 * 65535)), 32768,
                                       std::uint16_t(std::lround((std::sqrt(1 - u * u) + 1) / 2 * 65535)), 65535});
            }
        Mesh source = test::makeSheet(4, 4);
        for (const Vec3f& p : source.positions) source.uvs.emplace_back(p.x(), 1 - p.z());
        source.normals.assign(source.positions.size(), Vec3f::UnitY());
        source.textures = {{"lean", "image/png", std::make_shared<const std::string>(pngOf(lean)), size, size}};
        source.textures[0].bits = imageInfo(*source.textures[0].bytes)->bits;
        source.materials.resize(1);
        source.materials[0].normalTexture.texture = 0;
        std::vector<std::string> notes;
        const SurfaceMaterial material(source, notes);
        QVERIFY(notes.empty());
        std::set<float> leans;
        forPlaces(source, [&](TriangleId t, const Vec3f& at, const Vec3f& place) {
            const double expected = 0.004 * std::clamp((double(place.x()) * size - 0.5) / (size - 1), 0.0, 1.0);
            const float leaning = material.look(t, at).normal.x();
            QVERIFY2(std::abs(double(leaning) - expected) < 3e-5, qPrintable(QString::number(leaning - expected)));
            leans.insert(leaning);
        });
        // A step of eight bits is 0.008: they would be all the same.
        QVERIFY2(leans.size() > 8, qPrintable(QString::number(leans.size())));
    }

    void tellsWhereNothingIsFound() {
        // The level has a second half far from anything of the source.
        const Mesh source = test::makeSheet(10, 10);
        const Mesh level = test::joined(test::makeSheet(2, 2), test::moved(test::makeSheet(2, 2), {0, -40, 0}));
        Mesh flipped = level;  // and the cage goes by distances, so that it is turned away as well
        for (std::size_t t = flipped.triangleCount() / 2; t < flipped.triangleCount(); ++t)
            std::swap(flipped.triangles[t][1], flipped.triangles[t][2]);
        BakeSettings settings = small(128);
        settings.dress.channels = parseBakeChannels("base,misses");
        const Baked baked = bake(source, flipped, settings, Progress());
        QVERIFY(baked.missed > 0.3 * double(baked.covered));
        QVERIFY(baked.missed < 0.7 * double(baked.covered));
        QCOMPARE(baked.extras.size(), std::size_t(1));
        const Image misses = decodeImage(baked.extras[0].bytes, "misses");
        QCOMPARE(std::size_t(std::count(misses.texels.begin(), misses.texels.end(),
                                        std::array<std::uint8_t, 4>{200, 40, 30, 255})),
                 baked.missed);
        QCOMPARE(baked.level.textures.size(), std::size_t(1));
    }

    void keepsPartsApartWhenAsked() {
        // A plate of another colour lies a little above the first part, and would be caught.
        Mesh plate = test::moved(test::makeSheet(2, 2), {0, 0.01, 0});
        plate.parts[0].name = "Plate";
        Mesh ground = test::makeSheet(20, 20);
        ground.parts[0].name = "Ground";
        for (std::size_t v = 0; v < ground.vertexCount(); ++v) ground.positions[v].y() = v % 7 == 0 ? -0.02f : 0.0f;
        Mesh source = test::joined(ground, plate);
        source.materials.resize(2);
        source.materials[0].baseColor = {0, 1, 0, 1};
        source.materials[1].baseColor = {1, 0, 0, 1};
        source.sections[1].material = 1;
        Mesh level = test::makeSheet(2, 2);
        level.parts[0].name = "Ground";
        const auto red = [&](bool apart) {
            BakeSettings settings = small(64);
            settings.transfer.partsApart = apart;
            const Image image = decodeImage(*bake(source, level, settings, Progress()).level.textures[0].bytes, "x");
            return std::count_if(image.texels.begin(), image.texels.end(), [](const auto& t) { return t[0] > 200; });
        };
        QVERIFY(red(false) > 0);
        QCOMPARE(red(true), std::ptrdiff_t(0));
    }

    void tracesOcclusionInACorner() {
        // Under a roof as wide as it is high above it, light comes in only from the sides.
        Mesh source =
            test::joined(test::makeSheet(10, 10, 2, 2), test::moved(test::makeSheet(4, 4, 2, 2), {0, 0.5, 0}));
        for (Material& material : source.materials) material.doubleSided = true;
        BakeSettings settings = small(64);
        settings.transfer.occlusionRays = 256;
        settings.transfer.occlusionDistance = 10;
        const Mesh level = test::makeSheet(2, 2, 2, 2);
        const Baked roofed = bake(source, level, settings, Progress());
        const Baked open = bake(test::makeSheet(10, 10, 2, 2), level, settings, Progress());
        const auto at = [](const Baked& baked, const Vec3f& wanted) {
            double best = 1e9;
            float value = -1;
            std::vector<std::string> notes;
            const SurfaceMaterial material(baked.level, notes);
            forPlaces(baked.level, [&](TriangleId t, const Vec3f& shares, const Vec3f& place) {
                if (const double d = double((place - wanted).norm()); d < best) {
                    best = d;
                    value = material.look(t, shares).occlusion;
                }
            });
            return value;
        };
        const Vec3f middle = boundingBox(level).center();
        QVERIFY(at(open, middle) > 0.99f);
        // A square patch at half its side's distance, seen from below its middle: 1 - 4/pi * h/sqrt(1+h^2) atan(...)
        // with h = 2 gives 0.55 of the light kept away; the places nearest to the middle lie a little beside it.
        const double half = 1 / 0.5;
        const double away = 4 / pi * half / std::sqrt(1 + half * half) * std::atan(half / std::sqrt(1 + half * half));
        QVERIFY2(std::abs(at(roofed, middle) - (1 - away)) < 0.08,
                 qPrintable(QString("%1 instead of %2").arg(at(roofed, middle)).arg(1 - away)));
    }

    void bakesToTheLevelsOwnUvsWhereTheyServe() {
        Mesh level = test::makeSheet(2, 2);
        BakeSettings settings = small(64);
        settings.keepUvs = true;
        QVERIFY(test::errorOf([&] { bake(level, level, settings, Progress()); }).contains("no UVs"));
        for (const Vec3f& p : level.positions) level.uvs.emplace_back(p.x() * 0.1f + 0.5f, p.z() * 0.1f + 0.5f);
        QCOMPARE(bake(level, level, settings, Progress()).level.uvs, level.uvs);
        Mesh folded = level;
        const Box3f box = boundingBox(level);
        for (std::size_t v = 0; v < folded.vertexCount(); ++v)
            folded.uvs[v].x() = std::abs(folded.positions[v].x() - box.center().x());
        QVERIFY(test::errorOf([&] { bake(level, folded, settings, Progress()); }).contains("over one another"));
        for (Vec2f& uv : level.uvs) uv.x() += 1;
        QVERIFY(test::errorOf([&] { bake(level, level, settings, Progress()); }).contains("beyond 0 to 1"));
    }

    void livesWithImagesThatCannotBeRead() {
        Mesh source = test::makeSheet(4, 4);
        for (const Vec3f& p : source.positions) source.uvs.emplace_back(p.x(), p.z());
        source.textures.push_back({"broken", "image/png", std::make_shared<const std::string>("no image"), 4, 4});
        source.materials[0].baseColor = {1, 1, 1, 1};
        source.materials[0].baseColorTexture.texture = 0;
        const Baked baked = bake(source, test::makeSheet(2, 2), small(32), Progress());
        QVERIFY(QString::fromStdString(baked.notes.front()).contains("broken"));
        QVERIFY(QString::fromStdString(baked.notes.front()).contains("grey"));
    }

    void livesWithUvsThatAreNoNumbers() {
        Mesh source = test::makeSheet(4, 4);
        for (const Vec3f& p : source.positions) source.uvs.emplace_back(p.x(), std::nanf(""));
        source.textures.push_back(textureOf(imageOf(4,
                                                    [](int, int) {
                                                        return std::array<std::uint8_t, 4>{9, 9, 9, 255};
                                                    }),
                                            "dark"));
        source.materials[0].baseColor = {1, 1, 1, 1};
        source.materials[0].baseColorTexture.texture = 0;
        std::vector<std::string> notes;
        const Vec3f color = SurfaceMaterial(source, notes).look(0, Vec3f::Constant(1.0f / 3)).baseColor;
        QCOMPARE(color, Vec3f(Vec3f::Constant(0.5f)));
    }

    void refusesChannelsThatThereAreNot() {
        QVERIFY(test::errorOf([] { parseBakeChannels("base,shine"); }).contains("shine"));
        QVERIFY(parseBakeChannels("base,normal").normal && !parseBakeChannels("base").normal);
    }

    void canBeCancelled() {
        const Progress progress;
        progress.cancel();
        const Mesh ball = test::makeSphere(1, 10);
        QVERIFY_THROWS_EXCEPTION(Cancelled, bake(ball, ball, small(64), progress));
    }
};

UM_TEST(BakeTest)
#include "BakeTest.moc"

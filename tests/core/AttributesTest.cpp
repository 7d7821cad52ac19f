// What travels with the surface: UVs, normals, colours; how far textures drift; what the polish brings.
#include "measure/Deviation.h"
#include "measure/TextureDrift.h"
#include "mesh/Normals.h"
#include "reduce/Reduce.h"
#include "tests/support/Files.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <QTest>

using namespace um;

namespace {

double wave(double x, double z) {
    return 0.08 * std::sin(9 * x) * std::cos(7 * z);
}

// A wavy sheet whose UVs are bent: a plain reduction would let the texture swim.
Mesh bentSheet() {
    Mesh sheet = test::makeSheet(80, 80, 1, 1, wave);
    for (const Vec3f& p : sheet.positions)
        sheet.uvs.emplace_back(p.x() + 0.05f * std::sin(12 * p.z()), p.z() + 0.05f * std::sin(12 * p.x()));
    return sheet;
}

Mesh reduce(const Mesh& mesh, std::size_t target, const ReduceSettings& settings = {}) {
    Mesh level = reduceMesh(mesh, target, settings, Progress()).mesh;
    requireSound(level, "the level");
    return level;
}

}  // namespace

class AttributesTest : public QObject {
    Q_OBJECT

private slots:
    void measuresDriftExactly() {
        // The same flat sheet with its texture moved by 0.03 of 2 units a UV.
        Mesh sheet = test::makeSheet(20, 20, 2, 2);
        for (const Vec3f& p : sheet.positions) sheet.uvs.emplace_back(p.x() / 2, p.z() / 2);
        Mesh moved = sheet;
        for (Vec2f& uv : moved.uvs) uv.x() += 0.03f;
        const TextureDrift drift = measureTextureDrift(sheet, moved, Progress());
        for (const double value : {drift.mean, drift.rms, drift.p95, drift.max})
            QVERIFY2(std::abs(value - 0.06) < 1e-5, qPrintable(QString::number(value)));
        QVERIFY(measureTextureDrift(sheet, sheet, Progress()).max < 1e-6);
        moved.uvs.clear();
        QVERIFY(test::errorOf([&] { measureTextureDrift(sheet, moved, Progress()); }).contains("has none"));
    }

    void holdsTexturesInTheirPlace() {
        const Mesh sheet = bentSheet();
        const Mesh level = reduce(sheet, 800);
        const TextureDrift drift = measureTextureDrift(sheet, level, Progress());
        // A triangle's edge is about 0.05 here; the texture stays within a small part of that.
        QVERIFY2(drift.rms < 0.004 && drift.max < 0.03,
                 qPrintable(QString("rms %1 max %2").arg(drift.rms).arg(drift.max)));
    }

    void weighsTexturesInTheMetric() {
        // On a flat sheet only the bent UVs say where triangles are needed.
        Mesh sheet = test::makeSheet(60, 60);
        for (const Vec3f& p : sheet.positions) {
            const float swirl = p.x() < 0.5f ? 0.0f : 0.08f * std::sin(20 * p.z()) * (p.x() - 0.5f);
            sheet.uvs.emplace_back(p.x() + swirl, p.z());
        }
        const Mesh level = reduce(sheet, 400);
        std::size_t bent = 0;
        for (const Vec3f& p : level.positions) bent += p.x() > 0.5f ? 1 : 0;
        QVERIFY2(double(bent) > 0.7 * double(level.vertexCount()),
                 qPrintable(QString("%1 of %2").arg(bent).arg(level.vertexCount())));
        QVERIFY(measureTextureDrift(sheet, level, Progress()).rms < 0.004);
    }

    void keepsColourLimitsSharp() {
        Mesh sheet = test::makeSheet(60, 60);
        for (const Vec3f& p : sheet.positions) {
            const bool dark = std::hypot(p.x() - 0.5f, p.z() - 0.5f) < 0.25f;
            sheet.colors.push_back(dark ? Color{20, 20, 20, 255} : Color{220, 220, 220, 255});
        }
        const Mesh level = reduce(sheet, 500);
        double area = 0;
        for (std::size_t t = 0; t < level.triangleCount(); ++t) {
            const Triangle& triangle = level.triangles[t];
            double dark = 0;
            for (const WedgeId w : level.wedgesOf(TriangleId(t))) dark += level.colors[w][0] < 120 ? 1.0 / 3 : 0;
            area += dark *
                    areaNormal(level.positions[triangle[0]].cast<double>(), level.positions[triangle[1]].cast<double>(),
                               level.positions[triangle[2]].cast<double>())
                        .norm() /
                    2;
        }
        QVERIFY2(std::abs(area - pi * 0.0625) < 0.02, qPrintable(QString::number(area)));
    }

    void carriesTwoSetsOfUvs() {
        Mesh sheet = test::makeSheet(40, 40, 1, 1, wave);
        for (const Vec3f& p : sheet.positions) {
            sheet.uvs.emplace_back(p.x(), p.z());
            sheet.secondUvs.emplace_back(1 - p.z(), p.x() * 0.5f);
        }
        const Mesh level = reduce(sheet, 400);
        QCOMPARE(level.secondUvs.size(), level.uvs.size());
        for (std::size_t w = 0; w < level.uvs.size(); ++w) {
            QVERIFY(std::abs(level.secondUvs[w].x() - (1 - level.uvs[w].y())) < 2e-3f);
            QVERIFY(std::abs(level.secondUvs[w].y() - level.uvs[w].x() * 0.5f) < 2e-3f);
        }
    }

    void keepsNormalsAtLowReductionAndMakesThemAnewAtHigh() {
        // Normals that say nothing about the shape tell which of the two was done.
        Mesh sphere = test::makeSphere(1, 24);
        sphere.normals.assign(sphere.vertexCount(), Vec3f(0, 1, 0));
        const auto isKept = [&](std::size_t target, NormalTreatment treatment) {
            ReduceSettings settings;
            settings.normals = treatment;
            const Mesh level = reduce(sphere, target, settings);
            return std::all_of(level.normals.begin(), level.normals.end(),
                               [](const Vec3f& n) { return (n - Vec3f(0, 1, 0)).norm() < 1e-3f; });
        };
        QVERIFY(isKept(3000, NormalTreatment::Automatic));
        QVERIFY(!isKept(500, NormalTreatment::Automatic));
        QVERIFY(isKept(500, NormalTreatment::Keep));
        QVERIFY(!isKept(3000, NormalTreatment::Remake));
    }

    void keepsHardEdgesOfNormalsHard() {
        Mesh box = test::makeBox({2, 2, 2}, 10);
        makeNormals(box, 40);
        ReduceSettings settings;
        settings.normals = NormalTreatment::Keep;
        const Mesh level = reduce(box, 400, settings);
        for (std::size_t t = 0; t < level.triangleCount(); ++t) {
            const Triangle& triangle = level.triangles[t];
            const Vec3d face =
                areaNormal(level.positions[triangle[0]].cast<double>(), level.positions[triangle[1]].cast<double>(),
                           level.positions[triangle[2]].cast<double>())
                    .normalized();
            for (const WedgeId w : level.wedgesOf(TriangleId(t)))
                QVERIFY(level.normals[w].cast<double>().dot(face) > 0.99);
        }
    }

    void polishesCloserToTheSource() {
        const Mesh sheet = test::makeSheet(150, 150, 1, 1, [](double x, double z) {
            return 0.06 * std::sin(11 * x + 3 * z) * std::cos(9 * z) + 0.01 * std::sin(40 * x) * std::sin(37 * z);
        });
        ReduceSettings settings;
        settings.polish = false;
        const Deviation plain = measureDeviation(sheet, reduce(sheet, 1200, settings), {}, Progress());
        settings.polish = true;
        const Mesh polished = reduce(sheet, 1200, settings);
        const Deviation better = measureDeviation(sheet, polished, {}, Progress());
        QCOMPARE(polished.triangleCount(), std::size_t(1200));
        QVERIFY2(better.rms < 0.9 * plain.rms, qPrintable(QString("%1 %2").arg(better.rms).arg(plain.rms)));
        QVERIFY2(better.max < 1.1 * plain.max, qPrintable(QString("%1 %2").arg(better.max).arg(plain.max)));
        QCOMPARE(test::trianglesFacingAway(polished, {0, 1, 0}), std::size_t(0));
        const Box3f box = boundingBox(polished);
        QVERIFY((box.min().cwiseProduct(Vec3f(1, 0, 1))).norm() < 1e-3f);
        QVERIFY((box.max().cwiseProduct(Vec3f(1, 0, 1)) - Vec3f(1, 0, 1)).norm() < 1e-3f);
    }
};

UM_TEST(AttributesTest)
#include "AttributesTest.moc"

// Turned shading, changed area and volume, against known answers.
#include "measure/ShapeChange.h"
#include "mesh/Normals.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <QTest>

using namespace um;

namespace {

ShapeChange changeOf(const Mesh& source, const Mesh& level) {
    return measureShapeChange(source, level, Progress());
}

}  // namespace

class ShapeChangeTest : public QObject {
    Q_OBJECT

private slots:
    void findsNoneBetweenEqualMeshes() {
        const Mesh sphere = test::makeSphere(1, 30);
        const ShapeChange same = changeOf(sphere, sphere);
        QVERIFY(same.meanTurn < 1e-3 && same.p95Turn < 1e-3);
        QCOMPARE(same.areaRatio, 1.0);
        QCOMPARE(same.volumeRatio, 1.0);
    }

    void measuresGrowth() {
        const ShapeChange grown = changeOf(test::makeSphere(1, 30), test::makeSphere(1.1, 30));
        QVERIFY(std::abs(grown.areaRatio - 1.21) < 1e-5);
        QVERIFY(std::abs(grown.volumeRatio - 1.331) < 1e-5);
        QVERIFY(grown.meanTurn < 0.5);  // larger, and shaded the same
        // Far from the origin it is the same.
        Mesh near = test::makeSphere(1, 30), far = test::makeSphere(1.1, 30);
        for (Mesh* mesh : {&near, &far})
            for (Vec3f& p : mesh->positions) p += Vec3f(100, 0, 0);
        QVERIFY(std::abs(changeOf(near, far).volumeRatio - 1.331) < 1e-3);
    }

    void measuresHowFarShadingTurns() {
        // A flat sheet against the same sheet tilted: everything turns by that angle.
        const Mesh flat = test::makeSheet(40, 40);
        Mesh tilted = flat;
        const double slope = std::tan(7 * pi / 180);
        for (Vec3f& p : tilted.positions) p.y() = float(slope * (double(p.x()) - 0.5));
        const ShapeChange turned = changeOf(flat, tilted);
        QVERIFY2(std::abs(turned.meanTurn - 7) < 0.01 && std::abs(turned.p95Turn - 7) < 0.01,
                 qPrintable(QString::number(turned.meanTurn)));
        QCOMPARE(turned.volumeRatio, 1.0);  // a sheet encloses nothing
    }

    void goesByTheNormalsOfTheFile() {
        const Mesh flat = test::makeSheet(20, 20);
        Mesh shaded = flat;
        makeNormals(shaded, 180);
        for (Vec3f& n : shaded.normals) n = Vec3f(0, 1, 1).normalized();  // the shape is the same, the shading is not
        QVERIFY(std::abs(changeOf(flat, shaded).meanTurn - 45) < 0.01);
    }

    void tellsAFewBadPlacesByThePercentile() {
        const Mesh flat = test::makeSheet(100, 100);
        Mesh dented = flat;
        for (Vec3f& p : dented.positions)
            if (p.x() < 0.1f) p.y() = p.x() < 0.05f ? p.x() : 0.1f - p.x();  // a ridge of 45 degrees over a tenth
        const ShapeChange change = changeOf(flat, dented);
        QVERIFY2(change.p95Turn > 35 && change.meanTurn < 6,
                 qPrintable(QString("%1 %2").arg(change.meanTurn).arg(change.p95Turn)));
    }
};

UM_TEST(ShapeChangeTest)
#include "ShapeChangeTest.moc"

#include "draw/Coverage.h"
#include "tests/support/Files.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <QTest>

using namespace um;

namespace {

double coveredPixels(const CoverageMask& mask) {
    double sum = 0;
    for (const std::uint8_t value : mask.coverage) sum += double(value) / 255;
    return sum;
}

}  // namespace

class CoverageTest : public QObject {
    Q_OBJECT

private slots:
    void coversADiskForASphere() {
        const Mesh sphere = test::makeSphere(1, 60);
        for (const double radius : {6.0, 20.0, 60.0}) {
            const double covered =
                coveredPixels(drawCoverage(ContourMesh(sphere), Eigen::Matrix3d::Identity(), radius));
            QVERIFY2(std::abs(covered - pi * radius * radius) < 0.02 * pi * radius * radius,
                     qPrintable(QString::number(covered)));
        }
    }

    void coversARectangleExactly() {
        const Mesh box = test::makeBox({8, 4, 2}, 3);
        const CoverageMask mask = drawCoverage(ContourMesh(box), Eigen::Matrix3d::Identity(), 5);
        QVERIFY(std::abs(coveredPixels(mask) - 40 * 20) < 1e-6);
        QCOMPARE(mask.at(0, 0), std::uint8_t(0));  // the margin
        QCOMPARE(mask.at(1, 1), std::uint8_t(255));
        QCOMPARE(mask.width, 42);
        QCOMPARE(mask.height, 22);
    }

    void followsTheTurn() {
        const Mesh box = test::makeBox({8, 4, 2}, 1);
        const Eigen::Matrix3d quarter = Eigen::AngleAxisd(pi / 2, Vec3d::UnitY()).toRotationMatrix();
        QVERIFY(std::abs(coveredPixels(drawCoverage(ContourMesh(box), quarter, 10)) - 20 * 40) < 25);
    }

    void refusesHugePictures() {
        QVERIFY(test::errorOf([] {
                    drawCoverage(ContourMesh(test::makeBox({1, 1, 1})), Eigen::Matrix3d::Identity(), 1e6);
                }).contains("8,192"));
    }
};

UM_TEST(CoverageTest)
#include "CoverageTest.moc"

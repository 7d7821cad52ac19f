#include "chain/ReduceToTarget.h"
#include "tests/support/Files.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <QTest>

using namespace um;

class TargetTest : public QObject {
    Q_OBJECT

private slots:
    void readsEveryKind() {
        QCOMPARE(std::get<CountTarget>(parseTarget("12k")).triangles, std::size_t(12000));
        QCOMPARE(std::get<CountTarget>(parseTarget("1.5M")).triangles, std::size_t(1500000));
        QCOMPARE(std::get<ShareTarget>(parseTarget("1.2%")).share, 0.012);
        QCOMPARE(std::get<ShareTarget>(parseTarget(" 2 % ")).share, 0.02);
        QCOMPARE(std::get<LengthTarget>(parseTarget("0.5mm")).deviation.inMeshUnits(1), 0.0005);
        const auto pixels = std::get<PixelTarget>(parseTarget("1px@24m"));
        QCOMPARE(pixels.pixels, 1.0);
        QCOMPARE(pixels.distance.inMeshUnits(1), 24.0);
        QCOMPARE(std::get<PixelTarget>(parseTarget("0.5 px at 80 m")).distance.inMeshUnits(1), 80.0);
    }

    void saysWhatWouldBeRight_data() {
        QTest::addColumn<QString>("text");
        QTest::addColumn<QString>("advice");
        QTest::newRow("empty") << ""
                               << "1px@24m";
        QTest::newRow("word") << "small"
                              << "12k";
        QTest::newRow("no share") << "0%"
                                  << "above 0 %";
        QTest::newRow("too much") << "120%"
                                  << "up to 100 %";
        QTest::newRow("negative") << "-5"
                                  << "between 1";
        QTest::newRow("pixels without distance") << "1px"
                                                 << "1px@24m";
        QTest::newRow("distance without pixels") << "@24m"
                                                 << "1px@24m";
        QTest::newRow("pixels of what") << "1@24m"
                                        << "1px@24m";
        QTest::newRow("no distance") << "1px@"
                                     << "length";
        QTest::newRow("metres or millions") << "2m"
                                            << "1M";
        QTest::newRow("no deviation") << "0mm"
                                      << "more than 0";
    }
    void saysWhatWouldBeRight() {
        QFETCH(QString, text);
        QFETCH(QString, advice);
        const QString said = test::errorOf([&] { parseTarget(text.toStdString()); });
        QVERIFY2(said.contains(advice), qPrintable(said));
    }

    void turnsPixelsIntoLengthsAndBack() {
        // A screen 2 tan(45°) = 2 units tall at distance 1: 1000 pixels for 2 units.
        const Screen screen{1000, 90};
        QVERIFY(std::abs(screen.pixels(1, 1) - 500) < 1e-9);
        QVERIFY(std::abs(screen.pixels(1, 10) - 50) < 1e-9);
        QVERIFY(std::abs(screen.length(50, 10) - 1) < 1e-12);
        QVERIFY(std::abs(screen.distance(1, 50) - 10) < 1e-9);
    }

    void readsScreensInTheWaysTheyAreWritten() {
        for (const char* text : {"1440px,50deg", "1440 px · 50°", "1440px 50deg", "50deg, 1440px", "1440, 50°"})
            QVERIFY2(parseScreen(text) == (Screen{1440, 50}), text);
        QCOMPARE(parseScreen("1080px").heightPixels, 1080);
        QCOMPARE(formatScreen({1440, 50}), std::string("1440 px · 50°"));
        QVERIFY(parseScreen(formatScreen({2160, 37.5})) == (Screen{2160, 37.5}));
        for (const char* wrong : {"", "px", "5px", "1440px,200deg", "1440px,50mm", "99999px"})
            QVERIFY2(!test::errorOf([&] { parseScreen(wrong); }).isEmpty(), wrong);
    }

    void reachesALengthWithFewTriangles() {
        const Mesh sphere = test::makeSphere(1, 60);
        const TargetResult result = reduceToTarget(sphere, parseTarget("10mm"), {}, {}, false, Progress());
        QVERIFY(result.deviation->max <= 0.010);
        // A sphere needs about 1.2 * 4 pi / (3 sqrt(3) / 4 * 8 d) triangles; far fewer than the source's is what
        // matters.
        QVERIFY2(result.mesh.triangleCount() < sphere.triangleCount() / 20,
                 qPrintable(QString::number(result.mesh.triangleCount())));
        // A plain reduction to a fifth fewer does not hold.
        const Mesh fewer = reduceMesh(sphere, result.mesh.triangleCount() * 8 / 10, {}, Progress()).mesh;
        QVERIFY(measureDeviation(sphere, fewer, {}, Progress()).max > 0.010);
    }

    // Of any one reduction single unlucky places decide about the largest deviation. The search does not hang on them:
    // it needs fewer triangles than the luckiest of many plain reductions.
    void needsFewerThanTheLuckiestReduction() {
        const Mesh source =
            test::makeRidgedSheet([](double x, double z) { return 0.06 * std::sin(11 * x + 3 * z) * std::cos(9 * z); });
        const TargetResult result = reduceToTarget(source, parseTarget("2mm"), {}, {}, false, Progress());
        QVERIFY(result.deviation->maxBound <= 0.002);
        const auto found = double(result.mesh.triangleCount());
        for (const double more : {1.0, 1.05, 1.1, 1.15}) {
            const Mesh plain = reduceMesh(source, std::size_t(more * found), {}, Progress()).mesh;
            const double max = measureDeviation(source, plain, {}, Progress()).max;
            QVERIFY2(max > 0.002, qPrintable(QString("%1 at %2 of %3").arg(max).arg(more).arg(found)));
        }
    }

    void reachesPixelsThroughTheScreen() {
        const Mesh sphere = test::makeSphere(1, 40);
        const Screen screen;
        const TargetResult result = reduceToTarget(sphere, parseTarget("2px@20m"), screen, {}, false, Progress());
        QVERIFY(screen.pixels(result.deviation->max, 20) <= 2);
        QVERIFY(result.mesh.triangleCount() < sphere.triangleCount());
    }

    void keepsTheSourceWhereNothingElseHolds() {
        const Mesh sphere = test::makeSphere(1, 4);
        const TargetResult result = reduceToTarget(sphere, parseTarget("0.0001mm"), {}, {}, false, Progress());
        QCOMPARE(result.mesh.triangleCount(), sphere.triangleCount());
    }
};

UM_TEST(TargetTest)
#include "TargetTest.moc"

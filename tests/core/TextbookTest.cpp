// The yardstick must be an honest one: a textbook that fails would be easy to beat.
#include "bench/Textbook.h"
#include "measure/Deviation.h"
#include "mesh/Statistics.h"
#include "reduce/Reduce.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <QTest>

using namespace um;

namespace {

Mesh hills() {
    return test::makeSheet(90, 90, 1, 1,
                           [](double x, double z) { return 0.1 * std::sin(11 * x) * std::cos(8 * z + x); });
}

}  // namespace

class TextbookTest : public QObject {
    Q_OBJECT

private slots:
    void reachesItsCount() {
        for (const std::size_t target : {4000, 800, 120}) {
            const Mesh level = bench::reduceByTextbook(hills(), target);
            requireSound(level, "textbook");
            QVERIFY(level.triangleCount() == target || level.triangleCount() + 1 == target);
        }
    }

    void keepsTheSurfaceWhole() {
        const Statistics s = gatherStatistics(bench::reduceByTextbook(hills(), 500), Progress()).whole;
        QCOMPARE(s.borderLoops, std::size_t(1));
        QCOMPARE(s.pieces, std::size_t(1));
        QVERIFY(s.sound());
    }

    void isCloseToTheSource() {
        // A sphere by the same rule as for our own engine.
        const Mesh sphere = test::makeSphere(1, 60);
        const Deviation d = measureDeviation(sphere, bench::reduceByTextbook(sphere, 1000), {}, Progress());
        QVERIFY2(d.rms < 2.4 / 1000, qPrintable(QString::number(d.rms)));
    }

    // Both contract by quadrics here; without the polish the engine has no advantage that would explain a factor.
    void isNotFarBehindThePlainEngine() {
        const Mesh source = hills();
        ReduceSettings plain;
        plain.polish = false;
        const double textbook = measureDeviation(source, bench::reduceByTextbook(source, 600), {}, Progress()).rms;
        const double engine =
            measureDeviation(source, reduceMesh(source, 600, plain, Progress()).mesh, {}, Progress()).rms;
        QVERIFY2(textbook < 1.5 * engine, qPrintable(QString("%1 %2").arg(engine).arg(textbook)));
    }
};

UM_TEST(TextbookTest)
#include "TextbookTest.moc"

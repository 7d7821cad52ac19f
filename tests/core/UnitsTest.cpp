#include "base/Units.h"
#include "tests/support/Files.h"
#include "tests/support/TestMain.h"

#include <QTest>

using namespace um;

class UnitsTest : public QObject {
    Q_OBJECT

private slots:
    void readsCounts_data() {
        QTest::addColumn<QString>("text");
        QTest::addColumn<qulonglong>("count");
        QTest::newRow("plain") << "500" << 500ULL;
        QTest::newRow("thousands") << "12k" << 12000ULL;
        QTest::newRow("capital") << "12K" << 12000ULL;
        QTest::newRow("millions") << "1.5M" << 1500000ULL;
        QTest::newRow("space") << " 1.5 M " << 1500000ULL;
        QTest::newRow("grouped") << "12,000" << 12000ULL;
        QTest::newRow("twice grouped") << "1,042,316" << 1042316ULL;
        QTest::newRow("decimal comma") << "1,5k" << 1500ULL;
    }
    void readsCounts() {
        QFETCH(QString, text);
        QFETCH(qulonglong, count);
        QCOMPARE(qulonglong(parseCount(text.toStdString())), count);
    }

    void saysWhatACountWouldBe() {
        for (const char* wrong : {"", "k", "abc", "-3", "0", "12x", "1e99", "nan", "inf"})
            QVERIFY2(!test::errorOf([&] { parseCount(wrong); }).isEmpty(), wrong);
        QVERIFY(test::errorOf([] { parseCount("12x"); }).contains("12k"));
    }

    void readsLengthsInTheirUnit() {
        QCOMPARE(parseLength("0.5mm").inMeshUnits(1), 0.0005);
        QCOMPARE(parseLength("2 cm").inMeshUnits(0.001), 20.0);
        QCOMPARE(parseLength("1IN").inMeshUnits(1), 0.0254);
        QCOMPARE(parseLength("1ft").inMeshUnits(0.3048), 1.0);
    }

    void takesABareLengthInTheMeshsUnit() {
        QCOMPARE(parseLength("0.5").inMeshUnits(0.001), 0.5);
        QCOMPARE(parseLength("0,5").inMeshUnits(1), 0.5);
    }

    void saysWhatALengthWouldBe() {
        for (const char* wrong : {"", "mm", "1 parsec", "-1mm", "nan"})
            QVERIFY2(test::errorOf([&] { parseLength(wrong); }).contains("0.5 mm"), wrong);
    }

    void writesCountsInGroups() {
        QCOMPARE(formatCount(0), std::string("0"));
        QCOMPARE(formatCount(999), std::string("999"));
        QCOMPARE(formatCount(1000), std::string("1,000"));
        QCOMPARE(formatCount(1042316), std::string("1,042,316"));
    }

    void writesShortCounts() {
        QCOMPARE(formatShortCount(950), std::string("950"));
        QCOMPARE(formatShortCount(2800), std::string("2.8k"));
        QCOMPARE(formatShortCount(612000), std::string("612k"));
        QCOMPARE(formatShortCount(999700), std::string("1.00M"));
        QCOMPARE(formatShortCount(40000000), std::string("40.0M"));
    }

    void writesLengthsInTheUnitThatReadsBest() {
        QCOMPARE(formatLength(0.00042), std::string("0.42 mm"));
        QCOMPARE(formatLength(0.303), std::string("30.3 cm"));
        QCOMPARE(formatLength(24), std::string("24 m"));
        QCOMPARE(formatLength(20000), std::string("20 km"));
        QCOMPARE(formatLength(0), std::string("0 mm"));
        QCOMPARE(formatLength(2e-6), std::string("2 µm"));
    }

    void writesThreeDigitsOfANumber() {
        QCOMPARE(formatNumber(0.42371), std::string("0.424"));
        QCOMPARE(formatNumber(12.34), std::string("12.3"));
        QCOMPARE(formatNumber(1200), std::string("1200"));
        QCOMPARE(formatNumber(-0.5), std::string("-0.5"));
    }
};

UM_TEST(UnitsTest)
#include "UnitsTest.moc"

// Reading text and storing arrays: the small tools under the file formats.
#include "document/Database.h"
#include "files/Text.h"
#include "tests/support/Files.h"
#include "tests/support/TestMain.h"

#include <QTest>

using namespace um;

class TextTest : public QObject {
    Q_OBJECT

private slots:
    void takesWordsAndNumbersOffALine() {
        LineCursor line("  v\t1.5 -2e3 +0.25  rest of it \r");
        QCOMPARE(line.word(), std::string_view("v"));
        QCOMPARE(*line.number(), 1.5f);
        QCOMPARE(*line.number(), -2000.0f);
        QCOMPARE(*line.number(), 0.25f);
        QVERIFY(!line.number());
        QCOMPARE(line.rest(), std::string_view("rest of it"));
        QVERIFY(line.atEnd());
        QVERIFY(line.word().empty());
    }

    void refusesNumbersWithTails() {
        for (const char* wrong : {"1.5x", "--1", "0x10", "1,5", ""}) {
            LineCursor line(wrong);
            QVERIFY2(!line.number(), wrong);
        }
        QVERIFY(std::isnan(*LineCursor("nan").number()));  // given as they are, for the reader to refuse
        QVERIFY(std::isinf(*LineCursor("-inf").number()));
    }

    void readsIntegersWhole() {
        QCOMPARE(*parseInteger("42"), 42LL);
        QCOMPARE(*parseInteger("-7"), -7LL);
        QCOMPARE(*parseInteger("+7"), 7LL);
        for (const char* wrong : {"", "4.2", "42a", "99999999999999999999"}) QVERIFY2(!parseInteger(wrong), wrong);
    }

    void takesLinesWithEitherEnd() {
        std::string_view text = "one\r\ntwo\n\nlast";
        QCOMPARE(takeLine(text), std::string_view("one"));
        QCOMPARE(takeLine(text), std::string_view("two"));
        QCOMPARE(takeLine(text), std::string_view(""));
        QCOMPARE(takeLine(text), std::string_view("last"));
        QVERIFY(text.empty());
    }

    void cutsChunksOnlyAtLineEnds() {
        std::string text;
        for (int i = 0; i < 500; ++i) text += "line " + std::to_string(i) + "\n";
        text += "no end";
        std::string together;
        for (const std::string_view chunk : chunksOfLines(text, 100)) {
            QVERIFY(chunk.size() < 120);
            QVERIFY(chunk.back() == '\n' || chunk.data() + chunk.size() == text.data() + text.size());
            together += chunk;
        }
        QCOMPARE(together, text);
        QCOMPARE(chunksOfLines(std::string(1000, 'x'), 10).size(), std::size_t(1));  // one line is never cut
    }

    void goesOnBehindABackslash() {
        std::string_view text = "f 1 2\\\n 3 \\\r\n4\n# C:\\\nv a\\b \\";
        LineCursor line(takeLine(text, Lines::Continued));
        for (const char* word : {"f", "1", "2", "3", "4", ""}) QCOMPARE(line.word(), std::string_view(word));
        QCOMPARE(takeLine(text, Lines::Continued), std::string_view("# C:\\"));
        QCOMPARE(takeLine(text, Lines::Continued), std::string_view("v a\\b \\"));
        LineCursor numbers("1.5\\\n2");
        QCOMPARE(*numbers.number(), 1.5f);
        QCOMPARE(*numbers.number(), 2.0f);
        QCOMPARE(chunksOfLines("aaaa\\\nbbbb\ncc\n", 3, Lines::Continued).size(), std::size_t(2));
        QCOMPARE(chunksOfLines("aaaa\\\nbbbb\ncc\n", 3).size(), std::size_t(3));
    }

    void namesTheLine() {
        const std::string text = "first\nsecond\nthird\n";
        const QString said = test::errorOf([&] { failAtLine("a.obj", text, text.data() + 13, "is wrong."); });
        QCOMPARE(said, QString("a.obj, line 3: is wrong."));
    }

    void showsStrangeTextSafely() {
        QCOMPARE(shown("a\x01\x80z"), std::string("a??z"));
        QCOMPARE(shown(std::string(50, 'x')), std::string(40, 'x') + "…");
        QCOMPARE(shown("Größe 鯨 🐋"), std::string("Größe 鯨 🐋"));
        // Cut off, overlong, a control character, a surrogate.
        QCOMPARE(shown("\xc3"), std::string("?"));
        QCOMPARE(shown("\xc0\xaf"), std::string("??"));
        QCOMPARE(shown("\xe0\x80\xaf"), std::string("???"));
        QCOMPARE(shown("\xc2\x85"), std::string("??"));
        QCOMPARE(shown("\xed\xa0\x80"), std::string("???"));
    }

    void readsNamesOutOfUris() {
        QCOMPARE(nameOfUri("storage%20jar%2E07.bin"), std::string("storage jar.07.bin"));
        QCOMPARE(nameOfUri("gro%c3%9fe"), std::string("große"));
        for (const char* plain : {"jar.bin", "100%", "5%z1", "5%1", "a%-1b", ""})
            QCOMPARE(nameOfUri(plain), std::string(plain));
    }

    void bringsArraysBackThatSpanChunks() {
        const test::Folder folder;
        std::vector<std::uint32_t> values(3000000);  // 12 MB: three chunks
        for (std::size_t i = 0; i < values.size(); ++i) values[i] = std::uint32_t(i * i);
        {
            Database database(folder / "d", "d", Database::Mode::Create);
            database.writeText("hello", "wörld");
            database.writeArray("numbers", values, Progress());
            database.writeArray("nothing", std::vector<float>(), Progress());
            database.finish();
        }
        const Database database(folder / "d", "d", Database::Mode::Read);
        QCOMPARE(database.readText("hello"), std::string("wörld"));
        QVERIFY(database.readArray<std::uint32_t>("numbers") == values);
        QVERIFY(database.readArray<float>("nothing").empty());
        QVERIFY(test::errorOf([&] { database.readText("missing"); }).contains("damaged"));
        using Odd = std::array<char, 7>;
        QVERIFY(test::errorOf([&] { database.readArray<Odd>("numbers"); }).contains("damaged"));
    }

    void leavesNothingWithoutFinishing() {
        const test::Folder folder;
        {
            Database database(folder / "d", "d", Database::Mode::Create);
            database.writeText("hello", "world");
        }
        const QString said = test::errorOf([&] {
            const Database database(folder / "d", "d", Database::Mode::Read);
            database.readText("hello");
        });
        QVERIFY(!said.isEmpty());
    }
};

UM_TEST(TextTest)
#include "TextTest.moc"

#include "base/File.h"
#include "base/Parallel.h"
#include "base/Progress.h"
#include "files/NamePattern.h"
#include "tests/support/Files.h"
#include "tests/support/TestMain.h"

#include <QTest>

using namespace um;

class FileTest : public QObject {
    Q_OBJECT

private slots:
    void replacesAFileOnlyWhenAllIsWritten() {
        const auto path = m_folder.write("a.txt", "old");
        QVERIFY_EXCEPTION_THROWN(writeWhole(path,
                                            [](FileWriter& writer) {
                                                writer.write("half");
                                                throw Cancelled();
                                            }),
                                 Cancelled);
        QCOMPARE(test::contentOf(path), std::string("old"));
        writeWhole(path, [](FileWriter& writer) { writer.write("new"); });
        QCOMPARE(test::contentOf(path), std::string("new"));
    }

    void writesMoreThanItsBuffer() {
        const std::string large(3500000, 'x');
        writeWhole(m_folder / "large", [&](FileWriter& writer) {
            writer.write("begin");
            writer.write(large);
        });
        QCOMPARE(test::contentOf(m_folder / "large"), "begin" + large);
    }

    void hashesContentsNotNames() {
        const auto a = m_folder.write("h1", "same"), b = m_folder.write("h2", "same"),
                   c = m_folder.write("h3", "other");
        QCOMPARE(hashFile(a, Progress()), hashFile(b, Progress()));
        QVERIFY(hashFile(a, Progress()) != hashFile(c, Progress()));
        QCOMPARE(hashFile(a, Progress()).size(), std::size_t(32));
        // In pieces or as a whole, in a file or not.
        const std::string whole = "same", first = "sa", last = "me";
        const auto bytes = [](const std::string& text) { return std::as_bytes(std::span(text)); };
        QCOMPARE(hashBytes({bytes(whole)}), hashFile(a, Progress()));
        QCOMPARE(hashBytes({bytes(first), bytes(last)}), hashBytes({bytes(whole)}));
    }

    void fillsNamePatterns() {
        QCOMPARE(fillPattern("{name}_lod{n}", "jar", "LOD 2", 2), std::string("jar_lod2"));
        QCOMPARE(fillPattern("out/{level}", "jar", "far/away: 3?", 0), std::string("out/far_away_ 3_"));
        QVERIFY(test::errorOf([] { fillPattern("{size}", "jar", "LOD 0", 0); }).contains("{name}"));
        QVERIFY(!test::errorOf([] { fillPattern("", "jar", "LOD 0", 0); }).isEmpty());
        QVERIFY(!test::errorOf([] { fillPattern("{name", "jar", "LOD 0", 0); }).isEmpty());
    }

    void countsProgressOfStepsWithinSteps() {
        const Progress whole;
        const Progress second = whole.span(0.5, 1);
        second.span(0, 0.5).at(0.5);
        QCOMPARE(whole.fraction(), 0.625);
        second.at(0.1);  // late news from another thread does not run the bar back
        QCOMPARE(whole.fraction(), 0.625);
        whole.cancel();
        QVERIFY_EXCEPTION_THROWN(second.check(), Cancelled);
    }

    void filtersInOrder() {
        std::vector<int> values(200000);
        for (std::size_t i = 0; i < values.size(); ++i) values[i] = int(i);
        const std::vector<int> kept = parallelFilter(values, [](std::size_t i) { return i % 7 == 3; });
        QCOMPARE(kept.size(), std::size_t(28571));
        for (std::size_t i = 0; i < kept.size(); ++i) QCOMPARE(kept[i], int(7 * i + 3));
        // Also where nothing, everything, or the last of a chunk is kept.
        for (const std::size_t count : {std::size_t(0), std::size_t(1), std::size_t(1) << 15, std::size_t(65537)}) {
            QVERIFY(parallelIndices(count, [](std::size_t) { return false; }).empty());
            const auto all = parallelIndices(count, [](std::size_t) { return true; });
            QCOMPARE(all.size(), count);
            for (std::size_t i = 0; i < count; ++i) QCOMPARE(std::size_t(all[i]), i);
            const auto last = parallelIndices(count, [&](std::size_t i) { return i + 1 == count; });
            QCOMPARE(last.size(), std::size_t(count > 0 ? 1 : 0));
        }
    }

private:
    test::Folder m_folder;
};

UM_TEST(FileTest)
#include "FileTest.moc"

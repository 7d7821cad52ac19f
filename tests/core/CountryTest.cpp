// Where numbers have a decimal comma: a desktop program takes over what is usual in its country, files must not.
#include "base/Units.h"
#include "chain/Recipe.h"
#include "document/Document.h"
#include "files/MeshFile.h"
#include "tests/support/Files.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <clocale>
#include <QProcess>
#include <QTest>

using namespace um;

namespace {

// What is usual in Germany, made in a folder of its own: few machines have it, all can make it (package locales).
bool makeCountry(const std::filesystem::path& folder) {
    QProcess localedef;
    localedef.start("localedef",
                    {"-i", "de_DE", "-f", "UTF-8", QString::fromStdString((folder / "de_DE.UTF-8").string())});
    return localedef.waitForFinished() && localedef.exitCode() == 0 &&
           qputenv("LOCPATH", QByteArray::fromStdString(folder.string()));
}

void takeOver(const char* country) {
    QVERIFY2(std::setlocale(LC_ALL, country) != nullptr, country);
}

Mesh shape() {
    Mesh mesh = test::dressed(test::makeBumpyBall());
    mesh.parts[0].name = "Rim";
    mesh.materials[0].roughness = 0.35F;
    return mesh;
}

Document document() {
    Document document;
    document.name = "jar";
    document.source = std::make_shared<const Mesh>(shape());
    document.embedSource = true;
    document.tolerance = 0.0007;
    document.screen = {2160, 37.5};
    document.viewerDistance = 12.5;
    document.care.protect.creaseDegrees = 37.5;
    document.care.guard.parts = {{"Rim", 0.5F}};
    document.care.dropLoose = "1.5px@24m";
    return document;
}

Recipe recipe() {
    Recipe recipe;
    recipe.levels = levelsByRatio("12.5%", 0.3, 3);
    recipe.care.guard.parts = {{"Rim", -0.25F}};
    recipe.care.protect.creaseDegrees = 37.5;
    return recipe;
}

}  // namespace

class CountryTest : public QObject {
    Q_OBJECT

private slots:
    void initTestCase() {
        QVERIFY(makeCountry(m_folder.path()));
        takeOver("de_DE.UTF-8");
        QCOMPARE(std::localeconv()->decimal_point, ",");
    }

    void init() { takeOver("de_DE.UTF-8"); }

    void writesNumbersWithAPoint() {
        QCOMPARE(formatNumber(0.4237), std::string("0.424"));
        QCOMPARE(formatNumber(1.5), std::string("1.5"));
        QCOMPARE(formatNumber(1.5e-9), std::string("1.50e-09"));
        QCOMPARE(formatShortCount(1'042'316), std::string("1.04M"));
        QCOMPARE(formatShortCount(9'500), std::string("9.5k"));
        QCOMPARE(formatLength(0.00042), std::string("0.42 mm"));
        QCOMPARE(formatGuard(0.5F), std::string("keep 0.5"));
        QCOMPARE(parseLength("0.5mm").value, 0.5);
    }

    void writesTheSameMeshes() {
        for (const char* name : {"ball.obj", "ball.ply", "ball.stl", "ball.gltf", "ball.glb"}) {
            const auto writtenIn = [&](const std::string& country) {
                const std::filesystem::path folder = m_folder / country;
                std::filesystem::create_directory(folder);
                writeMesh(shape(), folder / name, Progress());
                return folder / name;
            };
            const std::filesystem::path here = writtenIn("here");
            takeOver("C");
            const std::filesystem::path elsewhere = writtenIn("elsewhere");
            const Mesh expected = readMesh(elsewhere, Progress()).mesh;
            takeOver("de_DE.UTF-8");
            QCOMPARE(test::contentOf(here), test::contentOf(elsewhere));
            const Mesh read = readMesh(here, Progress()).mesh;
            QVERIFY(read.positions == expected.positions);
            QVERIFY(read.uvs == expected.uvs);
            QCOMPARE(read.materials[0].roughness, expected.materials[0].roughness);
        }
    }

    void writesTheSameRecipes() {
        writeRecipe(recipe(), m_folder.path() / "here.json");
        takeOver("C");
        writeRecipe(recipe(), m_folder.path() / "C.json");
        takeOver("de_DE.UTF-8");
        QCOMPARE(test::contentOf(m_folder.path() / "here.json"), test::contentOf(m_folder.path() / "C.json"));
        const Recipe read = readRecipe(m_folder.path() / "here.json");
        QCOMPARE(read.levels[0].target, std::string("12.5%"));
        QCOMPARE(read.care.protect.creaseDegrees, 37.5);
        QCOMPARE(read.care.guard.parts[0].value, -0.25F);
    }

    void bringsBackWhatWasSavedInAnyCountry() {
        const std::filesystem::path file = m_folder.path() / "jar.umesh";
        for (const char* savedIn : {"de_DE.UTF-8", "C"})
            for (const char* openedIn : {"de_DE.UTF-8", "C"}) {
                takeOver(savedIn);
                saveDocument(document(), file, Progress());
                takeOver(openedIn);
                const Document read = openDocument(file, Progress());
                QCOMPARE(read.tolerance, 0.0007);
                QCOMPARE(read.screen.fieldOfViewDegrees, 37.5);
                QCOMPARE(read.viewerDistance, 12.5);
                QCOMPARE(read.care.protect.creaseDegrees, 37.5);
                QCOMPARE(read.care.guard.parts[0].value, 0.5F);
                QCOMPARE(read.care.dropLoose, std::string("1.5px@24m"));
                QVERIFY(read.source->positions == shape().positions);
            }
    }

private:
    test::Folder m_folder;
};

UM_TEST(CountryTest)
#include "CountryTest.moc"

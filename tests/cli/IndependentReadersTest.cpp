// What is delivered passes the official validator of glTF without an error or a warning, and opens in another reader,
// with the right counts and with levels that switch by the manifest.
#include "base/Json.h"
#include "demo/DiversLamp.h"
#include "demo/Eel.h"
#include "demo/StorageJar.h"
#include "files/MeshFile.h"
#include "reduce/Reduce.h"
#include "tests/support/Files.h"
#include "tests/support/TestMain.h"

#include <nlohmann/json.hpp>
#include <QProcess>
#include <QTest>

using namespace um;

class IndependentReadersTest : public QObject {
    Q_OBJECT

private slots:
    void initTestCase() {
        std::filesystem::create_directories(READERS_FOLDER);
        for (const char* name : {"package.json", "validate.mjs", "load.mjs"})
            std::filesystem::copy_file(std::filesystem::path(READERS_SOURCE) / name,
                                       std::filesystem::path(READERS_FOLDER) / name,
                                       std::filesystem::copy_options::overwrite_existing);
        QVERIFY2(run("npm", {"install", "--no-audit", "--no-fund", "--silent"}), "npm could not install the readers");
        // The demo's own, with its textures, skin and blend shape, but smaller: each is made into many chains.
        ReduceSettings quick;
        quick.polish = false;
        writeMesh(reduceMesh(demo::makeEel(), 8000, quick, Progress()).mesh, m_folder / "eel.glb", Progress());
        const Mesh lamp = demo::makeDiversLamp();
        writeMesh(lamp, m_folder / "lamp.glb", Progress());
        writeMesh(reduceMesh(lamp, 4000, quick, Progress()).mesh, m_folder / "lamp_level.glb", Progress());
        writeMesh(reduceMesh(demo::makeStorageJar(), 25000, quick, Progress()).mesh, m_folder / "jar.glb", Progress());
    }

    void passAndOpen_data() {
        QTest::addColumn<QString>("source");
        QTest::addColumn<QStringList>("options");
        const QStringList less = {"--materials", "base colour", "--fit-textures"};
        for (const QString source : {"jar", "eel"}) {
            const auto row = [&](const char* what, const QStringList& options) {
                QTest::newRow(qPrintable(source + ": " + what)) << source << options;
            };
            row("files of their own", {});
            row("glTF", {"--format", "gltf"});
            row("one file", {"--one-file"});
            row("quantised", {"--packing", "quantised", "--pivot", "ground"});
            row("one file, quantised", {"--one-file", "--packing", "quantised"});
            row("fewer materials", QStringList{"--one-file"} + less);
            row("one slot", {"--one-file", "--materials", "one slot"});
        }
    }

    void passAndOpen() {
        QFETCH(QString, source);
        QFETCH(QStringList, options);
        const Json manifest = chainOf(source, options);
        QVERIFY2(validates(manifest), qPrintable(m_said));
        QVERIFY2(run("node", {"load.mjs", path("out/" + source + "_chain.json")}), qPrintable(m_said));
        const Json loaded = Json::parse(m_said.toStdString());
        for (std::size_t i = 0; i < 3; ++i) {
            QCOMPARE(loaded["levels"][i].get<double>(), manifest["levels"][i]["triangles"].get<double>());
            QCOMPARE(loaded["drawn"][i].get<std::size_t>(), i);
        }
    }

    void passCompressed() {
        for (const QString source : {"jar", "eel"})
            QVERIFY2(validates(chainOf(source, {"--packing", "draco"})), qPrintable(m_said));
    }

    void passBaked() {
        const QStringList bake = {"bake", path("lamp.glb"), path("lamp_level.glb"), path("baked.glb"), "--sheet",
                                  "256",  "--join-parts"};
        QVERIFY2(run(UMESH_PROGRAM, bake), qPrintable(m_said));
        QVERIFY2(run("node", {"validate.mjs", path("baked.glb")}), qPrintable(m_said));
    }

    void theValidatorFindsWhatIsWrong() {
        // A test that could not fail would say nothing.
        const Json manifest = chainOf("jar", {});
        const std::filesystem::path file = m_folder / "out" / manifest["levels"][0]["file"].get<std::string>();
        std::string bytes = test::contentOf(file);
        const std::size_t place = bytes.find("\"mode\"") != std::string::npos ? 0 : bytes.find("\"POSITION\":");
        QVERIFY(place > 0);
        bytes.replace(place, 10, "\"POSITIOM\"");
        m_folder.write("out/broken.glb", bytes);
        QVERIFY(!run("node", {"validate.mjs", path("out/broken.glb")}));
    }

private:
    QString path(const QString& name) const { return QString::fromStdString((m_folder / name.toStdString()).string()); }

    bool run(const QString& program, const QStringList& arguments) {
        QProcess process;
        process.setWorkingDirectory(READERS_FOLDER);
        process.start(program, arguments);
        if (!process.waitForFinished(240000)) return false;
        m_said = process.readAllStandardOutput();
        const QString errors = process.readAllStandardError();
        if (process.exitCode() != 0) m_said += errors;
        return process.exitStatus() == QProcess::NormalExit && process.exitCode() == 0;
    }

    Json chainOf(const QString& source, const QStringList& options) {
        std::filesystem::remove_all(m_folder / "out");
        const QStringList chain = {"chain", path(source + ".glb"), path("out"), "--targets",
                                   source == "jar" ? "6000,2000,500" : "3000,1000,300"};
        run(UMESH_PROGRAM, chain + options);
        return Json::parse(test::contentOf(m_folder / "out" / (source.toStdString() + "_chain.json")));
    }

    bool validates(const Json& manifest) {
        QStringList arguments = {"validate.mjs"};
        for (const Json& level : manifest["levels"])
            arguments += path("out/" + QString::fromStdString(level["file"].get<std::string>()));
        arguments.removeDuplicates();
        return run("node", arguments);
    }

    test::Folder m_folder;
    QString m_said;
};

UM_TEST(IndependentReadersTest)
#include "IndependentReadersTest.moc"

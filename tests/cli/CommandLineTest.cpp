#include "document/Document.h"
#include "draw/Picture.h"
#include "files/MeshFile.h"
#include "measure/PixelLoad.h"
#include "measure/TexelUse.h"
#include "mesh/Health.h"
#include "tests/support/Files.h"
#include "tests/support/Programs.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <csignal>
#include <QProcess>
#include <QTest>

using namespace um;
using test::contains;
using test::Json;
using test::Outcome;
using test::runProgram;
using test::umesh;

class CommandLineTest : public QObject {
    Q_OBJECT

private slots:
    void initTestCase() { m_sphere = test::writeSphere(m_folder); }

    void inspectsInOneLineAndInJson() {
        const Outcome plain = umesh({"inspect", m_sphere});
        QCOMPARE(plain.code, 0);
        QVERIFY(contains(plain.out, "12,800 triangles") && contains(plain.out, "sound and closed"));
        QCOMPARE(std::count(plain.out.begin(), plain.out.end(), '\n'), std::ptrdiff_t(1));
        const Outcome json = umesh({"inspect", m_sphere, "--json", "-"});
        const Json parsed = Json::parse(json.out);  // standard output carries nothing else
        QCOMPARE(parsed["triangles"].get<int>(), 12800);
        QCOMPARE(parsed["vertices"].get<int>(), 6402);
        QCOMPARE(parsed["format"].get<std::string>(), std::string("PLY"));
        QCOMPARE(parsed["health"]["border_loops"].get<int>(), 0);
        QVERIFY(contains(json.err, "12,800"));
    }

    void comparesShadingAndSize() {
        const std::string level = (m_folder / "shape.ply").string();
        QCOMPARE(umesh({"reduce", m_sphere, level, "--target", "200"}).code, 0);
        const Json shape = Json::parse(umesh({"measure", m_sphere, level, "--shape", "--json", "-"}).out)["shape"];
        QVERIFY(shape["mean_turn_degrees"].get<double>() > 0 && shape["mean_turn_degrees"].get<double>() < 10);
        QVERIFY(std::abs(shape["volume_ratio"].get<double>() - 1) < 0.05);
    }

    void countsPixelsAndTexelsWhereItIsSeen() {
        const std::string source = (m_folder / "painted.glb").string(), level = (m_folder / "painted2.glb").string();
        Mesh sheet = test::makeSheet(60, 60, 1, 1, [](double x, double z) { return 0.1 * std::sin(5 * x + 4 * z); });
        for (const Vec3f& p : sheet.positions) sheet.uvs.emplace_back(p.x(), p.z());
        const Picture picture(256, 256, {90, 60, 30});
        sheet.textures.push_back({"paint", "image/png", std::make_shared<const std::string>(pngOf(picture)), 256, 256});
        sheet.materials[0].name = "paint";
        sheet.materials[0].baseColorTexture.texture = 0;
        writeMesh(sheet, source, Progress());
        QCOMPARE(umesh({"reduce", source, level, "--target", "200"}).code, 0);
        const Json json =
            Json::parse(umesh({"measure", source, level, "--at", "20m", "--load", "--texels", "--json", "-"}).out);
        const double scale = json["pixel_load"]["pixels_per_unit"];
        QVERIFY(std::abs(scale - 1440 / (2 * 20 * std::tan(25 * pi / 180))) < 0.01);
        const Mesh reduced = readMesh(level, Progress()).mesh;
        const PixelLoad load = measurePixelLoad(reduced, 26, scale, Progress());
        QCOMPARE(json["pixel_load"]["level"]["pixels_per_triangle"].get<double>(), load.pixelsPerTriangle);
        QCOMPARE(json["pixel_load"]["level"]["overdraw"].get<double>(), load.overdraw);
        QVERIFY(json["pixel_load"]["source"]["pixels_per_triangle"].get<double>() < load.pixelsPerTriangle / 20);
        const TexelUse use = measureTexelUse(reduced).at(0);
        QCOMPARE(json["texels"][0]["enough"].get<int>(), use.enough(scale));
        QCOMPARE(json["texels"][0]["texels_per_pixel"].get<double>(), use.density / scale);
        QVERIFY(use.density > 200 && use.density < 257);                // the waves are longer than the sheet is wide
        QCOMPARE(umesh({"measure", source, level, "--load"}).code, 2);  // from where?
    }

    void repairsWhatItIsTold() {
        const std::string broken = (m_folder / "broken.ply").string(), mended = (m_folder / "mended.ply").string();
        Mesh mesh = test::joined(test::makeSphere(1, 20), test::moved(test::makeSphere(0.01, 2), {0, 2, 0}));
        std::vector<std::uint8_t> kept(mesh.triangleCount(), 1);
        kept[5] = kept[17] = 0;
        keepTriangles(mesh, kept);
        mesh.unitStated = true;
        writeMesh(mesh, broken, Progress());
        const Json json =
            Json::parse(umesh({"repair", broken, mended, "--fill", "500mm", "--drop-bits", "40mm", "--json", "-"}).out);
        QCOMPARE(json["bits_dropped"].get<int>(), 1);
        QCOMPARE(json["filled"].get<int>(), 2);
        const auto findings = findFaults(readMesh(mended, Progress()).mesh, Progress());
        QVERIFY(findings.size() == 1 && findings[0].fault == Fault::MissingUvs);
        const Outcome small = umesh({"repair", broken, mended, "--fill", "1mm"});
        QVERIFY(small.code == 0 && contains(small.out, "0 filled"));
        QCOMPARE(umesh({"repair", broken, mended}).code, 2);
        QCOMPARE(umesh({"repair", broken, mended, "--fill", "wide"}).code, 2);
    }

    void turnsWhatIsInsideOut() {
        const std::string broken = (m_folder / "mirrored.ply").string(), mended = (m_folder / "turned.ply").string();
        Mesh mirrored = test::makeBox({1, 1, 1}, 2);
        for (Vec3f& p : mirrored.positions) p.x() = -p.x();
        Mesh mesh = test::joined(test::makeSphere(1, 10), test::moved(mirrored, {3, 0, 0}));
        std::swap(mesh.triangles[7][1], mesh.triangles[7][2]);
        mesh.unitStated = true;
        writeMesh(mesh, broken, Progress());
        QVERIFY(contains(umesh({"inspect", broken, "--findings"}).out, "1 closed piece faces inwards"));
        const Json json = Json::parse(umesh({"repair", broken, mended, "--turn", "--json", "-"}).out);
        QCOMPARE(json["turned"].get<int>(), 1);
        QCOMPARE(json["pieces_turned"].get<int>(), 1);
        const double whole = test::volume(test::makeSphere(1, 10)) + 1;
        QVERIFY(std::abs(test::volume(readMesh(mended, Progress()).mesh) - whole) < 1e-5);
    }

    void writesAnEvidenceSheet() {
        const std::string level = (m_folder / "judged.ply").string(), out = (m_folder / "sheet.html").string();
        QCOMPARE(umesh({"reduce", m_sphere, level, "--target", "300"}).code, 0);
        const Outcome outcome = umesh({"report", m_sphere, level, "--out", out, "--at", "4m", "--date", "2026-02-03"});
        QCOMPARE(outcome.code, 0);
        const std::string sheet = test::contentOf(out);
        QVERIFY(contains(sheet, "judged.ply") && contains(sheet, "2026-02-03") && contains(sheet, "12,800"));
        // A document's own levels.
        Document document;
        document.name = "ball";
        document.source = std::make_shared<const Mesh>(readMesh(m_sphere, Progress()).mesh);
        document.levels = {makeLevel("far one", "", std::make_shared<const Mesh>(readMesh(level, Progress()).mesh))};
        document.tolerance = 0.00123;
        saveDocument(document, m_folder / "ball.umesh", Progress());
        const std::string file = (m_folder / "ball.umesh").string();
        QCOMPARE(umesh({"report", file, "--out", out}).code, 0);
        const std::string own = test::contentOf(out);
        QVERIFY(own.find("far one") != std::string::npos && own.find("1.23 mm") != std::string::npos);
        QCOMPARE(umesh({"report", file, level, "--out", out}).code, 2);
        QCOMPARE(umesh({"report", m_sphere, "--out", out}).code, 2);
        QCOMPARE(umesh({"report", m_sphere, level, "--out", (m_folder / "sheet.txt").string()}).code, 2);
        QCOMPARE(umesh({"report", m_sphere, level, "--out", "/no/such/folder/sheet.html"}).code, 1);
    }

    void listsFindingsWithTheirPlaces() {
        QVERIFY(contains(umesh({"inspect", m_sphere, "--findings"}).out, "No UVs"));
        const std::string raw = (m_folder / "raw.ply").string();
        QCOMPARE(runProgram(UMESH_DEMO_PROGRAM, {"raw-scan", raw}).code, 0);
        const Json found = Json::parse(umesh({"inspect", raw, "--findings", "--json", "-"}).out)["findings"];
        QVERIFY(found.size() >= 5);
        for (const Json& one : found)
            if (contains(one["what"].get<std::string>(), "loose bits")) {
                QCOMPARE(one["places"].size(), one["count"].get<std::size_t>());
                return;
            }
        QFAIL("no loose bits");
    }

    void tellsTheFirstOfThousandsOfParts() {
        std::string text;
        for (int part = 0; part < 1234; ++part)
            text += "o bolt_" + std::to_string(part) + "\nv 0 0 0\nv 1 0 0\nv 0 1 " + std::to_string(part) +
                    "\nf -3 -2 -1\n";
        const std::string bolts = m_folder.write("bolts.obj", text).string();
        const Outcome plain = umesh({"inspect", bolts});
        QVERIFY(contains(plain.out, "bolt_99: ") && !contains(plain.out, "bolt_100: "));
        QVERIFY(contains(plain.out, "and 1,134 parts more"));
        QCOMPARE(Json::parse(umesh({"inspect", bolts, "--json", "-"}).out)["parts"].size(), std::size_t(1234));
    }

    void inspectsSeveralAtOnce() {
        const Json parsed = Json::parse(umesh({"inspect", m_sphere, m_sphere, "--json", "-"}).out);
        QCOMPARE(parsed.size(), std::size_t(2));
    }

    void comparesOutlinesAtAHeightAndAtADistance() {
        const std::string level = (m_folder / "outline.ply").string();
        QCOMPARE(umesh({"reduce", m_sphere, level, "--target", "200"}).code, 0);
        const Json tall = Json::parse(umesh({"measure", m_sphere, level, "--silhouette", "300px", "--json", "-"}).out);
        QCOMPARE(tall["silhouette"]["views"].get<int>(), 98);
        QCOMPARE(tall["silhouette"]["by_direction"].size(), std::size_t(98));
        const double max = tall["silhouette"]["max_px"].get<double>();
        QVERIFY(max > 0.5 && max < 10);
        QCOMPARE(tall["silhouette"]["worst"]["max_px"].get<double>(), max);
        // The ball of 2 m is 300 px tall on this screen at 1440 px * 2 m / (2 tan(25 deg) 300 px).
        const double distance = 1440 * 2 / (2 * std::tan(25 * pi / 180) * 300);
        const Outcome far = umesh({"measure", m_sphere, level, "--at", std::to_string(distance) + "m", "--json", "-"});
        QVERIFY(std::abs(Json::parse(far.out)["silhouette"]["max_px"].get<double>() - max) < 0.05 * max);
        QVERIFY2(contains(umesh({"measure", m_sphere, level, "--silhouette", "300px"}).out, "px from "), "where");
        QCOMPARE(umesh({"measure", m_sphere, level, "--silhouette", "tall"}).code, 2);
        QCOMPARE(umesh({"measure", m_sphere, level, "--silhouette", "300", "--at", "3m"}).code, 2);
        QCOMPARE(umesh({"measure", m_sphere, level, "--silhouette", "300", "--views", "50"}).code, 2);
    }

    void saysWhatIsBrokenInTheSource() {
        Mesh broken = test::makeSphere(1, 20);
        broken.triangles.push_back(broken.triangles[0]);
        broken.triangles.push_back({broken.triangles[7][0], broken.triangles[7][1], broken.triangles[7][1]});
        ensureSections(broken, "sphere");
        broken.sections[0].triangleCount = std::uint32_t(broken.triangleCount());
        const std::string in = (m_folder / "broken.ply").string(), out = (m_folder / "mended.ply").string();
        writeMesh(broken, in, Progress());
        const Outcome outcome = umesh({"reduce", in, out, "--target", "400"});
        QVERIFY2(contains(outcome.out, "1 duplicate triangle") && contains(outcome.out, "zero-area triangle"),
                 outcome.out.c_str());
        QVERIFY(!contains(umesh({"reduce", m_sphere, out, "--target", "400"}).out, "The source has"));
    }

    void reducesToACountAndSaysSo() {
        const std::string out = (m_folder / "level.glb").string();
        const Outcome outcome = umesh({"reduce", m_sphere, out, "--target", "500", "--measure", "--json", "-"});
        QCOMPARE(outcome.code, 0);
        const Json parsed = Json::parse(outcome.out);
        QCOMPARE(parsed["source"]["triangles"].get<int>(), 12800);
        QCOMPARE(parsed["level"]["triangles"].get<int>(), 500);
        QCOMPARE(readMesh(out, Progress()).mesh.triangleCount(), std::size_t(500));
        QVERIFY(parsed["deviation"]["max_bound"].get<double>() >= parsed["deviation"]["max"].get<double>());
    }

    void measuresWithTheFieldsThatAreDocumented() {
        const std::string level = (m_folder / "m.ply").string();
        QCOMPARE(umesh({"reduce", m_sphere, level, "--target", "5%"}).code, 0);
        const Outcome outcome = umesh({"measure", m_sphere, level, "--tolerance", "20mm", "--json", "-"});
        QCOMPARE(outcome.code, 0);
        const Json parsed = Json::parse(outcome.out);
        for (const char* field : {"file", "triangles", "vertices", "diagonal"}) {
            QVERIFY(parsed["source"].contains(field));
            QVERIFY(parsed["level"].contains(field));
        }
        const Json& d = parsed["deviation"];
        QCOMPARE(d["unit"].get<std::string>(), std::string("m"));
        for (const char* field : {"max", "max_bound", "mean", "rms", "p95", "p99"}) QVERIFY(d[field].is_number());
        for (const char* side : {"source_to_level", "level_to_source"})
            for (const char* field : {"max", "mean", "rms", "p95", "p99"}) QVERIFY(d[side][field].is_number());
        QCOMPARE(d["within"]["tolerance"].get<double>(), 0.02);
        QCOMPARE(d["within"]["fraction"].get<double>(), 1.0);
        QVERIFY(std::abs(parsed["source"]["diagonal"].get<double>() - 2 * std::sqrt(3.0)) < 1e-5);
        // The level's own measurement while reducing says the same.
        const Json again =
            Json::parse(umesh({"reduce", m_sphere, level, "--target", "5%", "--measure", "--json", "-"}).out);
        QCOMPARE(again["deviation"]["rms"].get<double>(), d["rms"].get<double>());
    }

    void endsWithThreeWhenACheckIsMissed() {
        const std::string level = (m_folder / "rough.ply").string();
        const Outcome reduced = umesh({"reduce", m_sphere, level, "--target", "50", "--tolerance", "1mm"});
        QCOMPARE(reduced.code, 3);
        QVERIFY(contains(reduced.out, "exceeded"));
        QCOMPARE(readMesh(level, Progress()).mesh.triangleCount(), std::size_t(50));  // it is written all the same
        QCOMPARE(umesh({"measure", m_sphere, level, "--tolerance", "1mm"}).code, 3);
        QCOMPARE(umesh({"reduce", m_sphere, level, "--target", "1"}).code, 3);  // a closed surface keeps four
    }

    void searchesForTheClosestWhereItIsThorough() {
        const std::string source = (m_folder / "waves.ply").string(), out = (m_folder / "level.ply").string();
        const auto waves = [](double x, double z) { return 0.06 * std::sin(11 * x + 3 * z) * std::cos(9 * z); };
        writeMesh(test::makeSheet(100, 100, 1, 1, waves), source, Progress());
        const auto max = [&](std::vector<std::string> how) {
            how.insert(how.begin(), {"reduce", source, out, "--target", "200", "--json", "-"});
            const Json parsed = Json::parse(umesh(how).out);
            return std::pair(parsed["level"]["triangles"].get<int>(), parsed["deviation"]["max"].get<double>());
        };
        // It is measured without being asked.
        const auto plain = max({"--measure"}), thorough = max({"--thorough"});
        QCOMPARE(thorough.first, plain.first);
        QVERIFY2(thorough.second < plain.second, qPrintable(QString("%1 %2").arg(thorough.second).arg(plain.second)));
    }

    void endsWithTwoOnWrongUsage() {
        for (const std::vector<std::string>& arguments :
             {std::vector<std::string>{},
              {"enlarge"},
              {"reduce", m_sphere},
              {"reduce", m_sphere, "x.ply"},
              {"reduce", m_sphere, "x.ply", "--target", "lots"},
              {"measure", m_sphere, m_sphere, "--tolerance", "wide"},
              {"inspect", m_sphere, "--unit", "parsec"},
              {"reduce", m_sphere, "x.ply", "--target", "5", "--thorough", "--no-polish"},
              {"reduce", m_sphere, "x.ply", "--target", "5", "--screen", "tv"}}) {
            const Outcome outcome = umesh(arguments);
            QCOMPARE(outcome.code, 2);
            QVERIFY(!outcome.err.empty());
        }
        QVERIFY(contains(umesh({"reduce", m_sphere, "x.ply", "--target", "lots"}).err, "12k"));
    }

    void endsWithOneWhenAFileIsWrong() {
        const Outcome missing = umesh({"inspect", "/nowhere/x.ply"});
        QCOMPARE(missing.code, 1);
        QVERIFY(contains(missing.err, "/nowhere/x.ply does not exist"));
        QCOMPARE(umesh({"reduce", m_sphere, "/nowhere/x.ply", "--target", "5%"}).code, 1);
        QCOMPARE(umesh({"reduce", m_sphere, (m_folder / "x.what").string(), "--target", "5%"}).code, 1);
        QVERIFY(!std::filesystem::exists(m_folder / "x.what"));
    }

    void writesJsonIntoAFile() {
        const auto json = m_folder / "report.json";
        const Outcome outcome = umesh({"inspect", m_sphere, "--json", json.string()});
        QVERIFY(contains(outcome.out, "12,800"));
        QCOMPARE(Json::parse(test::contentOf(json))["triangles"].get<int>(), 12800);
    }

    void takesAUnit() {
        const std::string plain = m_folder.write("plain.obj", "v 0 0 0\nv 10 0 0\nv 0 10 0\nf 1 2 3\n").string();
        QVERIFY(contains(umesh({"inspect", plain}).out, "10 m x 10 m"));
        QVERIFY(contains(umesh({"inspect", plain}).out, "unit assumed"));
        QVERIFY(contains(umesh({"inspect", plain, "--unit", "mm"}).out, "10 mm x 10 mm"));
    }

    void reducesWithCare() {
        const std::string source = (m_folder / "two.glb").string(), level = (m_folder / "two-low.glb").string();
        Mesh two = test::joined(test::makeSphere(1, 20), test::moved(test::makeSphere(0.05, 4), {2, 0, 0}));
        two.parts = {{"Ball"}, {"Pebble"}};
        writeMesh(two, source, Progress());
        const Outcome dropped =
            umesh({"reduce", source, level, "--target", "500", "--drop-loose", "20%", "--json", "-"});
        QCOMPARE(dropped.code, 0);
        const Json json = Json::parse(dropped.out);
        QVERIFY(contains(json["notes"][0].get<std::string>(), "1 loose piece of Pebble (128 triangles"));
        QCOMPARE(json["protect"].get<std::string>(),
                 std::string("borders=on, seams=on, creases=off 40deg, materials=on, skin=on"));
        QCOMPARE(readMesh(level, Progress()).mesh.triangleCount(), std::size_t(500));
        // Guards come from a file; parts can be reduced alone.
        const std::string guard =
            m_folder.write("two.guard.json", "{\"guard\": 1, \"parts\": {\"Pebble\": \"hold\"}}").string();
        QCOMPARE(umesh({"reduce", source, level, "--target", "400", "--guard", guard}).code, 0);
        QCOMPARE(trianglesByPart(readMesh(level, Progress()).mesh)[1], std::size_t(128));
        QCOMPARE(umesh({"reduce", source, level, "--target", "3300", "--parts", "Pebble", "--no-polish"}).code, 0);
        QCOMPARE(trianglesByPart(readMesh(level, Progress()).mesh)[0], std::size_t(3200));
        for (const std::vector<std::string>& wrong :
             std::vector<std::vector<std::string>>{{"--protect", "border=hard"},
                                                   {"--protect", "borders=very"},
                                                   {"--silhouette-weight", "2"},
                                                   {"--drop-loose", "12"},
                                                   {"--normals", "nice"},
                                                   {"--memory", "lots"},
                                                   {"--guard-channel", "x"}}) {
            std::vector<std::string> arguments = {"reduce", source, level, "--target", "400"};
            arguments.insert(arguments.end(), wrong.begin(), wrong.end());
            QVERIFY2(umesh(arguments).code == 2, wrong[1].c_str());
        }
        QCOMPARE(umesh({"reduce", source, level, "--target", "400", "--parts", "Stone"}).code, 1);
    }

    void reducesPieceByPieceWhereMemoryIsShort() {
        const std::string source = (m_folder / "sheet.stl").string(), level = (m_folder / "sheet-low.ply").string();
        writeMesh(test::makeSheet(300, 300), source, Progress());
        const Outcome outcome = umesh({"reduce", source, level, "--target", "1k", "--memory", "10M", "--json", "-"});
        QCOMPARE(outcome.code, 0);
        const Json json = Json::parse(outcome.out);
        QCOMPARE(json["source"]["triangles"].get<int>(), 180000);
        // Flat but for its corners, which the clusters cut.
        QVERIFY(json["sampled_source_to_level"]["max"].get<double>() < 6e-3);
        QVERIFY(json["sampled_source_to_level"]["rms"].get<double>() < 2e-4);
        QCOMPARE(readMesh(level, Progress()).mesh.triangleCount(), std::size_t(1000));
        QCOMPARE(umesh({"reduce", source, level, "--target", "1mm", "--memory", "10M"}).code, 2);
        QCOMPARE(umesh({"reduce", source, level, "--target", "1k", "--memory", "10M", "--join", "1mm"}).code, 2);
        QCOMPARE(umesh({"reduce", source, level, "--target", "1k", "--memory", "10M", "--thorough"}).code, 2);
    }

    void measuresAcrossUnits() {
        // A source in millimetres whose level was delivered as glTF, in metres.
        const std::string source = (m_folder / "mm.stl").string(), level = (m_folder / "mm.glb").string();
        writeMesh(test::makeSphere(50, 30), source, Progress());
        QCOMPARE(umesh({"reduce", source, level, "--target", "20%", "--unit", "mm"}).code, 0);
        // The polish may put corners a little outside the sphere, so the size is only about 10 cm.
        QVERIFY(contains(umesh({"inspect", level}).out, "cm x 10"));
        const Json d = Json::parse(umesh({"measure", source, level, "--unit", "mm", "--json", "-"}).out)["deviation"];
        QCOMPARE(d["unit"].get<std::string>(), std::string("mm"));
        QVERIFY(d["max"].get<double>() < 1);  // of 100 mm
    }

    void doesNotClaimAUnitItDoesNotKnow() {
        const std::string plain = m_folder.write("nounit.obj", "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n").string();
        for (const char* name : {"nounit.ply", "nounit.stl", "nounit2.obj"}) {
            const std::string out = (m_folder / name).string();
            QCOMPARE(umesh({"reduce", plain, out, "--target", "100%"}).code, 0);
            QVERIFY(contains(umesh({"inspect", out}).out, "unit assumed"));
        }
    }

    void reducesToALengthThatHolds() {
        const std::string level = (m_folder / "length.ply").string();
        QCOMPARE(umesh({"reduce", m_sphere, level, "--target", "15mm", "--tolerance", "15mm"}).code, 0);
        QCOMPARE(umesh({"measure", m_sphere, level, "--tolerance", "15mm"}).code, 0);
    }

    void stopsAtAnInterruptAndLeavesNothing() {
        const std::string large = (m_folder / "large.ply").string();
        QCOMPARE(runProgram(UMESH_DEMO_PROGRAM, {"coral-head", "--triangles", "1M", large}).code, 0);
        const std::string out = (m_folder / "never.ply").string();
        QProcess process;
        process.start(UMESH_PROGRAM,
                      {"reduce", QString::fromStdString(large), QString::fromStdString(out), "--target", "1%"});
        QVERIFY(process.waitForStarted());
        QTest::qWait(600);
        ::kill(pid_t(process.processId()), SIGINT);
        QVERIFY(process.waitForFinished(5000));
        QCOMPARE(process.exitCode(), 1);
        QVERIFY(contains(process.readAllStandardError().toStdString(), "cancelled"));
        QVERIFY(!std::filesystem::exists(out));
    }

    void writesDemoDataTheSameEveryTime() {
        const auto a = m_folder / "a.stl", b = m_folder / "b.stl";
        for (const auto& path : {a, b})
            QCOMPARE(runProgram(UMESH_DEMO_PROGRAM, {"coral-head", "--triangles", "100k", path.string()}).code, 0);
        QCOMPARE(test::contentOf(a), test::contentOf(b));
        QVERIFY(runProgram(UMESH_DEMO_PROGRAM, {"coral-head", "--triangles", "many", a.string()}).code != 0);
    }

private:
    test::Folder m_folder;
    std::string m_sphere;
};

UM_TEST(CommandLineTest)
#include "CommandLineTest.moc"

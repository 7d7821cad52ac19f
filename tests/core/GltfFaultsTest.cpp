// glTF files with one thing wrong each: a sentence that names the file and says what to do, and as much of the rest as
// can be read.
#include "tests/support/GltfBuilder.h"
#include "tests/support/TestMain.h"

#include <functional>
#include <QTest>
#include <random>

using namespace um;
using test::GltfBuilder;
using test::Json;

namespace {

const std::vector<float> square = {0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0};
const std::vector<float> identity = {1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1};

// A square that follows one joint, with a blend shape, UVs and normals: nothing is wrong with it.
GltfBuilder sound() {
    GltfBuilder builder;
    const int positions = builder.positions(square);
    const int offsets = builder.positions({0, 0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 1});
    const int normals = builder.positions({0, 0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 1});
    const int uvs = builder.data<float>({0, 0, 1, 0, 1, 1, 0, 1}, 5126, "VEC2", 2);
    const int joints = builder.data<std::uint8_t>({0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0}, 5121, "VEC4", 4);
    const int weights = builder.data<float>({1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0}, 5126, "VEC4", 4);
    const int indices = builder.data<std::uint16_t>({0, 1, 2, 0, 2, 3}, 5123, "SCALAR", 1);
    builder.primitive({{"attributes",
                        {{"POSITION", positions},
                         {"NORMAL", normals},
                         {"TEXCOORD_0", uvs},
                         {"JOINTS_0", joints},
                         {"WEIGHTS_0", weights}}},
                       {"targets", {{{"POSITION", offsets}}}},
                       {"indices", indices}});
    const int binds = builder.data<float>(identity, 5126, "MAT4", 16);
    builder.json["nodes"] = {{{"name", "only"}, {"mesh", 0}, {"skin", 0}}, {{"name", "bone"}}};
    builder.json["scenes"][0]["nodes"] = {0, 1};
    builder.json["skins"] = {{{"joints", {1}}, {"inverseBindMatrices", binds}}};
    return builder;
}

Json& attributesOf(GltfBuilder& builder) {
    return builder.json["meshes"][0]["primitives"][0]["attributes"];
}

// A second square beside the first, which stays whatever is done to that.
void addGoodOne(GltfBuilder& builder) {
    std::vector<float> places = square;
    for (std::size_t i = 0; i < places.size(); i += 3) places[i] += 5;
    const int positions = builder.positions(places);
    builder.json["meshes"].push_back({{"primitives", {{{"attributes", {{"POSITION", positions}}}, {"mode", 6}}}}});
    builder.json["nodes"].push_back({{"name", "good"}, {"mesh", builder.json["meshes"].size() - 1}});
    builder.json["scenes"][0]["nodes"].push_back(builder.json["nodes"].size() - 1);
}

using Damage = std::function<void(GltfBuilder&)>;

struct Case {
    const char* name;
    Damage damage;
    const char* said;
};

// What is wrong with the skin or the shapes alone: the surface is read without them.
const std::vector<Case> lesserCases = {
    {"joints fewer than vertices",
     [](GltfBuilder& b) {
         attributesOf(b)["JOINTS_0"] = b.data<std::uint8_t>({0, 0, 0, 0}, 5121, "VEC4", 4);
     },
     "joints and weights do not fit"},
    {"weights of three columns", [](GltfBuilder& b) { attributesOf(b)["WEIGHTS_0"] = b.positions(square); },
     "joints and weights do not fit"},
    {"a joint that is not there",
     [](GltfBuilder& b) {
         attributesOf(b)["JOINTS_0"] =
             b.data<std::uint8_t>({0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 9, 0, 0, 0}, 5121, "VEC4", 4);
     },
     "names a joint that is not there"},
    {"a skin that is not there", [](GltfBuilder& b) { b.json["nodes"][0]["skin"] = 7; }, "export"},
    {"a skin with a node that is not there", [](GltfBuilder& b) { b.json["skins"][0]["joints"] = {77}; }, "export"},
    {"bind matrices that are not there", [](GltfBuilder& b) { b.json["skins"][0]["inverseBindMatrices"] = 99; },
     "export"},
    {"too few bind matrices",
     [](GltfBuilder& b) {
         b.json["nodes"].push_back({{"name", "more"}});
         b.json["skins"][0]["joints"] = {1, 2};
     },
     "bind matrices do not fit"},
    {"a blend shape of another count",
     [](GltfBuilder& b) {
         b.json["meshes"][0]["primitives"][0]["targets"][0]["POSITION"] = b.positions({0, 0, 1});
     },
     "blend shape does not fit"},
};

const std::vector<Case> cases = {
    {"UVs of another count",
     [](GltfBuilder& b) {
         attributesOf(b)["TEXCOORD_0"] = b.data<float>({0, 0}, 5126, "VEC2", 2);
     },
     "TEXCOORD_0 does not fit"},
    {"normals of two columns",
     [](GltfBuilder& b) {
         attributesOf(b)["NORMAL"] = b.data<float>({0, 0, 1, 0, 1, 1, 0, 1}, 5126, "VEC2", 2);
     },
     "NORMAL does not fit"},
    {"positions of two columns",
     [](GltfBuilder& b) {
         attributesOf(b)["POSITION"] = b.data<float>({0, 0, 1, 0, 1, 1, 0, 1}, 5126, "VEC2", 2);
     },
     "three coordinates"},
    {"an index beyond the vertices",
     [](GltfBuilder& b) {
         b.json["meshes"][0]["primitives"][0]["indices"] = b.data<std::uint16_t>({0, 1, 9}, 5123, "SCALAR", 1);
     },
     "export"},
    {"an accessor that is not there", [](GltfBuilder& b) { attributesOf(b)["POSITION"] = 99; }, "export"},
    {"a view beyond its buffer", [](GltfBuilder& b) { b.json["bufferViews"][0]["byteLength"] = 1 << 30; }, "buffer"},
    {"an offset beyond its view", [](GltfBuilder& b) { b.json["accessors"][0]["byteOffset"] = 1 << 20; }, "buffer"},
    {"a huge count", [](GltfBuilder& b) { b.json["accessors"][0]["count"] = 4000000000u; }, "buffer"},
    {"a stride that is too wide", [](GltfBuilder& b) { b.json["bufferViews"][0]["byteStride"] = 252; }, "buffer"},
};

}  // namespace

class GltfFaultsTest : public QObject {
    Q_OBJECT

private slots:
    void readsWhatIsSound() {
        GltfBuilder builder = sound();
        const MeshFile file = builder.read(m_folder, "sound");
        QVERIFY2(file.notes.empty(), file.notes.empty() ? "" : file.notes[0].c_str());
        QCOMPARE(file.mesh.triangleCount(), std::size_t(2));
        QCOMPARE(file.mesh.skeleton.size(), std::size_t(1));
        QCOMPARE(file.mesh.morphs.size(), std::size_t(1));
        QCOMPARE(file.mesh.influences.size(), std::size_t(4));
    }

    void saysWhatIsWrong_data() {
        QTest::addColumn<int>("number");
        for (std::size_t i = 0; i < cases.size(); ++i) QTest::newRow(cases[i].name) << int(i);
    }
    void saysWhatIsWrong() {
        QFETCH(int, number);
        const Case& one = cases[std::size_t(number)];
        GltfBuilder alone = sound();
        one.damage(alone);
        const QString said = test::errorOf([&] { alone.read(m_folder, "alone"); });
        QVERIFY2(said.contains("alone.gltf"), qPrintable(said));
        QVERIFY2(said.contains(one.said), qPrintable(said));
        QVERIFY2(said.contains("export") || said.contains("copy") || said.contains("choose"), qPrintable(said));
        // Beside something good, that is read, and the sentence becomes a note.
        GltfBuilder both = sound();
        one.damage(both);
        addGoodOne(both);
        const MeshFile file = both.read(m_folder, "both");
        QCOMPARE(file.mesh.triangleCount(), std::size_t(2));
        requireSound(file.mesh, "the good one");
        for (const Vec3f& p : file.mesh.positions) QVERIFY(p.x() >= 5);
        const bool isSaid = std::any_of(file.notes.begin(), file.notes.end(), [&](const std::string& note) {
            return note.find("Left out: 1 primitive that could not be read") != std::string::npos &&
                   note.find(one.said) != std::string::npos;
        });
        QVERIFY2(isSaid, file.notes.empty() ? "no note" : file.notes[0].c_str());
    }

    void readsTheSurfaceWithoutASkinThatDoesNotFit_data() {
        QTest::addColumn<int>("number");
        for (std::size_t i = 0; i < lesserCases.size(); ++i) QTest::newRow(lesserCases[i].name) << int(i);
    }
    void readsTheSurfaceWithoutASkinThatDoesNotFit() {
        QFETCH(int, number);
        const Case& one = lesserCases[std::size_t(number)];
        GltfBuilder builder = sound();
        one.damage(builder);
        addGoodOne(builder);
        const MeshFile file = builder.read(m_folder, "lesser");
        QCOMPARE(file.mesh.triangleCount(), std::size_t(4));
        requireSound(file.mesh, "the surface");
        QCOMPARE(file.notes.size(), std::size_t(1));
        QVERIFY2(file.notes[0].find("Left out: 1 skin or blend shape that does not fit") != std::string::npos &&
                     file.notes[0].find(one.said) != std::string::npos,
                 file.notes[0].c_str());
        // All of a skin or nothing: no vertex follows a joint while its neighbours do not.
        const bool isShape = QString(one.name).contains("shape");
        QCOMPARE(file.mesh.morphs.empty(), isShape);
        for (const Influences& influences : file.mesh.influences)
            QVERIFY(isShape || std::all_of(influences.weights.begin(), influences.weights.end(),
                                           [](float weight) { return weight == 0; }));
    }

    // What the scene itself names wrongly, nothing can be read of.
    void refusesScenesThatNameWhatIsNotThere() {
        GltfBuilder builder = sound();
        builder.json["scenes"][0]["nodes"] = {0, 55};
        QVERIFY(test::errorOf([&] { builder.read(m_folder, "scene"); }).contains("names a node that is not there"));
        builder = sound();
        builder.json["nodes"][0]["mesh"] = 31;
        QVERIFY(test::errorOf([&] { builder.read(m_folder, "scene"); }).contains("names a mesh that is not there"));
        builder = sound();
        builder.json["nodes"][1]["children"] = {1};
        QVERIFY(test::errorOf([&] { builder.read(m_folder, "scene"); }).contains("circle"));
    }

    void readsAllNodesWhereThereIsNoScene() {
        GltfBuilder builder;
        builder.primitive({{"attributes", {{"POSITION", builder.positions(square)}}}, {"mode", 6}});
        builder.json["nodes"] = {{{"name", "above"}, {"translation", {0, 0, 3}}, {"children", {1}}},
                                 {{"name", "below"}, {"mesh", 0}}};
        builder.json.erase("scenes");
        builder.json.erase("scene");
        const Mesh mesh = builder.read(m_folder, "sceneless").mesh;
        QCOMPARE(mesh.triangleCount(), std::size_t(2));  // once, where its parent puts it
        for (const Vec3f& p : mesh.positions) QCOMPARE(p.z(), 3.0f);
    }

    void givesNormalsToPrimitivesWithoutThem() {
        GltfBuilder builder;
        const int normals = builder.positions({0, 0, -1, 0, 0, -1, 0, 0, -1, 0, 0, -1});
        builder.primitive(
            {{"attributes", {{"POSITION", builder.positions(square)}, {"NORMAL", normals}}}, {"mode", 6}});
        std::vector<float> beside = square;
        for (std::size_t i = 0; i < beside.size(); i += 3) beside[i] += 9;
        builder.primitive({{"attributes", {{"POSITION", builder.positions(beside)}}}, {"mode", 6}});
        const Mesh mesh = builder.read(m_folder, "normals").mesh;
        for (TriangleId t = 0; t < mesh.triangleCount(); ++t)
            for (std::size_t k = 0; k < 3; ++k) {
                // The first one's are its own, whatever way it faces; the other's are those of its surface.
                const bool isFirst = mesh.positions[mesh.triangles[t][k]].x() < 5;
                const Vec3f& normal = mesh.normals[mesh.wedgesOf(t)[k]];
                QVERIFY((normal - Vec3f(0, 0, isFirst ? -1.0f : 1.0f)).norm() < 1e-5f);
            }
    }

    void keepsFourJointsOfMoreAndSaysSo() {
        GltfBuilder builder = sound();
        attributesOf(builder)["JOINTS_1"] = attributesOf(builder)["JOINTS_0"];
        attributesOf(builder)["WEIGHTS_1"] = attributesOf(builder)["WEIGHTS_0"];
        const MeshFile file = builder.read(m_folder, "eight");
        QCOMPARE(file.notes.size(), std::size_t(1));
        QVERIFY(file.notes[0].find("more than four joints") != std::string::npos);
        for (const Influences& influences : file.mesh.influences) {
            float sum = 0;
            for (const float weight : influences.weights) sum += weight;
            QCOMPARE(sum, 1.0f);
        }
    }

    void takesBindMatricesForGrantedWhereThereAreNone() {
        GltfBuilder builder = sound();
        builder.json["skins"][0].erase("inverseBindMatrices");
        const Mesh mesh = builder.read(m_folder, "unbound").mesh;
        QCOMPARE(mesh.skeleton.size(), std::size_t(1));
        for (std::size_t i = 0; i < 16; ++i) QCOMPARE(mesh.skeleton[0].inverseBind[i], identity[i]);
    }

    // One to three values of the JSON replaced, by others of its own at times, whatever they mean: what is read is
    // sound, and what is not read is said.
    void survivesRandomDamageOfItsStructure() {
        const Json values =
            Json::parse(R"([-1, 0, 1, 2, 7, 65536, 2147483647, 4294967295, 1e300, -0.5, "", "words", null,
                                            true, [], {}, [0, 1, 2], [-1], {"POSITION": 0}])");
        std::mt19937 random(11);
        int read = 0, refused = 0;
        for (int round = 0; round < 1500; ++round) {
            GltfBuilder builder = sound();
            addGoodOne(builder);
            for (unsigned i = 0; i < 1 + random() % 3; ++i) {
                const Json flat = builder.json.flatten();
                const auto pick = [&] {
                    return Json::json_pointer(std::next(flat.begin(), long(random() % flat.size())).key());
                };
                // The value itself, or what holds it.
                Json::json_pointer place = pick();
                if (random() % 3 == 0 && !place.parent_pointer().empty()) place = place.parent_pointer();
                if (random() % 5 == 0)
                    builder.json[place] = builder.json[pick()];
                else
                    builder.json[place] = values[random() % values.size()];
            }
            try {
                const MeshFile file = builder.read(m_folder, "random");
                requireSound(file.mesh, "what was read");
                ++read;
            } catch (const Error& error) {
                QVERIFY2(QString(error.what()).contains("random."), error.what());
                ++refused;
            }
        }
        QVERIFY2(read > 150 && refused > 150, qPrintable(QString("%1 read, %2 refused").arg(read).arg(refused)));
    }

private:
    test::Folder m_folder;
};

UM_TEST(GltfFaultsTest)
#include "GltfFaultsTest.moc"

// Random meshes under random settings, and files with random damage, for as long as one likes: UMESH_FUZZ_SECONDS says
// how long (above 300, with a QTEST_FUNCTION_TIMEOUT of more milliseconds than that), UMESH_FUZZ_SEED where to begin.
// Whatever comes, the engine gives a sound mesh and the readers give one or say what is wrong.
#include "base/Error.h"
#include "files/MeshFile.h"
#include "files/TriangleStream.h"
#include "mesh/Normals.h"
#include "reduce/Contraction.h"
#include "reduce/Reduce.h"
#include "tests/support/Broken.h"
#include "tests/support/Files.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <QElapsedTimer>
#include <QTest>
#include <random>

using namespace um;

namespace {

constexpr int usualSeconds = 2;

unsigned numberOf(const char* variable, unsigned usual) {
    bool isThere = false;
    const int value = qEnvironmentVariableIntValue(variable, &isThere);
    return isThere ? unsigned(value) : usual;
}

// Calls `attempt(seed)` with one seed after the other until the time is over; at least once.
template <class Attempt>
void forSeeds(const Attempt& attempt) {
    QElapsedTimer clock;
    clock.start();
    const qint64 milliseconds = 1000 * qint64(numberOf("UMESH_FUZZ_SECONDS", usualSeconds));
    unsigned seed = numberOf("UMESH_FUZZ_SEED", 1);
    unsigned count = 0;
    do {
        attempt(seed++);
        ++count;
    } while (clock.elapsed() < milliseconds && !QTest::currentTestFailed());
    qInfo("%u attempts, up to seed %u", count, seed - 1);
}

class Dice {
public:
    explicit Dice(unsigned seed) : m_random(seed) {}
    bool oneIn(unsigned n) { return m_random() % n == 0; }
    std::size_t below(std::size_t n) { return m_random() % n; }
    double share() { return double(m_random() % 1001) / 1000; }
    template <class T>
    T among(std::initializer_list<T> values) {
        return *(values.begin() + below(values.size()));
    }

private:
    std::mt19937 m_random;
};

Mesh moebius(std::size_t columns) {
    Mesh strip;
    for (std::size_t c = 0; c < columns; ++c)
        for (const double side : {-0.3, 0.3}) {
            const double a = 2 * pi * double(c) / double(columns);
            const double r = 1 + side * std::cos(a / 2);
            strip.positions.emplace_back(float(r * std::cos(a)), float(side * std::sin(a / 2)), float(r * std::sin(a)));
        }
    const auto n = std::uint32_t(2 * columns);
    for (std::uint32_t c = 0; c < columns; ++c) {
        const bool last = c + 1 == columns;
        const std::uint32_t a = 2 * c, b = 2 * c + 1, d = last ? 1 : (2 * c + 2) % n, e = last ? 0 : (2 * c + 3) % n;
        strip.triangles.push_back({a, b, d});
        strip.triangles.push_back({b, e, d});
    }
    ensureSections(strip, "strip");
    return strip;
}

Mesh randomMesh(Dice& dice, unsigned seed) {
    Mesh mesh;
    switch (dice.below(7)) {
        case 0: mesh = test::randomHeap(seed, 10 + dice.below(90), 5 + dice.below(400)); break;
        case 1: mesh = test::damagedSphere(seed); break;
        case 2: mesh = moebius(3 + dice.below(40)); break;
        case 3: mesh = test::makeSheet(1 + dice.below(20), 1 + dice.below(20)); break;
        case 4: mesh = test::joined(test::makeSphere(1, 6), test::moved(test::damagedSphere(seed), {1.5, 0, 0})); break;
        case 5: mesh = test::makeBox({1, 2, 3}, 1 + dice.below(12)); break;
        default: mesh = test::makeTorus(1, 0.4, 3 + dice.below(20), 3 + dice.below(20));
    }
    if (dice.oneIn(3)) test::addRandomUvs(mesh, seed);
    if (dice.oneIn(3) && mesh.wedges.empty())
        for (std::size_t v = 0; v < mesh.vertexCount(); ++v)
            mesh.colors.push_back({std::uint8_t(dice.below(256)), std::uint8_t(dice.below(2) * 255), 7, 255});
    if (dice.oneIn(3)) makeNormals(mesh, 20 + dice.share() * 60);
    if (dice.oneIn(3)) {
        mesh.skeleton.resize(3);
        for (std::size_t v = 0; v < mesh.vertexCount(); ++v) {
            const auto share = float(dice.share());
            mesh.influences.push_back({{0, std::uint16_t(dice.below(3)), 2, 0}, {share, 1 - share, 0, 0}});
        }
    }
    if (dice.oneIn(4)) {
        mesh.morphs.push_back({"random", {}});
        for (std::size_t v = 0; v < mesh.vertexCount(); ++v)
            mesh.morphs[0].offsets.emplace_back(float(dice.share()), 0.0f, 1.0f);
    }
    const float scale = dice.among({1.0f, 1.0f, 1e-6f, 1e6f});
    const Vec3f away = dice.oneIn(4) ? Vec3f(1e6f, -1e6f, 1e5f) : Vec3f(0, 0, 0);
    for (Vec3f& p : mesh.positions) p = p * scale + away;
    return mesh;
}

ReduceSettings randomSettings(Dice& dice, const Mesh& mesh) {
    const auto strictness = [&] { return dice.among({Protection::Off, Protection::On, Protection::Hard}); };
    ReduceSettings settings;
    settings.protect = {strictness(), strictness(), strictness(), strictness(), strictness(), 5 + 90 * dice.share()};
    if (dice.oneIn(3))
        settings.guard.vertices = test::guardWhere(mesh, [&](const Vec3f&) {
            return dice.among({0.0f, 0.0f, 0.7f, -0.7f, guardHold});
        });
    const double size = diagonal(mesh);
    if (dice.oneIn(3)) settings.dropLooseBelow = size * dice.share();
    if (dice.oneIn(4)) settings.joinWithin = size * 0.2 * dice.share() + 1e-12;
    // Pictures of heaps whose every triangle fills them take long, and tell nothing.
    const bool isQuickToDraw = mesh.triangleCount() < 60;
    if (isQuickToDraw && dice.oneIn(4)) settings.dropUnseen = true;
    if (isQuickToDraw && dice.oneIn(4)) settings.silhouetteWeight = dice.share();
    if (dice.oneIn(4)) settings.leastOfPart = dice.below(100);
    settings.normals = dice.among({NormalTreatment::Automatic, NormalTreatment::Keep, NormalTreatment::Remake});
    settings.polish = !dice.oneIn(3);
    return settings;
}

// A face of an OBJ that goes through vertices as it comes: crossing itself, touching itself, over several lines.
std::string anyPolygon(Dice& dice, std::size_t vertices) {
    std::string text = "f";
    for (std::size_t i = 3 + dice.below(dice.oneIn(4) ? 400 : 12); i > 0; --i) {
        text += " " + std::to_string(1 + dice.below(vertices));
        if (dice.oneIn(9)) text += dice.among<std::string>({" \\\n", "\\\r\n", " \\"});
    }
    return text + "\n";
}

}  // namespace

class FuzzTest : public QObject {
    Q_OBJECT

private slots:
    void reducesAnythingToSomethingSound() {
        forSeeds([](unsigned seed) {
            Dice dice(seed);
            const Mesh mesh = randomMesh(dice, seed);
            const ReduceSettings settings = randomSettings(dice, mesh);
            const std::size_t target = 1 + dice.below(mesh.triangleCount() + 3);
            try {
                const Reduced result = reduceMesh(mesh, target, settings, Progress());
                requireSound(result.mesh, "the level");
                QVERIFY2(result.mesh.triangleCount() <= mesh.triangleCount(), qPrintable(QString::number(seed)));
                QVERIFY2(!result.targetMet || result.mesh.triangleCount() <= target, qPrintable(QString::number(seed)));
                QVERIFY2(test::wedgesBelongToOneVertex(result.mesh), qPrintable(QString::number(seed)));
            } catch (const MeshError& error) {
                // Allowed refusals: a target below the held triangles, a target at which nothing is left, a mesh
                // without area.
                const QString said = QString::fromUtf8(error.what());
                QVERIFY2(said.contains("held") || said.contains("Nothing is left") || said.contains("without area"),
                         qPrintable(QString("seed %1: %2").arg(seed).arg(said)));
            }
        });
    }

    // That large meshes are thinned at first shows on small ones too.
    void thinsAnythingToSomethingSound() {
        forSeeds([](unsigned seed) {
            Dice dice(seed);
            const Mesh mesh = randomMesh(dice, seed);
            const ReduceSettings settings = randomSettings(dice, mesh);
            Treatment treatment;
            treatment.protect = settings.protect;
            treatment.topology = dice.oneIn(4) ? TopologyRule::MayChange : TopologyRule::Stays;
            treatment.keepsNormals = settings.normals == NormalTreatment::Keep;
            const std::vector<std::size_t> least(mesh.parts.size(), settings.leastOfPart);
            Contraction contraction(WorkingMesh(mesh, treatment, Progress()), mesh, least);
            const std::size_t before = contraction.triangles();
            contraction.thin(dice.share(), Progress());
            QVERIFY2(contraction.triangles() <= before, qPrintable(QString::number(seed)));
            contraction.contractTo(1 + dice.below(before + 1), Progress());
            contraction.finish();
            const Mesh level = contraction.mesh().finish(mesh);
            if (!level.triangles.empty()) requireSound(level, "the level");
            QVERIFY2(test::wedgesBelongToOneVertex(level), qPrintable(QString::number(seed)));
        });
    }

    void readsDamagedFilesOrSaysWhatIsWrong() {
        const test::Folder folder;
        forSeeds([&](unsigned seed) {
            Dice dice(seed);
            Mesh mesh = test::makeSphere(1, 3);
            if (dice.oneIn(2)) mesh = randomMesh(dice, seed);
            const std::string extension = dice.among<std::string>({".obj", ".ply", ".stl", ".gltf", ".glb"});
            const std::filesystem::path path = folder / ("mesh" + extension);
            writeMesh(mesh, path, Progress());
            std::string bytes = test::contentOf(path);
            if (extension == ".obj" && dice.oneIn(2)) bytes += anyPolygon(dice, mesh.vertexCount());
            for (std::size_t i = dice.below(12); i > 0 && !bytes.empty(); --i) {
                const std::size_t at = dice.below(bytes.size());
                switch (dice.below(5)) {
                    case 0: bytes[at] = char(dice.below(256)); break;
                    case 1: bytes.resize(at); break;
                    case 2: bytes.erase(at, dice.below(20)); break;
                    case 3:
                        bytes.insert(at, dice.among<std::string>({"-1", "99999999999", "nan", "{", "\n", "\\\n"}));
                        break;
                    default: bytes[at] = dice.among({'\0', '\xff', '0', '9', ' '});
                }
            }
            folder.write("mesh" + extension, bytes);
            try {
                requireSound(readMesh(path, Progress()).mesh, "the mesh");
            } catch (const Error& error) {
                QVERIFY2(QString::fromUtf8(error.what()).size() > 10, qPrintable(QString::number(seed)));
            }
            try {
                estimateTriangles(path);
                const auto stream = openTriangleStream(path);
                stream->read([](std::span<const Corners>) {}, Progress());
            } catch (const Error& error) {
                QVERIFY2(QString::fromUtf8(error.what()).size() > 10, qPrintable(QString::number(seed)));
            }
        });
    }
};

UM_TEST(FuzzTest)
#include "FuzzTest.moc"

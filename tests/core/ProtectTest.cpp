// What a reduction must take care of: borders, seams, creases, limits, skin; guard; the outline.
#include "base/Error.h"
#include "draw/Coverage.h"
#include "draw/DepthMap.h"
#include "measure/Deviation.h"
#include "mesh/Statistics.h"
#include "reduce/Reduce.h"
#include "reduce/Visibility.h"
#include "tests/support/Files.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <QTest>
#include <set>

using namespace um;

namespace {

double wave(double x, double z) {
    return 0.08 * std::sin(9 * x) * std::cos(7 * z);
}

Mesh reduce(const Mesh& mesh, std::size_t target, const ReduceSettings& settings) {
    Mesh level = reduceMesh(mesh, target, settings, Progress()).mesh;
    requireSound(level, "the level");
    return level;
}

std::set<std::array<float, 3>> placesOf(const Mesh& mesh, const std::function<bool(const Vec3f&)>& wanted) {
    std::set<std::array<float, 3>> places;
    for (const Vec3f& p : mesh.positions)
        if (wanted(p)) places.insert({p.x(), p.y(), p.z()});
    return places;
}

bool isOnRim(const Vec3f& p) {
    return p.x() == 0 || p.x() == 1 || p.z() == 0 || p.z() == 1;
}

// The half of a sheet on one side of x = 0.5.
Mesh halfOf(const Mesh& sheet, bool left) {
    std::vector<std::uint8_t> kept(sheet.triangleCount());
    for (std::size_t t = 0; t < kept.size(); ++t) {
        float middle = 0;
        for (const VertexId v : sheet.triangles[t]) middle += sheet.positions[v].x() / 3;
        kept[t] = (middle < 0.5f) == left;
    }
    Mesh half = sheet;
    keepTriangles(half, kept);
    dropUnused(half);
    return half;
}

// A fluted ball with dents in its caps: no direction sees a dent on the outline, but every one sees flutes.
Mesh dentedBall() {
    Mesh ball = test::makeSphere(1, 80);
    for (Vec3f& p : ball.positions) {
        const double flutes = 0.03 * std::cos(14 * std::atan2(double(p.z()), double(p.x()))) * (1 - std::abs(p.y()));
        const double dents =
            std::abs(p.y()) > 0.45f ? 0.12 * std::pow(std::sin(11 * p.x()) * std::sin(11 * p.z()), 2) : 0;
        p *= float(1 + flutes - dents);
    }
    return ball;
}

// The share of the outline's area that differs, over directions all around.
double outlineError(const Mesh& source, const Mesh& level) {
    double differing = 0, whole = 0;
    for (const Mat3d& turn : evenDirections(24)) {
        const DepthMap a = drawDepth(source, turn, 600);
        DepthMap b = a;
        b.nearest.assign(a.nearest.size(), DepthMap::empty);
        const DepthMap drawn = drawDepth(level, turn, 600);
        // The same frame for both: pixels of the source looked up in the level's picture.
        const double scale = drawn.pixelsPerUnit / a.pixelsPerUnit;
        for (int y = 0; y < a.height; ++y)
            for (int x = 0; x < a.width; ++x) {
                const double lx = (x + 0.5 + a.origin.x()) * scale - drawn.origin.x();
                const double ly = (y + 0.5 + a.origin.y()) * scale - drawn.origin.y();
                const bool inSource = a.at(x, y) != DepthMap::empty;
                const bool inLevel = drawn.at(int(std::floor(lx)), int(std::floor(ly))) != DepthMap::empty;
                differing += inSource != inLevel ? 1 : 0;
                whole += inSource ? 1 : 0;
            }
    }
    return differing / whole;
}

}  // namespace

class ProtectTest : public QObject {
    Q_OBJECT

private slots:
    void readsAndWritesWhatIsProtected() {
        QVERIFY(parseProtect("") == Protect());
        const Protect some = parseProtect(" borders=hard,seams = off ,  creases=hard 30deg");
        QVERIFY(some.borders == Protection::Hard && some.seams == Protection::Off && some.skin == Protection::On);
        QVERIFY(some.creases == Protection::Hard && some.creaseDegrees == 30);
        QVERIFY(parseProtect("creases=62.5°").creases == Protection::On);
        QCOMPARE(parseProtect("creases=62.5°").creaseDegrees, 62.5);
        // All there are, there and back.
        for (int i = 0; i < 243; ++i) {
            Protect protect;
            int rest = i;
            for (Protection* one :
                 {&protect.borders, &protect.seams, &protect.creases, &protect.materials, &protect.skin}) {
                *one = Protection(rest % 3);
                rest /= 3;
            }
            protect.creaseDegrees = 5 + i % 170;
            const std::string text = formatProtect(protect);
            QVERIFY2(parseProtect(text) == protect, text.c_str());
        }
        for (const char* text : {" ,", "borders", "borders=", "borders=firm", "walls=on", "creases=", "creases=30",
                                 "=on", "creases=0deg", "creases=180deg", "creases=-5deg", "creases=nandeg",
                                 "creases=firm 30deg", "creases=hard 30m", "seams=30deg", "borders=on seams=off"})
            QVERIFY2(test::errorOf([&] { parseProtect(text); }).contains("is not understood: name borders"), text);
    }

    void keepsHardBordersBitForBit() {
        const Mesh sheet = test::makeSheet(40, 40, 1, 1, wave);
        ReduceSettings settings;
        settings.protect.borders = Protection::Hard;
        const Mesh level = reduce(sheet, 500, settings);
        QCOMPARE(placesOf(level, isOnRim), placesOf(sheet, isOnRim));
        // Without that, a border gives way.
        QVERIFY(placesOf(reduce(sheet, 500, {}), isOnRim).size() < 120);
    }

    void meetsWithoutGapsWhereTwoHalvesWereReducedApart() {
        const Mesh sheet = test::makeSheet(60, 60, 1, 1, wave);
        ReduceSettings settings;
        settings.protect.borders = Protection::Hard;
        const auto onCut = [](const Vec3f& p) { return p.x() == 0.5f; };
        const auto left = placesOf(reduce(halfOf(sheet, true), 700, settings), onCut);
        QCOMPARE(left, placesOf(reduce(halfOf(sheet, false), 400, settings), onCut));
        QCOMPARE(left.size(), std::size_t(61));
    }

    void letsBordersShrinkWhereTheyAreNotProtected() {
        const Mesh sheet = test::makeSheet(30, 30);
        ReduceSettings settings;
        settings.protect.borders = Protection::Off;
        settings.polish = false;
        const Mesh level = reduce(sheet, 40, settings);
        QVERIFY(gatherStatistics(level, Progress()).whole.area < 0.999);
        QVERIFY(std::abs(gatherStatistics(reduce(sheet, 40, {}), Progress()).whole.area - 1) < 1e-4);
    }

    // Of a strip all vertices are on borders: the last of the neighbours around one is the first of no triangle's turn.
    void reducesToTwoTrianglesWhatIsNothingButUnprotectedBorder() {
        for (const bool isTurned : {false, true}) {
            Mesh strip = test::makeSheet(200, 1, 20, 1, [](double x, double) { return 0.01 * std::sin(9 * x); });
            if (isTurned)
                for (Triangle& triangle : strip.triangles) std::swap(triangle[1], triangle[2]);
            for (const Protection protection : {Protection::Off, Protection::On}) {
                ReduceSettings settings;
                settings.protect.borders = protection;
                QCOMPARE(reduce(strip, 2, settings).triangleCount(), std::size_t(2));
            }
        }
    }

    void keepsCreasesWhereAskedTo() {
        // A roof so flat that its ridge costs little next to the waves: only protection keeps it straight.
        const Mesh roof = test::makeSheet(50, 50, 1, 1, [](double x, double z) {
            return 0.5 * std::min(x, 1 - x) + 0.01 * std::sin(40 * z) * x * (1 - x);
        });
        ReduceSettings settings;
        settings.protect.creases = Protection::Hard;
        settings.protect.creaseDegrees = 30;
        const auto onRidge = [](const Vec3f& p) { return p.x() == 0.5f; };
        QCOMPARE(placesOf(reduce(roof, 300, settings), onRidge), placesOf(roof, onRidge));
    }

    void holdsWhatIsGuarded() {
        const Mesh sheet = test::makeSheet(40, 40, 1, 1, wave);
        ReduceSettings settings;
        const auto inCorner = [](const Vec3f& p) { return p.x() < 0.3f && p.z() < 0.3f; };
        settings.guard.vertices = test::guardWhere(sheet, [&](const Vec3f& p) { return inCorner(p) ? guardHold : 0; });
        QCOMPARE(placesOf(reduce(sheet, 700, settings), inCorner), placesOf(sheet, inCorner));
    }

    void keepsMoreTrianglesWhereTheGuardSaysKeepAndFewerWhereItSaysYield() {
        const Mesh sheet = test::makeSheet(60, 60, 1, 1, wave);
        const auto leftCount = [&](GuardValue left) {
            ReduceSettings settings;
            settings.guard.vertices = test::guardWhere(sheet, [&](const Vec3f& p) { return p.x() < 0.5f ? left : 0; });
            return placesOf(reduce(sheet, 600, settings), [](const Vec3f& p) { return p.x() < 0.5f; }).size();
        };
        const std::size_t plain = leftCount(0), kept = leftCount(0.5f), yielded = leftCount(-0.5f);
        QVERIFY2(double(kept) > 1.3 * double(plain), qPrintable(QString("%1 %2").arg(kept).arg(plain)));
        QVERIFY2(double(yielded) < 0.75 * double(plain), qPrintable(QString("%1 %2").arg(yielded).arg(plain)));
    }

    void guardsPartsByName() {
        const Mesh two = test::joined(test::makeSphere(1, 12), test::moved(test::makeSphere(1, 12), {4, 0, 0}));
        Mesh named = two;
        named.parts[1].name = "Eye";
        ReduceSettings settings;
        settings.guard.parts = {{"Eye", guardHold}};
        const Mesh level = reduce(named, 1252, settings);
        QCOMPARE(trianglesByPart(level)[1], std::size_t(1152));
        settings.guard.parts = {{"Nose", guardHold}};
        QVERIFY(test::errorOf([&] { reduce(named, 1252, settings); }).contains("Nose"));
    }

    void writesAndReadsGuards() {
        const test::Folder folder;
        const std::filesystem::path file = folder / "jar.guard.json";
        Guard guard;
        guard.parts = {{"Rim", guardHold}, {"Body", -0.3f}, {"Ear \"left\"", 0.75f}};
        guard.vertices = std::vector<GuardValue>{0, 0, guardHold, guardHold, 0.5f, 0, -1};
        writeGuard(guard, file);
        QVERIFY(readGuard(file) == guard);
        for (const char* broken : {"", "{}", "[1]", "{\"guard\":1,\"parts\":{\"a\":3}}",
                                   "{\"guard\":1,\"vertex_count\":2,\"vertices\":[[1,2,\"hold\"]]}",
                                   "{\"guard\":1,\"vertex_count\":2,\"vertices\":[[-1,2,\"hold\"]]}",
                                   "{\"guard\":1,\"parts\":{\"a\":\"keep 7\"}}"}) {
            folder.write("jar.guard.json", broken);
            QVERIFY2(!test::errorOf([&] { readGuard(file); }).isEmpty(), broken);
        }
    }

    void readsGuardsFromWordsAndColours() {
        QCOMPARE(parseGuard("keep 0.8"), 0.8f);
        QCOMPARE(parseGuard("yield"), -0.5f);
        QCOMPARE(formatGuard(parseGuard("hold")), std::string("hold"));
        for (const char* wrong : {"", "holds", "keep 2", "keep x", "hold 1", "keep -1"})
            QVERIFY2(test::errorOf([&] { parseGuard(wrong); }).contains("is not a guard"), wrong);
        Mesh mesh = test::makeTetrahedron();
        mesh.colors = {{255, 0, 0, 0}, {128, 0, 0, 0}, {0, 0, 0, 0}, {191, 0, 0, 0}};
        const Guard guard = guardFromColors(mesh, 0);
        QVERIFY(guard.vertices == (std::vector<GuardValue>{guardHold, 0, -1, 0.5f}));
        mesh.colors.clear();
        QVERIFY(test::errorOf([&] { guardFromColors(mesh, 0); }).contains("no vertex colours"));
    }

    void locksBlendedSkinWhereSkinIsHard() {
        // A bar whose middle bends between two joints.
        Mesh bar = test::makeBox({4, 1, 1}, 16);
        bar.skeleton.resize(2);
        for (const Vec3f& p : bar.positions) {
            const float second = std::clamp(p.x() + 0.5f, 0.0f, 1.0f);
            bar.influences.push_back({{0, 1, 0, 0}, {1 - second, second, 0, 0}});
        }
        ReduceSettings settings;
        settings.protect.skin = Protection::Hard;
        const auto blended = [](const Vec3f& p) { return std::abs(p.x()) < 0.49f; };
        QCOMPARE(placesOf(reduce(bar, 700, settings), blended), placesOf(bar, blended));
        // On, the blend keeps its place: weights fit positions along the bar.
        settings.protect.skin = Protection::On;
        const Mesh level = reduce(bar, 120, settings);
        QVERIFY(!level.influences.empty());
        for (std::size_t v = 0; v < level.vertexCount(); ++v) {
            float sum = 0;
            for (const float weight : level.influences[v].weights) sum += weight;
            QVERIFY(std::abs(sum - 1) < 1e-5f);
        }
        QVERIFY(placesOf(level, [](const Vec3f& p) { return std::abs(p.x()) < 0.9f; }).size() > 8);
    }

    void carriesBlendShapes() {
        Mesh ball = test::makeSphere(1, 20);
        Morph wide{"wide", {}};
        for (const Vec3f& p : ball.positions) wide.offsets.emplace_back(p.x() * 0.5f, 0.0f, 0.0f);
        ball.morphs = {wide};
        const Mesh level = reduce(ball, 600, {});
        QCOMPARE(level.morphs.size(), std::size_t(1));
        QCOMPARE(level.morphs[0].offsets.size(), level.vertexCount());
        for (std::size_t v = 0; v < level.vertexCount(); ++v)
            QVERIFY((level.morphs[0].offsets[v] - Vec3f(level.positions[v].x() * 0.5f, 0, 0)).norm() < 0.03f);
    }

    void lowersTheErrorOfTheOutlineWhereItWeighsMore() {
        const Mesh ball = dentedBall();
        ReduceSettings settings;
        const Mesh plain = reduce(ball, 1000, settings);
        settings.silhouetteWeight = 1;
        const Mesh weighted = reduce(ball, 1000, settings);
        const double before = outlineError(ball, plain), after = outlineError(ball, weighted);
        const double rmsBefore = measureDeviation(ball, plain, {}, Progress()).rms;
        const double rmsAfter = measureDeviation(ball, weighted, {}, Progress()).rms;
        const QString said = QString("outline %1 %2, rms %3 %4").arg(before).arg(after).arg(rmsBefore).arg(rmsAfter);
        qInfo().noquote() << said;
        // What the outline gains the dents lose: the deviation rises, but not beyond reason.
        QVERIFY2(after < 0.9 * before, qPrintable(said));
        QVERIFY2(rmsAfter < 2 * rmsBefore, qPrintable(said));
    }

    void knowsWhatLiesOnTheOutline() {
        // A cube's corners lie on its outline from nearly everywhere, the middles of its faces only when seen edge-on.
        const Mesh cube = test::makeBox({2, 2, 2}, 20);
        const std::vector<float> exposure = silhouetteExposure(cube, Progress());
        float corner = 0, face = 0;
        for (std::size_t v = 0; v < cube.vertexCount(); ++v) {
            const Vec3f p = cube.positions[v].cwiseAbs();
            if (p.minCoeff() > 0.99f) corner = std::max(corner, exposure[v]);
            if (p.x() < 0.01f && p.y() < 0.01f) face = std::max(face, exposure[v]);
        }
        QVERIFY2(corner > 0.3f && face < 0.1f, qPrintable(QString("%1 %2").arg(corner).arg(face)));
    }
};

UM_TEST(ProtectTest)
#include "ProtectTest.moc"

// Broken on purpose: each fault is found, with its count and place, and repaired where that is safe.
#include "base/Error.h"
#include "mesh/Health.h"
#include "mesh/Statistics.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <QTest>

using namespace um;

namespace {

const Finding* findingIn(const std::vector<Finding>& findings, Fault fault) {
    for (const Finding& finding : findings)
        if (finding.fault == fault) return &finding;
    return nullptr;
}

// UVs as one unwraps triangle by triangle: each has a cell of its own, none lies over another or is stretched.
void unwrap(Mesh& mesh) {
    const auto across = std::uint32_t(std::ceil(std::sqrt(double(mesh.triangleCount()))));
    mesh.wedges.clear();
    mesh.uvs.clear();
    for (std::uint32_t t = 0; t < mesh.triangleCount(); ++t) {
        mesh.wedges.push_back({3 * t, 3 * t + 1, 3 * t + 2});
        const Vec2f cell(float(t % across), float(t / across));
        for (const Vec2f& corner : {Vec2f(0.1f, 0.1f), Vec2f(0.9f, 0.1f), Vec2f(0.5f, 0.8f)})
            mesh.uvs.emplace_back((cell + corner) / float(across));
    }
}

Mesh sphere() {
    Mesh mesh = test::makeSphere(1, 20);
    unwrap(mesh);
    return mesh;
}

// Takes out the triangles around a place.
Mesh withHole(Mesh mesh, const Vec3f& place, float radius) {
    std::vector<std::uint8_t> kept(mesh.triangleCount());
    for (std::size_t t = 0; t < kept.size(); ++t) {
        const Triangle& triangle = mesh.triangles[t];
        const Vec3f middle =
            (mesh.positions[triangle[0]] + mesh.positions[triangle[1]] + mesh.positions[triangle[2]]) / 3;
        kept[t] = (middle - place).norm() > radius;
    }
    keepTriangles(mesh, kept);
    dropUnused(mesh);
    return mesh;
}

Mesh insideOut(Mesh mesh) {
    for (Triangle& triangle : mesh.triangles) std::swap(triangle[1], triangle[2]);
    if (!mesh.uvs.empty()) unwrap(mesh);
    return mesh;
}

void append(Mesh& mesh, const Mesh& other, const Vec3f& shift) {
    const auto first = VertexId(mesh.vertexCount());
    for (const Vec3f& p : other.positions) mesh.positions.push_back(p + shift);
    for (const Triangle& t : other.triangles) mesh.triangles.push_back({t[0] + first, t[1] + first, t[2] + first});
    mesh.sections.clear();
    ensureSections(mesh, "mesh");
    if (!mesh.uvs.empty()) unwrap(mesh);
}

}  // namespace

class HealthTest : public QObject {
    Q_OBJECT

private slots:
    void findsNothingWrongWithASphere() { QVERIFY(findFaults(sphere(), Progress()).empty()); }

    void findsHolesTheLongestFirstAndFillsThem() {
        const Vec3f small(0, 0, 1), large(0, 1, 0);
        Mesh mesh = withHole(withHole(sphere(), small, 0.12f), large, 0.3f);
        const auto findings = findFaults(mesh, Progress());
        QCOMPARE(findings.size(), std::size_t(1));
        QCOMPARE(findings[0].fault, Fault::Hole);
        QCOMPARE(findings[0].count, std::size_t(2));
        QVERIFY((findings[0].places[0] - large).norm() < 0.15f);
        QVERIFY((findings[0].places[1] - small).norm() < 0.15f);
        QVERIFY(findings[0].largest > 2 * 0.25 * pi && findings[0].largest < 2 * 0.4 * pi);
        QCOMPARE(repairFault(mesh, Fault::Hole, 5, Progress()), std::size_t(2));
        requireSound(mesh, "the mesh");
        const Statistics s = gatherStatistics(mesh, Progress()).whole;
        QVERIFY(s.sound());
        QCOMPARE(s.borderEdges, std::size_t(0));
        QVERIFY(std::abs(test::volume(mesh) - test::volume(sphere())) < 0.1);
        QVERIFY(findingIn(findFaults(mesh, Progress()), Fault::Hole) == nullptr);
    }

    void leavesLargeOpeningsOpen() {
        Mesh bowl = withHole(test::makeSphere(1, 90), Vec3f(0, 1, 0), 1.0f);  // more edges than a hole has
        QCOMPARE(repairFault(bowl, Fault::Hole, usualSize(bowl, Fault::Hole), Progress()), std::size_t(0));
    }

    void findsWhatIsTurnedOverAndTurnsItBack() {
        Mesh mesh = sphere();
        for (const std::size_t t : {10u, 11u, 500u}) std::swap(mesh.triangles[t][0], mesh.triangles[t][1]);
        const auto findings = findFaults(mesh, Progress());
        QVERIFY(findingIn(findings, Fault::Winding) != nullptr);
        QVERIFY(findingIn(findings, Fault::Winding)->count >= 6);
        QCOMPARE(repairFault(mesh, Fault::Winding, usualSize(mesh, Fault::Winding), Progress()), std::size_t(3));
        QVERIFY(findFaults(mesh, Progress()).empty());
        QVERIFY(test::volume(mesh) > 0);
        // Mostly inside out: the whole is turned to face outwards.
        for (std::size_t t = 0; t + 4 < mesh.triangleCount(); ++t)
            std::swap(mesh.triangles[t][0], mesh.triangles[t][1]);
        QVERIFY(repairFault(mesh, Fault::Winding, usualSize(mesh, Fault::Winding), Progress()) > 0);
        QVERIFY(findFaults(mesh, Progress()).empty());
        QVERIFY(test::volume(mesh) > 0);
    }

    void findsClosedPiecesThatAreInsideOut() {
        Mesh mesh = test::makeSphere(1, 20);
        append(mesh, insideOut(test::makeSphere(0.5, 8)), {3, 0, 0});
        append(mesh, insideOut(test::makeBox({0.4, 0.4, 0.4}, 2)), {0, 3, 0});
        append(mesh, test::makeBox({0.4, 0.4, 0.4}, 2), {0, 0, 3});
        const auto findings = findFaults(mesh, Progress());
        const Finding* finding = findingIn(findings, Fault::InsideOut);
        QVERIFY(finding != nullptr);
        QCOMPARE(finding->count, std::size_t(2));
        QVERIFY((finding->places[0] - Vec3f(3, 0, 0)).norm() < 1e-4f);
        QVERIFY((finding->places[1] - Vec3f(0, 3, 0)).norm() < 1e-4f);
        QVERIFY(std::abs(finding->largest - std::sqrt(3.0)) < 1e-3);
        QVERIFY(QString::fromStdString(describeFinding(*finding, 1)).startsWith("2 closed pieces face inwards"));
        QVERIFY(findingIn(findings, Fault::Winding) == nullptr);
        QCOMPARE(repairOf(Fault::InsideOut), std::string("Turn"));
        QCOMPARE(repairFault(mesh, Fault::InsideOut, 0, Progress()), std::size_t(2));
        QVERIFY(findingIn(findFaults(mesh, Progress()), Fault::InsideOut) == nullptr);
        const double whole = test::volume(test::makeSphere(1, 20)) + test::volume(test::makeSphere(0.5, 8)) + 2 * 0.064;
        QVERIFY(std::abs(test::volume(mesh) - whole) < 1e-5);
        QCOMPARE(repairFault(mesh, Fault::InsideOut, 0, Progress()), std::size_t(0));
    }

    void takesNoCavityForAPieceInsideOut() {
        // The wall of a cavity, one of two such, and what lies within one: a kernel that faces inwards is wrong again.
        Mesh mesh = test::makeSphere(1, 20);
        append(mesh, insideOut(test::makeSphere(0.4, 8)), {0.5f, 0, 0});
        append(mesh, insideOut(test::makeSphere(0.3, 8)), {-0.5f, 0, 0});
        QVERIFY(findingIn(findFaults(mesh, Progress()), Fault::InsideOut) == nullptr);
        append(mesh, insideOut(test::makeSphere(0.1, 4)), {0.5f, 0, 0});
        const auto findings = findFaults(mesh, Progress());
        QCOMPARE(findingIn(findings, Fault::InsideOut)->count, std::size_t(1));
        QVERIFY((findingIn(findings, Fault::InsideOut)->places[0] - Vec3f(0.5f, 0, 0)).norm() < 1e-4f);
        // A box around a box, whose edges run in front of each other.
        Mesh boxes = test::makeBox({2, 2, 2}, 4);
        append(boxes, insideOut(test::makeBox({1, 1, 1}, 2)), {0, 0, 0});
        QVERIFY(findingIn(findFaults(boxes, Progress()), Fault::InsideOut) == nullptr);
    }

    // In rows, so that a line from one might run through many others; alone, and as so many cavities of a ball.
    void findsEachOfManyPiecesInsideOut() {
        const Mesh bit = insideOut(test::makeTetrahedron());
        Mesh bits = bit, ball = test::makeSphere(60, 12);
        for (int i = 0; i < 1000; ++i) {
            const Vec3f place(3.5f * float(i % 10) - 15, 3.5f * float(i / 10 % 10) - 15, 3.5f * float(i / 100) - 15);
            if (i > 0) append(bits, bit, place + Vec3f(15, 15, 15));
            append(ball, bit, place);
        }
        const auto findings = findFaults(bits, Progress());
        const Finding* finding = findingIn(findings, Fault::InsideOut);
        QVERIFY(finding != nullptr);
        QCOMPARE(finding->count, std::size_t(1000));
        QVERIFY(findingIn(findFaults(ball, Progress()), Fault::InsideOut) == nullptr);
    }

    void turnsTrianglesAroundAPole() {
        Mesh tent = test::makeTent(5000);
        for (TriangleId t = 0; t < tent.triangleCount(); t += 3) std::swap(tent.triangles[t][1], tent.triangles[t][2]);
        QVERIFY(findingIn(findFaults(tent, Progress()), Fault::Winding) != nullptr);
        QCOMPARE(repairFault(tent, Fault::Winding, 0, Progress()), (tent.triangleCount() + 2) / 3);
        QVERIFY(findingIn(findFaults(tent, Progress()), Fault::Winding) == nullptr);
    }

    // A few triangles of a cavity's wall that face the wrong way are turned, not the whole of it.
    void turnsCavitiesInwardsAgain() {
        Mesh mesh = test::makeSphere(1, 20);
        append(mesh, insideOut(test::makeSphere(0.4, 8)), {0.3f, 0, 0});
        const double hollow = test::volume(mesh);
        for (const std::size_t t : {3203u, 3204u, 3300u}) std::swap(mesh.triangles[t][0], mesh.triangles[t][1]);
        QCOMPARE(repairFault(mesh, Fault::Winding, 0, Progress()), std::size_t(3));
        QVERIFY(std::abs(test::volume(mesh) - hollow) < 1e-6);
        QVERIFY(findFaults(mesh, Progress()).size() == 1);  // no UVs
    }

    void callsNothingInsideOutThatHasNoInside() {
        // Open, as a backdrop seen from within; and a card of two sides in one place, which holds nothing.
        QVERIFY(findingIn(findFaults(insideOut(withHole(sphere(), {0, 1, 0}, 0.3f)), Progress()), Fault::InsideOut) ==
                nullptr);
        Mesh card = test::makeSheet(3, 3);
        const Mesh front = card;
        for (const Triangle& t : front.triangles) {
            Triangle back = {t[0], t[2], t[1]};
            for (VertexId& v : back) {
                const Vec3f& p = front.positions[v];
                const bool isRim = p.x() <= 0 || p.x() >= 1 || p.z() <= 0 || p.z() >= 1;
                if (!isRim) v += VertexId(front.vertexCount());
            }
            card.triangles.push_back(back);
        }
        card.positions.insert(card.positions.end(), front.positions.begin(), front.positions.end());
        card.sections.clear();
        ensureSections(card, "card");
        dropUnused(card);
        const auto findings = findFaults(card, Progress());
        QVERIFY(findingIn(findings, Fault::Hole) == nullptr);
        QVERIFY(findingIn(findings, Fault::InsideOut) == nullptr);
    }

    void keepsNormalsThatWereRightAllAlong() {
        Mesh mesh = sphere();
        for (const Triangle& corners : mesh.triangles)  // in the order of the wedges that its UVs made
            for (const VertexId v : corners) mesh.normals.push_back(mesh.positions[v].normalized());
        Mesh inverted = mesh;
        std::swap(mesh.triangles[10][0], mesh.triangles[10][1]);
        QCOMPARE(repairFault(mesh, Fault::Winding, usualSize(mesh, Fault::Winding), Progress()), std::size_t(1));
        QCOMPARE(mesh.normals.size(), mesh.uvs.size());
        // Normals that point inwards like the corners' order did are of no use once it is turned.
        for (Vec3f& n : inverted.normals) n = -n;
        for (std::size_t t = 0; t + 4 < inverted.triangleCount(); ++t)
            std::swap(inverted.triangles[t][0], inverted.triangles[t][1]);
        QVERIFY(repairFault(inverted, Fault::Winding, usualSize(inverted, Fault::Winding), Progress()) > 4);
        QVERIFY(inverted.normals.empty());
    }

    void findsDuplicatesAndDropsThem() {
        Mesh mesh = sphere();
        const std::size_t before = mesh.triangleCount();
        mesh.triangles.push_back(Triangle(mesh.triangles[7]));
        mesh.triangles.push_back({mesh.triangles[9][1], mesh.triangles[9][0], mesh.triangles[9][2]});
        mesh.sections[0].triangleCount += 2;
        unwrap(mesh);
        const auto findings = findFaults(mesh, Progress());
        QCOMPARE(findingIn(findings, Fault::Duplicate)->count, std::size_t(2));
        QVERIFY(findingIn(findings, Fault::NonManifoldEdge) != nullptr);
        QCOMPARE(repairFault(mesh, Fault::Duplicate, usualSize(mesh, Fault::Duplicate), Progress()), std::size_t(2));
        QCOMPARE(mesh.triangleCount(), before);
        QVERIFY(findFaults(mesh, Progress()).empty());
    }

    void findsCollapsedTrianglesAndNeedles() {
        Mesh mesh = sphere();
        mesh.triangles.push_back({3, 3, 4});
        mesh.sections[0].triangleCount += 1;
        Mesh needle;
        needle.positions = {{0, 0, 0}, {1, 0, 0}, {0.5f, 0.001f, 0}};
        needle.triangles = {{0, 1, 2}};
        append(mesh, needle, {5, 0, 0});
        const auto findings = findFaults(mesh, Progress());
        QCOMPARE(findingIn(findings, Fault::ZeroArea)->count, std::size_t(1));
        QCOMPARE(findingIn(findings, Fault::Needle)->count, std::size_t(1));
        QVERIFY((findingIn(findings, Fault::Needle)->places[0] - Vec3f(5.5f, 0, 0)).norm() < 0.01f);
        QCOMPARE(repairFault(mesh, Fault::ZeroArea, usualSize(mesh, Fault::ZeroArea), Progress()), std::size_t(1));
        QVERIFY(findingIn(findFaults(mesh, Progress()), Fault::ZeroArea) == nullptr);
        QVERIFY(repairOf(Fault::Needle).empty());
        QCOMPARE(repairFault(mesh, Fault::Needle, usualSize(mesh, Fault::Needle), Progress()), std::size_t(0));
    }

    void findsLooseBitsAndDropsThem() {
        Mesh mesh = sphere();
        append(mesh, test::makeSphere(0.008, 4), {2, 0, 0});
        append(mesh, test::makeSphere(0.5, 4), {0, 3, 0});  // large enough to be meant
        const auto findings = findFaults(mesh, Progress());
        QCOMPARE(findingIn(findings, Fault::LooseBit)->count, std::size_t(1));
        QVERIFY((findingIn(findings, Fault::LooseBit)->places[0] - Vec3f(2, 0, 0)).norm() < 0.02f);
        QCOMPARE(repairFault(mesh, Fault::LooseBit, usualSize(mesh, Fault::LooseBit), Progress()), std::size_t(1));
        requireSound(mesh, "the mesh");
        QCOMPARE(gatherStatistics(mesh, Progress()).whole.pieces, std::size_t(2));
    }

    void findsIsolatedAndPinchedVertices() {
        Mesh mesh = sphere();
        mesh.positions.push_back({9, 9, 9});
        QCOMPARE(findingIn(findFaults(mesh, Progress()), Fault::Isolated)->places[0], Vec3f(9, 9, 9));
        QCOMPARE(repairFault(mesh, Fault::Isolated, usualSize(mesh, Fault::Isolated), Progress()), std::size_t(1));
        QVERIFY(findFaults(mesh, Progress()).empty());
        // Two balls that share one vertex.
        Mesh pair = test::makeSphere(1, 10);
        const auto top = VertexId(std::max_element(pair.positions.begin(), pair.positions.end(),
                                                   [](const Vec3f& a, const Vec3f& b) { return a.y() < b.y(); }) -
                                  pair.positions.begin());
        const Vec3f place = pair.positions[top];
        const auto first = VertexId(pair.vertexCount());
        append(pair, test::makeSphere(1, 10), {0, 2, 0});
        for (std::size_t t = pair.triangleCount() / 2; t < pair.triangleCount(); ++t)
            for (VertexId& v : pair.triangles[t])
                if (v >= first && (pair.positions[v] - place).norm() < 1e-4f) v = top;
        const auto findings = findFaults(pair, Progress());
        QVERIFY(findingIn(findings, Fault::PinchedVertex) != nullptr);
        QCOMPARE(findingIn(findings, Fault::PinchedVertex)->count, std::size_t(1));
        QVERIFY((findingIn(findings, Fault::PinchedVertex)->places[0] - place).norm() < 1e-5f);
    }

    void findsOddSizesAndPlaces() {
        Mesh far = sphere();
        for (Vec3f& p : far.positions) p += Vec3f(1e5f, 0, 0);
        QVERIFY(findingIn(findFaults(far, Progress()), Fault::FarFromOrigin) != nullptr);
        Mesh tiny = sphere();
        tiny.metresPerUnit = 1e-5;
        QVERIFY(findingIn(findFaults(tiny, Progress()), Fault::OddUnit) != nullptr);
        QVERIFY(findingIn(findFaults(test::makeSphere(1, 4), Progress()), Fault::MissingUvs) != nullptr);
    }

    void fillsHolesUpToASize() {
        // Holes of about 0.75 and 1.9 around: only the smaller one is filled up to 1.2.
        Mesh mesh = withHole(withHole(sphere(), {0, 0, 1}, 0.12f), {0, 1, 0}, 0.3f);
        QCOMPARE(repairFault(mesh, Fault::Hole, 1.2, Progress()), std::size_t(1));
        const auto findings = findFaults(mesh, Progress());
        const Finding* hole = findingIn(findings, Fault::Hole);
        QVERIFY(hole != nullptr && hole->count == 1 && hole->places[0].y() > 0.9f);
    }

    void dropsBitsUpToASize() {
        Mesh mesh = sphere();
        append(mesh, test::makeSphere(0.01, 2), {2, 0, 0});
        append(mesh, test::makeSphere(0.1, 4), {0, 2, 0});
        Mesh all = mesh;
        QCOMPARE(repairFault(mesh, Fault::LooseBit, 0.1, Progress()), std::size_t(1));
        QCOMPARE(repairFault(all, Fault::LooseBit, 0.4, Progress()), std::size_t(2));
        QCOMPARE(all.triangleCount(), sphere().triangleCount());
        QCOMPARE(repairFault(all, Fault::LooseBit, 100, Progress()), std::size_t(0));  // never all of it
    }

    void findsCracksAndWeldsThem() {
        // Two halves of a sheet, exported apart: one side of the seam is off by a hair.
        Mesh mesh = test::makeSheet(10, 10);
        const Mesh other = test::makeSheet(10, 10);
        append(mesh, other, {1.00003f, 0.00002f, 0});
        QVERIFY(findPieces(mesh.triangles, mesh.vertexCount()).count() == 2);
        const auto findings = findFaults(mesh, Progress());
        const Finding* crack = findingIn(findings, Fault::Crack);
        QVERIFY(crack != nullptr);
        QCOMPARE(crack->count, std::size_t(11));
        QVERIFY(std::abs(crack->largest - 3.6e-5) < 2e-6);
        for (const Vec3f& place : crack->places) QVERIFY(std::abs(place.x() - 1) < 1e-4f);
        Mesh narrow = mesh;
        QCOMPARE(repairFault(narrow, Fault::Crack, 1e-5, Progress()), std::size_t(0));
        QCOMPARE(repairFault(mesh, Fault::Crack, 1e-4, Progress()), std::size_t(11));
        requireSound(mesh, "the mesh");
        QCOMPARE(findPieces(mesh.triangles, mesh.vertexCount()).count(), std::size_t(1));
        QCOMPARE(mesh.triangleCount(), std::size_t(400));
        QVERIFY(findingIn(findFaults(mesh, Progress()), Fault::Crack) == nullptr);
    }

    void weldsWhatLiesInOnePlaceThreeTimes() {
        // Three sheets meet along a line without sharing it, each with its own UVs.
        Mesh mesh = test::makeSheet(4, 4);
        for (const Vec3f& p : mesh.positions) mesh.uvs.emplace_back(p.x(), p.z());
        append(mesh, test::makeSheet(4, 4), {1, 0, 0});
        Mesh upright = test::makeSheet(4, 4);
        for (Vec3f& p : upright.positions) p = Vec3f(0, p.x(), p.z());
        append(mesh, upright, {1, 0, 0});
        QCOMPARE(repairFault(mesh, Fault::Crack, 1e-4, Progress()), std::size_t(10));
        requireSound(mesh, "the mesh");
        QCOMPARE(findPieces(mesh.triangles, mesh.vertexCount()).count(), std::size_t(1));
        QCOMPARE(mesh.uvs.size(), std::size_t(3 * 96));  // each corner keeps its own
    }

    void takesNoSmallHoleForACrack() {
        // A hole as wide as its edges are long, in a mesh so large that it is narrower than a crack could be.
        Mesh mesh = withHole(sphere(), {0, 0, 1}, 0.12f);
        append(mesh, test::makeSheet(1, 1, 1e5, 1e5), {5, 0, 0});
        QVERIFY(findingIn(findFaults(mesh, Progress()), Fault::Crack) == nullptr);
    }

    void findsUvsThatOverlap() {
        // The left half's UVs lie over the right half's.
        Mesh sheet = test::makeSheet(10, 10);
        for (const Vec3f& p : sheet.positions) sheet.uvs.emplace_back(p.x(), p.z());
        QVERIFY(findFaults(sheet, Progress()).size() == 1);  // its border
        Mesh folded = sheet;
        for (Vec2f& uv : folded.uvs) uv.x() = uv.x() < 0.75f ? uv.x() : 1.5f - uv.x();
        const auto findings = findFaults(folded, Progress());
        const Finding* overlap = findingIn(findings, Fault::OverlappingUvs);
        QVERIFY(overlap != nullptr);
        QVERIFY2(std::abs(overlap->largest - 1.0 / 3) < 0.1, qPrintable(QString::number(overlap->largest)));
        for (const Vec3f& place : overlap->places) QVERIFY(place.x() > 0.45f);
        // Whole turns of the texture fall on the same place.
        Mesh repeated = sheet;
        for (Vec2f& uv : repeated.uvs) uv = 2 * uv;
        const auto again = findFaults(repeated, Progress());
        QVERIFY(findingIn(again, Fault::OverlappingUvs) != nullptr);
        QVERIFY(std::abs(findingIn(again, Fault::OverlappingUvs)->largest - 1) < 0.05);
    }

    void findsUvsThatAreStretched() {
        Mesh sheet = test::makeSheet(10, 10);
        for (const Vec3f& p : sheet.positions)
            sheet.uvs.emplace_back(p.x() < 0.45f ? p.x() : 0.45f + (p.x() - 0.45f) / 8, p.z());
        const auto findings = findFaults(sheet, Progress());
        const Finding* stretched = findingIn(findings, Fault::StretchedUvs);
        QVERIFY(stretched != nullptr);
        QVERIFY2(std::abs(stretched->largest - 0.55) < 0.06, qPrintable(QString::number(stretched->largest)));
        for (const Vec3f& place : stretched->places) QVERIFY(place.x() > 0.4f);
    }

    void saysEachInASentence() {
        for (int fault = 0; fault <= int(Fault::MissingUvs); ++fault) {
            QVERIFY(!describeFinding({Fault(fault), 3, 0.5, {}, "some detail"}, 1).empty());
            QVERIFY(QString::fromStdString(whyItMatters(Fault(fault))).endsWith('.'));
        }
        QCOMPARE(describeFinding({Fault::Hole, 1, 0.0043, {}, {}}, 1),
                 std::string("1 open border, the longest 4.3 mm around"));
        Progress cancelled;
        cancelled.cancel();
        QVERIFY_EXCEPTION_THROWN(findFaults(sphere(), cancelled), Cancelled);
        QVERIFY(findFaults(Mesh(), Progress()).empty());
    }
};

UM_TEST(HealthTest)
#include "HealthTest.moc"

// Broken on purpose: each fault is found, with its count and place, and repaired where that is safe.
#include "base/Error.h"
#include "mesh/Health.h"
#include "mesh/Statistics.h"
#include "tests/support/Shapes.h"

#include <QTest>

using namespace um;

namespace {

const Finding* findingIn(const std::vector<Finding>& findings, Fault fault) {
    for (const Finding& finding : findings)
        if (finding.fault == fault) return &finding;
    return nullptr;
}

Mesh sphere() {
    Mesh mesh = test::makeSphere(1, 20);
    for (const Vec3f& p : mesh.positions) mesh.uvs.emplace_back(p.x(), p.y());
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

void append(Mesh& mesh, const Mesh& other, const Vec3f& shift) {
    const auto first = VertexId(mesh.vertexCount());
    for (const Vec3f& p : other.positions) {
        mesh.positions.push_back(p + shift);
        if (!mesh.uvs.empty()) mesh.uvs.emplace_back(0, 0);
    }
    for (const Triangle& t : other.triangles) mesh.triangles.push_back({t[0] + first, t[1] + first, t[2] + first});
    mesh.sections.clear();
    ensureSections(mesh, "mesh");
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
        QCOMPARE(repairFault(mesh, Fault::Hole, Progress()), std::size_t(2));
        requireSound(mesh, "the mesh");
        const Statistics s = gatherStatistics(mesh, Progress()).whole;
        QVERIFY(s.sound());
        QCOMPARE(s.borderEdges, std::size_t(0));
        QVERIFY(std::abs(test::volume(mesh) - test::volume(sphere())) < 0.1);
        QVERIFY(findFaults(mesh, Progress()).empty());
    }

    void leavesLargeOpeningsOpen() {
        Mesh bowl = withHole(test::makeSphere(1, 90), Vec3f(0, 1, 0), 1.0f);  // more edges than a hole has
        QCOMPARE(repairFault(bowl, Fault::Hole, Progress()), std::size_t(0));
    }

    void findsWhatIsTurnedOverAndTurnsItBack() {
        Mesh mesh = sphere();
        for (const std::size_t t : {10u, 11u, 500u}) std::swap(mesh.triangles[t][0], mesh.triangles[t][1]);
        const auto findings = findFaults(mesh, Progress());
        QVERIFY(findingIn(findings, Fault::Winding) != nullptr);
        QVERIFY(findingIn(findings, Fault::Winding)->count >= 6);
        QCOMPARE(repairFault(mesh, Fault::Winding, Progress()), std::size_t(3));
        QVERIFY(findFaults(mesh, Progress()).empty());
        QVERIFY(test::volume(mesh) > 0);
        // Mostly inside out: the whole is turned to face outwards.
        for (std::size_t t = 0; t + 4 < mesh.triangleCount(); ++t)
            std::swap(mesh.triangles[t][0], mesh.triangles[t][1]);
        QVERIFY(repairFault(mesh, Fault::Winding, Progress()) > 0);
        QVERIFY(findFaults(mesh, Progress()).empty());
        QVERIFY(test::volume(mesh) > 0);
    }

    void keepsNormalsThatWereRightAllAlong() {
        Mesh mesh = sphere();
        for (const Vec3f& p : mesh.positions) mesh.normals.push_back(p.normalized());
        Mesh inverted = mesh;
        std::swap(mesh.triangles[10][0], mesh.triangles[10][1]);
        QCOMPARE(repairFault(mesh, Fault::Winding, Progress()), std::size_t(1));
        QCOMPARE(mesh.normals.size(), mesh.positions.size());
        // Normals that point inwards like the corners' order did are of no use once it is turned.
        for (Vec3f& n : inverted.normals) n = -n;
        for (std::size_t t = 0; t + 4 < inverted.triangleCount(); ++t)
            std::swap(inverted.triangles[t][0], inverted.triangles[t][1]);
        QVERIFY(repairFault(inverted, Fault::Winding, Progress()) > 4);
        QVERIFY(inverted.normals.empty());
    }

    void findsDuplicatesAndDropsThem() {
        Mesh mesh = sphere();
        const std::size_t before = mesh.triangleCount();
        mesh.triangles.push_back(Triangle(mesh.triangles[7]));
        mesh.triangles.push_back({mesh.triangles[9][1], mesh.triangles[9][0], mesh.triangles[9][2]});
        mesh.sections[0].triangleCount += 2;
        const auto findings = findFaults(mesh, Progress());
        QCOMPARE(findingIn(findings, Fault::Duplicate)->count, std::size_t(2));
        QVERIFY(findingIn(findings, Fault::NonManifoldEdge) != nullptr);
        QCOMPARE(repairFault(mesh, Fault::Duplicate, Progress()), std::size_t(2));
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
        QCOMPARE(repairFault(mesh, Fault::ZeroArea, Progress()), std::size_t(1));
        QVERIFY(findingIn(findFaults(mesh, Progress()), Fault::ZeroArea) == nullptr);
        QVERIFY(repairOf(Fault::Needle).empty());
        QCOMPARE(repairFault(mesh, Fault::Needle, Progress()), std::size_t(0));
    }

    void findsLooseBitsAndDropsThem() {
        Mesh mesh = sphere();
        append(mesh, test::makeSphere(0.008, 4), {2, 0, 0});
        append(mesh, test::makeSphere(0.5, 4), {0, 3, 0});  // large enough to be meant
        const auto findings = findFaults(mesh, Progress());
        QCOMPARE(findingIn(findings, Fault::LooseBit)->count, std::size_t(1));
        QVERIFY((findingIn(findings, Fault::LooseBit)->places[0] - Vec3f(2, 0, 0)).norm() < 0.02f);
        QCOMPARE(repairFault(mesh, Fault::LooseBit, Progress()), std::size_t(1));
        requireSound(mesh, "the mesh");
        QCOMPARE(gatherStatistics(mesh, Progress()).whole.pieces, std::size_t(2));
    }

    void findsIsolatedAndPinchedVertices() {
        Mesh mesh = sphere();
        mesh.positions.push_back({9, 9, 9});
        mesh.uvs.emplace_back(0, 0);
        QCOMPARE(findingIn(findFaults(mesh, Progress()), Fault::Isolated)->places[0], Vec3f(9, 9, 9));
        QCOMPARE(repairFault(mesh, Fault::Isolated, Progress()), std::size_t(1));
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

    void saysEachInASentence() {
        for (int fault = 0; fault <= int(Fault::MissingUvs); ++fault) {
            QVERIFY(!describeFinding({Fault(fault), 3, 0.5, {}}, 1).empty());
            QVERIFY(QString::fromStdString(whyItMatters(Fault(fault))).endsWith('.'));
        }
        QCOMPARE(describeFinding({Fault::Hole, 1, 0.0043, {}}, 1),
                 std::string("1 open border, the longest 4.3 mm around"));
        Progress cancelled;
        cancelled.cancel();
        QVERIFY_EXCEPTION_THROWN(findFaults(sphere(), cancelled), Cancelled);
        QVERIFY(findFaults(Mesh(), Progress()).empty());
    }
};

QTEST_APPLESS_MAIN(HealthTest)
#include "HealthTest.moc"

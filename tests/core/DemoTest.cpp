#include "demo/CoralHead.h"
#include "demo/DiversLamp.h"
#include "demo/StorageJar.h"
#include "mesh/Statistics.h"
#include "tests/support/TestMain.h"

#include <QTest>

using namespace um;

namespace {

// The volume that a part encloses; below 0 where it is turned inside out.
double volumeOf(const Mesh& mesh, const std::string& part) {
    double volume = 0;
    for (const Section& section : mesh.sections) {
        if (mesh.parts[section.part].name != part) continue;
        for (TriangleId t = section.firstTriangle; t < section.firstTriangle + section.triangleCount; ++t) {
            const auto at = [&](std::size_t k) { return Vec3d(mesh.positions[mesh.triangles[t][k]].cast<double>()); };
            volume += at(0).dot(at(1).cross(at(2))) / 6;
        }
    }
    return volume;
}

}  // namespace

class DemoTest : public QObject {
    Q_OBJECT

private slots:
    void makesTheJarAsItIsDescribed() {
        const Mesh& jar = m_jar;
        requireSound(jar, "jar");
        QVERIFY(jar.triangleCount() > 950000 && jar.triangleCount() < 1100000);
        QCOMPARE(jar.parts.size(), std::size_t(5));
        QCOMPARE(jar.materials.size(), std::size_t(5));
        const MeshStatistics s = gatherStatistics(jar, Progress());
        QVERIFY(s.whole.sound());
        QVERIFY(s.whole.hasUvs);
        QCOMPARE(s.parts[0].pieces, std::size_t(1));
        QCOMPARE(s.parts[1].pieces, std::size_t(2));  // two handles
        QVERIFY(s.parts[2].pieces > 99);              // some hundred barnacles, open where they sit
        QCOMPARE(s.parts[2].borderLoops, s.parts[2].pieces);
        const Vec3f size = s.whole.box.sizes();
        QVERIFY(size.y() > 0.6f && size.y() < 0.7f && size.x() < 0.4f);
    }

    void makesCoralsOfAnyDensity() {
        for (const std::size_t wanted : {40000, 200000}) {
            const Mesh coral = demo::makeCoralHead(wanted);
            QVERIFY(std::abs(double(coral.triangleCount()) - double(wanted)) < 0.01 * double(wanted));
            const Statistics s = gatherStatistics(coral, Progress()).whole;
            QVERIFY(s.sound());
            QCOMPARE(s.borderLoops, std::size_t(1));
            QCOMPARE(s.pieces, std::size_t(1));
        }
    }

    void turnsPartsOutwards() {
        const Mesh &jar = m_jar, lamp = demo::makeDiversLamp();
        for (const char* part : {"Body", "Handles", "Rope collar", "Stopper"}) QVERIFY2(volumeOf(jar, part) > 0, part);
        for (const char* part : {"Body", "Rings", "Cage, left", "Cage, right", "Grip", "Bulb"})
            QVERIFY2(volumeOf(lamp, part) > 0, part);
        QVERIFY(std::abs(volumeOf(lamp, "Cage, left") / volumeOf(lamp, "Cage, right") - 1) < 1e-3);
    }

    void makesTheSameEveryTime() {
        QCOMPARE(demo::makeCoralHead(40000).positions, demo::makeCoralHead(40000).positions);
        QCOMPARE(demo::makeStorageJar().positions, m_jar.positions);
    }

private:
    const Mesh m_jar = demo::makeStorageJar();
};

UM_TEST(DemoTest)
#include "DemoTest.moc"

// Levels damaged on purpose: the right measure catches each, with the right place and direction.
#include "measure/Deviation.h"
#include "measure/Silhouette.h"
#include "reduce/Reduce.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <QTest>

using namespace um;

namespace {

constexpr float handleAt = 1.2f, knobAt = 1.3f;

void append(Mesh& mesh, const Mesh& other, const Mat3d& turn, const Vec3f& shift, const std::string& part) {
    const auto first = VertexId(mesh.vertexCount());
    const auto firstTriangle = TriangleId(mesh.triangleCount());
    for (const Vec3f& p : other.positions) mesh.positions.push_back((turn * p.cast<double>()).cast<float>() + shift);
    for (const Triangle& t : other.triangles) mesh.triangles.push_back({t[0] + first, t[1] + first, t[2] + first});
    mesh.parts.push_back({part});
    mesh.sections.push_back(
        {std::uint32_t(mesh.parts.size() - 1), 0, firstTriangle, std::uint32_t(mesh.triangleCount() - firstTriangle)});
}

// A ball with a ring as its handle at the right, standing upright towards the viewer, and a knob on top.
Mesh pot() {
    Mesh mesh = test::makeSphere(1, 40);
    const Mat3d upright = Eigen::AngleAxisd(pi / 2, Vec3d::UnitX()).toRotationMatrix();
    append(mesh, test::makeTorus(0.4, 0.08, 60, 20), upright, {handleAt, 0, 0}, "handle");
    append(mesh, test::makeSphere(0.15, 12), Mat3d::Identity(), {0, knobAt, 0}, "knob");
    return mesh;
}

Mesh without(const Mesh& mesh, const std::string& part) {
    std::vector<bool> wanted;
    for (const Part& one : mesh.parts) wanted.push_back(one.name != part);
    return extractParts(mesh, wanted);
}

Vec3d worstDirection(const Silhouette& s) {
    return s.directions[s.worst].vector();
}

}  // namespace

class EvidenceTest : public QObject {
    Q_OBJECT

private slots:
    void initTestCase() {
        m_source = pot();
        m_level = reduceMesh(m_source, 3000, {}, Progress()).mesh;
        m_good = measureDeviation(m_source, m_level, {}, Progress());
        m_goodOutline = measureSilhouette(m_source, m_level, {98, 300, 4}, Progress());
        QVERIFY(m_good.max < 0.02 && m_goodOutline.max < 1.5);
    }

    void catchesASpike() {
        Mesh damaged = m_level;
        // The vertex that points most to the left is drawn out.
        const auto left = std::min_element(damaged.positions.begin(), damaged.positions.end(),
                                           [](const Vec3f& a, const Vec3f& b) { return a.x() < b.x(); });
        *left += Vec3f(-0.4f, 0, 0);
        const Deviation d = measureDeviation(m_source, damaged, {}, Progress());
        QVERIFY2(std::abs(d.levelToSource.max - 0.4) < 0.02, qPrintable(QString::number(d.levelToSource.max)));
        QVERIFY((d.worstPlace - left->cast<double>()).norm() < 1e-6);
        QVERIFY(d.levelToSource.max > 2 * d.sourceToLevel.max);  // it sticks out, nothing is missing
        QVERIFY(d.maxBound >= d.max);
        const Silhouette s = measureSilhouette(m_source, damaged, {98, 300, 4}, Progress());
        // As tall as 300 px for 2.45: 0.4 are 49 px. It is seen best from a direction square to it.
        QVERIFY2(std::abs(s.max - 0.4 * 300 / double(boundingBox(m_source).sizes().y())) < 3,
                 qPrintable(QString::number(s.max)));
        QVERIFY(std::abs(worstDirection(s).x()) < 0.3);
        QVERIFY(s.grown > m_goodOutline.grown + 0.001 && s.lost < m_goodOutline.lost + 0.001);
    }

    void catchesAMissingHandle() {
        const Mesh damaged = without(m_level, "handle");
        const Deviation d = measureDeviation(m_source, damaged, {}, Progress());
        QVERIFY(d.sourceToLevel.max > 0.3 && d.levelToSource.max < 0.1);
        QVERIFY((d.worstPlace - Vec3d(handleAt, 0, 0)).norm() < 0.6 && d.worstPlace.x() > 1.6);
        const Silhouette s = measureSilhouette(m_source, damaged, {98, 300, 4}, Progress());
        // The ring stands upright: it shows from the front, and hardly edge-on from the right.
        const auto lostFrom = [&](const Vec3d& towards) {
            std::size_t best = 0;
            for (std::size_t i = 0; i < s.directions.size(); ++i)
                if (s.directions[i].vector().dot(towards) > s.directions[best].vector().dot(towards)) best = i;
            return s.views[best].lost / s.views[best].sourceArea;
        };
        QVERIFY(lostFrom(Vec3d::UnitZ()) > 0.03);
        QVERIFY(lostFrom(Vec3d::UnitX()) < 0.005);
        QVERIFY(std::abs(worstDirection(s).x()) < 0.6);
        QVERIFY(s.lost > m_goodOutline.lost + 0.01 && s.grown < m_goodOutline.grown + 0.002);
    }

    void catchesADroppedPart() {
        const Mesh damaged = without(m_level, "knob");
        const Deviation d = measureDeviation(m_source, damaged, {}, Progress());
        QVERIFY2(std::abs(d.sourceToLevel.max - (knobAt + 0.15 - 1)) < 0.02, qPrintable(QString::number(d.max)));
        QVERIFY((d.worstPlace - Vec3d(0, knobAt + 0.15, 0)).norm() < 0.03);
        const Silhouette s = measureSilhouette(m_source, damaged, {98, 300, 4}, Progress());
        QVERIFY(std::abs(worstDirection(s).y()) < 0.3);  // from the side, not from above
        QVERIFY(s.max > 40 && s.grown < m_goodOutline.grown + 0.001);
    }

    void isNotAlarmedByAGoodLevel() {
        QVERIFY(m_goodOutline.areaShare < 0.02);
        QVERIFY(m_good.maxBound < 1.3 * m_good.max);
    }

private:
    Mesh m_source, m_level;
    Deviation m_good;
    Silhouette m_goodOutline;
};

UM_TEST(EvidenceTest)
#include "EvidenceTest.moc"

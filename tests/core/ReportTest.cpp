// The evidence sheet: the same figures as the measures, nothing from outside, the same page every time.
#include "base/Error.h"
#include "base/Units.h"
#include "document/Report.h"
#include "draw/Picture.h"
#include "measure/PixelLoad.h"
#include "measure/Probe.h"
#include "measure/Silhouette.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"

#include <QByteArray>
#include <QRegularExpression>
#include <QTest>

using namespace um;

namespace {

Document sphereWithLevels() {
    Document document;
    document.name = "ball <one>";
    Mesh ball = test::makeSphere(1, 40);
    ball.metresPerUnit = 0.1;
    document.source = std::make_shared<const Mesh>(ball);
    for (const std::size_t target : {2000, 300})
        document.levels.push_back(
            makeLevel("LOD " + std::to_string(document.levels.size()), std::to_string(target),
                      std::make_shared<const Mesh>(reduceMesh(ball, target, {}, Progress()).mesh)));
    document.viewerDistance = 3;
    return document;
}

}  // namespace

class ReportTest : public QObject {
    Q_OBJECT

private slots:
    void saysWhatWasMeasured() {
        const Document document = sphereWithLevels();
        const std::string html = reportHtml(document, "2026-01-31", Progress());
        const auto has = [&](const std::string& text) { return html.find(text) != std::string::npos; };
        QVERIFY(has("2026-01-31") && has("ball &lt;one>: evidence"));
        const double pixels = document.screen.pixels(2 * 0.1, 3);
        for (const Level& level : document.levels) {
            const Deviation d = measureDeviation(*document.source, *level.mesh, {}, Progress());
            for (const double value : {d.max, d.maxBound, d.rms, d.p99}) QVERIFY(has(formatLength(value * 0.1)));
            const Silhouette s = measureSilhouette(*document.source, *level.mesh, {26, pixels, 4}, Progress());
            QVERIFY(has(formatNumber(s.max) + " px") && has(describe(s.directions[s.worst])));
            QVERIFY(has(formatCount(level.mesh->triangleCount())));
            const PixelLoad load = measurePixelLoad(*level.mesh, 26, pixels / 2, Progress());
            QVERIFY(has(formatNumber(load.pixelsPerTriangle)) && has(formatNumber(load.overdraw)));
        }
        QVERIFY(has("No UVs"));
    }

    void carriesEverythingInside() {
        const QString html = QString::fromStdString(reportHtml(sphereWithLevels(), "", Progress()));
        QVERIFY(!html.contains("http"));
        QRegularExpression pictures("src=\"([^\"]*)\"");
        int count = 0;
        for (auto it = pictures.globalMatch(html); it.hasNext(); ++count) {
            const QString from = it.next().captured(1);
            QVERIFY(from.startsWith("data:image/png;base64,"));
            const QByteArray png =
                QByteArray::fromBase64(from.mid(22).toLatin1(), QByteArray::AbortOnBase64DecodingErrors);
            QVERIFY(png.startsWith("\x89PNG") && png.endsWith("IEND\xae\x42\x60\x82"));
        }
        QCOMPARE(count, 3 * 5 + 2);  // five of each, and two histograms
    }

    void isTheSameEveryTime() {
        const Document document = sphereWithLevels();
        QCOMPARE(reportHtml(document, "", Progress()), reportHtml(document, "", Progress()));
    }

    void drawsWhatIsInFront() {
        // A near square before a far, larger one; the light comes from in front of both.
        Mesh mesh = test::makeBox({2, 2, 0.1});
        const Mesh behind = test::makeBox({4, 4, 0.1});
        const auto first = VertexId(mesh.vertexCount());
        const std::size_t own = mesh.triangleCount();
        for (const Vec3f& p : behind.positions) mesh.positions.push_back(p - Vec3f(0, 0, 3));
        for (const Triangle& t : behind.triangles) mesh.triangles.push_back({t[0] + first, t[1] + first, t[2] + first});
        const FlatView view{Mat3d::Identity(), boundingBox(mesh).center().cast<double>(), 10};
        const TriangleMap map = drawTriangles(mesh, view, 60, 60, 1);
        int near = 0, far = 0;
        for (const TriangleId t : map.triangles) {
            if (t == TriangleMap::nothing) continue;
            ++(t < own ? near : far);
        }
        QCOMPARE(near, 20 * 20);
        QCOMPARE(far, 40 * 40 - 20 * 20);
        const Picture picture = drawClay(mesh, view, 60, 60);
        QVERIFY(picture.at(30, 30) != picture.at(1, 1));
        QCOMPARE(pngOf(picture).substr(1, 3), std::string("PNG"));
    }

    void drawsTilesThatFitTogether() {
        // Against each sample by itself, over several tiles.
        const Mesh mesh = test::makeTorus(1, 0.4, 40, 24);
        const FlatView view{Direction{30, 50}.turn(), Vec3d::Zero(), 70};
        const TriangleMap map = drawTriangles(mesh, view, 210, 230, 1);
        for (int y = 0; y < map.height; y += 7)
            for (int x = 0; x < map.width; x += 5) {
                const Vec3d from((x + 0.5 - map.width / 2.0) / view.pixelsPerUnit,
                                 (map.height / 2.0 - y - 0.5) / view.pixelsPerUnit, 10);
                const Mat3d back = view.turn.transpose();
                const auto hit = firstHit(mesh, back * from, back * Vec3d(0, 0, -1));
                const TriangleId seen = map.triangles[std::size_t(y) * std::size_t(map.width) + std::size_t(x)];
                QCOMPARE(seen != TriangleMap::nothing, hit.has_value());
                if (!hit) continue;
                const float depth = map.depths[std::size_t(y) * std::size_t(map.width) + std::size_t(x)];
                QVERIFY(std::abs(double(depth) - (10 - hit->distance)) < 1e-4);
            }
    }

    void canBeCancelled() {
        Progress cancelled;
        cancelled.cancel();
        QVERIFY_EXCEPTION_THROWN(reportHtml(sphereWithLevels(), "", cancelled), Cancelled);
    }
};

UM_TEST(ReportTest)
#include "ReportTest.moc"

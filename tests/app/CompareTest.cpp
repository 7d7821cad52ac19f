// Comparing in the real window: twin, any two meshes, edges on either, turned light, costs where the player stands,
// places measured by a click, the worst places and views one after another, the tolerance dragged.
#include "app/desks/CostWatch.h"
#include "app/desks/OutlineWatch.h"
#include "app/desks/WorstTour.h"
#include "app/panels/EvidencePanel.h"
#include "app/panels/FindingsCard.h"
#include "app/panels/OutlinePanel.h"
#include "app/panels/PartsPanel.h"
#include "app/panels/TargetPanel.h"
#include "app/panels/Widgets.h"
#include "app/theme/Theme.h"
#include "base/Units.h"
#include "draw/Picture.h"
#include "files/MeshFile.h"
#include "measure/Probe.h"
#include "tests/support/Files.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"
#include "tests/support/Window.h"

#include <QApplication>
#include <QLabel>
#include <QMenu>
#include <QScrollArea>
#include <QScrollBar>
#include <QWheelEvent>

using namespace um;
using namespace um::app;
using test::waitUntil;
using test::waitUntilIdle;

namespace {

// A ball of a metre and a knob above it, with a texture all around.
Mesh knobbedBall() {
    Mesh mesh = test::joined(test::makeSphere(0.5, 60), test::moved(test::makeSphere(0.06, 20), {0, 0.6, 0}));
    mesh.parts = {{"Ball"}, {"Knob"}};
    for (const Vec3f& p : mesh.positions) mesh.uvs.emplace_back(p.x() + 0.5f, p.y() + 0.5f);
    const Picture picture(512, 512, {180, 90, 50});
    mesh.textures.push_back({"glaze", "image/png", std::make_shared<const std::string>(pngOf(picture)), 512, 512});
    mesh.materials[0].name = "glaze";
    mesh.materials[0].baseColorTexture.texture = 0;
    return mesh;
}

}  // namespace

class CompareTest : public QObject {
    Q_OBJECT

private slots:
    void initTestCase() {
        writeMesh(knobbedBall(), m_folder / "ball.glb", Progress());
        applyTheme(Theme::paperTheme());
        m_window = std::make_unique<MainWindow>(m_folder / "recovery");
        QVERIFY(test::showActive(*m_window));
        m_window->open(QString::fromStdString((m_folder / "ball.glb").string()));
        QVERIFY(waitUntilIdle(*m_window));
        for (const char* target : {"4000", "400"}) {
            desk().target().showTarget(target);
            desk().target().submit();
            QVERIFY(waitUntilIdle(*m_window));
            desk().keepPreview();
            QVERIFY(waitUntilIdle(*m_window));
        }
        viewport().lookFrom(0, 0);
        QVERIFY(waitUntilIdle(*m_window));
    }

    void showsTwinsSideBySide() {
        desk().show({1});
        QVERIFY(waitUntilIdle(*m_window));
        const QImage level = test::pictureOf(*m_window);
        QVERIFY(!desk().view().otherInset().isVisible());
        key(Qt::Key_T);
        const QImage both = test::pictureOf(*m_window);
        const int half = both.width() / 2;
        const auto halfPicture = [&](int left) { return both.copy(left, 0, half, both.height()); };
        // The same ball in the middle of either half, hardly different; but facets differ from a smooth source.
        const int differing = test::differingPixels(halfPicture(0), halfPicture(half));
        QVERIFY2(differing > 100 && differing < half * both.height() / 8, qPrintable(QString::number(differing)));
        for (const int left : {0, half}) {
            const QImage one = halfPicture(left);
            QVERIFY(one.pixelColor(half / 2, one.height() / 2) != one.pixelColor(4, one.height() / 2));
        }
        // At true size there are both as well.
        QVERIFY(desk().view().otherInset().isVisible());
        QVERIFY(desk().view().otherInset().picture() != desk().view().inset().picture());
        const QImage source = desk().view().otherInset().picture();
        key(Qt::Key_W);  // one way of comparing at a time
        QVERIFY(!desk().view().otherInset().isVisible());
        QCOMPARE(desk().view().inset().wipedPicture(), source);
        QVERIFY(!desk().view().chip("Twin")->isChecked());
        key(Qt::Key_W);
        QCOMPARE(test::differingPixels(level, test::pictureOf(*m_window)), 0);
    }

    void keepsEverythingWhereItIsSeenFreely() {
        viewport().lookFrom(0.4, 0.3);
        key(Qt::Key_F);
        const Camera alone = viewport().camera();
        const auto seen = [&] {
            const QRect pane = viewport().placeOf(false);
            QRectF all;
            for (const Vec3f& p : m_window->model().document().source->positions) {
                const auto pixel = viewport().camera().pixelOf(p.cast<double>(), pane.width(), pane.height());
                all |= QRectF(pane.x() + pixel->x(), pane.y() + pixel->y(), 0.01, 0.01);
            }
            return all;
        };
        const auto isFree = [&] {
            const QRectF all = seen();
            const QWidget* chip = desk().view().chip("Wipe");
            return QRectF(viewport().placeOf(false)).contains(all) &&
                   all.top() > chip->mapTo(&desk().view(), QPoint(0, chip->height())).y() &&
                   !all.intersects(desk().view().inset().geometry());
        };
        QVERIFY(isFree());
        key(Qt::Key_T);
        QVERIFY(isFree());
        QVERIFY(viewport().camera().distance() > alone.distance());
        key(Qt::Key_T);
        QVERIFY(viewport().camera() == alone);
        // With a card over it, the picture steps aside.
        desk().openFindings();
        QVERIFY(isFree());
        QVERIFY(seen().right() < desk().findingsCard().x());
        test::buttonNamed(desk().findingsCard(), "Close")->click();
        QVERIFY(viewport().camera() == alone);
        // But nothing moves once someone has come closer.
        QWheelEvent wheel({300, 300}, viewport().mapToGlobal(QPointF(300, 300)), {}, {0, 120}, {}, {},
                          Qt::NoScrollPhase, false);
        QApplication::sendEvent(&viewport(), &wheel);
        const Camera closer = viewport().camera();
        key(Qt::Key_T);
        key(Qt::Key_T);
        QVERIFY(viewport().camera() == closer);
        viewport().lookFrom(0, 0);
        key(Qt::Key_F);
    }

    void comparesAnyTwo() {
        desk().show({0});
        QVERIFY(waitUntilIdle(*m_window));
        const QImage first = test::pictureOf(*m_window);
        desk().show({1});
        chooseInMenu("Compare with LOD 0");
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(desk().other() == Shown{0});
        QTest::keyPress(m_window.get(), Qt::Key_Space);
        QVERIFY(waitUntilIdle(*m_window));
        const QImage blinked = test::pictureOf(*m_window);
        QTest::keyRelease(m_window.get(), Qt::Key_Space);
        QCOMPARE(test::differingPixels(blinked, first), 0);
        // What is removed cannot be compared with any more: the source takes its place.
        desk().show({0});
        QVERIFY(test::buttonNamed(desk(), "vs Source …") != nullptr);
        desk().show({1});
        chooseInMenu("Compare with Source");
        QVERIFY(waitUntilIdle(*m_window));
    }

    void drawsEdgesOnEither() {
        key(Qt::Key_W);
        const QImage plain = test::pictureOf(*m_window);
        chooseInMenu("Edges on LOD 1 only");
        QVERIFY(waitUntilIdle(*m_window));
        const QImage right = test::pictureOf(*m_window);
        chooseInMenu("Edges on Source only");
        QVERIFY(waitUntilIdle(*m_window));
        const QImage left = test::pictureOf(*m_window);
        const int half = plain.width() / 2;
        const auto differs = [&](const QImage& picture, int from) {
            const QRect side(from + 2, 0, half - 4, plain.height());
            return test::differingPixels(picture.copy(side), plain.copy(side));
        };
        QVERIFY(differs(right, half) > 300);
        QCOMPARE(differs(right, 0), 0);
        QVERIFY(differs(left, 0) > 300);
        QCOMPARE(differs(left, half), 0);
        chooseInMenu("Edges on both");
        key(Qt::Key_E);
        key(Qt::Key_W);
    }

    void turnsTheLight() {
        const QImage before = test::pictureOf(*m_window);
        const Camera camera = viewport().camera();
        QTest::keyPress(m_window.get(), Qt::Key_L);
        drag({300, 300}, {460, 340});
        QTest::keyRelease(m_window.get(), Qt::Key_L);
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(viewport().camera() == camera);
        QVERIFY(test::differingPixels(before, test::pictureOf(*m_window)) > 3000);
        key(Qt::Key_L);
        QCOMPARE(test::differingPixels(before, test::pictureOf(*m_window)), 0);
    }

    void showsTexturesInLit() {
        key(Qt::Key_C);
        const QImage lit = test::pictureOf(*m_window);
        const QColor middle = lit.pixelColor(lit.width() / 2, lit.height() / 2);
        // The glaze is (180, 90, 50), more or less lit, under a film of white gloss: as light, each channel is the
        // glaze's times one factor and the same addition to all.
        const auto light = [](int value) { return std::pow(value / 255.0, 2.2); };
        const double diffuse = (light(middle.red()) - light(middle.green())) / (light(180) - light(90));
        const double gloss = light(middle.green()) - diffuse * light(90);
        QVERIFY2(diffuse > 0.3, qPrintable(middle.name()));
        QVERIFY2(gloss > -0.01 && gloss < 0.1 * diffuse, qPrintable(middle.name()));
        QVERIFY2(std::abs(light(middle.blue()) - diffuse * light(50) - gloss) < 0.01, qPrintable(middle.name()));
        key(Qt::Key_C);
        const QColor clay = test::pictureOf(*m_window).pixelColor(lit.width() / 2, lit.height() / 2);
        QVERIFY(std::abs(double(clay.red()) / clay.green() - 1) < 0.1);
    }

    void showsThePixelLoadOfTheCore() {
        const QImage before = test::pictureOf(*m_window);
        key(Qt::Key_P);
        // 400 triangles are large enough, but for those at the rim that are seen edge on.
        const int edgeOn = test::differingPixels(before, test::pictureOf(*m_window));
        QVERIFY2(edgeOn < before.width() * before.height() / 40, qPrintable(QString::number(edgeOn)));
        desk().show({Shown::source});
        QVERIFY(waitUntilIdle(*m_window));
        const Document& document = m_window->model().document();
        const double scale = document.screen.pixels(document.source->metresPerUnit, document.viewerDistance);
        const PixelLoad load = measurePixelLoad(*document.source, CostWatch::views, scale, Progress());
        const auto number = [](double x) { return QString::fromStdString(formatNumber(x)); };
        QCOMPARE(desk().view().tintKey().numbers(),
                 QString("%1 px a triangle · %2 % under 4 px · overdraw %3")
                     .arg(number(load.pixelsPerTriangle), number(100 * load.underFour), number(load.overdraw)));
        // From there its triangles are far too small: it is blue.
        const QImage loaded = test::pictureOf(*m_window);
        const QColor middle = loaded.pixelColor(loaded.width() / 2, loaded.height() * 6 / 10);
        QVERIFY2(middle.blue() > middle.red() + 30, qPrintable(middle.name()));
        key(Qt::Key_P);
    }

    void showsTexelsWhereThePlayerStands() {
        QVERIFY(desk().view().chip("Texels")->isEnabled());
        key(Qt::Key_G);
        const Document& document = m_window->model().document();
        const double scale = document.screen.pixels(document.source->metresPerUnit, document.viewerDistance);
        const TexelUse use = measureTexelUse(*document.source)[0];
        const QString numbers = desk().view().tintKey().numbers();
        QVERIFY2(
            numbers.startsWith("glaze: ") && numbers.contains(QString("%1 px would do for 512").arg(use.enough(scale))),
            qPrintable(numbers));
        // Five texels to a pixel: wasted, which is blue.
        const QImage shown = test::pictureOf(*m_window);
        const QColor middle = shown.pixelColor(shown.width() / 2, shown.height() * 6 / 10);
        QVERIFY2(middle.blue() > middle.red() + 20, qPrintable(middle.name()));
        key(Qt::Key_G);
    }

    void coloursTheSourceByTheLevelBesideIt() {
        desk().show({1});
        key(Qt::Key_D);
        QTest::keyPress(m_window.get(), Qt::Key_Space);
        QVERIFY(waitUntilIdle(*m_window));
        const QImage coloured = test::pictureOf(*m_window);
        key(Qt::Key_D);
        const QImage plain = test::pictureOf(*m_window);
        QTest::keyRelease(m_window.get(), Qt::Key_Space);
        QVERIFY2(test::differingPixels(coloured, plain) > 2000,
                 "the source shows where the level is off, in the level's place");
        QVERIFY(waitUntilIdle(*m_window));
    }

    void measuresThePlaceThatIsClicked() {
        const QPointF place(viewport().width() / 2.0 + 60, viewport().height() / 2.0 + 70);
        QTest::mouseClick(&viewport(), Qt::LeftButton, {}, place.toPoint());
        QVERIFY(waitUntilIdle(*m_window));
        const Document& document = m_window->model().document();
        const auto ray = viewport().rayThrough(place.toPoint());
        const auto found = probe(*document.levels[1].mesh, false, *document.source, ray.from, ray.direction);
        QVERIFY(found);
        const MarkLayer& marks = desk().view().marks();
        QVERIFY2(marks.text().startsWith(QString::fromStdString(formatLength(std::abs(found->distance)))),
                 qPrintable(marks.text()));
        QVERIFY(marks.text().contains(found->distance < 0 ? "inside" : "outside"));
        QVERIFY(marks.text().endsWith("Ball"));
        QTest::mouseClick(&viewport(), Qt::LeftButton, {}, {8, viewport().height() / 2});
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(marks.text().isEmpty());  // there is nothing
    }

    void goesFromOneWorstPlaceToTheNext() {
        const Deviation& deviation = *m_window->model().document().levels[1].evidence;
        QVERIFY(deviation.farPlaces.size() >= 3);
        const int count = int(deviation.farPlaces.size());
        const auto isAt = [&](int i) {
            return (viewport().camera().target() - deviation.farPlaces[std::size_t(i)].place).norm() < 1e-6 &&
                   desk().view().marks().text().startsWith(QString("%1 of %2: ").arg(i + 1).arg(count));
        };
        QTest::keyClick(m_window.get(), Qt::Key_X);
        QVERIFY(isAt(0));
        QTest::keyClick(m_window.get(), Qt::Key_X);
        QVERIFY(isAt(1));
        QTest::keyClick(m_window.get(), Qt::Key_X, Qt::ShiftModifier);
        QTest::keyClick(m_window.get(), Qt::Key_X, Qt::ShiftModifier);
        QVERIFY(isAt(count - 1));
        QTest::keyClick(m_window.get(), Qt::Key_F);
        QVERIFY(waitUntilIdle(*m_window));
    }

    void tellsHowFarAPartIsOff() {
        const PartDeviation& off = m_window->model().document().levels[1].evidence->byPart[1];
        desk().parts().choose(1);
        QStringList texts;
        for (const QLabel* label : desk().parts().findChildren<QLabel*>()) texts += label->text();
        QVERIFY2(texts.contains(QString::fromStdString(formatLength(off.max))), qPrintable(texts.join("|")));
        desk().parts().choose(1);
        QVERIFY(waitUntilIdle(*m_window));
    }

    void takesTheToleranceFromTheHistogram() {
        DocumentModel& model = m_window->model();
        const double before = model.document().tolerance;
        EvidencePanel& panel = desk().evidence();
        const QString headline = panel.headline();
        const QPoint edge = panel.placeInHistogram(before).toPoint();
        QTest::mousePress(&panel.histogram(), Qt::LeftButton, {}, edge);
        QMouseEvent move(QEvent::MouseMove, edge + QPoint(25, 0), panel.histogram().mapToGlobal(edge + QPoint(25, 0)),
                         Qt::NoButton, Qt::LeftButton, {});
        QApplication::sendEvent(&panel.histogram(), &move);
        QVERIFY(panel.headline() != headline);  // at once
        QCOMPARE(model.document().tolerance, before);
        QTest::mouseRelease(&panel.histogram(), Qt::LeftButton, {}, edge + QPoint(25, 0));
        QVERIFY(model.document().tolerance > before);
        const double within = model.document().levels[1].evidence->distribution.shareWithin(model.document().tolerance);
        QCOMPARE(
            panel.headline(),
            QString("%1 % within").arg(within >= 1 ? 100 : std::min(99.9, 100 * within), 0, 'f', within < 1 ? 1 : 0));
        model.undoStack().undo();
        QCOMPARE(model.document().tolerance, before);
        QVERIFY(waitUntilIdle(*m_window));
    }

    void playsTheWorstViews() {
        const Silhouette& silhouette = *desk().outlineWatch().silhouette();
        const std::vector<Direction> views = worstViews(silhouette, 8);
        QVERIFY(views.size() >= 3);
        QCOMPARE(views[0].azimuth, silhouette.directions[silhouette.worst].azimuth);
        int arrived = -1;
        connect(&desk().tour(), &WorstTour::arrived, this, [&](int view) { arrived = view; });
        key(Qt::Key_V, false);
        QVERIFY(test::buttonNamed(desk().outline(), "Stop") != nullptr);
        for (const int view : {0, 1}) {
            QVERIFY(waitUntil([&] { return arrived == view; }, 10));
            const Vec3d towards = viewport().camera().turn().row(2).transpose();
            QVERIFY(towards.dot(views[std::size_t(view)].vector()) > 0.999);
        }
        QTest::mouseClick(&viewport(), Qt::LeftButton, {}, {8, 300});
        QVERIFY(!desk().tour().isPlaying());
        QVERIFY(test::buttonNamed(desk().outline(), "Play") != nullptr);
    }

    void showsTheRightColumnWholeInASmallWindow() {
        m_window->resize(1280, 800);
        desk().target().showTarget("1000");
        desk().target().submit();
        QVERIFY(waitUntilIdle(*m_window));
        QScrollArea* column = nullptr;
        for (QScrollArea* area : m_window->findChildren<QScrollArea*>())
            if (area->isAncestorOf(&desk().target())) column = area;
        QVERIFY(column != nullptr && m_window->findChild<OutlinePanel*>()->isVisible());
        QCOMPARE(column->verticalScrollBar()->maximum(), 0);
        QTest::mouseClick(test::buttonNamed(desk(), "Discard"), Qt::LeftButton);
        QVERIFY(waitUntilIdle(*m_window));
    }

private:
    AssetDesk& desk() { return m_window->desk(); }
    Viewport& viewport() { return desk().view().viewport(); }

    void key(Qt::Key key, bool waits = true) {
        QTest::keyClick(m_window.get(), key);
        if (waits) QVERIFY(waitUntilIdle(*m_window));
    }

    void drag(const QPoint& from, const QPoint& to) {
        QTest::mousePress(&viewport(), Qt::LeftButton, {}, from);
        for (const QPoint& place : {(from + to) / 2, to}) {
            QMouseEvent move(QEvent::MouseMove, place, viewport().mapToGlobal(place), Qt::NoButton, Qt::LeftButton, {});
            QApplication::sendEvent(&viewport(), &move);
        }
        QTest::mouseRelease(&viewport(), Qt::LeftButton, {}, to);
    }

    // The menu holds the window's loop until something is chosen.
    void chooseInMenu(const QString& text) {
        bool chosen = false;
        QTimer::singleShot(200, this, [&] {
            auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
            QVERIFY(menu != nullptr);
            for (QAction* action : menu->actions())
                if (action->text() == text) {
                    chosen = true;
                    menu->setActiveAction(action);
                    QTest::keyClick(menu, Qt::Key_Return);
                }
            if (!chosen) menu->close();
        });
        for (QPushButton* button : desk().view().findChildren<QPushButton*>())
            if (button->text().startsWith("vs ")) QTest::mouseClick(button, Qt::LeftButton);
        QVERIFY2(chosen, qPrintable(text));
    }

    test::Folder m_folder;
    std::unique_ptr<MainWindow> m_window;
};

UM_TEST(CompareTest)
#include "CompareTest.moc"

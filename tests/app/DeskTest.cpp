// The whole path through the real window: open, look over, reduce, check, keep, save, find again, export.
#include "app/desks/OutlineWatch.h"
#include "app/panels/EvidencePanel.h"
#include "app/panels/ExportCard.h"
#include "app/panels/OutlinePanel.h"
#include "app/panels/ProtectPanel.h"
#include "app/panels/TargetPanel.h"
#include "app/panels/Widgets.h"
#include "app/sightline/SightlineStrip.h"
#include "app/theme/Theme.h"
#include "app/viewport/OutlineLayer.h"
#include "base/Units.h"
#include "demo/StorageJar.h"
#include "files/MeshFile.h"
#include "tests/support/Files.h"
#include "tests/support/TestMain.h"
#include "tests/support/Window.h"

#include <QAction>
#include <QLabel>
#include <QRegularExpression>

using namespace um;
using namespace um::app;
using test::waitUntil;
using test::waitUntilIdle;

class DeskTest : public QObject {
    Q_OBJECT

private slots:
    void initTestCase() {
        const Mesh jar = demo::makeStorageJar();
        m_sourceTriangles = jar.triangleCount();
        writeMesh(jar, m_folder / "jar.glb", Progress());
        applyTheme(Theme::paperTheme());
        m_window = std::make_unique<MainWindow>(m_folder / "recovery");
        QVERIFY(test::showActive(*m_window));
        m_window->open(QString::fromStdString((m_folder / "jar.glb").string()));
        QVERIFY(waitUntilIdle(*m_window));
    }

    void showsTheJarAndWhatItIs() {
        QVERIFY(m_window->model().isOpen());
        QStringList texts;
        for (const QLabel* label : m_window->findChildren<QLabel*>())
            if (label->isVisible()) texts += label->text();
        QVERIFY(texts.contains("1,040,632"));              // triangles
        QVERIFY(texts.contains("522,466"));                // vertices
        QVERIFY(texts.contains("30.3 × 65.9 × 29.5 cm"));  // size
        QVERIFY(texts.contains("126"));                    // open borders
        QVERIFY(texts.contains("136"));                    // loose bits
        // The middle of the picture is the jar, not the background.
        const QImage picture = test::pictureOf(*m_window);
        const QColor middle = picture.pixelColor(picture.width() / 2, picture.height() / 2);
        const QColor corner = picture.pixelColor(4, picture.height() / 2);
        QVERIFY(std::abs(middle.blue() - corner.blue()) > 25);
    }

    void showsMaterialsInLitOnly() {
        const QImage clay = test::pictureOf(*m_window);
        QTest::keyClick(m_window.get(), Qt::Key_C);
        QVERIFY(waitUntilIdle(*m_window));
        const QColor lit = test::pictureOf(*m_window).pixelColor(clay.width() / 2, clay.height() / 2);
        QVERIFY2(lit.red() > lit.blue() + 40, "terracotta");
        QTest::keyClick(m_window.get(), Qt::Key_C);
        QVERIFY(waitUntilIdle(*m_window));
        QCOMPARE(test::differingPixels(clay, test::pictureOf(*m_window)), 0);
    }

    void writesGuardsAndReadsThemBack() {
        const auto file = QString::fromStdString((m_folder / "guards.json").string());
        const Guard none = m_window->model().document().care.guard;
        Document next = m_window->model().document();
        next.care.guard.parts = {{next.source->parts[0].name, guardHold}};
        const Guard wanted = next.care.guard;
        m_window->model().change("guard", std::move(next));
        m_window->desk().writeGuards(file);
        m_window->model().undoStack().undo();
        QVERIFY(m_window->model().document().care.guard == none);
        m_window->desk().readGuards(file);
        QVERIFY(m_window->model().document().care.guard == wanted);
        m_window->model().undoStack().undo();
        // Of another mesh: said, and nothing is changed.
        m_folder.write("guards.json", R"({"guard": 1, "parts": {"no such part": "hold"}})");
        m_window->desk().readGuards(file);
        QVERIFY(m_window->model().document().care.guard == none);
        QVERIFY2(m_window->messages().message().contains("no such part"), qPrintable(m_window->messages().message()));
        m_window->messages().clearMessage();
    }

    void orbitsPansAndZoomsToTheCursor() {
        Viewport& viewport = m_window->desk().view().viewport();
        const Camera before = viewport.camera();
        QTest::mousePress(&viewport, Qt::LeftButton, {}, {300, 300});
        QTest::mouseMove(&viewport, {360, 320});
        moveWithButtons(viewport, {360, 320}, Qt::LeftButton);
        QTest::mouseRelease(&viewport, Qt::LeftButton, {}, {360, 320});
        QVERIFY(viewport.camera().yaw() != before.yaw());
        QVERIFY(viewport.camera().target() == before.target());
        const Camera turned = viewport.camera();
        QTest::mousePress(&viewport, Qt::MiddleButton, {}, {300, 300});
        moveWithButtons(viewport, {340, 300}, Qt::MiddleButton);
        QVERIFY(viewport.camera().target() != turned.target());
        QCOMPARE(viewport.camera().yaw(), turned.yaw());
        const double distance = viewport.camera().distance();
        QWheelEvent wheel({100, 100}, viewport.mapToGlobal(QPointF(100, 100)), {}, {0, 240}, {}, {}, Qt::NoScrollPhase,
                          false);
        QApplication::sendEvent(&viewport, &wheel);
        QVERIFY(viewport.camera().distance() < distance);
        QTest::keyClick(m_window.get(), Qt::Key_F);
        QVERIFY((viewport.camera().target() - before.target()).norm() < 1e-6);
        viewport.lookFrom(before.yaw(), before.pitch());
        viewport.frameAll();
    }

    void computesNothingWhileTyping() {
        QLineEdit* field = targetField();
        field->setFocus();
        QTest::keyClicks(field, "2%");
        QTest::qWait(400);
        QVERIFY(!m_window->desk().reduceJob().isRunning());
        QVERIFY(!m_window->desk().preview());
        // What it comes to is told all the same.
        QVERIFY(visibleTexts().contains("20,813 triangles, 2 % of the source"));
    }

    void saysWhatWouldBeRight() {
        QLineEdit* field = targetField();
        field->setText("2 elephants");
        QTest::keyClick(field, Qt::Key_Return);
        QVERIFY(!m_window->desk().reduceJob().isRunning());
        QVERIFY(visibleTexts().join("\n").contains("is not a target"));
        field->setText("2%");
    }

    void stopsHalfWayAndLosesNothing() {
        AssetDesk& desk = m_window->desk();
        const auto source = m_window->model().document().source;
        QTest::keyClick(targetField(), Qt::Key_Return);
        QVERIFY(desk.reduceJob().isRunning());
        QVERIFY(
            waitUntil([&] { return visibleTexts().join("\n").contains(QRegularExpression("Reducing [1-9][0-9] %")); }));
        QPushButton* cancel = test::buttonNamed(desk.target(), "Cancel");
        QVERIFY(cancel != nullptr);
        QTest::mouseClick(cancel, Qt::LeftButton);
        QVERIFY(waitUntil([&] { return !desk.reduceJob().isRunning(); }, 5));
        QVERIFY(!desk.preview());
        QCOMPARE(m_window->model().document().source, source);
        QVERIFY(!m_window->messages().isVisible());
        QVERIFY(test::buttonNamed(desk.target(), "Reduce")->isEnabled());
    }

    void reducesOnEnterAndMeasuresByItself() {
        AssetDesk& desk = m_window->desk();
        QTest::keyClick(targetField(), Qt::Key_Return);
        QVERIFY(waitUntil([&] { return desk.preview().has_value(); }));
        QCOMPARE(desk.preview()->mesh->triangleCount(), std::size_t(20813));
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(desk.preview()->evidence != nullptr);
        // The figures on the screen are those of the core, measured here once more.
        const Deviation d =
            measureDeviation(*m_window->model().document().source, *desk.preview()->mesh, {}, Progress());
        QCOMPARE(desk.evidence().number("max"), QString::fromStdString(formatLength(d.max)));
        QCOMPARE(desk.evidence().number("at most"), QString::fromStdString(formatLength(d.maxBound)));
        QCOMPARE(desk.evidence().number("rms"), QString::fromStdString(formatLength(d.rms)));
        QCOMPARE(desk.evidence().number("p99"), QString::fromStdString(formatLength(d.p99)));
        const double within = 100 * d.distribution.shareWithin(0.0005);
        QCOMPARE(desk.evidence().headline(), QString("%1 % within").arg(within, 0, 'f', 1));
    }

    void dropsLoosePartsAndSaysSo() {
        AssetDesk& desk = m_window->desk();
        const auto before = desk.preview();
        CommitField* loose = desk.protect().looseField();
        loose->setFocus();
        QTest::keyClicks(loose, "12");
        QTest::keyClick(loose, Qt::Key_Return);
        QVERIFY(loose->toolTip().contains("is not a size"));  // a bare count is none
        loose->selectAll();
        QTest::keyClicks(loose, "45mm");
        QTest::keyClick(loose, Qt::Key_Return);
        QCOMPARE(m_window->model().document().care.dropLoose, std::string("45mm"));
        targetField()->setFocus();
        QTest::keyClick(targetField(), Qt::Key_Return);
        QVERIFY(waitUntil([&] { return desk.reduceJob().isRunning(); }, 5));
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY2(m_window->messages().message().contains("loose pieces of Barnacles"),
                 qPrintable(m_window->messages().message()));
        QVERIFY(desk.preview()->mesh->triangleCount() >= 20812);  // one under, where parity forces it
        QVERIFY(trianglesByPart(*desk.preview()->mesh)[2] < 1000);
        // It is undone like any other change, and what comes next is as it was before.
        m_window->model().undoStack().undo();
        QCOMPARE(loose->text(), QString());
        m_window->messages().clearMessage();
        QTest::keyClick(targetField(), Qt::Key_Return);
        QVERIFY(waitUntil([&] { return desk.reduceJob().isRunning(); }, 5));
        QVERIFY(waitUntilIdle(*m_window));
        QCOMPARE(desk.preview()->mesh->positions, before->mesh->positions);
    }

    void comparesOutlinesFromAllSidesAndFromHere() {
        AssetDesk& desk = m_window->desk();
        QVERIFY(waitUntilIdle(*m_window));
        const auto found = desk.outlineWatch().silhouette();
        QVERIFY(found != nullptr);
        // As tall as the Sightline says, and the same figures as the core's, measured here once more.
        const double height = desk.sightline().pixelsAt(m_window->model().document().viewerDistance);
        QVERIFY(std::abs(found->heightPixels - height) < 1e-6 * height);
        const Mesh &source = *m_window->model().document().source, &level = *desk.preview()->mesh;
        const Silhouette again = measureSilhouette(source, level, {98, height}, Progress());
        QCOMPARE(desk.outline().text("at most"), QString::fromStdString(formatNumber(again.max) + " px"));
        QCOMPARE(desk.outline().text("mean"), QString::fromStdString(formatNumber(again.mean) + " px"));
        QCOMPARE(desk.outline().text("area"), QString::fromStdString(formatNumber(100 * again.areaShare) + " %"));
        const Direction& worst = again.directions[again.worst];
        QCOMPARE(desk.outline().text("worst"), QString::fromStdString(describe(worst)));
        // There it is off by as much as the panel says.
        QPushButton* look = test::buttonNamed(desk.outline(), "Look there");
        QVERIFY(look != nullptr);
        QTest::mouseClick(look, Qt::LeftButton);
        const auto towards = [&] { return Vec3d(desk.view().viewport().camera().turn().row(2).transpose()); };
        QVERIFY((towards() - worst.vector()).norm() < 0.03);
        QVERIFY(waitUntilIdle(*m_window));
        const double here = compareFrom(ContourMesh(source), ContourMesh(level), desk.view().viewport().camera().turn(),
                                        height / standingHeight(source), 4)
                                .max;
        QVERIFY2(visibleTexts().join("|").contains(
                     QString("outline off by %1 px from here").arg(QString::fromStdString(formatNumber(here)))),
                 qPrintable(visibleTexts().join("|")));
        // The disc is clicked in its middle: the front.
        DirectionDisc& disc = desk.outline().disc();
        QTest::mouseClick(&disc, Qt::LeftButton, {}, disc.placeOf(Vec3d::UnitZ()).toPoint());
        QVERIFY((towards() - Vec3d::UnitZ()).norm() < 0.03);
        // A direction on its edge has room for a ring.
        const QRectF roomForRing = QRectF(disc.rect()).adjusted(5, 5, -5, -5);
        for (const Vec3d& edge : {Vec3d(1, 0, 0), Vec3d(0, 1, 0)})
            for (const double side : {-1, 1}) QVERIFY(roomForRing.contains(disc.placeOf(side * edge)));
    }

    void showsWhereTheOutlineIsLostAndGrown() {
        AssetDesk& desk = m_window->desk();
        // Pixels nearer to one of the two colours.
        const auto coloured = [&](bool isLost) {
            const QImage& picture = desk.view().outlineLayer().picture();
            int count = 0;
            for (int y = 0; y < picture.height(); ++y)
                for (int x = 0; x < picture.width(); ++x) {
                    const QColor pixel = picture.pixelColor(x, y);
                    count += pixel.alpha() > 60 && (pixel.red() > pixel.blue()) == isLost ? 1 : 0;
                }
            return count;
        };
        QTest::keyClick(m_window.get(), Qt::Key_S);
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(desk.view().outlineLayer().isVisible());
        const int lost = coloured(true), grown = coloured(false);
        QVERIFY2(lost > 20 && grown > 5, qPrintable(QString("%1 %2").arg(lost).arg(grown)));
        const QSize size = desk.view().viewport().size() * desk.view().viewport().devicePixelRatioF();
        QCOMPARE(desk.view().outlineLayer().picture().size(), size);
        // While the camera moves there is no picture of another view.
        desk.view().viewport().lookFrom(1, 0.3);
        QVERIFY(desk.view().outlineLayer().picture().isNull());
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(!desk.view().outlineLayer().picture().isNull());
        QTest::keyClick(m_window.get(), Qt::Key_S);
        QVERIFY(!desk.view().outlineLayer().isVisible());
        // The source alone has nothing to be compared with.
        desk.show({});
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(desk.outlineWatch().silhouette() == nullptr);
        QVERIFY(!visibleTexts().join("|").contains("outline off"));
        desk.show({Shown::preview});
        QVERIFY(waitUntilIdle(*m_window));
    }

    void recoloursAtOnceForAnotherTolerance() {
        AssetDesk& desk = m_window->desk();
        QTest::keyClick(m_window.get(), Qt::Key_D);
        QVERIFY(waitUntilIdle(*m_window));
        const QImage before = test::pictureOf(*m_window);
        const auto evidence = desk.preview()->evidence;
        const QString headline = desk.evidence().headline();
        QLineEdit* tolerance = m_window->findChild<QLineEdit*>("tolerance");
        tolerance->setFocus();
        tolerance->selectAll();
        QTest::keyClicks(tolerance, "0.1 mm");
        QCOMPARE(desk.evidence().headline(), headline);  // not before Enter
        QTest::keyClick(tolerance, Qt::Key_Return);
        QVERIFY(desk.evidence().headline() != headline);
        QVERIFY(!desk.measureJob().isRunning());
        QCOMPARE(desk.preview()->evidence, evidence);
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(test::differingPixels(before, test::pictureOf(*m_window)) > 2000);
        m_window->model().undoStack().undo();
        QCOMPARE(desk.evidence().headline(), headline);
        QVERIFY(waitUntilIdle(*m_window));
        QCOMPARE(test::differingPixels(before, test::pictureOf(*m_window)), 0);
        QTest::keyClick(m_window.get(), Qt::Key_D);
    }

    void refusesAWrongToleranceAndKeepsTheOldOne() {
        QLineEdit* tolerance = m_window->findChild<QLineEdit*>("tolerance");
        tolerance->setText("wide");
        QTest::keyClick(tolerance, Qt::Key_Return);
        QVERIFY(tolerance->toolTip().contains("0.5 mm"));
        QCOMPARE(m_window->model().document().tolerance, 0.0005);
        QTest::keyClick(tolerance, Qt::Key_Escape);
        QCOMPARE(tolerance->text(), QString("0.5 mm"));
    }

    void blinksAndWipesToTheSource() {
        QVERIFY(waitUntilIdle(*m_window));
        const QImage level = test::pictureOf(*m_window);
        QTest::keyPress(m_window.get(), Qt::Key_Space);
        QVERIFY(m_window->desk().view().viewport().isBlinking());
        QVERIFY(waitUntilIdle(*m_window));
        const QImage source = test::pictureOf(*m_window);
        QTest::keyRelease(m_window.get(), Qt::Key_Space);
        QVERIFY(test::differingPixels(level, source) > 500);
        QTest::keyClick(m_window.get(), Qt::Key_W);
        QVERIFY(waitUntilIdle(*m_window));
        const QImage both = test::pictureOf(*m_window);
        // Left of the line is the source, right of it the level.
        const int line = both.width() / 2;
        QCOMPARE(
            test::differingPixels(both.copy(0, 0, line - 2, both.height()), source.copy(0, 0, line - 2, both.height())),
            0);
        const QRect right(line + 2, 0, both.width() - line - 2, both.height());
        QCOMPARE(test::differingPixels(both.copy(right), level.copy(right)), 0);
        WipeLine* handle = m_window->findChild<WipeLine*>();
        moveWithButtons(*handle, {handle->width() / 2 - 150, 200}, Qt::LeftButton);
        QVERIFY(m_window->desk().view().viewport().wipe() < 0.4);
        QTest::keyClick(m_window.get(), Qt::Key_W);
        QVERIFY(m_window->desk().view().viewport().wipe() < 0);
    }

    void showsTheAssetAsSeenFromTheViewer() {
        SightlineStrip& strip = m_window->desk().sightline();
        AsSeenInset& inset = m_window->desk().view().inset();
        const double before = strip.viewer();
        Viewport& viewport = m_window->desk().view().viewport();
        const Camera camera = viewport.camera();
        viewport.lookFrom(0, 0);  // level with it, so that its height is seen unshortened
        QVERIFY(waitUntilIdle(*m_window));
        // The picture is true to size: the jar's rows are as many as the strip says, to a pixel or two.
        QVERIFY2(std::abs(rowsOf(inset.picture()) - strip.pixelsAt(before)) < 4,
                 qPrintable(QString("%1 %2").arg(rowsOf(inset.picture())).arg(strip.pixelsAt(before))));
        for (int i = 0; i < 12; ++i) QTest::keyClick(m_window.get(), Qt::Key_BracketRight);
        QVERIFY(std::abs(strip.viewer() / before - 2) < 0.01);
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(std::abs(rowsOf(inset.picture()) - strip.pixelsAt(2 * before)) < 3);
        QTest::mouseClick(&strip, Qt::LeftButton, {}, {strip.width() / 3, 60});
        QVERIFY(strip.viewer() < before);
        viewport.lookFrom(camera.yaw(), camera.pitch());
    }

    void keepsTheResultAsALevelAndUndoesIt() {
        DocumentModel& model = m_window->model();
        const auto mesh = m_window->desk().preview()->mesh;
        QTest::mouseClick(test::buttonNamed(m_window->desk(), "Keep as LOD 0"), Qt::LeftButton);
        QCOMPARE(model.document().levels.size(), std::size_t(1));
        QCOMPARE(model.document().levels[0].mesh, mesh);
        QVERIFY(model.isEdited());
        model.undoStack().undo();
        QVERIFY(model.document().levels.empty());
        QVERIFY(m_window->desk().shown() == Shown{Shown::source});
        model.undoStack().redo();
        QCOMPARE(model.document().levels.size(), std::size_t(1));
        QVERIFY(model.document().levels[0].evidence != nullptr);
    }

    void putsAResultInTheSourcesPlaceAndBack() {
        DocumentModel& model = m_window->model();
        const auto source = model.document().source;
        m_window->desk().target().showTarget("50k");
        QTest::keyClick(m_window.get(), Qt::Key_Return, Qt::ControlModifier);
        QVERIFY(waitUntil([&] { return m_window->desk().preview().has_value(); }));
        m_window->desk().replaceSource();
        QCOMPARE(model.document().source->triangleCount(), std::size_t(50000));
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(model.document().levels[0].evidence != nullptr);  // measured anew, against the new source
        model.undoStack().undo();
        QCOMPARE(model.document().source, source);
        QVERIFY(waitUntilIdle(*m_window));
    }

    void measuresAgainWhenItWasCancelled() {
        AssetDesk& desk = m_window->desk();
        desk.target().showTarget("30k");
        desk.target().submit();
        QVERIFY(waitUntil([&] { return desk.preview().has_value() && desk.measureJob().isRunning(); }));
        QVERIFY(waitUntil([&] { return test::buttonNamed(desk.evidence(), "Cancel") != nullptr; }));
        QTest::keyClick(m_window.get(), Qt::Key_Escape);
        QVERIFY(waitUntil([&] { return !desk.measureJob().isRunning(); }, 5));
        QTest::qWait(200);
        QVERIFY(!desk.measureJob().isRunning());  // it stays cancelled
        QVERIFY(!desk.preview()->evidence);
        QVERIFY(visibleTexts().contains("Not measured yet."));
        QTest::mouseClick(test::buttonNamed(desk.evidence(), "Measure"), Qt::LeftButton);
        QVERIFY(waitUntil([&] { return desk.preview()->evidence != nullptr; }));
        QVERIFY(waitUntilIdle(*m_window));
    }

    void measuresTheNewResultWhenOneIsOvertaken() {
        // A second reduction while the first result is still being measured: only the second one counts.
        AssetDesk& desk = m_window->desk();
        desk.target().showTarget("9k");
        desk.target().submit();
        QVERIFY(waitUntil(
            [&] { return desk.preview() && desk.preview()->recipe.target == "9k" && desk.measureJob().isRunning(); }));
        desk.target().showTarget("8k");
        desk.target().submit();
        QVERIFY(waitUntil([&] { return desk.preview() && desk.preview()->recipe.target == "8k"; }));
        QVERIFY(waitUntilIdle(*m_window));
        QCOMPARE(desk.preview()->mesh->triangleCount(), std::size_t(8000));
        QVERIFY(desk.preview()->evidence != nullptr);
        QCOMPARE(desk.preview()->evidence->atLevelVertex.size(), desk.preview()->mesh->vertexCount());
    }

    void discardsAResult() {
        m_window->desk().target().showTarget("5k");
        m_window->desk().target().submit();
        QVERIFY(waitUntil([&] { return m_window->desk().preview().has_value(); }));
        QTest::mouseClick(test::buttonNamed(m_window->desk(), "Discard"), Qt::LeftButton);
        QVERIFY(!m_window->desk().preview());
        QCOMPARE(m_window->model().document().levels.size(), std::size_t(1));
        QVERIFY(waitUntilIdle(*m_window));
    }

    void renamesAndRemovesLevels() {
        DocumentModel& model = m_window->model();
        emit m_window->desk().levels().renamed(0, "near");
        QCOMPARE(model.document().levels[0].name, std::string("near"));
        emit m_window->desk().levels().renamed(0, "");  // a name is needed
        QCOMPARE(model.document().levels[0].name, std::string("near"));
        emit m_window->desk().levels().removed(0);
        QVERIFY(model.document().levels.empty());
        QTest::keyClick(m_window.get(), Qt::Key_Z, Qt::ControlModifier);
        QTest::keyClick(m_window.get(), Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(model.document().levels[0].name, std::string("LOD 0"));
        QTest::keyClick(m_window.get(), Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
        QCOMPARE(model.document().levels[0].name, std::string("near"));
        model.undoStack().undo();
        QVERIFY(waitUntilIdle(*m_window));
    }

    void carriesTheSourceInsideWhenAsked() {
        DocumentModel& model = m_window->model();
        QAction* embed = nullptr;
        for (QAction* action : m_window->findChildren<QAction*>())
            if (action->text().startsWith("Carry the source")) embed = action;
        QVERIFY(embed != nullptr);
        embed->trigger();
        QVERIFY(model.document().embedSource);
        model.undoStack().undo();
        QVERIFY(!model.document().embedSource);
    }

    void showsTheKeysInOneSheet() {
        QTest::keyClick(m_window.get(), Qt::Key_F1);
        QWidget* sheet = nullptr;
        for (QWidget* widget : QApplication::topLevelWidgets())
            if (widget->windowTitle() == "Keys" && widget->isVisible()) sheet = widget;
        QVERIFY(sheet != nullptr);
        QVERIFY(!sheet->isModal());
        sheet->close();
        QApplication::setActiveWindow(m_window.get());
    }

    void keepsItsPiecesApartInASmallWindow() {
        const QSize before = m_window->size();
        m_window->resize(1000, 680);
        QVERIFY(waitUntilIdle(*m_window));
        // Nothing sticks out of what it lies in, and no text is wider than its place.
        for (const QLabel* label : m_window->findChildren<QLabel*>()) {
            if (!label->isVisible() || label->wordWrap() || label->text().isEmpty()) continue;
            QVERIFY2(label->width() >= label->fontMetrics().horizontalAdvance(label->text()) - 1,
                     qPrintable(label->text()));
        }
        for (const QPushButton* button : m_window->findChildren<QPushButton*>()) {
            if (!button->isVisible() || button->text().isEmpty()) continue;
            QVERIFY2(button->width() >= button->fontMetrics().horizontalAdvance(button->text()) + 8,
                     qPrintable(button->text()));
        }
        m_window->resize(before);
        QVERIFY(waitUntilIdle(*m_window));
    }

    void choosesLevelsByTheirDigits() {
        QTest::keyClick(m_window.get(), Qt::Key_1);
        QVERIFY(m_window->desk().shown() == Shown{0});
        QTest::keyClick(m_window.get(), Qt::Key_0);
        QVERIFY(m_window->desk().shown() == Shown{Shown::source});
        QTest::keyClick(m_window.get(), Qt::Key_7);  // there is none
        QVERIFY(m_window->desk().shown() == Shown{Shown::source});
    }

    void savesAndFindsEverythingAgain() {
        const QString path = QString::fromStdString((m_folder / "jar.umesh").string());
        m_window->saveTo(path);
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(!m_window->model().isEdited());
        const Level before = m_window->model().document().levels[0];
        m_window->open(path);
        QVERIFY(waitUntil([&] {
            return m_window->model().document().levels.size() == 1 &&
                   m_window->model().document().levels[0].mesh != before.mesh;
        }));
        QVERIFY(waitUntilIdle(*m_window));
        const Document& document = m_window->model().document();
        QCOMPARE(document.source->triangleCount(), m_sourceTriangles);
        QCOMPARE(document.levels[0].mesh->triangles, before.mesh->triangles);
        QCOMPARE(document.levels[0].evidence->max, before.evidence->max);
        QCOMPARE(document.levels[0].recipe.target, std::string("2%"));
        QVERIFY(!m_window->model().isEdited());
    }

    void exportsByAPattern() {
        QTest::keyClick(m_window.get(), Qt::Key_E, Qt::ControlModifier);
        ExportCard& card = m_window->desk().exportCard();
        QVERIFY(card.isVisible());
        card.findChild<QLineEdit*>("exportFolder")->setText(QString::fromStdString((m_folder / "deliver").string()));
        card.findChild<QLineEdit*>("exportPattern")->setText("{name}_{size}");
        QVERIFY(!test::buttonNamed(card, "Export")->isEnabled());  // no such word
        card.findChild<QLineEdit*>("exportPattern")->setText("{name}_lod{n}");
        QTest::mouseClick(test::buttonNamed(card, "Export"), Qt::LeftButton);
        QVERIFY(waitUntil([&] { return !card.job().isRunning(); }));
        const Mesh exported = readMesh(m_folder / "deliver/jar_lod0.glb", Progress()).mesh;
        const Level& level = m_window->model().document().levels[0];
        QCOMPARE(exported.triangleCount(), level.mesh->triangleCount());
        QCOMPARE(exported.parts.size(), std::size_t(5));
        QCOMPARE(exported.materials.size(), std::size_t(5));
        QVERIFY(!card.isVisible());
    }

    void standsInTheNightThemeToo() {
        const QImage day = test::pictureOf(*m_window);
        applyTheme(Theme::nightTheme());
        m_window->desk().view().viewport().redraw();
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(test::pictureOf(*m_window).pixelColor(3, 3).lightness() < day.pixelColor(3, 3).lightness() - 60);
        applyTheme(Theme::paperTheme());
    }

    void cleanupTestCase() {
        m_window->model().undoStack().setClean();
        m_window.reset();
    }

private:
    QLineEdit* targetField() const {
        for (QLineEdit* field : m_window->desk().target().findChildren<QLineEdit*>()) return field;
        return nullptr;
    }

    QStringList visibleTexts() const {
        QStringList texts;
        for (const QLabel* label : m_window->findChildren<QLabel*>())
            if (label->isVisible()) texts += label->text();
        return texts;
    }

    static void moveWithButtons(QWidget& widget, const QPoint& place, Qt::MouseButton button) {
        QMouseEvent move(QEvent::MouseMove, place, widget.mapToGlobal(place), Qt::NoButton, button, Qt::NoModifier);
        QApplication::sendEvent(&widget, &move);
    }

    // From the first row that is not background to the last.
    static int rowsOf(const QImage& picture) {
        int first = -1, last = -1;
        for (int y = 0; y < picture.height(); ++y) {
            const QColor ground = picture.pixelColor(0, y);
            for (int x = 1; x < picture.width(); ++x) {
                const QColor color = picture.pixelColor(x, y);
                if (std::abs(color.red() - ground.red()) + std::abs(color.blue() - ground.blue()) < 24) continue;
                if (first < 0) first = y;
                last = y;
                break;
            }
        }
        return last - first + 1;
    }

    test::Folder m_folder;
    std::size_t m_sourceTriangles = 0;
    std::unique_ptr<MainWindow> m_window;
};

UM_TEST(DeskTest)
#include "DeskTest.moc"

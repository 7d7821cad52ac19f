// The Sheet in the real window: textures seen flat, charts and model pointing each other out, bakes from the desk.
#include "app/desks/ChainWork.h"
#include "app/panels/TargetPanel.h"
#include "app/panels/Widgets.h"
#include "app/sheet/CageBrush.h"
#include "app/sheet/SheetPanel.h"
#include "app/sheet/SheetPicture.h"
#include "app/sheet/SheetWork.h"
#include "app/theme/Theme.h"
#include "app/viewport/Overlays.h"
#include "document/Edits.h"
#include "draw/Picture.h"
#include "files/Image.h"
#include "files/MeshFile.h"
#include "tests/support/Files.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"
#include "tests/support/Window.h"

#include <QSlider>

using namespace um;
using namespace um::app;
using test::waitUntil;
using test::waitUntilIdle;

namespace {

// A rippled ball and a knob above it, of different colours.
Mesh source() {
    Mesh mesh = test::joined(test::makeSphere(0.5, 60), test::moved(test::makeSphere(0.06, 20), {0, 0.6, 0}));
    for (Vec3f& p : mesh.positions) p *= 1 + 0.01f * std::sin(40 * p.x()) * std::sin(40 * p.z());
    mesh.parts = {{"Ball"}, {"Knob"}};
    mesh.materials.resize(2);
    mesh.materials[0].name = "ball";
    mesh.materials[1].name = "knob";
    mesh.materials[0].baseColor = {0.4f, 0.05f, 0.02f, 1};
    mesh.materials[1].baseColor = {0.02f, 0.3f, 0.05f, 1};
    mesh.sections.back().material = 1;
    return mesh;
}

}  // namespace

class SheetTest : public QObject {
    Q_OBJECT

private slots:
    void initTestCase() {
        writeMesh(source(), m_folder / "ball.glb", Progress());
        applyTheme(Theme::paperTheme());
        m_window = std::make_unique<MainWindow>(m_folder / "recovery");
        QVERIFY(test::showActive(*m_window));
        m_window->open(QString::fromStdString((m_folder / "ball.glb").string()));
        QVERIFY(waitUntilIdle(*m_window));
        desk().target().showTarget("1000");
        desk().target().submit();
        QVERIFY(waitUntilIdle(*m_window));
        desk().view().viewport().lookFrom(0.2, 0.1);
    }

    void takesTheRightPanelsPlace() {
        QVERIFY(!sheet().isVisible() && desk().target().isVisible());
        key(Qt::Key_U);
        QVERIFY(sheet().isVisible() && !desk().target().isVisible());
        // Nothing of it is cut off.
        for (const QPushButton* button : sheet().findChildren<QPushButton*>()) {
            if (!button->isVisible()) continue;
            const QRect place(button->mapTo(m_window.get(), QPoint()), button->size());
            QVERIFY2(m_window->rect().contains(place), qPrintable(button->text()));
        }
    }

    void bakesNothingButKeptLevels() {
        desk().bakeShown();
        QVERIFY(!desk().sheetWork().bakingJob().isRunning());
        QVERIFY(!sheet().bakeButton().isEnabled());
        desk().keepPreview();
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(sheet().bakeButton().isEnabled());
        QCOMPARE(sheet().bakeButton().text(), QString("Bake LOD 0"));
    }

    void setsHowLevelsAreBaked() {
        sheet().openPage(SheetPanel::Page::Bake);
        commit("sheetSize", "256 px");
        commit("sheetPadding", "2");
        QCOMPARE(document().bake.sheet, 256);
        QCOMPARE(document().bake.padding, 2);
        commit("sheetCage", "deep");
        QVERIFY(document().bake.cage.empty());
        QVERIFY(sheet().field("sheetCage")->property("wrong").toBool());
        commit("sheetCage", "3x");
        QCOMPARE(document().bake.cage, std::string("3x"));
        auto* slider = sheet().findChild<QSlider*>("factor Knob");
        QVERIFY(slider != nullptr);
        slider->setSliderDown(true);
        slider->setValue(10);
        QVERIFY(document().bake.factors.empty());  // while it is dragged nothing is decided
        slider->setSliderDown(false);
        QCOMPARE(document().bake.factors, (std::vector<PartFactor>{{"Knob", 2}}));
        m_window->model().undoStack().undo();
        QVERIFY(document().bake.factors.empty());
        m_window->model().undoStack().redo();
        QCOMPARE(document().bake.factors.size(), std::size_t(1));
        sheet().openPage(SheetPanel::Page::Seen);
    }

    void bakesWhatTheCoreBakes() {
        const auto bare = document().levels[0].mesh;
        const Document before = document();
        QTest::mouseClick(&sheet().bakeButton(), Qt::LeftButton);
        QVERIFY(desk().sheetWork().bakingJob().isRunning());
        QVERIFY(!sheet().bakeButton().isVisible());
        QVERIFY(waitUntilIdle(*m_window));
        const Level& level = document().levels[0];
        QVERIFY(level.mesh != bare && level.bake.has_value());
        BakeSettings settings = settingsFor(before.bake, *before.source, before.screen);
        settings.dress.channels.misses = true;
        const Baked own = bake(*before.source, *bare, settings, Progress());
        const BakeFigures figures = figuresOf(own, before.source->metresPerUnit);
        QCOMPARE(level.bake->charts, figures.charts);
        QCOMPARE(level.bake->covered, figures.covered);
        QCOMPARE(*level.mesh->textures[0].bytes, *own.level.textures[0].bytes);
        QVERIFY(level.bake->look.pixelsTall > 0 && level.bake->look.mean > 0);
        // What was measured of its shape still holds.
        QCOMPARE(level.evidence, before.levels[0].evidence);
        QVERIFY2(sheet().figures().contains(QString("%1 charts").arg(figures.charts)), qPrintable(sheet().figures()));
        QCOMPARE(sheet().picture().image().width(), 256);
    }

    void staysFreshWhenItIsBaked() {
        QVERIFY(document().levels[0].recipe.materials == MaterialKeeping::Baked);
        QVERIFY(!staleLevels(document())[0]);
        // Another way to bake makes it stale; made anew, it is baked in that way.
        Document next = document();
        next.bake.padding = 4;
        m_window->model().change("How to bake", next);
        QVERIFY(staleLevels(document())[0]);
        desk().chainWork().remakeStale();
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(!staleLevels(document())[0]);
        QVERIFY(document().levels[0].bake.has_value() && document().levels[0].bake->sheet == 256);
        m_window->model().undoStack().undo();
        m_window->model().undoStack().undo();
        QVERIFY(waitUntilIdle(*m_window));
    }

    void undoesABake() {
        m_window->model().undoStack().undo();
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(!document().levels[0].bake && document().levels[0].mesh->textures.empty());
        QVERIFY(sheet().figures().isEmpty());
        m_window->model().undoStack().redo();
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(document().levels[0].bake.has_value());
    }

    void showsTheSheetsValues() {
        QCOMPARE(sheet().value(), SheetValue::BaseColor);
        const QImage color = sheet().picture().image();
        sheet().chooseValue(SheetValue::Normal);
        QVERIFY(waitUntilIdle(*m_window));
        const QImage normal = sheet().picture().image();
        QVERIFY(normal != color);
        // Most of it points outwards: blue.
        const QColor middle = normal.scaled(1, 1, Qt::IgnoreAspectRatio, Qt::SmoothTransformation).pixelColor(0, 0);
        QVERIFY(middle.blue() > 200 && std::abs(middle.red() - 128) < 20);
        sheet().chooseValue(SheetValue::BaseColor);
        QVERIFY(waitUntilIdle(*m_window));
    }

    void pointsAChartOutOnTheModel() {
        const auto content = sheet().content();
        QVERIFY(content && content->charts.count > 1);
        // The middle of some triangle of the ball that faces the viewer.
        const Vec3d toViewer = desk().view().viewport().camera().turn().row(2).transpose();
        const TriangleId t = triangleFacing(*content->mesh, toViewer);
        const QPointF place = content->placeInSheet(t, middleOf(*content->mesh, t));
        const MarkLayer& marks = desk().view().marks();
        QVERIFY(marks.chart().empty());
        move(place);
        QVERIFY(!sheet().picture().chart().empty());
        QVERIFY(marks.isVisible() && !marks.chart().empty());
        QTest::mouseMove(&sheet().bakeButton());
        QVERIFY(waitUntil([&] { return marks.chart().empty(); }, 5));
    }

    void goesFromTheSheetToThePlace() {
        const auto content = sheet().content();
        const Vec3d toViewer = desk().view().viewport().camera().turn().row(2).transpose();
        const TriangleId t = triangleFacing(*content->mesh, toViewer);
        const Vec3d place = middleOf(*content->mesh, t);
        const QPointF pixel = sheet().picture().pixelOf(content->placeInSheet(t, place));
        QTest::mouseClick(&sheet().picture(), Qt::LeftButton, {}, pixel.toPoint());
        QVERIFY(waitUntilIdle(*m_window));
        // As near as a pixel of the sheet's picture is.
        QVERIFY((desk().view().viewport().camera().target() - place).norm() < 0.03);
        desk().view().viewport().frameAll();
        desk().view().setMark(std::nullopt);
        QVERIFY(waitUntilIdle(*m_window));
    }

    void goesFromTheModelToTheSheet() {
        sheet().picture().setMark(std::nullopt);
        Viewport& viewport = desk().view().viewport();
        const QPoint middle = viewport.rect().center();
        QTest::mouseClick(&viewport, Qt::LeftButton, {}, middle);
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(sheet().picture().mark().has_value());
        // Back from there it is the place that was clicked.
        const auto content = sheet().content();
        const auto triangle = content->triangleAt(*sheet().picture().mark());
        QVERIFY(triangle.has_value());
        const Vec3d place = content->placeOnSurface(*triangle, *sheet().picture().mark());
        const auto pixel = viewport.camera().pixelOf(place, viewport.width(), viewport.height());
        QVERIFY(pixel && (QPointF(pixel->x(), pixel->y()) - middle).manhattanLength() < 4);
    }

    void leavesChannelsOutOfTheLitView() {
        if (!desk().view().chip("Lit")->isChecked()) key(Qt::Key_C);
        QVERIFY(waitUntilIdle(*m_window));
        const QImage all = test::pictureOf(*m_window);
        QAction* color = nullptr;
        for (QAction* action : sheet().findChildren<QAction*>())
            if (action->text() == "Base colour") color = action;
        QVERIFY(color != nullptr);
        color->setChecked(false);
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(test::differingPixels(all, test::pictureOf(*m_window)) > 10000);
        color->setChecked(true);
        QVERIFY(waitUntilIdle(*m_window));
        QCOMPARE(test::differingPixels(all, test::pictureOf(*m_window)), 0);
        // The squares of a checker, on sheet and model.
        sheet().chooseValue(SheetValue::Checker);
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(test::differingPixels(all, test::pictureOf(*m_window)) > 10000);
        sheet().chooseValue(SheetValue::BaseColor);
        QVERIFY(waitUntilIdle(*m_window));
        QCOMPARE(test::differingPixels(all, test::pictureOf(*m_window)), 0);
    }

    void showsWhereNothingWasFound() {
        sheet().openPage(SheetPanel::Page::Bake);
        commit("sheetCage", "0.2x");
        sheet().openPage(SheetPanel::Page::Seen);
        desk().bakeShown();
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(document().levels[0].bake->missed > 0);
        QPushButton* next = test::buttonNamed(sheet(), "Next miss");
        QVERIFY(next != nullptr);
        QTest::mouseClick(next, Qt::LeftButton);
        QVERIFY(waitUntilIdle(*m_window));
        QCOMPARE(sheet().value(), SheetValue::Misses);
        QVERIFY(sheet().picture().mark().has_value());
        QCOMPARE(desk().view().marks().rings().size(), std::size_t(1));
        const QImage image = sheet().picture().image();
        const QPointF place = *sheet().picture().mark();
        // Red near the middle of the heap.
        int red = 0;
        for (int dy = -4; dy <= 4; ++dy)
            for (int dx = -4; dx <= 4; ++dx) {
                const QPoint p(int(place.x() * image.width()) + dx, int(place.y() * image.height()) + dy);
                if (image.rect().contains(p))
                    red += image.pixelColor(p).red() > 150 && image.pixelColor(p).green() < 90;
            }
        QVERIFY(red > 0);
    }

    void paintsTheMissesOnTheModel() {
        QCOMPARE(sheet().value(), SheetValue::Misses);
        const auto redPixels = [&] {
            const QImage picture = test::pictureOf(*m_window);
            int count = 0;
            for (int y = 0; y < picture.height(); ++y)
                for (int x = 0; x < picture.width(); ++x) {
                    const QColor c = picture.pixelColor(x, y);
                    count += c.red() > 1.6 * c.green() && c.red() > 1.5 * c.blue() && c.red() > 70 ? 1 : 0;
                }
            return count;
        };
        desk().view().chip("Clay")->click();
        QVERIFY(waitUntilIdle(*m_window));
        const int painted = redPixels();
        sheet().chooseValue(SheetValue::Normal);
        QVERIFY(waitUntilIdle(*m_window));
        const int without = redPixels();
        QVERIFY2(painted > without + 500, qPrintable(QString("%1 and %2").arg(painted).arg(without)));
        desk().view().chip("Lit")->click();
        QVERIFY(waitUntilIdle(*m_window));
    }

    void showsAndPushesTheCage() {
        sheet().openPage(SheetPanel::Page::Bake);
        commit("sheetCage", "2x");
        Viewport& viewport = desk().view().viewport();
        viewport.frameAll();
        QVERIFY(waitUntilIdle(*m_window));
        const QImage bare = test::pictureOf(*m_window);
        QTest::mouseClick(test::buttonNamed(sheet(), "Push cage"), Qt::LeftButton);
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(viewport.hasCage() && desk().cageBrush().isOn());
        QVERIFY(test::buttonNamed(sheet(), "Show cage")->isChecked());
        const QImage caged = test::pictureOf(*m_window);
        QVERIFY(test::differingPixels(bare, caged) > 500);
        // A stroke over the middle makes it deeper there, and turns nothing.
        const double yaw = viewport.camera().yaw();
        const auto centre = viewport.camera().pixelOf(Vec3d::Zero(), viewport.width(), viewport.height());
        const QPoint middle = QPointF(centre->x(), centre->y()).toPoint();
        const auto stroke = [&](Qt::KeyboardModifiers with) {
            QTest::mousePress(&viewport, Qt::LeftButton, with, middle - QPoint(40, 0));
            for (int x = -40; x <= 40; x += 8) {
                QMouseEvent move(QEvent::MouseMove, middle + QPoint(x, 0), viewport.mapToGlobal(middle + QPoint(x, 0)),
                                 Qt::NoButton, Qt::LeftButton, with);
                QApplication::sendEvent(&viewport, &move);
            }
            QTest::mouseRelease(&viewport, Qt::LeftButton, with, middle + QPoint(40, 0));
            QVERIFY(waitUntilIdle(*m_window));
        };
        stroke(Qt::NoModifier);
        QCOMPARE(viewport.camera().yaw(), yaw);
        const std::vector<CagePush> pushes = document().bake.pushes;
        QVERIFY(pushes.size() > 2);
        for (const CagePush& push : pushes) {
            QVERIFY(push.factor > 1 && push.radius > 0);
            QVERIFY(std::abs(push.centre.norm() - 0.5f) < 0.03f);  // on the ball
        }
        // Seen from the side it stands out.
        viewport.lookFrom(yaw + pi / 2, viewport.camera().pitch());
        QVERIFY(waitUntilIdle(*m_window));
        const QImage deeper = test::pictureOf(*m_window);
        m_window->model().undoStack().undo();
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(test::differingPixels(deeper, test::pictureOf(*m_window)) > 20);
        m_window->model().undoStack().redo();
        viewport.lookFrom(yaw, viewport.camera().pitch());
        QVERIFY(waitUntilIdle(*m_window));
        // It is what is baked with: deeper there, and as it was on the other side.
        const Mesh& level = *document().levels[0].mesh;
        CageSettings settings = settingsFor(document().bake, *document().source, document().screen).cage;
        const Cage pushed = makeCage(*document().source, level, settings, Progress());
        settings.pushes.clear();
        const Cage plain = makeCage(*document().source, level, settings, Progress());
        float most = 1;
        for (std::size_t v = 0; v < plain.depths.size(); ++v) {
            const float times = pushed.depths[v] / plain.depths[v];
            if ((level.positions[v] - pushes[0].centre).norm() > 0.5f) QCOMPARE(times, 1.0f);
            most = std::max(most, times);
        }
        QVERIFY2(most > 1.2f, qPrintable(QString::number(most)));
        // With Shift it comes closer again; each stroke is a step to be undone.
        stroke(Qt::ShiftModifier);
        QVERIFY(document().bake.pushes.size() > pushes.size() && document().bake.pushes.back().factor < 1);
        m_window->model().undoStack().undo();
        QCOMPARE(document().bake.pushes, pushes);
        QCOMPARE(bakeChoiceFromJson(bakeChoiceJson(document().bake)), document().bake);
        QTest::mouseClick(test::buttonNamed(sheet(), "Undo pushes"), Qt::LeftButton);
        QVERIFY(document().bake.pushes.empty());
        QVERIFY(test::buttonNamed(sheet(), "Undo pushes") == nullptr);
        // A source has none.
        desk().show({Shown::source});
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(!viewport.hasCage() && !test::buttonNamed(sheet(), "Show cage")->isEnabled());
        desk().show({0});
        QVERIFY(waitUntilIdle(*m_window));
        // The cage goes with the page.
        sheet().openPage(SheetPanel::Page::Seen);
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(!viewport.hasCage() && !desk().cageBrush().isOn());
    }

    void canBeCancelledAndLosesNothing() {
        const auto mesh = document().levels[0].mesh;
        Document next = document();
        next.bake.sheet = 4096;
        next.bake.samples = 16;
        m_window->model().change("How to bake", next);
        desk().bakeShown();
        QVERIFY(waitUntil([&] { return desk().sheetWork().bakingJob().isRunning(); }, 5));
        QTest::qWait(400);
        key(Qt::Key_Escape);
        QVERIFY(waitUntil([&] { return !desk().sheetWork().bakingJob().isRunning(); }, 5));
        QVERIFY(waitUntilIdle(*m_window));
        QCOMPARE(document().levels[0].mesh, mesh);
        QVERIFY(sheet().bakeButton().isVisible());
        // And the sheet shows what there is again, not the one that was being filled in.
        QVERIFY(!sheet().picture().image().isNull() && sheet().picture().image().width() == 256);
    }

    void givesWayToTheRightPanelAgain() {
        QTest::mouseClick(test::buttonNamed(sheet(), "Close"), Qt::LeftButton);
        QVERIFY(!sheet().isVisible() && desk().target().isVisible());
    }

    // Where there was nothing else to see, nobody chose the squares.
    void beginsWithTheColoursThatThereAre() {
        Mesh bare = test::makeSheet(8, 8);
        for (const Vec3f& p : bare.positions) bare.uvs.emplace_back(p.x(), p.z());
        writeMesh(bare, m_folder / "bare.glb", Progress());
        const auto bytes = std::make_shared<const std::string>(pngOf(Image{1, 1, false, {{200, 10, 10, 255}}}));
        bare.textures = {{"red", "image/png", bytes, 1, 1, 8}};
        bare.materials[0].baseColorTexture.texture = 0;
        writeMesh(bare, m_folder / "red.glb", Progress());
        m_window->model().undoStack().setClean();
        const auto openAndWait = [&](const char* name) {
            m_window->open(QString::fromStdString((m_folder / name).string()));
            return waitUntilIdle(*m_window);
        };
        QVERIFY(openAndWait("bare.glb"));
        key(Qt::Key_U);
        QVERIFY(waitUntilIdle(*m_window));
        QCOMPARE(sheet().value(), SheetValue::Checker);
        QVERIFY(openAndWait("red.glb"));
        QCOMPARE(sheet().value(), SheetValue::BaseColor);
        key(Qt::Key_U);
    }

    void cleanupTestCase() { m_window->model().undoStack().setClean(); }

private:
    AssetDesk& desk() { return m_window->desk(); }
    SheetPanel& sheet() { return desk().sheet(); }
    const Document& document() { return m_window->model().document(); }

    void key(Qt::Key key) {
        QTest::keyClick(m_window.get(), key);
        QVERIFY(waitUntilIdle(*m_window));
    }

    void commit(const QString& name, const QString& text) {
        CommitField* field = sheet().field(name);
        QVERIFY(field != nullptr);
        field->setFocus();
        field->setText(text);
        QTest::keyClick(field, Qt::Key_Return);
        QVERIFY(waitUntilIdle(*m_window));
    }

    void move(const QPointF& place) {
        QTest::mouseMove(&sheet().picture(), sheet().picture().pixelOf(place).toPoint());
        QTest::qWait(50);
    }

    static Vec3d middleOf(const Mesh& mesh, TriangleId t) {
        Vec3d sum = Vec3d::Zero();
        for (const VertexId v : mesh.triangles[t]) sum += mesh.positions[v].cast<double>() / 3;
        return sum;
    }

    static TriangleId triangleFacing(const Mesh& mesh, const Vec3d& direction) {
        TriangleId best = 0;
        double most = -2;
        for (TriangleId t = 0; t < mesh.triangleCount(); ++t) {
            const auto at = [&](std::size_t k) { return Vec3d(mesh.positions[mesh.triangles[t][k]].cast<double>()); };
            const double facing = areaNormal(at(0), at(1), at(2)).normalized().dot(direction);
            if (middleOf(mesh, t).norm() < 0.55 && facing > most) {
                most = facing;
                best = t;
            }
        }
        return best;
    }

    test::Folder m_folder;
    std::unique_ptr<MainWindow> m_window;
};

UM_TEST(SheetTest)
#include "SheetTest.moc"

// Merging materials in the real window: what it would come to is told first, materials are dragged where they go, and
// what comes of it costs what was told.
#include "app/panels/TargetPanel.h"
#include "app/panels/Widgets.h"
#include "app/sheet/MergePage.h"
#include "app/sheet/SheetPanel.h"
#include "app/sheet/SheetWork.h"
#include "app/theme/Theme.h"
#include "files/Image.h"
#include "files/MeshFile.h"
#include "tests/support/Files.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"
#include "tests/support/Window.h"

using namespace um;
using namespace um::app;
using test::waitUntilIdle;
using Kind = MaterialTree::Kind;

namespace {

Texture texture(const char* name, int size, const std::array<std::uint8_t, 4>& dark) {
    Image image;
    image.width = image.height = size;
    for (int i = 0; i < size * size; ++i)
        image.texels.push_back((i / size + i) % 7 == 0 ? std::array<std::uint8_t, 4>{200, 200, 190, 255} : dark);
    return {name, "image/png", std::make_shared<const std::string>(pngOf(image)), size, size};
}

// A painted plate, a wall whose texture repeats six times each way, a twin of the paint, and a flat knob.
Mesh source() {
    Mesh plate = test::makeSheet(20, 20), wall = test::moved(test::makeSheet(20, 20), {1.2, 0, 0}),
         twin = test::moved(test::makeSheet(20, 20), {2.4, 0, 0}),
         knob = test::moved(test::makeSphere(0.3, 12), {3.6, 0, 0});
    for (const Vec3f& p : plate.positions) plate.uvs.emplace_back(p.x(), p.z());
    for (const Vec3f& p : wall.positions) wall.uvs.emplace_back(6 * (p.x() - 1.2f), 6 * p.z());
    for (const Vec3f& p : twin.positions) twin.uvs.emplace_back(p.x() - 2.4f, p.z());
    knob.uvs.assign(knob.vertexCount(), Vec2f(0.5f, 0.5f));
    Mesh mesh = test::joined(test::joined(plate, wall), test::joined(twin, knob));
    mesh.parts = {{"Plate"}, {"Wall"}, {"Twin"}, {"Knob"}};
    mesh.textures = {texture("paint", 64, {150, 40, 30, 255}), texture("bricks", 64, {90, 70, 60, 255}),
                     texture("paint again", 64, {151, 41, 31, 255})};
    mesh.materials.assign(4, {});
    const char* names[] = {"paint", "bricks", "paint again", "knob"};
    for (std::uint32_t m = 0; m < 4; ++m) {
        mesh.materials[m].name = names[m];
        mesh.materials[m].baseColor = {1, 1, 1, 1};
        if (m < 3) mesh.materials[m].baseColorTexture.texture = int(m);
        mesh.sections[m].material = m;
    }
    mesh.materials[3].baseColor = {0.1f, 0.2f, 0.5f, 1};
    return mesh;
}

}  // namespace

class MergeDeskTest : public QObject {
    Q_OBJECT

private slots:
    void initTestCase() {
        writeMesh(source(), m_folder / "kit.glb", Progress());
        applyTheme(Theme::paperTheme());
        m_window = std::make_unique<MainWindow>(m_folder / "recovery");
        QVERIFY(test::showActive(*m_window));
        m_window->open(QString::fromStdString((m_folder / "kit.glb").string()));
        QVERIFY(waitUntilIdle(*m_window));
        QTest::keyClick(m_window.get(), Qt::Key_U);
        QVERIFY(waitUntilIdle(*m_window));
    }

    void tellsBeforeAnythingIsComputed() {
        QPushButton* button = test::buttonNamed(panel(), "Merge …");
        QVERIFY(button != nullptr && button->isEnabled());
        QTest::mouseClick(button, Qt::LeftButton);
        QVERIFY(waitUntilIdle(*m_window));
        QCOMPARE(panel().page(), SheetPanel::Page::Merge);
        const MergeForecast own = forecastMerge(*document().source, page().settings(), Progress());
        QCOMPARE(own.after.materials, std::size_t(1));
        QCOMPARE(lines(0), QString("Materials 4 to 1"));
        QCOMPARE(lines(2), QString("Draw calls 4 to 4"));
        const QTreeWidgetItem* sheet = tree().rowOf(Kind::Sheet, 0);
        QVERIFY(sheet != nullptr && sheet->childCount() == 4);
        QVERIFY(sheet->text(1).contains("%"));
        QVERIFY(row("bricks")->text(1).startsWith("repeats 36 x"));
        QCOMPARE(row("knob")->text(1), QString("flat"));
        QVERIFY(!row("paint")->icon(0).isNull());
        QCOMPARE(document().source->materials.size(), std::size_t(4));  // nothing has changed
    }

    void takesASheetsSizeOnlyWhenItIsRight() {
        auto* size = panel().field("mergeSize");
        size->setText("many");
        QTest::keyClick(size, Qt::Key_Return);
        QVERIFY(size->property("wrong").toBool());
        QCOMPARE(page().settings().sheet, 2048);
        size->setText("256");
        QTest::keyClick(size, Qt::Key_Return);
        QVERIFY(waitUntilIdle(*m_window));
        QCOMPARE(page().settings().sheet, 256);
    }

    // What the lines before said is out of sight at once, not only when it is deleted.
    void saysEachFigureOnce() {
        const MergeForecast forecast = forecastMerge(*document().source, page().settings(), Progress());
        for (int i = 0; i < 2; ++i) page().setForecast(forecast);
        QApplication::processEvents();  // new ones are shown, nothing is deleted yet
        const QList<QLabel*> labels = page().findChildren<QLabel*>();
        for (const char* name : {"Materials", "Textures", "Draw calls", "Texture memory"})
            QCOMPARE(std::count_if(labels.begin(), labels.end(),
                                   [&](const QLabel* label) { return label->text() == name && !label->isHidden(); }),
                     std::ptrdiff_t(1));
    }

    void offersToLeaveOutWhatRepeats() {
        const double before = density();
        QPushButton* leave = test::buttonNamed(page(), "Leave out");
        QVERIFY(leave != nullptr);
        QTest::mouseClick(leave, Qt::LeftButton);
        QVERIFY(waitUntilIdle(*m_window));
        QCOMPARE(page().settings().sheetOf, (std::vector<int>{0, leftOut, 0, 0}));
        QCOMPARE(row("bricks")->parent(), tree().rowOf(Kind::LeftOut, 0));
        QCOMPARE(lines(0), QString("Materials 4 to 2"));
        QVERIFY(density() > 1.5 * before);
    }

    void offersToJoinWhatIsNearlyTheSame() {
        QPushButton* join = test::buttonNamed(page(), "Join");
        QVERIFY(join != nullptr);
        QTest::mouseClick(join, Qt::LeftButton);
        QVERIFY(waitUntilIdle(*m_window));
        QCOMPARE(page().settings().alike, (std::vector<std::vector<std::uint32_t>>{{0, 2}}));
        QCOMPARE(row("paint again")->parent(), row("paint"));
        QVERIFY(test::buttonNamed(page(), "Join") == nullptr);
    }

    void takesMaterialsWhereTheyAreDragged() {
        drop("bricks", tree().rowOf(Kind::AnotherSheet, 0));
        QCOMPARE(page().settings().sheetOf, (std::vector<int>{0, 1, 0, 0}));
        QCOMPARE(lines(0), QString("Materials 4 to 2"));
        drop("knob", tree().rowOf(Kind::Sheet, 1));
        QCOMPARE(page().settings().sheetOf, (std::vector<int>{0, 1, 0, 1}));
        drop("paint again", tree().rowOf(Kind::LeftOut, 0));  // and stands for itself again
        QCOMPARE(page().settings().sheetOf, (std::vector<int>{0, 1, leftOut, 1}));
        QVERIFY(page().settings().alike.empty());
        drop("paint again", row("paint"));
        QCOMPARE(page().settings().alike, (std::vector<std::vector<std::uint32_t>>{{0, 2}}));
        drop("paint", row("paint"));  // onto itself: nothing
        QCOMPARE(page().settings().alike, (std::vector<std::vector<std::uint32_t>>{{0, 2}}));
    }

    void undoesWhatIsDecidedAndKeepsItWithTheDocument() {
        const MergeChoice decided = document().merge;
        QCOMPARE(decided.sheetOf, (std::vector<int>{0, 1, leftOut, 1}));
        m_window->model().undoStack().undo();
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(page().settings().alike.empty());
        QCOMPARE(row("paint again")->parent(), tree().rowOf(Kind::LeftOut, 0));
        m_window->model().undoStack().redo();
        QVERIFY(waitUntilIdle(*m_window));
        QCOMPARE(row("paint again")->parent(), row("paint"));
        saveDocument(document(), m_folder / "kit.umesh", Progress());
        QCOMPARE(openDocument(m_folder / "kit.umesh", Progress()).merge, decided);
        QCOMPARE(decided.sheet, 256);
    }

    void mergesTheSourceAsItWasTold() {
        const MaterialCost told = forecastMerge(*document().source, page().settings(), Progress()).after;
        QTest::mouseClick(&panel().mergeButton(), Qt::LeftButton);
        QVERIFY(desk().sheetWork().bakingJob().isRunning());
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(desk().preview().has_value());
        const Mesh& mesh = *desk().preview()->mesh;
        QCOMPARE(mesh.positions, document().source->positions);
        const MaterialCost cost = materialCostOf(mesh);
        QCOMPARE(cost.materials, told.materials);
        QCOMPARE(cost.textures, told.textures);
        QCOMPARE(cost.textureBytes, told.textureBytes);
        QVERIFY2(panel().figures().contains(QString("materials 4 to %1").arg(told.materials)),
                 qPrintable(panel().figures()));
        // What is to become of it is decided there, beside the sheet.
        QPushButton* keep = test::buttonNamed(desk(), "Keep as LOD 0");
        QVERIFY(keep != nullptr);
        QTest::mouseClick(keep, Qt::LeftButton);
        QVERIFY(waitUntilIdle(*m_window));
        QCOMPARE(document().levels.size(), std::size_t(1));
        QVERIFY(document().levels[0].isLocked);
        QCOMPARE(document().levels[0].evidence->max, 0.0);
    }

    void mergesALevelInItsPlace() {
        panel().openPage(SheetPanel::Page::Seen);
        desk().show({Shown::source});
        desk().target().showTarget("1500");
        desk().target().submit();
        QVERIFY(waitUntilIdle(*m_window));
        desk().keepPreview();
        QVERIFY(waitUntilIdle(*m_window));
        const Level before = document().levels[1];
        panel().openPage(SheetPanel::Page::Merge);
        QVERIFY(waitUntilIdle(*m_window));
        // A level has the materials of its source, and the same settings.
        QCOMPARE(page().settings().sheetOf, (std::vector<int>{0, 1, leftOut, 1}));
        for (std::uint32_t m = 0; m < 4; ++m) page().putOn(m, 0);
        QVERIFY(waitUntilIdle(*m_window));
        QTest::mouseClick(&panel().mergeButton(), Qt::LeftButton);
        QVERIFY(waitUntilIdle(*m_window));
        const Level& merged = document().levels[1];
        QCOMPARE(merged.mesh->materials.size(), std::size_t(1));
        QCOMPARE(merged.evidence, before.evidence);
        QVERIFY(merged.isLocked);
        m_window->model().undoStack().undo();
        QVERIFY(waitUntilIdle(*m_window));
        QCOMPARE(document().levels[1].mesh, before.mesh);
        QVERIFY(!document().levels[1].isLocked);
    }

    void saysWhatWillNotDo() {
        panel().openPage(SheetPanel::Page::Merge);
        for (std::uint32_t m = 0; m < 4; ++m) page().putOn(m, leftOut);
        QVERIFY(waitUntilIdle(*m_window));
        QTest::mouseClick(&panel().mergeButton(), Qt::LeftButton);
        QVERIFY(waitUntilIdle(*m_window));
        QCOMPARE(document().levels[1].mesh->materials.size(), std::size_t(4));
        QVERIFY2(m_window->messages().message().contains("sheet"), qPrintable(m_window->messages().message()));
    }

    void cleanupTestCase() { m_window->model().undoStack().setClean(); }

private:
    AssetDesk& desk() { return m_window->desk(); }
    SheetPanel& panel() { return desk().sheet(); }
    MergePage& page() { return panel().mergePage(); }
    MaterialTree& tree() { return page().tree(); }
    const Document& document() { return m_window->model().document(); }
    QString lines(int line) { return page().predicted().split('\n').value(line); }

    QTreeWidgetItem* row(const QString& name) {
        const QList<QTreeWidgetItem*> found = tree().findItems(name, Qt::MatchExactly | Qt::MatchRecursive);
        return found.isEmpty() ? nullptr : found.front();
    }

    double density() { return tree().rowOf(Kind::Sheet, 0)->text(1).section(' ', 0, 0).toDouble(); }

    void drop(const QString& material, QTreeWidgetItem* onto) {
        QVERIFY(row(material) != nullptr && onto != nullptr);
        tree().setCurrentItem(row(material));
        tree().dropAt(tree().visualItemRect(onto).center());
        QVERIFY(waitUntilIdle(*m_window));
    }

    test::Folder m_folder;
    std::unique_ptr<MainWindow> m_window;
};

UM_TEST(MergeDeskTest)
#include "MergeDeskTest.moc"

// The Sightline and the chain in the real window: joints dragged and typed, the marker walked, levels made, moved,
// replaced by hand and locked, recipes and budgets; and all of it undone.
#include "app/desks/ChainWatch.h"
#include "app/desks/ChainWork.h"
#include "app/panels/BudgetPanel.h"
#include "app/panels/ChainCard.h"
#include "app/panels/ExportCard.h"
#include "app/panels/FindingsCard.h"
#include "app/panels/Widgets.h"
#include "app/sightline/SightlineStrip.h"
#include "app/sightline/Walk.h"
#include "app/theme/Theme.h"
#include "document/Edits.h"
#include "files/MeshFile.h"
#include "tests/support/Files.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"
#include "tests/support/Window.h"

#include <QCheckBox>
#include <QComboBox>
#include <QContextMenuEvent>
#include <QLabel>
#include <QMenu>
#include <QSignalSpy>

using namespace um;
using namespace um::app;
using test::waitUntil;
using test::waitUntilIdle;

namespace {

// A ball of a metre with waves.
Mesh wavyBall() {
    Mesh mesh = test::makeSphere(0.5, 60);
    for (Vec3f& p : mesh.positions) p *= 1 + 0.02f * std::sin(40 * p.x()) * std::cos(30 * p.y());
    return mesh;
}

}  // namespace

class SightlineTest : public QObject {
    Q_OBJECT

private slots:
    void initTestCase() {
        writeMesh(wavyBall(), m_folder / "ball.glb", Progress());
        applyTheme(Theme::paperTheme());
        m_window = std::make_unique<MainWindow>(m_folder / "recovery");
        QVERIFY(test::showActive(*m_window));
        m_window->open(QString::fromStdString((m_folder / "ball.glb").string()));
        QVERIFY(waitUntilIdle(*m_window));
    }

    void makesAChainByAFactor() {
        desk().openChain();
        QVERIFY(card().isVisible());
        // The card is as tall as what it shows, and says it where that is nothing.
        const int tall = card().height();
        card().open(ChainCard::Page::Levels);
        QVERIFY2(card().height() < tall - 100, qPrintable(QString("%1 %2").arg(card().height()).arg(tall)));
        const QList<QLabel*> labels = card().findChildren<QLabel*>();
        QVERIFY(std::any_of(labels.begin(), labels.end(), [](QLabel* label) {
            return label->isVisible() && label->text() == "There are no levels yet.";
        }));
        card().open(ChainCard::Page::Make);
        QCOMPARE(card().height(), tall);
        card().findChild<QComboBox*>("how")->setCurrentIndex(1);
        card().field("first")->showValue("12k");
        card().field("ratio")->showValue("25 %");
        card().field("count")->showValue("3");
        QTest::mouseClick(card().makeButton(), Qt::LeftButton);
        QVERIFY(desk().chainWork().job().isRunning());
        QVERIFY(waitUntilIdle(*m_window));
        QCOMPARE(levels().size(), std::size_t(3));
        QCOMPARE(levels()[2].mesh->triangleCount(), std::size_t(750));
        for (const Level& level : levels()) QVERIFY(level.evidence && level.outline && !level.made.empty());
        // The strip shows what the core reckons.
        std::vector<LevelCost> costs;
        for (const Level& level : levels()) costs.push_back(costOf(level));
        const Band band = bandOf(costs, desk().chainWatch().chain().size, document().screen, document().switching);
        QCOMPARE(strip().chain().band.from, band.from);
        QVERIFY(band.from[2] > band.from[1] && band.from[1] > 0);
        QVERIFY(waitUntil([&] { return strip().chain().pops[1] && strip().chain().pops[2]; }));
        m_window->model().undoStack().undo();
        QVERIFY(levels().empty());
        m_window->model().undoStack().redo();
        QVERIFY(waitUntilIdle(*m_window));
        QCOMPARE(levels().size(), std::size_t(3));
        card().hide();
    }

    void followsTheMarker() {
        desk().show({0});
        const Band band = strip().chain().band;
        drag(QPointF(200, 60), strip().jointPlace(1) + QPointF(30, -40));
        QVERIFY(strip().viewer() > band.from[1]);
        QVERIFY(desk().shown() == Shown{1});
        // Coming back a little changes nothing yet; farther, it does.
        walkTo(band.from[1] * 0.95);
        QVERIFY(desk().shown() == Shown{1});
        QCOMPARE(strip().drawn(), 1);
        walkTo(band.from[1] * 0.85);
        QVERIFY(desk().shown() == Shown{0});
        walkTo(band.from[2] * 1.5);
        QVERIFY(desk().shown() == Shown{2});
        QCOMPARE(strip().drawn(), 2);
        // The source stays where one wants to see it.
        desk().show({});
        walkTo(band.from[1] * 0.5);
        QVERIFY(desk().shown() == Shown{});
        desk().show({2});
    }

    void dragsJointsAndSnapsThem() {
        const double before = strip().chain().band.from[1];
        const int steps = m_window->model().undoStack().index();
        drag(strip().jointPlace(1), strip().jointPlace(1) + QPointF(60, 0));
        const double after = strip().chain().band.from[1];
        QVERIFY(after > before * 1.1);
        QCOMPARE(levels()[1].recipe.switchDistance, after);
        QCOMPARE(m_window->model().undoStack().index(), steps + 1);  // one step, however long the way
        // Back to about where its error is allowed: it snaps there exactly.
        drag(strip().jointPlace(1), QPointF(strip().jointPlace(1).x() - 57, strip().jointPlace(1).y()));
        QVERIFY(std::abs(strip().chain().band.from[1] / before - 1) < 1e-9);
        m_window->model().undoStack().undo();
        m_window->model().undoStack().undo();
        QCOMPARE(levels()[1].recipe.switchDistance, 0.0);
        // It cannot be drawn past its neighbour.
        drag(strip().jointPlace(1), strip().jointPlace(2) + QPointF(80, 0));
        QCOMPARE(strip().chain().band.from[1], strip().chain().band.from[2]);
        m_window->model().undoStack().undo();
        QCOMPARE(strip().chain().band.from[1], before);
    }

    void takesTypedDistances() {
        typeAt(2, "30 m");
        QCOMPARE(strip().chain().band.from[2], 30.0);
        QVERIFY(strip().jointText(2).contains("30 m"));
        typeAt(2, "40px");
        QVERIFY(std::abs(strip().pixelsAt(strip().chain().band.from[2]) - 40) < 1e-6);
        typeAt(2, "auto");
        QCOMPARE(levels()[2].recipe.switchDistance, 0.0);
        // Where drawing ends.
        typeAt(3, "12 px");
        QVERIFY(std::abs(document().switching.gonePixels - 12) < 1e-9);
        const double gone = strip().chain().band.gone;
        walkTo(gone * 1.1);
        QVERIFY(desk().chainWatch().chain().band.at(strip().viewer()) == Band::nothing);
        walkTo(gone * 0.5);
        typeAt(3, "never");
        QVERIFY(std::isinf(strip().chain().band.gone));
        // What is none is said, and changes nothing.
        const int steps = m_window->model().undoStack().index();
        typeAt(2, "soon");
        QCOMPARE(m_window->model().undoStack().index(), steps);
        while (m_window->model().undoStack().index() > 1) m_window->model().undoStack().undo();
        QVERIFY(waitUntilIdle(*m_window));
    }

    void walksUpAndAway() {
        QCOMPARE(Walk::placeAt(0, 1, 100), 100.0);
        QVERIFY(std::abs(Walk::placeAt(0.25, 1, 100) - 10) < 1e-9);
        QCOMPARE(Walk::placeAt(0.5, 1, 100), 1.0);
        std::vector<int> seen;
        std::vector<double> places;
        const auto watching = connect(&desk().walk(), &Walk::moved, this, [&](double metres) {
            places.push_back(metres);
            if (seen.empty() || seen.back() != desk().shown().level) seen.push_back(desk().shown().level);
        });
        // By a clock of its own: a busy machine draws seldom.
        key(Qt::Key_Y);
        QVERIFY(desk().walk().isWalking());
        seen.clear();
        places.clear();
        for (int time = 0; time <= Walk::milliseconds; time += 50) desk().walk().goTo(time);
        QVERIFY(!desk().walk().isWalking());
        // From the farthest level to the nearest and back again.
        QCOMPARE(seen, (std::vector<int>{2, 1, 0, 1, 2}));
        const auto turn = std::min_element(places.begin(), places.end());
        QCOMPARE(turn - places.begin(), Walk::milliseconds / 50 / 2);
        QCOMPARE(*turn, strip().nearest());
        QVERIFY(std::is_sorted(turn, places.end()));
        QVERIFY(std::is_sorted(std::reverse_iterator(turn + 1), places.rend()));
        // Left to itself it ends too.
        key(Qt::Key_Y);
        QVERIFY(waitUntil([&] { return !desk().walk().isWalking(); }, 40));
        disconnect(watching);
        // A hand on the marker ends it.
        key(Qt::Key_Y);
        strip().stepViewer(1);
        QVERIFY(!desk().walk().isWalking());
        QVERIFY(waitUntilIdle(*m_window));
    }

    void dithersWhereLevelsCrossFade() {
        Document next = document();
        next.switching.crossFade = 0.3;
        m_window->model().change("Cross-fade", next);
        desk().show({0});
        const double joint = strip().chain().band.from[1];
        walkTo(joint * 0.5);
        QVERIFY(waitUntilIdle(*m_window));
        AsSeenInset& inset = desk().view().inset();
        QVERIFY(inset.seen() == inset.picture());
        walkTo(joint * 0.85);
        QVERIFY(waitUntilIdle(*m_window));
        // Half the pixels are the next level's: where both differ, some are one's and some the other's.
        const QImage mixed = inset.seen();
        QVERIFY(waitUntil([&] { return inset.seen() != inset.picture(); }, 10));
        m_window->model().undoStack().undo();
        QVERIFY(waitUntilIdle(*m_window));
    }

    // Else it could not keep up with the hand.
    void computesNothingWhileTheViewerIsDragged() {
        const double near = strip().chain().band.from[1] * 0.5;
        walkTo(near);
        QVERIFY(waitUntilIdle(*m_window));
        const QImage before = strip().grab().toImage();
        for (int i = 1; i <= 8; ++i) {
            walkTo(near * (1 + 0.1 * i));
            QVERIFY(!desk().chainWork().job().isRunning());
            for (std::size_t level = 1; level < levels().size(); ++level) QVERIFY(strip().chain().pops[level]);
            QVERIFY(strip().grab().toImage() != before);
        }
        walkTo(near);
        QCOMPARE(strip().grab().toImage(), before);
    }

    void marksWhatIsStaleAndMakesOnlyThat() {
        desk().openChain();
        card().open(ChainCard::Page::Levels);
        for (std::size_t i = 0; i < levels().size(); ++i) {
            const CommitField* row = card().field(QString("target %1").arg(i));
            QCOMPARE(row->visibleRegion().boundingRect().size(), row->size());
        }
        CommitField* target = card().field("target 1");
        QVERIFY(target != nullptr && target->isVisible());
        target->setFocus();
        target->selectAll();
        QTest::keyClicks(target, "2k");
        QVERIFY(!desk().chainWork().job().isRunning());  // typing computes nothing
        QTest::keyClick(target, Qt::Key_Return);
        QCOMPARE(levels()[1].recipe.target, std::string("2k"));
        QCOMPARE(staleLevels(document()), (std::vector<bool>{false, true, false}));
        QVERIFY(card().remakeButton()->isVisible());
        const auto first = levels()[0].mesh, last = levels()[2].mesh;
        QTest::mouseClick(card().remakeButton(), Qt::LeftButton);
        QVERIFY(waitUntilIdle(*m_window));
        QCOMPARE(levels()[1].mesh->triangleCount(), std::size_t(2000));
        QVERIFY(levels()[0].mesh == first && levels()[2].mesh == last);
        QCOMPARE(staleLevels(document()), (std::vector<bool>{false, false, false}));
        QVERIFY(!card().remakeButton()->isVisible());
        // Care concerns all of them; a locked one stays.
        Document next = withLevelLocked(document(), 0, true);
        next.care.silhouetteWeight = 0.5;
        m_window->model().change("Care", next);
        QCOMPARE(staleLevels(document()), (std::vector<bool>{false, true, true}));
        m_window->model().undoStack().undo();
        m_window->model().undoStack().undo();
        m_window->model().undoStack().undo();
        QCOMPARE(staleLevels(document()), (std::vector<bool>{false, false, false}));
        card().hide();
    }

    void keepsWhatIsChangedWhileLevelsAreMade() {
        const auto first = levels()[0].mesh;
        LevelRecipe recipe = levels()[1].recipe;
        recipe.target = "1800";
        m_window->model().change("Target", withLevelRecipe(document(), 1, recipe));
        desk().chainWork().remakeStale();
        QVERIFY(desk().chainWork().job().isRunning());
        // Moved, named, and judged more strictly before it arrives.
        Document next = withRenamedLevel(withMovedLevel(document(), 1, 0), 0, "close up");
        next.tolerance = 0.0003;
        m_window->model().change("Meanwhile", next);
        QVERIFY(waitUntilIdle(*m_window));
        QCOMPARE(levels()[0].name, std::string("close up"));
        QCOMPARE(levels()[0].mesh->triangleCount(), std::size_t(1800));
        QVERIFY(levels()[1].mesh == first);
        QCOMPARE(document().tolerance, 0.0003);
        for (int i = 0; i < 3; ++i) m_window->model().undoStack().undo();
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(levels()[0].mesh == first && levels()[1].name == "LOD 1");
    }

    void dropsMaterialsOfALevel() {
        desk().openChain();
        card().open(ChainCard::Page::Levels);
        QComboBox* materials = card().materialsOf(2);
        materials->setCurrentIndex(int(MaterialKeeping::OneSlot));
        emit materials->activated(int(MaterialKeeping::OneSlot));
        QVERIFY(staleLevels(document())[2]);
        QTest::mouseClick(card().remakeButton(), Qt::LeftButton);
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(!levels()[2].mesh->colors.empty());
        QCOMPARE(levels()[2].mesh->sections.size(), std::size_t(1));
        m_window->model().undoStack().undo();
        m_window->model().undoStack().undo();
        card().hide();
    }

    void movesLevelsByDragging() {
        QVERIFY(waitUntilIdle(*m_window));
        QTest::qWait(50);  // new rows are laid out
        const std::string first = levels()[0].name;
        LevelsPanel& panel = desk().levels();
        const QPoint from = panel.rowOf(0).center(), to = panel.rowOf(1).center();
        QWidget* row = panel.childAt(from);
        QVERIFY(row != nullptr);
        QTest::mousePress(row, Qt::LeftButton, {}, row->mapFrom(&panel, from));
        QTest::qWait(50);
        QTest::mouseMove(&panel, to);
        QTest::mouseRelease(&panel, Qt::LeftButton, {}, to);
        QCOMPARE(levels()[1].name, first);
        QVERIFY(desk().shown() == Shown{1});  // it is still what is looked at
        m_window->model().undoStack().undo();
        QCOMPARE(levels()[0].name, first);
        QVERIFY(waitUntilIdle(*m_window));
    }

    void takesInALevelMadeByHand() {
        const Mesh hand = test::makeSphere(0.5, 8);
        writeMesh(hand, m_folder / "hand.obj", Progress());
        desk().chainWork().takeHandmade(2, QString::fromStdString((m_folder / "hand.obj").string()));
        QVERIFY(waitUntil([&] { return levels()[2].isHandmade; }));
        QVERIFY(waitUntilIdle(*m_window));
        QCOMPARE(levels()[2].mesh->triangleCount(), hand.triangleCount());
        QVERIFY(levels()[2].evidence && levels()[2].outline);  // measured like the others
        QVERIFY(levels()[2].evidence->max > 0);
        QVERIFY(!staleLevels(document())[2]);
        // As a new one, too.
        desk().chainWork().takeHandmade(-1, QString::fromStdString((m_folder / "hand.obj").string()));
        QVERIFY(waitUntil([&] { return levels().size() == 4; }));
        QVERIFY(waitUntilIdle(*m_window));
        m_window->model().undoStack().undo();
        m_window->model().undoStack().undo();
        QVERIFY(levels().size() == 3 && !levels()[2].isHandmade);
        // What is no mesh is said.
        const QSignalSpy failed(&desk().chainWork().readingJob(), &Job::failed);
        desk().chainWork().takeHandmade(0, QString::fromStdString((m_folder / "none.obj").string()));
        QVERIFY(waitUntil([&] { return failed.count() == 1; }));
    }

    void setsSwitchingAndBudgets() {
        desk().openChain();
        card().open(ChainCard::Page::Switching);
        const double before = strip().chain().band.from[1];
        commit("allowed", "2 px");
        QVERIFY(std::abs(strip().chain().band.from[1] / before - 0.5) < 1e-9);
        commit("hysteresis", "25 %");
        QCOMPARE(document().switching.hysteresis, 0.25);
        const int steps = m_window->model().undoStack().index();
        commit("allowed", "-3 px");
        QCOMPARE(m_window->model().undoStack().index(), steps);
        card().open(ChainCard::Page::Budget);
        commit("budgetTotal", "10k");
        QCOMPARE(document().budget.totalTriangles, std::size_t(10000));
        QVERIFY(!desk().budget().lines().empty() && desk().budget().lines().front().isOver());
        // It is one of the findings, from where the budget can be reached.
        QSignalSpy counts(&desk(), &AssetDesk::findingsChanged);
        desk().openFindings();
        QVERIFY(desk().findingsCard().isVisible() && !card().isVisible());
        const int found = counts.last().first().toInt();
        QTest::mouseClick(test::buttonNamed(desk().findingsCard(), "Budget …"), Qt::LeftButton);
        QVERIFY(card().isVisible() && card().page() == ChainCard::Page::Budget);
        commit("budgetTotal", "1M");
        QCOMPARE(counts.last().first().toInt(), found - 1);
        m_window->model().undoStack().undo();
        QCOMPARE(counts.last().first().toInt(), found);
        while (m_window->model().undoStack().index() > 1) m_window->model().undoStack().undo();
        QCOMPARE(document().budget, Budget{});
        card().hide();
    }

    // A long chain, a budget and a message leave the window as small as it was.
    void fitsALowScreen() {
        Document many = document();
        while (many.levels.size() < 12) many = withLevel(many, many.levels.back());
        m_window->model().change("many", std::move(many));
        m_window->messages().say("Something that is to be told.");
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY2(m_window->minimumSizeHint().height() <= 800,
                 qPrintable(QString::number(m_window->minimumSizeHint().height())));
        m_window->messages().clearMessage();
        m_window->model().undoStack().undo();
        QCOMPARE(levels().size(), std::size_t(3));
    }

    void savesAndAppliesRecipes() {
        const QString path = QString::fromStdString((m_folder / "ball.json").string());
        desk().writeRecipeTo(path);
        const Recipe written = readRecipe(path.toStdString());
        QCOMPARE(written.levels.size(), std::size_t(3));
        Recipe two = written;
        two.levels.pop_back();
        two.switching.allowedPixels = 3;
        writeRecipe(two, path.toStdString());
        desk().readRecipeFrom(path);
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(levels().size() == 2 && document().switching.allowedPixels == 3);
        m_window->model().undoStack().undo();
        QVERIFY(levels().size() == 3 && document().switching.allowedPixels == 1);
        for (const ShippedRecipe& shipped : shippedRecipes())
            QVERIFY(!shipped.meaning.isEmpty() && (readShipped(shipped), true));
        // What is no recipe is said, and changes nothing.
        desk().readRecipeFrom(QString::fromStdString((m_folder / "ball.glb").string()));
        QVERIFY(levels().size() == 3);
    }

    void keepsTheChainInTheDocument() {
        const std::filesystem::path path = m_folder / "ball.umesh";
        Document edited = withLevelLocked(document(), 1, true);
        edited.switching.gonePixels = 6;
        edited.budget.drawCalls = 2;
        edited.levels[2].recipe.switchDistance = 33;
        m_window->model().change("All of it", edited);
        saveDocument(document(), path, Progress());
        const Document read = openDocument(path, Progress());
        QCOMPARE(read.switching, document().switching);
        QCOMPARE(read.budget, document().budget);
        for (std::size_t i = 0; i < 3; ++i) {
            QVERIFY(read.levels[i].recipe == levels()[i].recipe && read.levels[i].isLocked == levels()[i].isLocked);
            QVERIFY(read.levels[i].made == levels()[i].made && read.levels[i].outline == levels()[i].outline);
        }
        QCOMPARE(staleLevels(read), staleLevels(document()));
        m_window->model().undoStack().undo();
    }

    void deliversWithAManifest() {
        desk().openExport(-1);
        ExportCard& card = desk().exportCard();
        card.findChild<QLineEdit*>("exportFolder")->setText(QString::fromStdString((m_folder / "out").string()));
        for (QCheckBox* box : card.findChildren<QCheckBox*>())
            if (box->text().contains("one file")) box->setChecked(true);
        QTest::mouseClick(test::buttonNamed(card, "Export"), Qt::LeftButton);
        QVERIFY(waitUntil([&] { return !card.job().isRunning(); }));
        QVERIFY(std::filesystem::exists(m_folder / "out" / "ball.glb"));
        QVERIFY(std::filesystem::exists(m_folder / "out" / "ball_chain.json"));
        QVERIFY(waitUntilIdle(*m_window));
    }

    void cancelsMakingWithoutLosingAnything() {
        const auto before = levels()[0].mesh;
        desk().openChain();
        card().open(ChainCard::Page::Make);
        card().make();
        QVERIFY(desk().chainWork().job().isRunning());
        key(Qt::Key_Escape);
        QVERIFY(waitUntil([&] { return !desk().chainWork().job().isRunning(); }, 5));
        QVERIFY(levels().size() == 3 && levels()[0].mesh == before);
        card().field("count")->showValue("many");
        card().make();
        QVERIFY(!desk().chainWork().job().isRunning());
        card().hide();
        while (m_window->model().undoStack().canUndo()) m_window->model().undoStack().undo();
        QVERIFY(levels().empty());
        QVERIFY(waitUntilIdle(*m_window));
    }

    void cleanupTestCase() { m_window.reset(); }

private:
    AssetDesk& desk() { return m_window->desk(); }
    SightlineStrip& strip() { return desk().sightline(); }
    ChainCard& card() { return desk().chainCard(); }
    const Document& document() { return m_window->model().document(); }
    const std::vector<Level>& levels() { return document().levels; }

    void key(Qt::Key key) {
        QTest::keyClick(m_window.get(), key);
        QTest::qWait(20);
    }

    void drag(const QPointF& from, const QPointF& to) {
        QTest::mouseMove(&strip(), from.toPoint());
        QTest::mousePress(&strip(), Qt::LeftButton, {}, from.toPoint());
        for (int i = 1; i <= 5; ++i) QTest::mouseMove(&strip(), (from + (to - from) * i / 5).toPoint());
        // Moves are handed on by the system with their buttons only while a hand holds them; here they are sent.
        QMouseEvent moved(QEvent::MouseMove, to, strip().mapToGlobal(to), Qt::NoButton, Qt::LeftButton, {});
        QApplication::sendEvent(&strip(), &moved);
        QTest::mouseRelease(&strip(), Qt::LeftButton, {}, to.toPoint());
    }

    // As a hand that draws the marker there.
    void walkTo(double metres) {
        strip().setViewer(metres);
        strip().stepViewer(0);
    }

    void typeAt(std::size_t joint, const QString& text) {
        strip().editJoint(joint);
        auto* field = strip().findChild<CommitField*>();
        QVERIFY(field->isVisible());
        field->selectAll();
        QTest::keyClicks(field, text);
        QTest::keyClick(field, Qt::Key_Return);
    }

    void commit(const QString& name, const QString& text) {
        CommitField* field = card().field(name);
        QVERIFY(field->isVisible());
        field->setFocus();
        field->selectAll();
        QTest::keyClicks(field, text);
        QTest::keyClick(field, Qt::Key_Return);
    }

    test::Folder m_folder;
    std::unique_ptr<MainWindow> m_window;
};

UM_TEST(SightlineTest)
#include "SightlineTest.moc"

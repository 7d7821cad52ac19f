// Working by keys alone: what Tab reaches, and what Space, arrows and menus do there.
#include "app/panels/TargetPanel.h"
#include "app/theme/Theme.h"
#include "chain/ClosestAt.h"
#include "chain/Target.h"
#include "files/MeshFile.h"
#include "tests/support/Files.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"
#include "tests/support/Window.h"

#include <QMenu>
#include <QScrollArea>
#include <QSlider>
#include <set>

using namespace um;
using namespace um::app;
using test::waitUntil;
using test::waitUntilIdle;

class KeyboardTest : public QObject {
    Q_OBJECT

private slots:
    void initTestCase() {
        applyTheme(Theme::paperTheme());
        writeMesh(test::makeSphere(1, 30), m_folder / "ball.ply", Progress());
        m_window = std::make_unique<MainWindow>(m_folder / "recovery");
        m_window->resize(1280, 800);
        QVERIFY(test::showActive(*m_window));
        m_window->open(QString::fromStdString((m_folder / "ball.ply").string()));
        QVERIFY(waitUntil([&] { return m_window->model().isOpen(); }));
        m_window->desk().reduce("500", parseTarget("500"));
        QVERIFY(waitUntil([&] { return m_window->desk().preview().has_value(); }));
        m_window->desk().keepPreview();
        QVERIFY(waitUntilIdle(*m_window));
    }

    void cleanupTestCase() {
        m_window->model().undoStack().setClean();
        m_window.reset();
    }

    void waitsForNothingAtFirst() {
        QVERIFY(QApplication::focusWidget() == &m_window->desk().view().viewport());
        QTest::keyClick(QApplication::focusWidget(), Qt::Key_1);
        QVERIFY(m_window->desk().shown() == Shown{0});
    }

    // Each stop is in sight, and something that keys can do something with.
    void reachesWhatThereIsByTab() {
        std::set<QString> texts;
        bool reachesASlider = false;
        for (int i = 0; i < 80; ++i) {
            tab();
            QWidget* at = QApplication::focusWidget();
            QVERIFY(at != nullptr);
            QVERIFY2(!at->visibleRegion().isEmpty(), at->metaObject()->className());
            QVERIFY2(qobject_cast<QAbstractScrollArea*>(at) == nullptr, at->metaObject()->className());
            if (auto* button = qobject_cast<QAbstractButton*>(at)) texts.insert(button->text());
            reachesASlider = reachesASlider || qobject_cast<QSlider*>(at) != nullptr;
        }
        for (const char* text : {"Reduce", "Borders", "Creases", "Deviation", "Twin", "Chain …", "Play"})
            QVERIFY2(texts.contains(text), text);
        QVERIFY(reachesASlider);
    }

    void pressesByWhatItReached() {
        const Protect before = m_window->model().document().care.protect;
        goTo("Creases");
        QTest::keyClick(QApplication::focusWidget(), Qt::Key_Space);
        QVERIFY(m_window->model().document().care.protect != before);
        m_window->model().undoStack().undo();
        QVERIFY(m_window->model().document().care.protect == before);
    }

    // What comes of it is measured already, and undone with the rest of the settings.
    void searchesThoroughlyWhereThatIsPressed() {
        goTo("Thorough");
        QTest::keyClick(QApplication::focusWidget(), Qt::Key_Space);
        QVERIFY(m_window->model().document().care.isThorough);
        AssetDesk& desk = m_window->desk();
        desk.reduce("400", parseTarget("400"));
        QVERIFY(waitUntil([&] { return desk.preview().has_value(); }));
        QVERIFY(desk.preview()->evidence != nullptr);
        const ClosestLevel closest = closestAt(*m_window->model().document().source, 400, {}, Progress());
        QCOMPARE(desk.preview()->mesh->positions, closest.mesh.positions);
        desk.discardPreview();
        m_window->model().undoStack().undo();
        QVERIFY(!m_window->model().document().care.isThorough);
        QVERIFY(!test::buttonNamed(desk.target(), "Thorough")->isChecked());
    }

    void movesSlidersByArrows() {
        auto* slider = m_window->findChild<QSlider*>("silhouetteWeight");
        QVERIFY(slider != nullptr);
        slider->setFocus(Qt::TabFocusReason);
        QTest::keyClick(slider, Qt::Key_Right);
        QVERIFY(waitUntil([&] { return m_window->model().document().care.silhouetteWeight > 0; }));
        m_window->model().undoStack().undo();
        QCOMPARE(m_window->model().document().care.silhouetteWeight, 0.0);
    }

    // Who clicks, and then holds Space, wants to see the source.
    void blinksAfterAClick() {
        QPushButton* chip = test::buttonNamed(*m_window, "Edges");
        QTest::mouseClick(chip, Qt::LeftButton);
        QVERIFY(chip->isChecked());
        QVERIFY(QApplication::focusWidget() != chip);
        QTest::keyClick(m_window.get(), Qt::Key_Space);
        QVERIFY(chip->isChecked());
        QTest::mouseClick(chip, Qt::LeftButton);
        // Of buttons that take the keys by a click, too.
        QPushButton* reduce = test::buttonNamed(*m_window, "Reduce");
        m_window->desk().target().showTarget("400");
        reduce->setFocus(Qt::MouseFocusReason);
        QTest::keyClick(reduce, Qt::Key_Space);
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(!m_window->desk().preview());
        goTo("Reduce");
        QTest::keyClick(reduce, Qt::Key_Space);
        QVERIFY(waitUntil([&] { return m_window->desk().preview().has_value(); }));
        m_window->desk().discardPreview();
    }

    void doesByMenuWhatTheRightButtonDoes() {
        QMenu* level = nullptr;
        QMenu* edit = nullptr;
        for (QMenu* menu : m_window->findChildren<QMenu*>()) {
            if (menu->title() == "Level shown") level = menu;
            if (menu->title() == "Edit") edit = menu;
        }
        QVERIFY(level != nullptr && edit != nullptr);
        m_window->desk().show({Shown::source});
        emit edit->aboutToShow();
        QVERIFY(!level->isEnabled());
        m_window->desk().show({0});
        emit edit->aboutToShow();
        QVERIFY(level->isEnabled());
        const auto trigger = [&](const QString& text) {
            for (QAction* action : level->actions())
                if (action->text() == text) {
                    action->trigger();
                    return true;
                }
            return false;
        };
        QVERIFY(trigger("Locked"));
        QVERIFY(m_window->model().document().levels[0].isLocked);
        emit edit->aboutToShow();
        QVERIFY(trigger("Remove"));
        QVERIFY(m_window->model().document().levels.empty());
        m_window->model().undoStack().undo();
        m_window->model().undoStack().undo();
        QCOMPARE(m_window->model().document().levels.size(), std::size_t(1));
        QVERIFY(!m_window->model().document().levels[0].isLocked);
    }

private:
    static void tab() { QTest::keyClick(QApplication::focusWidget(), Qt::Key_Tab); }

    void goTo(const QString& text) {
        for (int i = 0; i < 80; ++i) {
            tab();
            auto* button = qobject_cast<QAbstractButton*>(QApplication::focusWidget());
            if (button != nullptr && button->text() == text) return;
        }
        QFAIL(qPrintable(text));
    }

    test::Folder m_folder;
    std::unique_ptr<MainWindow> m_window;
};

UM_TEST(KeyboardTest)
#include "KeyboardTest.moc"

// Little room and much of it: low and large windows, and names as long as a file may have of everything that has one.
// The window stays as wide as the screen that it is on, and so does every panel and card.
#include "app/panels/ChainCard.h"
#include "app/panels/EvidencePanel.h"
#include "app/panels/ExportCard.h"
#include "app/panels/FindingsCard.h"
#include "app/panels/Widgets.h"
#include "app/sheet/SheetPanel.h"
#include "app/sightline/SightlineStrip.h"
#include "app/theme/Theme.h"
#include "app/viewport/ViewArea.h"
#include "document/Edits.h"
#include "files/MeshFile.h"
#include "tests/support/Files.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"
#include "tests/support/Window.h"

#include <QHelpEvent>
#include <QScrollArea>
#include <QScrollBar>
#include <QToolTip>

using namespace um;
using namespace um::app;
using test::waitUntilIdle;

namespace {

constexpr int wide = 1280, tall = 800;

std::string longName(const std::string& what) {
    std::string name = what;
    while (name.size() < 180) name += "_of_the_long_named_wreck_in_the_outer_harbour";
    return name;
}

}  // namespace

class RoomTest : public QObject {
    Q_OBJECT

private slots:
    void initTestCase() {
        Mesh ball = test::makeSphere(0.5, 40);
        ensureSections(ball, {});
        ball.parts[0].name = longName("part");
        ball.materials[0].name = longName("material");
        const auto file = m_folder / (longName("asset") + ".glb");
        writeMesh(ball, file, Progress());
        applyTheme(Theme::paperTheme());
        m_window = std::make_unique<MainWindow>(m_folder / "recovery");
        m_window->resize(wide, tall);
        QVERIFY(test::showActive(*m_window));
        m_window->open(QString::fromStdString(file.string()));
        QVERIFY(waitUntilIdle(*m_window));
        desk().openChain();
        QTest::mouseClick(desk().chainCard().makeButton(), Qt::LeftButton);
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(m_window->model().document().levels.size() > 1);
        for (std::size_t i = 0; i < m_window->model().document().levels.size(); ++i)
            m_window->model().change(
                "rename", withRenamedLevel(m_window->model().document(), i, longName("level" + std::to_string(i))));
        desk().chainCard().hide();
        QVERIFY(waitUntilIdle(*m_window));
    }

    // What is shown of a name is a shorter one, and the whole of it when it is pointed at.
    void shortensTheNameOfTheAsset() {
        look("main");
        QLabel* name = labelOf("asset_");
        QVERIFY(name != nullptr && name->width() < name->sizeHint().width());
        QHelpEvent pointed(QEvent::ToolTip, {2, 2}, name->mapToGlobal(QPoint(2, 2)));
        QApplication::sendEvent(name, &pointed);
        QCOMPARE(QToolTip::text(), QString::fromStdString(longName("asset")));
        QToolTip::hideText();
        // So is a level's in its list.
        QLabel* levels = labelOf("LEVELS");
        QVERIFY(levels != nullptr);
        const QWidget* row = m_window->childAt(levels->mapTo(m_window.get(), QPoint(0, 56)));
        QVERIFY(row != nullptr);
        QCOMPARE(row->toolTip(), QString::fromStdString(longName("level0")));
        // Over the picture they are in nobody's way: a drag that begins on one turns it.
        const QLabel* over = labelOf("level0_");
        QVERIFY(over != nullptr);
        ViewArea& view = desk().view();
        QCOMPARE(view.childAt(over->mapTo(&view, over->rect().center())), &view.viewport());
    }

    void breaksOnlyLongWords() {
        QCOMPARE(breakable("short words, and-a-word/of_twenty4", 24), QString("short words, and-a-word/of_twenty4"));
        const QChar mayBreakHere(0x200B);
        QCOMPARE(breakable("abcdefg hij", 3), QString("abc%1def%1g hij").arg(mayBreakHere));
        // Not between the halves of a letter.
        QCOMPARE(breakable("ab\U0001F41Fc", 3), QString("ab\U0001F41F%1c").arg(mayBreakHere));
    }

    void keepsASentenceWithAPathInTheWindow() {
        const QString sentence = "Cannot read " + QString::fromStdString(longName("folder") + longName("file")) + ".";
        m_window->messages().say(sentence);
        look("message");
        QCOMPARE(m_window->messages().message(), sentence);
        m_window->messages().clearMessage();
    }

    void keepsCardsInTheWindow() {
        desk().openChain();
        for (const auto page :
             {ChainCard::Page::Make, ChainCard::Page::Levels, ChainCard::Page::Switching, ChainCard::Page::Budget}) {
            desk().chainCard().open(page);
            look("chain" + std::to_string(int(page)));
        }
        desk().chainCard().hide();
        desk().openExport(-1);
        look("export");
        desk().exportCard().hide();
        desk().openFindings();
        look("findings");
        // It is told by its new name.
        QVERIFY(labelOf("FINDINGS · LEVEL0_OF") != nullptr);
        desk().findingsCard().hide();
    }

    void keepsWhatIsComparedInTheWindow() {
        QTest::keyClick(m_window.get(), Qt::Key_W);
        look("wipe");
        QTest::keyClick(m_window.get(), Qt::Key_T);
        look("twin");
        QTest::keyClick(m_window.get(), Qt::Key_T);
        desk().openSheet(true);
        for (const auto page : {SheetPanel::Page::Seen, SheetPanel::Page::Bake, SheetPanel::Page::Merge}) {
            desk().sheet().openPage(page);
            look("sheet " + std::to_string(int(page)));
        }
        desk().openSheet(false);
    }

    // As on a laptop's screen on which everything is drawn half as large again. The panels scroll then.
    void fitsALowWindow() {
        const QSize low(wide, 640);
        m_window->resize(low);
        QTest::qWait(50);
        QCOMPARE(m_window->size(), low);
        QVERIFY(desk().sightline().mapTo(m_window.get(), QPoint(0, desk().sightline().height())).y() <= low.height());
        QLabel* levels = labelOf("LEVELS");
        QVERIFY(levels != nullptr && scrollAround(levels)->verticalScrollBar()->maximum() > 0);
        desk().openSheet(true);
        for (const auto page : {SheetPanel::Page::Seen, SheetPanel::Page::Bake, SheetPanel::Page::Merge}) {
            desk().sheet().openPage(page);
            QTest::qWait(50);
            QCOMPARE(m_window->size(), low);
        }
        desk().openSheet(false);
        m_window->resize(wide, tall);
        QTest::qWait(50);
    }

    // What is shown stands together at the top, and nothing is torn apart.
    void keepsTogetherInALargeWindow() {
        m_window->resize(1600, 1000);
        QTest::qWait(50);
        const EvidencePanel& evidence = *m_window->findChild<EvidencePanel*>();
        QVERIFY(evidence.isVisible() && evidence.height() <= evidence.sizeHint().height());
        m_window->resize(wide, tall);
        QTest::qWait(50);
    }

private:
    AssetDesk& desk() { return m_window->desk(); }

    void look(const std::string& name) {
        QVERIFY(waitUntilIdle(*m_window));
        QTest::qWait(50);
        QVERIFY2(m_window->minimumSizeHint().width() <= wide, name.c_str());
        QCOMPARE(m_window->size(), QSize(wide, tall));
        for (const QWidget* widget : m_window->findChildren<QWidget*>()) {
            if (!widget->isVisible() || widget->window() != m_window.get()) continue;
            const QRect place(widget->mapTo(m_window.get(), QPoint()), widget->size());
            const QByteArray what = QByteArray(name.c_str()) + ": " + widget->metaObject()->className() + " " +
                                    widget->objectName().toUtf8();
            QVERIFY2(place.left() >= 0 && place.right() < wide, what.constData());
        }
    }

    static QScrollArea* scrollAround(QWidget* widget) {
        for (; widget != nullptr; widget = widget->parentWidget())
            if (auto* scroll = qobject_cast<QScrollArea*>(widget)) return scroll;
        return nullptr;
    }

    QLabel* labelOf(const std::string& begin) {
        for (QLabel* label : m_window->findChildren<QLabel*>())
            if (label->isVisible() && label->text().startsWith(QString::fromStdString(begin))) return label;
        return nullptr;
    }

    test::Folder m_folder;
    std::unique_ptr<MainWindow> m_window;
};

UM_TEST(RoomTest)
#include "RoomTest.moc"

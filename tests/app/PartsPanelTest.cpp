// The source's parts: how they are listed, chosen and found, and where else thousands of them stand.
#include "app/panels/PartsList.h"
#include "app/panels/PartsPanel.h"
#include "app/sheet/BakePage.h"
#include "app/theme/Theme.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"
#include "tests/support/Window.h"

#include <QComboBox>
#include <QLineEdit>
#include <QScrollBar>
#include <QSignalSpy>
#include <QSlider>

using namespace um;
using namespace um::app;
using test::textsOf;

class PartsPanelTest : public QObject {
    Q_OBJECT

private slots:
    void initTestCase() { applyTheme(Theme::paperTheme()); }

    void showsPartsByShareAndTheirProperties() {
        const Mesh two =
            test::joined(test::makeSphere(1, 10), test::moved(test::makeSheet(5, 5), {3, 0, 0}));  // 800 and 50
        PartsPanel panel;
        panel.setSource(&two);
        QVERIFY(textsOf(panel).contains("850"));
        panel.setStatistics(gatherStatistics(two, Progress()));
        QVERIFY(textsOf(panel).contains("SOURCE"));
        QSignalSpy chosen(&panel, &PartsPanel::partChosen);
        panel.choose(1);
        QCOMPARE(chosen[0][0].toInt(), 1);
        QVERIFY(textsOf(panel).contains("SHEET"));
        QVERIFY(textsOf(panel).contains("36"));  // its vertices
        panel.choose(1);                         // once more: none
        QCOMPARE(panel.chosenPart(), -1);
        // Of another source nothing stands out, and the picture is told so.
        panel.choose(1);
        const Mesh other = test::makeSphere(1, 4);
        panel.setSource(&other);
        QCOMPARE(chosen.last()[0].toInt(), -1);
        QCOMPARE(chosen.count(), 4);
        panel.setSource(&two);
        QCOMPARE(chosen.count(), 4);
        QVERIFY(panel.findChild<QComboBox*>() != nullptr);  // the unit is not stated
    }

    void guardsAPartByItsChoice() {
        PartsPanel panel;
        Mesh two = test::joined(test::makeSphere(1, 8), test::moved(test::makeSphere(0.3, 6), {0, 0, 1}));
        two.parts = {{"Head"}, {"Eye"}};
        panel.setSource(&two);
        test::showActive(panel);
        QSignalSpy guarded(&panel, &PartsPanel::guardChosen);
        panel.choose(1);
        QComboBox* guards = nullptr;
        for (QComboBox* box : panel.findChildren<QComboBox*>())
            if (box->accessibleName() == "Guard") guards = box;
        QVERIFY(guards != nullptr && guards->currentText() == "none");
        QTest::keyClick(guards, Qt::Key_Down);
        QCOMPARE(guarded.count(), 1);
        QCOMPARE(guarded[0][0].toInt(), 1);
        QCOMPARE(guarded[0][1].toFloat(), guardHold);
        Guard guard;
        guard.parts = {{"Eye", guardHold}};
        panel.setGuard(guard);
        for (QComboBox* box : panel.findChildren<QComboBox*>())
            if (box->accessibleName() == "Guard" && box->isVisible()) QCOMPARE(box->currentText(), QString("hold"));
    }

    void namesWhatIsNotSound() {
        Mesh mesh = test::makeSheet(1, 1);
        std::swap(mesh.triangles[1][1], mesh.triangles[1][2]);
        PartsPanel panel;
        panel.setSource(&mesh);
        panel.setStatistics(gatherStatistics(mesh, Progress()));
        QVERIFY(textsOf(panel).contains("Flipped"));
    }

    void showsNoPartsRowCutInHalf() {
        Mesh mesh;
        for (int i = 0; i < 9; ++i)
            mesh = i == 0 ? test::makeBox({1, 1, 1}) : test::joined(mesh, test::makeBox({1, 1, 1}));
        PartsPanel panel;
        panel.setSource(&mesh);
        panel.resize(220, 500);
        panel.show();
        auto* list = panel.findChild<PartsList*>();
        auto* bar = list->verticalScrollBar();
        const int step = list->visualRect(list->model()->index(0, 0)).height();
        for (int height = 260; height < 560; height += 7) {
            panel.resize(220, height);
            QTest::qWait(1);
            for (const bool toEnd : {false, true}) {
                bar->setValue(toEnd ? bar->maximum() : 0);
                int whole = 0;
                for (int row = 0; row < 9; ++row) {
                    const QRect place = list->visualRect(list->model()->index(row, 0));
                    const QRect shown = place & list->viewport()->rect();
                    QVERIFY2(shown.isEmpty() || shown == place, qPrintable(QString("%1 tall").arg(height)));
                    whole += shown == place ? 1 : 0;
                }
                QVERIFY(whole >= 1);
                // Not for want of using the room that there is.
                QVERIFY(whole == 9 || list->height() < (whole + 1) * step);
            }
        }
    }

    void listsThousandsOfParts() {
        Mesh mesh = test::makeBox({1, 1, 1});
        mesh.parts.clear();
        mesh.sections.clear();
        for (TriangleId part = 0; part < 30'000; ++part) {
            mesh.parts.push_back({"Bolt " + std::to_string(part)});
            mesh.sections.push_back({part, 0, std::min(part, 12u), part < 12 ? 1u : 0u});
        }
        PartsPanel panel;
        panel.resize(220, 500);
        test::showActive(panel);
        panel.setSource(&mesh);
        auto* find = panel.findChild<QLineEdit*>();
        QVERIFY(find->isVisible());
        QTest::keyClicks(find, "bolt 2999");
        QCOMPARE(panel.chosenPart(), -1);
        QTest::keyClick(find, Qt::Key_Return);
        QCOMPARE(panel.chosenPart(), 2999);
        QTest::keyClick(find, Qt::Key_Return);
        QCOMPARE(panel.chosenPart(), 29990);
        auto* list = panel.findChild<PartsList*>();
        const QRect place = list->visualRect(list->model()->index(29990, 0));
        QVERIFY(list->viewport()->rect().contains(place));
        QTest::mouseClick(list->viewport(), Qt::LeftButton, {}, place.center() - QPoint(0, place.height()));
        QCOMPARE(panel.chosenPart(), 29989);
        QTest::mouseClick(list->viewport(), Qt::LeftButton, {}, place.center() - QPoint(0, place.height()));
        QCOMPARE(panel.chosenPart(), -1);
        QVERIFY(!list->selectionModel()->hasSelection());
    }

    void sharesASheetAmongThousandsOfParts() {
        auto mesh = std::make_shared<Mesh>(test::makeSheet(100, 100));
        mesh->parts.clear();
        mesh->sections.clear();
        for (std::uint32_t part = 0; part < 200; ++part) {  // the last ones are the largest
            const std::uint32_t count = part < 199 ? part : 20'000 - 199 * 198 / 2;
            mesh->sections.push_back({part, 0, part * (part - 1) / 2, count});
            mesh->parts.push_back({"Part " + std::to_string(part)});
        }
        mesh->sections[0].firstTriangle = 0;
        requireSound(*mesh, "mesh");
        BakePage page;
        BakeChoice choice;
        choice.factors = {{"Part 7", 2}};
        page.show(mesh, true, nullptr, choice);
        const auto sliders = [&] {
            QStringList names;
            for (const QSlider* slider : page.findChildren<QSlider*>())
                if (!slider->isHidden()) names.push_back(slider->objectName().mid(7));
            return names;
        };
        QCOMPARE(sliders().size(), 24);
        QVERIFY(sliders().contains("Part 199") && sliders().contains("Part 7") && !sliders().contains("Part 3"));
        QVERIFY(textsOf(page).join(" ").contains("and 176 more"));
        page.setChosenPart("Part 3");
        QVERIFY(sliders().size() == 24 && sliders().contains("Part 3"));
        // However many were given a factor, none of them is hidden.
        for (int part = 20; part < 60; ++part) choice.factors.push_back({"Part " + std::to_string(part), 0.5});
        page.show(mesh, true, nullptr, choice);
        QCOMPARE(sliders().size(), 42);
        QVERIFY(sliders().contains("Part 3") && sliders().contains("Part 20"));
    }
};

UM_TEST(PartsPanelTest)
#include "PartsPanelTest.moc"

// Findings in the real window: counted in the strip, listed with their places, repaired and undone.
#include "app/desks/HealthWatch.h"
#include "app/panels/FindingsCard.h"
#include "app/panels/Widgets.h"
#include "app/theme/Theme.h"
#include "app/viewport/Overlays.h"
#include "demo/RawScan.h"
#include "files/MeshFile.h"
#include "mesh/Statistics.h"
#include "tests/support/Files.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"
#include "tests/support/Window.h"

#include <QLabel>
#include <QScrollArea>

using namespace um;
using namespace um::app;
using test::waitUntil;
using test::waitUntilIdle;

class FindingsTest : public QObject {
    Q_OBJECT

private slots:
    void initTestCase() {
        // A part that was mirrored beside it, and faces inwards.
        Mesh mirrored = test::makeBox({0.1, 0.1, 0.1}, 2);
        for (Vec3f& p : mirrored.positions) p.x() = -p.x();
        m_scan = test::joined(demo::makeRawScan(), test::moved(mirrored, {0, 1.5, 0}));
        writeMesh(m_scan, m_folder / "scan.ply", Progress());
        applyTheme(Theme::paperTheme());
        m_window = std::make_unique<MainWindow>(m_folder / "recovery");
        QVERIFY(test::showActive(*m_window));
        m_window->open(QString::fromStdString((m_folder / "scan.ply").string()));
        QVERIFY(waitUntilIdle(*m_window));
    }

    void countsThemInTheStrip() {
        const auto findings = findFaults(*m_window->model().document().source, Progress());
        QVERIFY(findings.size() >= 5);
        QCOMPARE(strip()->text(), QString("%1 findings").arg(findings.size()));
    }

    void listsThemWithTheSameFiguresAsTheCore() {
        QTest::mouseClick(strip(), Qt::LeftButton);
        QVERIFY(card().isVisible());
        QStringList texts;
        for (const QLabel* label : card().findChildren<QLabel*>()) texts += label->text();
        const auto source = m_window->model().document().source;
        for (const Finding& finding : findFaults(*source, Progress()))
            QVERIFY2(texts.contains(QString::fromStdString(describeFinding(finding, source->metresPerUnit))),
                     qPrintable(texts.join("|")));
        // And as the list on the left.
        const Statistics s = gatherStatistics(*source, Progress()).whole;
        QVERIFY(texts.join("|").contains(QString("%1 open borders").arg(s.borderLoops)));
        QVERIFY(texts.join("|").contains(QString("%1 duplicate triangles").arg(s.duplicateTriangles)));
    }

    void cutsNoneOfThem() {
        const auto* scroll = card().findChild<QScrollArea*>();
        const int shown = scroll->viewport()->height();
        QVERIFY(scroll->widget()->height() > shown);  // not all have room
        for (const QWidget* row : scroll->widget()->findChildren<QWidget*>(QString(), Qt::FindDirectChildrenOnly))
            QVERIFY(row->geometry().bottom() < shown || row->y() >= shown);
    }

    void goesFromPlaceToPlace() {
        Viewport& viewport = m_window->desk().view().viewport();
        const auto bits = finding(Fault::LooseBit);
        QWidget* row = rowOf("loose bit");
        QVERIFY(row != nullptr);
        const MarkLayer& mark = m_window->desk().view().marks();
        for (const std::size_t at : {0u, 1u}) {
            QTest::mouseClick(test::buttonNamed(*row, "Next"), Qt::LeftButton);
            QVERIFY((viewport.camera().target() - bits.places[at].cast<double>()).norm() < 1e-6);
            QVERIFY(mark.isVisible());
            QCOMPARE(mark.rings().size(), std::size_t(1));
            // The ring is where the place is, in the middle of what the card leaves of the picture.
            QVERIFY(std::abs(mark.rings()[0].x() - card().x() / 2.0) < 4);
            QVERIFY(std::abs(mark.rings()[0].y() - viewport.height() / 2.0) < 60);
        }
        QTest::mouseClick(test::buttonNamed(*row, "Previous"), Qt::LeftButton);
        QVERIFY((viewport.camera().target() - bits.places[0].cast<double>()).norm() < 1e-6);
        // It stays at its place when the view moves on.
        const QPointF before = mark.rings()[0];
        viewport.lookAt(bits.places[0].cast<double>() + Vec3d(0.01, 0, 0), 0.05);
        QVERIFY(mark.rings()[0] != before);
    }

    void repairsAndUndoes() {
        const auto source = m_window->model().document().source;
        for (const auto& [row, button, fault] :
             {std::tuple("duplicate", "Drop", Fault::Duplicate), std::tuple("winding", "Turn", Fault::Winding),
              std::tuple("faces inwards", "Turn", Fault::InsideOut),
              std::tuple("loose bit", "Drop", Fault::LooseBit)}) {
            QVERIFY2(rowOf(row) != nullptr, row);
            const auto before = m_window->model().document().source;
            QTest::mouseClick(test::buttonNamed(*rowOf(row), button), Qt::LeftButton);
            QVERIFY(waitUntil([&] { return m_window->model().document().source != before; }));
            QVERIFY(waitUntilIdle(*m_window));
            QVERIFY2(finding(fault).count == 0, row);
            QVERIFY(m_window->messages().message().contains("undo"));
            QVERIFY(rowOf(row) == nullptr);
        }
        requireSound(*m_window->model().document().source, "the source");
        for (int i = 0; i < 4; ++i) m_window->model().undoStack().undo();
        QCOMPARE(m_window->model().document().source, source);
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(rowOf("duplicate") != nullptr);
    }

    void repairsUpToTheSizeThatIsTyped() {
        const auto source = m_window->model().document().source;
        const auto repairUpTo = [&](const QString& typed) {
            auto* field = rowOf("open borders")->findChild<CommitField*>();
            field->selectAll();
            QTest::keyClicks(field, typed);
            QTest::keyClick(field, Qt::Key_Return);
            const auto before = m_window->model().document().source;
            QTest::mouseClick(test::buttonNamed(*rowOf("open borders"), "Fill"), Qt::LeftButton);
            QVERIFY(waitUntil([&] { return !m_window->desk().repairJob().isRunning(); }));
            QVERIFY(waitUntilIdle(*m_window));
        };
        const std::size_t holes = finding(Fault::Hole).count;
        const double longest = finding(Fault::Hole).largest;
        repairUpTo("0.001 mm");
        QCOMPARE(m_window->model().document().source, source);  // none is that small
        repairUpTo("100 mm");
        const std::size_t left = finding(Fault::Hole).count;
        QVERIFY2(left > 0 && left < holes, qPrintable(QString::number(left)));
        QCOMPARE(finding(Fault::Hole).largest, longest);
        auto* field = rowOf("open border")->findChild<CommitField*>();
        QTest::keyClicks(field, "wide");
        QTest::keyClick(field, Qt::Key_Return);
        QVERIFY(field->toolTip().contains("wide"));  // what is wrong with it
        m_window->model().undoStack().undo();
        QCOMPARE(m_window->model().document().source, source);
        QVERIFY(waitUntilIdle(*m_window));
    }

    void looksAgainWhenItWasCancelled() {
        HealthWatch& health = m_window->desk().health();
        Document next = m_window->model().document();
        next.source = std::make_shared<Mesh>(*next.source);
        m_window->model().change("The same again", next);
        QVERIFY(health.job().isRunning());
        QTest::keyClick(m_window.get(), Qt::Key_Escape);
        QVERIFY(waitUntilIdle(*m_window));
        if (!health.of(next.source)) {  // else it was quicker than the key
            QTest::mouseClick(test::buttonNamed(card(), "Look it over"), Qt::LeftButton);
            QVERIFY(waitUntilIdle(*m_window));
        }
        QVERIFY(health.of(next.source) != nullptr);
        m_window->model().undoStack().undo();
        QVERIFY(waitUntilIdle(*m_window));
    }

    void followsWhatIsShownAndCloses() {
        QTest::mouseClick(test::buttonNamed(card(), "Close"), Qt::LeftButton);
        QVERIFY(!card().isVisible());
        QVERIFY(!m_window->findChild<MarkLayer*>()->isVisible());
        Document next = m_window->model().document();
        auto clean = std::make_shared<Mesh>(*next.source);
        for (const Fault fault : {Fault::Duplicate, Fault::LooseBit, Fault::Winding, Fault::Hole})
            repairFault(*clean, fault, usualSize(*clean, fault), Progress());
        next.levels.push_back(makeLevel("LOD 0", "", clean));
        m_window->model().change("level", std::move(next));
        m_window->desk().show({0});
        QVERIFY(waitUntilIdle(*m_window));
        const auto left = m_window->desk().health().of(clean);
        QVERIFY(left != nullptr);
        QVERIFY(strip()->text().startsWith(QString::number(left->size())));
        m_window->model().undoStack().setClean();
    }

    void writesTheEvidenceSheetAsPageAndAsPdf() {
        const QString page = QString::fromStdString((m_folder / "sheet.html").string());
        const QString pdf = QString::fromStdString((m_folder / "sheet.pdf").string());
        AssetDesk& desk = m_window->desk();
        for (const auto& [path, start] : {std::pair(page, "<!DOCTYPE html>"), std::pair(pdf, "%PDF")}) {
            desk.writeSheet(path);
            QVERIFY(desk.sheetJob().isRunning());
            QVERIFY(waitUntilIdle(*m_window));
            QVERIFY2(m_window->messages().message().contains(path), qPrintable(m_window->messages().message()));
            const std::string content = test::contentOf(path.toStdString());
            QVERIFY(content.starts_with(start) && content.size() > 20000);
        }
        desk.writeSheet("/no/such/folder/sheet.pdf");
        QVERIFY(waitUntilIdle(*m_window));
        QVERIFY(m_window->messages().message().contains("/no/such/folder"));
        m_window->model().undoStack().setClean();
    }

private:
    QPushButton* strip() { return m_window->findChild<QPushButton*>("findings"); }
    FindingsCard& card() { return m_window->desk().findingsCard(); }

    Finding finding(Fault fault) {
        const auto findings = m_window->desk().health().of(m_window->model().document().source);
        if (findings)
            for (const Finding& one : *findings)
                if (one.fault == fault) return one;
        return {fault, 0, 0, {}, {}};
    }

    // The row whose first label has these words.
    QWidget* rowOf(const QString& words) {
        for (QLabel* label : card().findChildren<QLabel*>())
            if (label->text().contains(words) && label->isVisible() && !label->text().endsWith('.'))
                return label->parentWidget();
        return nullptr;
    }

    test::Folder m_folder;
    Mesh m_scan;
    std::unique_ptr<MainWindow> m_window;
};

UM_TEST(FindingsTest)
#include "FindingsTest.moc"

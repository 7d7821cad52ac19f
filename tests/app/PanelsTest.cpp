// Each panel by itself: what it shows for a known document, and what it asks for.
#include "app/panels/EvidencePanel.h"
#include "app/panels/ExportCard.h"
#include "app/panels/LevelsPanel.h"
#include "app/panels/MessageBar.h"
#include "app/panels/ProtectPanel.h"
#include "app/panels/TargetPanel.h"
#include "app/panels/TopStrip.h"
#include "app/panels/Widgets.h"
#include "app/sightline/SightlineStrip.h"
#include "app/theme/Theme.h"
#include "app/viewport/Overlays.h"
#include "files/MeshFile.h"
#include "tests/support/Files.h"
#include "tests/support/Shapes.h"
#include "tests/support/TestMain.h"
#include "tests/support/Window.h"

#include <QComboBox>
#include <QSignalSpy>
#include <QSlider>

using namespace um;
using namespace um::app;
using test::waitUntil;

namespace {

std::shared_ptr<const Mesh> shared(Mesh mesh) {
    return std::make_shared<const Mesh>(std::move(mesh));
}

Document twoLevels() {
    Document document;
    document.name = "jar";
    document.source = shared(test::makeSphere(1, 30));
    for (const std::size_t n : {10, 5}) {
        Level level;
        level.name = "LOD " + std::to_string(document.levels.size());
        level.mesh = shared(test::makeSphere(1, n));
        level.evidence =
            std::make_shared<const Deviation>(measureDeviation(*document.source, *level.mesh, {}, Progress()));
        document.levels.push_back(level);
    }
    return document;
}

// WCAG 2.1's contrast of two colours, 1 to 21.
double contrast(const QColor& a, const QColor& b) {
    const auto luminance = [](const QColor& color) {
        const auto linear = [](double x) { return x <= 0.03928 ? x / 12.92 : std::pow((x + 0.055) / 1.055, 2.4); };
        return 0.2126 * linear(color.redF()) + 0.7152 * linear(color.greenF()) + 0.0722 * linear(color.blueF());
    };
    const double x = luminance(a), y = luminance(b);
    return (std::max(x, y) + 0.05) / (std::min(x, y) + 0.05);
}

}  // namespace

class PanelsTest : public QObject {
    Q_OBJECT

private slots:
    void initTestCase() { applyTheme(Theme::paperTheme()); }

    void stepsProtectionThroughOffOnAndLocked() {
        ProtectPanel panel;
        test::showActive(panel);
        panel.show({});
        Care last;
        int changes = 0;
        connect(&panel, &ProtectPanel::changed, &panel, [&](const QString&, const Care& care) {
            last = care;
            ++changes;
        });
        ProtectionChip* borders = panel.chip(0);
        QVERIFY(borders->state() == Protection::On);
        QTest::mouseClick(borders, Qt::LeftButton);
        QVERIFY(last.protect.borders == Protection::Hard && last.protect.seams == Protection::On);
        QVERIFY(borders->toolTip().contains("bit for bit"));
        QTest::mouseClick(borders, Qt::LeftButton);
        QVERIFY(last.protect.borders == Protection::Off);
        QTest::mouseClick(borders, Qt::LeftButton);
        QVERIFY(last.protect.borders == Protection::On);
        QCOMPARE(changes, 3);
    }

    void takesTheSizeOfLoosePartsOnEnterOnly() {
        ProtectPanel panel;
        test::showActive(panel);
        panel.show({});
        QSignalSpy changed(&panel, &ProtectPanel::changed);
        panel.looseField()->setFocus();
        QTest::keyClicks(panel.looseField(), "5mm");
        QCOMPARE(changed.count(), 0);
        QTest::keyClick(panel.looseField(), Qt::Key_Return);
        QCOMPARE(changed.count(), 1);
        QCOMPARE(changed[0][1].value<Care>().dropLoose, std::string("5mm"));
    }

    void canBeReadInBothThemes() {
        for (const Theme& t : {Theme::paperTheme(), Theme::nightTheme()}) {
            QVERIFY(contrast(t.ink, t.panel) > 7);
            QVERIFY(contrast(t.softInk, t.panel) > 4.5);
            QVERIFY(contrast(t.softInk, t.viewportTop) > 3.9);
            QVERIFY(contrast(t.onAccent, t.accent) > 4.5);
            QVERIFY(contrast(t.brick, t.panel) > 4.5);
            // Outward and inward can be told apart without seeing hue.
            QVERIFY(contrast(t.clay, t.blue) > 1.3 || contrast(t.clay, t.slightBlue) > 1.3);
        }
    }

    void bringsItsOwnIcons() {
        for (const char* name : {"close", "frame"}) {
            const QImage image = icon(name, Qt::red).pixmap(32, 32).toImage();
            int inked = 0;
            for (int y = 0; y < 32; ++y)
                for (int x = 0; x < 32; ++x) inked += image.pixelColor(x, y).alpha() > 100 ? 1 : 0;
            QVERIFY2(inked > 20 && inked < 500, name);
        }
        QVERIFY(icon("nothing", Qt::red).isNull());
    }

    void commitsOnEnterOnly() {
        CommitField field;
        QSignalSpy committed(&field, &CommitField::committed);
        field.showValue("0.5 mm");
        field.setHint("a length");
        field.selectAll();
        QTest::keyClicks(&field, "2 mm");
        QCOMPARE(committed.size(), 0);
        QTest::keyClick(&field, Qt::Key_Return);
        QCOMPARE(committed.size(), 1);
        QCOMPARE(committed[0][0].toString(), QString("2 mm"));
        field.showProblem("That is wrong.");
        QCOMPARE(field.toolTip(), QString("That is wrong."));
        QTest::keyClicks(&field, "x");
        QCOMPARE(field.toolTip(), QString("a length"));  // it is being mended
        QTest::keyClick(&field, Qt::Key_Escape);
        QCOMPARE(field.text(), QString("0.5 mm"));
    }

    void leavesAloneWhatIsBeingTyped() {
        QWidget window;
        CommitField field(&window);
        CommitField other(&window);
        QVERIFY(test::showActive(window));
        field.showValue("0.5 mm");
        field.setFocus();
        field.selectAll();
        QTest::keyClicks(&field, "3");
        field.updateValue("0.5 mm");  // as when a measurement arrives
        QCOMPARE(field.text(), QString("3"));
        QSignalSpy committed(&field, &CommitField::committed);
        other.setFocus(Qt::MouseFocusReason);  // leaving the field means it too
        QCOMPARE(committed.size(), 1);
    }

    void describesTargetsAndAsksForThem() {
        Job job;
        TargetPanel panel(job);
        panel.show();
        panel.setSource(1000000, 1, {});
        QSignalSpy wanted(&panel, &TargetPanel::reduceWanted);
        panel.showTarget("12k");
        QVERIFY(test::textsOf(panel).contains("12,000 triangles, 1.2 % of the source"));
        panel.showTarget("0.5mm");
        QVERIFY(test::textsOf(panel).contains("fewest triangles within 0.5 mm"));
        panel.showTarget("1px@24m");  // 24 m on 1440 px at 50 degrees: 2 * 24 * tan(25°) / 1440
        QVERIFY(test::textsOf(panel).join("").contains("within 15.5 mm"));
        QCOMPARE(wanted.size(), 0);
        panel.submit();
        QCOMPARE(wanted.size(), 1);
        panel.showTarget("nonsense");
        panel.submit();
        QCOMPARE(wanted.size(), 1);
        QVERIFY(test::textsOf(panel).join("").contains("is not a target"));
    }

    void setsTheCountBySliderWithoutComputing() {
        Job job;
        TargetPanel panel(job);
        panel.setSource(1000000, 1, {});
        QSignalSpy wanted(&panel, &TargetPanel::reduceWanted);
        auto* slider = panel.findChild<QSlider*>();
        slider->setValue(slider->maximum());
        QCOMPARE(parseCount(panel.text().toStdString()), std::size_t(1000000));
        slider->setValue(slider->maximum() / 2);  // half way in the logarithm: a hundredth
        QCOMPARE(parseCount(panel.text().toStdString()), std::size_t(10000));
        panel.showTarget("100%");
        QCOMPARE(slider->value(), slider->maximum());
        QCOMPARE(wanted.size(), 0);
    }

    void takesWhatStandsInTheEmptyField() {
        Job job;
        TargetPanel panel(job);
        panel.setSource(1000000, 1, {});
        const auto* slider = panel.findChild<QSlider*>();
        const int untouched = slider->value();
        QSignalSpy wanted(&panel, &TargetPanel::reduceWanted);
        panel.submit();
        QCOMPARE(wanted.size(), 1);
        QCOMPARE(wanted[0][0].toString(), QString("2%"));
        QCOMPARE(targetTriangles(wanted[0][1].value<Target>(), 1000000), std::optional<std::size_t>(20000));
        QVERIFY(test::textsOf(panel).contains("20,000 triangles, 2 % of the source"));
        QCOMPARE(slider->value(), untouched);  // it stood there before
        QVERIFY(untouched > slider->maximum() / 2);
    }

    void isDisabledWithoutASource() {
        Job job;
        TargetPanel panel(job);
        QSignalSpy wanted(&panel, &TargetPanel::reduceWanted);
        panel.showTarget("12k");
        panel.submit();
        QCOMPARE(wanted.size(), 0);
    }

    void showsEvidenceForTheTolerance() {
        const Document document = twoLevels();
        Job job;
        EvidencePanel panel(job);
        const Level& level = document.levels[1];
        panel.show(&level, 10, false);
        QCOMPARE(panel.headline(), QString("100 % within"));
        panel.show(&level, 1e-9, false);
        QCOMPARE(panel.headline(), QString("0.0 % within"));
        const double middle = level.evidence->p95;
        panel.show(&level, middle, false);
        QVERIFY2(std::abs(panel.headline().section(' ', 0, 0).toDouble() - 95) < 0.3, qPrintable(panel.headline()));
        QCOMPARE(panel.number("p95"), QString::fromStdString(formatLength(middle)));
        panel.show(nullptr, 1, false);
        QVERIFY(panel.headline().isEmpty());
    }

    void neverRoundsUpToAllOfIt() {
        const Document document = twoLevels();
        Level level = document.levels[0];
        auto evidence = std::make_shared<Deviation>();
        evidence->max = 1;
        evidence->distribution = Distribution(1);
        evidence->distribution.add(0, 99999);
        evidence->distribution.add(1, 1);
        level.evidence = evidence;
        Job job;
        EvidencePanel panel(job);
        panel.show(&level, 0.5, false);
        QCOMPARE(panel.headline(), QString("99.9 % within"));
    }

    void asksToMeasureOnlyWhenNothingElseDoes() {
        Document document = twoLevels();
        document.levels[0].evidence.reset();
        Job job;
        EvidencePanel panel(job);
        QSignalSpy wanted(&panel, &EvidencePanel::measureWanted);
        panel.show(&document.levels[0], 1, true);
        const auto buttons = panel.findChildren<QPushButton*>();
        const auto found =
            std::find_if(buttons.begin(), buttons.end(), [](const auto* one) { return one->text() == "Measure"; });
        QVERIFY(found != buttons.end());
        QPushButton* button = *found;
        QVERIFY(button->isHidden());
        panel.show(&document.levels[0], 1, false);
        QVERIFY(!button->isHidden());
        button->click();
        QCOMPARE(wanted.size(), 1);
    }

    void listsLevelsAndSaysWhichIsClicked() {
        const Document document = twoLevels();
        LevelsPanel panel;
        panel.resize(210, 200);
        panel.show(document, std::nullopt, {Shown::source}, {false, false});
        static_cast<QWidget&>(panel).show();
        QVERIFY(QTest::qWaitForWindowExposed(&panel));
        std::vector<Shown> chosen;
        connect(&panel, &LevelsPanel::chosen, this, [&](Shown shown) { chosen.push_back(shown); });
        QStringList renamed;
        connect(&panel, &LevelsPanel::renamed, this, [&](int, const QString& name) { renamed += name; });
        // The rows lie below the heading, one beneath another: the source, then the levels.
        std::vector<QWidget*> rows;
        for (QWidget* widget : panel.findChildren<QWidget*>())
            if (widget->height() == QFontMetrics(textFont()).height() + 9 && widget->isVisible())
                rows.push_back(widget);
        QCOMPARE(rows.size(), std::size_t(3));
        QTest::mouseClick(rows[2], Qt::LeftButton);
        QTest::mouseClick(rows[0], Qt::LeftButton);
        QCOMPARE(chosen.size(), std::size_t(2));
        QCOMPARE(chosen[0].level, 1);
        QCOMPARE(chosen[1].level, int(Shown::source));
        QTest::mouseDClick(rows[1], Qt::LeftButton);
        auto* field = panel.findChild<CommitField*>();
        QVERIFY(field != nullptr);
        QCOMPARE(field->text(), QString("LOD 0"));
        field->setText("near");
        QTest::keyClick(field, Qt::Key_Return);
        QCOMPARE(renamed, QStringList{"near"});
    }

    void takesToleranceAndScreenWithUnits() {
        TopStrip strip;
        Document document = twoLevels();
        strip.show(document, true, true);
        std::vector<double> tolerances;
        std::vector<Screen> screens;
        connect(&strip, &TopStrip::toleranceWanted, this, [&](double metres) { tolerances.push_back(metres); });
        connect(&strip, &TopStrip::screenWanted, this, [&](const Screen& screen) { screens.push_back(screen); });
        auto* tolerance = strip.findChild<QLineEdit*>("tolerance");
        auto* screen = strip.findChild<QLineEdit*>("screen");
        for (const char* text : {"0.02 in", "-1mm", "0"}) {
            tolerance->setText(text);
            QTest::keyClick(tolerance, Qt::Key_Return);
        }
        QCOMPARE(tolerances.size(), std::size_t(1));
        QVERIFY(std::abs(tolerances[0] - 0.000508) < 1e-12);
        screen->setText("2160px, 40deg");
        QTest::keyClick(screen, Qt::Key_Return);
        QVERIFY(screens.size() == 1 && screens[0] == (Screen{2160, 40}));
        QVERIFY(test::textsOf(strip).contains("— edited"));
        strip.show({}, false, false);
        QVERIFY(tolerance->parentWidget()->isHidden());
    }

    void placesTheViewerAlongTheSightline() {
        SightlineStrip strip;
        strip.resize(1000, 160);
        strip.setScreen({1000, 90});  // a thing 2 d tall fills the screen at distance d
        strip.setAsset(2, {});
        QVERIFY(std::abs(strip.nearest() - 1) < 1e-9);
        QVERIFY(std::abs(strip.pixelsAt(10) - 100) < 1e-9);
        QVERIFY(std::abs(strip.pixelsAt(strip.farthest()) - 3) < 1e-9);
        QSignalSpy moved(&strip, &SightlineStrip::viewerMoved);
        strip.setViewer(10);
        strip.stepViewer(12);
        QVERIFY(std::abs(strip.viewer() - 20) < 1e-9);
        strip.stepViewer(-1000);
        QVERIFY(std::abs(strip.viewer() - strip.nearest()) < 1e-9);
        QTest::mouseClick(&strip, Qt::LeftButton, {}, {999, 60});
        QVERIFY(std::abs(strip.viewer() - strip.farthest()) < 1e-9);
        QCOMPARE(moved.size(), 3);
        // Logarithmic: half way lies the geometric mean.
        QTest::mouseClick(&strip, Qt::LeftButton, {}, {(60 + 1000 - 24) / 2, 60});
        QVERIFY(std::abs(strip.viewer() / std::sqrt(strip.nearest() * strip.farthest()) - 1) < 0.01);
    }

    // Each second row of a picture of sixty is dark: so they are on the screen, whatever the rest is drawn at.
    void drawsOutlinesPixelForPixel() {
        constexpr int rowsOfPicture = 60;
        CoverageMask striped{20, rowsOfPicture, std::vector<std::uint8_t>(20 * rowsOfPicture, 0)};
        for (std::size_t i = 0; i < striped.coverage.size(); ++i)
            if (i / 20 % 2 == 0) striped.coverage[i] = 255;
        SightlineStrip strip;
        strip.resize(1000, strip.height());
        strip.setAsset(2, {striped});
        for (const double ratio : {1.0, 1.25, 1.5, 2.0}) {
            QImage picture((QSizeF(strip.size()) * ratio).toSize(), QImage::Format_RGB32);
            picture.setDevicePixelRatio(ratio);
            strip.render(&picture);
            int columns = 0;
            for (int x = 0; x < picture.width(); ++x) {
                std::vector<int> dark;
                for (int y = 0; y < picture.height(); ++y)
                    if (picture.pixelColor(x, y) == theme().ink) dark.push_back(y);
                if (dark.size() < rowsOfPicture / 4) continue;  // text
                ++columns;
                QCOMPARE(int(dark.size()), rowsOfPicture / 2);
                for (std::size_t i = 1; i < dark.size(); ++i) QCOMPARE(dark[i], dark[i - 1] + 2);
            }
            QCOMPARE(columns, 20);
        }
    }

    void standsStillWithoutAnAsset() {
        SightlineStrip strip;
        strip.resize(800, 160);
        QSignalSpy moved(&strip, &SightlineStrip::viewerMoved);
        QTest::mouseClick(&strip, Qt::LeftButton, {}, {400, 60});
        strip.stepViewer(1);
        QCOMPARE(moved.size(), 0);
    }

    void exportsOneLevelOrAll() {
        const test::Folder folder;
        QWidget window;
        ExportCard card(&window);
        window.show();
        card.open(twoLevels(), 1);
        card.findChild<QLineEdit*>("exportFolder")->setText(QString::fromStdString(folder.path().string()));
        card.findChild<QLineEdit*>("exportPattern")->setText("{name}/{level}");
        card.findChildren<QComboBox*>()[1]->setCurrentText("ply");
        test::buttonNamed(card, "Export")->click();
        QVERIFY(waitUntil([&] { return !card.job().isRunning(); }));
        QCOMPARE(readMesh(folder / "jar/LOD 1.ply", Progress()).mesh.triangleCount(), std::size_t(200));
        QVERIFY(!std::filesystem::exists(folder / "jar/LOD 0.ply"));
        card.open(twoLevels(), -1);
        card.findChild<QLineEdit*>("exportPattern")->setText("same");
        QVERIFY(!test::buttonNamed(card, "Export")->isEnabled());  // both would be one file
        QVERIFY(test::textsOf(card).join("").contains("{n}"));
        card.findChild<QLineEdit*>("exportPattern")->setText("{name}_lod{n}");
        test::buttonNamed(card, "Export")->click();
        QVERIFY(waitUntil([&] { return !card.job().isRunning(); }));
        QVERIFY(std::filesystem::exists(folder / "jar_lod0.ply") && std::filesystem::exists(folder / "jar_lod1.ply"));
    }

    void saysWhyAnExportFailed() {
        QWidget window;
        ExportCard card(&window);
        window.show();
        card.open(twoLevels(), -1);
        card.findChild<QLineEdit*>("exportFolder")->setText("/proc/nowhere");
        card.findChild<QLineEdit*>("exportPattern")->setText("{name}_lod{n}");
        test::buttonNamed(card, "Export")->click();
        QVERIFY(waitUntil([&] { return !card.job().isRunning(); }));
        QVERIFY(card.isVisible());
        QVERIFY2(test::textsOf(card).join("").contains("/proc/nowhere"), qPrintable(test::textsOf(card).join("|")));
    }

    void asksAndSaysInTheMessageBar() {
        MessageBar bar;
        bar.say("Something is so.");
        QVERIFY(!bar.isHidden());
        QCOMPARE(bar.message(), QString("Something is so."));
        QStringList answers;
        const auto ask = [&](MessageBar::About about, const QString& sentence) {
            bar.ask(
                about, sentence, "This", [&answers, sentence] { answers += sentence + " this"; }, "That",
                [&answers, sentence] { answers += sentence + " that"; });
        };
        const auto answer = [&](const QString& text) {
            for (QPushButton* button : bar.findChildren<QPushButton*>())
                if (button->text() == text) button->click();
        };
        ask(MessageBar::About::Program, "First?");
        ask(MessageBar::About::Document, "Second?");
        ask(MessageBar::About::Document, "Third?");
        bar.say("Something else is so.");
        QCOMPARE(bar.question(), QString("First?"));  // neither a message nor another question takes its place
        answer("That");
        QCOMPARE(bar.question(), QString("Second?"));
        bar.withdrawQuestions(MessageBar::About::Document);
        QVERIFY(bar.question().isEmpty());
        QVERIFY(!bar.isHidden());
        QCOMPARE(answers, QStringList{"First? that"});
        bar.clearMessage();
        QVERIFY(bar.isHidden());
    }
};

UM_TEST(PanelsTest)
#include "PanelsTest.moc"

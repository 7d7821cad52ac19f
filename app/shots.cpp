// umesh-shots: takes the pictures of docs/screenshots from the demo data, driving the real window.
#include "app/desks/ChainWork.h"
#include "app/MainWindow.h"
#include "app/panels/ChainCard.h"
#include "app/panels/EvidenceSheet.h"
#include "app/panels/ExportCard.h"
#include "app/panels/FindingsCard.h"
#include "app/panels/OutlinePanel.h"
#include "app/panels/PartsPanel.h"
#include "app/panels/TargetPanel.h"
#include "app/panels/Widgets.h"
#include "app/sheet/BakePage.h"
#include "app/sheet/MergePage.h"
#include "app/sheet/SheetPanel.h"
#include "app/sightline/SightlineStrip.h"
#include "app/theme/Theme.h"
#include "app/viewport/ViewArea.h"
#include "document/Edits.h"
#include "document/Report.h"

#include <cstdio>
#include <QApplication>
#include <QDir>
#include <QMouseEvent>
#include <QPainter>
#include <QScreen>
#include <QSettings>
#include <QTemporaryDir>

namespace um::app {
namespace {

void let(int milliseconds) {
    QElapsedTimer clock;
    clock.start();
    while (clock.elapsed() < milliseconds) QApplication::processEvents(QEventLoop::AllEvents, 20);
}

template <class Condition>
bool waitFor(const Condition& condition, int seconds) {
    QElapsedTimer clock;
    clock.start();
    while (!condition() && clock.elapsed() < 1000 * seconds) let(30);
    return condition();
}

class Photographer {
public:
    Photographer(QString data, QString out, QString only)
        : m_data(std::move(data)), m_out(std::move(out)), m_only(std::move(only)) {
        m_window.show();
        let(300);
    }

    void run() {
        if (wantsAny({"jar-opened", "jar-reducing", "jar-deviation-wipe", "export"})) jar();
        if (wantsAny({"jar-chain", "jar-amber", "chain-card"})) jarChain();
        if (wants("eel-chain")) eelChain();
        if (wants("anchor-outline")) anchor();
        if (wants("findings")) findings();
        if (wants("evidence-sheet")) sheet();
        if (wantsAny({"eel-hard", "eel-hard-held"}))
            hard("eel", "eel-hard", "1500", "12mm", 0.55, 0.2, {{"Eyes", 0.5f}, {"Inner mouth", 0.3f}});
        if (wants("coral-load")) coral();
        if (wantsAny({"lamp-baked", "night"})) lamp();
        if (wants("jar-baked")) jarBaked();
        if (wantsAny({"lamp-merge", "lamp-merged"})) lampMerge();
        if (wants("jar-cage")) jarCage();
    }

private:
    bool wants(const QString& name) const { return m_only.isEmpty() || m_only == name; }

    bool wantsAny(std::initializer_list<const char*> names) const {
        return std::any_of(names.begin(), names.end(), [this](const char* name) { return wants(name); });
    }

    void settle() {
        waitFor([&] { return !m_window.openJob().isRunning() && m_window.desk().isIdle(); }, 180);
        let(250);
    }

    void take(const QString& name) {
        if (!wants(name)) return;
        const QString file = m_out + "/" + name + ".png";
        QScreen* screen = m_window.screen();
        screen->grabWindow(m_window.winId()).save(file);
        std::printf("%s\n", qPrintable(file));
    }

    void reduce(const QString& target) {
        m_window.desk().target().showTarget(target);
        m_window.desk().target().submit();
    }

    void jar() {
        AssetDesk& desk = m_window.desk();
        m_window.open(m_data + "/storage-jar-07.glb");
        settle();
        desk.view().toggleLit();
        standAt(0.35, 0.16);
        settle();
        take("jar-opened");
        reduce("120k");
        settle();
        desk.keepPreview();
        reduce("36k");
        settle();
        desk.keepPreview();
        reduce("12k");
        let(500);
        waitFor([&] { return desk.reduceJob().isRunning(); }, 2);
        let(900);
        take("jar-reducing");
        settle();
        desk.view().toggleLit();
        desk.view().toggleDeviation();
        desk.view().toggleEdges();
        desk.view().toggleWipe();
        settle();
        take("jar-deviation-wipe");
        desk.keepPreview();
        settle();
        if (wants("export")) {
            desk.view().toggleEdges();
            desk.openExport(-1);
            desk.exportCard().findChild<QLineEdit*>("exportFolder")->setText("/home/diver/skerry/levels");
            settle();
            take("export");
            desk.exportCard().hide();
        }
        m_window.model().undoStack().setClean();
    }

    void standAt(double metres) {
        SightlineStrip& sightline = m_window.desk().sightline();
        sightline.setViewer(metres);
        // A step of nothing: the marker is walked there, as by hand.
        sightline.stepViewer(0);
    }

    // A planned chain, the marker where a far level is drawn; and the same with a level drawn nearer than it may be.
    void jarChain() {
        AssetDesk& desk = m_window.desk();
        plain();
        m_window.open(m_data + "/storage-jar-07.glb");
        settle();
        desk.view().toggleLit();
        standAt(0.35, 0.16);
        desk.openChain();
        desk.chainCard().make();
        settle();
        Document next = m_window.model().document();
        next.switching.gonePixels = 5;
        next.budget = {0, 180000, 8, 8, 0};
        m_window.model().change("Budget", next);
        settle();
        take("chain-card");
        desk.chainCard().hide();
        desk.show({0});
        standAt(24);
        settle();
        take("jar-chain");
        sayHowFastTheStripIs();
        emit desk.sightline().jointMoved(1, 1.2);
        standAt(1.6);
        settle();
        take("jar-amber");
        desk.view().toggleLit();
        m_window.model().undoStack().setClean();
    }

    // While the marker is dragged, as many pictures a second are due as the screen can show.
    void sayHowFastTheStripIs() {
        SightlineStrip& sightline = m_window.desk().sightline();
        const double viewer = sightline.viewer();
        QImage picture(sightline.size(), QImage::Format_ARGB32_Premultiplied);
        std::vector<double> milliseconds;
        for (int i = 0; i < 120; ++i) {
            sightline.setViewer(viewer * (1 + 0.01 * i));
            QElapsedTimer clock;
            clock.start();
            sightline.render(&picture);
            milliseconds.push_back(double(clock.nsecsElapsed()) / 1e6);
        }
        sightline.setViewer(viewer);
        std::nth_element(milliseconds.begin(), milliseconds.begin() + 60, milliseconds.end());
        std::printf("The Sightline takes %.2f ms a picture (median of 120; a sixtieth of a second is %.2f ms).\n",
                    milliseconds[60], 1000.0 / 60);
    }

    void eelChain() {
        AssetDesk& desk = m_window.desk();
        plain();
        m_window.open(m_data + "/eel.glb");
        settle();
        standAt(0.55, 0.2);
        desk.chainWork().make(readShipped(shippedRecipes()[2]));
        settle();
        desk.show({1});
        standAt(12);
        desk.view().toggleEdges();
        settle();
        take("eel-chain");
        desk.view().toggleEdges();
        m_window.model().undoStack().setClean();
    }

    // Where the camera stood before leaves no trace.
    void standAt(double turn, double rise) {
        m_window.desk().view().viewport().lookFrom(turn, rise);
        m_window.desk().view().viewport().frameAll();
    }

    // As the desk is when nothing has been chosen for the view.
    void plain() {
        for (const char* chip : {"Wipe", "Twin", "Deviation", "Pixel load", "Texels", "Outline", "Edges"})
            m_window.desk().view().chip(chip)->setChecked(false);
    }

    // Where the outline suffers most, seen from there.
    void anchor() {
        AssetDesk& desk = m_window.desk();
        plain();
        m_window.open(m_data + "/anchor.glb");
        settle();
        reduce("900");
        settle();
        desk.view().toggleOutline();
        for (auto* button : desk.outline().findChildren<QPushButton*>())
            if (button->text() == "Look there") button->click();
        settle();
        take("anchor-outline");
        desk.view().toggleOutline();
        m_window.model().undoStack().setClean();
    }

    // The first page of the evidence sheet.
    void sheet() {
        Document document = documentFromMesh((m_data + "/anchor.glb").toStdString(), Progress());
        document.viewerDistance = 30;
        for (const std::size_t target : {12000, 1500}) {
            ReduceSettings settings;
            auto level = std::make_shared<const Mesh>(reduceMesh(*document.source, target, settings, Progress()).mesh);
            document.levels.push_back(
                makeLevel("LOD " + std::to_string(document.levels.size()), std::to_string(target), level));
        }
        const auto text = layOutSheet(reportHtml(document, "2026-11-23", Progress()));
        const QSizeF page = text->pageSize();
        constexpr int margin = 24;
        QImage picture(QSize(int(page.width()) + 2 * margin, int(1.9 * page.height())), QImage::Format_RGB32);
        picture.fill("#F8F6F1");
        QPainter painter(&picture);
        painter.translate(margin, margin);
        text->drawContents(&painter);
        painter.end();
        save(picture, "evidence-sheet");
    }

    void save(const QImage& picture, const QString& name) {
        const QString file = m_out + "/" + name + ".png";
        picture.save(file);
        std::printf("%s\n", qPrintable(file));
    }

    // A scan as it comes off the machine, with what is wrong with it.
    void findings() {
        AssetDesk& desk = m_window.desk();
        plain();
        m_window.open(m_data + "/raw-scan.ply");
        settle();
        standAt(0.5, 0.6);
        settle();
        desk.openFindings();
        for (auto* button : desk.findingsCard().findChildren<QPushButton*>())
            if (button->text() == "Next") {
                button->click();
                break;
            }
        settle();
        take("findings");
        desk.openFindings();
        m_window.model().undoStack().setClean();
    }

    // Reduced hard twice: as it comes, and with care taken.
    void hard(const QString& file, const QString& name, const QString& target, const char* dropLoose, double turn,
              double rise, const std::vector<PartGuard>& guards) {
        AssetDesk& desk = m_window.desk();
        plain();
        m_window.open(m_data + "/" + file + ".glb");
        settle();
        if (!desk.view().chip("Edges")->isChecked()) desk.view().toggleEdges();
        standAt(turn, rise);
        reduce(target);
        settle();
        take(name);
        Document next = m_window.model().document();
        next.care.guard.parts = guards;
        next.care.silhouetteWeight = 0.8;
        next.care.dropLoose = dropLoose;
        m_window.model().change("Care", next);
        reduce(target);
        settle();
        take(name + "-held");
        desk.view().toggleEdges();
        m_window.model().undoStack().setClean();
    }

    void coral() {
        AssetDesk& desk = m_window.desk();
        plain();
        m_window.open(m_data + "/coral-head-6m.ply");
        settle();
        standAt(0.5, 0.5);
        settle();
        reduce("9k");
        settle();
        desk.view().togglePixelLoad();
        desk.view().toggleWipe();
        settle();
        take("coral-load");
        m_window.model().undoStack().setClean();
    }

    void keep(const QString& target) {
        reduce(target);
        settle();
        m_window.desk().keepPreview();
        settle();
    }

    // The lamp beside its level, which has one sheet in the place of all textures; and where a coarser one, baked in
    // too shallow a cage, found nothing.
    void lamp() {
        AssetDesk& desk = m_window.desk();
        plain();
        m_window.open(m_data + "/divers-lamp.glb");
        settle();
        standAt(0.3, 0.2);
        keep("12k");
        Document next = m_window.model().document();
        next.bake.joinParts = true;
        m_window.model().change("How to bake", next);
        desk.view().toggleLit();
        desk.view().toggleSheet();
        desk.bakeShown();
        settle();
        desk.view().toggleTwin();
        settle();
        take("lamp-baked");
        desk.view().toggleTwin();
        if (wants("night")) {
            keep("2k");
            next = m_window.model().document();
            next.bake.cage = "0.3x";
            m_window.model().change("How to bake", next);
            desk.bakeShown();
            settle();
            desk.goToMiss();
            applyTheme(Theme::nightTheme());
            desk.show(desk.shown());
            desk.view().viewport().redraw();
            settle();
            desk.goToMiss();
            desk.view().viewport().frameAll();
            settle();
            take("night");
            applyTheme(Theme::paperTheme());
        }
        desk.view().toggleSheet();
        desk.view().toggleLit();
        m_window.model().undoStack().setClean();
    }

    // What merging the lamp's own materials would come to.
    void lampMerge() {
        AssetDesk& desk = m_window.desk();
        plain();
        m_window.open(m_data + "/divers-lamp.glb");
        settle();
        standAt(0.3, 0.2);
        desk.view().toggleLit();
        desk.view().toggleSheet();
        desk.sheet().openPage(SheetPanel::Page::Merge);
        settle();
        take("lamp-merge");
        if (m_only == "lamp-merged") {  // not among the pictures that are kept
            desk.sheet().mergePage().putOn(0, leftOut);
            settle();
            desk.sheet().mergeButton().click();
            settle();
            take("lamp-merged");
        }
        desk.sheet().openPage(SheetPanel::Page::Seen);
        desk.view().toggleSheet();
        desk.view().toggleLit();
    }

    // The room in which the source is looked for, around a coarse level, deeper where it was pushed.
    void jarCage() {
        AssetDesk& desk = m_window.desk();
        plain();
        m_window.open(m_data + "/storage-jar-07.glb");
        settle();
        standAt(0.35, 0.16);
        keep("2k");
        desk.view().toggleSheet();
        desk.sheet().openPage(SheetPanel::Page::Bake);
        for (QPushButton* chip : desk.sheet().bakePage().findChildren<QPushButton*>("chip")) chip->click();
        settle();
        Viewport& viewport = desk.view().viewport();
        const auto send = [&](QEvent::Type type, const QPointF& place) {
            QMouseEvent event(type, place, viewport.mapToGlobal(place), Qt::LeftButton, Qt::LeftButton, Qt::NoModifier);
            QApplication::sendEvent(&viewport, &event);
        };
        const QPointF middle(viewport.width() * 0.5, viewport.height() * 0.5);
        for (int stroke = 0; stroke < 4; ++stroke) {
            send(QEvent::MouseButtonPress, middle - QPointF(50, 0));
            for (int x = -50; x <= 50; x += 5) send(QEvent::MouseMove, middle + QPointF(x, 0));
            send(QEvent::MouseButtonRelease, middle + QPointF(50, 0));
            settle();
        }
        take("jar-cage");
        desk.view().toggleSheet();
        m_window.model().undoStack().setClean();
    }

    // Two thousand triangles twice: as they come out of the reduction, and baked.
    void jarBaked() {
        AssetDesk& desk = m_window.desk();
        plain();
        m_window.open(m_data + "/storage-jar-07.glb");
        settle();
        standAt(0.35, 0.16);
        keep("2k");
        keep("2k");
        desk.view().toggleLit();
        desk.view().toggleSheet();
        desk.bakeShown();
        settle();
        desk.compareWith({0});
        desk.view().toggleTwin();
        settle();
        take("jar-baked");
        desk.view().toggleTwin();
        desk.view().toggleSheet();
        desk.view().toggleLit();
        m_window.model().undoStack().setClean();
    }

    QString m_data, m_out, m_only;
    QTemporaryDir m_recovery;
    MainWindow m_window{std::filesystem::path(m_recovery.path().toStdString())};
};

}  // namespace
}  // namespace um::app

int main(int argc, char** argv) {
    um::app::Viewport::requestOpenGl();
    QTemporaryDir settings;
    QSettings::setPath(QSettings::NativeFormat, QSettings::UserScope, settings.path());
    QApplication application(argc, argv);
    if (argc < 3) {
        std::fprintf(stderr, "usage: umesh-shots DEMO_DATA OUT_FOLDER [NAME]\n");
        return 2;
    }
    um::app::applyTheme(um::app::Theme::paperTheme());
    QDir().mkpath(argv[2]);
    um::app::Photographer(argv[1], argv[2], argc > 3 ? argv[3] : "").run();
    return 0;
}

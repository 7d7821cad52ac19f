#include "app/MainWindow.h"

#include "app/desks/ChainWork.h"
#include "app/panels/FileChoice.h"
#include "app/panels/MessageBar.h"
#include "app/panels/OutlinePanel.h"
#include "app/panels/TargetPanel.h"
#include "app/panels/TopStrip.h"
#include "app/panels/Widgets.h"
#include "app/sightline/SightlineStrip.h"
#include "app/theme/Theme.h"
#include "app/viewport/ViewArea.h"
#include "base/Error.h"

#include <QApplication>
#include <QCloseEvent>
#include <QDialog>
#include <QFileInfo>
#include <QGridLayout>
#include <QMenu>
#include <QMenuBar>
#include <QMessageBox>
#include <QMimeData>
#include <QScreen>
#include <QSettings>
#include <QVBoxLayout>

namespace um::app {
namespace {

constexpr int recoveryDelay = 1500;  // milliseconds after the last change

// What everything finds room in, and with more for the asset where the screen has it.
constexpr QSize designedSize(1280, 800), roomySize(1600, 1000);

constexpr const char* windowPlace = "window";

struct KeyLine {
    const char* keys;
    const char* what;
};

constexpr KeyLine keyLines[] = {
    {"0", "the source"},
    {"1 … 9", "the levels, in their order; the preview behind them"},
    {"Space, held", "blink to what is compared"},
    {"C", "lit or clay"},
    {"D", "deviation"},
    {"S", "what the outline lost and grew"},
    {"E", "edges"},
    {"P", "pixel load where the player stands"},
    {"G", "texels for each pixel there"},
    {"X, Shift+X", "to the worst deviations, one after another"},
    {"V", "plays the views with the worst outlines"},
    {"W", "wipe between what is shown and what it is compared with"},
    {"T", "both side by side"},
    {"L held, drag", "turns the light; L alone puts it back"},
    {"click", "how far that place is off"},
    {"F", "everything into view"},
    {"[  ]", "the viewer nearer, farther"},
    {"Y", "walks up to the asset and away, with the levels changing as they would"},
    {"Ctrl+R", "read the source again"},
    {"Ctrl+L", "the chain: how its levels are made, and when they switch"},
    {"U", "the sheet: textures seen flat, and how a level is baked"},
    {"Ctrl+B", "bake the level shown"},
    {"Ctrl+Return", "reduce"},
    {"Esc", "cancel what is running"},
    {"drag", "orbit"},
    {"middle drag, Shift drag", "pan"},
    {"wheel", "zoom to the cursor"},
};

}  // namespace

MainWindow::MainWindow(const std::filesystem::path& recoveryFolder)
    : m_recoveryFolder(recoveryFolder),
      m_top(new TopStrip),
      m_messages(new MessageBar),
      m_desk(new AssetDesk(m_model, *m_messages)) {
    setWindowTitle(tr("Understated Mesh"));
    setWindowIcon(QIcon(":/icons/understated-mesh.svg"));
    setAcceptDrops(true);
    resize(designedSize);
    auto* centre = new QWidget;
    auto* column = new QVBoxLayout(centre);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    column->addWidget(m_top);
    column->addWidget(makeRule());
    column->addWidget(m_messages);
    column->addWidget(makeActivity());
    column->addWidget(m_desk, 1);
    setCentralWidget(centre);
    m_desk->view().setWelcome(makeWelcome());
    makeMenus();

    connect(&m_model, &DocumentModel::changed, this, [this] {
        m_top->show(m_model.document(), m_model.isOpen(), m_model.isEdited());
        keepRecoverable();
        showTitle();
    });
    connect(&m_model, &DocumentModel::editedChanged, this, [this] {
        m_top->show(m_model.document(), m_model.isOpen(), m_model.isEdited());
        keepRecoverable();
        showTitle();
    });
    connect(m_top, &TopStrip::findingsWanted, m_desk, &AssetDesk::openFindings);
    connect(m_desk, &AssetDesk::findingsChanged, m_top, &TopStrip::showFindings);
    connect(m_top, &TopStrip::toleranceWanted, this, [this](double metres) {
        Document next = m_model.document();
        next.tolerance = metres;
        m_model.change(tr("Tolerance"), std::move(next));
    });
    connect(m_top, &TopStrip::screenWanted, this, [this](const Screen& screen) {
        Document next = m_model.document();
        next.screen = screen;
        m_model.change(tr("Screen"), std::move(next));
    });
    connect(&m_sourceWatch, &SourceWatch::sourceChanged, this, &MainWindow::askToReadAgain);
    connect(&m_desk->view().viewport(), &Viewport::unusable, m_messages, &MessageBar::say);
    connect(&m_opening, &Job::failed, m_messages, &MessageBar::say);
    connect(&m_saving, &Job::failed, this, [this](const QString& sentence) {
        m_afterSaving = nullptr;
        m_messages->say(sentence);
    });
    m_recoveryTimer.setSingleShot(true);
    m_recoveryTimer.setInterval(recoveryDelay);
    connect(&m_recoveryTimer, &QTimer::timeout, this, [this] {
        if (!m_slot || !m_model.isEdited() || m_recovering.isRunning()) return;
        m_recovering.start([this, document = m_model.document()](const Progress& progress) -> Job::Delivery {
            m_slot->keep(document, progress);
            return {};
        });
    });
    connect(&m_recovering, &Job::ended, this, [this] {
        if (!m_model.isEdited() && m_slot) m_slot->clear();
    });
    try {
        m_slot = std::make_unique<RecoverySlot>(m_recoveryFolder);
    } catch (const Error& error) {
        m_messages->say(QString::fromUtf8(error.what()));
    }
    qApp->installEventFilter(this);
    m_desk->view().viewport().setFocus();  // nothing waits to be typed or pressed
    m_top->show({}, false, false);
    showRecent();
    offerAbandonedWork();
}

MainWindow::~MainWindow() {
    qApp->removeEventFilter(this);
    m_recovering.cancelAndWait();
    if (m_slot && !m_model.isEdited()) m_slot->clear();
}

// Reading, saving and the sheet while something is open: under the menus they were started from. Without a document the
// welcome shows it.
QWidget* MainWindow::makeActivity() {
    auto* activity = new QWidget;
    activity->setObjectName("strip");
    activity->setAttribute(Qt::WA_StyledBackground);
    auto* column = new QVBoxLayout(activity);
    column->setContentsMargins(16, 6, 16, 6);
    column->addWidget(new JobStrip(m_opening, tr("Reading")));
    column->addWidget(new JobStrip(m_saving, tr("Saving")));
    column->addWidget(new JobStrip(m_desk->sheetJob(), tr("Writing the evidence sheet")));
    column->addWidget(new JobStrip(m_desk->restateJob(), tr("Changing the source")));
    activity->hide();
    connect(&m_opening, &Job::started, activity, [this, activity] { activity->setVisible(m_model.isOpen()); });
    const std::vector<Job*> others = {&m_saving, &m_desk->sheetJob(), &m_desk->restateJob()};
    const auto settle = [this, activity, others] {
        activity->setVisible(
            (m_opening.isRunning() && m_model.isOpen()) ||
            std::any_of(others.begin(), others.end(), [](const Job* job) { return job->isRunning(); }));
    };
    connect(&m_opening, &Job::ended, activity, settle);
    for (Job* job : others) {
        connect(job, &Job::started, activity, &QWidget::show);
        connect(job, &Job::ended, activity, settle);
    }
    return activity;
}

QWidget* MainWindow::makeWelcome() {
    auto* welcome = new QWidget;
    welcome->setFixedWidth(420);
    auto* column = new QVBoxLayout(welcome);
    column->setSpacing(10);
    auto* title = new QLabel(tr("Drop a mesh here"));
    title->setFont(textFont(6, QFont::DemiBold));
    title->setAlignment(Qt::AlignHCenter);
    QLabel* kinds = makeQuietLabel(tr("OBJ, PLY, STL, glTF, GLB, COLLADA, X3D, OFF, 3MF, or a document (.umesh)"));
    kinds->setAlignment(Qt::AlignHCenter);
    auto* button = new QPushButton(tr("Open …"));
    button->setObjectName("primary");
    connect(button, &QPushButton::clicked, this, &MainWindow::chooseAndOpen);
    m_recentList = new QVBoxLayout;
    m_recentList->setSpacing(2);
    column->addWidget(title);
    column->addWidget(kinds);
    column->addWidget(button, 0, Qt::AlignHCenter);
    column->addWidget(new JobStrip(m_opening, tr("Reading")));
    column->addLayout(m_recentList);
    return welcome;
}

void MainWindow::makeMenus() {
    QMenuBar* bar = m_top->menus();
    const auto add = [](QMenu* menu, const QString& text, const QKeySequence& key, auto&& slot) {
        QAction* action = menu->addAction(text);
        action->setShortcut(key);
        connect(action, &QAction::triggered, std::forward<decltype(slot)>(slot));
        return action;
    };
    QMenu* file = bar->addMenu(tr("File"));
    add(file, tr("Open …"), QKeySequence::Open, [this] { chooseAndOpen(); });
    m_recentMenu = file->addMenu(tr("Open recent"));
    file->addSeparator();
    QAction* rereading = add(file, tr("Read the source again"), QKeySequence("Ctrl+R"), [this] {
        const std::filesystem::path& source = m_model.document().sourceFile;
        if (!source.empty()) readSource(QString::fromStdString(source.string()));
    });
    QAction* replacing = add(file, tr("Another source …"), {}, [this] {
        const QString path = chooseToOpen(this, tr("Another source for these levels"), readableMeshes());
        if (!path.isEmpty()) readSource(path);
    });
    replacing->setToolTip(tr("Puts another file's mesh in the source's place; levels and settings stay"));
    file->addSeparator();
    QAction* saving = add(file, tr("Save"), QKeySequence::Save, [this] { save(); });
    QAction* savingAs = add(file, tr("Save as …"), QKeySequence("Ctrl+Shift+S"), [this] { saveAs(); });
    QAction* embedding = file->addAction(tr("Carry the source inside the document"));
    embedding->setCheckable(true);
    connect(embedding, &QAction::triggered, this, [this](bool embed) {
        Document next = m_model.document();
        // Without a file of its own the source has nowhere else to be.
        next.embedSource = embed || next.sourceFile.empty();
        m_model.change(embed ? tr("Carry source inside") : tr("Refer to source"), std::move(next));
    });
    QAction* carrying = file->addAction(tr("Carry the levels inside the document"));
    carrying->setCheckable(true);
    carrying->setToolTip(
        tr("Otherwise those that can be made again are made on opening: a smaller file, a longer wait"));
    connect(carrying, &QAction::triggered, this, [this](bool embed) {
        Document next = m_model.document();
        next.embedLevels = embed;
        m_model.change(embed ? tr("Carry levels inside") : tr("Leave levels out"), std::move(next));
    });
    file->setToolTipsVisible(true);
    file->addSeparator();
    QAction* exporting = add(file, tr("Export levels …"), QKeySequence("Ctrl+E"), [this] { m_desk->openExport(-1); });
    file->addSeparator();
    const auto named = [this](const QString& pattern) {
        return pattern.arg(QString::fromStdString(m_model.document().name));
    };
    QAction* sheet = add(file, tr("Evidence sheet …"), {}, [this, named] {
        const QString path = chooseToWrite(this, tr("Evidence sheet"), named(tr("%1 evidence")),
                                           {{tr("Page for a browser"), {"html"}}, {tr("PDF"), {"pdf"}}});
        if (!path.isEmpty()) m_desk->writeSheet(path);
    });
    file->addSeparator();
    const FileKind guardFiles{tr("Guards"), {"json"}};
    QAction* readingGuards = add(file, tr("Read guards …"), {}, [this, guardFiles] {
        const QString path = chooseToOpen(this, tr("Read guards"), guardFiles);
        if (!path.isEmpty()) m_desk->readGuards(path);
    });
    QAction* writingGuards = add(file, tr("Write guards …"), {}, [this, named, guardFiles] {
        const QString path = chooseToWrite(this, tr("Write guards"), named(tr("%1 guards")), {guardFiles});
        if (!path.isEmpty()) m_desk->writeGuards(path);
    });
    file->addSeparator();
    add(file, tr("Quit"), QKeySequence("Ctrl+Q"), [this] { close(); });
    // With every change, and not when the menu is opened: a key acts without it.
    const auto enable = [this, rereading, replacing, saving, savingAs, embedding, carrying, exporting, sheet,
                         readingGuards, writingGuards] {
        for (QAction* action : {replacing, saving, savingAs, embedding, carrying, exporting, sheet, readingGuards})
            action->setEnabled(m_model.isOpen());
        rereading->setEnabled(!m_model.document().sourceFile.empty());
        writingGuards->setEnabled(m_model.isOpen() && !m_model.document().care.guard.empty());
        embedding->setChecked(m_model.document().embedSource);
        carrying->setChecked(m_model.document().embedLevels);
    };
    connect(&m_model, &DocumentModel::changed, this, enable);
    enable();

    QMenu* edit = bar->addMenu(tr("Edit"));
    QAction* undo = m_model.undoStack().createUndoAction(this, tr("Undo"));
    undo->setShortcut(QKeySequence::Undo);
    QAction* redo = m_model.undoStack().createRedoAction(this, tr("Redo"));
    redo->setShortcut(QKeySequence("Ctrl+Shift+Z"));
    edit->addActions({undo, redo});
    edit->addSeparator();
    add(edit, tr("Reduce"), QKeySequence("Ctrl+Return"), [this] { m_desk->target().submit(); });
    add(edit, tr("Keep result as level"), QKeySequence("Ctrl+K"), [this] { m_desk->keepPreview(); });
    add(edit, tr("Put result in the source's place"), {}, [this] { m_desk->replaceSource(); });
    add(edit, tr("Discard result"), {}, [this] { m_desk->discardPreview(); });
    edit->addSeparator();
    add(edit, tr("Chain …"), QKeySequence("Ctrl+L"), [this] { m_desk->openChain(); });
    add(edit, tr("Bake the level shown"), QKeySequence("Ctrl+B"), [this] { m_desk->bakeShown(); });
    add(edit, tr("Make stale levels anew"), {}, [this] { m_desk->chainWork().remakeStale(); });
    add(edit, tr("Take in a level made by hand …"), {}, [this] { m_desk->chooseHandmade(-1); });
    QMenu* level = edit->addMenu(tr("Level shown"));
    connect(edit, &QMenu::aboutToShow, this, [this, level] {
        level->clear();
        const int shown = m_desk->shown().level;
        if (shown >= 0) m_desk->levels().fillMenu(*level, shown);
        level->setEnabled(shown >= 0);
    });
    edit->addSeparator();
    add(edit, tr("Cancel what is running"), QKeySequence("Esc"), [this] {
        m_desk->cancelEverything();
        m_opening.cancel();
        m_saving.cancel();
    });

    QMenu* view = bar->addMenu(tr("View"));
    ViewArea* area = &m_desk->view();
    add(view, tr("Lit or clay"), QKeySequence("C"), [area] { area->toggleLit(); });
    add(view, tr("Deviation"), QKeySequence("D"), [area] { area->toggleDeviation(); });
    add(view, tr("Outline"), QKeySequence("S"), [area] { area->toggleOutline(); });
    add(view, tr("Edges"), QKeySequence("E"), [area] { area->toggleEdges(); });
    add(view, tr("Pixel load"), QKeySequence("P"), [area] { area->togglePixelLoad(); });
    add(view, tr("Texels"), QKeySequence("G"), [area] { area->toggleTexels(); });
    add(view, tr("Wipe"), QKeySequence("W"), [area] { area->toggleWipe(); });
    add(view, tr("Twin"), QKeySequence("T"), [area] { area->toggleTwin(); });
    add(view, tr("Sheet"), QKeySequence("U"), [area] { area->toggleSheet(); });
    add(view, tr("Next worst deviation"), QKeySequence("X"), [this] { m_desk->goToWorst(1); });
    add(view, tr("Previous worst deviation"), QKeySequence("Shift+X"), [this] { m_desk->goToWorst(-1); });
    add(view, tr("Worst views, played"), QKeySequence("V"), [this] { m_desk->outline().toggleTour(); });
    add(view, tr("Findings"), {}, [this] { m_desk->openFindings(); });
    add(view, tr("Everything into view"), QKeySequence("F"), [area] { area->viewport().frameAll(); });
    view->addSeparator();
    add(view, tr("Viewer nearer"), QKeySequence("["), [this] { m_desk->sightline().stepViewer(-1); });
    add(view, tr("Viewer farther"), QKeySequence("]"), [this] { m_desk->sightline().stepViewer(1); });
    add(view, tr("Walk along the Sightline"), QKeySequence("Y"), [this] { m_desk->toggleWalk(); });
    QMenu* levels = view->addMenu(tr("Show"));
    for (int digit = 0; digit <= 9; ++digit)
        add(levels, digit == 0 ? tr("Source") : tr("Level %1").arg(digit), QKeySequence(QString::number(digit)),
            [this, digit] { showByDigit(digit); });
    view->addSeparator();
    QAction* night = view->addAction(tr("Night theme"));
    night->setCheckable(true);
    night->setChecked(theme().isNight);
    connect(night, &QAction::toggled, this, [this](bool on) {
        applyTheme(on ? Theme::nightTheme() : Theme::paperTheme());
        QSettings().setValue("night", on);
        m_desk->show(m_desk->shown());
        m_desk->view().viewport().redraw();
    });

    QMenu* help = bar->addMenu(tr("Help"));
    add(help, tr("Keys"), QKeySequence("F1"), [this] { showKeys(); });
}

void MainWindow::showByDigit(int digit) {
    const int levels = int(m_model.document().levels.size());
    if (digit == 0)
        m_desk->show({Shown::source});
    else if (digit <= levels)
        m_desk->show({digit - 1});
    else if (digit == levels + 1 && m_desk->preview())
        m_desk->show({Shown::preview});
}

void MainWindow::showTitle() {
    const QString name = m_model.isOpen() ? QString::fromStdString(m_model.document().name) : QString();
    setWindowTitle(name.isEmpty() ? tr("Understated Mesh") : tr("%1[*] – Understated Mesh").arg(name));
    setWindowModified(m_model.isOpen() && m_model.isEdited());
}

void MainWindow::showAsLeft() {
    if (restoreGeometry(QSettings().value(windowPlace).toByteArray())) {
        show();
        return;
    }
    // A frame and some of the screen stay beside it.
    const QSize room = screen()->availableSize() * 0.92;
    resize(roomySize.boundedTo(room));
    if (room.width() < designedSize.width() || room.height() < designedSize.height())
        showMaximized();
    else
        show();
}

void MainWindow::closeEvent(QCloseEvent* event) {
    m_mayClose = false;
    whenNothingIsUnsaved([this] { m_mayClose = true; });
    if (!m_mayClose) {
        // If it is being saved, it closes when that is done.
        if (m_afterSaving) m_afterSaving = [this] { close(); };
        event->ignore();
        return;
    }
    m_recoveryTimer.stop();
    m_recovering.cancelAndWait();
    if (m_slot) m_slot->clear();
    QSettings().setValue(windowPlace, saveGeometry());
    event->accept();
}

void MainWindow::showKeys() {
    auto* sheet = new QDialog(this);
    sheet->setAttribute(Qt::WA_DeleteOnClose);
    sheet->setWindowTitle(tr("Keys"));
    auto* grid = new QGridLayout(sheet);
    grid->setContentsMargins(22, 18, 22, 18);
    grid->setHorizontalSpacing(22);
    grid->setVerticalSpacing(6);
    int row = 0;
    for (const KeyLine& line : keyLines) {
        auto* keys = new QLabel(tr(line.keys));
        keys->setFont(textFont(0, QFont::DemiBold));
        grid->addWidget(keys, row, 0);
        grid->addWidget(new QLabel(tr(line.what)), row++, 1);
    }
    sheet->show();
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
    if (event->mimeData()->hasUrls() && event->mimeData()->urls().front().isLocalFile()) event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
    open(event->mimeData()->urls().front().toLocalFile());
}

bool MainWindow::event(QEvent* event) {
    // Who comes back from another program may have written the source there.
    if (event->type() == QEvent::WindowActivate) m_sourceWatch.look();
    return QMainWindow::event(event);
}

// Holding Space shows what is compared, letting go shows the level again; while L is held, dragging turns the light.
// Who goes from button to button by Tab presses them by Space.
bool MainWindow::eventFilter(QObject* watched, QEvent* event) {
    if (event->type() == QEvent::FocusIn) {
        const Qt::FocusReason reason = static_cast<QFocusEvent*>(event)->reason();
        if (reason == Qt::MouseFocusReason || reason == Qt::OtherFocusReason) m_goesByTab = false;
    }
    if (event->type() == QEvent::KeyPress || event->type() == QEvent::KeyRelease) {
        const auto* key = static_cast<QKeyEvent*>(event);
        // Not by the focus's reason: a window that comes up says Tab, too.
        if (key->key() == Qt::Key_Tab || key->key() == Qt::Key_Backtab) m_goesByTab = true;
        const bool types = qobject_cast<QLineEdit*>(QApplication::focusWidget()) != nullptr;
        if (key->key() == Qt::Key_Space && !types && !m_goesByTab && QApplication::activeWindow() == this) {
            if (!key->isAutoRepeat()) m_desk->view().viewport().setBlinking(event->type() == QEvent::KeyPress);
            return true;
        }
        if (key->key() == Qt::Key_L && key->modifiers() == Qt::NoModifier && !types &&
            QApplication::activeWindow() == this) {
            if (!key->isAutoRepeat()) m_desk->view().holdLight(event->type() == QEvent::KeyPress);
            return true;
        }
    }
    return QMainWindow::eventFilter(watched, event);
}

}  // namespace um::app

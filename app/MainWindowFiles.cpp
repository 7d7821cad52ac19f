// The part of the window that has to do with files: opening, the source, saving, and work that was left unsaved.
#include "app/desks/ChainWork.h"
#include "app/MainWindow.h"
#include "app/panels/FileChoice.h"
#include "app/panels/MessageBar.h"
#include "app/panels/Widgets.h"
#include "app/viewport/ViewArea.h"
#include "base/Units.h"
#include "document/Edits.h"

#include <QFileInfo>
#include <QMenu>
#include <QMessageBox>
#include <QSettings>
#include <QVBoxLayout>
#include <utility>

namespace um::app {
namespace {

constexpr int mostRecent = 6;

bool isDocument(const QString& path) {
    return path.endsWith(".umesh", Qt::CaseInsensitive);
}

}  // namespace

void MainWindow::chooseAndOpen() {
    const QString path = chooseToOpen(this, tr("Open"), readableMeshesAndDocuments());
    if (!path.isEmpty()) open(path);
}

void MainWindow::open(const QString& path) {
    whenNothingIsUnsaved([this, path] { startOpening(path, false); });
}

void MainWindow::startOpening(const QString& path, bool recovered, const QString& source) {
    m_opening.start([this, path, recovered, source](const Progress& progress) -> Job::Delivery {
        const std::filesystem::path file = path.toStdString();
        const bool document = isDocument(path);
        std::shared_ptr<Document> opened;
        try {
            opened =
                std::make_shared<Document>(document ? openDocument(file, progress.span(0, 0.6), source.toStdString())
                                                    : documentFromMesh(file, progress.span(0, 0.6)));
        } catch (const SourceMissing& missing) {
            return
                [this, path, recovered, sentence = QString::fromUtf8(missing.what()),
                 name = QString::fromStdString(missing.sourceFile)] { askForSource(sentence, name, path, recovered); };
        }
        if (document && !recovered) {
            opened->path = file;
            opened->name = file.stem().string();
        }
        std::vector<Drawable> drawables;
        drawables.push_back(makeDrawable(opened->source, progress.span(0.6, 0.9)));
        for (const Level& level : opened->levels) drawables.push_back(makeDrawable(level.mesh, progress.span(0.9, 1)));
        return [this, path, opened, drawables, recovered, source] {
            m_desk->drawables().keep(opened->source, drawables.front());
            for (std::size_t i = 0; i < opened->levels.size(); ++i)
                m_desk->drawables().keep(opened->levels[i].mesh, drawables[i + 1]);
            m_model.open(*opened, recovered || !source.isEmpty());
            m_messages->withdrawQuestions(MessageBar::About::Document);
            m_desk->view().viewport().frameAll();
            if (recovered) {
                discardAbandonedWork(path.toStdString());
                m_recoveryTimer.start();
                return;
            }
            rememberRecent(path);
            QStringList notes;
            for (const std::string& note : opened->notes) notes += QString::fromStdString(note);
            m_messages->say(notes.join(" "));
        };
    });
}

void MainWindow::askForSource(const QString& sentence, const QString& name, const QString& path, bool recovered) {
    m_messages->ask(
        MessageBar::About::Document, sentence, tr("Find it …"),
        [this, name, path, recovered] {
            const QString found = chooseToOpen(this, tr("Find %1").arg(name), readableMeshes());
            if (!found.isEmpty()) startOpening(path, recovered, found);
        },
        tr("Not now"));
}

void MainWindow::askToReadAgain() {
    const QString path = QString::fromStdString(m_model.document().sourceFile.string());
    m_messages->ask(
        MessageBar::About::Document, tr("%1 has changed on disk since it was read.").arg(QFileInfo(path).fileName()),
        tr("Read it again"), [this, path] { readSource(path); }, tr("Leave it"));
}

void MainWindow::readSource(const QString& path) {
    if (!m_model.isOpen()) return;
    m_opening.start([this, path, document = m_model.document()](const Progress& progress) -> Job::Delivery {
        auto read = std::make_shared<Document>(documentFromMesh(path.toStdString(), progress.span(0, 0.7)));
        // In the unit and as upright as it will be, so that what is drawn is what is shown.
        const Document asDecided = withSourceOf(document, *read);
        read->source = asDecided.source;
        read->sourceUp = asDecided.sourceUp;
        read->unitIsChosen = asDecided.unitIsChosen;
        const Drawable drawable = makeDrawable(read->source, progress.span(0.7, 1));
        return [this, path, read, drawable] {
            m_messages->withdrawQuestions(MessageBar::About::Document);
            const Document before = m_model.document();
            if (read->sourceHash == before.sourceHash) {
                m_messages->say(tr("%1 holds what is shown already.").arg(QFileInfo(path).fileName()));
                return;
            }
            m_desk->drawables().keep(read->source, drawable);
            m_model.change(tr("Read %1").arg(QFileInfo(path).fileName()), withSourceOf(before, *read));
            rememberFolderOf(path);
            sayWhatWasRead(before);
        };
    });
}

// What has become of the document by another source, and what can be done about it.
void MainWindow::sayWhatWasRead(const Document& before) {
    const Document& now = m_model.document();
    const auto counted = [](const Document& document) {
        return QString::fromStdString(formatCount(document.source->triangleCount()));
    };
    QString text = tr("%1 was read: %2 triangles, %3 before.")
                       .arg(QString::fromStdString(now.sourceFile.filename().string()), counted(now), counted(before));
    if (now.care.guard != before.care.guard) text += " " + tr("Guards that do not fit it are gone.");
    for (const std::string& note : now.notes) text += " " + QString::fromStdString(note);
    const std::vector<bool> stale = staleLevels(now);
    const auto count = std::count(stale.begin(), stale.end(), true);
    if (count == 0) {
        m_messages->say(text);
        return;
    }
    text +=
        " " + (count == 1 ? tr("One level is of the older one.") : tr("%1 levels are of the older one.").arg(count));
    m_messages->clearMessage();
    m_messages->ask(
        MessageBar::About::Document, text, count == 1 ? tr("Make it anew") : tr("Make them anew"),
        [this] { m_desk->chainWork().remakeStale(); }, count == 1 ? tr("Leave it") : tr("Leave them"));
}

void MainWindow::save() {
    if (!m_model.isOpen()) return;
    if (m_model.document().path.empty())
        saveAs();
    else
        saveTo(QString::fromStdString(m_model.document().path.string()));
}

void MainWindow::saveAs() {
    if (!m_model.isOpen()) return;
    const std::filesystem::path folder = m_model.document().path.empty() ? m_model.document().sourceFile.parent_path()
                                                                         : m_model.document().path.parent_path();
    const QString path = chooseToWrite(this, tr("Save document"),
                                       QString::fromStdString((folder / (m_model.document().name + ".umesh")).string()),
                                       {{tr("Documents"), {"umesh"}}});
    if (path.isEmpty()) {
        m_afterSaving = nullptr;
        return;
    }
    saveTo(path);
}

void MainWindow::saveTo(const QString& path) {
    const int state = m_model.undoStack().index();
    m_saving.start([this, path, state, document = m_model.document()](const Progress& progress) -> Job::Delivery {
        Document named = document;
        named.path = path.toStdString();
        saveDocument(named, named.path, progress);
        return [this, path, state] {
            // What was changed while the file was written is still unsaved.
            if (m_model.undoStack().index() == state) m_model.markSaved(path.toStdString());
            rememberRecent(path);
            m_messages->say(
                tr("Saved: %1 has %2.")
                    .arg(QFileInfo(path).fileName(),
                         QLocale::c().formattedDataSize(QFileInfo(path).size(), 1, QLocale::DataSizeSIFormat)));
            if (!m_model.isEdited() && m_slot) m_slot->clear();
            if (const auto next = std::exchange(m_afterSaving, nullptr)) next();
        };
    });
}

void MainWindow::keepRecoverable() {
    if (m_model.isOpen() && m_model.isEdited())
        m_recoveryTimer.start();
    else if (m_slot && !m_recovering.isRunning())
        m_slot->clear();
}

void MainWindow::offerAbandonedWork() {
    const auto work = findAbandonedWork(m_recoveryFolder);
    if (!work) return;
    const QString path = QString::fromStdString(work->string());
    const QString when = QFileInfo(path).lastModified().toString("d MMM, hh:mm");
    m_messages->ask(
        MessageBar::About::Program, tr("There is unsaved work from %1: the program ended without saving it.").arg(when),
        tr("Open it"),

        [this, path] { whenNothingIsUnsaved([this, path] { startOpening(path, true); }); }, tr("Throw it away"),
        [work] { discardAbandonedWork(*work); });
}

void MainWindow::whenNothingIsUnsaved(std::function<void()> next) {
    if (!m_model.isOpen() || !m_model.isEdited()) {
        next();
        return;
    }
    QMessageBox question(this);
    question.setObjectName("unsavedQuestion");
    question.setText(tr("%1 has unsaved changes.").arg(QString::fromStdString(m_model.document().name)));
    QPushButton* saving = question.addButton(tr("Save"), QMessageBox::AcceptRole);
    QPushButton* dropping = question.addButton(tr("Discard changes"), QMessageBox::DestructiveRole);
    question.addButton(tr("Go on working"), QMessageBox::RejectRole);
    question.setDefaultButton(saving);
    question.exec();
    if (question.clickedButton() == dropping) {
        next();
    } else if (question.clickedButton() == saving) {
        m_afterSaving = std::move(next);
        save();
    }
}

void MainWindow::rememberRecent(const QString& path) {
    QSettings settings;
    QStringList recent = settings.value("recent").toStringList();
    const QString absolute = QFileInfo(path).absoluteFilePath();
    recent.removeAll(absolute);
    recent.prepend(absolute);
    settings.setValue("recent", recent.mid(0, mostRecent));
    rememberFolderOf(path);
    showRecent();
}

void MainWindow::showRecent() {
    emptyLayout(*m_recentList);
    m_recentMenu->clear();
    for (const QString& path : QSettings().value("recent").toStringList()) {
        if (!QFileInfo::exists(path)) continue;
        m_recentMenu->addAction(path, this, [this, path] { open(path); });
        auto* button = new QPushButton(QFileInfo(path).fileName());
        button->setObjectName("quiet");
        button->setToolTip(path);
        connect(button, &QPushButton::clicked, this, [this, path] { open(path); });
        m_recentList->addWidget(button, 0, Qt::AlignHCenter);
    }
    m_recentMenu->setEnabled(!m_recentMenu->isEmpty());
}

}  // namespace um::app

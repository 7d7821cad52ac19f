#pragma once
/// The window: menus and keys, opening, saving and exporting, and unsaved work that outlives a crash.
#include "app/desks/AssetDesk.h"
#include "app/desks/SourceWatch.h"
#include "document/Recovery.h"

#include <QMainWindow>

class QVBoxLayout;

namespace um::app {

class TopStrip;

class MainWindow : public QMainWindow {
    Q_OBJECT

public:
    explicit MainWindow(const std::filesystem::path& recoveryFolder);
    ~MainWindow() override;

    /// Where and as large as the last window was when it was closed; the first one as the screen has room for.
    void showAsLeft();

    /// Opens a mesh or a document, beside everything else; asks first if there is unsaved work.
    void open(const QString& path);
    void saveTo(const QString& path);
    /// Puts a file's mesh in the source's place, the same file as it is now or another; levels stay, as stale ones.
    void readSource(const QString& path);

    AssetDesk& desk() { return *m_desk; }
    DocumentModel& model() { return m_model; }
    MessageBar& messages() { return *m_messages; }
    Job& openJob() { return m_opening; }
    Job& saveJob() { return m_saving; }
    Job& recoveryJob() { return m_recovering; }
    SourceWatch& sourceWatch() { return m_sourceWatch; }

protected:
    void closeEvent(QCloseEvent* event) override;
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    bool event(QEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    void makeMenus();
    QWidget* makeActivity();
    QWidget* makeWelcome();
    void showRecent();
    void rememberRecent(const QString& path);
    void chooseAndOpen();
    void save();
    void saveAs();
    /// @param source  where the document's source is, if it does not know
    void startOpening(const QString& path, bool recovered, const QString& source = {});
    void askForSource(const QString& sentence, const QString& name, const QString& path, bool recovered);
    void askToReadAgain();
    void sayWhatWasRead(const Document& before);
    void offerAbandonedWork();
    void keepRecoverable();
    /// Goes on with `next` when there is nothing unsaved, at once or after saving; not at all if the user would rather
    /// stay.
    void whenNothingIsUnsaved(std::function<void()> next);
    void showKeys();
    void showTitle();
    void showByDigit(int digit);

    std::filesystem::path m_recoveryFolder;
    std::unique_ptr<RecoverySlot> m_slot;
    DocumentModel m_model;
    SourceWatch m_sourceWatch{m_model};
    Job m_opening, m_saving, m_recovering;
    QTimer m_recoveryTimer;
    TopStrip* m_top;
    MessageBar* m_messages;
    AssetDesk* m_desk;
    QVBoxLayout* m_recentList;
    QMenu* m_recentMenu = nullptr;
    std::function<void()> m_afterSaving;
    bool m_mayClose = false;
    bool m_goesByTab = false;
};

}  // namespace um::app

#include "app/panels/FileChoice.h"

#include "files/MeshFile.h"

#include <algorithm>
#include <QFileDialog>
#include <QFileInfo>
#include <QSettings>

namespace um::app {
namespace {

constexpr const char* lastFolder = "openFolder";

QString filterOf(const FileKind& kind) {
    QStringList patterns;
    for (const QString& extension : kind.extensions) patterns << "*." + extension << "*." + extension.toUpper();
    return kind.name + " (" + patterns.join(' ') + ')';
}

}  // namespace

FileKind readableMeshes() {
    FileKind kind{QFileDialog::tr("Meshes"), {}};
    for (const std::string_view extension : readableExtensions())
        kind.extensions << QString::fromUtf8(extension.data(), int(extension.size()));
    return kind;
}

FileKind readableMeshesAndDocuments() {
    FileKind kind = readableMeshes();
    kind.name = QFileDialog::tr("Meshes and documents");
    kind.extensions << "umesh";
    return kind;
}

QString chooseToOpen(QWidget* parent, const QString& title, const FileKind& kind) {
    const QString path = QFileDialog::getOpenFileName(parent, title, QSettings().value(lastFolder).toString(),
                                                      filterOf(kind) + ";;" + QFileDialog::tr("All files (*)"), nullptr,
                                                      QFileDialog::HideNameFilterDetails);
    if (!path.isEmpty()) rememberFolderOf(path);
    return path;
}

QString chooseToWrite(QWidget* parent, const QString& title, const QString& name, const QList<FileKind>& kinds) {
    QFileDialog dialog(parent, title, QSettings().value(lastFolder).toString());
    dialog.setAcceptMode(QFileDialog::AcceptSave);
    dialog.setOption(QFileDialog::HideNameFilterDetails);
    QStringList filters;
    for (const FileKind& kind : kinds) filters << filterOf(kind);
    dialog.setNameFilters(filters);
    // Told with or without its patterns, as the dialog pleases.
    const auto chosenKind = [&]() -> const FileKind& {
        const auto isChosen = [&](const FileKind& kind) { return dialog.selectedNameFilter().startsWith(kind.name); };
        const auto chosen = std::find_if(kinds.begin(), kinds.end(), isChosen);
        return chosen != kinds.end() ? *chosen : kinds.front();
    };
    const auto completeNames = [&] { dialog.setDefaultSuffix(chosenKind().extensions.front()); };
    QObject::connect(&dialog, &QFileDialog::filterSelected, &dialog, completeNames);
    completeNames();
    dialog.selectFile(name);
    while (dialog.exec() == QDialog::Accepted) {
        QString path = dialog.selectedFiles().value(0);
        const bool isKnown = std::any_of(kinds.begin(), kinds.end(), [&](const FileKind& kind) {
            return kind.extensions.contains(QFileInfo(path).suffix(), Qt::CaseInsensitive);
        });
        // "jar.v2" looks complete to the dialog; the file that is meant may be there, and no one was asked.
        if (!isKnown) path += '.' + chosenKind().extensions.front();
        if (isKnown || !QFileInfo::exists(path)) {
            rememberFolderOf(path);
            return path;
        }
        dialog.selectFile(path);
    }
    return {};
}

void rememberFolderOf(const QString& path) {
    QSettings().setValue(lastFolder, QFileInfo(path).absolutePath());
}

}  // namespace um::app

#pragma once
/// Files that the user chooses. Each dialog begins where the last one ended.
#include <QStringList>

class QWidget;

namespace um::app {

struct FileKind {
    QString name;            ///< "Recipes"
    QStringList extensions;  ///< without the point, small
};

/// What can be read, with or without documents.
FileKind readableMeshes();
FileKind readableMeshesAndDocuments();

/// @returns the chosen file, or nothing
QString chooseToOpen(QWidget* parent, const QString& title, const FileKind& kind);

/// The name gets the chosen kind's extension where it has none of them, before it is asked whether what is there
/// already may be replaced.
/// @param name   to begin with; with a folder, the dialog begins there
/// @returns the chosen file, or nothing
QString chooseToWrite(QWidget* parent, const QString& title, const QString& name, const QList<FileKind>& kinds);

/// The next dialog begins where this file is.
void rememberFolderOf(const QString& path);

}  // namespace um::app

// understated-mesh: the desktop program.
#include "app/MainWindow.h"
#include "app/panels/Widgets.h"
#include "app/theme/Theme.h"
#include "app/viewport/ViewArea.h"

#include <cstdio>
#include <QApplication>
#include <QCommandLineParser>
#include <QOffscreenSurface>
#include <QOpenGLContext>
#include <QSettings>
#include <QSurfaceFormat>

namespace {

// Asked before a window opens that could show nothing.
bool hasUsableOpenGl() {
    QOpenGLContext context;
    if (!context.create()) return false;
    QOffscreenSurface surface;
    surface.create();
    return context.makeCurrent(&surface) && context.format().version() >= qMakePair(3, 3);
}

}  // namespace

int main(int argc, char** argv) {
    QSurfaceFormat format;
    format.setVersion(3, 3);
    format.setProfile(QSurfaceFormat::CoreProfile);
    format.setDepthBufferSize(24);
    QSurfaceFormat::setDefaultFormat(format);
    QApplication application(argc, argv);
    QApplication::setApplicationName("understated-mesh");
    QApplication::setOrganizationName("understated-mesh");
    QApplication::setApplicationVersion(UMESH_VERSION);
    QCommandLineParser parser;
    parser.setApplicationDescription("Reduces dense meshes and shows what was lost.");
    parser.addHelpOption();
    parser.addVersionOption();
    parser.addPositionalArgument("file", "A mesh (OBJ, PLY, STL, glTF, GLB) or document (.umesh) to open.", "[file]");
    parser.process(application);

    um::app::applyTheme(QSettings().value("night").toBool() ? um::app::Theme::nightTheme() : um::app::Theme::paperTheme());
    um::app::MainWindow window(um::recoveryFolder());
    if (!hasUsableOpenGl()) {
        // A widget that cannot draw would take the program down with it; all the rest works without.
        window.desk().view().viewport().hide();
        const QString sentence = QObject::tr(
            "There is no usable OpenGL 3.3 here, so meshes cannot be shown. Update the graphics driver, or install Mesa's "
            "software one (package libgl1-mesa-dri) and start again. The command line, umesh, works without it.");
        std::fprintf(stderr, "understated-mesh: %s\n", qPrintable(sentence));
        window.messages().say(sentence);
    }
    window.show();
    if (!parser.positionalArguments().isEmpty()) window.open(parser.positionalArguments().front());
    return QApplication::exec();
}

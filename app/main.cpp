// understated-mesh: the desktop program.
#include "app/MainWindow.h"
#include "app/theme/Theme.h"
#include "app/viewport/Viewport.h"

#include <cstdio>
#include <QApplication>
#include <QCommandLineParser>
#include <QLabel>
#include <QOffscreenSurface>
#include <QOpenGLContext>
#include <QPushButton>
#include <QSettings>
#include <QVBoxLayout>

namespace {

// Asked before a window opens that could show nothing.
bool hasUsableOpenGl() {
    // These platforms cannot put OpenGL into a window, even where they have it.
    for (const char* platform : {"offscreen", "minimal", "linuxfb", "vnc"})
        if (QGuiApplication::platformName() == QLatin1String(platform)) return false;
    QOpenGLContext context;
    if (!context.create()) return false;
    QOffscreenSurface surface;
    surface.create();
    return context.makeCurrent(&surface) && context.format().version() >= qMakePair(3, 3);
}

// A window of its own: one with a drawing area in it cannot even be painted without OpenGL.
int sayThereIsNoOpenGl() {
    const QString sentence = QObject::tr(
        "There is no usable OpenGL 3.3 here, so meshes cannot be shown. Update the graphics driver, or install Mesa's "
        "software one (package libgl1-mesa-dri) and start again. The command line, umesh, works without it.");
    std::fprintf(stderr, "understated-mesh: %s\n", qPrintable(sentence));
    QWidget window;
    window.setWindowTitle(QObject::tr("Understated Mesh"));
    auto* text = new QLabel(sentence);
    text->setWordWrap(true);
    text->setMinimumWidth(420);
    auto* quit = new QPushButton(QObject::tr("Quit"));
    QObject::connect(quit, &QPushButton::clicked, &window, &QWidget::close);
    auto* column = new QVBoxLayout(&window);
    column->setContentsMargins(24, 20, 24, 16);
    column->setSpacing(14);
    column->addWidget(text);
    column->addWidget(quit, 0, Qt::AlignRight);
    window.show();
    QApplication::exec();
    return 1;
}

}  // namespace

int main(int argc, char** argv) {
    um::app::Viewport::requestOpenGl();
    QApplication application(argc, argv);
    QApplication::setApplicationName("understated-mesh");
    QApplication::setOrganizationName("understated-mesh");
    QApplication::setApplicationVersion(UMESH_VERSION);
    QCommandLineParser parser;
    parser.setApplicationDescription("Reduces dense meshes and shows what was lost.");
    parser.addHelpOption();
    parser.addVersionOption();
    parser.addPositionalArgument(
        "file", "A mesh (OBJ, PLY, STL, glTF, GLB, COLLADA, X3D, OFF, 3MF) or document (.umesh) to open.", "[file]");
    parser.process(application);

    um::app::applyTheme(QSettings().value("night").toBool() ? um::app::Theme::nightTheme()
                                                            : um::app::Theme::paperTheme());
    if (!hasUsableOpenGl()) return sayThereIsNoOpenGl();
    um::app::MainWindow window(um::recoveryFolder());
    window.showAsLeft();
    if (!parser.positionalArguments().isEmpty()) window.open(parser.positionalArguments().front());
    return QApplication::exec();
}

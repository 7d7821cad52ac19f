#include "app/viewport/Viewport.h"
#include "tests/support/TestMain.h"

#include <QApplication>

int main(int argc, char** argv) {
    um::app::Viewport::requestOpenGl();
    const QApplication application(argc, argv);
    return um::test::runNamed(argc, argv);
}

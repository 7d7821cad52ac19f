#include "tests/support/TestMain.h"

#include <QCoreApplication>

int main(int argc, char** argv) {
    const QCoreApplication application(argc, argv);
    return um::test::runNamed(argc, argv);
}

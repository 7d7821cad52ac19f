#pragma once
/// One program holds all test classes of a folder; its first argument says which of them runs.
#include <QTest>

namespace um::test {

using Run = int (*)(int argc, char** argv);

/// Makes `run` known as `name` to runNamed().
struct Registration {
    Registration(const char* name, Run run);
};

/// Runs what is registered as the first argument, with the arguments after it.
/// @returns its exit code, or 2 after listing the names if there is none of that name
int runNamed(int argc, char** argv);

}  // namespace um::test

/// Stands at the end of a test's file, before its moc.
#define UM_TEST(Class)                                                                      \
    static const um::test::Registration register##Class(#Class, [](int argc, char** argv) { \
        Class test;                                                                         \
        return QTest::qExec(&test, argc, argv);                                             \
    });

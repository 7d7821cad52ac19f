#include "tests/support/Programs.h"

#include "files/MeshFile.h"
#include "tests/support/Shapes.h"

#include <QProcess>

namespace um::test {

Outcome runProgram(const char* program, const std::vector<std::string>& arguments) {
    QStringList list;
    for (const std::string& argument : arguments) list += QString::fromStdString(argument);
    QProcess process;
    process.start(program, list);
    process.waitForFinished(120000);
    return {process.exitStatus() == QProcess::NormalExit ? process.exitCode() : -1,
            process.readAllStandardOutput().toStdString(), process.readAllStandardError().toStdString()};
}

Outcome umesh(const std::vector<std::string>& arguments) {
    return runProgram(UMESH_PROGRAM, arguments);
}

bool contains(const std::string& text, const char* part) {
    return text.find(part) != std::string::npos;
}

std::string writeSphere(const Folder& folder) {
    Mesh sphere = makeSphere(1, 40);
    sphere.unitStated = true;
    const std::string path = (folder / "sphere.ply").string();
    writeMesh(sphere, path, Progress());
    return path;
}

}  // namespace um::test

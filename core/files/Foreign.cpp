#include "files/Foreign.h"

#include "base/Error.h"
#include "base/File.h"
#include "files/Gltf.h"
#include "files/Text.h"

#include <fcntl.h>
#include <poll.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>
#include <array>
#include <cerrno>
#include <csignal>
#include <cstdlib>

namespace um {
namespace {

// A folder that goes with all that is in it.
class PassingFolder {
public:
    PassingFolder() {
        std::error_code missing;
        const std::filesystem::path place = std::filesystem::temp_directory_path(missing);
        std::string name = ((missing ? std::filesystem::path("/tmp") : place) / "umesh-XXXXXX").string();
        if (::mkdtemp(name.data()) == nullptr)
            throw FileError("No folder can be made for what passes by (" + name +
                            "); free some space there, or set TMPDIR to a folder that can be written to.");
        m_path = name;
    }
    ~PassingFolder() {
        std::error_code ignored;
        std::filesystem::remove_all(m_path, ignored);
    }
    PassingFolder(const PassingFolder&) = delete;
    PassingFolder& operator=(const PassingFolder&) = delete;

    const std::filesystem::path& path() const { return m_path; }

private:
    std::filesystem::path m_path;
};

// A program that says something and ends; ended with this, if it has not yet.
class Process {
public:
    Process(const std::filesystem::path& program, const std::vector<std::string>& arguments) {
        std::array<int, 2> ends;
        if (::pipe2(ends.data(), O_CLOEXEC) != 0) throw FileError("No pipe can be made; close some programs.");
        m_out = ends[0];
        posix_spawn_file_actions_t actions;
        posix_spawn_file_actions_init(&actions);
        posix_spawn_file_actions_adddup2(&actions, ends[1], STDOUT_FILENO);
        posix_spawn_file_actions_addopen(&actions, STDERR_FILENO, "/dev/null", O_WRONLY, 0);
        std::string name = program.string();
        std::vector<std::string> texts = arguments;
        std::vector<char*> words = {name.data()};
        for (std::string& text : texts) words.push_back(text.data());
        words.push_back(nullptr);
        const int problem = posix_spawn(&m_id, name.c_str(), &actions, nullptr, words.data(), environ);
        posix_spawn_file_actions_destroy(&actions);
        ::close(ends[1]);
        if (problem != 0) {
            ::close(m_out);
            throw FileError(name + " cannot be started; install the program again.");
        }
    }
    ~Process() {
        ::close(m_out);
        if (m_id > 0) {
            ::kill(m_id, SIGKILL);
            wait();
        }
    }
    Process(const Process&) = delete;
    Process& operator=(const Process&) = delete;

    // @returns all that it said until it ended
    std::string listen(const Progress& progress) {
        constexpr int milliseconds = 20;
        std::string said;
        std::array<char, 4096> buffer;
        while (true) {
            progress.check();
            pollfd ready{m_out, POLLIN, 0};
            if (::poll(&ready, 1, milliseconds) <= 0) continue;
            const ssize_t count = ::read(m_out, buffer.data(), buffer.size());
            if (count < 0 && errno == EINTR) continue;
            if (count <= 0) return said;
            said.append(buffer.data(), std::size_t(count));
        }
    }

    // @returns whether it ended by itself, and well
    bool endedWell() {
        const int status = wait();
        return WIFEXITED(status) && WEXITSTATUS(status) == 0;
    }

private:
    int wait() {
        int status = 0;
        while (::waitpid(m_id, &status, 0) < 0 && errno == EINTR) {
        }
        m_id = 0;
        return status;
    }

    pid_t m_id = 0;
    int m_out = -1;
};

// Beside this program, or beside the programs where this is a test.
std::filesystem::path foreignProgram() {
    std::error_code ignored;
    const std::filesystem::path here = std::filesystem::read_symlink("/proc/self/exe", ignored).parent_path();
    for (const std::filesystem::path& folder : {here, here.parent_path() / "bin"})
        if (std::filesystem::exists(folder / "umesh-foreign", ignored)) return folder / "umesh-foreign";
    throw FileError("The program umesh-foreign, which reads this format, is missing beside " + here.string() +
                    "; install it again, or export the mesh as glTF.");
}

}  // namespace

void readForeign(const std::filesystem::path& path, MeshFile& result, const Progress& progress) {
    const PassingFolder folder;
    const std::filesystem::path between = folder.path() / "mesh.glb";
    Process process(foreignProgram(), {std::filesystem::absolute(path).string(), between.string()});
    const std::string said = process.listen(progress);
    std::string problem;
    bool hasNormals = true;
    for (std::string_view rest = said; !rest.empty();) {
        const std::string_view line = takeLine(rest);
        const auto take = [&](std::string_view what, const auto& use) {
            if (line.starts_with(what)) use(std::string(line.substr(what.size())));
        };
        take("note ", [&](std::string sentence) { result.notes.push_back(std::move(sentence)); });
        take("remark ", [&](std::string sentence) { result.remarks.push_back(std::move(sentence)); });
        take("beside ", [&](const std::string& file) { result.addCompanion(file); });
        take("without normals", [&](const std::string&) { hasNormals = false; });
        take("error ", [&](std::string sentence) { problem = std::move(sentence); });
    }
    if (!process.endedWell())
        throw FileError(!problem.empty() ? problem
                                         : path.string() +
                                               " is damaged in a way that its reader cannot cope with, or larger than "
                                               "the memory; export it again, as glTF if that goes.");
    progress.at(0.6);
    const MappedFile file(between);
    const MeshFormat format = result.format;
    readGltf(between, file.text(), result, progress.span(0.6, 1));
    result.format = format;
    // What lies between gives smooth normals to what has none.
    if (!hasNormals) {
        result.mesh.normals.clear();
        if (!result.mesh.hasAttributes()) result.mesh.wedges.clear();
    }
    // That one says nothing of units.
    if (format == MeshFormat::Off) result.mesh.unitStated = false;
}

}  // namespace um

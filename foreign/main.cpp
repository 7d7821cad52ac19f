// umesh-foreign IN OUT.glb: reads a format that assimp knows, for the other programs. It says `note …`, `remark …`,
// `beside …` (a file that belongs to it) and `without normals` lines, or `error …` and ends with 1. A process of its
// own, since that library ends the process that it works in over some damaged files, and breaks it over others.
#include "base/Error.h"
#include "base/Units.h"
#include "files/Gltf.h"
#include "foreign/SceneMesh.h"

#include <assimp/config.h>
#include <sys/resource.h>
#include <unistd.h>
#include <assimp/DefaultLogger.hpp>
#include <assimp/Importer.hpp>
#include <assimp/LogStream.hpp>
#include <cstdio>

using namespace um;

namespace {

// Nothing of a mesh in these text formats takes longer; what does will not end.
constexpr rlim_t mostSeconds = 1800;

// What the library mends by itself, as wrong indices, it tells no one but its log.
class Complaints : public Assimp::LogStream {
public:
    void write(const char* message) override {
        std::string text = message;
        // Without the thread, and how bad it is; a line.
        if (const std::size_t told = text.find(": "); told != std::string::npos) text.erase(0, told + 2);
        text.erase(std::min(text.size(), text.find('\n')));
        text.erase(text.find_last_not_of(' ') + 1);
        if (m_count++ == 0) m_first = text;
    }
    void addTo(std::vector<std::string>& notes) const {
        if (m_count == 0) return;
        notes.push_back("Not all is right in the file: " + m_first +
                        (m_count > 1 ? ", and " + countOf(m_count - 1, "more like it", "more like it") : "") + ".");
    }

private:
    std::string m_first;
    std::size_t m_count = 0;
};

// What goes wrong ends this process alone, and leaves the machine usable: a header's word makes the library allocate
// whatever it says.
void limitItself(const std::filesystem::path& in) {
    constexpr rlim_t always = rlim_t(2) << 30, forEachByte = 300;  // of a packed file, too
    std::error_code missing;
    const auto size = rlim_t(std::filesystem::file_size(in, missing));
    const auto machine = rlim_t(sysconf(_SC_PHYS_PAGES)) * rlim_t(sysconf(_SC_PAGESIZE));
    const auto limit = [](auto resource, rlim_t most) {
        const rlimit limits{most, most};
        setrlimit(resource, &limits);
    };
    limit(RLIMIT_AS, std::min(machine / 10 * 9, missing ? always : always + forEachByte * size));
    limit(RLIMIT_CPU, mostSeconds);
    limit(RLIMIT_CORE, 0);
}

void say(const char* what, const std::vector<std::string>& sentences) {
    for (const std::string& sentence : sentences) std::printf("%s %s\n", what, sentence.c_str());
}

void convert(const std::filesystem::path& in, const std::filesystem::path& out) {
    auto* complaints = new Complaints;  // the logger's from here on
    Assimp::DefaultLogger::create("", Assimp::Logger::NORMAL, 0)->attachStream(complaints, Assimp::Logger::Err);
    Assimp::Importer importer;
    importer.SetPropertyBool(AI_CONFIG_IMPORT_COLLADA_USE_COLLADA_NAMES, true);
    const aiScene* scene = importer.ReadFile(in.string(), 0);
    if (scene == nullptr)
        throw FileError(in.string() + " is damaged or not what its name says; export it again, as glTF if that goes.");
    MeshFile file = meshOfScene(*scene, in);
    importer.FreeScene();
    complaints->addTo(file.notes);
    // That format counts in millimetres where it says nothing else, and the library keeps what it says to itself.
    if (lowered(in.extension().string()) == ".3mf") {
        file.mesh.metresPerUnit = 0.001;
        file.remarks.emplace_back("Its numbers are taken as millimetres.");
    }
    ensureSections(file.mesh, in.stem().string());
    dropUnused(file.mesh);
    requireSound(file.mesh, in.string());
    writeGltf(file.mesh, out, true, Progress());
    if (file.mesh.normals.empty()) std::puts("without normals");
    say("note", file.notes);
    say("remark", file.remarks);
    for (const std::filesystem::path& companion : file.companions)
        // No line can hold such a name, and nobody has it.
        if (companion.string().find('\n') == std::string::npos) std::printf("beside %s\n", companion.c_str());
}

}  // namespace

int main(int argc, char** argv) {
    if (argc != 3) {
        std::fputs("umesh-foreign is started by the other programs; use umesh.\n", stderr);
        return 2;
    }
    limitItself(argv[1]);
    try {
        convert(argv[1], argv[2]);
        return 0;
    } catch (const std::exception& error) {
        std::printf("error %s\n", error.what());
        return 1;
    }
}

// Writes the demo data of the Skerry wreck: umesh-demo storage-jar OUT, umesh-demo coral-head --triangles 6M OUT.
#include "base/Error.h"
#include "base/Units.h"
#include "demo/Anchor.h"
#include "demo/CoralHead.h"
#include "demo/DiversLamp.h"
#include "demo/Eel.h"
#include "demo/RawScan.h"
#include "demo/StorageJar.h"
#include "files/MeshFile.h"

#include <CLI/CLI.hpp>
#include <cstdio>

int main(int argc, char** argv) {
    using namespace um;
    CLI::App app("Writes demo meshes, made by formula: the same bytes every time.");
    app.require_subcommand(1);
    std::string out;
    std::string triangles = "1M";
    CLI::App* jar = app.add_subcommand("storage-jar", "Storage jar 07: five parts, about 1 M triangles");
    jar->add_option("OUT", out, "file to write (.glb, .obj, .ply, .stl)")->required();
    CLI::App* anchor = app.add_subcommand("anchor", "Anchor: long and thin, six parts, about 500 k triangles");
    anchor->add_option("OUT", out, "file to write (.glb, .obj, .ply, .stl)")->required();
    CLI::App* eel = app.add_subcommand("eel", "Eel: skinned, with inner mouth, teeth and eyes, about 260 k triangles");
    eel->add_option("OUT", out, "file to write (.glb keeps the skin)")->required();
    CLI::App* lamp =
        app.add_subcommand("divers-lamp", "Diver's lamp: six materials with textures, about 400 k triangles");
    lamp->add_option("OUT", out, "file to write (.glb keeps the textures)")->required();
    CLI::App* raw = app.add_subcommand("raw-scan", "Coral head as it comes off a scanner: holes, dust, turned patches");
    raw->add_option("OUT", out, "file to write (.ply, .stl, .obj, .glb)")->required();
    CLI::App* coral = app.add_subcommand("coral-head", "Coral head: one dense surface, as from a scan");
    coral->add_option("OUT", out, "file to write (.ply, .stl, .obj, .glb)")->required();
    coral->add_option("--triangles", triangles, "about how many, such as 100k or 40M")->capture_default_str();
    CLI11_PARSE(app, argc, argv);
    try {
        formatOfExtension(out);
        const std::size_t wanted = parseCount(triangles);
        constexpr std::size_t mostInMemory = 50000000, most = 2000000000;
        if (wanted > most) throw InputError("At most 2,000M triangles can be made.");
        if (coral->parsed() && wanted > mostInMemory) {
            if (formatOfExtension(out) != MeshFormat::Stl)
                throw InputError("More than 50M triangles are written as STL only; let the name end in .stl.");
            const std::size_t count = demo::writeCoralHead(wanted, out);
            std::printf("Wrote %s triangles to %s.\n", formatCount(count).c_str(), out.c_str());
            return 0;
        }
        const Mesh mesh = jar->parsed()      ? demo::makeStorageJar()
                          : anchor->parsed() ? demo::makeAnchor()
                          : eel->parsed()    ? demo::makeEel()
                          : lamp->parsed()   ? demo::makeDiversLamp()
                          : raw->parsed()    ? demo::makeRawScan()
                                             : demo::makeCoralHead(wanted);
        writeMesh(mesh, out, Progress());
        std::printf("Wrote %s triangles to %s.\n", formatCount(mesh.triangleCount()).c_str(), out.c_str());
    } catch (const Error& error) {
        std::fprintf(stderr, "umesh-demo: %s\n", error.what());
        return 1;
    }
    return 0;
}

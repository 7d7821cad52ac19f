// umesh: everything the program does, without a window.
#include "base/Error.h"
#include "cli/Commands.h"

#include <CLI/CLI.hpp>
#include <cstdio>
#include <new>

int main(int argc, char** argv) {
    using namespace um::cli;
    CLI::App app("Reduces dense meshes and says what was lost.");
    app.require_subcommand(1);
    app.footer("Ends with 0 done, 1 failed, 2 wrong usage, 3 done but a check was missed.");
    int code = done;
    addInspect(app, code);
    addReduce(app, code);
    addChain(app, code);
    addBake(app, code);
    addMerge(app, code);
    addMeasure(app, code);
    addRepair(app, code);
    addReport(app, code);
    try {
        app.parse(argc, argv);
    } catch (const CLI::ParseError& error) {
        return app.exit(error) == 0 ? done : wrongUsage;
    } catch (const um::InputError& error) {
        std::fprintf(stderr, "umesh: %s\n", error.what());
        return wrongUsage;
    } catch (const um::Cancelled&) {
        std::fprintf(stderr, "umesh: cancelled; nothing was written.\n");
        return failed;
    } catch (const um::Error& error) {
        std::fprintf(stderr, "umesh: %s\n", error.what());
        return failed;
    } catch (const std::bad_alloc&) {
        std::fprintf(stderr,
                     "umesh: there is not enough memory for this; close other programs or use a smaller mesh.\n");
        return failed;
    }
    return code;
}

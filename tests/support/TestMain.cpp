#include "tests/support/TestMain.h"

#include <cstdio>
#include <map>
#include <string>
#include <vector>

namespace um::test {
namespace {

// A function's static: registrations of other files may come first.
std::map<std::string, Run>& registered() {
    static std::map<std::string, Run> runs;
    return runs;
}

}  // namespace

Registration::Registration(const char* name, Run run) {
    registered()[name] = run;
}

int runNamed(int argc, char** argv) {
    const auto found = registered().find(argc > 1 ? argv[1] : "");
    if (found == registered().end()) {
        std::fprintf(stderr, "usage: %s TEST [FUNCTION...]\n", argv[0]);
        for (const auto& [name, run] : registered()) std::fprintf(stderr, "  %s\n", name.c_str());
        return 2;
    }
    std::vector<char*> arguments = {argv[0]};
    arguments.insert(arguments.end(), argv + 2, argv + argc);
    const int count = int(arguments.size());
    arguments.push_back(nullptr);
    return found->second(count, arguments.data());
}

}  // namespace um::test

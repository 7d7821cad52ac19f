#pragma once
/// Running the programs as a user does, and reading what they say.
#include "tests/support/Files.h"

#include <nlohmann/json.hpp>
#include <string>
#include <vector>

namespace um::test {

using Json = nlohmann::json;

struct Outcome {
    int code;  ///< -1 where it crashed
    std::string out, err;
};

Outcome runProgram(const char* program, const std::vector<std::string>& arguments);
/// The command line.
Outcome umesh(const std::vector<std::string>& arguments);

bool contains(const std::string& text, const char* part);

/// A sphere of 12,800 triangles whose unit is stated, as "sphere.ply". @returns its path
std::string writeSphere(const Folder& folder);

}  // namespace um::test

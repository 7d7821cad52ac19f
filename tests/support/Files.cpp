#include "tests/support/Files.h"

#include <fstream>
#include <sstream>

namespace um::test {

std::filesystem::path Folder::write(const std::string& name, const std::string& bytes) const {
    const std::filesystem::path file = path() / name;
    std::ofstream(file, std::ios::binary) << bytes;
    return file;
}

std::string contentOf(const std::filesystem::path& path) {
    std::ostringstream text;
    text << std::ifstream(path, std::ios::binary).rdbuf();
    return text.str();
}

}  // namespace um::test

#pragma once
/// Names of delivered files, by rule.
#include <string>

namespace um {

/// Fills `{name}` (the document), `{level}` (the level's name) and `{n}` (its number) into a pattern such as
/// `{name}_lod{n}`. Characters that file systems do not take in names become `_`; `/` in the pattern itself makes
/// subfolders.
/// @throws InputError  if the pattern is empty or has another word in braces
std::string fillPattern(const std::string& pattern, const std::string& name, const std::string& level,
                        std::size_t number);

}  // namespace um

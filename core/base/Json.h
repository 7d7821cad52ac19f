#pragma once
/// The JSON value of all our files: members keep the order in which they were added.
#include <nlohmann/json_fwd.hpp>

namespace um {

using Json = nlohmann::ordered_json;

}  // namespace um

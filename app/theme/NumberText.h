#pragma once
/// Numbers as the interface writes them.
#include <QString>

namespace um::app {

/// As formatNumber: about three significant digits.
QString number(double value);

/// A share as a percentage without its sign: one decimal below 10 %, whole from there on.
QString percent(double share);

}  // namespace um::app

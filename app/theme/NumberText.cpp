#include "app/theme/NumberText.h"

#include "base/Units.h"

#include <cmath>

namespace um::app {

QString number(double value) {
    return QString::fromStdString(formatNumber(value));
}

QString percent(double share) {
    return number(share < 0.0995 ? std::round(1000 * share) / 10 : std::round(100 * share));
}

}  // namespace um::app

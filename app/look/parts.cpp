#include "app/look/parts.h"

#include <iterator>

namespace nutatio::look {

QColor partColour(int place) {
    // Light and dark in turns, so that neighbours differ in more than hue.
    constexpr const char* kColours[] = {"#1E7C83", "#E0A030", "#74406B", "#8CBF6A", "#A12C2C", "#9DB4D0", "#3F5A36", "#E3A99B"};
    return QColor(QLatin1String(kColours[static_cast<std::size_t>(place) % std::size(kColours)]));
}

}  // namespace nutatio::look

// Colours of parts: eight that keep apart on paper and at night, for colour-blind people too.
#pragma once

#include <QColor>

namespace nutatio::look {

QColor partColour(int place);

}  // namespace nutatio::look

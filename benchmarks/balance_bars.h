// What Balance is asked for, against what comes of it.
#pragma once

/// Prints them; false where a bar is not kept.
bool balanceBars();

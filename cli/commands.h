// The command line, as architecture.md has it. Everything goes through here, so that tests can call it.
#pragma once

#include <iosfwd>
#include <string>
#include <vector>

#include "base/cancel.h"

namespace nutatio::cli {

enum Exit { kDone = 0, kFindings = 1, kBadArguments = 2, kBadInput = 3 };

/// Runs one command; `arguments` without the program's name. Returns the exit code. Errors go to `err` as one line.
int run(std::vector<std::string> arguments, std::ostream& out, std::ostream& err, const Cancel& cancel = {});

}  // namespace nutatio::cli

// Reading the arguments of operations.
#pragma once

#include <functional>
#include <optional>

#include "edit/operations.h"

namespace nutatio::edit {

/// Each file of operations has its own.
std::span<const Operation> prepareOperations();
std::span<const Operation> partOperations();
std::span<const Operation> bringOperations();
std::span<const Operation> timeOperations();
std::span<const Operation> handOperations();
std::span<const Operation> takeOperations();
std::span<const Operation> lineOperations();

/// Empty where the argument is not given.
const std::string& text(const Arguments& a, std::string_view key);
std::optional<double> number(const std::string& s);
/// Looks at all that has settings, with its name.
void eachThing(const scene::Scene& s, const std::function<void(const scene::Owner& owner, const std::string& name)>& look);
/// "layers:tail", or an id alone that only one list has; failing that the same of names. Errors: what else is nearly called so.
Result<scene::Owner> thing(const scene::Scene& s, const std::string& name);
/// The actor that is named, or the only one there is.
Result<std::string> actorOf(const scene::Scene& s, const Arguments& a);
/// From 0; written as people count, from 1. Without a key: `frame`, or the first one where that is not given.
Result<int> frameOf(const Arguments& a);
Result<int> frameOf(const Arguments& a, std::string_view key);
/// Names joined by "+".
std::vector<std::string> joined(const std::string& all);
/// "x y z" for each place, joined by "+".
Result<std::vector<Vec3>> places(const std::string& all);
/// yes or no; `other` where it is not given.
Result<bool> yesOr(const Arguments& a, std::string_view key, bool other);
/// A number that is given, or `other`.
Result<double> numberOr(const Arguments& a, std::string_view key, double other);
/// A whole number of least .. most that is given, or `other`.
Result<int> wholeOr(const Arguments& a, std::string_view key, int other, int least = -1'000'000, int most = 1'000'000);

}  // namespace nutatio::edit

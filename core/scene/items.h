// Rows for what stands in the roster: colliders, winds and pins, tuned like a layer's settings. From them come the Tuner's rows
// and the ranges that a scene file must keep to.
#pragma once

#include <functional>

#include "scene/scene.h"

namespace nutatio::scene {

/// Slider ends follow the actor's size [units].
std::vector<SettingSpec> colliderTable(const Collider& collider, double height);
double& colliderNumber(Collider& collider, std::string_view id);

std::vector<SettingSpec> windTable();
double windNumber(const Wind& wind, std::string_view id);
void setWindNumber(Wind& wind, std::string_view id, double value);

std::vector<SettingSpec> pinTable(double height);
double& pinNumber(Pin& pin, std::string_view id);

/// Brings every number of the item into its row's range; hears of each that it had to move: label, what it was, what it is.
using Moved = std::function<void(const SettingSpec& row, double was, double is)>;
void clampItem(Collider& collider, const Moved& moved);
void clampItem(Wind& wind, const Moved& moved);
void clampItem(Pin& pin, const Moved& moved);

}  // namespace nutatio::scene

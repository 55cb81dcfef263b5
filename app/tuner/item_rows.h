// Rows for what stands in the roster: colliders, winds and pins, tuned like a layer's settings.
#pragma once

#include "scene/scene.h"

namespace nutatio::app {

/// Slider ends follow the actor's size [units].
std::vector<scene::SettingSpec> colliderTable(const scene::Collider& collider, double height);
double& colliderNumber(scene::Collider& collider, std::string_view id);

std::vector<scene::SettingSpec> windTable();
double windNumber(const scene::Wind& wind, std::string_view id);
void setWindNumber(scene::Wind& wind, std::string_view id, double value);

std::vector<scene::SettingSpec> pinTable(double height);
double& pinNumber(scene::Pin& pin, std::string_view id);

}  // namespace nutatio::app

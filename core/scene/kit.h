// A kit: a whole set-up of one character, to be put on others.
#pragma once

#include "scene/scene.h"

namespace nutatio::scene {

struct Kit {
    /// A joint that something of the kit refers to, and what is known of it where the kit comes from.
    struct Joint {
        std::string name;              // reference there
        std::string role;              // "left foot", "head" ...: see kitRoles; empty: none
        Quat turn = Quat::Identity();  // of its axes in the rest pose, in the actor's world
    };
    std::string name;
    double height = 1;  // of the character it comes from [m]
    double metres = 1;  // a unit of it
    std::vector<Joint> joints;
    std::vector<Part> parts;
    std::vector<rig::Map> maps;  // by rule: what was painted stays behind
    std::vector<Collider> colliders;
    std::vector<Wind> winds;
    std::vector<Pin> pins;
    std::vector<Gauge> gauges;  // that something of it follows
    std::vector<Layer> layers;
    std::vector<std::string> without;  // what of the character stayed behind, a sentence each; never saved
};

}  // namespace nutatio::scene

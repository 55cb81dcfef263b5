#include "layers/strand/strand.h"

namespace nutatio::layers::strand {

std::vector<Feel> strandFeels() {
    return {
        {"Stiff antenna", "Springy wire: quick, rings on, hardly bends.", {{"swing", 7.0}, {"bounces", 6.0}, {"bend", 30.0}}},
        {"Wet rope",
         "Hangs and slaps, no bounce left in it.",
         {{"swing", 0.5}, {"bounces", 0.3}, {"gravity", 1.0}, {"drag", 0.6}, {"radius", 0.02}, {"catch", 0.2}}},
        {"Heavy braid",
         "Swings slowly as one piece, its end leading.",
         {{"swing", 0.9}, {"bounces", 0.9}, {"gravity", 1.0}, {"end_weight", 0.8}, {"radius", 0.04}, {"catch", 0.3}}},
        {"Silk ribbon",
         "Floats, trails behind and settles late.",
         {{"swing", 0.35}, {"bounces", 0.3}, {"gravity", 0.35}, {"drag", 4.0}, {"catch", 4.0}}},
        {"Horsehair",
         "Swishes: firm at the root, loose at the tip.",
         {{"swing", 1.8}, {"bounces", 1.2}, {"gravity", 0.5}, {"drag", 1.5}},
         {{"swing", {{0, 1.6}, {1, 0.5}}}}},
        {"Otter tail",
         "A strong root and a lazy tip that follows in an arc.",
         {{"swing", 1.6}, {"bounces", 1.4}, {"gravity", 0.15}, {"drag", 0.5}},
         {{"swing", {{0, 1.5}, {0.5, 1}, {1, 0.55}}}}},
        {"Whip",
         "Lashes: the wave runs out to a light tip.",
         {{"swing", 1.1}, {"bounces", 2.5}, {"gravity", 0.2}},
         {{"swing", {{0, 2.2}, {0.4, 0.9}, {1, 0.25}}}}},
        {"Hanging lantern",
         "A weight on a cord: one slow even swing.",
         {{"swing", 0.3}, {"bounces", 3.5}, {"gravity", 1.0}, {"end_weight", 20.0}, {"catch", 0.4}}},
        {"Garden hose",
         "Thick and unwilling: bends once and stays out.",
         {{"swing", 2.4}, {"bounces", 0.2}, {"gravity", 0.8}, {"bend", 35.0}, {"radius", 0.05}, {"catch", 0.1}}},
        {"Coil spring",
         "Bobs along its length as much as it swings.",
         {{"swing", 2.6}, {"bounces", 5.0}, {"stretch", 0.5}, {"stretch_swing", 2.4}, {"gravity", 0.6}}},
        {"Pond weed",
         "Drifts as if under water.",
         {{"swing", 0.4}, {"bounces", 0.5}, {"drag", 9.0}, {"gravity", -0.15}, {"catch", 3.0}}},
        {"Leather strap",
         "A blade: gives one way and not the other.",
         {{"swing", 2.2}, {"bounces", 1.0}, {"gravity", 0.7}, {"stiff_second", 12.0}, {"stiff_twist", 4.0}}},
    };
}

}  // namespace nutatio::layers::strand

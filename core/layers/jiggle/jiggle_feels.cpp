#include "layers/jiggle/jiggle.h"

namespace nutatio::layers::jiggle {

std::vector<Feel> jiggleFeels() {
    return {
        {"Alert ear", "Flicks and stands again at once.", {{"swing", 5.5}, {"bounces", 1.6}}},
        {"Floppy ear", "Lags, flops over, swings back once.", {{"swing", 2.2}, {"bounces", 1.4}, {"sag", 0.35}}},
        {"Soft pouch",
         "Full of something loose: heaves and settles.",
         {{"move", std::string("xyz")}, {"swing", 2.4}, {"bounces", 2.0}, {"sag", 0.3}, {"squash", 0.8}, {"share_x", 0.6}}},
        {"Round belly",
         "Bounces up and down, hardly sideways.",
         {{"move", std::string("xyz")},
          {"turn", std::string("x")},
          {"frame", std::string("body")},
          {"swing", 3.2},
          {"bounces", 2.2},
          {"share_x", 0.35},
          {"share_z", 0.5},
          {"squash", 0.4}}},
        {"Water balloon",
         "Wobbles for long, changing its shape.",
         {{"move", std::string("xyz")}, {"swing", 3.0}, {"bounces", 5.0}, {"squash", 1.6}}},
        {"Earring", "Dangles and rings.", {{"swing", 3.4}, {"bounces", 6.0}, {"sag", 0.6}}},
        {"Loose bolt",
         "Rattles: tiny, fast, soon over.",
         {{"move", std::string("xyz")},
          {"turn", std::string("xyz")},
          {"swing", 14.0},
          {"bounces", 2.0},
          {"move_max_y", 0.1},
          {"move_min_y", 0.1}}},
    };
}

}  // namespace nutatio::layers::jiggle

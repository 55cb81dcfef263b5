#include "physics/strand_kernel.h"

namespace nutatio::physics {

void stepLanes4(const StepArgs& args) {
    lanes::Kernel<4>(args).step();
}

}  // namespace nutatio::physics

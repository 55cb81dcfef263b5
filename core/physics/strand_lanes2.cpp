#include "physics/strand_kernel.h"

namespace nutatio::physics {

void stepLanes2(const StepArgs& args) {
    lanes::Kernel<2>(args).step();
}

}  // namespace nutatio::physics

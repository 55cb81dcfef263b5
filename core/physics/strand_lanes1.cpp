#include "physics/strand_kernel.h"

namespace nutatio::physics {

void stepLanes1(const StepArgs& args) {
    lanes::Kernel<1>(args).step();
}

}  // namespace nutatio::physics

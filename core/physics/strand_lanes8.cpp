#include "physics/strand_kernel.h"

namespace nutatio::physics {

void stepLanes8(const StepArgs& args) {
    lanes::Kernel<8>(args).step();
}

}  // namespace nutatio::physics

// One stretch of a shot, balanced.
#pragma once

#include "layers/balance/balance_shown.h"
#include "layers/balance/poised.h"
#include "layers/balance/turned.h"
#include "layers/balance/weighing.h"
#include "layers/filter.h"

namespace nutatio::layers::balance {

/// Appends the stretch's frames to the columns of `out` and what there is to tell of them to `weighed`. Returns how far at most
/// the weight misses where it ought to lie [m].
double balanceStretch(const LayerContext& context, const Weights& weights, const Turned& turned, const Poised& body,
                      const rig::Track& below, const Stretch& over, Weighing is, const Cancel& cancel, Filtered& out,
                      Weighed& weighed);

}  // namespace nutatio::layers::balance

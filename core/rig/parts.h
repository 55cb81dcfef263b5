// Parts: named sets of joints that are treated as one.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "rig/actor.h"

namespace nutatio::rig {

/// "tail" for "tail_03": a joint's name without the number it ends in. A reference by number stays as it is.
std::string partName(const std::string& joint);

/// What a part is, as far as names and shape tell.
enum class Sort { Tail, Ear, Hair, Strap, Cloth, Soft, Limb, Spine, Head, Chain, Pair };
std::string_view sortName(Sort sort);

struct Part {
    std::string name;
    std::vector<int> joints;  // parents first
    Sort sort = Sort::Chain;
};
/// Chains and trees of joints that share a name but for a number: "tail_01" to "tail_08" are the part "tail". In the order of
/// their roots; a joint alone is no part.
std::vector<Part> partsOf(const Skeleton& skeleton);
/// Those of them that move something, as a file without its cape may have the cape's joints, and begin neither in head nor face.
std::vector<Part> partsOf(const Actor& actor);

/// Parts that names and skeleton suggest: those of partsOf, ears with what hangs on them, limbs, spine and head, chains of three
/// joints and more that have no other part, and pairs of single joints on either side. No joint is in two of them, but for those
/// of a limb, which chains that hang on it keep.
std::vector<Part> suggestedParts(const Actor& actor);

/// What nearly all names begin with before a separator ("rig:" of "rig:hips"), as exporters put it there; empty when there is no
/// such thing.
std::string sharedPrefix(const Skeleton& skeleton);

/// How many joints up and down the tree lead from one to the other; a great number where nothing joins them.
int stepsApart(const Skeleton& skeleton, int a, int b);

/// What a person reads of a joint: its label without what all begin with.
std::string plainName(const Skeleton& skeleton, int joint);

}  // namespace nutatio::rig

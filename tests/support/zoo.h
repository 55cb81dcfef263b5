// Characters that nobody drew: rigs of many builds, made by number, with whatever is awkward about the files of other people.
#pragma once

#include <filesystem>
#include <string>

namespace nutatio::test {

/// How many builds there are: so many numbers in a row have each of them once.
inline constexpr unsigned kBuilds = 14;

/// Writes the character of a number as .glb, the same for the same number: a build (bipeds with and without spine, one-armed, legs
/// that are roots, four and six legs, a bird, a snake, a lamp, a hand, one joint, three hundred, two characters in one file), a way
/// of naming, units, axes, clips and flaws (no, doubled or foreign names, bones without length, mirrored and uneven scale, z up,
/// centimetres, inches, no mesh, two skins, capes, dresses, a sword, twist helpers and goals, no clip, clips of one frame). Returns it in words, for messages.
std::string writeAnimal(const std::filesystem::path& file, unsigned number);

}  // namespace nutatio::test

// Operations on takes.
#include "edit/operation_arguments.h"
#include "edit/takes.h"

namespace nutatio::edit {

namespace {

/// By id or, failing that, by name.
Result<std::string> takeOf(const scene::Scene& s, const Arguments& a) {
    const std::string& wanted = text(a, "take");
    if (s.take(wanted)) return wanted;
    for (const scene::Take& t : s.takes)
        if (t.name == wanted) return t.id;
    return refused("there is no take \"" + wanted + "\"");
}

Result<Done> doKeepTake(scene::Scene& s, const Arguments& a) {
    keepTake(s, text(a, "name"));
    return Done{};
}

template <Result<Done> (*Change)(scene::Scene&, const std::string&)>
Result<Done> onTake(scene::Scene& s, const Arguments& a) {
    const auto take = takeOf(s, a);
    return take ? Change(s, take.value()) : take.error();
}

Result<Done> doRenameTake(scene::Scene& s, const Arguments& a) {
    const auto take = takeOf(s, a);
    return take ? renameTake(s, take.value(), text(a, "name")) : take.error();
}

Result<Done> doNoteTake(scene::Scene& s, const Arguments& a) {
    const auto take = takeOf(s, a);
    return take ? noteTake(s, take.value(), text(a, "note")) : take.error();
}

constexpr Operation kTakeOperations[] = {
    {"keep-take", "", "name", "Keeps the scene as it is now, to compare with.", doKeepTake},
    {"adopt-take", "take", "", "Layers, items and their keys become those of a take.", onTake<adoptTake>},
    {"restore-take", "take", "", "Everything becomes as it was when a take was kept.", onTake<restoreTake>},
    {"rename-take", "take,name", "", "Another name for a take.", doRenameTake},
    {"note-take", "take,note", "", "A line about a take.", doNoteTake},
    {"remove-take", "take", "", "Lets go of a take.", onTake<removeTake>},
};

}  // namespace

std::span<const Operation> takeOperations() {
    return kTakeOperations;
}

}  // namespace nutatio::edit

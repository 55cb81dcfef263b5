// What commands need of the window's state before they can be given.
#pragma once

#include <QString>
#include <functional>

#include "app/document/document.h"
#include "app/document/session.h"

namespace nutatio::app {

/// The state that commands ask for, found once for all of them.
struct Now {
    Now(const Document& document, const Session& session);

    const scene::Scene& scene;
    const Selection& selection;
    const scene::Layer* layer = nullptr;       // that is selected
    const scene::ActorEntry* actor = nullptr;  // that is selected itself, not a joint or a thing of it
    const scene::Tuned* thing = nullptr;       // whose settings are on show
    bool any = false;                          // an actor is open
    bool joints = false, collider = false, wind = false, pin = false, gauge = false, piece = false;
    bool chosenActor = false;  // an actor is selected, or the only one there is
    bool byHand = false;       // a layer that is posed by hand is selected
    bool part = false;         // a layer of a whole body is selected
    bool simulated = false;    // the layer's kind is
    bool sealed = false;       // frames of the layer are
    bool made = false;         // the selected joint was made here
    bool trails = false;       // any is drawn
    bool keys = false;         // keys are selected on the tape
    bool keysCopied = false;   // and could be put in
    bool mayGo = false;        // what is selected can be removed
    bool recent = false, demo = false, keepsTrials = false;
};

/// For each command that is not always allowed: whether it is now, and what it lacks, as a part of a sentence.
void eachAllowed(const Now& now, const std::function<void(const QString& command, bool can, const QString& lacks)>& take);

}  // namespace nutatio::app

#include "app/bench/allowed.h"

#include <QCoreApplication>
#include <initializer_list>

#include "layers/registry.h"
#include "rig/trial.h"

namespace nutatio::app {

Now::Now(const Document& document, const Session& session) : scene(document.scene()), selection(session.selection()) {
    const auto owner = selection.owner();
    layer = scene.layer(selection.layer);
    actor = owner && owner->list == scene::List::Actors ? scene.actor(selection.actor) : nullptr;
    thing = owner ? scene.tuned(*owner) : nullptr;
    any = !scene.actors.empty();
    joints = !selection.joints.empty();
    collider = !selection.collider.empty();
    wind = !selection.wind.empty();
    pin = !selection.pin.empty();
    gauge = !selection.gauge.empty();
    piece = actor && actor->isPiece();
    byHand = session.handJoint().has_value();
    part = session.partJoint().has_value();
    const layers::LayerKind* kind = layer ? layers::findKind(layer->kind) : nullptr;
    simulated = kind && kind->simulated;
    sealed = layer && scene.shot().seals.count(layer->id) > 0;
    const scene::ActorEntry* of = scene.actor(selection.actor);
    made = of && joints && selection.joints.front() < of->actor->skeleton.size() &&
           of->actor->skeleton.joint(selection.joints.front()).made;
    trails = !session.trails().of.empty();
}

namespace {

struct Rule {
    std::initializer_list<const char*> commands;
    bool (*can)(const Now&);
    const char* lacks;
};

constexpr const char* kNoJoint = QT_TRANSLATE_NOOP("Bench", "no joint is selected");
constexpr const char* kNoLayer = QT_TRANSLATE_NOOP("Bench", "no layer is selected");
constexpr const char* kNothing = QT_TRANSLATE_NOOP("Bench", "nothing is open");
constexpr const char* kNotTuned = QT_TRANSLATE_NOOP("Bench", "nothing that is tuned is selected");

const Rule kRules[] = {
    {{"add-sphere", "add-capsule", "add-box", "add-plane", "select-chain", "add-pin", "add-gauge", "touch-clip", "trail",
      "add-end", "lock-weights"},
     [](const Now& n) { return n.joints; },
     kNoJoint},
    {{"gauge-to-selection", "gauge-csv"},
     [](const Now& n) { return n.gauge; },
     QT_TRANSLATE_NOOP("Bench", "no gauge is selected")},
    {{"peak-next", "peak-back",  "curve-view",  "mark",      "range-from", "range-to",     "range-none", "hold-over",
      "compare",   "loop-found", "loop-closed", "loop-once", "trail-spot", "fit",          "add-wind",   "cut",
      "tug",       "record",     "save",        "save-as",   "hand-off",   "accept-parts", "helper",     "chain"},
     [](const Now& n) { return n.any; },
     kNothing},
    {{"mute",        "solo",     "layer-down",   "layer-up",        "split-layer",
      "merge-layer", "interval", "no-intervals", "interval-remove", "curves",
      "group",       "colour-0", "colour-1",     "colour-2",        "colour-3",
      "colour-4",    "colour-5", "colour-6",     "colour-7",        "colour-8"},
     [](const Now& n) { return n.layer != nullptr; },
     kNoLayer},
    {{"act-here"}, [](const Now& n) { return n.layer && !n.scene.shots.empty(); }, kNoLayer},
    {{"pose-key", "untouch", "weight-part"},
     [](const Now& n) { return n.byHand; },
     QT_TRANSLATE_NOOP("Bench", "no layer that is posed by hand is selected")},
    {{"set-down-group", "ungroup"},
     [](const Now& n) { return n.layer && !n.layer->group.empty(); },
     QT_TRANSLATE_NOOP("Bench", "no layer of a group is selected")},
    {{"keys-rest", "copy-settings", "paste-settings"}, [](const Now& n) { return n.selection.owner().has_value(); }, kNotTuned},
    {{"lock"}, [](const Now& n) { return n.thing != nullptr; }, kNotTuned},
    {{"mark-next", "mark-back"},
     [](const Now& n) { return !n.scene.shot().marks.empty(); },
     QT_TRANSLATE_NOOP("Bench", "no frame is marked")},
    {{"keys-smooth", "keys-linear", "keys-hold", "keys-free", "keys-copy", "keys-close", "keys-half", "keys-remove"},
     [](const Now& n) { return n.keys; },
     QT_TRANSLATE_NOOP("Bench", "no key is selected on the tape")},
    {{"keys-paste"}, [](const Now& n) { return n.keysCopied; }, QT_TRANSLATE_NOOP("Bench", "no keys were copied")},
    {{"hide"},
     [](const Now& n) { return n.thing && !n.layer; },
     QT_TRANSLATE_NOOP("Bench", "no collider, wind, pin, gauge or actor is selected")},
    {{"follow", "ground", "path", "perform", "walk-about", "loosen", "hold-feet"},
     [](const Now& n) { return n.chosenActor; },
     kNothing},
    {{"seal"}, [](const Now& n) { return n.simulated; }, QT_TRANSLATE_NOOP("Bench", "no simulated layer is selected")},
    {{"break-seal"},
     [](const Now& n) { return n.sealed; },
     QT_TRANSLATE_NOOP("Bench", "no layer with sealed frames is selected")},
    {{"same-side"}, [](const Now& n) { return n.part; }, QT_TRANSLATE_NOOP("Bench", "no layer of a whole body is selected")},
    {{"item-on"},
     [](const Now& n) { return n.collider || n.wind || n.pin || n.actor; },
     QT_TRANSLATE_NOOP("Bench", "no collider, wind, pin or actor is selected")},
    {{"collider-world"},
     [](const Now& n) { return n.collider && !n.selection.actor.empty(); },
     QT_TRANSLATE_NOOP("Bench", "no collider that rides on a joint is selected")},
    {{"pin-end", "pin-to-selection"}, [](const Now& n) { return n.pin; }, QT_TRANSLATE_NOOP("Bench", "no pin is selected")},
    {{"open-recent"}, [](const Now& n) { return n.recent; }, QT_TRANSLATE_NOOP("Bench", "no file was opened before")},
    {{"open-demo"},
     [](const Now& n) { return n.demo; },
     QT_TRANSLATE_NOOP("Bench", "the demo files are not beside the application")},
    {{"take", "spread"}, [](const Now& n) { return !n.scene.layers.empty(); }, QT_TRANSLATE_NOOP("Bench", "there is no layer")},
    {{"take-ghost"}, [](const Now& n) { return !n.scene.takes.empty(); }, QT_TRANSLATE_NOOP("Bench", "no take is kept")},
    {{"trails-none"}, [](const Now& n) { return n.trails; }, QT_TRANSLATE_NOOP("Bench", "no trail is drawn")},
    {{"trial-keep"}, [](const Now& n) { return n.any && n.keepsTrials; }, kNothing},
    {{"key"}, [](const Now& n) { return n.layer || n.collider || n.wind || n.pin || n.piece; }, kNotTuned},
    {{"mirror-joint", "hang-on", "remove-joint"},
     [](const Now& n) { return n.made; },
     QT_TRANSLATE_NOOP("Bench", "no joint that was made here is selected")},
    {{"pivot"},
     [](const Now& n) { return n.selection.joints.size() == 1; },
     QT_TRANSLATE_NOOP("Bench", "not one joint is selected")},
    {{"rename"},
     [](const Now& n) { return n.selection.owner().has_value() || n.selection.joints.size() == 1; },
     QT_TRANSLATE_NOOP("Bench", "nothing that has a name of its own is selected")},
    {{"mirror"},
     [](const Now& n) { return n.layer || n.pin || (n.collider && !n.selection.actor.empty()); },
     QT_TRANSLATE_NOOP("Bench", "no layer, pin or collider that rides on a joint is selected")},
    {{"duplicate"},
     [](const Now& n) { return n.layer || n.collider || n.wind || n.pin || n.gauge || n.piece; },
     QT_TRANSLATE_NOOP("Bench", "no layer, collider, wind, pin, gauge or set piece is selected")},
};

QString words(const char* text) {
    return QCoreApplication::translate("Bench", text);
}

}  // namespace

void eachAllowed(const Now& now, const std::function<void(const QString&, bool, const QString&)>& take) {
    for (const Rule& rule : kRules)
        for (const char* command : rule.commands) take(QLatin1String(command), rule.can(now), words(rule.lacks));
    for (const layers::LayerKind* k : layers::kinds())
        take(QStringLiteral("add-") + QString::fromUtf8(k->id.data(), static_cast<qsizetype>(k->id.size())),
             now.joints || (now.any && k->takes == layers::Takes::Body), words(kNoJoint));
    for (const rig::TrialMove& move : rig::trialMoves())
        take(QStringLiteral("trial-") + QString::fromUtf8(move.id.data(), static_cast<qsizetype>(move.id.size())), now.any,
             words(kNothing));
    take(QStringLiteral("set-down"), now.layer && !now.byHand,
         words(now.layer ? QT_TRANSLATE_NOOP("Bench", "it is posed by hand already") : kNoLayer));
    take(QStringLiteral("remove"), now.mayGo,
         words(now.joints ? QT_TRANSLATE_NOOP("Bench", "joints of a file stay: nothing else is selected")
                          : QT_TRANSLATE_NOOP("Bench", "nothing that can go is selected")));
}

}  // namespace nutatio::app

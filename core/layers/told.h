// What a layer tells of how it went, beside the motion that it made.
#pragma once

#include <memory>
#include <string>
#include <vector>

namespace nutatio::scene {
struct Seal;
}

namespace nutatio::layers {

/// How a simulated loop was closed. Seams are breaks in place and speed, in lengths of the longest way along what is simulated.
struct Closure {
    int laps = 0;                  // that it took; 0: it was not to be closed
    double before = 0, after = 0;  // seam after the first lap, and as it is
    int returns = 0;               // where it does not come round by itself: laps after which it does; 0: never
    int blended = 0;               // frames at its beginning that were blended then
    bool operator==(const Closure&) const = default;
};

/// What a kind found out about a shot while it made its motion, for what it shows of itself. The type is the kind's own.
struct Notes {
    virtual ~Notes() = default;
};

/// A stretch of frames, both included, that a layer's lane shows.
struct LaneSpan {
    enum class Form { Bar, Arch };
    int from = 0, to = 0;
    Form form = Form::Bar;
    int row = 0;          // of bars: one above the other
    bool byHand = false;  // set by a person, not found
};

/// A number by which the Tuner shows how far a layer goes, as a bar beside the others.
struct Figure {
    std::string name;
    double value = 0;
    std::string unit;    // as it is written behind the number
    bool tight = false;  // it could give no more
};

/// What came of a layer that another one carries out, once it was under way.
struct Came {
    std::string layer;  // id
    int frame = 0;      // at which it began
    std::string text;   // in a few words
    bool less = false;  // than was asked
};

struct Told {
    std::vector<std::string> remarks;    // what a person should know, a sentence each
    std::string said;                    // what came of what was asked, in a few words; empty: `measured` tells, or nothing
    Closure closure;                     // the worst of its movers
    std::vector<LaneSpan> lane;          // for its lane
    std::vector<Figure> figures;         // for the Tuner; empty: the motion of the shot is shown there
    std::string figuresTell;             // what they are, in a few words
    std::vector<Came> came;              // of layers that it carried out, the earliest first
    std::shared_ptr<const Notes> notes;  // null: the kind has none
    std::shared_ptr<const scene::Seal> sealed;  // what was to be sealed, made

    /// The notes, of a kind that takes notes of that type; null otherwise.
    template <class Kinds>
    const Kinds* noted() const {
        return dynamic_cast<const Kinds*>(notes.get());
    }
};

}  // namespace nutatio::layers
